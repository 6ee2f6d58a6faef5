"""Meter and board through their real drivers, against the stand-ins at their ports; every trouble has its name.

Outside sources: IEEE 488.2 numbers and *IDN?, SCPI-99 special values and error queue (see `devices/scpi.py`);
a second SCPI device made by pyvisa-sim.
"""

from __future__ import annotations

import math
import os
import re
import socket
import subprocess
import sys
import time

import numpy as np
import pytest

from dynamis.converter.codes import unit_floor_cents
from dynamis.converter.firmware import BoardCorrection
from dynamis.demo.hidden import BOARD_DAC, lantern_world, shipped
from dynamis.devices.interface import DeviceError
from dynamis.devices.lines import frame
from dynamis.devices.scpi import parse_error, parse_number, parse_setting
from dynamis.devices.scpi_meter import ScpiMeter
from dynamis.devices.serial_board import SerialBoard
from dynamis.devices.standins.meter_model import RANGES, MeterModel
from dynamis.devices.standins.scpi_model import formatted, header_pattern
from dynamis.devices.visa_line import parse_address
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.model import PitchModel

# The wires answer in real time: beside other tests, but one at a time.
pytestmark = pytest.mark.xdist_group("real time")

TABLE = BoardCorrection("E", 635_000_000_000, 32_341_234, 36, tuple((k * 37) % 90 - 45 for k in range(61)))


@pytest.fixture
def meter(lantern):
    made = ScpiMeter(lantern.meter.address, seconds=1.0)
    yield made
    made.close()


@pytest.fixture
def board(lantern):
    made = SerialBoard(lantern.board.path, reply_seconds=1.0)
    yield made
    made.close()


# -- forms ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("answer", "number"),
    # IEEE 488.2, 8.7.2 NR1, 8.7.3 NR2, 8.7.4 NR3; SCPI-99 infinity and not-a-number
    [
        ("0", 0),
        ("+12", 12),
        ("-3.50", -3.5),
        (".5", 0.5),
        ("+2.20041000E+00", 2.20041),
        ("1.5e-3\n", 1.5e-3),
        ("4 E+2", 400),
        ("9.9E37", math.inf),
        ("+9.90000000E+37", math.inf),
        ("-9.9E37", -math.inf),
        ("9.91E37", math.nan),
    ],
)
def test_numbers_come_in_the_forms_of_the_standard(answer, number):
    assert parse_number(answer) == pytest.approx(number, nan_ok=True)


@pytest.mark.parametrize("answer", ["", "2,2", "volts", "1.2.3", "0x12", "nan", "inf", "1e", "--1", "\x00\xff"])
def test_what_is_no_number_is_named(answer):
    for parse in (parse_number, parse_error):
        with pytest.raises(DeviceError, match="where") as told:
            parse(answer)
        assert told.value.trouble == "garbage"


def test_settings_and_errors_are_read():
    assert parse_setting('"VOLT:DC 1.000000E+01,1.000000E-04"') == ("VOLT:DC", (10.0, 1e-4))
    assert parse_setting("FREQ") == ("FREQ", ())
    assert parse_error('-113,"Undefined header"') == (-113, "Undefined header")
    assert parse_error('+0,"a ""quoted"" word"') == (0, 'a "quoted" word')
    with pytest.raises(DeviceError, match="setting was expected"):
        parse_setting("?!")


@pytest.mark.parametrize(
    ("form", "taken", "refused"),
    [
        (
            "MEASure:VOLTage[:DC]?",
            ["MEAS:VOLT:DC?", "measure:voltage?", ":MEAS:VOLT?"],
            ["MEA:VOLT?", "MEAS:VOLTA?", "MEAS:VOLT", "MEAS:VOLT:AC?"],
        ),
        ("SYSTem:ERRor[:NEXT]?", ["SYST:ERR?", "syst:error:next?"], ["SYS:ERR?"]),
        ("*IDN?", ["*idn?"], ["IDN?"]),
    ],
)
def test_headers_are_known_in_short_and_long_form(form, taken, refused):
    known = header_pattern(form)
    assert all(known.fullmatch(text.upper()) for text in taken)
    assert not any(known.fullmatch(text.upper()) for text in refused)


def test_the_simulated_meter_answers_as_the_standards_say(lantern):
    model = lantern.meter.model
    assert len(model.say("*IDN?").split(",")) == 4  # IEEE 488.2, 10.14: maker, model, serial, version
    assert model.say("SYST:ERR?") == '0,"No error"'
    assert model.say("CONF:VOLT:DC 3;CONF?") == '"VOLT:DC 1.000000E+01,1.000000E-04"'
    for wrong, number in (("BLAH", -113), ("CONF:VOLT:DC x", -104), ("CONF:VOLT 5000", -222)):
        assert model.say(wrong) is None
        assert parse_error(model.say("SYST:ERR?"))[0] == number
    for _ in range(30):
        model.say("BLAH")
    assert [parse_error(model.say("SYST:ERR?"))[0] for _ in range(21)] == [-113] * 19 + [-350, 0]
    assert re.fullmatch(r"[+-]\d\.\d{8}E[+-]\d\d", model.say("MEAS:VOLT:DC? 10"))
    assert parse_number(model.say("MEAS:FREQ?")) != parse_number("0")
    assert (formatted(math.inf), formatted(math.nan)) == ("+9.90000000E+37", "+9.91000000E+37")
    assert model.say("*RST;*OPC?;SYST:VERS?") == "1;1999.0"


def test_a_meter_reads_within_its_specification_on_every_range():
    """The stand-in keeps its own data sheet: limits of gain and zero, and its digits."""
    seconds = [0.0]
    world = lantern_world(1, lambda: seconds[0])
    for seed in range(8):
        model = MeterModel(world, seed=seed, noise_volts=0.0)
        for code in (40, 160, 1000, 3900):
            world.put_out("A", code)
            seconds[0] += 1.0
            for spec in RANGES:
                model.range = spec
                shown, true = model.volts(), world.jack_volts("A", 10e6)
                if abs(true) < spec.full_scale_volts:
                    limit = spec.percent / 100 * true + (spec.counts + 0.5) * spec.resolution_volts + 1e-4
                    assert abs(shown - true) <= limit


# -- in order ------------------------------------------------------------------------------------------


def test_the_meter_reads_the_jack_and_the_voice(lantern, meter):
    meter.prepare("volts", 10.0)
    lantern.world.put_out("A", 1630)
    time.sleep(0.12)
    shown = meter.read()
    assert shown.range_volts == 10.0
    loaded = lantern.world.true_volts("A", 1630) * 10e6 / (10e6 + 1000)
    assert shown.value == pytest.approx(loaded, abs=8e-4)
    lantern.do("plugged", True)
    assert meter.read().value / shown.value == pytest.approx(1 / (1 + 1000 / 99.4e3 + 1000 / 100.7e3), rel=2e-4)
    lantern.do("probe", "voice")
    meter.prepare("hertz", None)
    # 2.15 V into 1 V/oct with 0.2 V at C2 (65.406 Hz), the voice's own errors inside half a per cent
    assert meter.read().value == pytest.approx(65.406 * 2 ** (lantern.world.jack_volts("A") - 0.2), rel=5e-3)


def test_the_board_plays_and_keeps_what_it_is_sent(lantern, board):
    assert (board.identity.design, board.identity.unit, board.identity.channels, board.identity.bits) == (
        "workshop-board",
        "03",
        "AB",
        12,
    )
    assert board.held("A") == shipped()
    assert board.play("A", 60.0) == 1630 == lantern.world.code("A")
    parts = []
    board.send("A", TABLE, parts.append)
    assert parts[-1] == 1.0
    assert board.held("A") == TABLE
    assert (board.held_hash("A"), board.held_hash("B")) == (TABLE.hash, shipped().hash)
    assert board.play("A", 60.5) == int(TABLE.codes(60.5 * 8192, 12))
    board.set_code("B", 4000)
    board.keep_alive()
    board.make_safe()
    assert [lantern.world.code(letter) for letter in "AB"] == [0, 0]
    board.set_code("B", 4000)
    board.close()
    assert lantern.world.code("B") == 0
    lantern.board.restart()
    again = SerialBoard(lantern.board.path)
    assert again.held_hash("A") == TABLE.hash
    again.close()


def test_a_second_scpi_device_is_met_by_the_same_client():
    """pyvisa-sim answers what its table says; the client asks nothing else of a counter."""
    made = ScpiMeter("counter.sim:5025", library=f"{os.path.dirname(__file__)}/simulated_meter.yaml@sim", seconds=1)
    assert made.identity == "Table,Counter,7,2.0"
    made.prepare("hertz", None)
    assert made.read().value == 261.62556
    with pytest.raises(DeviceError, match="measures frequency instead of DC volts"):
        made.prepare("volts", 1.0)
    made.close()


def test_what_is_true_is_known_to_the_simulator(lantern):
    """The floor of a unit is known from its levels; the true levels are those that the jack shows."""
    levels = lantern.world.true_levels("A")
    codes = np.arange(8, 4090, 7)
    assert levels.volts(codes) == pytest.approx([lantern.world.true_volts("A", int(code)) for code in codes], abs=3e-5)
    floor = unit_floor_cents(levels, PitchModel(ExponentialLaw(1, 36, 0.2)), np.arange(36.0, 97.0))
    assert 0.6 < floor < 1.6


# -- trouble -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("address", "resource"),
    [
        ("192.168.1.20:5025", "TCPIP0::192.168.1.20::5025::SOCKET"),
        ("TCPIP0::m::5025::SOCKET", "TCPIP0::m::5025::SOCKET"),
        ("/dev/ttyUSB0", "ASRL/dev/ttyUSB0::INSTR"),
        ("USB0::1::2::3::INSTR", "USB0::1::2::3::INSTR"),
    ],
)
def test_addresses_are_taken_as_people_write_them(address, resource):
    assert parse_address(f" {address} ").resource == resource


@pytest.mark.parametrize("address", ["", "meter", ":5025", "m:0", "m:x", "m:70000", "http://m:80", "a b:5"])
def test_an_address_that_is_none_is_refused_before_anything_is_opened(address):
    with pytest.raises(DeviceError, match=r"host:port|address") as told:
        ScpiMeter(address)
    assert told.value.trouble == "address"


def free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        return taken.getsockname()[1]


@pytest.mark.parametrize(
    ("address", "trouble", "word"),
    [
        ("127.0.0.1:{free}", "absent", "is the meter on"),
        ("no.such.host.invalid:5025", "absent", "no host called"),
        ("/dev/ttyNONE", "absent", "is the lead plugged in"),
    ],
)
def test_nothing_there_is_named_with_what_to_do(address, trouble, word):
    with pytest.raises(DeviceError, match=word) as told:
        ScpiMeter(address.format(free=free_port()), seconds=0.5)
    assert told.value.trouble == trouble
    with pytest.raises(DeviceError, match="is the board plugged in") as told:
        SerialBoard("/dev/ttyNONE")
    assert told.value.trouble == "absent"


@pytest.mark.skipif(os.geteuid() != 0, reason="the owner of a port can only be changed by root")
def test_a_port_that_may_not_be_opened_is_named(lantern):
    os.chmod(lantern.board.path, 0o600)
    os.seteuid(65534)
    try:
        for connect in (lambda: SerialBoard(lantern.board.path), lambda: ScpiMeter(lantern.board.path)):
            with pytest.raises(DeviceError, match="may not be opened") as told:
                connect()
            assert told.value.trouble == "permission"
    finally:
        os.seteuid(0)


def test_two_programs_on_one_port_are_named(lantern, board, meter):
    with pytest.raises(DeviceError, match="in use by another program") as told:
        SerialBoard(lantern.board.path)
    assert told.value.trouble == "busy"
    with pytest.raises(DeviceError, match=r"another program") as told:
        ScpiMeter(lantern.meter.address, seconds=0.4)
    assert told.value.trouble == "busy"
    meter.prepare("volts", 10.0)
    meter.read()  # the first one goes on


METER_TROUBLE = [
    ("meter lead pulled", True, "unplugged", "is gone"),
    ("meter silent", True, "silent", "has not answered"),
    ("meter late", 1.6, "silent", "has not answered"),
    ("meter says", ["~?!"], "garbage", "where a number was expected"),
    ("meter says", ["+9.90000000E+37"], "overload", "beyond its range"),
    ("meter says", ["9.91E37"], "no number", "no number"),
    ("meter function", "FREQ", "wrong function", "measures frequency instead of DC volts"),
    ("meter range", 100.0, "wrong range", "100 V range instead of 10 V"),
]


@pytest.mark.parametrize(("hand", "value", "trouble", "word"), METER_TROUBLE)
def test_trouble_with_the_meter_is_named_and_recovered_from(lantern, meter, hand, value, trouble, word):
    meter.prepare("volts", 10.0)
    lantern.world.put_out("A", 1630)
    time.sleep(0.1)
    good = meter.read().value
    lantern.do(hand, value)
    with pytest.raises(DeviceError, match=word) as told:
        meter.read()
    assert told.value.trouble == trouble
    lantern.world.put_out("A", 2000)
    for put_right in ("meter lead pulled", "meter silent"):
        lantern.do(put_right, False)
    time.sleep(1.2 if hand == "meter late" else 0.1)
    meter.recover()
    # a late answer to the question before is not taken for the answer to this one
    assert meter.read().value == pytest.approx(good + (2000 - 1630) * 1.35e-3, abs=0.004)


def test_a_board_that_begins_late_is_asked_again(lantern):
    """Nobody waits for its greeting: it comes behind the first question."""
    board = SerialBoard(lantern.board.path, reply_seconds=20.0, greeting_seconds=0.0)
    assert board.identity.unit == lantern.state()["unit"]
    assert lantern.state()["connected"]["board"]
    board.close()


BOARD_TROUBLE = [
    ("board restart", None, "restarted", "has restarted"),
    ("board damage", 1, "damaged line", "came damaged"),
    ("board mute", True, "silent", "has not answered"),
]


@pytest.mark.parametrize(("hand", "value", "trouble", "word"), BOARD_TROUBLE)
def test_trouble_with_the_board_is_named_and_recovered_from(lantern, board, hand, value, trouble, word):
    board.play("A", 60.0)
    lantern.do(hand, value)
    with pytest.raises(DeviceError, match=word) as told:
        board.play("A", 61.0)
    assert told.value.trouble == trouble
    lantern.do("board mute", False)
    board.recover()
    assert board.play("A", 62.0) == lantern.world.code("A")


def test_another_unit_is_not_taken_for_the_one_that_was_there(lantern, board):
    lantern.do("unit", "02")
    with pytest.raises(DeviceError, match="Unit 02 of workshop-board answers instead of unit 03") as told:
        board.recover()
    assert told.value.trouble == "wrong unit"
    lantern.do("unit", "03")
    board.recover()


def test_a_torn_write_leaves_the_old_correction_in_force(lantern, board):
    lantern.do("board tear")
    with pytest.raises(DeviceError, match="lost its power while it stored") as told:
        board.send("A", TABLE, lambda part: None)
    assert told.value.trouble == "torn"
    assert board.held_hash("A") == shipped().hash
    board.send("A", TABLE, lambda part: None)
    assert board.held_hash("A") == TABLE.hash


def test_what_is_no_board_is_not_taken_for_one(lantern):
    lantern.board.logic.receive = lambda data, seconds: frame("01", "OK", "hello", "there")
    with pytest.raises(DeviceError, match="no board of this protocol"):
        SerialBoard(lantern.board.path, reply_seconds=0.4)
    lantern.board.logic.receive = lambda data, seconds: b""
    with pytest.raises(DeviceError, match="has not answered"):
        SerialBoard(lantern.board.path, reply_seconds=0.2, greeting_seconds=0.1)


def test_the_c_board_is_met_by_the_same_client(c_board, tmp_path):
    """The firmware's host build behind a pseudo-terminal, driven by the real driver."""
    master, slave = os.openpty()
    import tty

    tty.setraw(slave)
    running = subprocess.Popen([c_board[0], "-live", *c_board[1:]], stdin=master, stdout=master)
    try:
        made = SerialBoard(os.ttyname(slave), greeting_seconds=0.3)
        made.send("A", TABLE, lambda part: None)
        assert made.held("A") == TABLE
        for note in np.arange(0.0, 128.0, 0.37):
            assert made.play("A", note) == int(TABLE.codes(round(note * 8192), 12))
        made.close()
    finally:
        running.kill()
        running.wait()
        os.close(master)
        os.close(slave)


def test_the_stand_ins_run_beside_the_window_and_end_with_it(tmp_path):
    state = tmp_path / "held.json"
    hashes = []
    for _ in range(2):
        made = subprocess.Popen(
            [sys.executable, "-m", "dynamis.demo.standins", str(state)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        first = __import__("json").loads(made.stdout.readline())
        hashes.append(first["held"]["A"])
        board = SerialBoard(first["board"])
        board.send("A", TABLE, lambda part: None)
        board.close()
        made.stdin.write('{"do": "unit", "value": "09"}\n')
        made.stdin.flush()
        assert "no unit 09" in made.stdout.readline()
        made.stdin.close()
        assert made.wait(5) == 0
        made.stdout.close()
    # what a board holds lives through a loss of power
    assert hashes == [shipped().hash, TABLE.hash]
    assert BOARD_DAC.bits == 12
