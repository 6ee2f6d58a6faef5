"""How well the course of correcting does over many simulated units: `python benchmarks/proving.py [UNITS]`.

Each unit has a reference within ± 0.5 %, an offset within ± 3 mV and a linearity of ± 2 LSB of one of three
kinds; it is measured, corrected and measured again as the window does it, with a meter of 0.015 % + 4 counts
of 0.1 mV that has its own gain and zero.  What is reported are true errors, which only a simulator knows.
"""

from __future__ import annotations

import sys
import time

import numpy as np

from dynamis.bench.chains.port_transfers import make_head
from dynamis.bench.document.records import HeadRecord, ReadingRecord, RunRecord
from dynamis.bench.runs.analysis import analyse, head_of
from dynamis.converter.codes import unit_floor_cents
from dynamis.converter.firmware import board_correction, pitch_steps
from dynamis.demo.hidden import BOARD_DAC, BOARD_LAW, shipped
from dynamis.demo.lantern import BENCH_METER, board
from dynamis.devices.players import BoardPlayer
from dynamis.devices.standins.board_logic import BoardDesign
from dynamis.devices.standins.direct import DirectBoard, DirectMeter
from dynamis.devices.standins.meter_model import MeterModel
from dynamis.devices.standins.world import HiddenChannel, HiddenUnit, SimulatedWorld
from dynamis.devices.taking import Control, Taken, job_of, take_readings

NOTES = np.arange(36.0, 97.0)
CODES = np.arange(BOARD_DAC.codes)
MOST_LSB = 2.0


def ladder(generator: np.random.Generator) -> np.ndarray:
    """Every bit of a ladder has its own weight error."""
    bits = (CODES[:, None] >> np.arange(BOARD_DAC.bits)) & 1
    weights = 2.0 ** np.arange(BOARD_DAC.bits)
    return bits @ (generator.normal(0.0, 1.0, BOARD_DAC.bits) * np.sqrt(weights))


def walk(generator: np.random.Generator) -> np.ndarray:
    """A string of resistors: a smooth random walk."""
    steps = np.cumsum(generator.normal(0.0, 1.0, 65))
    return np.interp(CODES, np.linspace(0, CODES[-1], 65), steps)


def bow(generator: np.random.Generator) -> np.ndarray:
    """A bow with one step at a carry."""
    x = CODES / CODES[-1]
    carry = int(generator.choice([1024, 2048, 3072]))
    return generator.choice([-1, 1]) * 4 * x * (1 - x) + generator.uniform(-1.5, 1.5) * (carry <= CODES)


def linearity_of(kind, generator: np.random.Generator) -> tuple[float, ...]:
    """End points taken out, and the largest value at 2 LSB."""
    raw = kind(generator)
    raw = raw - np.interp(CODES, [0, CODES[-1]], [raw[0], raw[-1]])
    return tuple((raw * MOST_LSB / np.max(np.abs(raw))).tolist())


def measured(run: RunRecord, device: DirectBoard, meter: DirectMeter, sleep) -> list[ReadingRecord]:
    """The readings of a run, taken as the window takes them."""
    rows: list[ReadingRecord] = []

    def store(taken: Taken) -> None:
        rows.append(ReadingRecord(len(rows) + 1, run.id, len(rows) + 1, taken.note, taken.shown.value, "", taken.code))

    take_readings(
        job_of(analyse(run, [])),
        BoardPlayer(device, "A", run.serial),
        meter,
        control=Control(),
        store=store,
        tell=lambda progress: None,
        sleep=sleep,
    )
    return rows


def corrected_unit(seed: int) -> dict[str, float]:
    """True worst errors of one unit in cents at each stage, and its floor."""
    generator = np.random.default_rng(seed)
    kind = (ladder, walk, bow)[seed % 3]
    hidden = HiddenChannel(
        generator.uniform(-0.005, 0.005),
        generator.uniform(-0.003, 0.003),
        linearity_of(kind, generator),
        0.0,
        1000.0,
        15e-6,
    )
    seconds = [0.0]

    def sleep(wait: float) -> None:
        seconds[0] += wait

    world = SimulatedWorld(
        BOARD_DAC,
        {"S": HiddenUnit("S", {"A": hidden})},
        {},
        unit="S",
        seed=seed,
        clock=lambda: seconds[0],
        warm_minutes=120,
    )
    device = DirectBoard(BoardDesign("bench", "S", "A", 12, shipped()), world)
    meter = DirectMeter(MeterModel(world, seed=seed))
    port = board().ports[0]
    run = RunRecord(
        "r",
        "r",
        "g",
        "S",
        "p",
        "",
        BOARD_LAW,
        "5",
        meter=BENCH_METER,
        output_ohms=port.ohms,
        converter=port.transfers[0],
        plan=tuple(NOTES.tolist()),
    )
    levels = world.true_levels("A")
    model = run.model
    wanted = model.expected(NOTES)
    worst = {}

    def true_worst(correction) -> float:
        codes = correction.codes(pitch_steps(NOTES), 12)
        return float(np.max(np.abs(model.cents(levels.volts(codes), wanted))))

    def judged(head: HeadRecord):
        import msgspec

        one = msgspec.structs.replace(run, head=head)
        return analyse(one, measured(one, device, meter, sleep))

    def sent(head: HeadRecord):
        return board_correction(make_head("h", head, model.law, BOARD_DAC, model.tuning))

    found = judged(HeadRecord())
    worst["as found"] = true_worst(shipped())
    worst["one-pass table"] = true_worst(sent(head_of(found.correction("table"), model, found.run)))
    constants = head_of(found.correction("constants"), model, found.run)
    device.send("A", sent(constants), lambda part: None)
    worst["after constants"] = true_worst(sent(constants))
    again = judged(constants)
    table = sent(head_of(again.correction("table"), model, again.run))
    device.send("A", table, lambda part: None)
    worst["after the table"] = true_worst(table)
    worst["floor"] = unit_floor_cents(levels, model, NOTES)
    quarters = np.arange(36.5, 96.0)
    codes = table.codes(pitch_steps(quarters), 12)
    worst["quarter tones"] = float(np.max(np.abs(model.cents(levels.volts(codes), model.expected(quarters)))))
    return worst


def within_bar(one: dict[str, float]) -> bool:
    return one["after the table"] <= 1.2 * one["floor"] + 1.4


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    start = time.perf_counter()
    units = [corrected_unit(seed) for seed in range(count)]
    print(f"{count} units in {time.perf_counter() - start:.0f} s; true worst error over notes 36 to 96, cents:")
    print(f"{'':18}{'median':>9}{'95 %':>9}{'worst':>9}")
    for name in ("as found", "after constants", "one-pass table", "after the table", "quarter tones", "floor"):
        values = np.array([one[name] for one in units])
        print(f"{name:18}{np.median(values):9.2f}{np.quantile(values, 0.95):9.2f}{values.max():9.2f}")
    share = np.mean([within_bar(one) for one in units])
    print(f"within 1.2 x the unit's own floor + 1.4 cents: {100 * share:.1f} % (aim 95)")


if __name__ == "__main__":
    main()
