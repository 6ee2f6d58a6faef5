"""Names that look like something else are shown as they are, everywhere; and what cannot be opened does not stop the
window."""

from __future__ import annotations

from drive import settle
from msgspec.structs import replace
from PySide6.QtCore import QAbstractListModel, QModelIndex, Qt
from PySide6.QtWidgets import QAbstractItemView, QLabel, QWidget

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change
from dynamis.files.store import BenchFile
from dynamis.ui.benches import bench_to_open, fresh_demo, opening_mark
from dynamis.ui.session.preferences import Preferences, data_folder
from dynamis.ui.widgets.tips import plain_tip

LURE = "<img src='file:///etc/passwd'><b>big</b> & <a href='x'>x</a>"


def rich(window: QWidget) -> list[str]:
    """What Qt would take for HTML: labels, tips of widgets, of cells and of headings that hold the name as it is."""
    found = []
    for label in window.findChildren(QLabel):
        free = label.textFormat() != Qt.TextFormat.PlainText
        if free and "<img" in label.text():
            found.append(f"label: {label.text()}")
    found += [f"tip: {one.toolTip()}" for one in window.findChildren(QWidget) if "<img" in one.toolTip()]
    for view in window.findChildren(QAbstractItemView):
        model, role = view.model(), Qt.ItemDataRole.ToolTipRole
        if model is None:
            continue
        rows = min(model.rowCount(), 16)
        columns = 1 if isinstance(model, QAbstractListModel) else min(model.columnCount(), 16)
        cells = [model.index(row, column, QModelIndex()).data(role) for row in range(rows) for column in range(columns)]
        cells += [model.headerData(k, Qt.Orientation.Horizontal, role) for k in range(columns)]
        cells += [model.headerData(k, Qt.Orientation.Vertical, role) for k in range(rows)]
        found += [f"cell: {one}" for one in cells if one and "<img" in str(one)]
    return found


def test_a_name_that_looks_like_html_is_shown_as_it_is(demo_file, make_window):
    bench = demo_file.bench()
    gear = tuple(
        replace(
            one, name=f"{LURE} {k}", ports=tuple(replace(port, name=f"{LURE}{n}") for n, port in enumerate(one.ports))
        )
        for k, one in enumerate(bench.gear)
    )
    meters = tuple(replace(one, name=LURE) for one in bench.meters)
    window = make_window(demo_file)
    session = window.session
    session.document.apply(Change("names", replace(bench, name=LURE, gear=gear, meters=meters)))
    run = session.runs.all[0]
    session.runs.begin(replace(run, id="lure", title=LURE, uid=""))
    session.judge.work(20.0)
    for output, sink in list(session.judge.matrix.joined_pairs())[:5]:
        session.selection.look_at_pair(output, sink)
        for station in ("Bench", "Levels", "Chain", "Circuit", "Codes", "Measure", "Devices"):
            window.show_station(station)
            settle()
            assert rich(window) == []
    assert LURE in window.windowTitle()
    assert plain_tip("plain") == "plain"
    assert plain_tip("<b>x</b>") == "<qt>&lt;b&gt;x&lt;/b&gt;</qt>"


def test_a_last_bench_that_cannot_be_opened_leaves_an_empty_window_and_says_why(tmp_path):
    path = tmp_path / "last.dynamis"
    with BenchFile.create(path, Bench("Mine")):
        pass
    opened, sentence = bench_to_open([], Preferences(last=str(path)))
    assert (opened.bench().name, sentence) == ("Mine", None)
    opened.close()
    # the window never stood: the mark is still there
    opened, sentence = bench_to_open([], Preferences(last=str(path)))
    assert (opened.bench().name, "ended before its window stood" in sentence) == ("Untitled", True)
    opened.close()
    path.write_bytes(path.read_bytes()[:5000])
    for last in (path, tmp_path / ("x" * 300), tmp_path / "none", tmp_path):
        opened, sentence = bench_to_open([], Preferences(last=str(last)))
        assert (opened.bench().name, "A new bench was opened instead" in sentence) == ("Untitled", True)
        assert not opening_mark().exists()
        opened.close()


def test_a_demo_goes_only_where_nobody_did_anything_in_it(tmp_path):
    (data_folder()).mkdir(parents=True)
    mine = data_folder() / "demo 2026-01-01.dynamis"
    with BenchFile.create(mine, Bench("Mine")):
        pass
    first = fresh_demo()
    first.record("rename", replace(first.bench(), name="Now mine"))
    first.close()
    untouched = fresh_demo()
    untouched.close()
    open_still = fresh_demo()
    last = fresh_demo()
    assert {one.name for one in (data_folder() / "demo").iterdir()} == {
        one.path.name for one in (first, open_still, last)
    }
    assert untouched.path == open_still.path  # the first one's name was free again
    assert mine.exists()
    for one in (open_still, last):
        one.close()
