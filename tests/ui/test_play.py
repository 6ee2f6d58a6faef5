"""The Play station driven: a phrase, its double trigger found and cured, a file dropped, played and written."""

from __future__ import annotations

import contextlib
import io
import os
import time
import tty

import mido
import numpy as np
import pytest
import soundfile
from drive import press, settle, table_texts, type_into, until, with_dialog
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.demo.hidden import BOARD_DAC, INTERFACE_VOLTS
from dynamis.transfer.parameter import NOMINAL
from dynamis.ui.views.play.out_dialog import OutChoice


def made_file() -> bytes:
    """Three overlapping keys on channel 4, half a second a quarter note."""
    song, out = mido.MidiFile(type=1, ticks_per_beat=480), io.BytesIO()
    keys = [("note_on", 48, 0), ("note_on", 60, 480), ("note_off", 60, 240), ("note_off", 48, 240),
            ("note_on", 64, 0), ("note_off", 64, 480)]  # fmt: skip
    messages = [mido.Message(kind, channel=3, note=note, velocity=100, time=time) for kind, note, time in keys]
    song.tracks.extend([mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)]), mido.MidiTrack(messages)])
    song.save(file=out)
    return out.getvalue()


SONG = made_file()


@pytest.fixture
def play(demo_file, make_window):
    window = make_window(demo_file)
    press(window, Qt.Key.Key_7, Qt.KeyboardModifier.ControlModifier)
    until(lambda: window.station.title == "Play" and window.station.played is not None)
    return window.station


def played_anew(station, change) -> None:
    before = station.played
    change()
    until(lambda: station.played is not before)


def choose(box, data) -> None:
    box.setCurrentIndex(box.findData(data))
    box.activated.emit(box.currentIndex())


def test_the_double_trigger_is_found_and_cured(play):
    assert play.settings.title.text() == "A held bass under a line"
    assert not any("does not sound" in one for one in play.side.sentences.shown)
    played_anew(play, lambda: choose(play.settings.converter.priority, "low"))
    assert any(
        one.startswith("7\u00a0times the trigger fires") or "7 times" in one.replace("\u00a0", " ")
        for one in play.side.sentences.shown
    )
    QTest.mouseClick(play.side.next, Qt.MouseButton.LeftButton)
    assert play.lanes.lane == "trigger"
    assert play.lanes.cursors[0] == pytest.approx(0.25)
    why = play.side.why.text().replace("\u00a0", " ")
    assert why == (
        "trigger at 0.2500 s: 60 C4 pressed, velocity 80 (90 3C 50); it does not sound, since the lowest key counts, but "
        "every press fires."
    )
    played_anew(play, lambda: choose(play.settings.converter.fires, "new-pitch"))
    assert play.side.sentences.shown == ["Nothing: gate and trigger do what the keys do."]
    assert play.played.rendered.signal("trigger").steps.volts.tolist() == [5.0, 0.0]


def test_a_dropped_file_is_played_looked_at_and_written(play, tmp_path, monkeypatch):
    window = play.window()
    (tmp_path / "tune.mid").write_bytes(SONG)
    played_anew(play, lambda: window.take_file(tmp_path / "tune.mid"))
    assert play.settings.title.text() == "tune.mid"
    assert "3 notes in 2 tracks" in play.settings.about.text().replace("\u00a0", " ")
    assert play.settings.channel.currentData() == 4
    messages = table_texts(play.events)
    assert [list(row[3:]) for row in messages][:2] == [
        ["93 30 64", "48 C3 pressed, velocity 100"],
        ["93 3C 64", "60 C4 pressed, velocity 100"],
    ]
    played_anew(
        play,
        lambda: (
            type_into(play.settings.converter.clocks, "2")
            or QTest.keyClick(play.settings.converter.clocks, Qt.Key.Key_Return)
        ),
    )
    names = [lane.name for lane in play.played.lanes]
    assert names == ["pitch", "gate", "trigger", "velocity", "bend", "mod", "clock2"]
    wav, csv = tmp_path / "out.wav", tmp_path / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(wav), ""))

    def as_it_is(dialog) -> None:
        dialog.try_accept()

    def otherwise(dialog) -> None:
        dialog.samples.setCurrentIndex(dialog.samples.findData("pcm24"))
        dialog.rate.setValue(8000)
        for name, (box, volts) in dialog.boxes.items():
            box.setValue(0 if name not in ("pitch", "gate") else 3)
            volts.setText("5 V")
        dialog.try_accept()
        assert "Channel 3 is given to two signals" in dialog.sentence.text()
        dialog.boxes["gate"][0].setValue(1)
        dialog.boxes["gate"][1].setText("4 V")
        dialog.try_accept()

    with_dialog(lambda: QTest.mouseClick(play.side.wav, Qt.MouseButton.LeftButton), otherwise)
    assert "Beyond full scale: gate" in window.sentence.text()
    told = soundfile.info(wav)
    assert (told.channels, told.samplerate, told.subtype) == (3, 8000, "PCM_24")
    samples = soundfile.read(wav, always_2d=True)[0]
    assert not samples[:, 1].any()
    assert 5.0 * samples[6000, 2] == pytest.approx(
        play.played.rendered.signal("pitch").steps.at(np.array([0.75]))[0], abs=1e-6
    )
    play._saving._chosen = None
    laptop = PortRef("prompt-desk-laptop", "out-3")
    port = play._session.bench.port(laptop)
    known = replace(
        port, audio=replace(port.audio, channel=1, full_scale_volts=8.0, full_scale_dbu=None, offset_volts=0.02)
    )
    played_anew(
        play, lambda: play._session.document.apply(Change("known", play._session.bench.with_port(laptop, known)))
    )

    def ramped(dialog) -> None:
        type_into(dialog.ramp, "-1 s")
        dialog.try_accept()
        assert "0 to 10 s was expected" in dialog.sentence.text()
        type_into(dialog.ramp, "20 ms")
        dialog.as_measured.setChecked(True)
        dialog.try_accept()

    with_dialog(lambda: QTest.mouseClick(play.side.wav, Qt.MouseButton.LeftButton), ramped)
    samples, rate = soundfile.read(wav, always_2d=True)
    signals = play.played.rendered
    # A step of 20 ms half way: the middle between both levels; the gate jumps.
    step = int(np.argmax(np.diff(samples[:, 1]) < 0)) + 1
    edge = float(signals.signal("pitch").steps.seconds[1])
    low, high = signals.signal("pitch").steps.volts[:2]
    assert 8.0 * samples[round((edge + 0.01) * rate), 0] + 0.02 == pytest.approx((low + high) / 2.0, abs=1e-3)
    assert np.unique(samples[:, 1]).tolist() == [0.0, 0.5]
    assert step == pytest.approx(signals.signal("gate").steps.seconds[-1] * rate, abs=1)
    play._saving._chosen = None
    with_dialog(lambda: QTest.mouseClick(play.side.wav, Qt.MouseButton.LeftButton), as_it_is)
    samples, rate = soundfile.read(wav, always_2d=True)
    pitch = play.played.rendered.signal("pitch").steps
    assert samples.shape[1] == 7
    assert 10.0 * samples[int(0.75 * rate), 0] == pytest.approx(float(pitch.at(np.array([0.75]))[0]), abs=1e-6)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(csv), ""))
    QTest.mouseClick(play.side.events, Qt.MouseButton.LeftButton)
    assert csv.read_text().startswith("seconds,signal,volts\n0.0,pitch,1.0\n")
    (tmp_path / "bad.mid").write_bytes(SONG[:-3])
    window.take_file(tmp_path / "bad.mid")
    assert "breaks off" in window.sentence.text()
    assert play.settings.title.text() == "tune.mid"


def test_the_view_and_the_cursors_go_by_keys_wheel_and_mouse(play):
    lanes = play.lanes
    whole = lanes.view
    lanes.setFocus()
    for key, change in ((Qt.Key.Key_Plus, "narrower"), (Qt.Key.Key_Minus, "wider"), (Qt.Key.Key_Home, "whole")):
        before = lanes.view
        QTest.keyClick(lanes, key)
        span, was = lanes.view[1] - lanes.view[0], before[1] - before[0]
        assert {"narrower": span < was, "wider": span > was, "whole": lanes.view == whole}[change]
    at = QPointF(lanes.width() / 2.0, 100.0)
    turn = QWheelEvent(at, lanes.mapToGlobal(at), QPoint(), QPoint(0, 480), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                       Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    lanes.wheelEvent(turn)
    assert lanes.view[0] > whole[0]
    before = lanes.view
    QTest.keyClick(lanes, Qt.Key.Key_Right)
    assert lanes.view[0] > before[0]
    QTest.keyClick(lanes, Qt.Key.Key_Home)
    QTest.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(lanes.width() // 2, 130))
    first = lanes.cursors[0]
    assert whole[0] < first < whole[1]
    assert lanes.lane == "pitch"
    QTest.keyClick(lanes, Qt.Key.Key_N)
    after = lanes.cursors[0]
    assert after in play.played.rendered.signal("pitch").steps.seconds
    assert "pitch at" in play.side.why.text()
    QTest.keyClick(lanes, Qt.Key.Key_P)
    assert lanes.cursors[0] < after
    QTest.mouseClick(lanes, Qt.MouseButton.RightButton, pos=QPoint(lanes.width() // 3, 130))
    assert whole[0] < lanes.cursors[1] < lanes.width()
    rows = table_texts(play.side.table)
    assert [row[0] for row in rows] == [lane.name for lane in play.played.lanes]
    assert rows[0][3].endswith("ct")
    settle()


def test_what_arrives_is_what_the_chain_of_the_link_gives(play):
    """The board's pitch through its codes and both loads, its gate at the input's levels; then a trigger that is missed."""
    session = play.window().session
    box = play.settings.converter.output
    names = [box.itemText(k) for k in range(box.count())]
    box.setCurrentIndex(names.index("Workshop board · pitch A"))
    played_anew(play, lambda: box.activated.emit(box.currentIndex()))
    assert play.settings.converter.levels["gate"].text() == "0.1 … 5 V"
    lanes = {lane.name: lane for lane in play.played.lanes}
    link = session.bench.link_from(PortRef("workshop-board", "pitch-a"))
    made = link_chain(session.bench, link, session.runs.head_of(link.output), link.inputs[0])
    expected = made.chain.trace(np.array([67.0]), made.true, NOMINAL)[-2][0]
    assert lanes["→ Gallery voice · pitch 1"].signal.steps.at(np.array([0.8]))[0] == pytest.approx(expected, abs=1e-9)
    sent = lanes["sent"].signal.steps.at(np.array([0.8]))[0]
    aimed = BOARD_DAC.nominal_volts(np.round((sent - 0.0) / BOARD_DAC.lsb_volts))
    assert sent == pytest.approx(float(aimed), abs=1e-9)  # a whole code
    constants = session.runs.head_of(link.output)
    assert sent == pytest.approx((0.2 + 31 / 12 - constants.offset) / constants.gain, abs=BOARD_DAC.lsb_volts)
    assert play.played.outgoing("pitch") is lanes["sent"].signal.steps
    off = made.chain.error_cents(np.array([67.0]), made.true)[0]
    shown = [one.replace("\u00a0", " ") for one in play.side.sentences.shown]
    assert any(f"up to {off:+.1f}".replace("-", "−") in one and "most at 67 G4" in one for one in shown)
    assert any("gate goes on once" in one for one in shown)
    QTest.mouseClick(play.side.next, Qt.MouseButton.LeftButton)
    assert play.lanes.lane == "→ Gallery voice · pitch 1"
    assert "pitch at" in play.side.why.text()
    gate = PortRef("gallery-voice", "gate")
    port = session.bench.port(gate)
    slow = replace(port, gate=replace(port.gate, min_seconds=2.5))
    played_anew(play, lambda: session.document.apply(Change("slower", session.bench.with_port(gate, slow))))
    shown = [one.replace("\u00a0", " ") for one in play.side.sentences.shown]
    assert any("misses 1 of 1 pulses: they are shorter than the 2.5 s" in one for one in shown)
    weak = replace(port, gate=replace(port.gate, on_volts=6.0))
    played_anew(play, lambda: session.document.apply(Change("deaf", session.bench.with_port(gate, weak))))
    shown = [one.replace("\u00a0", " ") for one in play.side.sentences.shown]
    assert any("never goes on: 4.95 V arrive, 6.00 V are needed" in one for one in shown)


@pytest.mark.xdist_group("real time")
def test_it_is_played_by_the_computers_outputs_and_stops(play, lantern):
    """The pitch at channel 11, which is the jack that is looked at, and a generator after it."""
    window, devices = play.window(), play.window().devices
    QTest.mouseClick(play.side.out, Qt.MouseButton.LeftButton)
    assert "Connect the computer's outputs, a board or a MIDI port first" in window.sentence.text()
    devices.connect_outputs(lantern.interface.address, [INTERFACE_VOLTS] * 16, 6.0)
    until(lambda: devices.outputs is not None)
    jack = lambda: lantern.world.interface.jack_volts(2)  # noqa: E731
    play.out.begin(play.played, "it", OutChoice("outputs", {"pitch": 10, "gate": 11}))
    until(lambda: "no speaker" in window.sentence.text())
    devices.outputs.confirm(True)

    def choose_channels(dialog) -> None:
        choose(dialog.boxes["pitch"], 10)
        choose(dialog.boxes["gate"], 10)
        dialog.try_accept()
        assert "Channel 11 is given to two signals" in dialog.sentence.text()
        choose(dialog.boxes["gate"], None)
        dialog.try_accept()

    went, take = [], lantern.world.interface.take
    lantern.world.interface.take = lambda frames: (take(frames), went.append(jack()))
    with_dialog(lambda: QTest.mouseClick(play.side.out, Qt.MouseButton.LeftButton), choose_channels)
    until(lambda: any(abs(volts - 2.0) < 0.03 for volts in tuple(went)))
    until(lambda: max(tuple(went)) > 2.4)  # the highest key, at 0.75 s
    QTest.mouseClick(play.side.stop, Qt.MouseButton.LeftButton)
    until(lambda: abs(jack()) < 0.02 and not play.side.stop.isEnabled())
    window.show_station("Devices")
    page = window.station
    page.show_panel("outputs")
    page.outputs.quiet.setChecked(True)
    page.outputs.channel.setValue(11)
    until(page.outputs.follow_button.isEnabled)
    QTest.mouseClick(page.outputs.hold_button, Qt.MouseButton.LeftButton)
    assert "Connect a meter too" in window.sentence.text()
    lantern.do("probe", "interface")
    devices.connect_meter(lantern.meter.address)
    until(lambda: devices.meter is not None and page.outputs.hold_button.isEnabled())
    for corner, words, coupling in ((2.0, "It cannot hold a note", "ac"), (0.0, "It holds a note", "dc")):
        lantern.do("interface coupled", corner)
        QTest.mouseClick(page.outputs.hold_button, Qt.MouseButton.LeftButton)
        until(lambda words=words: words in page.outputs.held_words.text() and not devices.busy)
        if corner:
            _, found = page.outputs_actions.coupling
            assert abs(found.corner_hertz.value - corner) < 2.0 * found.corner_hertz.expanded < 0.5
        until(lambda: abs(jack()) < 0.02)
        QTest.mouseClick(page.outputs.take_button, Qt.MouseButton.LeftButton)
        assert window.session.bench.port(PortRef("prompt-desk-laptop", "out-3")).audio.coupling == coupling
    # Gain and offset by the meter at two levels, and what is asked for then stands at the jack.
    hidden = lantern.world.interface.outputs[2]
    given = lambda volts: 1e3 * (jack() - volts)  # noqa: E731

    def learn(dialog) -> None:
        for k, (put, read) in enumerate(dialog.buttons_of):
            QTest.mouseClick(put, Qt.MouseButton.LeftButton)
            until(lambda k=k: abs(given((-2.0, 2.0)[k])) < 40.0 and not devices.busy)
            QTest.mouseClick(read, Qt.MouseButton.LeftButton)
            until(lambda k=k: dialog.readings[k].text())
        found = dialog.read()
        assert abs(found.gain.value - hidden.gain) < 1e-3
        assert f"Channel 11 gives +{100.0 * (found.gain.value - 1.0):.3f} % against" in dialog.told.text()
        dialog.ok.click()

    type_into(page.outputs.volts, "2 V")
    with_dialog(lambda: QTest.mouseClick(page.outputs.levels_button, Qt.MouseButton.LeftButton), learn)
    audio = window.session.bench.port(PortRef("prompt-desk-laptop", "out-3")).audio
    assert audio.full_scale_volts == pytest.approx(INTERFACE_VOLTS * hidden.gain, rel=1e-3)
    assert audio.offset_volts == pytest.approx(hidden.offset_volts, abs=2e-3)
    page.outputs.full_scale.setText(f"{INTERFACE_VOLTS} V")
    page.outputs.limit.setText("6 V")
    type_into(page.outputs.line, lantern.interface.address, enter=True)
    until(lambda: devices.outputs.offset_volts(10) != 0.0)
    page.outputs.quiet.setChecked(True)
    until(page.outputs.set_button.isEnabled)
    type_into(page.outputs.volts, "3 V", enter=True)
    until(lambda: abs(given(3.0)) < 3.0)
    lantern.do("interface swapped", True)  # the channel test finds it: 1 V on channel 12 comes out of jack 3
    until(lambda: abs(jack()) < 0.1)
    page.outputs.channel.setValue(12)
    type_into(page.outputs.volts, "1 V", enter=True)
    until(lambda: abs(given(1.0)) < 20.0)
    lantern.do("interface swapped", False)
    page.outputs.channel.setValue(11)
    page.outputs.kind.setCurrentIndex(page.outputs.kind.findData("clock"))
    type_into(page.outputs.high, "9 V")
    QTest.mouseClick(page.outputs.follow_button, Qt.MouseButton.LeftButton)
    until(lambda: "at most 6 V" in window.sentence.text())
    type_into(page.outputs.high, "3 V")
    QTest.mouseClick(page.outputs.follow_button, Qt.MouseButton.LeftButton)
    until(lambda: jack() > 2.9)
    until(lambda: jack() < -0.9)
    QTest.mouseClick(page.outputs.stop_button, Qt.MouseButton.LeftButton)
    until(lambda: abs(jack()) < 0.02)


@pytest.mark.xdist_group("real time")
def test_it_is_played_by_a_board_and_by_a_midi_port(play, lantern):
    """The stand-in board at its pseudo-terminal, and a pseudo-terminal in the place of a raw MIDI device."""
    window, devices = play.window(), play.window().devices
    there, port = os.openpty()
    tty.setraw(port)
    devices.connect_board(lantern.board.path)
    devices.connect_midi(os.ttyname(port), 4)
    until(lambda: devices.board is not None and devices.midi is not None)
    os.set_blocking(there, False)
    came = bytearray()

    def comes(data: bytes) -> bool:
        with contextlib.suppress(BlockingIOError):
            came.extend(os.read(there, 1000))
        return data in came

    jack = lambda: lantern.board.logic.codes["A"]  # noqa: E731
    safe = lambda: set(lantern.board.logic.codes.values()) == {lantern.board.logic.design.safe_code}  # noqa: E731

    def by_board(dialog) -> None:
        assert [dialog.kind.itemData(k) for k in range(dialog.kind.count())] == ["board", "midi"]
        choose(dialog.boxes["pitch"], 0)
        type_into(dialog.limit, "2 V")
        dialog.ok.click()

    with_dialog(lambda: QTest.mouseClick(play.side.out, Qt.MouseButton.LeftButton), by_board)
    assert "goes to 2.583 V where at most 2 V may leave" in window.sentence.text()

    def further(dialog) -> None:
        choose(dialog.kind, "board")
        assert dialog.boxes["pitch"].currentData() == 0
        type_into(dialog.limit, "3 V")
        dialog.ok.click()

    codes, put_out = set(), lantern.world.put_out
    lantern.world.put_out = lambda channel, code: (put_out(channel, code), codes.add(code))
    with_dialog(lambda: QTest.mouseClick(play.side.out, Qt.MouseButton.LeftButton), further)
    until(lambda: len(codes) > 4)
    press(window, Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)  # panic
    until(lambda: not devices.busy and safe() and comes(b"\xb3\x7b\x00"))  # the MIDI port too
    came.clear()

    def by_midi(dialog) -> None:
        choose(dialog.kind, "midi")
        dialog.clock.setChecked(True)
        dialog.ok.click()

    with_dialog(lambda: QTest.mouseClick(play.side.out, Qt.MouseButton.LeftButton), by_midi)
    until(lambda: comes(b"\xfc"))
    parser = mido.Parser()
    parser.feed(bytes(came))
    messages = list(parser)
    assert [one.type for one in messages].count("clock") == 4 * 24
    assert [messages[0].type, [one.note for one in messages if one.type == "note_on"]] == [
        "start", [48, 60, 63, 67, 63, 60, 58, 55],
    ]  # fmt: skip
    until(lambda: not devices.busy)
    # Live: every message goes on as it comes, and what is held is let go at the end.
    play.settings.out_too.setChecked(True)
    with_dialog(lambda: QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton), by_midi)
    until(lambda: play.live is not None and play.lanes.hasFocus())
    until(lambda: comes(b"\xb0\x7b\x00"))  # at rest behind the song
    came.clear()
    QTest.keyPress(play.lanes, Qt.Key.Key_Z, delay=5)
    until(lambda: comes(bytes([0x90, 48, 96])))
    press(window, Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
    until(lambda: play.live is None and comes(bytes([0xB0, 120, 0])))
    # Live by the board: the note that sounds, at the code of its correction.
    with_dialog(lambda: QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton), further)
    until(lambda: play.live is not None and play.lanes.hasFocus())
    QTest.keyPress(play.lanes, Qt.Key.Key_Z, delay=5)
    want = devices.board.play("B", 48.0)
    until(lambda: jack() == pytest.approx(want, abs=12))
    assert "0 C-1 to 72 C5 can be played" in window.sentence.text()  # at most 3 V
    for _ in range(2):
        QTest.keyClick(play.lanes, Qt.Key.Key_PageUp, delay=5)
    stood = jack()
    QTest.keyPress(play.lanes, Qt.Key.Key_X, delay=5)  # two octaves up it would be 3.17 V
    until(lambda: play.played.song.presses.sum() == 2)
    time.sleep(0.1)
    assert jack() == stood
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: safe())
    os.close(there)
    os.close(port)


@pytest.mark.xdist_group("real time")
def test_what_is_played_live_goes_straight_out(play, lantern):
    """Keys of the computer, the jack that they move, and not one trigger lost."""
    devices = play.window().devices
    devices.connect_outputs(lantern.interface.address, [INTERFACE_VOLTS] * 16, 6.0)
    until(lambda: devices.outputs is not None)
    devices.outputs.confirm(True)
    jack = lambda: lantern.world.interface.jack_volts(2)  # noqa: E731
    play.settings.out_too.setChecked(True)

    def by_outputs(dialog) -> None:
        choose(dialog.boxes["pitch"], 10)
        dialog.ok.click()

    with_dialog(lambda: QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton), by_outputs)
    until(lambda: play.live is not None and play.lanes.hasFocus())
    assert "0 C-1 to 108 C8 can be played; beyond, the pitch" in play.window().sentence.text()  # ± 6 V
    QTest.keyPress(play.lanes, Qt.Key.Key_A, delay=5)
    until(lambda: abs(jack() - 17 / 12) < 0.03)
    law = play.settings.converter.state()["law"]
    play.settings.converter.restore({**play.settings.converter.state(), "law": "voct:scale=0.5,note=36,volts=0"})
    play.settings.changed.emit()  # it goes out otherwise at once, the key held
    until(lambda: abs(jack() - 17 / 24) < 0.03)
    box = play.settings.converter.output
    box.setCurrentIndex(box.findText("Workshop board · pitch A"))  # its codes, with the correction in force
    box.activated.emit(box.currentIndex())
    head = play.window().session.runs.head_of(PortRef("workshop-board", "pitch-a"))
    until(lambda: abs(jack() - (0.2 + 17 / 12 - head.offset) / head.gain) < 0.03)
    assert play.live._out._converter.stands("pitch") == play.played.outgoing("pitch").volts[-1] != 0.2 + 17 / 12
    box.setCurrentIndex(0)
    play.settings.converter.restore({**play.settings.converter.state(), "law": law})
    play.settings.changed.emit()
    until(lambda: abs(jack() - 17 / 12) < 0.03)
    QTest.keyRelease(play.lanes, Qt.Key.Key_A)
    QTest.keyPress(play.lanes, Qt.Key.Key_Z, delay=5)
    until(lambda: abs(jack() - 1.0) < 0.03)
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is None and abs(jack()) < 0.02)
    # A zone: each key has a member and a jack of its own; where the jack is gone, so is the way out.
    choose(play.settings.channel, "lower")

    def first_two(dialog) -> None:
        dialog.fill.click()
        given = {name: box.currentData() for name, box in dialog.boxes.items() if box.currentData() is not None}
        assert given == {f"{what}{k + 1}": 2 * k + n for k in range(8) for n, what in enumerate(("pitch", "gate"))}
        for box in dialog.boxes.values():
            box.setCurrentIndex(0)
        for name, channel in (("pitch1", 11), ("pitch2", 10)):
            choose(dialog.boxes[name], channel)
        dialog.ok.click()

    with_dialog(lambda: QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton), first_two)
    until(lambda: play.live is not None and play.lanes.hasFocus())
    assert play.settings.channel.currentData() == "lower"
    QTest.keyPress(play.lanes, Qt.Key.Key_Z, delay=5)
    QTest.keyPress(play.lanes, Qt.Key.Key_A, delay=5)
    until(lambda: abs(jack() - 17 / 12) < 0.03)
    until(lambda: "pitch2" in [lane.name for lane in play.played.lanes])
    choose(play.settings.channel, 3)
    until(lambda: "The converter has no pitch1 any more: begin anew" in play.window().sentence.text())
    assert not play.live.goes_out
    assert "It is on the picture only now." in play.window().sentence.text()
    QTest.keyPress(play.lanes, Qt.Key.Key_X, delay=5)
    until(lambda: play.played.song.channels.tolist()[-1] == 3)
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is None)
    # A lead that is pulled: told, and the picture goes on; the same for a song.
    with_dialog(lambda: QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton), by_outputs)
    until(lambda: play.live is not None and play.live.goes_out)
    lantern.do("interface lead pulled", True)
    until(lambda: "It is on the picture only now." in play.window().sentence.text())
    assert (play.live.goes_out, devices.trouble["outputs"]) == (False, False)
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is None)
    lantern.do("interface lead pulled", False)
    devices.connect_outputs(lantern.interface.address, [INTERFACE_VOLTS] * 16, 6.0)
    until(lambda: devices.outputs is not None and not devices.outputs.trouble)
    devices.outputs.confirm(True)
    play.out.begin(play.played, "it", OutChoice("outputs", {"pitch": 10}))
    until(play.side.stop.isEnabled)
    lantern.do("interface lead pulled", True)
    until(lambda: devices.trouble["outputs"] and not play.side.stop.isEnabled())
    assert "is gone" in play.window().sentence.text()


def test_what_is_played_live_is_seen_as_it_comes_and_stays_as_a_song(play, tmp_path):
    """By the computer's keys, then from a pipe in the place of a raw MIDI device."""
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is not None and play.lanes.hasFocus())
    assert play.settings.title.text() == "Live"
    QTest.keyPress(play.lanes, Qt.Key.Key_Z, delay=5)
    QTest.keyPress(play.lanes, Qt.Key.Key_A, delay=5)
    until(lambda: play.played.song.presses.sum() == 2)
    assert [row[4] for row in table_texts(play.events)] == ["48 C3 pressed, velocity 96", "53 F3 pressed, velocity 96"]
    assert play.played.rendered.signal("pitch").steps.volts[-1] == pytest.approx(17 / 12)
    seen = play.lanes.view
    until(lambda: play.lanes.view[1] > seen[1] + 0.2)
    assert play.lanes.view[1] - play.lanes.view[0] == pytest.approx(seen[1] - seen[0])
    QTest.keyRelease(play.lanes, Qt.Key.Key_A)
    until(lambda: play.played.rendered.signal("pitch").steps.volts[-1] == pytest.approx(1.0))
    QTest.keyClick(play.lanes, Qt.Key.Key_PageUp)  # lets what is held go
    until(lambda: play.played.rendered.signal("gate").steps.volts[-1] == 0.0)
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is None and play.settings.title.text() == "What was played" and play.played is not None)
    assert play.played.song.presses.sum() == 2
    # What arrives of it, as it comes: a key that is held is no pulse too long yet, nor its note late.
    voice, session = PortRef("gallery-voice", "gate"), play.window().session
    patient = replace(session.bench.port(voice).gate, max_seconds=60.0)
    session.document.apply(
        Change("patient", session.bench.with_port(voice, replace(session.bench.port(voice), gate=patient)))
    )
    box = play.settings.converter.output
    box.setCurrentIndex(box.findText("Workshop board · pitch A"))
    played_anew(play, lambda: box.activated.emit(box.currentIndex()))
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is not None and play.lanes.hasFocus())
    QTest.keyPress(play.lanes, Qt.Key.Key_Z, delay=5)
    until(lambda: {"sent", "→ Gallery voice · pitch 1"} <= {lane.name for lane in play.played.lanes})
    until(lambda: any("gate goes on once" in one for one in play.side.sentences.shown))
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is None and play.settings.title.text() == "What was played")
    box.setCurrentIndex(0)
    played_anew(play, lambda: box.activated.emit(0))
    pipe = tmp_path / "midi"
    os.mkfifo(pipe)
    holds = os.open(pipe, os.O_RDWR)
    play.settings.input.setEditText(str(pipe))
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is not None)
    os.write(holds, bytes.fromhex("fe 90 3c 64 fe"))  # a sender that says that it is there, and falls silent
    until(lambda: play.played.song.presses.sum() == 1)
    until(lambda: "is the MIDI lead plugged in?" in play.window().sentence.text())
    until(lambda: play.live is None)
    assert play.played.song.presses.sum() == 1
    until(lambda: play.played.rendered.signal("gate").steps.volts[-1] == 0.1)  # the board's
    # A sender's clock: its start, and four pulses a quarter note of 24 clocks.
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is not None)
    play.settings.converter.transport.setChecked(True)
    os.write(holds, bytes.fromhex("90 3c 64 fa"))
    for _ in range(25):
        os.write(holds, b"\xf8")
        time.sleep(0.015)
        settle()
    until(lambda: play.played is not None and "reset" in [lane.name for lane in play.played.lanes])
    signals = {one.name: one for one in play.played.rendered.signals}
    until(lambda: {one.name: one for one in play.played.rendered.signals}["clock4"].pulses.rises_seconds.size == 5)
    assert signals["reset"].pulses.rises_seconds.size == 1
    os.write(holds, bytes.fromhex("fc f2 08 00 fb"))  # stopped, put to sixteenth 9, and on
    until(lambda: any("at sixteenth 9" in one for one in play.side.sentences.shown))
    listed = [row[3:] for row in table_texts(play.events)]
    assert sorted(listed[:2]) == [("90 3C 64", "60 C4 pressed, velocity 100"), ("FA", "start")]  # they came together
    assert listed[2:] == [("FC", "stop"), ("F2 08 00", "song position, sixteenth 9"), ("FB", "continue")]
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    until(lambda: play.live is None)
    play.settings.input.setEditText("nowhere")
    QTest.mouseClick(play.settings.live, Qt.MouseButton.LeftButton)
    assert "path of a raw MIDI device was expected" in play.window().sentence.text()
    assert not play.settings.live.isChecked()
    os.close(holds)


REFUSED = [
    ("length", "soon", "The trigger"),
    ("length", "0", "more than 0"),
    ("gap", "-1 ms", "A gap"),
    ("wheel", "200", "0 to 127"),
    ("clocks", "1, x", "A clock"),
    ("clocks", "1, 1", "named twice"),
    ("clocks", "0", "pulses a quarter"),
    ("gate", "5 V", "levels of gate"),
    ("gate", "0:x", "A level of gate"),
    ("gate", "5:5 V", "whether it is up or down"),
    ("swing", "40 %", "swing from 50 %"),
    ("pulse", "100 %", "share below 100 %"),
    ("more", "x 0:5 V", "A controller is"),
    ("more", "1", "named twice"),
]


def test_what_makes_no_converter_is_said_at_the_settings(play):
    converter = play.settings.converter
    for field, text, refused in REFUSED:
        edit = converter.levels.get(field) or getattr(converter, field)
        stood, before = edit.text(), play.played.setting
        type_into(edit, text, enter=True)
        until(lambda refused=refused: refused in play.settings.refusal.text())
        assert play.played.setting == before  # what was played is there still
        edit.setText(stood)
        played_anew(play, edit.editingFinished.emit)


def test_controllers_swing_and_contacts_are_set_at_the_page(play):
    converter = play.settings.converter
    choose(play.settings.phrases, "Wheel and modulation")
    until(lambda: play.source.name == "Wheel and modulation" or play.settings.phrases.activated.emit(4))
    for edit, text in ((converter.more, "74 -5:5 V; 11"), (converter.pulse, "25 %"), (converter.swing, "75 %")):
        played_anew(play, lambda edit=edit, text=text: type_into(edit, text, enter=True))
    names = [lane.name for lane in play.played.lanes]
    assert names[4:8] == ["bend", "mod", "cc74", "cc11"]
    signals = {one.name: one for one in play.played.rendered.signals}
    # Controller 74 rests at 0, expression at 127 (RP-015).
    assert (signals["cc74"].steps.volts[0], signals["cc11"].steps.volts[0]) == (-5.0, 5.0)
    pulses = signals["clock4"].pulses
    # Every second one three quarters of the way between its neighbours, 0.25 s apart; a quarter of the way wide.
    assert pulses.rises_seconds[:3] == pytest.approx([0.0, 0.1875, 0.25])
    assert pulses.falls_seconds[0] == pytest.approx(0.25 * 0.1875)
    type_into(converter.levels["gate"], "5 V")
    played_anew(play, lambda: choose(converter.kinds["gate"], True))
    gate = next(one for one in play.played.rendered.signals if one.name == "gate")
    assert (gate.steps.volts[0], gate.level.shorting) == (0.0, True)
    assert "It closes to ground." in play.side.why.text()
    # The next window has it so; what nobody can read any more is as it was.
    kept = play._session.settings.preferences.play
    assert (kept["swing"], kept["gate kind"], kept["controllers"]) == ("75 %", "True", "74 -5:5 V; 11")
    before = converter.state()
    converter.restore({**before, "swing": "much", "voices": "many"})
    assert converter.state() == before
    converter.restore({**before, "swing": "60 %", "voices": "2", "law": "hzv:note=36,volts=0.5"})
    assert (converter.setting(1).swing, converter.setting(1).rules.voices) == (0.6, 2)
    assert converter.setting(1).law.reference_volts == 0.5


def test_several_voices_have_lanes_of_their_own_and_each_phrase_plays(play):
    for index in range(play.settings.phrases.count()):
        played_anew(play, lambda index=index: play.settings.phrase_wanted.emit(index))
        assert play.settings.about.text().startswith("Shows ")
    played_anew(play, lambda: play.settings.phrase_wanted.emit(6))
    played_anew(play, lambda: choose(play.settings.converter.voices, 4))
    names = [lane.name for lane in play.played.lanes]
    assert [one for one in names if one.startswith("gate")] == ["gate1", "gate2", "gate3", "gate4"]
    assert play.settings.converter.allocation.isEnabled()
    played_anew(play, lambda: play.settings.converter.transport.setChecked(True))
    assert [lane.name for lane in play.played.lanes][-2:] == ["run", "reset"]
    played_anew(play, lambda: play.settings.converter.cable.setChecked(True))
    assert any("The cable delays" in one for one in play.side.sentences.shown)
    choose(play.settings.channel, "lower")
    until(lambda: "no note on the channels of the lower zone" in play.settings.refusal.text())
    assert not play.settings.converter.voices.isEnabled()


def test_signals_are_made_of_others_and_stay_with_the_bench(play):
    panel, session = play.settings.logic, play._session
    choose(play.settings.phrases, "Four notes")

    def row(dialog) -> None:
        picture = dialog.row_picture
        type_into(dialog.fields.editor("volts"), "0 V; 5 V; 5 V; 0 V", enter=True)
        picture.setFocus()
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Up):
            QTest.keyClick(picture, key)
        assert dialog.made.volts == (0.0, 5.1, 5.0, 0.0)
        drawn = QPoint(picture.width() - 30, 8)  # as high as it goes, in the last step
        QTest.mouseClick(picture, Qt.MouseButton.LeftButton, pos=drawn)
        assert dialog.made.volts[3] == pytest.approx(5.1, abs=0.2)
        QTest.keyClick(picture, Qt.Key.Key_Down)
        dialog.ok.click()

    def usual(dialog) -> None:
        told.append(dialog.words.text())
        dialog.ok.click()

    def twice(dialog) -> None:
        type_into(dialog.fields.editor("attack_seconds"), "1 ms", enter=True)
        type_into(dialog.fields.editor("decay_seconds"), "2 ms", enter=True)
        choose(dialog.fields.editor("acts"), "again")
        dialog.ok.click()

    told = []
    actions = {one.text(): one for one in panel.menu.actions()}
    for words, answer in (("A row of steps", row), ("A level as an edge", usual), ("Ratchets", usual),
                          ("An envelope, to watch", twice), ("A divided clock", usual)):  # fmt: skip
        played_anew(play, lambda: with_dialog(actions[words].trigger, answer))  # noqa: B023
    names = [lane.name for lane in play.played.lanes]
    assert names[-5:] == ["row", "edge", "ratchets", "divided", "envelope"]
    assert "0.250 V for nothing (± 250 mV)" in told[1]
    found = {one.code: one.text for one in play.played.findings}
    assert "step 3 of row makes no edge" in found["silent-step"] or "steps 3, 4" in found["silent-step"]
    assert "4 of them while the same pulse is still up" in found["envelope"]
    with_dialog(panel.change.click, lambda dialog: (type_into(dialog.fields.editor("by"), "0"), dialog.reject()))
    panel.table.selectRow(0)
    play._session.said.connect(lambda text, _: told.append(text))
    panel.remove.click()
    assert told[-1] == "edge is made of row; take that out first."
    played_anew(play, session.document.undo)
    assert len(session.bench.logic) == 4
    # A clock that is no longer there is told, and nothing else is lost.
    played_anew(play, lambda: type_into(play.settings.converter.clocks, "1", enter=True))
    assert "row is not made: there is no clock4." in [one.text for one in play.played.findings]


def test_a_row_is_recorded_from_what_is_played(play):
    choose(play.settings.phrases, "Wheel and modulation")
    until(lambda: play.played.rendered.performance.song.ticks.size > 20)

    def record(dialog) -> None:
        choose(dialog.source, "mod")
        dialog.record.click()
        dialog.ok.click()

    panel = play.settings.logic
    action = next(one for one in panel.menu.actions() if one.text() == "A row of steps")
    played_anew(play, lambda: with_dialog(action.trigger, record))
    signals = {one.name: one.steps for one in play.played.rendered.signals}
    clock = signals["clock4"]
    rises = clock.seconds[clock.volts == 5.0][8:16]  # the second time round
    assert play._session.bench.logic[0].volts == pytest.approx(signals["mod"].at(rises).tolist())
    assert max(play._session.bench.logic[0].volts) > 4.0
