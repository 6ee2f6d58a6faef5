"""The Lantern House: a Workshop board into a Gallery voice, two units, three past runs.

Everything here is invented.  The readings come from the same chain the program judges with, given
hidden true values (reference, offset, linearity, meter) and a seeded generator.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.bench import Bench, Gear, Link, Power, Unit
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import HeadRecord, InstrumentRecord, RunRecord
from dynamis.bench.runs.analysis import adoption_of, analyse, codes_of
from dynamis.converter.transfers import DacTransfer
from dynamis.demo.gear import BOARD_MORE, VOICE_MORE, more_gear, more_links
from dynamis.demo.hidden import BOARD_DAC, BOARD_LAW, hidden_channel
from dynamis.files.store import BenchFile
from dynamis.files.writing import publish
from dynamis.pitch.laws import ExponentialLaw
from dynamis.transfer.law import Oscillator
from dynamis.transfer.parameter import World

PROFILE: Final = "36:41=10,42:90=5,91:96=10"
CHANNEL_A: Final = PortRef("workshop-board", "pitch-a")

# The runs in the order they are written.
_RUNS: Final = ("03-as-found", "03-after-constants", "02-pocket-meter")
BENCH_METER: Final = InstrumentRecord("bench-meter-10v", "Bench meter", "10 V", 0.015, 4, 0.0001, 10.0)
KNOWN_VOLTAGE: Final = InstrumentRecord(
    "known-voltage",
    "Known voltage",
    percent=0.005,
    counts=1,
    resolution_volts=0.0001,
    kind="known-voltage",
    steps=tuple(float(volts) for volts in range(11)),
)
LINE_IN: Final = InstrumentRecord("line-in", "Gallery line in", kind="sound", ppm=50.0, resolution_hertz=0.0001)
POCKET_METER: Final = InstrumentRecord("pocket-meter-20v", "Pocket meter", "20 V", 0.5, 2, 0.01, 20.0)


def board() -> Gear:
    """The Workshop board: two pitch channels of a 12-bit DAC, 0 to 5.53 V, 1.35 mV a code."""
    converter = DacTransfer(
        "dac",
        BOARD_DAC,
        reference_limit=0.005,
        offset_limit_volts=0.003,
        inl_limit_lsb=2.0,
        reference_ppm_per_kelvin=50.0,
    ).stored()
    ports = tuple(
        Port(
            f"pitch-{letter.lower()}",
            f"pitch {letter}",
            "output",
            law=BOARD_LAW,
            ohms=1000.0,
            ohms_limit=0.01,
            transfers=(converter,),
            trimmers="scale",
        )
        for letter in "AB"
    )
    return Gear(
        "workshop-board",
        "Workshop board",
        (*ports, *BOARD_MORE),
        (Unit("02"), Unit("03")),
        "Microcontroller with a 12-bit DAC behind a 4.096 V reference, gain 1.35.",
        power=Power("usb", (5.0,), 0.1),
    )


def voice() -> Gear:
    """The Gallery voice: two pitch inputs of 100 kΩ."""
    oscillator = Oscillator("o", ExponentialLaw(1.0, 36.0, 0.2), scale_limit=0.001).stored()
    ports = tuple(
        Port(f"pitch-{k}", f"pitch {k}", "input", law=BOARD_LAW, ohms=100e3, ohms_limit=0.01, transfers=(oscillator,))
        for k in (1, 2)
    )
    ports += VOICE_MORE
    return Gear("gallery-voice", "Gallery voice", ports, (), "Two 1 V/oct inputs, both joined to one board output.")


def bench() -> Bench:
    """The bench as the demo opens it."""
    inputs = (PortRef("gallery-voice", "pitch-1"), PortRef("gallery-voice", "pitch-2"))
    link = Link("board-to-gallery", CHANNEL_A, inputs, tolerance=PROFILE, low_note=36, high_note=96)
    gates = Link("board-gate", PortRef("workshop-board", "gate"), (PortRef("gallery-voice", "gate"),))
    gear = (board(), voice(), *more_gear())
    return Bench(
        "The Lantern House", gear, (link, gates, *more_links()), (BENCH_METER, POCKET_METER, KNOWN_VOLTAGE, LINE_IN)
    )


def write_demo(path: Path) -> None:
    """Write the demo bench to a new file, whole or not at all; an existing file is refused."""
    with publish(path) as temporary, BenchFile.create(temporary, bench()) as file:
        fill(file)


def is_untouched(opened: BenchFile) -> bool:
    """Whether a copy of the demo is as it was written: no edit, run, reading, void, adoption or send beyond its own."""
    if opened.undo_label() or opened.redo_label() or opened.sends():
        return False
    runs = opened.runs()
    taken = [opened.readings(run.id) for run in runs]
    return (
        tuple(run.id for run in runs) == _RUNS
        and all(len(rows) == len(run.plan) for run, rows in zip(runs, taken, strict=True))
        and not any(reading.voided for rows in taken for reading in rows)
        and len(opened.adoptions()) == 1
    )


def fill(bench_file: BenchFile) -> None:
    """Add the three past runs and the adopted constants."""
    plan = tuple(float(note) for note in range(36, 97, 3))
    as_found = _run(_RUNS[0], "As found", "03", BENCH_METER, plan, "2026-11-10T18:20:00+00:00", 24.5, 22)
    _take(bench_file, as_found, _truth("03"), BENCH_METER, seed=311)
    judged = analyse(as_found, bench_file.readings(as_found.id))
    constants = judged.correction("constants")
    assert constants is not None
    adopted = adoption_of(judged, constants, "2026-11-10T18:41:00+00:00")
    bench_file.adopt(adopted)
    after = _run(
        _RUNS[1], "After constants", "03", BENCH_METER, plan, "2026-11-10T18:44:00+00:00", 24.6, 46, adopted.head
    )
    _take(bench_file, after, _truth("03"), BENCH_METER, seed=312)
    octaves = tuple(float(note) for note in range(36, 97, 12))
    pocket = _run(_RUNS[2], "By the pocket meter", "02", POCKET_METER, octaves, "2026-11-03T16:05:00+00:00", 21.0, 20)
    _take(bench_file, pocket, _truth("02"), POCKET_METER, seed=210)


def _run(
    run_id: str,
    title: str,
    serial: str,
    meter: InstrumentRecord,
    plan_notes: tuple[float, ...],
    created: str,
    celsius: float,
    warm_minutes: float,
    head: HeadRecord = HeadRecord(),
) -> RunRecord:
    port = board().ports[0]
    return RunRecord(
        run_id,
        title,
        CHANNEL_A.gear,
        serial,
        CHANNEL_A.port,
        created,
        BOARD_LAW,
        PROFILE,
        meter=meter,
        output_ohms=port.ohms,
        celsius=celsius,
        warm_minutes=warm_minutes,
        head=head,
        converter=port.transfers[0],
        trimmers=port.trimmers,
        plan=plan_notes,
    )


def _truth(unit: str) -> tuple[DacTransfer, World]:
    """The hidden true values of a unit's channel A."""
    hidden = hidden_channel(unit, "A")
    transfer = DacTransfer(
        "truth", replace(BOARD_DAC, inl_lsb=hidden.inl_lsb), reference_limit=1.0, offset_limit_volts=1.0
    )
    return transfer, World({"truth.reference": hidden.reference, "truth.offset": hidden.offset_volts})


def _take(
    bench_file: BenchFile, run: RunRecord, truth: tuple[DacTransfer, World], meter: InstrumentRecord, seed: int
) -> None:
    """Read every note of the plan with a meter that has its own gain and zero error, and its own digits."""
    bench_file.add_run(run)
    converter, world = truth
    notes = np.array(run.plan)
    codes = codes_of(run, DacTransfer("nominal", BOARD_DAC), notes)
    assert codes is not None
    shown = _meter_reads(converter.forward(codes, world), meter, np.random.default_rng(seed))
    rows = [(float(note), float(volts), int(code), 0.0) for note, volts, code in zip(notes, shown, codes, strict=True)]
    bench_file.add_readings(run.id, rows, [run.created] * len(rows))


def _meter_reads(
    volts: NDArray[np.float64], meter: InstrumentRecord, generator: np.random.Generator
) -> NDArray[np.float64]:
    """What a meter shows: a third of its limits used up, a little noise, rounded to its digits."""
    gain = 1.0 + meter.percent / 100.0 / 3.0
    zero = meter.counts * meter.resolution_volts / 3.0
    noisy = volts * gain + zero + generator.normal(0.0, 60e-6, volts.shape)
    return np.round(np.round(noisy / meter.resolution_volts) * meter.resolution_volts, 9)
