"""Whole jobs on an empty bench through the window: gear from the library, joined, judged, mended, proved."""

from __future__ import annotations

import pytest
from drive import action, click, press, settle, table_texts, type_into, with_dialog
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton

from dynamis.bench.document.ports import PortRef

CONTROL = Qt.KeyboardModifier.ControlModifier


def judged(window) -> None:
    while not window.session.judge.work(1.0):
        settle()
    window.session.judge.progressed.emit()
    settle()


@pytest.fixture
def window(empty_file, make_window):
    window = make_window(empty_file)
    press(window, Qt.Key.Key_1, CONTROL)
    return window


def put(window, kind: str, name: str) -> str:
    """Gear of a kind from the library, by its dialog; its id."""

    def answer(dialog) -> None:
        box = dialog.findChild(QComboBox)
        box.setCurrentIndex(box.findText(kind))
        type_into(dialog.name, name)
        dialog.try_accept()

    with_dialog(lambda: action(window, "Add gear").trigger(), answer)
    return window.session.bench.gear[-1].id


def joined(window, output: PortRef, sink: PortRef) -> None:
    window.station.choose(output, sink)
    press(window, Qt.Key.Key_J, CONTROL)
    assert any(link.output == output and sink in link.inputs for link in window.session.bench.links)
    judged(window)


def edited(window, ref: PortRef, path: str, text: str) -> None:
    """A field of a port, typed on the Gear page."""
    window.station.show_tab(2)
    window.station.gear.look_at(ref)
    type_into(window.station.gear.port_form.editor(path), text, enter=True)


def button(widget, text: str) -> QPushButton:
    settle()
    return next(
        one
        for one in widget.findChildren(QPushButton)
        if text in (one.text(), one.accessibleName()) and one.isVisibleTo(widget)
    )


def codes(window) -> dict[str, str]:
    return {one.code: one.text for one in window.station.fit.findings}


def test_keys_transpose_a_row_through_an_adder_whose_unity_is_found_by_its_octave(window):
    row, keys = put(window, "Step sequencer", "Row"), put(window, "Keyboard", "Keys")
    adder, voice = put(window, "Adder", "Adder"), put(window, "Voice, V/oct", "Voice")
    ends = PortRef(adder, "sum"), PortRef(voice, "pitch")
    joined(window, PortRef(row, "row-a"), PortRef(adder, "in-1"))
    joined(window, PortRef(keys, "pitch"), PortRef(adder, "in-2"))
    joined(window, *ends)
    for port in (PortRef(row, "row-a"), PortRef(keys, "pitch"), PortRef(adder, "sum")):
        edited(window, port, "ohms", "0")
    judged(window)
    window.station.choose(*ends)
    assert "prove its gain by an octave" in codes(window)["way-gain"]
    window.station.show_tab(2)
    window.station.gear.look_at(ends[0])

    def read(dialog) -> None:
        dialog.way.setCurrentIndex(1)
        type_into(dialog.low, "1.0000")
        type_into(dialog.high, "1.9940")
        assert "Turn its gain by +0.60 %" in dialog.told.text().replace("\u00a0", " ")
        dialog.try_accept()

    with_dialog(lambda: click(button(window.station.gear, "Prove by an octave…")), read)
    judged(window)
    window.station.choose(*ends)
    assert "1192.8 ct" in codes(window)["way-gain"]
    assert window.station.fit.verdict == "needs-circuit"
    window.station.show_tab(0)
    assert any("Trim what is added by +0.60 %" in card.accessibleName() for card in window.station.findings.cards)
    action(window, "Undo").trigger()
    judged(window)
    assert "prove its gain by an octave" in codes(window)["way-gain"]


def test_one_output_plays_two_voices_of_which_one_needs_a_circuit(window):
    keys, voice, board = (
        put(window, kind, name)
        for kind, name in (("Keyboard", "Keys"), ("Voice, V/oct", "Voice"), ("Battery-run tone board", "Board"))
    )
    out = PortRef(keys, "pitch")
    edited(window, out, "ohms", "0")
    for sink in (PortRef(voice, "pitch"), PortRef(board, "tone")):
        joined(window, out, sink)
    edited(window, PortRef(board, "tone"), "bears.high", "5")
    judged(window)
    window.station.choose(out, PortRef(board, "tone"))
    window.station.show_tab(0)
    card = next(one for one in window.station.findings.cards if one.accessibleName().endswith("branch of its own"))
    click(button(card, "Apply"))
    judged(window)
    link = window.session.bench.link_from(out)
    assert [branch.inputs for branch in link.branches] == [(PortRef(board, "tone"),)]
    fits = {sink.gear: window.session.judge.matrix.fit(out, sink).verdict for sink in link.inputs}
    assert fits[voice] == "marginal"
    assert fits[board] in ("fits", "marginal")
    window.station.choose(out, PortRef(board, "tone"))
    window.station.show_tab(1)
    click(button(window.station.link, "Ahead of all"))
    assert window.session.bench.link_from(out).branches == ()
    click(button(window.station.link, "On its branch"))
    assert window.session.bench.link_from(out) == link
    click(button(window.station.link, "Take out"))
    assert window.session.bench.link_from(out).branches == ()


def test_a_depth_knob_is_described_set_by_a_remedy_and_said_on_the_card(window):
    lever, voice = put(window, "Two-axis lever", "Lever"), put(window, "Voice, V/oct", "Voice")
    sink = PortRef(voice, "modulation")
    edited(window, sink, "swing.low_volts", "-1")
    edited(window, sink, "swing.high_volts", "1")
    assert window.session.bench.port(sink).knobs[0].does == "depth"

    def turned_up(dialog) -> None:
        type_into(dialog.fields.editor("at"), "100 %", enter=True)
        assert "at 100 %" in dialog.words.text().replace("\u00a0", " ")
        dialog.try_accept()

    with_dialog(lambda: click(button(window.station.gear, "Edit…")), turned_up)
    joined(window, PortRef(lever, "across"), sink)
    assert window.station.fit.verdict == "needs-circuit"
    window.station.show_tab(0)
    first = window.station.findings.cards[0]
    assert first.accessibleName().startswith("Turn Depth to")
    click(button(first, "Apply"))
    judged(window)
    assert window.station.fit.verdict == "fits"
    assert window.session.bench.port(sink).knobs[0].at == pytest.approx(1 / (3.5 / 1.0047), abs=2e-3)

    def added(dialog) -> None:
        type_into(dialog.fields.editor("name"), "Depth", enter=True)
        dialog.try_accept()

    window.station.show_tab(2)
    with_dialog(lambda: click(button(window.station.gear, "Add a knob…")), added)
    assert "has a knob called 'Depth' already" in window.station.gear.refusal.text()
    click(button(window.station.gear, "Remove the knob Depth"))
    assert window.session.bench.port(sink).knobs == ()


def test_a_voices_own_tracking_is_read_and_its_scale_trimmed(window):
    voice = put(window, "Voice, V/oct", "Voice")
    sink = PortRef(voice, "pitch")
    edited(window, sink, "oscillator.scale_limit", "1 %")
    box = window.station.gear.port_form.editor("trimmers")
    box.setCurrentIndex(1)
    box.activated.emit(1)
    press(window, Qt.Key.Key_6, CONTROL)

    def begin(dialog) -> None:
        dialog.channel.setCurrentIndex(0)
        assert "its own tracking" in dialog.channel.currentText()
        assert dialog.quantity.currentData() == "hertz"
        type_into(dialog.plan, "36,48,60,72,84")
        dialog.try_accept()

    with_dialog(lambda: action(window, "New run").trigger(), begin)
    session = window.session
    assert [unit.serial for unit in session.bench.gear_by(voice).units] == ["01"]
    for k, note in enumerate((36, 48, 60, 72, 84)):
        assert session.selection.note == note
        type_into(window.station.entry.entry, f"{65.4064 * 2 ** (k * 0.994):.3f}", enter=True)
    run = session.runs.analysis()
    assert (run.run.side, [way.kind for way in run.corrections]) == ("input", ["trimmer"])
    assert run.fit.line.gain == pytest.approx(0.994, abs=1e-4)
    assert not window.station.course.isVisible()
    assert len(table_texts(window.station.readings.readings)) == 5


def test_instruments_are_added_changed_and_put_away_ranges_as_one_thing(window):
    session = window.session

    def meter(dialog) -> None:
        for edit, text in (
            (dialog.name, "Bench meter"),
            (dialog.range_name, "20 V"),
            (dialog.accuracy, "0.05 % + 3 counts"),
            (dialog.resolution, "10 mV"),
        ):
            type_into(edit, text)
        dialog.try_accept()

    def second(dialog) -> None:
        assert dialog.name.text() == "Bench meter"
        for edit, text in (
            (dialog.range_name, "2 V"),
            (dialog.accuracy, "0.05 % + 3 counts"),
            (dialog.resolution, "1 mV"),
        ):
            type_into(edit, text)
        dialog.try_accept()

    def renamed(dialog) -> None:
        type_into(dialog.name, "Old meter")
        type_into(dialog.input, "1M")
        dialog.try_accept()

    def look(dialog) -> None:
        with_dialog(lambda: click(dialog.add), meter)
        with_dialog(lambda: click(dialog.add_range), second)
        with_dialog(lambda: click(dialog.edit), renamed)
        assert {(one.name, one.input_ohms) for one in session.bench.meters} == {("Old meter", 1e6)}
        assert [row[2] for row in table_texts(dialog.table)] == ["20 V", "2 V"]
        click(dialog.archive)
        assert dialog.archive.text() == "Take out"
        assert [one.archived for one in session.bench.meters] == [True, True]
        assert {row[4] for row in table_texts(dialog.table)} == {"archived"}
        dialog.accept()

    with_dialog(lambda: action(window, "Instruments").trigger(), look)
    action(window, "Undo").trigger()
    assert [one.archived for one in session.bench.meters] == [False, False]


def between(window, kind: str):
    """The page of a circuit that remembers, on Circuit."""
    press(window, Qt.Key.Key_4, CONTROL)
    box = window.station.rails.kind
    box.setCurrentIndex(box.findData(kind))
    box.activated.emit(box.currentIndex())
    settle()
    return window.station.memory


def chosen(page, words: str, text: str) -> None:
    """An entry of one of the page's lists, by what it says."""
    box = next(one for one in page.findChildren(QComboBox) if one.accessibleName() == words)
    box.setCurrentIndex(next(k for k in range(box.count()) if text in box.itemText(k)))
    box.activated.emit(box.currentIndex())
    settle()


def test_a_gated_pitch_opens_and_closes_an_instrument_without_a_gate(window):
    keys, voice = put(window, "Keyboard", "Keys"), put(window, "Voice, V/oct", "Voice")
    pair = PortRef(keys, "pitch"), PortRef(voice, "pitch")
    edited(window, pair[0], "ohms", "0")
    edited(window, pair[1], "silent_below_volts", "0.5")
    joined(window, *pair)
    # What is wrong comes first: the six lowest notes are silent.
    window.station.show_tab(0)
    cards = {one.accessibleName(): one for one in window.station.findings.cards}
    assert "A gated pitch" not in cards
    click(button(cards["Use 42 F♯2 to 96 C7"], "Apply"))
    judged(window)
    assert "the note never stops" in codes(window)["never-silent"]

    window.station.show_tab(0)
    card = next(one for one in window.station.findings.cards if one.accessibleName() == "A gated pitch")
    click(button(card, "Apply"))
    judged(window)
    assert "never-silent" not in codes(window)
    action(window, "Undo").trigger()
    judged(window)

    page = between(window, "gated-pitch")
    window.station.use_in_link()
    judged(window)
    press(window, Qt.Key.Key_1, CONTROL)
    assert {"never-silent", "unknown-value"} <= set(codes(window))  # nothing opens it yet
    page = between(window, "gated-pitch")
    chosen(page, "Gate", "Keys · gate")
    assert next(row[0] for row in table_texts(page.table)) == "offset at most"
    window.station.use_in_link()
    judged(window)
    press(window, Qt.Key.Key_1, CONTROL)
    assert not {"never-silent", "unknown-value"} & set(codes(window))
    window.station.show_tab(1)
    told = [one.text() for one in window.station.link.findChildren(QLabel)]
    assert any(text.startswith("gated pitch") and text.endswith("gate is Keys · gate") for text in told)

    page = between(window, "gated-pitch")
    chosen(page, "Gate down", "held")
    assert "holds" in page.side.values.edits["C1"].accessibleName()
    assert any("ct a second" in text for text in page.told.shown)


def test_a_hold_is_given_a_capacitor_that_is_large_enough_and_stands_in_its_link(window):
    row, voice = put(window, "Step sequencer", "Row"), put(window, "Voice, V/oct", "Voice")
    pair = PortRef(row, "row-a"), PortRef(voice, "pitch")
    edited(window, pair[0], "ohms", "0")
    joined(window, *pair)
    page = between(window, "sample-and-hold")
    # 1.2 nA at 1200 cents a volt within 5 ct for a second: 288 nF, so 330 nF of E12.
    assert page.side.values.edits["C1"].text().replace("\u00a0", " ") == "330 nF"
    type_into(page.side.values.edits["C1"], "100 nF", enter=True)
    rows = dict(one[:2] for one in table_texts(page.table))
    assert rows["droop in cents"].replace("\u00a0", " ") == "14.4 ct/s"
    type_into(page.side.values.edits["C1"], "none", enter=True)
    assert "C1" in page.side.refusal.text()
    window.station.use_in_link()
    judged(window)
    link = window.session.bench.link_from(pair[0])
    assert [one.values.get("farads") for one in link.between] == [pytest.approx(100e-9)]
    type_into(window.station.rails.edit, "none", enter=True)
    between(window, "glide")
    assert "no rails are at hand" in page.side.refusal.text()
    assert not page.use.isEnabled()
    press(window, Qt.Key.Key_1, CONTROL)
    assert codes(window)["held-droops"].startswith("Held by 100")
    window.station.show_tab(1)
    click(button(window.station.link, "Take out"))
    assert window.session.bench.link_from(pair[0]).between == ()


def ported(window, gear: str, kind: str, name: str) -> PortRef:
    """A port of a kind put on a gear by its dialog."""
    window.station.show_tab(2)
    window.station.gear.look_at(PortRef(gear, window.session.bench.gear_by(gear).ports[0].id))

    def answer(dialog) -> None:
        dialog.kind.setCurrentIndex(dialog.kind.findText(kind))
        type_into(dialog.name, name)
        dialog.try_accept()

    with_dialog(lambda: click(window.station.gear.add_port), answer)
    return PortRef(gear, window.session.bench.gear_by(gear).ports[-1].id)


def picked(window, ref: PortRef, path: str, text: str) -> None:
    """An entry of a list on the Gear page."""
    window.station.show_tab(2)
    window.station.gear.look_at(ref)
    settle()
    box = window.station.gear.port_form.editor(path)
    box.setCurrentIndex(next(k for k in range(box.count()) if box.itemText(k) == text))
    box.activated.emit(box.currentIndex())
    settle()


def test_a_slow_wave_clocks_a_sequencer(window):
    lever, row = put(window, "Two-axis lever", "Wave"), put(window, "Step sequencer", "Row")
    wave, clock = PortRef(lever, "across"), PortRef(row, "clock")
    for ref, ohms in ((wave, "1 k"), (clock, "100 k")):
        edited(window, ref, "ohms", ohms)
    joined(window, wave, clock)
    assert window.station.fit.verdict == "fits"
    edited(window, wave, "swing.high_volts", "1 V")
    judged(window)
    window.station.choose(wave, clock)
    assert window.station.fit.verdict == "needs-circuit"
    window.station.show_tab(0)
    click(button(window.station.findings.cards[0], "Apply"))
    judged(window)
    assert window.station.fit.verdict == "fits"
    assert window.session.bench.link_from(wave).gate_stages


def test_a_pedal_attenuates_an_inside_signal(window):
    pedal, voice = put(window, "Pedal", "Pedal"), put(window, "Voice, V/oct", "Voice")
    inside, jack = ported(window, voice, "Modulation output, bipolar", "inside wave"), PortRef(voice, "modulation")
    wiper = PortRef(pedal, "wiper")
    for path, text in (("swing.low_volts", "-5"), ("swing.high_volts", "5"), ("ohms", "1 M")):
        edited(window, jack, path, text)
    edited(window, inside, "ohms", "100")
    for path, text in (("pot.ohms", "22 k"), ("pot.fed_volts", "")):
        edited(window, wiper, path, text)
    for at in (wiper, jack):
        picked(window, at, "poles.ring", "second signal")
    picked(window, jack, "poles.ring.port", "inside wave")
    joined(window, wiper, jack)
    judged(window)
    window.station.choose(wiper, jack)
    assert window.station.fit.verdict in ("fits", "marginal"), window.station.fit.findings
    assert window.station.fit.value > 90.0  # the whole of the inside wave, and by the pedal any part of it


def test_two_signals_leave_one_jack_by_a_split_lead(window):
    keys, voice = put(window, "Keyboard", "Keys"), put(window, "Voice, V/oct", "Voice")
    jack, gate = PortRef(keys, "pitch"), PortRef(keys, "gate")
    into = PortRef(voice, "pitch"), PortRef(voice, "gate")
    for ref in (jack, gate):
        edited(window, ref, "ohms", "0")
    picked(window, jack, "poles.ring", "second signal")
    picked(window, jack, "poles.ring.port", "gate")
    picked(window, gate, "poles.tip", "nothing")
    picked(window, gate, "poles.ring", "signal")
    joined(window, jack, into[0])
    assert "second-signal-lost" in codes(window)
    window.station.show_tab(0)
    card = next(one for one in window.station.findings.cards if "split lead" in one.accessibleName().lower())
    click(button(card, "Apply"))
    joined(window, gate, into[1])
    window.station.show_tab(1)
    lead = window.station.link.form.editor("lead")
    lead.setCurrentIndex(next(k for k in range(lead.count()) if lead.itemText(k).startswith("split")))
    lead.activated.emit(lead.currentIndex())
    judged(window)
    for output, sink in zip((jack, gate), into, strict=True):
        window.station.choose(output, sink)
        assert window.station.fit.verdict in ("fits", "marginal")
        assert "second-signal-lost" not in codes(window)
