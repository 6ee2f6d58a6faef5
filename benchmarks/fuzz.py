"""Wrong inputs by the thousand, seeds printed: `python benchmarks/fuzz.py [--count N] [--first SEED] [TARGET …]`.

Readers take --count each; benches by bytes, by rows and by contents, exports, and commands a hundredth of it, since
they take milliseconds.  Each kind of failure is told once, with its seed.  Ends with status 1 where there is one.
"""

from __future__ import annotations

import argparse
import random
import sys
import tempfile
import time
import warnings
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.bench.forms import random_bench
from tests.bench.random_work import everything
from tests.fuzzing import (
    SONGS,
    arguments,
    bench_targets,
    contents,
    failure,
    fed,
    inputs,
    mutated_bench,
    rows_changed,
    run_command,
    targets,
)

from dynamis.demo.lantern import write_demo
from dynamis.files.bench_json import export_json
from dynamis.files.store import BenchFile

_SLOW_SHARE = 100


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=100_000)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("targets", nargs="*")
    asked = parser.parse_args()
    warnings.simplefilter("ignore")
    failures: Counter[tuple[str, str]] = Counter()
    total, begun = 0, time.perf_counter()

    def told(name: str, seed: int, what: str) -> None:
        if what:
            failures[name, what] += 1
            if failures[name, what] == 1:
                print(f"{name}, seed {seed}: {what}", flush=True)

    with tempfile.TemporaryDirectory() as place:
        folder, samples = Path(place) / "work", Path(place) / "samples"
        folder.mkdir(), samples.mkdir()
        write_demo(samples / "demo.dynamis")
        with BenchFile.open(samples / "demo.dynamis") as demo:
            export_json(demo, samples / "demo.json")
        for old in sorted((Path(__file__).resolve().parents[1] / "tests" / "files" / "old").iterdir()):
            (samples / old.name).write_bytes(old.read_bytes())
        whole = bench_targets(samples)
        slow = max(1, asked.count // _SLOW_SHARE)
        (folder / "f.mid").write_bytes(SONGS[0])
        (folder / "f.csv").write_text("note,volts\n36,0.2\n48,1.21\n60,2.2\n72,3.2\n84,4.2\n96,5.2\n")
        files = {
            "csv": str(folder / "f.csv"),
            "song": str(folder / "f.mid"),
            "bench": str(samples / "demo.dynamis"),
            "out": str(folder / "out"),
        }

        def by_rows(seed: int) -> str:
            chance, target = random.Random(seed), whole["bench bytes"]
            return fed(target, rows_changed(chance.choice(target.samples), chance, folder / "r"), folder)

        def by_export(seed: int) -> str:
            chance, target = random.Random(seed), whole["export bytes"]
            return fed(target, contents(chance.choice(target.samples), chance), folder)

        def by_contents(seed: int) -> str:
            chance = random.Random(seed)
            made = mutated_bench(random_bench(seed % 500), chance)
            try:
                return "" if made is None else str(everything(made, seed) or "")
            except Exception:  # noqa: BLE001  (counted, and told)
                return failure()

        def by_command(seed: int) -> str:
            try:
                return run_command(arguments(random.Random(seed), files))
            except Exception:  # noqa: BLE001  (counted, and told)
                return failure()

        others = {
            "bench rows": by_rows,
            "export contents": by_export,
            "bench contents": by_contents,
            "commands": by_command,
        }
        plans = [(name, asked.count, one) for name, one in targets().items()]
        plans += [(name, slow, one) for name, one in whole.items()]
        for name, count, target in plans:
            if not asked.targets or name in asked.targets:
                for seed, data in inputs(target, count, asked.first):
                    told(name, seed, fed(target, data, folder))
                total += count
                print(f"{name}: {count}, {time.perf_counter() - begun:.0f} s", flush=True)
        for name, run in others.items():
            if not asked.targets or name in asked.targets:
                for seed in range(asked.first, asked.first + slow):
                    told(name, seed, run(seed))
                total += slow
                print(f"{name}: {slow}, {time.perf_counter() - begun:.0f} s", flush=True)
    print(
        f"{total} inputs in {time.perf_counter() - begun:.0f} s, {sum(failures.values())} failed, {len(failures)} kinds"
    )
    for (name, what), count in failures.most_common():
        print(f"{count:6} {name}: {what}")
    return 1 if failures else 0


if __name__ == "__main__":
    sys.exit(main())
