"""What the tree promises and no type checker sees: no view computes, and the core names no tab of the window."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

import dynamis
from dynamis.ui import stations

ROOT = Path(dynamis.__file__).parent
UI = ROOT / "ui"
# Drawn pictures and their axes lay out pixels; nothing else of the window may be added here.
PICTURES = {
    "theme/verdict.py",
    "views/bench/pair_cell.py",
    "views/chain/budget.py",
    "views/chain/lens.py",
    "views/chain/picture.py",
    "views/circuit/curve.py",
    "views/circuit/drawing.py",
    "views/circuit/histogram.py",
    "views/circuit/left_plot.py",
    "views/levels/pulse.py",
    "views/levels/scale.py",
    "views/measure/course_panel.py",
    "views/play/lanes.py",
    "widgets/axes.py",
    "widgets/note_plot.py",
}
FACTORS = {2, 100, 1000, 1200}
FUNCTIONS = {"exp", "exp2", "hypot", "log", "log10", "log2", "pow", "power", "sqrt"}
# What places widgets counts pixels and rows.
PLACES = {"addWidget", "setGeometry", "setFixedHeight", "setFixedWidth", "setMinimumWidth", "setDefaultSectionSize"}


def computing(path: Path) -> Iterator[str]:
    """Powers, logarithms, and values times or over the factors of cents, per cent, milli and U = 2u."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    placed = {
        id(inner)
        for call in ast.walk(tree)
        if isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute) and call.func.attr in PLACES
        for inner in ast.walk(call)
    }
    for node in ast.walk(tree):
        if id(node) in placed:
            continue
        if isinstance(node, ast.BinOp):
            sides = [side.value for side in (node.left, node.right) if isinstance(side, ast.Constant)]
            factor = isinstance(node.op, (ast.Mult, ast.Div)) and any(
                isinstance(side, int | float) and side in FACTORS for side in sides
            )
            if factor or isinstance(node.op, ast.Pow):
                yield f"{node.lineno}: {ast.unparse(node)}"
        elif isinstance(node, ast.Call):
            function = node.func
            name = function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")
            if name in FUNCTIONS:
                yield f"{node.lineno}: {ast.unparse(node)}"


@pytest.mark.parametrize(
    ("text", "count"),
    [
        ("a = 1200 * x", 1),
        ("a = x ** 2", 1),
        ("a = np.log2(x) / 2.0", 2),
        ("grid.addWidget(w, 2 * k, 0)", 0),
        ("a = 3 * x", 0),
    ],
)
def test_what_counts_as_computing(tmp_path, text, count):
    (tmp_path / "view.py").write_text(text)
    assert len(list(computing(tmp_path / "view.py"))) == count


def test_no_view_computes():
    found = {
        str(path.relative_to(UI)): list(computing(path))
        for path in sorted(UI.rglob("*.py"))
        if str(path.relative_to(UI)) not in PICTURES
    }
    assert {name: lines for name, lines in found.items() if lines} == {}
    assert all((UI / name).exists() for name in PICTURES)


def test_the_core_names_no_station():
    titles = {entry.title for entry in stations.STATIONS} | {stations.DEVICES.title}
    named = re.compile(rf"\b[Oo]n ({'|'.join(titles)})\b")
    found = {
        f"{path.relative_to(ROOT)}: {node.value}"
        for path in sorted(ROOT.rglob("*.py"))
        if UI not in path.parents
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and named.search(node.value)
    }
    assert found == set()


def test_threads_hold_nothing_of_the_window():
    """What Qt has made must not die in another thread; only the devices' worker, which is waited for, may run there."""
    targets = {
        f"{path.relative_to(UI)}: {ast.unparse(word.value)}"
        for path in sorted(UI.rglob("*.py"))
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.Call) and ast.unparse(node.func) == "threading.Thread"
        for word in node.keywords
        if word.arg == "target" and isinstance(word.value, ast.Attribute)
    }
    assert targets == {"devices/worker.py: self._serve"}
