"""Benches made of the window's own forms, judged, designed, measured and adopted: nothing may raise.

`python benchmarks/forms.py [--count 10000] [--first 0]`; prints each kind of failure once, with its seed.
"""

from __future__ import annotations

import argparse
import sys
import time
import traceback
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.bench.forms import random_bench
from tests.bench.random_work import everything


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--first", type=int, default=0)
    asked = parser.parse_args()
    failures: Counter[str] = Counter()
    start = time.perf_counter()
    for seed in range(asked.first, asked.first + asked.count):
        try:
            everything(random_bench(seed), seed)
        except Exception:  # noqa: BLE001  (counted, and told at the end)
            told = traceback.format_exc().splitlines()
            where = " | ".join([told[-1], *(line.strip() for line in told if "src/dynamis" in line)][-3:])
            failures[where] += 1
            if failures[where] == 1:
                print(f"seed {seed}\n" + "\n".join(told[-14:]), flush=True)
    seconds = time.perf_counter() - start
    print(f"{asked.count} benches in {seconds:.0f} s, {sum(failures.values())} failed, {len(failures)} kinds")
    for where, count in failures.most_common():
        print(f"{count:6} {where}")
    return 1 if failures else 0


if __name__ == "__main__":
    sys.exit(main())
