"""The board in C and the simulated board give the same answers; notes come to the same codes.

Outside sources: CRC-16 with initial value FFFF and CRC-32 of IEEE 802.3 by the check value of the string
"123456789" (29B1 and CBF43926, from published CRC catalogues, from memory).
"""

from __future__ import annotations

import random
import subprocess
from pathlib import Path

import numpy as np
import pytest

from dynamis.converter.dac import Dac
from dynamis.converter.firmware import (
    MOST_PITCH,
    SEMITONES_Q30,
    SERIES_Q30,
    BoardCorrection,
    board_correction,
    pitch_steps,
)
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.devices.lines import crc, frame, unframe, whole
from dynamis.devices.standins.board_logic import BoardDesign, BoardLogic
from dynamis.errors import InputError
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.transfer.parameter import NOMINAL

FIRMWARE = Path(__file__).parents[2] / "firmware"
SHIPPED = BoardCorrection("E", 40_000_000_000, 12_345_678)
DESIGN = BoardDesign("workshop-board", "03", "AB", 12, SHIPPED)
BOARD_DAC = Dac(12, 0.0, 4.096, gain=1.35, floor_volts=0.006, ceiling_volts=5.51)


def answers_in_c(c_board, said: bytes) -> bytes:
    return subprocess.run(c_board, input=said, capture_output=True, check=True, timeout=60).stdout


def answers_in_python(said: bytes) -> bytes:
    board, seconds = BoardLogic(DESIGN), 0.0
    out = bytearray(board.power_up_volts())
    for line in said.splitlines(keepends=True):
        word = line.decode("latin-1").split()
        if not line.startswith(b"!"):
            out += board.receive(line, seconds)
        elif word[0] == "!wait":
            seconds += int(word[1]) / 1000.0
            board.tick(seconds)
        elif word[0] == "!reset":
            out += board.power_up_volts(seconds)
        elif word[0] == "!tear":
            board.tear_next = True
        elif word[0] == "!outputs":
            out += ("! " + " ".join(str(board.codes[channel]) for channel in "AB") + "\n").encode()
    return bytes(out)


def test_checksums_are_the_published_ones():
    assert crc("123456789") == "29B1"
    assert unframe(frame("01", "HELLO")[:-1]) == ["01", "HELLO"]
    import zlib

    assert zlib.crc32(b"123456789") == 0xCBF43926
    assert [whole(text, -5, 5) for text in ("5", "-5", "6", "", "-", "+1", "1.0", "0" * 19)] == [5, -5] + [None] * 6


def recorded() -> list[tuple[str, str]]:
    lines = (Path(__file__).parent / "dialogue.txt").read_text().splitlines()
    return [(line[0], line[2:] if line[0] in "<>" else line) for line in lines if line and line[0] in "<>!"]


@pytest.mark.parametrize("answers", ["c", "python"])
def test_the_recorded_dialogue_is_answered_as_it_was(c_board, answers):
    said = "".join(text + "\n" for side, text in recorded() if side in ">!").encode()
    heard = "".join(text + "\n" for side, text in recorded() if side == "<").encode()
    assert (answers_in_c(c_board, said) if answers == "c" else answers_in_python(said)) == heard


def random_dialogue(seed: int, lines: int = 500) -> bytes:
    """Requests that are mostly right, some wrong in every way a line can be wrong."""
    pick = random.Random(seed)
    said, loading = bytearray(frame("00", "HELLO")), (SHIPPED, 0)

    def number() -> str:
        return pick.choice(
            [
                "0",
                "7",
                "36",
                "127",
                "128",
                "-1",
                "4095",
                "4096",
                "1048575",
                "1048576",
                "x",
                "",
                "-",
                "00",
                "999999999999999999",
                "-1000000000000000000",
                "549755813887",
                "32752",
                "-32753",
                "+3",
            ]
        )

    for k in range(lines):
        tag, kind = pick.choice([f"{k % 256:02x}"] * 6 + ["--", "0", "0G"]), pick.random()
        channel = pick.choice("AABBC") if pick.random() < 0.95 else ""
        if kind < 0.12:
            fields = [pick.choice(["HELLO"] * 6 + ["PING", "SAFE", "DROP", "WHAT", "hello", ""])]
        elif kind < 0.3:
            fields = [pick.choice(["CODE", "NOTE"]), channel, pick.choice([number(), str(pick.randrange(MOST_PITCH))])]
        elif kind < 0.45:
            fields = [pick.choice(["LOOK", "ROWS"]), channel, *([number()] if pick.random() < 0.6 else [])]
        elif kind < 0.6:
            first = pick.randrange(0, 128)
            count = min(pick.choice([0, 1, 5, 20, 128]), 128 - first)
            entries = tuple(pick.randrange(-32752, 32753) for _ in range(count))
            law = pick.choice(["E", "L"])
            loading = (
                BoardCorrection(
                    law,
                    pick.randrange(-(10**17), 10**17),
                    pick.randrange(-(10**11), 10**11),
                    first if count else 0,
                    entries,
                ),
                0,
            )
            one = loading[0]
            fields = ["LOAD", channel, one.law, one.base, one.scale, one.first_note, len(entries)]
            if pick.random() < 0.2:
                fields[pick.randrange(2, 7)] = number()
        elif kind < 0.85:
            one, done = loading
            size = pick.randrange(1, 9)
            fields = ["PUT", done, *one.sixteenths[done : done + size]]
            loading = (one, min(len(one.sixteenths), done + size))
            if pick.random() < 0.05:
                fields.append(number())
            if done == len(one.sixteenths):
                fields = ["KEEP", one.hash if pick.random() < 0.8 else "0BADF00D"]
        else:
            fields = [number() for _ in range(pick.randrange(1, 14))]
        line = bytearray(frame(tag, *fields))
        if pick.random() < 0.04:
            line[pick.randrange(len(line) - 1)] ^= pick.choice([1, 0x20, 0x80, line[0]])
        said += line
        if pick.random() < 0.03:
            said += pick.choice(
                [
                    b"!wait 3000\n",
                    b"!wait 10000\n",
                    b"!reset\n",
                    b"!tear\n",
                    b"!outputs\n",
                    b"\n\r\n",
                    b"x" * pick.choice([126, 127, 128, 500]) + b"\n",
                    b"no checksum\n",
                    b" \n",
                ]
            )
    return bytes(said + b"!outputs\n")


@pytest.mark.parametrize("seed", range(12))
def test_random_dialogues_are_answered_alike_byte_for_byte(c_board, seed):
    said = random_dialogue(seed)
    heard = answers_in_python(said)
    assert answers_in_c(c_board, said) == heard
    assert sum(b" OK" in line for line in heard.splitlines()) > 30


# -- the arithmetic ----------------------------------------------------------------------------------

LAWS = {
    "1 V/oct": ExponentialLaw(1, 36, 0.2),
    "1.2 V/oct": ExponentialLaw(1.2, 24, 0.1),
    "Hz/V": LinearLaw(36, 0.5),
    "Hz/V with offset": LinearLaw(45, 1.0, 0.02),
}


@pytest.mark.parametrize("law", LAWS.values(), ids=LAWS)
@pytest.mark.parametrize("quantity", ["volts", "hertz"])
@pytest.mark.parametrize("table", [False, True])
def test_whole_numbers_come_to_the_code_that_the_head_aims_for(law, quantity, table):
    """Within a thousandth of a code of the unrounded aim, so that only a tie can be decided otherwise."""
    head = ConstantsHead("h", law, BOARD_DAC, 0.0017, 0.9957, quantity)
    if table:
        head = TableHead("t", head, 36, tuple(np.random.default_rng(1).integers(-40, 41, 61).tolist()))
    notes = np.arange(0, MOST_PITCH, 61) / 8192.0
    aimed = np.clip(head.exact(notes, NOMINAL), 0, 4095)
    codes = board_correction(head).codes(pitch_steps(notes), 12)
    assert np.max(np.abs(codes - aimed)) < 0.5012
    assert np.mean(codes != np.clip(np.ceil(aimed - 0.5), 0, 4095)) < 1e-3


def test_the_numbers_in_c_are_those_in_python():
    text = (FIRMWARE / "pitch_code.h").read_text()
    for number in (*SEMITONES_Q30, *SERIES_Q30):
        assert f"INT64_C({number})" in text


@pytest.mark.parametrize(
    ("made", "word"),
    [
        (("E", 10**18, 1), "too large"),
        (("E", 0, 2**39), "too large"),
        (("L", 0, -(2**37)), "too large"),
        (("E", 0, 0, 100, (0,) * 29), "note 100 to 128"),
        (("E", 0, 0, 5), "note 5 to 4"),
        (("E", 0, 0, 0, (32753,)), "2047 codes"),
    ],
)
def test_what_no_board_can_hold_is_refused(made, word):
    with pytest.raises(InputError, match=word):
        BoardCorrection(*made)
    with pytest.raises(InputError, match="too large"):
        board_correction(ConstantsHead("h", ExponentialLaw(1, 36, 0.2), BOARD_DAC, 0.0, 1e-9))


def test_the_hash_tells_any_two_corrections_apart():
    one = BoardCorrection("E", 5, 7, 36, (1, 2, 3))
    others = [
        BoardCorrection("L", 5, 7, 36, (1, 2, 3)),
        BoardCorrection("E", 5, 7, 36, (1, 2, 4)),
        BoardCorrection("E", 5, 7),
    ]
    assert len({other.hash for other in [one, *others]}) == 4
    assert one.text == "E 5 7 36 3 1 2 3"
