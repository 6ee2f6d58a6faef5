"""The Bench station in the window: pairs, findings, remedies, gear, links and wiring cards, by keyboard with undo."""

from __future__ import annotations

import os
import time

import msgspec
import pytest
from drive import action, click, keys, press, settle, table_texts, type_into, with_dialog
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton

from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.bench import Bench, Gear, Link
from dynamis.bench.document.commands import add_gear, join, set_port
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_link
from dynamis.errors import InputError
from dynamis.files.store import BenchFile
from dynamis.ui.dialogs.wiring import WiringDialog
from timing import at_once

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
GATE, WEAK = PortRef("workshop-board", "gate"), PortRef("curtain-sequencer", "gate")
ENVELOPE, DRUM = PortRef("wardrobe-envelope", "gate"), PortRef("cellar-drum", "gate")


@pytest.fixture
def station(demo_file, make_window):
    """The demo's Bench, reached by its key."""
    window = make_window(demo_file)
    press(window, Qt.Key.Key_1, CONTROL)
    judged(window)
    return window.station


def judged(window) -> None:
    """Wait until every pair was judged."""
    while not window.session.judge.work(1.0):
        settle()
    window.session.judge.progressed.emit()
    settle()


def findings(station) -> list[str]:
    """The sentences that stand in the panel."""
    return [text.replace("\u00a0", " ") for text in station.findings.sentences()]


def test_the_first_joined_pair_is_chosen_and_told_as_the_core_judges_it(station, demo_file):
    bench = demo_file.bench()
    first = judge_link(bench, bench.links[0], demo_file.adoptions())[0]
    assert station.fit == first
    assert station.findings.names.text() == "Workshop board · pitch A, unit 02 → Gallery voice · pitch 1"
    assert station.findings.verdict.text() == "Needs a circuit: −122.1 ct."
    assert findings(station) == [one.text for one in first.findings]
    wanted = remedies_for(bench, first, demo_file.adoptions())
    assert [card.accessibleName() for card in station.findings.cards] == [one.title for one in wanted]
    assert station.findings.join.text().startswith("Part")
    model = station.model
    told = model.data(model.index(0, model.inputs.index(first.input)), Qt.ItemDataRole.AccessibleTextRole)
    assert told == "Workshop board · pitch A into Gallery voice · pitch 1: joined, needs a circuit, −122.1 ct"
    assert model.headerData(1, Qt.Orientation.Horizontal) == "Gallery voice\npitch 1"


def test_the_badge_counts_what_joined_links_ask_for(station, demo_file):
    bench, window = demo_file.bench(), station.window()
    fits = [fit for link in bench.links for fit in judge_link(bench, link, demo_file.adoptions())]
    asked = sum(finding.asks for fit in fits for finding in fit.findings)
    assert window.session.judge.questions == asked > 8
    assert (
        window.station_buttons["Bench"].accessibleName() == f"Bench: {asked} findings of joined links ask for something"
    )
    assert window.station_buttons["Bench"].text() != "Bench"


def test_a_pair_is_joined_and_parted_by_keyboard_with_undo(station):
    window, session = station.window(), station._session
    station.choose(WEAK, ENVELOPE)
    press(window, Qt.Key.Key_6, CONTROL)
    press(window, Qt.Key.Key_J, CONTROL)  # from elsewhere it only leads there
    assert (window.station, ENVELOPE in session.bench.link_from(WEAK).inputs) == (station, False)
    press(window, Qt.Key.Key_J, CONTROL)
    assert ENVELOPE in session.bench.link_from(WEAK).inputs
    assert (
        session.document.file.undo_label()
        == "join Curtain sequencer · gate and Wardrobe envelope · gate, parting Fly lever · along from it"
    )
    assert station.findings.join.text() == "Part (Ctrl+J)"
    action(window, "Undo").trigger()
    assert ENVELOPE not in session.bench.link_from(WEAK).inputs
    station.choose(GATE, PortRef("gallery-voice", "gate"))
    station.pairs.setFocus()
    press(window, Qt.Key.Key_Return)
    assert session.bench.link_from(GATE).inputs == ()
    station.choose(GATE, ENVELOPE)
    action(window, "Join beside").trigger()
    assert len(session.bench.links_into(ENVELOPE)) == 2
    assert "outputs-contending" in {one.code for one in station.fit.findings}
    with BenchFile.open(session.document.file.path, write=False) as again:
        assert again.bench() == session.bench


def test_arrows_filters_and_the_ranked_list_lead_to_other_pairs(station):
    station.pairs.setFocus()
    press(station.window(), Qt.Key.Key_Down)
    assert station.fit.output.port == "pitch-b"
    station.role.setCurrentIndex(2)
    station.role.activated.emit(2)
    assert {port.port for port in station.model.inputs}.isdisjoint({"pitch-1", "pitch-2", "tone"})
    station.only.setCurrentIndex(station.only.findData("unsafe"))
    station.only.activated.emit(0)
    shown = [
        station.model.data(station.model.index(row, column))
        for row in range(station.model.rowCount())
        for column in range(station.model.columnCount())
    ]
    assert any(shown)
    assert all(
        any(
            station.judge.matrix.known(output, sink) is not None
            and station.judge.matrix.known(output, sink).verdict == "unsafe"
            for sink in station.model.inputs
        )
        for output in station.model.outputs
    )
    station.choose(GATE, DRUM)
    ranked = table_texts(station.findings.others)
    assert ranked[0][1] == "fits"
    station.findings.others.on_activate((WEAK, DRUM))
    assert station.fit.output == WEAK
    station.choose(GATE, PortRef("attic-filter", "gate"))
    assert station.findings.verdict.text() == "Cannot tell yet."
    assert "until you measure" in findings(station)[0]


def test_numbers_are_told_in_the_readers_style(station):
    session = station._session
    station.choose(GATE, PortRef("pit-voice", "trigger"))
    session.settings.change(msgspec.structs.replace(session.settings.preferences, decimal_comma=True))
    judged(station.window())
    assert "bears 5,50 V" in findings(station)[0]
    assert any(
        "," in card.accessibleName() or "MOSFET" in card.accessibleName() or "Transistor" in card.accessibleName()
        for card in station.findings.cards
    )


def test_a_remedy_is_applied_told_and_undone(station):
    session, sink = station._session, PortRef("carousel-board", "tremolo")
    station.choose(PortRef("workshop-board", "modulation"), sink)
    assert station.fit.verdict == "unsafe"
    click(station.findings.cards[0].button)
    assert session.document.file.undo_label() == "Workshop board · modulation: put gain 0.400, offset +1.620 V between"
    assert (station.fit.verdict, station.findings.join.text()) == ("fits", "Part (Ctrl+J)")
    press(station.window(), Qt.Key.Key_F3)
    assert station.stack.currentWidget() is station.link
    out = next(one for one in station.link.findChildren(QPushButton) if one.text() == "Take out")
    click(out)
    assert (session.bench.link_from(station.fit.output).between, station.fit.verdict) == ((), "unsafe")
    action(station.window(), "Undo").trigger()
    assert station.fit.verdict == "fits"
    station.show_tab(0)
    action(station.window(), "Apply the first remedy").trigger()
    assert "no remedy" in station.window().sentence.text()


def test_the_remedies_of_a_pair_that_is_gone_go_with_it(station):
    station.choose(PortRef("workshop-board", "modulation"), PortRef("carousel-board", "tremolo"))
    assert station.findings.cards
    station.findings.show_pair(None, False)
    assert (station.findings.cards, station.findings.sentences()) == ([], [])
    with pytest.raises(InputError, match="no remedy"):
        station.findings.apply_first()


def test_a_workaround_leads_to_the_output_that_drives_the_input_then(station):
    station.choose(WEAK, DRUM)
    card = next(one for one in station.findings.cards if one.accessibleName() == "By Wardrobe envelope")
    click(card.button)
    assert station.fit.output == PortRef("wardrobe-envelope", "envelope")
    assert [one.code for one in station.fit.findings if one.severity != "note"] == ["pulse-too-long"]
    pulse = next(one for one in station.findings.cards if one.accessibleName() == "A pulse from the rise")
    click(pulse.button)
    assert station.fit.verdict == "fits"


def test_a_caution_is_dismissed_for_this_bench_and_comes_back(station):
    station.choose(PortRef("prompt-desk-laptop", "out-1"), PortRef("gallery-voice", "swell"))
    settle()
    buttons = [one for one in station.findings.findChildren(QPushButton) if one.text() == "Dismiss" and one.isVisible()]
    click(buttons[0])
    assert station._session.bench.dismissed == ("loud",)
    action(station.window(), "Show all cautions again").trigger()
    assert station._session.bench.dismissed == ()


def test_gear_is_added_edited_copied_and_archived_in_place(station):
    window, session = station.window(), station._session

    def name_it(dialog) -> None:
        dialog.kind.setCurrentIndex(0)
        dialog.try_accept()
        assert dialog.sentence.text() == "The gear needs a name."
        type_into(dialog.name, "Pit voice")
        dialog.try_accept()
        assert "called 'Pit voice' already" in dialog.sentence.text()
        dialog.name.setText("Trapdoor voice ♪")
        dialog.try_accept()

    with_dialog(lambda: press(window, Qt.Key.Key_G, CONTROL, SHIFT), name_it)
    ref = PortRef("trapdoor-voice", "gate")
    assert session.document.file.undo_label() == "add Trapdoor voice ♪"
    station.gear.look_at(ref)
    form = station.gear.port_form
    type_into(form.editor("gate.on_volts"), "3.3 V", enter=True)
    assert session.bench.port(ref).gate.on_volts == 3.3
    type_into(form.editor("gate.off_volts"), "4 V", enter=True)
    assert "is above its on threshold" in station.gear.refusal.text()
    press(form.editor("gate.off_volts"), Qt.Key.Key_Escape)
    assert station.gear.refusal.text() == ""
    type_into(form.editor("ohms"), "", enter=True)
    assert session.bench.port(ref).ohms is None
    form.editor("gate.edge").click()
    assert session.bench.port(ref).gate.edge
    name, at = station.gear.gear_form.editor("settings").rows[0]
    type_into(name, "Mode", enter=True)
    type_into(at, "far", enter=True)
    assert session.bench.gear_by("trapdoor-voice").settings[0].value == "far"

    def add_port(dialog) -> None:
        dialog.kind.setCurrentIndex(10)
        dialog.try_accept()

    with_dialog(lambda: press(window, Qt.Key.Key_P, CONTROL, SHIFT), add_port)
    assert len(session.bench.gear_by("trapdoor-voice").ports) == 4
    click(station.gear.copy)
    assert session.bench.gear[-1].name == "Trapdoor voice ♪ 2"
    click(station.gear.archive)
    assert session.bench.gear_by("trapdoor-voice").archived
    for _ in range(9):
        action(window, "Undo").trigger()
    assert "trapdoor-voice" not in {gear.id for gear in session.bench.gear}


def test_from_an_empty_bench_by_keyboard_to_a_link_that_fits_and_again(empty_file, make_window):
    """Gear of two kinds, joined, its findings read, a remedy, undo, redo, and the file opened again."""
    window = make_window(empty_file)
    session = window.session
    press(window, Qt.Key.Key_1, CONTROL)
    for kind, name in (("Step", "Cellar steps"), ("Battery", "Tone board")):

        def answer(dialog, kind=kind, name=name) -> None:
            type_into(dialog.kind, kind)
            keys("\t")
            type_into(dialog.name, name, enter=True)

        with_dialog(lambda: press(window, Qt.Key.Key_G, CONTROL, SHIFT), answer)
    assert [gear.name for gear in session.bench.gear] == ["Cellar steps", "Tone board"]
    press(window, Qt.Key.Key_F2)
    assert window.station.findings.names.text() == "Cellar steps · row A → Tone board · tone"
    assert any("falls silent" in text for text in findings(window.station))
    press(window, Qt.Key.Key_J, CONTROL)
    press(window, Qt.Key.Key_J, CONTROL, SHIFT)
    link = session.bench.links[0]
    assert (link.output.gear, link.between[0].kind) == ("cellar-steps", "circuit")
    # 0.4 V an octave on 1.7 V reach the 3.3 V that the board bears at note 84: so many notes are used
    assert (session.bench.links[0].high_note, window.station.fit.verdict) == (84.0, "marginal")
    press(window, Qt.Key.Key_Z, CONTROL)
    assert not session.bench.links[0].between
    press(window, Qt.Key.Key_Z, CONTROL, SHIFT)
    path, left = session.document.file.path, session.bench
    window.close()
    with BenchFile.open(path) as again:
        assert again.bench() == left
        assert again.undo_label() == "Cellar steps · row A: put gain 0.400, offset +1.700 V, 36 C2 to 84 C6 between"


def test_a_wiring_card_is_shown_printed_and_kept(station, tmp_path):
    station.choose(PortRef("fly-lever", "across"), PortRef("attic-filter", "pedal"))

    def look(dialog: WiringDialog) -> None:
        text = dialog.shown.toPlainText()
        for words in (
            "Fly lever · across → Attic filter · pedal",
            "shorted to the sleeve by the plug",
            "Unsafe.",
            "Do not plug",
        ):
            assert words in text
        for name, start in (("card.pdf", b"%PDF"), ("card.html", b"<!DOCTYPE html>")):
            dialog.write(tmp_path / name)
            assert (tmp_path / name).read_bytes().startswith(start)
        os.mkfifo(tmp_path / "pipe.pdf")
        for name in ("pipe.pdf", "none/card.pdf", "none/card.html"):
            with pytest.raises(InputError, match=name):
                dialog.write(tmp_path / name)

    with_dialog(lambda: action(station.window(), "Wiring card").trigger(), look)


def test_an_empty_bench_says_what_to_do(empty_file, make_window):
    window = make_window(empty_file)
    press(window, Qt.Key.Key_1, CONTROL)
    assert window.station.findings.names.text() == "Nothing to judge yet"
    assert "Ctrl+Shift+G" in window.station.findings.verdict.text()
    with_dialog(lambda: click(window.station.findings.join), lambda dialog: dialog.reject())
    press(window, Qt.Key.Key_2, CONTROL)
    assert "Join two on Bench" in window.station.verdict.text()


def test_two_thousand_links_never_stop_the_window(empty_file, make_window):
    """2 000 links with any Unicode in their names: no turn of the event loop takes long, and all joined are judged."""
    sends = Gear(
        "desk", "Pult ☂ 幕", tuple(Port(f"o{k}", f"出{k}", "output", "gate", ohms=1000.0) for k in range(2000))
    )
    takes = Gear("hall", "Saal", tuple(Port(f"i{k}", f"é{k}", "input", "gate", ohms=100e3) for k in range(2000)))
    links = tuple(Link(f"l{k}", PortRef("desk", f"o{k}"), (PortRef("hall", f"i{k}"),)) for k in range(2000))
    empty_file.record("many", Bench("Many", (sends, takes), links))
    window = make_window(empty_file)
    press(window, Qt.Key.Key_1, CONTROL)
    turns, end = [], time.monotonic() + 120.0
    while window.session.judge.questions is None or len(turns) < 100:
        begun = time.thread_time()
        QApplication.processEvents()
        turns.append(time.thread_time() - begun)
        assert time.monotonic() < end
    # both levels of each output and both thresholds of each input are to be measured
    assert window.session.judge.questions == 4 * 2000
    assert sorted(turns)[-5] < 0.1
    with at_once(0.5):  # 0.1 s here
        window.session.document.apply(set_port(window.session.bench, PortRef("hall", "i7"), ohms=47e3))
    matrix = window.session.judge.matrix
    assert isinstance(matrix, Matrix)
    assert matrix.judged < 10_000


def test_an_unknown_voice_is_learnt_from_readings_and_then_judged(empty_file, make_window):
    """From an empty bench, by the window's own forms: a keyboard, a voice without a data sheet, five pairs, a resistor."""
    window = make_window(empty_file)
    session = window.session
    action(window, "Learn a port").trigger()
    assert "There is no port on this bench yet" in window.sentence.text()
    keys = Port("out", "pitch", "output", law="voct:scale=1,note=36,volts=0", ohms=1000.0)
    gate_in = Port("gate", "gate", "input", "gate")
    voice = Gear("voice", "Cellar voice", (Port("in", "pitch", "input"), gate_in))
    for one in (Gear("keys", "Attic keys", (keys,)), voice):
        session.document.apply(add_gear(session.bench, one))
    session.document.apply(join(session.bench, PortRef("keys", "out"), PortRef("voice", "in")))

    def law(dialog) -> None:
        dialog.look_at(PortRef("voice", "in"))
        assert not dialog.ok.isEnabled()
        dialog.pairs.setPlainText("0.500 V 92.50 Hz\n1.500  185.0")
        assert "3 pairs at different volts" in dialog.sentence.text()
        assert not dialog.ok.isEnabled()
        dialog.pairs.setPlainText("0.500 V 92.50 Hz\n1.500  185.0\n2.500 370.0 Hz\n3.500 740.0")
        told = dialog.told.text().replace("\u00a0", " ")
        assert "Hz/V does not fit" in told
        assert "That is 1 V/oct, as far as these readings can tell." in told
        dialog.try_accept()

    def resistance(dialog) -> None:
        dialog.look_at(PortRef("voice", "in"))
        dialog.what.setCurrentIndex(1)
        assert dialog.resistor.isVisible()
        assert not dialog.pairs.isVisible()
        for field, text in ((dialog.first, "5.000"), (dialog.second, "2.488"), (dialog.resistor, "100k")):
            type_into(field, text)
        assert "kΩ, standing at 0.00 V by itself" in dialog.told.text().replace("\u00a0", " ")
        dialog.try_accept()

    def gate(dialog) -> None:
        dialog.look_at(PortRef("voice", "gate"))
        dialog.what.setCurrentIndex(2)
        dialog.walk.setPlainText("0.5 1.0 1.5 2.0+ 2.5+ 2.0+ 1.5+ 1.0 0.5")
        assert "Hysteresis 0.50" in dialog.told.text().replace("\u00a0", " ")
        dialog.try_accept()

    def shortest(dialog) -> None:
        dialog.look_at(PortRef("voice", "gate"))
        dialog.what.setCurrentIndex(3)
        assert not dialog.walk.isVisible()
        type_into(dialog.lengths, "5 ms+ 2 ms+ 1 ms 1.5 ms")
        assert "It takes pulses from 1.75" in dialog.told.text().replace("\u00a0", " ")
        dialog.try_accept()

    for answer in (law, resistance, gate, shortest):
        with_dialog(lambda: action(window, "Learn a port").trigger(), answer)
    takes = session.bench.port(PortRef("voice", "in"))
    assert takes.ohms == pytest.approx(1.0 / (1.0 / 99.045e3 - 1.0 / 10e6), rel=0.002)
    assert session.bench.port(PortRef("voice", "gate")).gate.on_volts == pytest.approx(1.75 + 0.29, abs=0.02)
    fit = judge_link(session.bench, session.bench.links[0])[0]
    # Note 36 is 65.41 Hz, at 0 V of the keys; the voice plays that at 0 V too: six tenths of a cent, and the loading.
    assert {one.code for one in fit.findings} >= {"loading"}
    assert 1.75e-3 < session.bench.port(PortRef("voice", "gate")).gate.min_seconds < 2.5e-3  # read to 1 ms
    for _ in range(2):
        action(window, "Undo").trigger()
    assert session.bench.port(PortRef("voice", "gate")).gate is None
