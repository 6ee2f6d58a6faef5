"""Devices in the window: connected, taken by themselves, corrected and proven, and everything that goes wrong."""

from __future__ import annotations

import shutil
from pathlib import Path
from time import monotonic

import msgspec
import pytest
from drive import action, click, press, settle, table_texts, type_into, with_dialog
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox
from tests.devices.hand import SAFE_SECONDS, Hand, silent

from dynamis.bench.document.commands import rename, set_link
from dynamis.demo.hidden import shipped
from dynamis.demo.lantern import CHANNEL_A
from dynamis.devices.taking import Settling
from dynamis.files.store import BenchFile
from dynamis.ui.session.preferences import load_preferences
from timing import once_within

# The wires answer in real time: beside other tests, but one at a time.
pytestmark = pytest.mark.xdist_group("real time")
CONTROL = Qt.KeyboardModifier.ControlModifier
FAST = Settling(0.03, 0.02, 0.05, 12)
PLAN = (36.0, 40.0, 44.0, 48.0)


def until(ask, seconds: float = 90.0) -> None:
    """Let the window run until something is so."""
    by = monotonic() + seconds
    while not ask():
        QTest.qWait(10)
        assert monotonic() < by, (
            f"it did not come within the time; the window says: {[one.sentence.text() for one in QApplication.topLevelWidgets() if hasattr(one, 'sentence')]}"
        )


@pytest.fixture
def window(demo_file, make_window):
    """The demo's window with a fresh run of four notes for unit 03, channel A."""
    made = make_window(demo_file)
    made.course.settling = FAST
    session = made.session
    session.runs.withdraw()
    run = msgspec.structs.replace(
        session.runs.all[0], id="short", title="Short", plan=PLAN, created="2026-11-20T10:00:00+00:00"
    )
    session.runs.begin(run)
    return made


@pytest.fixture
def connected(window, lantern):
    """The window with board and meter connected through the Devices page, by keyboard."""
    press(window, Qt.Key.Key_D, CONTROL)
    page = window.station
    type_into(page.board.line, lantern.board.path, enter=True)
    until(lambda: window.devices.board is not None)
    type_into(page.meter.line, lantern.meter.address, enter=True)
    until(lambda: window.devices.ready)
    press(window, Qt.Key.Key_6, CONTROL)
    settle()
    return window


# -- connecting ----------------------------------------------------------------------------------------


def test_what_answers_is_shown_and_remembered(connected, lantern):
    window, page = connected, connected.stations["Devices"]
    assert page.board.words.text() == "Unit 03 of workshop-board, 2 channels of 12 bits."
    assert "Bench meter" in page.meter.words.text()
    assert [row[0] for row in table_texts(page.board.held)] == ["A  pitch A", "B  pitch B"]
    assert {row[1] for row in table_texts(page.board.held)} == {"the nominal values"}
    assert "board and bench agree" in page.board.difference.text()
    assert "Unit 03 + meter" in window.devices_button.text()
    kept, _ = load_preferences()
    assert (kept.board_port, kept.meter_address) == (lantern.board.path, lantern.meter.address)
    lantern.world.put_out("A", 1630)
    QTest.qWait(150)
    window.show_station("Devices")
    click(page.meter.test_button)
    until(lambda: page.meter.reading.text())
    assert page.meter.reading.text().startswith("2.19")
    click(page.board.disconnect_button)
    click(page.meter.disconnect_button)
    until(lambda: not window.devices.ready and window.devices.board is None)
    until(lambda: page.board.words.text() == page.meter.words.text() == "Not connected.")
    assert [window.devices.trouble["board"], window.devices.trouble["meter"]] == [False, False]  # it was wanted so


@pytest.mark.parametrize(
    ("side", "address", "word"),
    [
        ("board", "/dev/ttyNONE", "is the board plugged in"),
        ("board", "", "port is missing"),
        ("meter", "127.0.0.1:9", "is the meter on"),
        ("meter", "meter", "host:port"),
    ],
)
def test_what_does_not_answer_is_named_at_its_place(window, side, address, word):
    window.show_station("Devices")
    panel = getattr(window.station, side)
    type_into(panel.line, address, enter=True)
    until(lambda: word in panel.words.text())
    assert window.devices.trouble[side]


def test_without_devices_the_way_to_them_is_shown(window):
    press(window, Qt.Key.Key_F5)
    assert window.station.title == "Devices"
    assert "Connect the board first" in window.sentence.text()
    press(window, Qt.Key.Key_Period, CONTROL)
    assert "No board is connected" in window.sentence.text()
    action(window, "Copy the picture").trigger()
    assert "There is no picture on the page Devices" in window.sentence.text()


# -- a run by itself -----------------------------------------------------------------------------------


def test_the_rest_is_taken_by_itself_and_the_first_note_read_again(connected, lantern):
    session = connected.session
    type_into(connected.station.entry.entry, "0.2004", enter=True)
    click(connected.station.entry.taking.take)
    assert not connected.station.entry.entry.isEnabled()
    until(lambda: not connected.devices.busy and session.runs.analysis().next_note is None)
    rows = session.document.file.readings("short")
    assert [row.note for row in rows] == [*PLAN, 36.0]
    assert [row.range_volts for row in rows] == [None, 10.0, 10.0, 10.0, 10.0]
    until(lambda: "Read again at the end, 36 C2" in connected.sentence.text())
    assert len(table_texts(connected.station.readings.readings)) == 5
    assert connected.station.entry.entry.isEnabled()
    assert lantern.world.code("A") == 0
    press(connected, Qt.Key.Key_F5)
    assert "All notes of this run are read" in connected.sentence.text()


def test_pause_go_on_and_cancel_by_their_keys(connected, lantern):
    session, devices = connected.session, connected.devices
    press(connected, Qt.Key.Key_F5)
    until(lambda: len(session.document.file.readings("short")) >= 1)
    press(connected, Qt.Key.Key_F6)
    until(lambda: devices.progress is not None and devices.progress.state == "paused")
    assert lantern.world.code("A") == 0
    assert "Paused" in connected.station.entry.what.text()
    count = len(session.document.file.readings("short"))
    QTest.qWait(200)
    assert len(session.document.file.readings("short")) == count
    press(connected, Qt.Key.Key_F6)
    until(lambda: len(session.document.file.readings("short")) > count)
    click(connected.station.entry.taking.cancel)
    until(lambda: not devices.busy)
    assert lantern.world.code("A") == 0
    assert connected.station.entry.taking.take.isVisible()


def test_the_safe_key_works_at_any_time(connected, lantern):
    press(connected, Qt.Key.Key_F5)
    until(lambda: connected.devices.progress is not None and connected.devices.progress.state == "reading")
    lantern.do("meter late", 3.0)  # nobody waits for the meter
    press(connected, Qt.Key.Key_Period, CONTROL)
    until(lambda: lantern.world.code("A") == 0, 1.0)
    until(lambda: "safe value" in connected.sentence.text())
    assert lantern.world.code("A") == 0
    connected.devices.cancel()
    until(lambda: not connected.devices.busy)


@pytest.mark.parametrize(
    ("hand", "value", "word"),
    [("meter lead pulled", True, "is gone: check its power"), ("board restart", None, "has restarted")],
)
def test_trouble_is_told_in_one_sentence_and_the_run_goes_on(connected, lantern, hand, value, word):
    session = connected.session
    press(connected, Qt.Key.Key_F5)
    until(lambda: len(session.document.file.readings("short")) == 1)
    lantern.do(hand, value)
    until(lambda: word in connected.sentence.text())
    assert connected.station.entry.taking.pause.text() == "Go on"
    lantern.do("meter lead pulled", False)
    click(connected.station.entry.taking.pause)
    until(lambda: not connected.devices.busy)
    assert [row.note for row in session.document.file.readings("short")] == [*PLAN, 36.0]


def test_a_full_disk_pauses_the_run_and_the_reading_is_not_lost(connected):
    session = connected.session
    press(connected, Qt.Key.Key_F5)
    until(lambda: len(session.document.file.readings("short")) == 1)
    connection = session.document.file._connection
    with session.document.file._one:
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        connection.execute(f"PRAGMA max_page_count = {pages}")
        filler = session.runs.all[0].id
    told = ""
    while not told:  # fill what room the last pages still have
        try:
            session.document.file.add_readings(filler, [(60.0, 2.2, None, 0.0)])
        except Exception as error:  # noqa: BLE001
            told = str(error)
    until(lambda: "disk is full" in connected.sentence.text())
    with session.document.file._one:
        connection.execute("PRAGMA max_page_count = 1000000")
    press(connected, Qt.Key.Key_F6)
    until(lambda: not connected.devices.busy)
    assert [row.note for row in session.document.file.readings("short")] == [*PLAN, 36.0]


@pytest.mark.parametrize("mute", ["LOAD", "KEEP", "LOOK"])
def test_from_the_safe_key_to_the_byte_it_takes_no_time_whatever_is_being_sent(connected, lantern, mute):
    """The board has gone silent in the middle of a sending; the key is pressed in the window."""
    hand, page = Hand(lantern), connected.stations["Devices"]
    connected.show_station("Devices")

    def attempt() -> float:
        hand.replies.clear()
        connected.devices.play("B", 60.0)
        until(lambda: lantern.world.code("B") > 0 and not connected.devices.busy)
        hand.replies[mute], hand.safe_at = silent, 0.0
        hand.heard.clear()
        click(page.board.send)
        until(lambda: mute in hand.heard)
        pressed = monotonic()
        press(connected, Qt.Key.Key_Period, CONTROL)
        until(lambda: hand.safe_at > 0)
        until(lambda: lantern.world.code("B") == 0)
        until(lambda: not connected.devices.busy)
        return hand.safe_at - pressed

    once_within(SAFE_SECONDS, attempt)


def test_closing_the_window_in_mid_run_leaves_the_output_safe_and_the_readings_stored(connected, lantern, demo_file):
    press(connected, Qt.Key.Key_F5)
    until(lambda: len(demo_file.readings("short")) >= 1)
    connected.close()
    assert lantern.world.code("A") == 0
    with BenchFile.open(demo_file.path) as again:
        assert again.readings("short")


# -- correct and prove ---------------------------------------------------------------------------------


def test_the_whole_course_by_itself_to_a_verdict(connected, lantern):
    """From readings as found to a proof with quarter tones: one key, and what is sent is kept and verified."""
    session, course = connected.session, connected.course
    lantern.do("probe", "B")
    channel_b = {"id": "b", "port": "pitch-b", "plan": (36.0, 40.0, 44.0), "created": "2026-11-21T10:00:00+00:00"}
    session.runs.begin(msgspec.structs.replace(session.selection.run, **channel_b))
    connected.station.course.by_itself.setChecked(True)
    press(connected, Qt.Key.Key_F8)
    until(lambda: course.course().at is None and not connected.devices.busy, 60)
    assert course.course().verdict == "within"
    assert "Proven by fresh readings: within tolerance" in connected.station.course.words.text().replace("\u00a0", " ")
    assert [run.title for run in session.runs.of(session.selection.channel)] == ["Short", "After constants", "Proof"]
    proof = session.runs.all[-1]
    assert {36.5, 43.5} <= set(proof.plan)
    assert (proof.held_hash, proof.meter_identity) == (
        lantern.board.logic.held["B"].hash,
        connected.devices.meter.identity,
    )
    assert [(sent.verified, sent.head.kind) for sent in session.runs.sends] == [
        (False, "constants"),
        (True, "constants"),
        (False, "table"),
        (True, "table"),
    ]
    assert session.runs.sends[0].before.correction == shipped()
    assert session.runs.in_force().kind == "table"
    assert session.runs.in_force((CHANNEL_A, "03")) is None
    assert lantern.board.logic.held["A"] == shipped()
    # undo takes documents back, never what was sent
    session.document.apply(rename(session.bench, "Renamed"))
    held = lantern.board.logic.held["B"].hash
    action(connected, "Undo").trigger()
    assert lantern.board.logic.held["B"].hash == held
    assert len(session.runs.sends) == 4


def test_board_and_bench_are_compared_and_the_old_one_is_sent_back(connected, lantern):
    session, course = connected.session, connected.course
    for note, volts in zip(PLAN, (0.2005, 0.5330, 0.8650, 1.1970), strict=True):
        session.selection.set_note(note)
        session.runs.take(note, volts)
    session.selection.choose_correction("constants")
    connected.station.adopt()
    connected.show_station("Devices")
    page = connected.station
    assert "The board holds the nominal values" in page.board.difference.text()
    assert "differs" in table_texts(page.board.held)[0][3]
    connected.show_station("Codes")
    assert connected.station.said.shown[-1].replace("\u00a0", " ") == page.board.difference.text().replace(
        "\u00a0", " "
    )
    connected.show_station("Devices")
    click(page.board.send)
    until(lambda: "verified" in connected.sentence.text())
    until(lambda: "agree" in page.board.difference.text())
    assert course.held().hash != shipped().hash
    sent = table_texts(page.board.sends)
    assert [row[-1] for row in sent] == ["verified"]
    click(page.board.put_back)
    until(lambda: course.held() is not None and course.held().hash == shipped().hash)
    assert table_texts(page.board.sends)[0][2] == "an older one, put back"
    assert "on the bench constants are in force" in page.board.difference.text()


def test_a_torn_write_and_another_unit_are_told(connected, lantern):
    lantern.do("board tear")
    action(connected, "Send what is in force").trigger()
    until(lambda: "lost its power while it stored" in connected.sentence.text())
    assert [row[-1] for row in table_texts(connected.stations["Devices"].board.sends)] == ["not verified"]
    lantern.do("unit", "02")
    action(connected, "Send what is in force").trigger()
    until(lambda: "Unit 02 of workshop-board answers instead of unit 03" in connected.sentence.text())


# -- the file in the window ----------------------------------------------------------------------------


def test_a_second_window_looks_on_and_follows(window, demo_file, make_window):
    second = make_window(BenchFile.open(demo_file.path))
    assert "read-only" in second.file_name.text()
    link = window.session.bench.links[0].id
    second.guarded(lambda: second.session.document.apply(set_link(second.session.bench, link, tolerance="9")))
    assert "open in another window" in second.sentence.text()
    window.session.document.apply(rename(window.session.bench, "Changed meanwhile"))
    window.session.runs.take(36.0, 0.2001)
    until(lambda: second.session.bench.name == "Changed meanwhile", 4)
    until(lambda: len(second.session.runs.analysis("short").valid) == 1, 4)
    action(second, "Open for writing again").trigger()
    assert "open in another window" in second.sentence.text()
    window.close()
    action(second, "Open for writing again").trigger()
    settle()
    assert "read-only" not in second.file_name.text()
    second.session.document.apply(rename(second.session.bench, "Mine now"))
    assert second.session.document.file.undo_label() == "rename the bench to Mine now"


def test_a_damaged_bench_is_salvaged_into_a_new_one(window, demo_file, tmp_path):
    whole = demo_file.path.read_bytes()
    damaged = tmp_path / "damaged.dynamis"
    damaged.write_bytes(whole[:-4096] + b"\x55" * 4096)

    def salvage(box) -> None:
        assert isinstance(box, QMessageBox)
        assert "left as it is" in box.text()
        click(next(button for button in box.buttons() if button.text() == "Salvage"))

    with_dialog(lambda: window.take_file(damaged), salvage)
    until(lambda: "Salvaged into" in window.sentence.text())
    assert window.session.document.file.path.name.startswith("damaged (salvaged)")
    assert len(window.session.runs.all) >= 3
    assert damaged.read_bytes()[-4096:] == b"\x55" * 4096


def test_an_older_bench_is_opened_and_its_old_file_named(window, tmp_path):
    old = Path(
        shutil.copy(Path(__file__).parents[1] / "files" / "old" / "version-1.dynamis", tmp_path / "winter.dynamis")
    )
    window.take_file(old)
    assert "kept as winter (version 1).dynamis" in window.sentence.text()
    window.take_file(old)
    assert "is open here already" in window.sentence.text()


def test_exports_of_the_menu_are_those_of_the_command(window, dynamis, tmp_path, monkeypatch):
    from PySide6.QtWidgets import QFileDialog

    session = window.session
    for text, what in (
        ("Export the correction", "c-header"),
        ("Export the codes as CSV", "codes-csv"),
        ("Export the codes as JSON", "codes-json"),
        ("Export the channel's", "readings-csv"),
    ):
        shown, made = tmp_path / "a.out", tmp_path / "b.out"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, shown=shown: (str(shown), ""))
        action(window, text).trigger()
        dynamis(
            "export", session.document.file.path, "--what", what, "--unit", "03", "--channel", "pitch A", "-o", made
        )
        assert shown.read_text() == made.read_text()
    assert QApplication.instance() is not None
