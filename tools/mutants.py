"""Do the tests bite?  Seeded changes of one operator, comparison or constant, judged by a room's own tests.

    .venv/bin/python tools/mutants.py pitch --count 30 --seed 1

Each change is made in a copy of `src`; what no test of the room finds is printed.  Changes that alter nothing stand in
`tools/mutants_equal.txt`, a line each as it is printed here, and are passed over.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
_SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.And: ast.Or,
    ast.Or: ast.And,
    ast.USub: ast.UAdd,
}


@dataclass(frozen=True)
class Mutant:
    """path : of the module within `src/dynamis`.  line, was, becomes : of what is changed; text : the whole module."""

    path: str
    line: int
    was: str
    becomes: str
    text: str

    @property
    def words(self) -> str:
        return f"{self.path}: {self.was}  ->  {self.becomes}"


def sites(path: Path) -> Iterator[Mutant]:
    """Every change that can be made in a module."""
    source = path.read_text(encoding="utf-8")
    count = sum(1 for _ in ast.walk(ast.parse(source)))
    name = str(path.relative_to(ROOT / "src" / "dynamis"))
    for index in range(count):
        tree = ast.parse(source)
        node = next(one for k, one in enumerate(ast.walk(tree)) if k == index)
        if not isinstance(node, (ast.BinOp, ast.Compare, ast.BoolOp, ast.UnaryOp, ast.Constant)):
            continue
        was = ast.unparse(node)
        if not _changed(node):
            continue
        yield Mutant(name, node.lineno, was, ast.unparse(node), ast.unparse(tree))


def _changed(node: ast.expr) -> bool:
    """Change an expression in place; False where there is nothing to change."""
    match node:
        case ast.Compare(ops=[one]) if type(one) in _SWAPS:
            node.ops = [_SWAPS[type(one)]()]  # type: ignore[list-item]
        case ast.BinOp(op=one) | ast.BoolOp(op=one) | ast.UnaryOp(op=one) if type(one) in _SWAPS:
            node.op = _SWAPS[type(one)]()  # type: ignore[assignment]
        case ast.Constant(value=value) if isinstance(value, (int, float)) and not isinstance(value, bool):
            node.value = value + 1
        case _:
            return False
    return True


def found(mutant: Mutant, copy: Path, room: str, seconds: float) -> bool:
    """Whether a test of the room fails with the change in place; what hangs is found, too."""
    place = copy / "dynamis" / mutant.path
    before = place.read_bytes()
    place.write_text(mutant.text, encoding="utf-8")
    # Its kept values tell most, and soon.
    tests = [f"tests/{room}/test_kept_{room}.py", f"tests/{room}"]
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-n", "0", "-p", "no:cacheprovider", *tests]
    try:
        done = subprocess.run(
            command,
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": str(copy)},
            capture_output=True,
            timeout=seconds,
            check=False,
        )
    except subprocess.TimeoutExpired:
        return True
    finally:
        place.write_bytes(before)
    return done.returncode != 0


def main() -> int:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("room")
    asked.add_argument("--count", type=int, default=30)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--seconds", type=float, default=120.0, help="after which a run of the tests counts as hung")
    wish = asked.parse_args()
    equal = set((ROOT / "tools" / "mutants_equal.txt").read_text(encoding="utf-8").splitlines())
    modules = sorted((ROOT / "src" / "dynamis" / wish.room).rglob("*.py"))
    every = [one for module in modules for one in sites(module) if one.words not in equal]
    chosen = random.Random(wish.seed).sample(every, min(wish.count, len(every)))
    missed = []
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "src"
        shutil.copytree(ROOT / "src", copy, ignore=shutil.ignore_patterns("__pycache__"))
        for one in chosen:
            if not found(one, copy, wish.room, wish.seconds):
                missed.append(one)
                print(f"not found, line {one.line}: {one.words}", flush=True)
    share = f"{len(chosen) - len(missed)} of {len(chosen)} changes found"
    print(f"{wish.room}: {share} (seed {wish.seed}, {len(every)} possible)")
    return 0


if __name__ == "__main__":
    sys.exit(main())
