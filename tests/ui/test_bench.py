"""The Bench station in the window: pairs, findings, joining and parting by keyboard, undo, another theme."""

from __future__ import annotations

import msgspec
import pytest
from drive import action, press, settle, table_texts
from PySide6.QtCore import Qt

from dynamis.bench.judging.pairs import judge_link
from dynamis.bench.ports import PortRef
from dynamis.files.store import BenchFile

CONTROL = Qt.KeyboardModifier.ControlModifier
GATE, WEAK = PortRef("workshop-board", "gate"), PortRef("curtain-sequencer", "gate")


@pytest.fixture
def station(demo_file, make_window):
    """The demo's Bench, reached by its key."""
    window = make_window(demo_file)
    press(window, Qt.Key.Key_1, CONTROL)
    return window.station


def findings(station) -> list[str]:
    """The sentences that stand in the panel."""
    column = station._findings
    rows = [column.itemAt(k).layout() for k in range(column.count())]
    texts = [row.itemAt(1).widget().text() for row in rows if row is not None]
    texts += [column.itemAt(k).widget().text() for k in range(column.count()) if column.itemAt(k).widget()]
    return [text.replace("\u00a0", " ") for text in texts]


def test_the_first_joined_pair_is_chosen_and_told_as_the_core_judges_it(station, demo_file):
    bench = demo_file.bench()
    judged = judge_link(bench, bench.links[0], demo_file.adoptions())[0]
    assert station.fit == judged
    assert station.names.text() == "Workshop board · pitch A, unit 02 → Gallery voice · pitch 1"
    assert station.verdict.text() == "Needs a circuit: −122.1 ct."
    assert findings(station) == [one.text for one in judged.findings]
    assert station.join.text().startswith("Part")
    model = station.model
    told = model.data(model.index(0, 0), Qt.ItemDataRole.AccessibleTextRole)
    assert told == "Workshop board · pitch A into Gallery voice · pitch 1: joined, needs a circuit, −122.1 ct"
    assert model.headerData(0, Qt.Orientation.Horizontal) == "Gallery voice\npitch 1"


def test_a_pair_is_joined_and_parted_by_keyboard_with_undo(station):
    window, session = station.window(), station._session
    station.choose(WEAK, PortRef("wardrobe-envelope", "gate"))
    press(window, Qt.Key.Key_6, CONTROL)
    press(window, Qt.Key.Key_J, CONTROL)  # from elsewhere it only leads there
    assert (window.station, session.bench.link_from(WEAK)) == (station, None)
    press(window, Qt.Key.Key_J, CONTROL)
    assert session.bench.link_from(WEAK).inputs == (PortRef("wardrobe-envelope", "gate"),)
    assert session.file.undo_label() == "join Curtain sequencer · gate and Wardrobe envelope · gate"
    assert (station.verdict.text(), station.join.text()) == ("Fits: +0.60 V.", "Part (Ctrl+J)")
    station.choose(GATE, PortRef("wardrobe-envelope", "gate"))
    press(window, Qt.Key.Key_J, CONTROL)
    assert "hangs on Curtain sequencer · gate already" in window.sentence.text()
    action(window, "Undo").trigger()
    assert session.bench.link_from(WEAK) is None
    station.choose(GATE, PortRef("gallery-voice", "gate"))
    press(window, Qt.Key.Key_J, CONTROL)
    assert session.bench.link_from(GATE).inputs == ()
    with BenchFile.open(session.file.path, write=False) as again:
        assert again.bench() == session.bench


def test_arrows_filter_and_the_ranked_list_lead_to_other_pairs(station):
    station.pairs.setFocus()
    press(station.window(), Qt.Key.Key_Down)
    assert station.fit.output.port == "pitch-b"
    station.role.setCurrentIndex(2)
    station.role.activated.emit(2)
    assert {port.port for port in station.model.inputs}.isdisjoint({"pitch-1", "pitch-2", "tone"})
    station.choose(GATE, PortRef("cellar-drum", "gate"))
    ranked = table_texts(station.others)
    assert ranked[0][1] == "fits"
    assert ranked[0][0] in ("Workshop board · gate", "Wardrobe envelope · envelope gate", "Bridge clock · clock")
    station.choose(GATE, PortRef("pit-voice", "trigger"))
    assert "What fits between: transistor to ground, of R1" in findings(station)[-1]
    session = station._session
    session.set_preferences(msgspec.structs.replace(session.preferences, decimal_comma=True))
    assert "for on and" in findings(station)[-1]
    assert "," in findings(station)[-1].partition("It leaves")[2]
    assert "bears 5,50 V" in findings(station)[0]
    station.choose(WEAK, PortRef("attic-filter", "gate"))
    assert station.verdict.text() == "Cannot tell yet."
    assert "until you measure" in findings(station)[0]
    settle()


def test_every_verdict_and_most_findings_are_on_the_demo_bench(station):
    fits = [fit for row in station._fits.values() for fit in row.values()]
    assert {fit.verdict for fit in fits} == {"fits", "marginal", "needs-circuit", "unsafe", "cannot-tell"}
    codes = {finding.code for fit in fits for finding in fit.findings}
    assert {"unknown-value", "error", "law-mismatch", "scale-mismatch", "transposition", "offset", "loading", "range-not-covered",
            "below-cut-off", "input-over-limit", "output-over-limit", "trigger-kind", "on-level"} <= codes  # fmt: skip
