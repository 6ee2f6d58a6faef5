"""The Chain and Circuit stations in the window: what is drawn is what the core says, and the way from a finding on
Bench to a circuit in the link."""

from __future__ import annotations

import numpy as np
import pytest
from drive import action, answered, answered_or_refused, click, press, settle, table_texts, type_into
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from tests.electrics.spice import swept

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.nomogram import nomogram
from dynamis.bench.designing.between import circuit_of
from dynamis.bench.document.commands import join, part, set_port
from dynamis.bench.document.ports import PortRef, PotRecord, Through, Way
from dynamis.bench.gear.commands import set_through
from dynamis.bench.judging.pairs import judge_link
from dynamis.ui.views.chain.budget import _ROW, _SUMS

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
BOARD, TONE = PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone")


@pytest.fixture
def chain(window):
    press(window, Qt.Key.Key_3, CONTROL)
    settle()
    return window.station


# -- the chain -------------------------------------------------------------------------------------


def test_the_nomogram_is_the_chain(chain):
    """FACTS of the trade: two inputs of 100 kΩ on 1 kΩ, 51 cents flat at note 60 and 122 at note 96."""
    session = chain._session
    link = session.bench.link_from(PortRef("workshop-board", "pitch-a"))
    made = link_chain(session.bench, link, session.runs.head(), link.inputs[0])
    assert [field.accessibleName().split(", ")[0] for field in chain.fields] == [one.label for one in made.chain.scales]
    assert chain.fields[0].text() == "60 C4"
    assert chain.nomogram.error_cents == pytest.approx(made.chain.error_cents(chain.nomogram.notes, made.true))
    assert chain.nomogram.gap_cents(2)[[24, 60]] == pytest.approx([-51.8, -122.4], abs=0.1)
    gaps = sum(chain.nomogram.gap_cents(k) for k in range(len(made.chain.scales) - 1))
    assert gaps == pytest.approx(chain.nomogram.error_cents, abs=1e-6)
    assert "reference" in chain.bars.accessibleDescription().lower()
    assert chain.card.accessibleName() == "A buffer"


@pytest.mark.parametrize(
    ("law", "heard"),
    [("voct:scale=1.2,note=48,volts=1", "hzv:note=36,volts=0.5"), ("hzv:note=45,volts=1", "hzv:note=45,volts=1")],
)
def test_every_note_stands_where_its_value_is_whatever_the_law(law, heard, demo_file):
    """Place and value are each other's inverse on every scale, bent or straight."""
    from msgspec.structs import replace as with_

    from dynamis.bench.document.commands import set_port

    bench = demo_file.bench()
    link = bench.links[0]
    bench = set_port(
        set_port(bench, link.output, law=law, transfers=()).bench, link.inputs[0], law=heard, transfers=()
    ).bench
    link = with_(link, low_note=40.0, high_note=80.0)
    made = nomogram(bench, link, link_chain(bench, link), np.arange(40.0, 81.0), link.inputs[0])
    for scale in made.scales:
        assert scale.place(scale.intended) == pytest.approx(made.notes, abs=1e-9)
        assert scale.value(60.0) == pytest.approx(scale.intended[20])
        between = [scale.value(note) for note in (38.0, 41.5, 82.0)]
        assert scale.place(np.array(between)) == pytest.approx([38.0, 41.5, 82.0], abs=1e-6)


def test_a_note_is_dragged_on_any_scale_typed_in_any_field_and_put_back(chain):
    picture, session = chain.picture, chain._session
    k = 2
    x = int(picture.x_of(k))
    start, end = QPoint(x, int(picture._y(60.0))), QPoint(x, int(picture._y(72.0)))
    QTest.mousePress(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    QTest.mouseMove(picture, end)
    settle()
    assert session.selection.note == 72.0
    assert chain.fields[2].text() == "3.1996 V"
    QTest.keyClick(picture, Qt.Key.Key_Escape)
    settle()
    assert session.selection.note == 60.0
    QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
    type_into(chain.fields[2], "4.2 V", enter=True)
    assert session.selection.note == 84.0
    type_into(chain.fields[4], "440", enter=True)
    assert session.selection.note == 70.0  # 51 cents flat: the next note up sounds nearer to 440 Hz than A itself does
    type_into(chain.fields[1], "nonsense", enter=True)
    assert "nonsense" in chain.refusal.text()
    QTest.keyClick(chain.fields[1], Qt.Key.Key_Escape)
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_Up, SHIFT)
    assert session.selection.note == 82.0


def test_a_gap_is_magnified_by_key_and_by_mouse(chain):
    picture = chain.picture
    picture.setFocus()
    before = picture.x_of(3) - picture.x_of(2)
    assert picture.gap == 2  # where most goes wrong
    QTest.keyClick(picture, Qt.Key.Key_M)
    assert picture.x_of(3) - picture.x_of(2) > 1.8 * before
    QTest.keyClick(picture, Qt.Key.Key_Left)
    assert picture.gap == 1
    QTest.mouseClick(
        picture,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
        QPoint(int((picture.x_of(1) + picture.x_of(2)) / 2), 200),
    )
    assert not picture.lens
    assert chain.shown_picture() is picture


def test_the_magnified_gap_is_drawn_with_its_tolerance(chain):
    """In pixels: the band of the tolerance stands inside the box, and the followed note lies on its curve."""
    picture = chain.picture
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_M)
    settle()
    image = picture.grab().toImage()
    wash, k = QColor(chain.colours.blue_wash), picture.gap
    middle = (picture.x_of(k) + picture.x_of(k + 1)) / 2
    row = [image.pixelColor(x, int(picture._y(50.0))) for x in range(int(picture.x_of(k)), int(picture.x_of(k + 1)))]
    near = [one for one in row if abs(one.red() - wash.red()) + abs(one.blue() - wash.blue()) < 6]
    assert len(near) > 4
    assert picture.x_of(k) < middle < picture.x_of(k + 1)
    QTest.keyClick(picture, Qt.Key.Key_M)
    settle()
    assert picture.grab().toImage() != image


def test_a_share_is_pointed_at_and_pressed_with_the_mouse(chain, window):
    bars = chain.bars
    at = next(k for k, row in enumerate(bars.rows) if row.station == "Codes" or row.label == "Reference")
    place = QPoint(30, int(_SUMS + (at + 0.5) * _ROW))
    QTest.mouseMove(bars, place)
    settle()
    assert chain.picture.lit == bars.rows[at].gap
    QTest.mouseMove(bars, QPoint(30, 2))  # over the words above: nothing is lit
    settle()
    assert chain.picture.lit is None
    QTest.mouseClick(bars, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(30, 2))
    assert window.station is chain
    QTest.mouseClick(bars, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place)
    settle()
    assert window.station.title == bars.rows[at].station


def test_the_budget_at_the_followed_note_is_a_table(chain, window):
    rows = table_texts(window.station.table())
    assert [row[0] for row in rows] == [row.label for row in chain.bars.rows]
    before = [row[1] for row in rows]
    press(window, Qt.Key.Key_Up, CONTROL)
    assert [row[1] for row in table_texts(window.station.table())] != before


def test_a_share_shows_where_it_stands_and_leads_there(chain, window):
    chain.bars.setFocus()
    rows = chain.bars.rows
    reference = next(k for k, row in enumerate(rows) if row.label == "Reference")
    for _ in range(reference + 1):
        QTest.keyClick(chain.bars, Qt.Key.Key_Down)
    assert chain.picture.lit == rows[reference].gap == 1
    QTest.keyClick(chain.bars, Qt.Key.Key_Return)
    settle()
    assert window.station.title == "Measure"


@pytest.mark.parametrize(
    ("output", "sink", "words", "leads"),
    [
        (PortRef("workshop-board", "gate"), PortRef("gallery-voice", "gate"), "takes a gate", "Levels"),
        (PortRef("workshop-board", "modulation"), PortRef("carousel-board", "tremolo"), "no pitch", "Circuit"),
        (PortRef("balcony-ribbon", "pitch"), PortRef("gallery-voice", "pitch-1"), "", ""),
    ],
)
def test_what_has_no_chain_says_what_to_do(output, sink, words, leads, chain, window):
    window.session.selection.look_at_pair(output, sink)
    settle()
    if not words:
        assert chain.nomogram is not None or chain.why.text()
        return
    assert words in chain.why.text()
    click(chain.elsewhere)
    assert window.station.title == leads


def test_an_empty_bench_leads_to_the_first_step(empty_file, make_window):
    window = make_window(empty_file)
    for key, name in ((Qt.Key.Key_3, "Chain"), (Qt.Key.Key_4, "Circuit")):
        press(window, key, CONTROL)
        assert window.station.title == name
    assert "No link is looked at" in window.station.names.text()
    answered(window.station)
    assert window.station.chosen is not None  # a wish of one's own can be designed without a link
    assert not window.station.side.use.isEnabled()


# -- the circuit -----------------------------------------------------------------------------------


def test_from_a_finding_on_bench_to_a_circuit_in_the_link_and_the_finding_is_gone(window, tmp_path):
    """The way a person goes: a misfit, its remedy designed, used, judged again, undone."""
    session = window.session
    press(window, Qt.Key.Key_1, CONTROL)
    session.selection.look_at_pair(BOARD, TONE)
    settle()
    codes = {one.code for one in session.judge.fit().findings}
    assert {"scale-mismatch", "offset"} <= codes
    card = next(one for one in window.station.findings.cards if one.accessibleName().startswith("Gain 0.370"))
    click(card.design)
    station = window.station
    assert station.title == "Circuit"
    answered(station)
    assert (station.form.edits["gain"].text(), station.form.edits["offset"].text()) == ("0.37", "1.676 V")
    press(window, Qt.Key.Key_I, CONTROL, SHIFT)
    answered(station)
    link = session.bench.link_from(BOARD)
    assert circuit_of(link) is not None
    assert table_texts(station.proposals)[0][0].startswith("In the link:")
    left = {one.code for one in session.judge.fit().findings}
    assert not {"scale-mismatch", "offset", "transposition", "below-cut-off", "input-over-limit"} & left
    volts = swept(station.side.spice.toPlainText(), tmp_path)
    free = volts[:, 1] < 3.2  # the input bears 3.3 V, where the diodes hold it
    assert np.polyfit(*volts[free].T, 1) == pytest.approx([0.37, 1.676], abs=2e-3)
    action(window, "Undo").trigger()
    settle()
    assert session.bench.link_from(BOARD) is None or circuit_of(session.bench.link_from(BOARD)) is None


def test_proposals_stand_side_by_side_and_what_was_rejected_says_why(circuit):
    rows = table_texts(circuit.proposals)
    assert rows[0][0] == "Attenuator with bias, follower, from a 5 V reference"
    assert "Attenuator with bias, follower" in [row[0] for row in rows]
    assert "Resistors alone" in [row[0] for row in rows]  # they hang on their load, and stand behind what is stiffer
    assert circuit.chosen.key == "attenuator-follower+reference"
    rejected = next(k for k, row in enumerate(rows) if row[0] == "Follower")
    circuit.proposals.on_activate(circuit.proposals.rows_model.rows[rejected].key)
    assert circuit.why_not.text() == "Follower: a follower has a gain of 1 and no offset."
    circuit.compare("inverting-pair")
    assert circuit.side.histogram.compared.words == "Inverting pair, with offset"
    assert any("Laid over" in text for text in circuit.side.spread_words.shown)


def test_a_part_steps_through_its_series_is_kept_and_the_rest_follows(circuit):
    parts, before = circuit.side.parts, circuit.chosen
    first = before.circuit.by_slot["R1"].ohms[0]
    QTest.keyClick(parts.edits["R1"], Qt.Key.Key_Up)
    settle()
    stepped = circuit.chosen.circuit.by_slot["R1"].ohms[0]
    assert 1.02 < stepped / first < 1.03  # E96
    assert parts.locks["R1"].isChecked()
    assert circuit.chosen.nominal_cents > before.nominal_cents
    click(parts.again)
    answered(circuit)
    assert circuit.chosen.circuit.by_slot["R1"].ohms[0] == stepped
    assert circuit.chosen.nominal_cents < 2.0
    type_into(parts.edits["R2"], "10k + 470", enter=True)
    assert circuit.chosen.circuit.by_slot["R2"].ohms == (10e3, 470.0)
    type_into(parts.edits["R2"], "0", enter=True)
    assert "more than 0 Ω" in circuit.refusal.text()


def test_the_walk_gives_a_reading_for_each_turn(circuit):
    """The pivot is at 1.676/0.63 V, where the wish is what goes in; note 66, 2.7 V, is the whole note next to it."""
    circuit.side.show_tab(1)
    told = circuit.side.steps.shown
    assert "Send 2.700\u00a0V (note 66 F♯4), where the scale trimmer moves next to nothing" in told[1]
    assert "+2.6750" in told[1]  # 0.37 · 2.7 + 1.676
    assert "note 96 C7" in told[2]


CANNOT_BE_ASKED = [
    ("gain", "0", "passes nothing on"),
    ("source", "-5", "cannot be"),
    ("low", "9", "lower end first"),
    ("tolerance", "50", "0 % to 20 %"),
    ("gain", "x", "x"),
]


def test_what_cannot_be_asked_is_refused_and_nothing_is_lost(circuit):
    before = circuit.chosen
    for key, text, words in CANNOT_BE_ASKED:
        type_into(circuit.form.edits[key], text, enter=True)
        assert words in circuit.refusal.text(), (key, text)
        assert circuit.chosen is before


def test_what_the_supply_cannot_deliver_is_said_with_the_nearest(circuit):
    type_into(circuit.form.edits["gain"], "1000", enter=True)
    answered(circuit)
    assert "cannot deliver" in circuit.state.text()
    assert {row[-1] for row in table_texts(circuit.proposals)} == {"cannot"}
    press(circuit.window(), Qt.Key.Key_I, CONTROL, SHIFT)
    assert "which is asked" in circuit.window().sentence.text()
    low, high = circuit.chosen.circuit.supply.low, circuit.chosen.circuit.supply.high
    assert low < min(circuit.chosen.requirement.ends) <= max(circuit.chosen.requirement.ends) < high
    click(circuit.from_link)
    answered(circuit)
    assert circuit.form.edits["gain"].text() == "0.37"
    type_into(circuit.form.drawer, "10k 22k 47k 100k", enter=True)
    answered(circuit)
    used = {ohms for _, ohms, _ in circuit.chosen.circuit.resistors}
    assert used <= {10e3, 22e3, 47e3, 100e3}


def test_lists_are_saved_as_they_are_shown(circuit):
    assert circuit.side.parts_text().startswith("quantity,kind,value,names,role,price_each,price\n")
    assert "RV1" in circuit.side.parts_text()
    assert circuit.side.spice_text() == circuit.side.spice.toPlainText()
    click(circuit.zigzag)
    assert circuit._session.settings.preferences.zigzag
    assert circuit.drawing.zigzag


# -- codes, tunings ----------------------------------------------------------------------------------


@pytest.fixture
def codes(window):
    press(window, Qt.Key.Key_5, CONTROL)
    settle()
    return window.station


def test_codes_tell_what_the_converter_is_enough_for(codes):
    names = [name.text() for _, name, _ in codes.uses]
    signs = [sign.accessibleName() for sign, _, _ in codes.uses]
    assert names == ["Stepped notes", "Glide", "Vibrato", "Filter and level"]
    assert signs == ["fits", "marginal", "marginal", "fits"]
    type_into(codes.fields["bits"], "16", enter=True)
    assert [sign.accessibleName() for sign, _, _ in codes.uses][1:] == ["fits"] * 3
    assert "A second one" in " ".join(codes.said.shown)


def test_codes_are_shown_by_either_law_without_changing_the_bench(codes, window):
    before, own = window.session.bench, table_texts(codes.codes)
    codes.as_law.setCurrentIndex(1)
    codes.as_law.activated.emit(1)
    settle()
    other = table_texts(codes.codes)
    assert window.session.bench is before
    assert float(other[12][2]) == pytest.approx(2 * float(other[0][2]), abs=2e-4)  # an octave doubles the volts
    assert float(own[12][2]) == pytest.approx(float(own[0][2]) + 1, abs=2e-4)
    assert "Hz/V" in codes.law_label.text()


def test_every_channel_of_every_unit_is_its_own(codes, window):
    shown = [codes.converter.channel.itemText(k) for k in range(codes.converter.channel.count())]
    assert shown[0] == "Workshop board · pitch A · unit 02"
    assert len(shown) == len(window.session.bench.channels)
    index = next(k for k, text in enumerate(shown) if text == "Workshop board · pitch B · unit 03")
    codes.converter.channel.setCurrentIndex(index)
    codes.converter.channel.activated.emit(index)
    settle()
    assert window.session.selection.channel[0].port == "pitch-b"
    type_into(codes.fields["bits"], "10", enter=True)
    bits = [
        port.transfers[0].values["bits"]
        for port in window.session.bench.gear_by("workshop-board").ports
        if port.transfers
    ]
    assert bits == [12, 10]


def test_coding_supply_and_linearity_belong_to_the_channel(codes, window, tmp_path, dynamis):
    def values():
        return window.session.bench.port(window.session.selection.channel[0]).transfers[0].values

    codes.converter.coding.setCurrentIndex(codes.converter.coding.findData("twos-complement"))
    codes.converter.coding.activated.emit(1)
    click(codes.converter.supply)
    settle()
    assert (values()["coding"], values()["reference_is_supply"]) == ("twos-complement", True)
    assert any("supply is its reference" in text for text in codes.said.shown)
    table = tmp_path / "inl.csv"
    table.write_text("code,inl_lsb\n0,0\n2048,1.5\n4095,0\n")
    codes.converter.take_linearity(table)
    assert len(values()["inl_lsb"]) == 4096
    codes.picture.setCurrentIndex(1)
    codes.picture.activated.emit(1)
    settle()
    assert "LSB" in codes.unit_words.text()
    table.write_text("code,inl_lsb\n0,0\n5000,1\n")
    codes.converter.take_linearity(table)
    assert "line 3: code 5000" in codes.converter.refusal.text()
    assert len(values()["inl_lsb"]) == 4096
    click(codes.converter.drop_inl)
    assert "inl_lsb" not in values()
    assert "not" not in codes.unit_words.text()  # what the run shows is drawn all the same
    assert "As found" in codes.linearity_said.text()
    click(codes.converter.from_run)
    assert len(values()["inl_lsb"]) == 4096
    assert max(map(abs, values()["inl_lsb"])) > 0.5
    assert codes.converter.refusal.text() == ""
    click(codes.converter.drop_inl)
    out = tmp_path / "codes.csv"
    window.session.document.file.copy_to(tmp_path / "copy.dynamis")
    assert (
        dynamis(
            "export",
            tmp_path / "copy.dynamis",
            "--what",
            "codes-csv",
            "--gear",
            "Workshop board",
            "--unit",
            "03",
            "--channel",
            "pitch A",
            "-o",
            out,
        ).status
        == 0
    )
    row = out.read_text().splitlines()[1].split(",")
    assert int(row[-1]) == int(row[3]) ^ 2048


def test_the_bench_is_tuned_by_a_file_told_saved_and_tuned_equally_again(window, chain, monkeypatch, tmp_path):
    from PySide6.QtWidgets import QFileDialog

    scale = tmp_path / "five.scl"
    scale.write_text("! five.scl\nfive equal steps\n 5\n 240.\n 480.\n 720.\n 960.\n 2/1\n")
    window.take_file(scale)
    settle()
    assert window.session.bench.tuning.name == "five equal steps"
    assert "five equal steps" in window.sentence.text()
    wanted = chain.nomogram.wanted
    assert wanted[29] - wanted[24] == pytest.approx(1.0)  # five keys to the octave
    assert "tune the bench: five equal steps" in action(window, "Undo").text()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "back.syx"), ""))
    action(window, "Save the tuning").trigger()
    assert (tmp_path / "back.syx").stat().st_size == 408
    action(window, "Equal temperament again").trigger()
    assert window.session.bench.tuning is None
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(tmp_path / "back.syx")], ""))
    action(window, "Tune the bench by a file").trigger()
    assert window.session.bench.tuning.name == "five equal steps"
    before = window.session.bench
    scale.write_text("! five.scl\nfive\n 5\n 240.\n x\n")
    window.take_file(scale)
    assert "line 5" in window.sentence.text()
    assert window.session.bench is before
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(scale), str(scale)], ""))
    action(window, "Tune the bench by a file").trigger()
    assert "Choose one scale" in window.sentence.text()


def test_codes_are_exported_by_a_template_of_ones_own(window, monkeypatch, tmp_path):
    from PySide6.QtWidgets import QFileDialog

    form = tmp_path / "form.inc"
    form.write_text("; {{gear}}\n{{rows}}  dw {{code}} ; {{note}}\n{{/rows}}")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(form), ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "out.inc"), ""))
    action(window, "Export the codes by a template").trigger()
    lines = (tmp_path / "out.inc").read_text().splitlines()
    assert lines[0] == "; Workshop board"
    assert len(lines) == 62
    form.write_text("{{nope}}")
    action(window, "Export the codes by a template").trigger()
    assert "{{nope}} is not known" in window.sentence.text()
    assert (tmp_path / "out.inc").read_text().splitlines() == lines


# -- pictures ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("station", "name"), [(3, "chain"), (4, "circuit")])
def test_pictures_are_saved_whole_in_both_themes(station, name, window, monkeypatch, tmp_path):
    from msgspec.structs import replace as with_
    from PySide6.QtGui import QImage
    from PySide6.QtWidgets import QFileDialog

    window.session.selection.look_at_pair(BOARD, TONE)
    press(window, getattr(Qt.Key, f"Key_{station}"), CONTROL)
    if name == "circuit":
        answered(window.station)
    for theme in ("light", "dark"):
        window.session.settings.change(with_(window.session.settings.preferences, theme=theme))
        settle()
        for ending in ("svg", "png"):
            path = tmp_path / f"{name}-{theme}.{ending}"
            monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, path=path: (str(path), ""))
            action(window, "Save the picture").trigger()
            assert path.stat().st_size > 2000
        colours = QImage(str(tmp_path / f"{name}-{theme}.png"))
        assert (
            len({colours.pixel(x, y) for x in range(0, colours.width(), 7) for y in range(0, colours.height(), 5)}) > 3
        )


def test_the_stations_work_at_a_smaller_window_and_with_large_text(window):
    from msgspec.structs import replace as with_

    window.session.selection.look_at_pair(BOARD, TONE)
    window.session.settings.change(with_(window.session.settings.preferences, text="very large"))
    window.resize(1024, 720)
    for name in ("Chain", "Circuit", "Codes"):
        window.show_station(name)
        settle()
        assert window.station.title == name
        assert window.width() <= 1200
    window.show_station("Circuit")
    answered(window.station)
    assert window.station.chosen is not None


def test_a_late_answer_to_an_old_question_is_dropped(circuit):
    for gain in ("0.5", "0.6", "0.7"):
        circuit.form.edits["gain"].setFocus()
        type_into(circuit.form.edits["gain"], gain, enter=True)
    answered(circuit)
    assert circuit.chosen.requirement.gain == 0.7
    assert circuit.answer.proposals.requested.gain == 0.7


def test_a_summer_is_designed_and_used(window, circuit):
    """Other pitches and switches are asked for in the wish; one proposal, with its switches among the parts."""
    row, voice = PortRef("curtain-sequencer", "row-A"), PortRef("balcony-voice", "pitch")
    window.session.selection.look_at_pair(row, voice)
    answered(circuit)
    circuit.form.adds.setCurrentIndex(5)
    circuit.form.adds.activated.emit(5)
    answered(circuit)
    assert circuit.chosen.circuit.topology.name == "summer"
    assert "1 of 10" in circuit.state.text().replace("\u00a0", " ")
    kinds = [one.kind for one in circuit.drawing.drawing.symbols]
    assert (kinds.count("switch"), kinds.count("terminal")) == (2, 3)
    assert "switch" in circuit.side.parts_text()
    press(window, Qt.Key.Key_I, CONTROL, SHIFT)
    answered(circuit)
    assert circuit_of(window.session.bench.link_from(row)).circuit.topology.name == "summer"
    left = {one.code for one in window.session.judge.fit().findings}
    assert not {"scale-mismatch", "offset", "transposition", "loading"} & left
    window.session.selection.look_at_pair(BOARD, TONE)  # which bears 3.3 V: an octave more is too much
    answered_or_refused(circuit)
    assert "switches closed" in circuit.refusal.text()


def test_a_pedal_shows_its_curve_and_what_straightens_it(window, circuit):
    """FACTS of the trade: 12 V through 10 kΩ onto 100 kΩ into 12 kΩ reaches 6.2 V and gives 1.7 V half-way."""
    side, session = circuit.side, window.session
    assert side.pages.buttons[4].isHidden()
    wiper, pedal = PortRef("floor-pedal", "wiper"), PortRef("attic-filter", "pedal")
    session.document.apply(set_port(session.bench, wiper, pot=PotRecord(100e3, 12.0, 10e3)))
    session.selection.look_at_pair(wiper, pedal)
    answered(circuit)
    side.show_tab(4)
    settle()
    assert not side.pages.buttons[4].isHidden()
    told = side.curve_words.shown
    assert "reaches 6.2" in told[0].replace("\u00a0", " ")
    assert "gives 1.67" in told[0].replace("\u00a0", " ")
    volts = {words: line for words, _, line in side.curve.lines()}
    assert len(volts) == len(told) - 1
    straight = {words: line[50] / line[-1] for words, line in volts.items()}
    assert straight["as it is"] == pytest.approx(1.7 / 6.2, abs=0.01)
    assert all(abs(one - 0.5) < 0.5 - straight["as it is"] for words, one in straight.items() if words != "as it is")
    assert circuit.shown_picture() is side.curve
    assert "a + input" in circuit.names.text().replace("\u00a0", " ")
    session.selection.look_at_pair(BOARD, TONE)
    answered(circuit)
    assert side.pages.buttons[4].isHidden()
    assert side.pages.currentIndex() == 0


def test_two_channels_on_one_adder_are_shown_as_one_source(codes, window):
    """A twelve-bit channel and a sixteenth of another: the step is a sixteenth, and copied rows have both codes."""
    session = window.session
    adder, board = "trapdoor-adder", "workshop-board"
    ways = Through(ways=(Way("row"), Way("hand", 1.0 / 16.0)))
    for row, hand in (("row-B", "row"), ("pitch", "hand")):
        gear = {"row": "curtain-sequencer", "hand": "balcony-ribbon"}[hand]
        session.document.apply(part(session.bench, PortRef(gear, row), PortRef(adder, hand)))
    session.document.apply(set_through(session.bench, PortRef(adder, "sum"), ways))
    alone = codes.table().copy(whole=True).splitlines()
    for port, hand in (("pitch-a", "row"), ("pitch-b", "hand")):
        session.document.apply(join(session.bench, PortRef(board, port), PortRef(adder, hand)))
    codes.refresh()
    assert codes.as_law.itemText(2) == "as one source with Workshop board · pitch B"
    codes.as_law.setCurrentIndex(2)
    codes.as_law.activated.emit(2)
    said = " ".join(codes.said.shown)
    assert "is coarse and" in said
    assert "as of 16.0 bits" in said.replace("\u00a0", " ")
    both = codes.table().copy(whole=True).splitlines()
    assert both[0].split("\t")[3:5] == ["code", "fine"]
    assert "fine" not in alone[0]
    worst = max(abs(float(row.split("\t")[6].replace("−", "-"))) for row in both[1:])
    assert worst < 0.06  # half a step of 1.62 / 16 ct


def test_a_switched_jack_is_fed_from_circuit(window, tmp_path):
    """Its netlist, by ngspice, gives what is told of the jack; used, it is the port's, in the findings, and undone."""
    session, lever, swell = window.session, PortRef("fly-lever", "along"), PortRef("gallery-voice", "swell")
    session.selection.look_at_pair(lever, swell)
    press(window, Qt.Key.Key_4, CONTROL)
    settle()
    station, kind = window.station, window.station.rails.kind
    kind.setCurrentIndex(kind.findText("Switched jack"))
    kind.activated.emit(kind.currentIndex())
    page = station.page
    type_into(page.side.values.edits["R1"], "10k", enter=True)
    ends = swept(page.spice.toPlainText(), tmp_path)[[0, -1], 1]
    assert ends == pytest.approx([0.0, 5.0 * 100e3 / 110.47e3], abs=1e-6)
    told = [text.replace("\u00a0", " ") for text in page.told.shown]
    assert "0.00 V to 4.53 V, from Fly lever" in told[0]
    before = session.bench
    click(page.use)
    normal = session.bench.port(swell).normal
    assert (normal.source, normal.ohms) == (lever, pytest.approx(10470.0))
    assert page.side.values.edits["R1"].text() == "10 kΩ"  # as it stands now
    lamp = judge_link(session.bench, session.bench.link_from(PortRef("lamp-reference", "volts")))[0]
    assert any(one.code == "source-used" and "Fly lever" in one.text for one in lamp.findings)
    action(window, "Undo").trigger()
    assert session.bench == before
    type_into(page.side.values.edits["R1"], "-3", enter=True)
    assert session.bench == before


def test_what_an_unplugged_input_would_change_is_laid_over_the_error(window):
    press(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    station = window.station
    assert station.moved_words.isHidden()
    station.laid_over.setCurrentIndex(station.laid_over.findText("without Gallery voice · pitch 2"))
    station.laid_over.activated.emit(station.laid_over.currentIndex())
    settle()
    assert "Without Gallery voice · pitch 2 it moves by up to +60." in station.moved_words.text().replace("\u00a0", " ")
    window.session.document.apply(
        part(window.session.bench, PortRef("workshop-board", "pitch-a"), PortRef("gallery-voice", "pitch-2"))
    )
    settle()
    assert station.moved_words.isHidden()
    assert station.laid_over.findText("without Gallery voice · pitch 2") < 0
