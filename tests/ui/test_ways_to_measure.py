"""What plays and what reads besides a board and a meter, in the window: connected, tried, and a run taken by every way."""

from __future__ import annotations

import time

import numpy as np
import pytest
from drive import action, click, press, settle, table_texts, type_into, until, with_dialog
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from tests.devices.hand import Hand

from dynamis.bench.document.commands import add_meter
from dynamis.bench.document.ports import PortRef
from dynamis.bench.runs.analysis import as_read
from dynamis.demo.hidden import INTERFACE_VOLTS, hidden_channel
from dynamis.demo.lantern import CHANNEL_A
from dynamis.devices.standins.counter_model import WORDS
from dynamis.devices.taking import Settling
from dynamis.ui.devices import devices
from dynamis.ui.dialogs.instrument import InstrumentDialog
from dynamis.ui.dialogs.instruments import InstrumentsDialog
from dynamis.ui.dialogs.tuner import TunerDialog
from dynamis.ui.session.preferences import load_preferences
from dynamis.ui.views.measure.run_dialog import RunDialog

pytestmark = pytest.mark.xdist_group("real time")
CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def window(demo_file, make_window):
    made = make_window(demo_file)
    made.course.settling = Settling(0.03, 0.02, 0.05, 12)
    made.session.runs.withdraw()
    return made


def connect(window, kind: str, place: str) -> None:
    """Connect a device at its panel on the Devices page, by its field."""
    window.show_station("Devices")
    window.station.show_panel(kind)
    type_into(window.station.panels[kind].line, place, enter=True)
    until(lambda: window.devices.connected(kind) or window.devices.trouble[kind])
    assert not window.devices.trouble[kind], window.devices.words[kind]


def begin(window, **chosen: str) -> None:
    """A run of three notes by its dialog: fields and choices by their names."""
    dialog = RunDialog(window, window.session)
    channel = (chosen.pop("channel", CHANNEL_A), chosen.pop("unit", "03"))
    dialog.channel.setCurrentIndex([dialog.channel.itemData(k) for k in range(dialog.channel.count())].index(channel))
    for name, value in chosen.items():
        box = getattr(dialog, name)
        if hasattr(box, "findData"):
            assert box.findData(value) >= 0, (name, value)
            box.setCurrentIndex(box.findData(value))
        else:
            box.setText(value)
    dialog.try_accept()
    assert dialog.result(), dialog.sentence.text()
    window.session.runs.begin(window.course.with_devices(dialog.value))
    window.show_station("Measure")


def add(window, kind: str, name: str, accuracy: str, digit: str, steps: str = "") -> str:
    dialog = InstrumentDialog(window, window.session.style, set(), kinds=(kind,))
    for field, text in (
        (dialog.name, name),
        (dialog.accuracy, accuracy),
        (dialog.resolution, digit),
        (dialog.steps, steps),
    ):
        field.setText(text)
    assert "(k = 2)" in dialog.preview.text()
    dialog.try_accept()
    window.session.document.apply(add_meter(window.session.bench, dialog.value))
    return dialog.value.id


def test_a_run_played_over_midi_and_heard_by_itself_is_judged(window, lantern):
    window.course.settling = Settling()
    connect(window, "midi", lantern.midi.path)
    connect(window, "sound", lantern.sound.address)
    page = window.station
    click(page.sound.test_button)
    until(lambda: page.sound.reading.text().endswith("Hz"))
    assert "nobody can be asked" in page.midi.words.text()
    page.show_panel("midi")
    type_into(page.midi.note, "C4", enter=True)
    until(lambda: "60 C4 is held" in window.sentence.text())
    until(lambda: lantern.world.code("A") == 1630)
    click(page.midi.test_button)
    until(lambda: "Nothing is held" in window.sentence.text())
    sound = add(window, "sound", "Gallery line in", "50 ppm", "0.0001 Hz")
    begin(window, quantity="hertz", meter=sound, player="midi", plan="48,60,72", title="By sound", tolerance="20")
    run = window.session.selection.run
    assert (run.player, run.reader, run.meter.kind) == ("midi", "sound", "sound")
    assert run.meter_identity.endswith("48000 samples a second")
    press(window, Qt.Key.Key_F5)
    until(lambda: not window.devices.busy or window.devices.paused)
    assert not window.devices.paused, window.sentence.text()
    rows = window.session.document.file.readings(run.id)
    assert [row.note for row in rows] == [48.0, 60.0, 72.0, 48.0]
    assert [row.code for row in rows] == [889, 1630, 2370, 889]
    assert all(0.0 < row.own < 1e-4 * row.value for row in rows)
    judged = window.session.runs.analysis()
    true = 1200.0 * np.log2(rows[1].value / 261.6255653)
    assert judged.error_cents[1] == pytest.approx(true, abs=1e-3)
    assert np.all(judged.expanded_cents < 0.2)  # 50 ppm are 0.087 ct
    # Whoever looks at the certificate sees by whom it was read.
    assert "samples a second" in run.meter_identity


def test_the_loop_ends_in_a_proof_without_any_meter(window, lantern):
    """The computer plays volts through its outputs, hears the oscillator, corrects and proves its own output."""
    lantern.do("voice hears", "interface")
    window.show_station("Devices")
    page = window.station
    page.show_panel("outputs")
    type_into(page.outputs.full_scale, "5")  # what the run does not count on
    connect(window, "outputs", lantern.interface.address)
    connect(window, "sound", lantern.sound.address)
    page.show_panel("outputs")
    assert not page.outputs.set_button.isEnabled()
    page.outputs.quiet.setChecked(True)
    until(lambda: "may carry volts" in window.sentence.text() and page.outputs.set_button.isEnabled())
    page.outputs.channel.setValue(11)
    type_into(page.outputs.volts, "1 V", enter=True)
    until(lambda: "Channel 11 stands at 1" in window.sentence.text())
    assert lantern.world.interface.jack_volts(2) == pytest.approx(INTERFACE_VOLTS / 5.0, rel=0.02)
    type_into(page.outputs.volts, "5.5 V", enter=True)
    until(lambda: "gives at most 5 V" in window.sentence.text())
    press(window, Qt.Key.Key_Period, CONTROL)  # the panic key
    until(lambda: abs(lantern.world.interface.jack_volts(2)) < 0.02)
    sound = add(window, "sound", "Gallery line in", "50 ppm", "0.0001 Hz")
    out = PortRef("prompt-desk-laptop", "out-3")
    begin(window, channel=out, unit="", quantity="hertz", where="oscillator", meter=sound, player="outputs",
          plan="48,51,54", title="As found", tolerance="2")  # fmt: skip
    course = window.course
    course.settling = Settling()
    press(window, Qt.Key.Key_F5)
    until(lambda: window.devices.paused)
    assert "the run counts on 8.6916 V" in window.sentence.text().lower() or "counts on" in window.sentence.text()
    press(window, Qt.Key.Key_F6, Qt.KeyboardModifier.NoModifier)
    window.devices.cancel()
    until(lambda: not window.devices.busy)
    window.show_station("Devices")
    page.show_panel("outputs")
    type_into(page.outputs.full_scale, f"{INTERFACE_VOLTS!r}")
    connect(window, "outputs", lantern.interface.address)
    until(lambda: not page.outputs.quiet.isChecked())
    window.show_station("Measure")
    course.by_itself = True
    press(window, Qt.Key.Key_F8)
    until(lambda: window.devices.paused or not course.by_itself)
    assert "no speaker" in window.sentence.text()  # whoever connects anew looks anew
    window.show_station("Devices")
    page.outputs.quiet.setChecked(True)
    until(lambda: "may carry volts" in window.sentence.text() or window.devices.paused)
    window.devices.outputs.confirm(True)
    window.show_station("Measure")
    course.by_itself = True
    window.devices.go_on()
    until(lambda: window.session.selection.run.title == "After constants" and window.devices.progress.done > 1)
    lantern.do("interface lead pulled", True)
    until(lambda: window.devices.paused)
    assert "is gone" in window.sentence.text()
    lantern.do("interface lead pulled", False)
    course.by_itself = True
    window.devices.go_on()
    until(lambda: course.stands_at(None) and not window.devices.busy, 90.0)
    told = course.course()
    assert (told.verdict, told.sentence.split(":")[0]) == ("within", "Proven by fresh readings")
    runs = [one for one in window.session.runs.all if one.channel == out]
    assert [(one.title, one.player, one.reader) for one in runs] == [
        ("As found", "outputs", "sound"), ("After constants", "outputs", "sound"), ("Proof", "outputs", "sound")]  # fmt: skip
    found, proof = (window.session.runs.analysis(one.id) for one in (runs[0], runs[-1]))
    assert np.max(np.abs(found.error_cents)) > 2.0
    assert np.max(np.abs(proof.error_cents)) < 0.5


def test_somebody_is_asked_to_play_and_to_read_in_turn(window, lantern):
    connect(window, "meter", lantern.meter.address)
    begin(window, player="hand", plan="48,60", title="Played by hand")
    press(window, Qt.Key.Key_F5)
    row = window.station.entry.taking
    for note in (48, 60, 48):
        until(lambda note=note: row.done.isVisible() and f"Play {note} C" in row.asked.text())
        lantern.board.logic.play_note("A", float(note))
        press(window, Qt.Key.Key_Space)  # the button has the focus
    until(lambda: not window.devices.busy)
    assert [row.note for row in window.session.runs.analysis().rows] == [48.0, 60.0, 48.0]
    assert not row.asked.isVisible()


def test_what_a_board_plays_can_be_typed(window, lantern):
    connect(window, "board", lantern.board.path)
    begin(window, reader="hand", plan="48,60", title="Typed")
    press(window, Qt.Key.Key_F5)
    entry = window.station.entry
    for value in ("1.197", "nonsense", "2.195", "1.197"):
        until(lambda: window.devices.question is not None and entry.entry.isEnabled() and not entry.entry.text())
        type_into(entry.entry, value, enter=True)
        if value == "nonsense":
            assert "is no number" in entry.question.text()
            entry.entry.clear()
    until(lambda: not window.devices.busy)
    assert [row.value for row in window.session.runs.analysis().rows] == [1.197, 2.195, 1.197]


def test_an_oscillator_is_tracked_by_a_source_and_a_counter_with_words_of_its_own(window, lantern):
    window.show_station("Devices")
    page = window.station
    page.show_panel("meter")

    def answer(dialog):
        for name, text in WORDS.items():
            dialog.lines[name].setText(text)
        dialog.try_accept()

    with_dialog(lambda: click(page.meter.edit_words), answer)
    assert load_preferences()[0].meter_words == WORDS
    connect(window, "meter", lantern.counter.address)
    connect(window, "source", lantern.source.address)
    type_into(page.source.volts, "1.2", enter=True)
    until(lambda: "The source gives 1.2000 V" in window.sentence.text())
    page.source.look()
    assert "> SOUR:VOLT 1.200000" in page.source.log.toPlainText()
    click(page.source.test_button)
    until(lambda: lantern.world.source_volts is None)
    counter, source = (
        add(window, "counter", "Counter", "1 ppm", "0.001 Hz"),
        add(window, "known-voltage", "Source", "0.02 % + 3 digits", "0.1 mV"),
    )
    voice = next(one for one in window.session.bench.measurable if one[0].gear == "gallery-voice")
    lantern.do("voice hears", "source")
    begin(window, channel=voice[0], unit=voice[1], meter=counter, source=source, plan="36,48,60", title="Tracking")
    press(window, Qt.Key.Key_F5)
    until(lambda: not window.devices.busy)
    judged = window.session.runs.analysis()
    assert [row.note for row in judged.rows] == [36.0, 48.0, 60.0, 36.0]
    # The voice's hidden 0.04 % of scale and −0.6 mV are a cent; the source's 0.02 % of 2.2 V and 0.3 mV, U = 2a/√3 each.
    assert np.all(np.abs(judged.error_cents) < 2.0)
    by_source = 1200.0 * 2.0 / np.sqrt(3.0) * np.hypot(0.0002 * 2.2, 3e-4)
    assert judged.expanded_cents[2] == pytest.approx(by_source, rel=0.02)


def test_a_known_voltage_takes_the_meters_own_error_out_of_later_runs(window, lantern):
    connect(window, "meter", lantern.meter.address)
    known = add(window, "known-voltage", "Known voltage", "0.001 %", "0.01 mV", "0, 2, 5, 10")
    lantern.do("probe", "known")

    def check(dialog):
        assert [volts.text() for volts, _ in dialog.rows][:4] == ["0", "2", "5", "10"]
        for k, volts in enumerate((0.0, 2.0, 5.0, 10.0)):
            lantern.do("known volts", volts)
            click(dialog.findChildren(QPushButton)[k])
            until(lambda k=k: dialog.rows[k][1].text())
        assert "by its data sheet" in dialog.found.text()
        dialog.try_accept()

    instruments = InstrumentsDialog(window, window.session, window.devices)
    rows = table_texts(instruments.table)
    instruments.table.selectRow(next(k for k, row in enumerate(rows) if row[0] == "Bench meter"))
    with_dialog(lambda: click(instruments.check), check)
    assert "Gain" in instruments.told.text()
    bench = window.session.bench
    meter = bench.meter("bench-meter-10v")
    assert meter.check.known_volts == (0.0, 2.0, 5.0, 10.0)
    assert bench.meter(known).steps == (0.0, 2.0, 5.0, 10.0)
    model, spec = lantern.meter_model, lantern.meter_model.range
    begin(window, plan="48,96", title="Checked", player="hand", reader="hand", meter=meter.id)
    run = window.session.selection.run
    assert run.meter.check == meter.check
    # What it shows of 5.2 V, by its hidden gain and zero; what is believed is right to a digit.
    shown = 5.2 * (1.0 + model.gain_error[spec]) + model.zero_error[spec]
    assert abs(shown - 5.2) > 1e-4
    assert float(as_read(run, run.model, [96.0], [shown])[0]) == pytest.approx(5.2, abs=1.2e-4)
    window.session.runs.take_all([(48.0, 1.2, 0.0), (96.0, shown, 0.0)])
    judged = window.session.runs.analysis()
    assert judged.expanded_cents[1] < 0.35  # 1.1 ct by its data sheet
    assert abs(judged.error_cents[1]) < 0.2
    assert judged.as_typed(96.0, float(judged.values[1])) == pytest.approx(shown)


def test_the_tuner_tells_how_far_off_and_how_it_beats(window, lantern):
    connect(window, "sound", lantern.sound.address)
    lantern.board.logic.play_note("A", 69.0)
    dialog = TunerDialog(window, window.session, window.devices.sound, window.colours)
    dialog.show()
    type_into(dialog.reference, "A4", enter=True)
    until(lambda: "beats a second" in dialog.words.text() and dialog.words.text().startswith("43"))
    hertz = lantern.world.voice_hertz()
    off = 1200.0 * np.log2(hertz / 440.0)
    until(lambda: abs(float(dialog.cents.text().split()[0].replace("−", "-")) - off) < 0.15)
    assert f"{abs(hertz - 440.0):.1f}" in dialog.words.text()
    swell = dialog.plot.shown[1]
    assert swell.min() < 0.3 < 0.9 < swell.max()
    type_into(dialog.reference, "5 V", enter=True)
    assert dialog.refusal.isVisible()
    lantern.do("sound lead pulled", True)
    until(lambda: "start it again" in dialog.refusal.text())
    lantern.do("sound lead pulled", False)
    click(dialog.again)
    until(lambda: dialog.words.text())
    dialog.accept()


def test_who_plays_and_reads_can_be_chosen_again_and_what_is_missing_is_named(window):
    begin(window, plan="48,60", title="Choices")
    row = window.station.entry.taking
    assert [row.player.itemText(k) for k in range(row.player.count())] == [
        "the board",
        "the MIDI converter",
        "the computer's outputs",
        "hand",
    ]
    row.player.setCurrentIndex(1)
    row.player.activated.emit(1)
    row.take_the_rest()
    settle()
    assert "Connect the MIDI converter first" in window.sentence.text()
    window.show_station("Measure")
    for box in (row.player, row.reader):
        box.setCurrentIndex(box.count() - 1)
        box.activated.emit(box.count() - 1)
    row.take_the_rest()
    assert "Both are by hand" in window.sentence.text()
    assert window.station.title == "Measure"


def test_a_converter_run_finds_the_step_that_the_unit_hides(window, lantern):
    connect(window, "board", lantern.board.path)
    connect(window, "meter", lantern.meter.address)

    def answer(dialog):
        assert dialog.channel.currentText() == "Workshop board · pitch A · unit 03"
        dialog.codes.setText("x")
        dialog.try_accept()
        assert "was expected" in dialog.sentence.text()
        dialog.codes.setText("512:3584:512, 2046:2050")
        dialog.try_accept()

    with_dialog(lambda: action(window, "New converter run…").trigger(), answer)
    assert window.station.entry.name.text() == "code"
    press(window, Qt.Key.Key_F5)
    until(lambda: not window.devices.busy)
    judged = window.session.runs.analysis()
    assert len(judged.rows) == 22
    told = window.station.words.sentences(judged)
    # Unit 03, channel A: 1.5 LSB at the top carry, under a ripple of some tenths.
    hidden = np.array(hidden_channel("03", "A").inl_lsb)
    step = hidden[2048] - hidden[2047]
    assert "behind code 2047" in told[1]
    assert float(told[1].split("+")[1].split()[0]) == pytest.approx(step, abs=0.15)
    assert "monotonic over the codes" in told[2]
    assert table_texts(window.station.readings.readings)[0][1] == "code 512"
    # It is no step of the course, which goes on from the runs of notes.
    assert all(not run.codes for run in [window.course._like(window.session.selection.channel)])


def test_a_board_does_not_go_safe_while_somebody_takes_their_time(window, lantern, monkeypatch):
    """It goes to rest after ten seconds of silence; whoever types slowly is not the board's silence."""
    monkeypatch.setattr(devices, "ALIVE_SECONDS", 0.05)
    connect(window, "board", lantern.board.path)
    begin(window, reader="hand", plan="48,60", title="Slowly")
    press(window, Qt.Key.Key_F5)
    until(lambda: window.devices.question is not None)
    heard = Hand(lantern).heard
    until(lambda: heard.count("PING") >= 3)
    assert lantern.world.code("A") > 0
    window.devices.cancel()
    until(lambda: not window.devices.busy)
    assert lantern.world.code("A") == 0


def test_an_oscillators_trimmers_are_turned_by_the_computers_ear(window, lantern):
    """The source plays each step, the sound is heard live with its target; a hand turns the voice's own trimmers."""
    world = lantern.world
    lantern.do("voice hears", "source")
    lantern.do("voice tune", 0.09)
    lantern.do("voice scale", 0.012)
    connect(window, "source", lantern.source.address)
    connect(window, "sound", lantern.sound.address)
    sound = add(window, "sound", "Gallery line in", "50 ppm", "0.0001 Hz")
    source = add(window, "known-voltage", "Source", "0.02 % + 3 digits", "0.1 mV")
    voice = next(one for one in window.session.bench.measurable if one[0].gear == "gallery-voice")
    begin(window, channel=voice[0], unit=voice[1], meter=sound, source=source, plan="36,48,60,72,84", title="Trims",
          player="source", tolerance="3")  # fmt: skip
    at_rest = float(np.log2(world.voice_hertz()))
    seen: list[str] = []

    def turn_until_it_is_there(dialog) -> None:
        """Turn what the step names, by what is told of how far it is."""
        step, trims = dialog.walked.step, dialog.trims
        until(lambda: dialog.heard is not None and dialog.heard.tone is not None)
        for _ in range(12):
            if "it is there" in dialog.live.text() or step.turn == "read":
                break
            left = step.target_cents - dialog.heard.off_cents(trims.hertz(step.note))
            assert ("up." if left > 0 else "down.") in dialog.live.text()
            if step.turn == "tune":
                world.voice_tune += left / 1200.0
            else:
                world.voice_scale += left / 1200.0 / (np.log2(trims.hertz(step.note)) - at_rest)
            settled(dialog)
        seen.append(step.turn)
        press(dialog.entry, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)

    def settled(dialog) -> None:
        """Half a second of one tone, so that what is heard is what sounds."""
        past = time.monotonic() + 0.8
        until(lambda: time.monotonic() > past and dialog.heard.tone is not None)

    def walk(dialog) -> None:
        dialog.ears.click()
        assert dialog.listening is not None, dialog.refusal.text()
        while dialog.walked.step is not None and len(seen) < 20:
            turn_until_it_is_there(dialog)
        assert dialog.walked.reached
        assert "Done" in dialog.large[0].text()
        # A lead that is pulled ends it with a sentence; the walk goes on by hand.
        dialog.begin_again()
        for what, words in (("source", "source"), ("sound", "Nothing sends sound")):
            lantern.do(f"{what} lead pulled", True)
            if dialog.listening is None:
                dialog.ears.click()
            until(lambda: dialog.listening is None and dialog.refusal.isVisibleTo(dialog))
            assert words in dialog.refusal.text()
            lantern.do(f"{what} lead pulled", False)
        dialog.accept()

    with_dialog(window.actions_made.trim_walk, walk)
    assert {"tune", "scale"} <= set(seen)
    until(lambda: world.source_volts is None)  # at rest again
    for note in (36.0, 60.0, 84.0):
        world.source_volts = float(window.session.runs.analysis().model.law.volts((note - 36.0) / 12.0))
        assert 1200.0 * np.log2(world.voice_hertz() / (440.0 * 2.0 ** ((note - 69.0) / 12.0))) == pytest.approx(
            0, abs=3.2
        )
