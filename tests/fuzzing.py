"""Inputs made wrong at random, by seed, for every reader, for benches by bytes and by contents, and for the command line.

An input may be taken or refused with an `InputError`; anything else, and what takes too long, is a failure.
"""

from __future__ import annotations

import contextlib
import io
import json
import random
import sqlite3
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.runs.from_trace import take_trace
from dynamis.converter.midi_stream import MidiParser
from dynamis.converter.playing.rendering import ConverterSetting, render_song
from dynamis.converter.playing.voices import VoiceRules
from dynamis.devices.command_words import MeterWords, SourceWords
from dynamis.devices.midi.ports import open_output
from dynamis.devices.scpi import parse_error, parse_number, parse_setting
from dynamis.devices.sound.inputs import open_sound
from dynamis.devices.sound.wav_stream import parse_wav_header
from dynamis.devices.standins.sound import WAV_HEADER
from dynamis.devices.visa_line import parse_address
from dynamis.errors import InputError
from dynamis.files.bench_json import import_json
from dynamis.files.events_csv import event_rows
from dynamis.files.linearity_csv import read_linearity
from dynamis.files.midi_file import read_song
from dynamis.files.midi_tuning import LENGTH, checksum, read_tuning_dump
from dynamis.files.opening import DamagedFileError
from dynamis.files.readings_csv import guess_layout, read_rows, strict_layout
from dynamis.files.recording import read_recording, recorded_traces
from dynamis.files.salvage import salvage
from dynamis.files.scala import read_keymap, read_scale
from dynamis.files.scope_csv import read_traces
from dynamis.files.store import BenchFile
from dynamis.files.template import filled
from dynamis.files.text import read_text
from dynamis.files.wav_writer import WavChannel, write_wav
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import parse_note_list
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.tuner.tones import steady_tones
from dynamis.waveform.pulse import measure
from dynamis.waveform.words import measured_sentences

MOST_SECONDS, MOST_CHARACTERS = 8.0, 1500
# Texts that have broken readers.
TOKENS = (
    "1e308",
    "-1e308",
    "1e-320",
    "9" * 400,
    "0" * 5000,
    "nan",
    "inf",
    "-0",
    "\x00",
    "\u202e",
    "\n",
    "\r\n",
    ",",
    ";",
    "\t",
    "'",
    '"',
    "=",
    "+",
    "-",
    "@",
    "{{",
    "}}",
    "{{rows}}",
    "{{/rows}}",
    "/",
    "*/",
    "\\",
    "[" * 200,
    "{" * 200,
    "null",
    "true",
    "[]",
    "{}",
    '""',
    "1.",
    ".5",
    "1_0",
    "٣",
    "Ω",
    "µ",
    "é",
    "\ufeff",
    "C4",
    "H9",
    "36:96:0.0000001",
    "voct:",
    "hzv:volts=0",
    "x" * 3000,
    ":",
    "=1",
    "e",
    "E+",
    " ",
    "0x10",
    "1,5",
    "–5",
    "18446744073709551616",
    "-9223372036854775809",
    "2147483648",
)
NUMBERS = (
    0,
    -1,
    1,
    2,
    0.5,
    -0.0,
    1e308,
    -1e308,
    5e-324,
    1e-30,
    1e12,
    -1e6,
    2**31,
    2**53,
    127,
    128,
    1e300,
    3.3,
    1e6,
    100.0,
)
# At the edges of what benches may hold, so that many are let through.
EDGES = (0, 0.5, 1, -1, 2, 3.3, 5, -5, 10, 64, 100, 127, 0.999, 1e-9, 1e-6, 1e-3, 1e3, 1e4, 1e5, 1e6, -1e6, 1e9, 1e12)
OTHERS = (
    "",
    "x" * 300,
    "\n",
    None,
    [],
    {},
    True,
    False,
    "voct:scale=1e-9",
    "hzv:volts=1e300",
    "0",
    [1],
    [[]],
    "a" * 81,
)


def mangled(data: bytes, chance: random.Random) -> bytes:
    """Bytes with a few things done to them."""
    made = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 3, 8))):
        at = chance.randrange(len(made) + 1)
        command = chance.randrange(7)
        if command == 0 and made:
            made[min(at, len(made) - 1)] = chance.randrange(256)
        elif command == 1:
            made[at:at] = chance.choice(TOKENS).encode("utf-8", "surrogatepass")
        elif command == 2:
            del made[at : at + chance.choice((1, 2, 10, 100))]
        elif command == 3:
            part = bytes(made[at : at + chance.choice((1, 5, 40))])
            made[at:at] = part * chance.choice((1, 2, 50))
        elif command == 4:
            lines = bytes(made).split(b"\n")
            chance.shuffle(lines)
            made[:] = b"\n".join(lines)
        elif command == 5:
            digits = [k for k, byte in enumerate(made) if chr(byte).isdigit()]
            if digits:
                k = chance.choice(digits)
                made[k : k + 1] = str(chance.choice(NUMBERS)).encode()
        else:
            made[at:at] = bytes(chance.randrange(256) for _ in range(chance.choice((1, 4, 30))))
    return bytes(made[:200_000])


def changed(value: Any, chance: random.Random, deeds: int, numbers: tuple[float, ...] = NUMBERS) -> Any:
    """A JSON value with some of its leaves replaced, taken out or doubled."""
    places: list[tuple[Any, Any]] = []

    def walk(one: Any) -> None:
        for key, inner in list(one.items()) if isinstance(one, dict) else list(enumerate(one)):
            if numbers is NUMBERS or (isinstance(inner, int | float) and not isinstance(inner, bool)):
                places.append((one, key))
            if isinstance(inner, dict | list):
                walk(inner)

    walk(value)
    for _ in range(deeds if places else 0):
        holder, key = chance.choice(places)
        with contextlib.suppress(KeyError, IndexError):  # the place went with another one
            old = holder[key]
            if isinstance(old, bool | str) or old is None or isinstance(old, list | dict):
                new = chance.choice((*OTHERS, *NUMBERS)) if chance.random() < 0.5 else old
                if isinstance(old, list) and old and chance.random() < 0.5:
                    new = [*old, chance.choice(old)]
            else:
                new = chance.choice(numbers)
            holder[key] = new
    return value


@dataclass(frozen=True)
class Target:
    """One thing that is fed.  samples : sound inputs.  feed : takes one, with a folder of its own."""

    name: str
    samples: tuple[bytes, ...]
    feed: Callable[[bytes, Path], object]


def _file(read: Callable[[Path], object], name: str) -> Callable[[bytes, Path], object]:
    def feed(data: bytes, folder: Path) -> object:
        path = folder / name
        path.write_bytes(data)
        return read(path)

    return feed


def _text(read: Callable[[str], object]) -> Callable[[bytes, Path], object]:
    return lambda data, folder: read(data.decode("utf-8", "replace"))


def _csv(path: Path) -> None:
    text = read_text(path)
    for layout in (strict_layout, lambda one, quantity, where: guess_layout(one)):
        with contextlib.suppress(InputError):
            read_rows(text, layout(text, None, str(path)), str(path))


def _import(path: Path) -> None:
    target = path.with_suffix(".dynamis")
    target.unlink(missing_ok=True)
    with import_json(path, target) as made:
        looked_at(made)
    asked_of(path)


def _open(path: Path) -> None:
    """A bench file, opened, looked at, changed, undone; salvaged where it is damaged."""
    for old in path.parent.glob("*"):
        if old != path:
            old.unlink()
    try:
        with BenchFile.open(path) as opened:
            looked_at(opened)
        asked_of(path)
    except DamagedFileError:
        target = path.with_name("salvaged.dynamis")
        with salvage(path).into(target) as made:
            looked_at(made)


def looked_at(opened: BenchFile) -> None:
    from dynamis.bench.runs.analysis import analyse
    from dynamis.files.contents import everything
    from dynamis.files.reports.making import whole_report, written_as
    from dynamis.notation.style import Style

    for run in opened.runs():
        analyse(run, opened.readings(run.id))
    written_as(whole_report(everything(opened), Style()), Path("r.html")).decode()
    opened.record("x", msgspec.structs.replace(opened.bench(), notes="changed"))
    opened.undo()


def asked_of(path: Path) -> None:
    """What a shell asks of a bench; each ends in order."""
    channel = ["--gear", "Workshop board", "--unit", "03", "--channel", "pitch A"]
    for words in (
        ["check", str(path), "--json"],
        *(
            ["export", str(path), "--what", what, *channel, "-o", str(path.with_name("out"))]
            for what in ("c-header", "codes-csv", "readings-csv")
        ),
    ):
        told = run_command(words)
        if told:
            raise AssertionError(f"{words[0]} {words[3] if len(words) > 3 else ''}: {told}")


DUMP = bytes.fromhex("F07E7F080100") + b"Sixteen letters!" + bytes(3 * 128)
_TEMPLATE = "{{gear}} {{unit}}\n{{rows}}{{note}},{{code}};\n{{/rows}}end\n"


def _recordings() -> tuple[bytes, ...]:
    """A tone of half a second as WAV of several kinds."""
    import soundfile

    made = 0.4 * np.sin(2.0 * np.pi * 220.0 * np.arange(4000) / 8000.0)
    kinds = []
    for values, subtype in ((made, "PCM_16"), (np.stack([made, 0.1 * made], 1), "FLOAT"), (made, "PCM_24")):
        held = io.BytesIO()
        soundfile.write(held, values, 8000, format="WAV", subtype=subtype)
        kinds.append(held.getvalue())
    return tuple(kinds)


def _trace(separator: str, head: str) -> bytes:
    """Forty samples of a pulse as an oscilloscope writes them."""
    rows = [f"{1e-3 * k:.3f}{separator}{5.0 * (k % 20 < 10):.2f}" for k in range(40)]
    text = "\n".join(rows)
    return f"{head}\n{text.replace('.', ',') if separator == ';' else text}\n".encode()


# Two tracks with a tempo, running status, the wheel and its range, a pedal; and one timed by frames.
SONGS = (
    bytes.fromhex(
        "4d546864000000060001000201e04d54726b0000000b00ff510307a12000ff2f004d54726b0000002d00b0650000640000060c00903c403040"
        "5000e000600040b0407f48803c4000904350304300483000b0400000b0780000ff2f00"
    ),
    bytes.fromhex("4d54686400000006000000 01e7284d54726b0000000d00903c408360803c4000ff2f00".replace(" ", "")),
)


def _played(path: Path) -> object:
    song = read_song(path)
    rendered = render_song(song, ConverterSetting(channel=None, bend_into_pitch=True, gap_seconds=0.01))
    _ = [render_song(song, ConverterSetting(channel=None, rules=VoiceRules(4, "high", "reuse"), clocks=()))]
    rows = sum(len(block) for block in event_rows(rendered.signals))
    if rendered.seconds < 10.0:
        wav = path.with_suffix(".wav")
        wav.unlink(missing_ok=True)
        write_wav(wav, [WavChannel(one.name, one.steps, 10.0) for one in rendered.signals], rendered.seconds, 8000)
    return rows


def _heard(path: Path) -> object:
    sound = read_recording(path)
    with contextlib.suppress(InputError):
        _ = [
            measured_sentences(measure(one), Style())
            for one in recorded_traces(path, 10.0)
            if one.seconds.size < 20_000
        ]
    return steady_tones(sound.samples[:16000], sound.rate)


def _seen(path: Path) -> object:
    """Every channel measured, in words, and taken into a port."""
    port = Port("p", "out", "output", role="clock")
    bench, said = Bench("b", (Gear("g", "Gear", (port,)),)), []
    for trace in read_traces(path):
        found = measure(trace)
        said.append(measured_sentences(found, Style(), trace.lost))
        with contextlib.suppress(InputError):
            take_trace(bench, PortRef("g", "p"), found)
    return said


def _sound(data: bytes, folder: Path) -> object:
    """A WAV that never ends: its header, and whole frames of what follows."""
    found = parse_wav_header(data)
    if found is None:
        return None
    form, at = found
    whole = (len(data) - at) // form.frame_bytes * form.frame_bytes
    return form.samples(data[at : at + whole], 0)


def _spoken(text: str) -> object:
    """Words for an instrument, each in the place of another."""
    said = []
    for words in (MeterWords(), SourceWords()):
        for name in ("read", "volts", "error"):
            with contextlib.suppress(InputError):
                said.append(words.with_words(**{name: text}))
    return said


def _ports(text: str) -> object:
    """Addresses of what plays and of what is heard."""
    for opened in (open_output, open_sound):
        if not text.strip().startswith(("alsa:", "jack:", "audio:", "/")) and ":" not in text:
            with contextlib.suppress(InputError):
                opened(text)
    return text


def targets() -> dict[str, Target]:
    """Every reader by its name."""
    dump = DUMP + bytes([checksum(DUMP[1:])]) + b"\xf7"
    assert len(dump) == LENGTH
    csvs = (
        b"note,volts,u_volts,code,seconds\n36,0.2,0.001,100,1\nC4,2.21,,900,2\n60,2.2,,901,3\n",
        b"note;hertz\n36;65,4\n48;130,8\n",
        b"note\tcents\n36\t-3\n48\t2,5\n",
    )
    rows = [{"note": str(k), "code": str(10 * k)} for k in range(61)]
    made = [
        Target("readings csv", csvs, _file(_csv, "f.csv")),
        Target(
            "linearity",
            (b"code,volts\n0,0\n128,2\n255,4\n", b"code,inl_lsb\n0,0\n9,1\n255,0\n"),
            _file(lambda path: read_linearity(path, 8), "f.csv"),
        ),
        Target("scale", (b"! x\nname\n 3\n!\n 100.0\n 3/2\n 2/1\n",), _file(read_scale, "f.scl")),
        Target("keymap", (b"! x\n12\n0\n127\n60\n69\n440.0\n12\n0\n1\nx\n3\n",), _file(read_keymap, "f.kbm")),
        Target("tuning dump", (dump,), _file(read_tuning_dump, "f.syx")),
        Target("song", SONGS, _file(_played, "f.mid")),
        Target("recording", _recordings(), _file(_heard, "f.wav")),
        Target("trace", (_trace(",", "Time (s),CH1 (mV)"), _trace(";", "t;A")), _file(_seen, "f.csv")),
        Target("template", (_TEMPLATE.encode(),), _text(lambda text: filled(text, {"gear": "g", "unit": "u"}, rows))),
        Target("law", (b"voct:scale=1,note=36,volts=0.2", b"hzv:note=45,volts=1,offset=0"), _text(parse_law)),
        Target("notes", (b"36,48,C4", b"36:96:12,C2:C7"), _text(parse_note_list)),
        Target("tolerance", (b"5", b"36:47=10,48:84=5"), _text(parse_tolerance)),
        Target(
            "quantity", (b"4.7 kOhm", b"1.2 mV", b"-12", b"3k3"), _text(lambda text: parse_quantity(text, "V", "It"))
        ),
        Target("meter number", (b"+1.23456E+00", b"9.9E37"), _text(parse_number)),
        Target("meter error", (b'-113,"Undefined header"', b'+0,"No error"'), _text(parse_error)),
        Target("meter setting", (b'"VOLT:DC 1.0E+01,1E-5"',), _text(parse_setting)),
        Target(
            "midi bytes",
            (bytes.fromhex("903c40f83e40f07e7f0901f7f24321803c40"),),
            lambda data, _: list(MidiParser().feed(data)),
        ),
        Target(
            "sound stream",
            (WAV_HEADER + bytes(400), WAV_HEADER.replace(bytes([3, 0, 1, 0]), bytes([1, 0, 2, 0]))),
            _sound,
        ),
        Target("command words", (b"CONF:VOLT:DC {range}", b"READ?", b"SOUR:VOLT {volts}"), _text(_spoken)),
        Target("port address", (b"alsa:A:B", b"127.0.0.1", b"somewhere"), _text(_ports)),
        Target("meter address", (b"192.168.1.20:5025", b"TCPIP::m::INSTR", b"/dev/ttyUSB0"), _text(parse_address)),
    ]
    return {one.name: one for one in made}


def bench_targets(samples: Path) -> dict[str, Target]:
    """Benches and exports by their bytes; `samples` : a folder with sound ones."""
    benches = tuple(one.read_bytes() for one in sorted(samples.glob("*.dynamis")))
    exports = tuple(one.read_bytes() for one in sorted(samples.glob("*.json")))
    return {
        "bench bytes": Target("bench bytes", benches, _file(_open, "b.dynamis")),
        "export bytes": Target("export bytes", exports, _file(_import, "b.json")),
    }


def contents(sample: bytes, chance: random.Random) -> bytes:
    """An export with its contents changed; it is JSON still."""
    return json.dumps(changed(json.loads(sample), chance, chance.choice((1, 1, 2, 4)))).encode()


def rows_changed(sample: bytes, chance: random.Random, path: Path) -> bytes:
    """A bench file with the contents of some of its rows changed, by SQL."""
    path.write_bytes(sample)
    with contextlib.closing(sqlite3.connect(path, isolation_level=None)) as made:
        made.execute("DROP TRIGGER IF EXISTS reading_never_edited")
        places = [
            ("revision", "bench"),
            ("run", "settings"),
            ("adoption", "content"),
            ("reading", "value"),
            ("reading", "note"),
            ("reading", "taken"),
            ("state", "value"),
            ("run", "id"),
            ("reading", "run"),
            ("reading", "code"),
        ]
        for _ in range(chance.choice((1, 1, 2))):
            table, column = chance.choice(places)
            with contextlib.suppress(sqlite3.Error, UnicodeDecodeError):
                keys = made.execute(
                    f"SELECT {'key' if table == 'state' else 'rowid'}, {column} FROM {table}"
                ).fetchall()
                if not keys:
                    continue
                key, old = chance.choice(keys)
                new: Any = chance.choice((*NUMBERS[:11], "x", None, b"\xff\xfe", "", '{"a": 1}'))
                if isinstance(old, str) and old.startswith("{") and chance.random() < 0.8:
                    new = json.dumps(changed(json.loads(old), chance, chance.choice((1, 2))))
                where = "key" if table == "state" else "rowid"
                made.execute(
                    f"UPDATE {table} SET {column} = {'CAST(? AS TEXT)' if isinstance(new, bytes) else '?'} "
                    f"WHERE {where} = ?",
                    (new, key),
                )
        with contextlib.suppress(sqlite3.Error):
            made.execute(
                "CREATE TRIGGER reading_never_edited BEFORE UPDATE ON reading\n"
                "BEGIN SELECT RAISE(ABORT, 'readings are never edited'); END"
            )
    return path.read_bytes()


def mutated_bench(bench: Bench, chance: random.Random) -> Bench | None:
    """A bench with its contents changed that `check_bench` passes; None where it refuses."""
    for _ in range(12):
        raw = changed(msgspec.json.decode(msgspec.json.encode(bench)), chance, chance.choice((1, 2, 4, 8)), EDGES)
        try:
            made = msgspec.convert(raw, Bench)
            check_bench(made)
        except (msgspec.MsgspecError, InputError):
            continue
        if made != bench:
            return made
    return None


COMMANDS = (
    "convert --from voct:scale=1 --to hzv --notes 36:96:12 --json",
    "convert --from voct --to voct --volts 1,2 --a4 442",
    "dac --bits 12 --low-volts 0 --high-volts 5 --law voct --notes 36:60 --json",
    "match --source low_volts=0,high_volts=5,ohms=1000 --sink off_volts=0.8,on_volts=2,ohms=1e5 --fan-out 2 --json",
    "match --source kind=switch,ohms=50 --sink kind=shorting,pullup_volts=5,on_volts=0.8,off_volts=2 --supply-volts 0:5",
    "circuit --gain 0.37 --offset-volts 1.676 --in-volts 0:5 --source-ohms 1000 --series E24 --json",
    "fit {csv} --law voct --tolerance-cents 5 --meter 0.05,3,0.001 --json",
    "fit {csv} --law hzv --method minimax",
    "render {song} -o {out} --events {out}.csv --law voct --gate-volts 0:5 --clock-ppq 1,4 --sample-rate 8000 --json",
    "check {bench} --json",
    "export {bench} --what json -o {out}",
    "export {bench} --what codes-csv -o {out}",
)


def arguments(chance: random.Random, files: dict[str, str]) -> list[str]:
    """A command with some of its words changed."""
    words = chance.choice(COMMANDS).format(**files).split()
    for _ in range(chance.choice((1, 1, 2, 3))):
        at = chance.randrange(len(words))
        command = chance.randrange(5)
        if command == 0:
            words[at] = chance.choice(TOKENS).replace("\x00", "")
        elif command == 1:
            words[at] = str(chance.choice(NUMBERS))
        elif command == 2 and len(words) > 2:
            del words[at]
        elif command == 3:
            words.insert(at, words[at])
        else:
            words[at] = mangled(words[at].encode(), chance).decode("utf-8", "replace").replace("\x00", "")
    return [one[:5000] for one in words]


def run_command(words: list[str]) -> str:
    """What is wrong with how a command ended; empty where it ended well.  Files that it writes wherever it stands are
    thrown away."""
    from dynamis.app import main

    out, err = io.StringIO(), io.StringIO()
    said = contextlib.redirect_stdout(out), contextlib.redirect_stderr(err)
    with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder), said[0], said[1]:
        status = main(words)
    told = err.getvalue()
    if status not in (0, 1, 2):
        return f"status {status}"
    if status == 2 and (told.count("\n") != 1 or len(told) > 401):
        return f"{told.count(chr(10))} lines and {len(told)} characters on standard error"
    return ""


def fed(target: Target, data: bytes, folder: Path) -> str:
    """What went wrong when a target was fed; empty where nothing did."""
    begun = time.monotonic()
    try:
        with np.errstate(all="ignore"):
            target.feed(data, folder)
    except InputError as error:
        if "\n" in str(error) or len(str(error)) > MOST_CHARACTERS:
            return "a sentence of several lines or without end"
    except Exception:  # noqa: BLE001  (counted, and told)
        return failure()
    took = time.monotonic() - begun
    return f"took {took:.0f} s" if took > MOST_SECONDS else ""


def failure() -> str:
    told = traceback.format_exc().splitlines()
    ours = [line.strip() for line in told if "src/dynamis" in line]
    return " | ".join([*ours[-2:], told[-1][:200]])


def inputs(target: Target, count: int, first: int) -> Iterator[tuple[int, bytes]]:
    """Mangled samples, each with its seed."""
    for seed in range(first, first + count):
        chance = random.Random(f"{target.name} {seed}")
        yield seed, mangled(chance.choice(target.samples), chance)
