"""How often the causes are right: healthy units and faulty ones, at growing lengths.

`python benchmarks/causes.py [--count 2000]`; a row for each fault and length: told rightly, told wrongly, undecided,
and how often scale, offset and the fault's size lie inside U.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.calibration.units import FAULTS, HERTZ, VOLTS, unit, wrong_claims


def row(fault: str, every: int, length: int | None, count: int, coded: bool, model=VOLTS, metered=True) -> None:
    told = wrong = undecided = 0
    inside = {"scale": [], "offset": [], "size": []}
    for seed in range(count):
        made = unit(fault, seed, every)
        size = made.notes.size if length is None else min(length, made.notes.size)
        shape = made.first(size).shape(coded=coded, model=model, metered=metered)
        kind = {"newest slip": "slip", "closing drift": "drift"}.get(fault, fault)
        present = length is None or fault == "healthy"
        wrong += bool(wrong_claims(shape, fault, made.notes_at, every))
        undecided += shape.find("undecided") is not None
        found = shape.find(kind) if kind != "healthy" else None
        told += found is not None
        if found is not None and present and fault in ("step", "bend", "drift") and found.expanded is not None:
            inside["size"].append(abs(found.value - made.size) <= found.expanded)
        truth = {"scale": 100 * (made.gain - 1), "offset": made.offset if model is VOLTS else None}
        for key, value in truth.items():
            term = shape.find(key)
            if term is not None and term.expanded is not None and value is not None:
                inside[key].append(abs(term.value - value) <= term.expanded)
    shares = "  ".join(f"{key} {100 * np.mean(one):5.1f} %" for key, one in inside.items() if one)
    where = "volts" if model is VOLTS else "hertz"
    print(
        f"{fault:14} every {every:2} {'whole' if length is None else f'first {length:2}'} {where}"
        f"{' coded' if coded else '      '}{' meter' if metered else '      '} told {100 * told / count:5.1f} %  "
        f"wrong {100 * wrong / count:5.1f} %  undecided {100 * undecided / count:5.1f} %  {shares}",
        flush=True,
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--only", default="")
    asked = parser.parse_args()
    for fault in FAULTS:
        if asked.only and fault not in asked.only.split(","):
            continue
        for every in (1, 3, 6):
            for length in (None,) if fault != "healthy" else (5, 6, 7, 9, 11, 13, 16, 21, 31, 45, None):
                if length is not None and length > 60 // every + 1:
                    continue
                row(fault, every, length, asked.count, True)
                if every != 6:
                    row(fault, every, length, asked.count, False, metered=False)
        row(fault, 3, None, asked.count, False, HERTZ)


if __name__ == "__main__":
    main()
