"""A few thousand wrong inputs for every reader, for benches by bytes, rows and contents, and for the command line.

`benchmarks/fuzz.py` asks for more of each; whatever it finds is a failure here too.
"""

from __future__ import annotations

import random
import warnings
from pathlib import Path

import pytest
from tests.bench.forms import random_bench
from tests.bench.random_work import everything
from tests.fuzzing import (
    SONGS,
    arguments,
    bench_targets,
    contents,
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

OLD = Path(__file__).parent / "files" / "old"
READERS = targets()


@pytest.fixture(scope="module")
def samples(tmp_path_factory):
    folder = tmp_path_factory.mktemp("samples")
    write_demo(folder / "demo.dynamis")
    with BenchFile.open(folder / "demo.dynamis") as demo:
        export_json(demo, folder / "demo.json")
    for one in OLD.iterdir():
        (folder / one.name).write_bytes(one.read_bytes())
    return folder


@pytest.fixture(autouse=True)
def overflows_are_no_news():
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)
        yield


@pytest.mark.parametrize("name", READERS)
def test_readers_take_or_refuse_whatever_comes(name, tmp_path):
    wrong = {seed: told for seed, data in inputs(READERS[name], 300, 0) if (told := fed(READERS[name], data, tmp_path))}
    assert wrong == {}


@pytest.mark.parametrize("kind", ["bench bytes", "export bytes", "bench rows", "export contents"])
def test_benches_from_anybody_are_taken_or_refused(kind, samples, tmp_path):
    made = bench_targets(samples)
    target = made["export bytes" if kind.startswith("export") else "bench bytes"]
    wrong = {}
    for seed, mangled in inputs(target, 25, 7000):
        chance, data = random.Random(seed), mangled
        if kind == "bench rows":
            data = rows_changed(chance.choice(target.samples), chance, tmp_path / "rows")
        elif kind == "export contents":
            data = contents(chance.choice(target.samples), chance)
        if told := fed(target, data, tmp_path):
            wrong[seed] = told
    assert wrong == {}


def test_whatever_the_checks_pass_can_be_judged_designed_and_measured():
    """Benches of the window's forms with their contents changed: what `check_bench` lets through raises nothing."""
    passed = 0
    for seed in range(70):
        bench = mutated_bench(random_bench(seed), random.Random(seed))
        if bench is not None:
            passed += 1
            everything(bench, seed)
    assert passed > 20


def test_commands_end_in_order_whatever_their_words(samples, tmp_path):
    (tmp_path / "f.mid").write_bytes(SONGS[0])
    (tmp_path / "f.csv").write_text("note,volts\n36,0.2\n48,1.21\n60,2.2\n72,3.2\n")
    files = {
        "csv": str(tmp_path / "f.csv"),
        "song": str(tmp_path / "f.mid"),
        "bench": str(samples / "demo.dynamis"),
        "out": str(tmp_path / "out"),
    }
    wrong = {seed: told for seed in range(150) if (told := run_command(arguments(random.Random(seed), files)))}
    assert wrong == {}
