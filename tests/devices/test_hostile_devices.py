"""Devices that say anything, at any speed and any length: one sentence in time, and the safe output goes ahead of all."""

from __future__ import annotations

import contextlib
import socket
import threading
import time

import pytest
from tests.devices.hand import SAFE_SECONDS, Hand, silent

from dynamis.converter.firmware import BoardCorrection
from dynamis.devices.interface import DeviceError
from dynamis.devices.lines import frame
from dynamis.devices.scpi import parse_error, parse_number
from dynamis.devices.scpi_meter import ScpiMeter
from dynamis.devices.serial_board import SerialBoard
from timing import at_once, once_within, until

TABLE = BoardCorrection("E", 40_000_000_000, 12_345_678, 0, tuple(range(-64, 64)))


def dripping(client: socket.socket) -> None:
    while True:
        client.sendall(b"1")
        time.sleep(0.05)


def flooding(client: socket.socket) -> None:
    while True:
        client.sendall(b"9" * 65_536)


SAID = {"drip": dripping, "flood": flooding}


@contextlib.contextmanager
def hostile_meter(answers: dict[str, bytes | str]):
    """A socket that answers a query by these bytes, or by one of the behaviours above."""
    listening = socket.create_server(("127.0.0.1", 0))

    def talk() -> None:
        with contextlib.suppress(OSError):
            while True:
                client, _ = listening.accept()
                with client, contextlib.suppress(OSError):
                    for line in client.makefile("rb"):
                        said = answers.get(line.decode().strip().split(" ")[0], b"")
                        SAID[said](client) if isinstance(said, str) else client.sendall(said)

    thread = threading.Thread(target=talk, daemon=True)
    thread.start()
    yield f"127.0.0.1:{listening.getsockname()[1]}"
    listening.shutdown(socket.SHUT_RDWR)
    listening.close()
    thread.join(5.0)


SOUND = {
    "*IDN?": b"A,B,1,2\n",
    "SYST:ERR?": b'+0,"No error"\n',
    "CONF?": b'"VOLT +1.0E+01,+1.0E-05"\n',
    "READ?": b"+1.5\n",
}


@pytest.mark.parametrize(
    ("query", "said", "trouble", "word"),
    [
        ("READ?", "drip", "garbage", "did not end it within 0.5 s"),
        ("READ?", "flood", "garbage", "did not end it"),
        ("READ?", b"9" * 3000 + b"x\n", "garbage", "where a number was expected"),
        ("READ?", b"1e300\n", "garbage", "on its 10 V range"),
        ("READ?", b"\xff\xfe\n", "garbage", "no text"),
        ("SYST:ERR?", b"9" * 5000 + b',"x"\n', "garbage", "an error number was expected"),
        ("SYST:ERR?", b'-113,"' + b"x" * 3000 + b'"\n', "device error", "reports error -113"),
        ("CONF?", b'"' + b"V" * 3000 + b'!"\n', "garbage", "its setting was expected"),
    ],
)
def test_whatever_a_meter_says_ends_in_one_sentence_in_time(query, said, trouble, word):
    with hostile_meter({**SOUND, query: said}) as address:
        meter = ScpiMeter(address, seconds=0.5 if said in ("drip", "flood") else 20.0)
        with at_once(2.0), pytest.raises(DeviceError, match=word) as told:  # noqa: PT012  (either of the two)
            meter.prepare("volts", 10.0)
            meter.read()
        assert (told.value.trouble, len(str(told.value)) < 300) == (trouble, True)
        meter.close()


def test_a_frequency_that_is_none_is_no_reading():
    with hostile_meter({**SOUND, "CONF?": b'"FREQ"\n', "READ?": b"-3\n"}) as address:
        meter = ScpiMeter(address, seconds=20.0)
        meter.prepare("hertz", None)
        with pytest.raises(DeviceError, match="-3 Hz, which is no frequency"):
            meter.read()
        meter.close()


@pytest.mark.parametrize("text", ["9" * 20_000 + "x", "9" * 5000, "1" + " " * 20_000 + "e", "+" * 9000])
def test_no_answer_holds_the_reader_up(text):
    for read in (parse_number, parse_error):
        with at_once(0.2), pytest.raises(DeviceError, match=r"said|answer"):
            read(text)


@pytest.fixture
def connected(lantern):
    board = SerialBoard(lantern.board.path, reply_seconds=20.0, greeting_seconds=1.0)
    yield board, Hand(lantern)
    board.close()


@pytest.mark.parametrize(
    ("verb", "reply", "word"),
    [
        ("LOOK", lambda tag: frame(tag, "OK", "E", 1, 1, 0, 10**17, "00000000"), "it said '-?[150]+ entries'"),
        ("LOOK", lambda tag: frame(tag, "OK", "E", 1, 1, 0, -5, "00000000"), "it said '-?[150]+ entries'"),
        ("LOOK", lambda tag: b"x" * 5000, "no board of this protocol"),
        ("ROWS", lambda tag: frame(tag, "OK", *range(60)), "a row of 60 entries"),
        ("ROWS", lambda tag: frame(tag, "OK"), "a row of 0 entries"),
    ],
)
def test_what_the_protocol_does_not_allow_is_refused(connected, verb, reply, word):
    board, hand = connected
    board.send("A", TABLE, lambda part: None)
    hand.replies[verb] = reply
    with pytest.raises(DeviceError, match=word):
        board.held("A")


@pytest.mark.xdist_group("real time")
@pytest.mark.parametrize("mute_from", ["LOOK", "ROWS", "LOAD", "PUT", "KEEP"])
def test_the_safe_output_goes_ahead_of_whatever_is_asked(connected, lantern, mute_from):
    """From the call to the byte that the board hears, while another thread waits up to 20 s for a reply; what was
    cut off ahead of its last line is not taken by the board."""
    board, hand = connected
    board.send("B", TABLE, lambda part: None)
    before = hand.logic.held["A"]

    def attempt() -> float:
        hand.replies.clear()
        board.recover()
        board.play("A", 60.0)
        hand.replies[mute_from], hand.safe_at = silent, 0.0
        hand.heard.clear()
        cut: list[str] = []

        def ask() -> None:
            try:
                board.held("B") if mute_from in ("LOOK", "ROWS") else board.send("A", TABLE, lambda part: None)
            except DeviceError as error:
                cut.append(error.trouble)

        asking = threading.Thread(target=ask)
        asking.start()
        until(lambda: mute_from in hand.heard)
        begun = time.monotonic()
        board.make_safe()
        asking.join(30.0)
        assert cut == ["cut off"]
        assert set(hand.logic.codes.values()) == {0}
        if mute_from != "KEEP":
            assert (hand.logic.held["A"], "KEEP" in hand.heard[hand.heard.index("SAFE") :]) == (before, False)
        return hand.safe_at - begun

    once_within(SAFE_SECONDS, attempt)
    hand.replies.clear()
    board.recover()
    board.send("A", TABLE, lambda part: None)
    assert board.held("A") == TABLE


@pytest.mark.xdist_group("real time")
def test_a_board_that_never_stops_talking_is_made_safe_too(connected, lantern):
    board, hand = connected

    def attempt() -> float:
        hand.replies["NOTE"], hand.safe_at = silent, 0.0
        told: list[str] = []

        def babble() -> None:
            while not told:
                lantern.board._send(frame("zz", "OK", "never", "asked") * 20)
                time.sleep(0.002)

        def ask() -> None:
            try:
                board.play("A", 60.0)
            except DeviceError as error:
                told.append(error.trouble)

        threads = [threading.Thread(target=one) for one in (babble, ask)]
        for one in threads:
            one.start()
        time.sleep(0.3)
        begun = time.monotonic()
        board.make_safe()
        for one in threads:
            one.join(30.0)
        assert told == ["cut off"]
        return hand.safe_at - begun

    once_within(SAFE_SECONDS, attempt)
