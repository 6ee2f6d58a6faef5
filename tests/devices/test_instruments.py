"""What plays and what reads, every pair of them at the stand-ins' ports, and the trouble that each can make."""

from __future__ import annotations

import contextlib
import os
import re
import resource
import shutil
import socket
import struct
import subprocess
import sys
import threading
import time
from pathlib import Path
from types import SimpleNamespace
from typing import ClassVar

import msgspec
import numpy as np
import pytest
from tests.devices.test_taking import FAST, RUN

from dynamis.bench.runs.analysis import analyse
from dynamis.demo.standins import LanternStandins
from dynamis.devices.by_hand import Hand, HandMeter, HandPlayer, Question
from dynamis.devices.command_words import MeterWords, SourceWords
from dynamis.devices.dialogue import Dialogue
from dynamis.devices.interface import DeviceError
from dynamis.devices.midi import alsa
from dynamis.devices.midi.inputs import inputs, open_input
from dynamis.devices.midi.ports import open_output, outputs
from dynamis.devices.players import BoardPlayer, MidiPlayer, SourcePlayer
from dynamis.devices.scpi_meter import ScpiMeter
from dynamis.devices.scpi_source import ScpiSource
from dynamis.devices.serial_board import SerialBoard
from dynamis.devices.sound.inputs import open_sound
from dynamis.devices.sound.meter import SoundMeter
from dynamis.devices.sound.stream import Inflow, rate_of_arrivals
from dynamis.devices.sound.wav_stream import WavForm, parse_wav_header
from dynamis.devices.standins.counter_model import WORDS
from dynamis.devices.standins.sound import RATE, WAV_HEADER
from dynamis.devices.taking import Control, Progress, job_of, take_readings, volts_of
from dynamis.errors import InputError
from timing import at_last, until

pytestmark = pytest.mark.xdist_group("real time")
PLAN = (48.0, 72.0, 60.0)
VOLTS = msgspec.structs.replace(RUN, plan=PLAN)
HERTZ = msgspec.structs.replace(VOLTS, quantity="hertz", where="oscillator", meter=None)


def volts(note: float) -> float:
    return float(volts_of(RUN, [note])[0])


class Bench:
    """The stand-ins as they are reached, and a hand that does what it is asked."""

    def __init__(self, lantern: LanternStandins) -> None:
        self.lantern, self.control = lantern, Control()
        self.note, self.asked, self.paused = 0.0, [], []
        self.hand = Hand(self.control, self._asked)
        self.opened = []

    def open(self, made):
        self.opened.append(made)
        return made

    def player(self, kind: str):
        places = self.lantern.addresses()
        self.lantern.do("voice hears", "source" if kind == "source" else "A")
        if kind == "board":
            return BoardPlayer(self.open(at_last(lambda: SerialBoard(places["board"]))), "A", "03")
        if kind == "source":
            self.lantern.do("probe", "source")
            return SourcePlayer(self.open(ScpiSource(places["source"], seconds=1.0)), volts, (-0.5, 8.0))
        if kind == "midi":
            return self.open(MidiPlayer(lambda: open_output(places["midi"]), 1))
        return HandPlayer(self.hand)

    def meter(self, kind: str):
        places = self.lantern.addresses()
        if kind == "meter":
            return self.open(at_last(lambda: ScpiMeter(places["meter"], seconds=1.0)))
        if kind == "counter":
            return self.open(ScpiMeter(places["counter"], MeterWords().with_words(**WORDS), seconds=1.0))
        if kind == "sound":
            return self.open(SoundMeter(lambda: open_sound(places["sound"]), clock_ppm=12.0))
        return HandMeter(self.hand, lambda: self.note)

    def _asked(self, question: Question | None) -> None:
        if question is None:
            return
        self.asked.append(question)

        def do() -> None:
            time.sleep(0.02)
            if question.wants == "play":
                self.lantern.board.logic.play_note("A", question.note)
                self.hand.answer()
            else:
                self.hand.answer(volts(question.note) + 0.001)

        threading.Thread(target=do, daemon=True).start()

    def take(self, run, player, meter, at_two=lambda: None, put_right=lambda: None):
        taken = []

        def tell(progress: Progress) -> None:
            self.note = progress.note if progress.note is not None else self.note
            if progress.state == "stored" and progress.done == 2:
                at_two()
            if progress.state == "paused":
                self.paused.append(progress.sentence)
                put_right()
                threading.Timer(0.15, self.control.go_on).start()

        job = job_of(analyse(run, []), settling=FAST)
        try:
            take_readings(job, player, meter, control=self.control, store=taken.append, tell=tell)
        finally:
            for one in self.opened:
                one.close()
        assert [one.note for one in taken] == [*run.plan, run.plan[0]]
        return taken


@pytest.mark.parametrize("plays", ["board", "source", "midi", "hand"])
@pytest.mark.parametrize("reads", ["meter", "counter", "sound", "hand"])
def test_every_pair_of_what_plays_and_what_reads_takes_a_run(lantern, plays, reads):
    bench, run = Bench(lantern), HERTZ if reads in ("counter", "sound") else VOLTS
    for row in bench.take(run, bench.player(plays), bench.meter(reads)):
        if run is HERTZ:
            # The voice's own errors: 0.4 of 0.1 % of scale, 0.3 of 2 mV of offset, the unit's 0.4 %; 12 ct in all.
            wanted = 440.0 * 2.0 ** ((row.note - 69.0) / 12.0)
            assert abs(1200.0 * np.log2(row.shown.value / wanted)) < (4.0 if plays == "source" else 25.0)
        else:
            assert row.shown.value == pytest.approx(volts(row.note), abs=0.02)
        assert (row.code is None) == (plays != "board")
        assert (row.shown.deviation > 0) == (reads == "sound")
    assert bench.paused == []
    wants = {"play"} if plays == "hand" else set()
    assert {one.wants for one in bench.asked} == wants | ({"volts"} if reads == "hand" else set())


TROUBLE = [
    ("source", "counter", ("source lead pulled", True), ("source lead pulled", False), "source .* is gone|Nothing listens"),
    ("midi", "counter", ("midi lead pulled", True), ("midi lead pulled", False), "is gone|is not there"),
    ("midi", "sound", ("sound lead pulled", True), ("sound lead pulled", False), "has ended|is gone|Nothing sends"),
    ("midi", "sound", ("sound silent", True), ("sound silent", False), "Nothing is heard: −?-?[0-9]+ dB"),
    ("midi", "sound", ("sound level", 2.0), ("sound level", 0.25), "The input clips: [0-9.]+ %"),
    ("midi", "sound", ("sound rate", 44100.0), ("sound rate", 48000.0), "every pitch would be read [0-9]+ ct sharp"),
]  # fmt: skip


@pytest.mark.parametrize(("plays", "reads", "wrong", "right", "words"), TROUBLE, ids=lambda one: str(one)[:24])
def test_trouble_pauses_says_so_loses_nothing_and_goes_on(lantern, plays, reads, wrong, right, words):
    bench = Bench(lantern)
    do = lambda hand: lambda: lantern.do(*hand)  # noqa: E731
    # What rate samples come at cannot be told while a machine is held up: so many notes that it can for some of them.
    rate = wrong[0] == "sound rate"
    run = msgspec.structs.replace(HERTZ, plan=tuple(float(note) for note in range(48, 56))) if rate else HERTZ
    taken = bench.take(run, bench.player(plays), bench.meter(reads), do(wrong), do(right))
    assert any(re.search(words, one) for one in bench.paused), bench.paused
    for row in [*taken[:2], taken[-1]] if rate else taken:
        wanted = 440.0 * 2.0 ** ((row.note - 69.0) / 12.0)
        assert abs(1200.0 * np.log2(row.shown.value / wanted)) < 25.0


def test_a_pause_while_somebody_is_asked_waits_and_asks_again(lantern):
    bench = Bench(lantern)
    bench.hand = Hand(
        bench.control,
        lambda question: bench.control.pause() if question and not bench.paused else bench._asked(question),
    )
    taken = bench.take(VOLTS, HandPlayer(bench.hand), bench.meter("meter"))
    assert len(taken) == 4
    assert bench.paused == [""]


# -- a source, and the words ----------------------------------------------------------------------------


def test_a_source_gives_what_was_set_and_nothing_that_an_input_does_not_bear(lantern):
    said = Dialogue()
    source = ScpiSource(lantern.source.address, dialogue=said, seconds=1.0)
    assert lantern.world.source_volts is None
    player = SourcePlayer(source, volts, (0.0, 3.0))
    player.play(60.0)
    # Its data sheet: 0.02 % + 0.3 mV.
    assert lantern.world.source_volts == pytest.approx(volts(60.0), abs=0.0002 * 2.2 + 3e-4)
    with pytest.raises(DeviceError, match=r"Note 96 asks for 5\.2 V where the input bears 3 V"):
        player.play(96.0)
    with pytest.raises(DeviceError, match="source reports error -222"):
        source.set_volts(13.0)
    player.make_safe()
    until(lambda: lantern.world.source_volts is None)
    lines = [line[9:] for line in said.words()]
    assert lines[:4] == ["> *IDN?", "< Simulated,Voltage source,0,1.0", "> SOUR:VOLT 2.200000", "> OUTP ON"]
    source.close()
    words = SourceWords().with_words(setting="*OPC?")
    lying = at_last(lambda: ScpiSource(lantern.source.address, words, seconds=1.0))
    with pytest.raises(DeviceError, match=r"stands at 1 V where 2\.5 V were set"):
        lying.set_volts(2.5)
    lying.close()


@pytest.mark.parametrize(
    ("words", "name", "said", "told"),
    [
        (MeterWords(), "read", "READ", r"\? has to stand"),
        (MeterWords(), "volts", "CONF\n", "printable ASCII"),
        (SourceWords(), "volts", "VOLT", r"\{volts\} has to stand"),
        (SourceWords(), "on", "x" * 200, "at most 120"),
        (SourceWords(), "wave", "SIN", "no words for 'wave'"),
    ],
)
def test_words_that_cannot_be_said_are_refused(words, name, said, told):
    with pytest.raises(InputError, match=told):
        words.with_words(**{name: said})
    assert words.with_words().differences(words) == {}


# -- MIDI ports -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("refuses", "cpu_limit", "prompt"),
    [(False, resource.RLIM_INFINITY, True), (True, resource.RLIM_INFINITY, False), (False, 200_000, False)],
)
def test_what_listens_comes_promptly_where_it_may(refuses, cpu_limit, prompt, monkeypatch, tmp_path):
    """sched(7): who may not gets EPERM; a limit of time ends a process whose thread does not wait: it is not risked."""
    asked, came = [], []

    def schedule(who, policy, parameter):
        if refuses:
            raise PermissionError
        asked.append((who, policy & 7, threading.current_thread().name))

    monkeypatch.setattr(os, "sched_setscheduler", schedule)
    monkeypatch.setattr(resource, "getrlimit", lambda which: (cpu_limit, cpu_limit))
    pipe = tmp_path / "midi"
    os.mkfifo(pipe)
    writes = os.open(pipe, os.O_RDWR)
    heard = open_input(str(pipe), lambda when, data: came.append(data))
    os.write(writes, b"\x90<d")
    until(lambda: came == [b"\x90<d"])
    heard.close()
    os.close(writes)
    assert asked == ([(0, os.SCHED_RR, "midi in")] if prompt else [])


def test_a_raw_port_takes_whole_notes_and_lets_all_go_at_the_end(lantern):
    heard = []
    receive = lantern.midi.converter.receive
    lantern.midi.converter.receive = lambda data: (heard.append(data), receive(data))
    player = MidiPlayer(lambda: open_output(lantern.midi.path), 1)
    player.recover()
    player.play(60.0)
    player.play(64.0)
    with pytest.raises(DeviceError, match=r"MIDI has no note 60\.5"):
        player.play(60.5)
    until(
        lambda: (
            lantern.world.code("A") == lantern.board.logic.held["A"].codes(64 * 1024, 12) or len(b"".join(heard)) >= 9
        )
    )
    player.close()
    # MIDI 1.0, Table I and III, by hand: the new note before the old one is let go; 120, 121 and 123 at the end.
    until(lambda: b"".join(heard).endswith(bytes.fromhex("b07800 b07900 b07b00")))
    assert b"".join(heard).startswith(bytes.fromhex("903c64 904064 803c40"))


@pytest.mark.parametrize(
    ("address", "word"),
    [("", "alsa:CLIENT:PORT"), ("/dev/midi-none", "not there"), ("/etc/hostname", "is no device"), ("port 1", "was expected"),
     ("jack:nobody:in", "No JACK server")],
)  # fmt: skip
def test_ports_that_are_not_there_are_named(address, word, monkeypatch):
    monkeypatch.setenv("JACK_DEFAULT_SERVER", "none-of-that-name")
    with pytest.raises(DeviceError, match=word):
        open_output(address)
    assert all("midi" in one.lower() for one in outputs()[0])


class FakeSequencer:
    """As much of the ALSA sequencer's library as is used; machines without sound have none."""

    ports = (
        SimpleNamespace(client_name="Interface", name="Out 1"),
        SimpleNamespace(client_name="Interface", name="Out 1"),
    )
    sent: ClassVar[list[bytes]] = []

    def __init__(self, name):
        self.events = []

    def list_ports(self, output=False, input=False):
        return list(self.ports)

    def create_port(self, name, caps):
        return SimpleNamespace(connect_to=lambda target: None, connect_from=lambda source: None)

    coming: ClassVar[list[object]] = []

    def event_input_pending(self, fetch):
        return len(self.coming)

    def event_input(self, prefer_bytes):
        return self.coming.pop(0)

    def event_output(self, event, port):
        self.events.append(event)

    def drain_output(self):
        self.sent.extend(self.events)
        self.events.clear()

    def close(self):
        pass


def test_the_alsa_sequencer_is_spoken_to_and_a_port_that_goes_is_noticed(monkeypatch, tmp_path):
    """Against a stand-in for its library: this machine has no sequencer."""
    import alsa_midi

    assert "no ALSA sequencer" in " ".join(outputs()[1]) or alsa.SEQUENCER.exists()
    monkeypatch.setattr(alsa, "SEQUENCER", tmp_path)
    monkeypatch.setattr(alsa_midi, "SequencerClient", FakeSequencer)
    monkeypatch.setattr(alsa_midi, "MidiBytesEvent", bytes)
    assert outputs()[0][:2] == ["alsa:Interface:Out 1", "alsa:Interface:Out 1 #2"]
    player = MidiPlayer(lambda: open_output("alsa:Interface:Out 1 #2"), 3)
    player.recover()
    player.play(60.0)
    assert FakeSequencer.sent == [bytes.fromhex("923c64")]
    came: list[bytes] = []
    heard = open_input("alsa:Interface:Out 1 #2", lambda when, data: came.append(data))
    assert heard.identity in inputs()
    FakeSequencer.coming += [
        SimpleNamespace(midi_bytes=b"\x90<d"),
        SimpleNamespace(),
        SimpleNamespace(midi_bytes=b"\xf8"),
    ]
    until(lambda: came == [b"\x90<d", b"\xf8"])
    monkeypatch.setattr(alsa, "_LOOK_SECONDS", 0.0)
    monkeypatch.setattr(FakeSequencer, "ports", FakeSequencer.ports[:1])
    with pytest.raises(DeviceError, match="no MIDI port Interface:Out 1 #2"):
        player.play(62.0)
    with pytest.raises(DeviceError, match="no MIDI port Interface:Out 1 #2"):
        player.recover()
    until(lambda: "Out 1 #2 is gone" in heard.trouble)
    heard.close()
    with pytest.raises(DeviceError, match="no MIDI port Interface:Out 1 #2"):
        open_input("alsa:Interface:Out 1 #2", lambda when, data: None)


# -- sound ----------------------------------------------------------------------------------------------


def poured(sox: subprocess.Popen[bytes], pipe: Path, bytes_a_second: float, stop: threading.Event) -> None:
    """What sox makes goes into the pipe as fast as a device would give it: sox alone makes a minute in half a second."""
    with open(pipe, "wb", buffering=0) as out, contextlib.suppress(BrokenPipeError):
        began, given = time.monotonic(), 0
        while not stop.wait(0.01):
            due = int((time.monotonic() - began) * bytes_a_second) - given
            given += due
            out.write(sox.stdout.read(due))


def test_a_wav_that_never_ends_is_read_from_a_pipe_that_sox_writes(tmp_path):
    """sox makes the tone, as PCM of 24 bits in two channels; its frequency is known."""
    pipe, stop = tmp_path / "sound", threading.Event()
    os.mkfifo(pipe)
    made = [
        "sox",
        "-n",
        "-r",
        "44100",
        "-b",
        "24",
        "-t",
        "wav",
        "-",
        "synth",
        "sine",
        "330",
        "sine",
        "440",
        "gain",
        "-6",
    ]
    with subprocess.Popen(made, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as sox:
        device = threading.Thread(target=poured, args=(sox, pipe, 44100.0 * 6, stop), daemon=True)
        device.start()
        try:
            with contextlib.closing(SoundMeter(lambda: open_sound(str(pipe), 1))) as meter:
                meter.prepare("hertz", None)
                time.sleep(0.2)  # whoever asks late hears what sounds then
                assert meter.read().value == pytest.approx(440.0, rel=1e-6)
                assert "44100 samples a second" in meter.identity
                with pytest.raises(DeviceError, match="Sound is read in hertz"):
                    meter.prepare("volts", 10.0)
        finally:
            stop.set()
            device.join(5.0)
            sox.kill()
    with pytest.raises(DeviceError, match="is no pipe"):
        open_sound("/etc/hostname")
    with pytest.raises(DeviceError, match="host:port"):
        open_sound("somewhere")
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    with pytest.raises(DeviceError, match="Nothing sends sound"):
        open_sound(f"127.0.0.1:{port}")


@pytest.mark.parametrize(("held_up", "told"), [(0.0, True), (0.15, True), (0.5, False)])
def test_a_computer_that_is_held_up_is_no_wrong_rate(held_up, told):
    """Blocks of 20 ms at 44 100 a second that are said to be 48 000; held up for long, nothing can be told of the rate."""
    now = [0.0]
    flow = Inflow("input", 48000.0, clock=lambda: now[0])
    assert np.isnan(flow.arrived_rate()[0])
    for k in range(100):
        now[0] = max(0.02 * k, (1.2 + held_up) * (k >= 60) * (held_up > 0.0))
        flow.put(np.zeros(882))
    rate, deviation = flow.arrived_rate()
    assert (rate == pytest.approx(44100.0, rel=1e-3)) == told
    assert np.isnan(deviation) != told
    # The same once more: what waited comes at once, and the stall itself is so long ago that nothing shows it.
    chance = np.random.default_rng(1)
    for waited in (0.0, 0.3, 1.2):
        came = np.maximum(np.arange(130) * 0.02 + chance.exponential(0.002, 130), waited)
        rate, deviation = rate_of_arrivals(np.maximum.accumulate(came), 882.0 * np.arange(130))
        assert abs(rate - 44100.0) < 4.0 * deviation < (0.05, 0.05, np.inf)[(waited > 0.0) + (waited > 1.0)] * rate


def test_headers_of_wavs_are_read_and_refused():
    form, at = parse_wav_header(WAV_HEADER + b"xxxx")
    assert (form, at) == (WavForm(RATE, 1, 32, 3), len(WAV_HEADER))
    assert all(parse_wav_header(WAV_HEADER[:k]) is None for k in range(len(WAV_HEADER)))
    pcm = WavForm(48000, 2, 24, 1)
    data = struct.pack("<i", -(2**22))[:3] + struct.pack("<i", 2**22)[:3]
    assert [float(pcm.samples(data, k)[0]) for k in (0, 1)] == [-0.5, 0.5]
    bad = [b"RIFFxxxxAVI ", b"garbage here", b"RIFF\0\0\0\0WAVEdata\0\0\0\0", WAV_HEADER[:16] + b"\4\0\0\0abcd",
           WAV_HEADER.replace(struct.pack("<H", 32), struct.pack("<H", 12)), b"RIFF\0\0\0\0WAVEjunk\xff\xff\xff\x7f"]  # fmt: skip
    for one in bad:
        with pytest.raises(DeviceError) as told:
            parse_wav_header(one)
        assert told.value.trouble == "garbage"


def test_many_look_for_ports_at_once_and_the_process_lives():
    """JACK's library opened by several threads at once ends a process; without the library there is nothing to end."""
    script = (
        "import threading; from dynamis.devices.midi.inputs import inputs; from dynamis.devices.midi.ports import outputs\n"
        "looks = [threading.Thread(target=one) for one in [inputs, outputs] * 60]\n"
        "[one.start() for one in looks]; [one.join() for one in looks]; print('alive')"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=120)
    assert (done.returncode, done.stdout.strip()) == (0, "alive"), done.stderr[-2000:]


@pytest.mark.skipif(shutil.which("jackd") is None, reason="jackd is not installed")
def test_jack_carries_midi_out_and_sound_in_and_voltages_out():
    """A server and a process of its own for each try: a held-up machine can break one."""
    script = Path(__file__).with_name("jack_carried.py")
    told = []
    for attempt in range(3):
        environment = {**os.environ, "JACK_DEFAULT_SERVER": f"dynamis-test-{attempt}"}
        done = subprocess.run(
            [sys.executable, str(script)], env=environment, capture_output=True, text=True, timeout=150
        )
        if done.returncode == 0 and "carried" in done.stdout:
            return
        told.append(done.stderr[-2000:])
    raise AssertionError("\n".join(told))
