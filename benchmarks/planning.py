"""As few readings as will do: how many, and what the constants, the trims and the table then leave.

200 seeded units of each kind; all readings counted, the repeat at the end too.  For lines: the true worst error over
all notes, beside what all 61 notes give.  For a table: readings against error, and where the stop rule ends.

    .venv/bin/python benchmarks/planning.py [--units 200] [--enough 0.5]
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.runs.planning import plan_next
from dynamis.calibration.planning.belief import Channel
from dynamis.calibration.planning.choice import Planner
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament

FloatArray = NDArray[np.float64]
NOTES = np.arange(36.0, 97.0)
LAW = ExponentialLaw(1.0, 36.0, 0.2)
CONVERTER = DacTransfer("d", Dac(12, 0.0, 4.096, gain=1.35), inl_limit_lsb=2.0)
CODES = CONVERTER.dac.code_for(LAW.volts((NOTES - 36.0) / 12.0)).codes
HERTZ = EqualTemperament(440.0).hertz(NOTES)
OWN = {"volts": 0.035, "hertz": 0.06}
LSB_CENTS = 1200.0 * CONVERTER.dac.lsb_volts


def walk(chance: np.random.Generator) -> FloatArray:
    """INL by code, within ± 2 LSB, of end points."""
    steps = np.cumsum(chance.standard_normal(4096))
    steps -= np.linspace(steps[0], steps[-1], 4096)
    return steps / np.abs(steps).max() * 2.0 * chance.uniform(0.4, 1.0)


def converter(chance: np.random.Generator) -> FloatArray:
    line = chance.uniform(-20.0, 20.0) + chance.uniform(-8.0, 8.0) * (NOTES - 66.0) / 12.0
    return line + LSB_CENTS * walk(chance)[CODES.astype(int)]


def stepped(chance: np.random.Generator) -> FloatArray:
    place, size = chance.integers(1, 8) * 512, chance.choice([-1.0, 1.0]) * chance.uniform(1.0, 3.0)
    return converter(chance) + LSB_CENTS * size * ((place <= CODES) - 0.5)


def oscillator(chance: np.random.Generator) -> FloatArray:
    line = chance.uniform(-30.0, 30.0) + chance.uniform(-10.0, 10.0) * (NOTES - 66.0) / 12.0
    return line - 1731.23 * HERTZ * chance.uniform(0.2, 2.0) * 1e-6 + 0.2 * chance.standard_normal(NOTES.size)


KINDS: dict[str, tuple[Callable[[np.random.Generator], FloatArray], str]] = {
    "gain, offset, INL ± 2 LSB": (converter, "volts"),
    "the same with a step at a carry": (stepped, "volts"),
    "oscillator with a bend at the top": (oscillator, "hertz"),
}


def line_left(truth: FloatArray, at: list[int], values: FloatArray) -> float:
    """The true worst error once the line through readings is taken off."""
    slope, start = np.polyfit(NOTES[at], values, 1)
    return float(np.max(np.abs(truth - (start + slope * NOTES))))


def taken(truth: FloatArray, quantity: str, enough: float, chance: np.random.Generator) -> tuple[list[int], FloatArray]:
    """The notes that are read, with the repeat, and what is read there."""
    model = PitchModel(LAW, "volts" if quantity == "volts" else "hertz", EqualTemperament(440.0))
    own, read, values = np.full(NOTES.size, OWN[quantity]), list[float](), list[float]()
    while len(read) < 200:
        left = np.full(len(read), np.nan)
        if len(set(read)) > 2:
            left = np.array(values) - np.polyval(np.polyfit(read, values, 1), read)
        one = plan_next(
            model,
            NOTES,
            own,
            CODES if quantity == "volts" else None,
            CONVERTER if quantity == "volts" else None,
            read,
            left,
            enough,
        )
        if one.note is None:
            break
        read.append(one.note)
        values.append(float(truth[int(one.note - 36.0)] + OWN[quantity] * chance.standard_normal()))
    return [int(note - 36.0) for note in read], np.array(values)


def main() -> int:
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("--units", type=int, default=200)
    options.add_argument("--enough", type=float, default=0.5)
    chosen = options.parse_args()
    for name, (unit, quantity) in KINDS.items():
        counts, ratios = [], []
        for seed in range(chosen.units):
            chance = np.random.default_rng(seed)
            truth = unit(chance)
            at, values = taken(truth, quantity, chosen.enough, chance)
            every = truth + OWN[quantity] * chance.standard_normal(NOTES.size)
            counts.append(len(at))
            ratios.append(line_left(truth, at, values) / line_left(truth, list(range(NOTES.size)), every))
        low, half, high = np.percentile(ratios, [10, 50, 90])
        print(
            f"{name}: {np.median(counts):.0f} readings (most {max(counts)}), worst error {half:.3f} x that of all 61 "
            f"notes (10 to 90 %: {low:.3f} to {high:.3f})"
        )
    print("table, readings against what it leaves at its worst note, median and 90 % of the units; stop rule at *")
    limit = np.full(NOTES.size, 2.0 * LSB_CENTS)
    planner = Planner(Channel(NOTES, np.full(NOTES.size, OWN["volts"]), CODES, 12, limit), "table")
    order, stop = list[float](), 0
    for count in range(61):
        following = planner.next(order)
        if not stop and count >= 5 and following.change_cents <= chosen.enough:
            stop = count
        order.append(following.note)
    for count in (5, 9, 13, 17, 25, 33, 45, 61):
        left = []
        for seed in range(chosen.units):
            chance = np.random.default_rng(seed)
            truth, at = stepped(chance), np.array(sorted(set(order[:count])))
            read = truth[(at - 36.0).astype(int)] + OWN["volts"] * chance.standard_normal(at.size)
            left.append(np.max(np.abs(truth - np.interp(NOTES, at, read))))
        mark = " *" if stop and stop <= count else ""
        print(f"{count:3} readings: {np.median(left):5.2f} ct, {np.percentile(left, 90):5.2f} ct{mark}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
