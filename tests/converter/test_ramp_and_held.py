"""What a converter run shows: INL and DNL both ways, monotonic, missing steps; noise, drift and jumps of a held code."""

from __future__ import annotations

import math

import msgspec
import numpy as np
import pytest
from scipy import stats

from dynamis.bench.chains.port_transfers import dac_if_known
from dynamis.bench.document.records import ReadingRecord, RunRecord
from dynamis.bench.runs.analysis import analyse
from dynamis.bench.runs.code_runs import as_code_run, converter_sentences, parse_codes, usual_codes
from dynamis.bench.runs.passes import left_of
from dynamis.converter.held import held
from dynamis.converter.linearity import is_monotonic, linearity
from dynamis.converter.ramp import ramp
from dynamis.demo.hidden import BOARD_LAW
from dynamis.demo.lantern import BENCH_METER, CHANNEL_A, bench
from dynamis.errors import InputError
from dynamis.notation.style import Style

LSB = 1e-3
EVEN = np.arange(16) * LSB


def levels(**changed: float) -> np.ndarray:
    """Sixteen even levels, some of them moved by so many LSB: `at_7=0.5`."""
    made = EVEN.copy()
    for name, lsbs in changed.items():
        made[int(name.removeprefix("at_"))] += lsbs * LSB
    return made


@pytest.mark.parametrize("seed", range(4))
def test_a_whole_ramp_has_the_linearity_of_its_levels(seed):
    """Against the linearity of whole tables, which agrees with exact fractions (see test_oracles), and numpy's line."""
    chance = np.random.default_rng(seed)
    volts = (np.arange(64) + chance.normal(0.0, 0.3, 64)) * LSB + 0.1
    order = chance.permutation(64)
    found = ramp(order, volts[order], np.full(64, 1e-6))
    ends, best = linearity(volts), linearity(volts, best_fit=True)
    assert found.endpoint_lsb == pytest.approx(ends.inl_lsb, abs=1e-9)
    assert found.bestfit_lsb == pytest.approx(best.inl_lsb, abs=1e-9)
    assert found.dnl_lsb == pytest.approx(best.dnl_lsb, abs=1e-9)
    assert found.lsb_volts == pytest.approx(np.polyfit(np.arange(64), volts, 1)[0])
    assert (found.monotonic == "yes") == is_monotonic(volts)


# Constructed codes in the terms of IEEE Std 1658 (from memory): by hand.
CONSTRUCTED = [
    ("even", levels(), 1e-5, "yes", [], []),
    ("a level too high turns the next step back", levels(at_7=1.4), 1e-5, "no", [7], []),
    ("a step that is missing", levels(at_7=-0.9), 1e-5, "yes", [], [6]),
    ("the same, with readings too coarse to tell", levels(at_7=-0.9), 4e-4, "cannot-tell", [], []),
    ("equal levels", levels(at_7=-1.0), 1e-5, "cannot-tell", [], [6]),
    ("falling ones are as good", -levels(), 1e-5, "yes", [], []),
]


@pytest.mark.parametrize(
    ("volts", "deviation", "monotonic", "back", "missing"),
    [one[1:] for one in CONSTRUCTED],
    ids=[one[0] for one in CONSTRUCTED],
)
def test_constructed_codes_are_told(volts, deviation, monotonic, back, missing):
    found = ramp(np.arange(16), volts, np.full(16, deviation))
    assert (found.monotonic, list(found.turns_back), list(found.missing)) == (monotonic, back, missing)


def test_codes_that_were_not_read_are_not_claimed():
    found = ramp([0, 4, 8, 9, 15], EVEN[[0, 4, 8, 9, 15]], np.full(5, 1e-6))
    assert list(found.dnl_codes) == [8]
    assert found.endpoint_lsb == pytest.approx(np.zeros(5), abs=1e-9)
    twice = ramp([0, 8, 15, 0], [0.0, 0.008, 0.015, 0.001], np.full(4, 1e-4))
    assert twice.volts[0] == pytest.approx(0.0005)
    assert twice.deviation_volts[0] == pytest.approx(1e-4 / math.sqrt(2.0))
    for codes, volts in (([0, 1], [0.0, 1.0]), ([0, 1, 2], [1.0, 1.0, 1.0]), ([0, 1, 2], [0.0, math.nan, 1.0])):
        with pytest.raises(InputError):
            ramp(codes, volts, np.zeros(len(codes)))


def test_noise_drift_and_jumps_of_a_held_level_are_told_apart():
    chance = np.random.default_rng(5)
    t = np.arange(60.0)
    noise = chance.normal(0.0, 1e-4, 60)
    still = held(t, 2.0 + noise)
    assert still.noise_volts == pytest.approx(1e-4, rel=0.2)
    assert (still.drifts, still.jump_volts) == (False, None)
    drifting = held(t, 2.0 + noise + 1e-3 * t / 59.0)
    line = stats.linregress(t, drifting.volts)
    assert drifting.drift_volts == pytest.approx(59.0 * line.slope)
    assert drifting.drift_deviation == pytest.approx(59.0 * line.stderr, rel=0.3)
    assert drifting.drifts
    assert drifting.jump_volts is None
    jumping = held(t, 2.0 + noise + 1.5e-3 * (t >= 40))
    assert (jumping.jump_volts, jumping.jump_after) == (pytest.approx(1.5e-3, abs=1e-4), 39)
    assert not jumping.drifts
    coarse = held(t, np.full(60, 2.0), rounding_volts=3e-5)
    assert coarse.mean_deviation == pytest.approx(3e-5 / math.sqrt(60))
    with pytest.raises(InputError, match="8 readings"):
        held(t[:7], noise[:7])


def test_noise_alone_is_seldom_called_a_jump_or_a_drift():
    chance = np.random.default_rng(9)
    made = [held(np.arange(n), chance.normal(0.0, 1.0, n)) for n in (8, 20, 60) for _ in range(700)]
    assert sum(one.jump_volts is not None for one in made) <= 0.01 * len(made)
    assert sum(one.drifts for one in made) <= 0.08 * len(made)  # k = 2 leaves one in twenty


# -- as runs ------------------------------------------------------------------------------------------

PORT = bench().port(CHANNEL_A)
NOTES = RunRecord("r", "Ramp", CHANNEL_A.gear, "03", CHANNEL_A.port, "", BOARD_LAW, "5", meter=BENCH_METER, converter=PORT.transfers[0], plan=(60.0,))  # fmt: skip
DAC = dac_if_known("dac", PORT.transfers[0])


def taken(run: RunRecord, volts) -> object:
    notes = left_of(run, [])
    codes = dict(zip(run.plan, run.codes, strict=True))
    rows = [
        ReadingRecord(
            k,
            run.id,
            k,
            note,
            float(volts(codes[note], k)),
            f"2026-01-01T00:{k // 60:02d}:{k % 60:02d}+00:00",
            codes[note],
        )
        for k, note in enumerate(notes)
    ]
    return analyse(run, rows)


def test_a_ramp_and_a_swap_are_told_in_words():
    run = as_code_run(NOTES, DAC, parse_codes("128:4095:256, 2044:2052", 12), 2)
    assert left_of(run, [])[: len(run.plan)] == list(run.plan)
    assert left_of(run, run.plan) == list(reversed(run.plan))
    nominal = DAC.dac.nominal_volts
    good = taken(run, lambda code, k: nominal(code) * 0.996)
    step = taken(
        msgspec.structs.replace(run, id="s", serial="02"),
        lambda code, k: nominal(code) + 2.5 * 1.35e-3 * (code >= 2048),
    )
    told = " ".join(converter_sentences(good, step, Style()))
    assert "It is monotonic over the codes that were read" in told
    assert "Keep unit 03 pitch a for pitch: its INL is at most 0.0" in told
    assert "begin again as found after an exchange" in told
    assert "+0.4" in told.split("differ by")[1][:30]
    back = taken(run, lambda code, k: nominal(code) - 2.5 * 1.35e-3 * (code >= 2048))
    assert "not monotonic: the level turns back behind code 2047" in " ".join(converter_sentences(back, None, Style()))
    assert converter_sentences(taken(run, lambda code, k: nominal(code)), good, Style())[3:] == []  # one chip, twice


def test_a_held_code_beside_the_other_channels_moving():
    chance = np.random.default_rng(2)
    still = as_code_run(NOTES, DAC, (2048,), 40)
    moving = msgspec.structs.replace(still, id="m", title="Moving", others_move=True)
    first = taken(still, lambda code, k: 2.7648 + chance.normal(0.0, 5e-5))
    for shift, word in ((0.0, "is not seen in it"), (0.8e-3, "is seen in it")):
        other = taken(moving, lambda code, k, shift=shift: 2.7648 + shift + chance.normal(0.0, 5e-5))
        told = converter_sentences(other, first, Style())
        assert "Code 2048 held for 40 readings in 39 s" in told[0]
        # 0.015 % of 2.765 V and 4 counts of 0.1 mV are common to all readings: U = 2 sqrt(0.41² + 0.4²) / sqrt(3) mV.
        assert "± 0.66" in told[0].replace("\u00a0", " ")
        assert "does not drift" in told[1]
        assert word in told[2]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "was expected"),
        ("5:1", "rising"),
        ("4096", "0 to 4095"),
        ("1,x", "was expected"),
        ("²", "was expected"),
        ("1:9:0", "rising"),
    ],
)
def test_codes_that_are_none_are_refused(text, told):
    assert parse_codes("0:10:5, 7, 5", 12) == (0, 5, 10, 7)
    assert parse_codes(usual_codes(12), 12)[-1] == 2054
    with pytest.raises(InputError, match=told):
        parse_codes(text, 12)
    with pytest.raises(InputError, match="stands for no note"):
        as_code_run(msgspec.structs.replace(NOTES, law="hzv:note=36,volts=1"), DAC, (0, 100, 200), 1)
