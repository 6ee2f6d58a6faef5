"""The converter: codes, levels, dead bands, INL, and the codes of a channel."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.bench.chains.codes import channel_codes, codes_sentences
from dynamis.bench.document.commands import set_port, set_transfer
from dynamis.bench.document.records import HeadRecord
from dynamis.converter.codes import code_table, unit_floor_cents
from dynamis.converter.dac import Dac, floor_bound_lsb
from dynamis.converter.linearity import is_monotonic, linearity
from dynamis.demo.lantern import CHANNEL_A, bench
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.pitch.model import PitchModel
from dynamis.transfer.quantity import Reason

ORACLES = Path(__file__).parent.parent / "oracles"


def brute_force(dac: Dac, wanted: float) -> float:
    """The distance to the nearest level, by looking at all of them."""
    return float(np.min(np.abs(dac.volts(np.arange(dac.codes)) - wanted)))


CONVERTERS = [
    Dac(8, 0, 5),
    Dac(8, -5, 5),
    Dac(6, 0, 4.096, -2.5, 5.12),
    Dac(8, 0, 5, floor_volts=0.03, ceiling_volts=4.9),
    Dac(4, 0, 16, inl_lsb=tuple(np.random.default_rng(4).normal(0, 0.8, 16).tolist())),
    Dac(4, 0, 16, inl_lsb=(0.0,) * 8 + (-1.5,) * 8, floor_volts=0.4),
]


@pytest.mark.parametrize("dac", CONVERTERS, ids=range(len(CONVERTERS)))
@given(share=st.floats(-0.2, 1.2))
def test_the_nearest_level_is_found(dac, share):
    low, high = dac.reach_volts
    wanted = low + share * (high - low)
    code = dac.code_for(wanted).codes
    assert abs(float(dac.volts(code)) - wanted) == pytest.approx(brute_force(dac, wanted), abs=1e-9)


@pytest.mark.parametrize("dac", CONVERTERS[:3], ids=range(3))
def test_every_code_is_the_nearest_to_its_own_volts(dac):
    codes = np.arange(dac.codes, dtype=float)
    reach = dac.code_for(dac.volts(codes))
    assert reach.codes.tolist() == codes.tolist()
    assert set(reach.reason.tolist()) == {int(Reason.EXACT)}


def test_the_top_code_is_one_lsb_short():
    dac = Dac(12, 0, 5)
    assert dac.reach_volts == (0.0, pytest.approx(5 - 5 / 4096))
    reach = dac.code_for([5.0, -1.0, np.nan, 2.5])
    assert reach.clipped.tolist() == [True, True, False, False]
    assert reach.codes.tolist()[:2] == [4095, 0]
    assert np.isnan(reach.codes[2])


@pytest.mark.parametrize(
    ("bits", "high", "cents"),
    [(8, 5, 23.4), (10, 5, 5.86), (12, 5, 1.46), (12, 10, 2.93), (14, 10, 0.73), (16, 10, 0.18)],
)
def test_one_lsb_in_cents(bits, high, cents):
    # Derived, 1200*span/2^N at 1 V/oct; quoted so in the trade.
    assert Dac(bits, 0, high).lsb_volts * 1200 == pytest.approx(cents, rel=2e-2)


def test_a_buffer_that_cannot_reach_ground_is_named():
    dac = Dac(12, 0, 4.096, floor_volts=0.0054, ceiling_volts=4.0)
    reach = dac.code_for([0.0, 0.0041, 0.0052, 0.0056, 4.05])
    assert reach.reason.tolist() == [Reason.DEAD_BAND] * 3 + [Reason.STEP, Reason.DEAD_BAND]
    assert dac.volts(reach.codes) == pytest.approx([0.0054, 0.0054, 0.0054, 0.0054, 4.0])
    assert floor_bound_lsb(0.0) == 0.5
    assert floor_bound_lsb(0.6) == 0.8


@pytest.mark.parametrize(
    ("arguments", "word"),
    [
        ((0, 0, 5), "1 to 24"),
        ((25, 0, 5), "1 to 24"),
        ((12, 5, 5), "not above"),
        ((12, 5, 0), "not above"),
        ((12, 0, 5, 0), "gain"),
        ((12, 0, np.inf), "finite"),
        ((12, 0, 5, 1, 0, (0.0,) * 3), "4096 codes"),
        ((12, 0, 5, 1, 0, None, 3, 2), "not below"),
        ((2.5, 0, 5), "1 to 24"),
        ((20, 0, 5, 1, 0, (0.0,) * 2**20), "INL table"),
    ],
)
def test_an_impossible_converter_is_refused(arguments, word):
    with pytest.raises(InputError, match=word):
        Dac(*arguments)


@pytest.mark.parametrize("case", json.loads((ORACLES / "linearity.json").read_text())["cases"], ids=lambda c: c["id"])
def test_inl_and_dnl_agree_with_the_constructed_codes(case):
    # Source in the file: definitions of IEEE Std 1658 on constructed levels.
    volts, expected = case["given"]["volts_by_code"], case["expect"]
    by_ends, by_fit = linearity(volts), linearity(volts, best_fit=True)
    found = {
        "endpoint_lsb_volts": by_ends.lsb_volts,
        "endpoint_inl_lsb": by_ends.inl_lsb,
        "dnl_lsb": by_ends.dnl_lsb,
        "endpoint_inl_worst_lsb_size": by_ends.worst_inl_lsb,
        "dnl_worst_lsb_size": by_ends.worst_dnl_lsb,
        "bestfit_lsb_volts": by_fit.lsb_volts,
        "bestfit_offset_volts": by_fit.offset_volts,
        "bestfit_inl_lsb": by_fit.inl_lsb,
        "bestfit_dnl_lsb": by_fit.dnl_lsb,
        "bestfit_inl_worst_lsb_size": by_fit.worst_inl_lsb,
    }
    for key, value in found.items():
        if key in expected:
            assert value == pytest.approx(expected[key], rel=1e-9, abs=1e-9), key
    assert is_monotonic(volts) == expected["monotonic"]


@pytest.mark.parametrize("volts", [[0.0, 1.0], [0.0, np.nan, 1.0], [1.0, 2.0, 1.0]])
def test_linearity_needs_levels_that_go_somewhere(volts):
    with pytest.raises(InputError, match=r"level|step|rise|same"):
        linearity(volts)


def test_the_largest_step_is_told_where_notes_are_reached():
    model = PitchModel(LinearLaw(45, 1.0))
    table = code_table(Dac(12, 0, 5), model, [21, 45, 200])
    assert table.clipped.tolist() == [False, False, True]
    assert table.lsb_cents == pytest.approx(1200 * np.log2(1 + (5 / 4096) / 0.25), rel=2e-3)
    assert code_table(Dac(12, 3, 5), PitchModel(ExponentialLaw()), [36.0]).lsb_cents is None


def test_the_floor_of_a_unit_is_its_own():
    model, notes = PitchModel(ExponentialLaw(1, 36, 0.2)), np.arange(36, 97)
    assert unit_floor_cents(Dac(12, 0, 4.096, 1.35), model, notes) <= floor_bound_lsb(0) * 1.62 + 1e-9
    levels = np.random.default_rng(3).normal(0, 0.7, 4096)
    rough = Dac(12, 0, 4.096, 1.35, inl_lsb=tuple(levels.tolist()))
    wanted = model.expected(notes)
    nearest = [np.min(np.abs(rough.volts(np.arange(4096)) - volts)) for volts in wanted]
    assert unit_floor_cents(rough, model, notes) == pytest.approx(1200 * max(nearest))


def test_the_demo_board_reaches_its_notes_after_correction():
    # The invented board: notes 36 to 96 stay reachable with two inputs plugged and the reference 0.5 % low.
    head = HeadRecord("constants", gain=0.995 / 1.02)
    codes = channel_codes(bench(), CHANNEL_A, head)
    assert not np.any(codes.table.clipped | codes.table.dead)
    assert codes.reach_notes[0] <= 36
    assert codes.reach_notes[1] >= 96


def test_the_codes_are_told_in_numbers():
    told = " ".join(codes_sentences(channel_codes(bench(), CHANNEL_A, HeadRecord()), Style()))
    for part in (
        "12 bits reach 0.0060 V to 5.5100 V",
        "1.350 mV, 1.62 ct",
        "± 0.81 ct",
        "61.7 codes",
        "linearity of ± 2.0 LSB may add 3.2 ct",
        "Notes 34 A♯1 to 99 D♯7 are reached",
    ):
        assert part in told
    narrow = set_transfer(bench(), CHANNEL_A, "dac", high_volts=2.0, inl_limit_lsb=None).bench
    told = " ".join(codes_sentences(channel_codes(narrow, CHANNEL_A, HeadRecord()), Style()))
    assert "are clipped: 66 F♯4 to 96 C7" in told
    assert "not known until it is measured" in told
    linear = set_port(bench(), CHANNEL_A, law="hzv:note=36,volts=0.5").bench
    assert "The lowest semitone has" in " ".join(
        codes_sentences(channel_codes(linear, CHANNEL_A, HeadRecord()), Style())
    )
    nowhere = set_port(bench(), CHANNEL_A, law="voct:note=0,volts=50").bench
    assert "No note from 0 to 127 is reached" in " ".join(
        codes_sentences(channel_codes(nowhere, CHANNEL_A, HeadRecord()), Style())
    )
    table = channel_codes(bench(), CHANNEL_A, HeadRecord("table", first_note=36, sixteenths=tuple(range(61))))
    assert "The table in force is counted in" in " ".join(codes_sentences(table, Style()))
    # What the table moves its codes by is there to make good what the converter lacks: rounding alone is left.
    assert np.max(np.abs(table.table.error_cents)) <= 0.8101
    assert table.table.codes[60] - channel_codes(bench(), CHANNEL_A, HeadRecord()).table.codes[60] == 4
