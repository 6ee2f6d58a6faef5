"""The Circuit station by mouse, key and field: proposals, parts, the schematic, gates, and converters of the law."""

from __future__ import annotations

import numpy as np
import pytest
from drive import action, answered, answered_or_refused, click, press, settle, table_texts, type_into, until
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from tests.electrics.spice import swept

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.nomogram import nomogram
from dynamis.bench.document.commands import part, set_port
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import judge_pair
from dynamis.electrics.circuits.supply import Supply
from dynamis.electrics.design.spread import Spread, SpreadSide
from dynamis.electrics.design.words import spread_words
from dynamis.notation.style import Style

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NONE, LEFT = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
BOARD, TONE = PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone")


def press_row(table, row: int, held=NONE) -> None:
    """A click on the first cell of a row."""
    at = table.visualRect(table.model().index(row, 0)).center()
    QTest.mouseClick(table.viewport(), LEFT, held, at)
    settle()


def row_of(table, title: str) -> int:
    return next(k for k, row in enumerate(table_texts(table)) if row[0] == title)


# -- proposals, the wish, parts --------------------------------------------------------------------


def test_a_click_looks_at_a_proposal_and_with_ctrl_lays_it_over(circuit):
    pair, difference = (
        row_of(circuit.proposals, name) for name in ("Inverting pair, with offset", "Difference amplifier")
    )
    press_row(circuit.proposals, difference)
    assert circuit.chosen.circuit.topology.name == "difference"
    press_row(circuit.proposals, pair, CONTROL)
    assert circuit.side.histogram.compared.words == "Inverting pair, with offset"
    assert circuit.chosen.circuit.topology.name == "difference"  # still the one looked at
    press_row(circuit.proposals, pair, CONTROL)
    assert circuit.side.histogram.compared is None  # a second time takes it off
    press_row(circuit.proposals, row_of(circuit.proposals, "Follower"))
    assert circuit.why_not.text().startswith("Follower: ")
    assert circuit.chosen.circuit.topology.name == "difference"


def test_a_proposal_is_laid_over_by_key_and_by_button(circuit, window):
    circuit.proposals.clearSelection()
    click(circuit.panel.compare_button)
    assert "Select another proposal first" in window.sentence.text()
    circuit.proposals.setFocus()
    circuit.proposals.selectRow(row_of(circuit.proposals, "Difference amplifier"))
    click(circuit.panel.compare_button)
    assert circuit.side.histogram.compared.words == "Difference amplifier"
    circuit.proposals.setFocus()
    press(window, Qt.Key.Key_Space)
    assert circuit.side.histogram.compared is None


FIELDS = [
    ("gain", "-0.5", lambda requirement: requirement.gain == -0.5),
    ("offset", "250 mV", lambda requirement: requirement.offset_volts == 0.25),
    ("low", "-1", lambda requirement: requirement.in_low_volts == -1.0),
    ("high", "4,5", None),
    ("source", "2k2", lambda requirement: requirement.source_ohms == 2200.0),
    ("load", "none", lambda requirement: requirement.load_ohms is None),
    ("load", "47 kohm", lambda requirement: requirement.load_ohms == 47e3),
    ("tolerance", "0.1 %", lambda requirement: requirement.tolerance == pytest.approx(0.001)),
    ("ppm", "25", lambda requirement: requirement.resistor_per_kelvin == pytest.approx(25e-6)),
    ("rail", "± 2 %", lambda requirement: requirement.supply.tolerance == pytest.approx(0.02)),
    ("cents", "± 10 ct", lambda requirement: requirement.tolerance_cents == 10.0),
    ("law", "1.2 V/oct", lambda requirement: (requirement.volts_per_octave, requirement.zero_volts) == (1.2, None)),
    ("law", "Hz/V 0.12 V", lambda requirement: requirement.zero_volts == 0.12),
    ("supply", "-9:15", lambda requirement: requirement.supply == Supply(-9.0, 15.0)),
    ("supply", "0:5", lambda requirement: requirement.supply == Supply(0.0, 5.0)),
    ("supply", "5:0", None),
    ("drawer", "1k 10k, 47k", lambda requirement: requirement.drawer == (1e3, 10e3, 47e3)),
    ("drawer", "0 10k", None),
    ("gain", "half", None),
]


def test_each_field_of_the_wish_is_read_as_people_write_it(circuit):
    """What cannot be read is refused, and the wish stays."""
    form = circuit.form
    for field, text, found in FIELDS:
        edit, before = form.edits.get(field) or getattr(form, field), form.ask
        stood = edit.text()
        type_into(edit, text, enter=True)
        if found is None:
            assert circuit.refusal.text(), (field, text)
            assert form.ask == before
        else:
            assert found(form.ask.requirement), (field, text, form.ask.requirement)
            assert not edit.property("wrong")
        edit.selectAll()
        edit.insert(stood)
        QTest.keyClick(edit, Qt.Key.Key_Return)
        settle()


@pytest.mark.parametrize(
    ("combo", "choice", "found"),
    [
        ("op_amp", "rail-to-rail", lambda ask: ask.requirement.op_amp.name == "rail-to-rail"),
        ("reference", ("", 5.0), lambda ask: ask.requirement.reference_volts == 5.0),
        ("series", ("E24", False), lambda ask: (ask.requirement.series, ask.requirement.pairs) == ("E24", False)),
    ],
)
def test_each_choice_of_the_wish_asks_anew(combo, choice, found, circuit):
    made = getattr(circuit.form, combo)
    at = next(k for k in range(made.count()) if made.itemData(k) == choice)
    made.setCurrentIndex(at)
    made.activated.emit(at)
    answered(circuit)
    assert found(circuit.form.ask)
    assert circuit.answer.proposals.suitable
    assert circuit.chosen.requirement.op_amp == circuit.form.ask.requirement.op_amp


def test_a_summer_beyond_what_the_input_bears_is_refused(circuit):
    """An octave more at 0.37 V an octave: 1.75 V + 5.4 · 0.37 V and so on are above the 3.3 V that the board bears."""
    adds = circuit.form.adds
    adds.setCurrentIndex(3)
    adds.activated.emit(3)
    answered_or_refused(circuit)
    assert "With its switches closed" in circuit.refusal.text()
    assert "0 V to 3.3 V can be had" in circuit.refusal.text()
    assert not circuit.side.use.isEnabled()
    adds.setCurrentIndex(0)
    adds.activated.emit(0)
    answered(circuit)
    assert circuit.refusal.text() == ""


def test_what_is_kept_and_cannot_be_kept_is_said(circuit):
    parts = circuit.side.parts
    type_into(parts.edits["R2"], "100", enter=True)  # so low that nothing else makes the gain
    for lock in parts.locks.values():
        lock.setChecked(True)
    click(parts.again)
    answered(circuit)
    assert circuit.chosen.circuit.by_slot["R2"].ohms == (100.0,)
    assert circuit.chosen.nominal_cents > 1000.0
    assert not circuit.refusal.text()
    type_into(parts.edits["R3"], "22k || 47k", enter=True)
    assert circuit.chosen.circuit.by_slot["R3"].joined == "parallel"
    ohms = circuit.chosen.circuit.by_slot["R3"].ohms
    click(next(one for one in parts.findChildren(type(parts.again)) if one.accessibleName() == "R3 up the series"))
    assert sorted(circuit.chosen.circuit.by_slot["R3"].ohms)[0] == min(ohms)  # the larger of two moves
    assert max(circuit.chosen.circuit.by_slot["R3"].ohms) > max(ohms)


def test_not_all_are_within_where_one_is_outside():
    """99.99 % is not told as 100.0 %."""
    cents = np.ones(10_000)
    cents[7] = 9.0
    side = SpreadSide(cents, 5.0)
    assert 0.999 < side.within < 1.0
    assert "99.9 % are within" in spread_words(Spread(10_000, 1, side, side), None, "", Style())[0]


def test_what_is_left_later_stands_beside_the_trimmed_and_says_what_decides(circuit):
    made = circuit.chosen
    shown = next(text for text in circuit.side.spread_words.shown if text.startswith("Later")).replace("\u00a0", " ")
    assert f"95 % within {made.later.p95_cents:.1f} ct" in shown
    assert "the reference VR1 decides" in shown
    assert table_texts(circuit.proposals)[0][5] == f"{made.later.p95_cents:.1f} ct"


def test_the_rails_at_hand_are_chosen_at_the_top(circuit):
    window, bench = circuit.window(), circuit._session.bench
    type_into(circuit.rails.edit, "-9:9, 0:5", enter=True)
    assert circuit._session.bench.rails == ((-9.0, 9.0), (0.0, 5.0))
    answered(circuit)
    assert circuit.chosen.circuit.supply.words == "± 9 V"
    type_into(circuit.rails.edit, "5:9", enter=True)
    assert "cannot be" in window.sentence.text()
    assert circuit._session.bench.rails == ((-9.0, 9.0), (0.0, 5.0))
    circuit._session.document.undo()
    assert circuit._session.bench.rails == bench.rails


# -- the schematic ---------------------------------------------------------------------------------


def middle_of(drawing, slot: str) -> QPoint:
    symbol = next(one for one in drawing.drawing.symbols if one.slot == slot)
    return ((drawing._at(symbol.at) + drawing._at(symbol.to)) / 2).toPoint()


def test_a_part_in_the_schematic_leads_to_its_field(circuit):
    circuit.side.show_tab(3)
    QTest.mouseClick(circuit.drawing, LEFT, NONE, middle_of(circuit.drawing, "R2"))
    settle()
    assert circuit.side.parts.edits["R2"].hasFocus()
    assert circuit.drawing.chosen == "R2"
    QTest.mouseClick(circuit.drawing, LEFT, NONE, QPoint(2, 2))  # beside everything
    assert circuit.drawing.chosen == "R2"


def test_resistors_are_boxes_or_zig_zags_as_is_preferred(circuit):
    def drawn():
        return circuit.drawing.grab().toImage()

    boxes = drawn()
    click(circuit.zigzag)
    assert circuit._session.settings.preferences.zigzag
    assert drawn() != boxes
    click(circuit.zigzag)
    assert drawn() == boxes


def test_a_large_drawing_scrolls_rather_than_shrinks_its_words(window):
    window.session.selection.look_at_pair(PortRef("foyer-keyboard", "pitch"), PortRef("pit-voice", "pitch"))
    window.resize(1024, 700)
    press(window, Qt.Key.Key_4, CONTROL)
    settle()
    drawing = window.station.converter.drawing
    assert drawing.width() >= int(6.4 * drawing.drawing.width)
    assert drawing.width() > drawing.parentWidget().width()


# -- gates -----------------------------------------------------------------------------------------


def test_a_gate_pair_has_its_circuits_side_by_side_and_one_is_used(window, tmp_path, monkeypatch):
    """From the pair to the circuit in the link: parts stepped, SPICE that fires in ngspice, undone."""
    output, sink = PortRef("workshop-board", "gate"), PortRef("pit-voice", "trigger")
    session = window.session
    session.selection.look_at_pair(output, sink)
    press(window, Qt.Key.Key_4, CONTROL)
    settle()
    page = window.station.gates
    assert window.station.page is page
    rows = table_texts(page.table)
    assert [row[0] for row in rows] == ["Transistor to ground", "Comparator and MOSFET to ground"]
    assert any("shorting input" in text for text in page.meets.shown)
    assert any("on the same link fits now" in text for text in page.words.shown)
    ohms = {part.name: part.ohms for part in page.chosen.stage.parts}
    spare = rows[0][4]
    page.side.values.edits["R1"].setFocus()
    QTest.keyClick(page.side.values.edits["R1"], Qt.Key.Key_Up)
    assert page.chosen.stage.parts[0].ohms > ohms["R1"]
    for _ in range(40):  # stepped so far that the transistor is no longer driven hard
        page.side.values.step("R1", 1)
    assert table_texts(page.table)[0][4] != spare
    assert "needs" in table_texts(page.table)[0][6]
    type_into(page.side.values.edits["R1"], "-4", enter=True)
    assert "more than 0" in page.side.refusal.text()
    type_into(page.side.values.edits["R1"], "12k", enter=True)
    assert page.side.refusal.text() == ""
    deck = page.spice.toPlainText()
    (tmp_path / "fires.cir").write_text(deck)
    assert "R1 out b 12000" in deck
    saved = tmp_path / "parts.csv"
    monkeypatch.setattr("dynamis.ui.views.circuit.saving.QFileDialog.getSaveFileName", lambda *_: (str(saved), ""))
    click(page.side.endings.save_parts)
    assert "NPN transistor" in saved.read_text()
    assert window.station.shown_picture() is page.drawing
    assert window.station.table() is page.table
    press(window, Qt.Key.Key_I, CONTROL, SHIFT)  # ahead of all inputs it would spoil what else hangs there
    settle()
    assert "on a branch of its own, since ahead of all it would spoil what fits" in window.sentence.text()
    assert session.bench.link_from(output).branch_of(sink).gate_stages[0].circuit == "transistor to ground"
    session.document.undo()
    settle()
    for other in session.bench.link_from(output).inputs:
        session.document.apply(part(session.bench, output, other))
    settle()
    press(window, Qt.Key.Key_I, CONTROL, SHIFT)
    settle()
    link = session.bench.link_from(output)
    assert [stage.circuit for stage in link.gate_stages] == ["transistor to ground"]
    assert sink in link.inputs
    assert table_texts(page.table)[0][0].startswith("In the link")
    session.document.undo()
    settle()
    after = session.bench.link_from(output)
    assert after is None or not after.gate_stages
    session.selection.look_at_pair(BOARD, TONE)
    settle()
    assert window.station.page is None


def test_a_keyboard_drives_hertz_per_volt_through_a_converter(window, tmp_path, monkeypatch):
    """From the pair to the converter in the link, with parts and means of one's own; undone again."""
    output, sink = PortRef("foyer-keyboard", "pitch"), PortRef("pit-voice", "pitch")
    session = window.session
    session.selection.look_at_pair(output, sink)
    press(window, Qt.Key.Key_4, CONTROL)
    settle()
    page, side = window.station.converter, window.station.converter.side
    assert window.station.page is page
    assert window.station.table() is page.table
    assert any("twice the volts with every octave" in text for text in page.asks.shown)
    assert any(text.startswith("It ends at note 86 D6") for text in page.asks.shown)
    assert any("10\u00a0°C warmer" in text for text in side.sentences[1].shown)
    assert any("Turn RV6, the level" in text for text in side.sentences[0].shown)
    assert table_texts(page.table)[0][0] == "Bulk resistance of the emitters"
    before = page.chosen.parts
    side.values.edits["R8"].setFocus()
    QTest.keyClick(side.values.edits["R8"], Qt.Key.Key_Down)
    assert page.chosen.parts.ohms["R8"] < before.ohms["R8"]
    assert abs(page.requirement.cents(page.chosen, page.requirement.volts())).max() < 2.0  # set anew
    type_into(side.values.edits["RV6"], "200k", enter=True)
    QTest.keyClick(side.values.edits["RV6"], Qt.Key.Key_Up)
    assert page.chosen.parts.trimmers["RV6"] == 500e3
    QTest.keyClick(side.values.edits["RV6"], Qt.Key.Key_Up)
    assert "end of its sizes" in side.refusal.text()
    for edit, text, words in (
        (page.supply, "0:12", "a rail below 0 V"),
        (page.tolerance, "90 %", "0 % to 20 %"),
        (page.grows, "1e6", "no resistor's"),
        (side.values.edits["R1"], "-1", "more than 0"),
    ):
        type_into(edit, text, enter=True)
        assert words in side.refusal.text()
    type_into(page.supply, "6", enter=True)  # fewer notes, the converter for them
    assert any(text.startswith("It ends at note 7") for text in page.asks.shown)
    type_into(page.supply, "12", enter=True)
    type_into(page.grows, "0", enter=True)
    assert side.refusal.text() == ""
    assert page.chosen.parts.base_ppm == 0.0
    page.series.setCurrentIndex(page.series.findData("E24"))
    page.series.activated.emit(0)
    type_into(page.supply, "15", enter=True)
    assert page.chosen.parts.supply.high == 15.0
    assert not any(text.startswith("It ends at note 86") for text in page.asks.shown)  # ± 15 V reach further
    rows = swept(page.spice.toPlainText(), tmp_path)
    assert rows[-1, 1] == pytest.approx(page.requirement.out_high_volts, rel=1e-3)
    saved = tmp_path / "parts.csv"
    monkeypatch.setattr("dynamis.ui.views.circuit.saving.QFileDialog.getSaveFileName", lambda *_: (str(saved), ""))
    click(side.endings.save_parts)
    assert "matched pair" in saved.read_text()
    high = page._high_note
    press(window, Qt.Key.Key_I, CONTROL, SHIFT)
    settle()
    link = session.bench.link_from(output)
    assert [stored.kind for stored in link.between] == ["exponential"]
    assert (link.high_note, sink in link.inputs) == (high, True)
    assert "in the link" in page.state.text()
    fit = judge_pair(session.bench, link, sink)
    assert {"law-mismatch", "error"}.isdisjoint(one.code for one in fit.findings)
    press(window, Qt.Key.Key_3, CONTROL)
    settle()
    made = nomogram(session.bench, link, link_chain(session.bench, link, sink=sink), np.arange(36.0, 80.0))
    assert "after the converter" in [one.quantity.label for one in made.scales]
    assert np.abs(made.error_cents).max() < 3.0
    session.document.undo()
    settle()
    assert session.bench.link_from(output) is None
    press(window, Qt.Key.Key_4, CONTROL)
    settle()
    assert "not in the link yet" in page.state.text()
    click(page.anew)
    assert page.chosen.parts.supply.high == 15.0


def test_hertz_per_volt_drives_a_voice_through_a_converter_the_other_way(window, tmp_path):
    output, sink = PortRef("foyer-keyboard", "pitch"), PortRef("gallery-voice", "pitch-1")
    session = window.session
    session.document.apply(set_port(session.bench, output, law="hzv:note=36,volts=0.25"))
    session.selection.look_at_pair(output, sink)
    press(window, Qt.Key.Key_4, CONTROL)
    settle()
    page = window.station.converter
    assert window.station.page is page
    assert any(
        "twice the volts with every octave" in text and text.startswith("Foyer keyboard") for text in page.asks.shown
    )
    assert any("Turn RV4, the scale" in text for text in page.side.sentences[0].shown)
    rows = swept(page.spice.toPlainText(), tmp_path)
    assert np.abs(page.requirement.off(rows[:, 1], rows[:, 0])).max() < 2.5
    for width in (1024, 1500):  # what each part adds stands beside the plot where there is room
        window.resize(width, 720)
        settle()
        assert page.table.isVisible() == (width > 1024)
    page.drawing.slot_chosen.emit("R8")
    assert page.side.values.edits["R8"].hasFocus()
    click(page.use)
    link = session.bench.link_from(output)
    assert [stored.kind for stored in link.between] == ["logarithmic"]
    assert "law-mismatch" not in {one.code for one in judge_pair(session.bench, link, sink).findings}
    # A link whose law has changed since: the converter that stands in it is the wrong way round, and another is shown.
    session.document.apply(set_port(session.bench, output, law="voct:scale=1,note=36,volts=0"))
    session.document.apply(set_port(session.bench, sink, law="hzv:note=36,volts=0.25"))
    settle()
    assert (page.chosen.parts.direction, page.requirement.direction) == ("exponential", "exponential")
    assert "not in the link yet" in page.state.text()


def test_the_sheet_of_a_circuit_names_its_parts_and_where_each_trimmer_is_turned_to(
    circuit, window, file_names, tmp_path
):
    """0.37 and 1.676 V: at the reading of each step the circuit with its wish gives what the sheet says, by hand."""
    for name in ("sheet.csv", "sheet.html"):
        file_names.append(str(tmp_path / name))
        action(window, "Save the bench sheet…").trigger()
        until(lambda name=name: (tmp_path / name).exists())
    header, *rows = [line.split(",") for line in (tmp_path / "sheet.csv").read_text(encoding="utf-8").splitlines()]
    assert header == ["send_volts", "turn", "read_volts", "from_volts", "to_volts", "volts_per_turn"]
    assert len(rows) == len(circuit.chosen.trims) > 0
    for send, name, read, low, high, _ in rows:
        assert float(read) == pytest.approx(1.676 + 0.37 * float(send), abs=1e-6)
        # Half of 5 ct either way at 0.37 V/oct.
        assert float(high) - float(low) == pytest.approx(5.0 / 1200.0 * 0.37, rel=1e-3)
        assert name in {one.name for one in circuit.chosen.trims}
    text = (tmp_path / "sheet.html").read_text(encoding="utf-8")
    assert all(one.name in text for one in circuit.chosen.trims)
    assert "Power off, leads out" in text
    assert "To solder" in text
