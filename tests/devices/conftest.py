"""The firmware's host build, for the tests of this room."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest

from dynamis.converter.firmware import BoardCorrection
from dynamis.devices.standins.board_logic import BoardDesign

FIRMWARE = Path(__file__).parents[2] / "firmware"
STRICT = ("-std=c99", "-O1", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion", "-Werror")
SHIPPED = BoardCorrection("E", 40_000_000_000, 12_345_678)
DESIGN = BoardDesign("workshop-board", "03", "AB", 12, SHIPPED)


@pytest.fixture(scope="session")
def c_board(tmp_path_factory):
    """The host build of the firmware, compiled with every warning an error: the command that runs it."""
    made = tmp_path_factory.mktemp("firmware") / "board"
    subprocess.run(["gcc", *STRICT, "-o", str(made), FIRMWARE / "host" / "main.c", FIRMWARE / "board.c"], check=True)
    one = DESIGN
    return [
        str(made),
        one.design,
        one.unit,
        one.channels,
        str(one.bits),
        str(one.safe_code),
        SHIPPED.law,
        str(SHIPPED.base),
        str(SHIPPED.scale),
    ]
