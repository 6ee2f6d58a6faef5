"""Songs and WAVs: the parse against a tight loop and mido, the whole way to all signals, and writing against the disk.

    python benchmarks/playing.py [FOLDER of MIDI files]

With a folder, each of its files is also played by the simple second converter of the tests, and compared.
"""

from __future__ import annotations

import os
import random
import struct
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from dynamis.converter.playing.rendering import ConverterSetting, render_song
from dynamis.errors import InputError
from dynamis.files.midi_file import song_of
from dynamis.files.wav_writer import WavChannel, write_wav

EVENTS, ROUNDS = 200_000, 7


def length_bytes(value: int) -> bytes:
    out = [value & 0x7F]
    while value := value >> 7:
        out.insert(0, value & 0x7F | 0x80)
    return bytes(out)


def made_song(events: int, seed: int = 1) -> bytes:
    """Four tracks on channels 1 to 4: mostly notes, some of the wheel and of controllers."""
    rng, chunks = random.Random(seed), []
    for channel in range(4):
        body, held = bytearray(), []
        for _ in range(events // 4):
            body += length_bytes(rng.choice([0, 0, 10, 60, 120, 240]))
            what = rng.random()
            if what < 0.1:
                body += bytes([0xE0 | channel, rng.randrange(128), rng.randrange(128)])
            elif what < 0.15:
                body += bytes([0xB0 | channel, 1, rng.randrange(128)])
            elif held and what < 0.57:
                body += bytes([0x80 | channel, held.pop(0), 64])
            else:
                held.append(rng.randrange(30, 90))
                body += bytes([0x90 | channel, held[-1], rng.randrange(1, 128)])
        body += b"\0\xff\x2f\0"
        chunks.append(b"MTrk" + struct.pack(">I", len(body)) + bytes(body))
    return b"MThd" + struct.pack(">IHHH", 6, 1, 4, 480) + b"".join(chunks)


def tight(data: bytes) -> list[tuple[int, int, int, int]]:
    """The events of a file without running status, meta events or trouble: as little as a loop can do."""
    events, at = [], 14
    while at < len(data):
        end = at + 8 + int.from_bytes(data[at + 4 : at + 8], "big")
        at, tick = at + 8, 0
        while at < end:
            delta = 0
            while True:
                byte = data[at]
                at += 1
                delta = delta << 7 | byte & 0x7F
                if byte < 0x80:
                    break
            tick += delta
            status = data[at]
            if status == 0xFF:
                at += 3
            else:
                events.append((tick, status, data[at + 1], data[at + 2]))
                at += 3
    return events


def seconds_of(work) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def parsing() -> None:
    import io

    import mido

    data = made_song(EVENTS)
    setting = ConverterSetting(channel=None)
    ways = {
        "tight": lambda: tight(data),
        "parse": lambda: song_of(data, "song"),
        "whole": lambda: render_song(song_of(data, "song"), setting),
        "mido": lambda: mido.MidiFile(file=io.BytesIO(data)),
    }
    took = {name: [] for name in ways}
    for _ in range(ROUNDS):
        for name, work in ways.items():
            took[name].append(seconds_of(work))
    best = {name: float(np.median(one)) for name, one in took.items()}
    print(f"{EVENTS} events: parse {EVENTS / best['parse'] / 1e6:.2f} M/s")
    print(
        f"parse {best['parse'] / best['tight']:.2f} x a tight loop (wanted 2), mido "
        f"{best['mido'] / best['parse']:.1f} x the parse"
    )
    print(f"the whole way {best['whole'] / best['parse']:.2f} x the parse (wanted 3)")


def writing() -> None:
    """Ten minutes, eight channels, 48 kHz float, against a raw write of as many bytes that syncs too."""
    rendered = render_song(song_of(made_song(4000), "song"), ConverterSetting(clocks=(1.0, 4.0)))
    channels = [WavChannel(one.name, one.steps, 10.0) for one in rendered.signals[:8]]
    frames = 600 * 48_000
    raw, wav = [], []
    with tempfile.TemporaryDirectory(dir=os.environ.get("BENCH_DIR")) as folder:
        block = os.urandom(4 << 20)
        for k in range(3):
            path = Path(folder) / f"raw{k}"

            def raw_write(path: Path = path) -> None:
                left = frames * 32
                with path.open("xb", buffering=0) as file:
                    while left > 0:
                        left -= file.write(block[: min(left, len(block))])
                    os.fsync(file.fileno())

            raw.append(seconds_of(raw_write))
            path.unlink()
            wav.append(seconds_of(lambda k=k: write_wav(Path(folder) / f"{k}.wav", channels, 600.0, 48_000)))
            (Path(folder) / f"{k}.wav").unlink()
    print(
        f"WAV of ten minutes: {np.median(wav):.2f} s, raw {np.median(raw):.2f} s: "
        f"{np.median(wav) / np.median(raw):.2f} x (wanted 1.5)"
    )


def painting() -> None:
    """A million events: panning and zooming the lanes, each picture with all lanes, 1280 x 800."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from dynamis.bench.playing.lanes import play
    from dynamis.notation.style import Style
    from dynamis.ui.theme.palette import LIGHT
    from dynamis.ui.views.play.lanes import LanesPicture

    app = QApplication.instance() or QApplication([])
    song = song_of(made_song(1_000_000), "song")
    began = time.perf_counter()
    played = play(song, ConverterSetting(channel=None), Style())
    print(f"a million events played in {time.perf_counter() - began:.2f} s, {played.rendered.seconds:.0f} s long")
    picture = LanesPicture(LIGHT, Style())
    picture.resize(664, 460)
    picture.show_played(played)
    picture.show()
    app.processEvents()
    took, chance = [], random.Random(2)
    for k in range(300):
        axis = picture._view
        if k % 20 == 0:
            picture.show_everything()
        elif chance.random() < 0.5:
            picture.look(axis.panned(axis.span * chance.choice([-0.15, 0.15])))
        else:
            picture.look(axis.zoomed(chance.choice([0.8, 0.5, 1.25]), chance.uniform(axis.low, axis.high)))
        began = time.perf_counter()
        picture.repaint()
        took.append(1e3 * (time.perf_counter() - began))
    print(f"a picture: median {np.median(took):.1f} ms, 95th percentile {np.percentile(took, 95):.1f} ms (wanted 16)")


# Sends keys into a pipe, by a process of its own, and prints when each left.
_SENDER = """
import os, random, sys, time
out, chance, held = os.open(sys.argv[1], os.O_WRONLY), random.Random(4), []
for _ in range(int(sys.argv[2])):
    if held and (chance.random() < 0.5 or len(held) > 30):
        data = bytes([0x80, held.pop(), 0])
    else:
        held.append(chance.choice([note for note in range(30, 100) if note not in held]))
        data = bytes([0x90, held[-1], 90])
    print(time.monotonic(), flush=False)
    os.write(out, data)
    time.sleep(0.01)
"""


def live() -> None:
    """From a message that leaves another process to the breakpoint that it makes, by the input's own thread, with lanes
    painted thirty times a second meanwhile; and what one picture of it takes, song and all."""
    import subprocess

    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    from dynamis.bench.playing.lanes import play
    from dynamis.converter.midi_stream import MidiParser
    from dynamis.converter.playing.live import LiveSong
    from dynamis.converter.playing.streaming import LiveConverter
    from dynamis.devices.midi.inputs import RawInput
    from dynamis.devices.promptness import prompt_threads
    from dynamis.notation.style import Style
    from dynamis.ui.theme.palette import LIGHT
    from dynamis.ui.views.play.lanes import LanesPicture
    from dynamis.ui.views.play.live import KEPT_SECONDS

    app = QApplication.instance() or QApplication([])
    # A trigger at every press and a velocity at every key that sounds: each message of the sender changes something.
    setting, count = ConverterSetting(channel=None), 2000
    song, parser, came, told, own = LiveSong(), MidiParser(), [], [], []
    converter = LiveConverter(setting, lambda name, when, volts: told.append(time.monotonic()))
    since, place = time.monotonic(), Path(tempfile.mkdtemp()) / "midi"
    os.mkfifo(place)

    def feed(when: float, data: bytes) -> None:
        for message in parser.feed(data):
            told.clear()
            began = time.monotonic()
            converter.take(when - since, message.status, *message.data)
            came.append(told[-1] if told else np.nan)
            own.append(1e3 * (time.monotonic() - began))
            song.add(when - since, message)

    prompt = prompt_threads()  # as the window does while it plays live
    prompt.__enter__()
    heard = RawInput(str(place), feed)
    sender = subprocess.Popen(
        [sys.executable, "-c", _SENDER, str(place), str(count)], stdout=subprocess.PIPE, text=True
    )
    picture, frames = LanesPicture(LIGHT, Style()), []
    picture.resize(664, 460)
    picture.show()

    def frame() -> None:  # as the window does it: by its timer, painted from its event loop
        if sender.poll() is not None:
            app.quit()
        began = time.perf_counter()
        now = time.monotonic() - since
        recent = song.recent(now, now - KEPT_SECONDS)
        if recent.presses.any():
            picture.show_played(play(recent, setting, Style()), keep=True)
            picture.follow(now, 8.0)
            frames.append(1e3 * (time.perf_counter() - began))

    timer = QTimer()
    timer.timeout.connect(frame)
    timer.start(33)
    app.exec()
    timer.stop()
    heard.close()
    prompt.__exit__(None, None, None)
    sent = np.array([float(line) for line in sender.stdout])
    took = 1e3 * (np.array(came) - sent[: len(came)])
    took = took[np.isfinite(took)]
    print(
        f"live, {took.size} messages of {count} that change something: median {np.median(took):.2f} ms, 99th "
        f"percentile {np.percentile(took, 99):.2f} ms (wanted 1)"
    )
    print(
        f"of that the converter itself: median {np.median(own):.3f} ms, 99th percentile {np.percentile(own, 99):.2f} ms"
    )
    print(
        f"a frame of it, painting apart: median {np.median(frames):.1f} ms, 95th percentile "
        f"{np.percentile(frames, 95):.1f} ms"
    )


def folder(place: Path) -> None:
    sys.path.insert(0, str(Path(__file__).parents[1]))
    from tests.converter.simple_converter import differences

    files = sorted(one for one in place.rglob("*") if one.suffix.lower() in (".mid", ".midi"))
    played = refused = 0
    for path in files:
        try:
            song = song_of(path.read_bytes(), path.name, None)
        except InputError as error:
            refused += 1
            print(f"refused: {error}")
            continue
        for channel in sorted({int(one) for one in song.channels[song.presses]}):
            found = differences(song, channel)
            played += 1
            if found:
                print(f"{path.name}, channel {channel}: {found}")
    print(f"{len(files)} files, {refused} refused, {played} channels played twice and compared")


if __name__ == "__main__":
    parsing()
    writing()
    painting()
    live()
    if len(sys.argv) > 1:
        folder(Path(sys.argv[1]))
