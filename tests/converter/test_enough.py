"""Codings, linearity from a table, two converters summed, and whether a converter is enough for a use."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.bench.chains.codes import channel_codes, other_law, use_words
from dynamis.bench.document.commands import set_transfer
from dynamis.bench.document.records import HeadRecord
from dynamis.converter.coarse_fine import CoarseFine
from dynamis.converter.coding import CODINGS, codes_of, words
from dynamis.converter.dac import Dac
from dynamis.converter.uses import judge_uses
from dynamis.demo.lantern import CHANNEL_A, bench
from dynamis.errors import InputError
from dynamis.files.linearity_csv import read_linearity
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, LinearLaw


@pytest.mark.parametrize(
    ("coding", "found"),
    [
        # Of four bits from the lowest level up; handbook tables of bipolar codes (from memory).
        ("straight", [0b0000, 0b0111, 0b1000, 0b1111]),
        ("twos-complement", [0b1000, 0b1111, 0b0000, 0b0111]),
        ("complementary", [0b1111, 0b1000, 0b0111, 0b0000]),
        ("sign-magnitude", [0b1111, 0b1001, 0b0000, 0b0111]),
    ],
)
def test_words_are_those_of_the_handbook(coding, found):
    assert words([0, 7, 8, 15], 4, coding).tolist() == found
    # Two's complement is how NumPy itself writes a signed number.
    if coding == "twos-complement":
        signed = np.arange(-128, 128, dtype=np.int8)
        assert words(np.arange(256), 8, coding).tolist() == signed.view(np.uint8).tolist()


@given(st.sampled_from(sorted(CODINGS)), st.integers(2, 24), st.data())
def test_a_word_stands_for_its_code(coding, bits, data):
    code = data.draw(st.integers(1 if coding == "sign-magnitude" else 0, 2**bits - 1))
    assert int(codes_of(words(code, bits, coding), bits, coding)) == code


def test_an_unknown_coding_is_refused():
    with pytest.raises(InputError, match="gray"):
        Dac(8, 0, 5, coding="gray")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("code,ohms\n0,1\n", "code and volts"),
        ("code,volts\n0,0\n16,1\n", "line 3: code 16"),
        ("code,volts\n0,0\n0,1\n", "second time"),
        ("code,volts\n0,0\n1,x\n", "line 3"),
        ("code,volts\n0,0\n15,1\n", "2 codes"),
        ("code,volts\n0,1\n7,2\n15,1\n", "no LSB"),
        ("code,volts\n0\n", "1 cells"),
    ],
)
def test_a_broken_linearity_names_its_line(text, words, tmp_path):
    path = tmp_path / "inl.csv"
    path.write_text(text)
    with pytest.raises(InputError, match=words) as refused:
        read_linearity(path, 4)
    assert str(path) in str(refused.value)


def test_linearity_is_what_is_left_of_the_end_points(tmp_path):
    """IEEE Std 1658 (from memory): offset and gain out, the rest in LSB; by hand for one bent level."""
    path = tmp_path / "inl.csv"
    path.write_text("code,volts\n0,0.1\n8,0.92\n15,1.6\n")
    inl = read_linearity(path, 4)
    assert (inl[0], inl[15]) == (0.0, pytest.approx(0.0))
    assert inl[8] == pytest.approx(0.2)
    assert inl[4] == pytest.approx(0.1)  # straight between
    path.write_text("code,inl_lsb\n0,0\n8,0.5\n15,-0.5\n")
    assert read_linearity(path, 4)[8] == 0.5


@pytest.mark.parametrize(
    ("bits", "step", "inl", "verdicts"),
    [
        # FACTS of the trade: 12 bit over 5 V is 1.46 ct: enough for notes while INL is small, coarse for glides; 10 bit will
        # do for a filter; 14 bit over 10 V is 0.73 ct and smooth.
        (12, 1.46, 0.5, ["fits", "marginal", "fits", "fits"]),
        (12, 1.46, 12.0, ["marginal", "marginal", "fits", "fits"]),
        (10, 5.86, 0.5, ["marginal", "needs-circuit", "needs-circuit", "fits"]),
        (14, 0.73, 1.0, ["fits"] * 4),
        (8, 23.4, 0.5, ["needs-circuit"] * 3 + ["marginal"]),
    ],
)
def test_enough_is_answered_per_use(bits, step, inl, verdicts):
    uses = judge_uses(bits, step, inl, 5.0, 0.98 * 2**bits if bits != 10 else 1004.0)
    assert [one.verdict for one in uses] == verdicts
    for one in uses:
        if one.bits is not None and one.verdict == "needs-circuit" and one.unit == "ct":
            finer = judge_uses(one.bits, step * 2.0 ** (bits - one.bits), 0.0, 5.0, 1e6)
            assert next(two for two in finer if two.name == one.name).verdict == "fits"  # so many bits do


def test_the_demo_boards_codes_say_what_they_are_good_for():
    codes = channel_codes(bench(), CHANNEL_A, HeadRecord())
    told = [use_words(one, Style()) for one in codes.uses]
    assert told[0] == "4.1 ct at most with rounding and linearity, 5.0 are allowed."
    assert told[1] == "A step is 1.62 ct; under 1 it is not heard. 13 bits would do."
    coarse = channel_codes(bench(), CHANNEL_A, HeadRecord(), as_other_law=True)
    assert isinstance(coarse.model.law, LinearLaw)
    assert coarse.table.lsb_cents > 10 * codes.table.lsb_cents  # the low end of a linear law drowns
    fed = set_transfer(bench(), CHANNEL_A, "dac", reference_is_supply=True, reference_limit=0.05).bench
    # FACTS of the trade: 5 % of a supply is 60 cents per octave.
    from dynamis.bench.chains.codes import codes_sentences

    assert any(
        "± 5.0 % is 60.0 ct an octave" in text
        for text in codes_sentences(channel_codes(fed, CHANNEL_A, HeadRecord()), Style())
    )


@pytest.mark.parametrize("law", [ExponentialLaw(1.0, 36, 0.2), LinearLaw(36, 0.25)])
def test_the_other_law_is_laid_within_the_converter(law):
    dac = Dac(12, 0, 4.096, gain=1.35)
    other = other_law(law, dac, 36.0, 84.0)
    assert other.kind != law.kind
    top = float(other.volts(np.array([4.0]))[0])
    assert top <= dac.reach_volts[1] * 1.001 or isinstance(other, ExponentialLaw)


@given(st.integers(6, 10), st.floats(0.0, 2.0), st.integers(0, 2**16))
def test_two_converters_reach_every_volt_when_the_fine_one_spans_a_coarse_step(bits, inl, seed):
    """Within half a fine step of every wanted volt, whatever the coarse linearity within its limit."""
    rng = np.random.default_rng(seed)
    curve = tuple((inl * rng.uniform(-1, 1, 2**bits)).tolist())
    coarse, fine = Dac(bits, 0.0, 5.0, inl_lsb=curve), Dac(8, 0.0, 5.0)
    share = 2.0 * coarse.lsb_volts * (1.0 + 2.0 * inl) / 5.0
    both = CoarseFine(coarse, fine, share)
    wanted = rng.uniform(0.3, 4.7, 50)
    found = both.volts(*both.codes_for(wanted))
    assert both.gapless(inl)
    assert np.max(np.abs(found - wanted)) <= both.step_volts / 2 + 1e-12
    assert both.as_bits == pytest.approx(np.log2(5.0 / both.step_volts))
    assert not CoarseFine(coarse, fine, share / 4.0).gapless(inl)
