"""Heads of a chain: the code of a note by two constants and by a table, and the note of a code."""

from __future__ import annotations

import numpy as np
import pytest

from dynamis.converter.dac import Dac
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.pitch import ExponentialLaw
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.quantity import Reason

DAC = Dac(12, 0, 4.096)  # a millivolt a code
UNDER = ConstantsHead("h", ExponentialLaw(1, 36, 0.2), DAC)
TABLE = TableHead("t", UNDER, 36, (16, -32, 8, 0))


def test_a_table_moves_each_note_by_its_sixteenths():
    """Codes by hand: 0.2 V + n/12 V at a millivolt each, and the distance of the note; a half goes to the lower."""
    notes = np.array([36.0, 37.0, 38.0, 39.0])
    aim = 200.0 + 1000.0 * (notes - 36.0) / 12.0
    assert TABLE.exact(notes, NOMINAL) == pytest.approx(aim + np.array([1.0, -2.0, 0.5, 0.0]))
    assert TABLE.forward(notes, NOMINAL).tolist() == [201, 281, 367, 450]
    assert TABLE.forward(np.array([24.0]), NOMINAL).tolist() == [0]  # −0.8 V and a code more: at the bottom
    assert TABLE.exact(np.array([36.5]), NOMINAL) == pytest.approx([200.0 + 1000.0 / 24.0 - 0.5])  # between the two
    assert TABLE.moved([0.0, 127.0]).tolist() == [1.0, 0.0]  # outside, the nearest end's


def test_what_a_table_counts_on_is_its_aim_without_the_distance():
    codes = np.array([201.0, 281.0])
    assert TABLE.believed_volts([36.0, 37.0], codes) == pytest.approx([0.2, 0.283])


@pytest.mark.parametrize(
    ("code", "note", "reason"),
    [
        (201.0, 36.0, Reason.EXACT),
        (281.0, 37.0, Reason.EXACT),
        (300.0, 37.0, Reason.STEP),
        (450.0, 39.0, Reason.EXACT),
        (451.0, 39.0, Reason.CLAMP),
        (200.0, 36.0, Reason.CLAMP),
    ],
)
def test_the_note_of_a_code_by_a_table(code, note, reason):
    back = TABLE.backward(np.array([code]), NOMINAL)
    assert (back.x[0], Reason(int(back.reason[0]))) == (note, reason)


@pytest.mark.parametrize(
    ("code", "volts", "reason"),
    [
        (0.0, 0.0, Reason.EXACT),
        (4095.0, 4.095, Reason.EXACT),
        (4095.4, 4.095, Reason.CLAMP),
        (1200.4, 1.2, Reason.STEP),
        (-1.0, 0.0, Reason.CLAMP),
        (5000.0, 4.095, Reason.CLAMP),
    ],
)
def test_the_note_of_a_code_by_constants(code, volts, reason):
    back = UNDER.backward(np.array([code]), NOMINAL)
    assert (back.x[0], Reason(int(back.reason[0]))) == (pytest.approx(36.0 + 12.0 * (volts - 0.2), abs=1e-6), reason)
    assert tuple(float(end) for end in UNDER.limits(NOMINAL)) == (0.0, 4095.0)


def test_constants_aim_for_what_is_wanted_less_the_offset_by_the_gain():
    head = ConstantsHead("h", UNDER.law, DAC, offset=0.01, gain=1.25)
    assert head.aim_volts([48.0]) == pytest.approx([(1.2 - 0.01) / 1.25])
    assert head.believed_volts(head.aim_volts([48.0])) == pytest.approx([1.2])
    assert head.forward(np.array([48.0]), NOMINAL).tolist() == [952.0]
