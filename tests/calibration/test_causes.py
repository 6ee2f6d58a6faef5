"""Causes: what is put in is found, and little is claimed that is not there; statistics over seeded units.

Bounds are those that the command line's contract states, with the binomial's margin (two standard deviations).
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.calibration.units import DAC, FIVE, HERTZ, METER, VOLTS, unit, wrong_claims

from dynamis.calibration.causes.describe import carry_between, describe_shape
from dynamis.calibration.causes.term import FAULTS
from dynamis.calibration.causes.words import shape_sentences
from dynamis.calibration.fit import Readings
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch import LinearLaw
from dynamis.pitch.model import PitchModel

NOTES = np.arange(36.0, 97.0, 3)
UNITS = 120


def shape_of(volts, notes=NOTES, model=VOLTS, meter=METER, **more):
    return describe_shape(Readings.of(notes, volts), model, FIVE, meter, **more)


def volts_with(noise=1e-4, seed=0, scale=0.0, offset=0.0):
    return VOLTS.expected(NOTES) * (1 + scale) + offset + np.random.default_rng(seed).normal(0, noise, NOTES.size)


def told(shape):
    return " ".join(shape_sentences(shape, Style()))


def at_most(count, share, of=UNITS):
    return count <= of * share + 2.0 * math.sqrt(of * share * (1 - share))


@pytest.mark.parametrize(
    ("every", "length", "coded"), [(1, 5, True), (3, 7, True), (1, 13, False), (3, 21, True), (1, 61, True)]
)
def test_of_healthy_units_few_are_called_faulty(every, length, coded):
    shapes = [unit("healthy", seed, every).first(length).shape(coded=coded, metered=coded) for seed in range(UNITS)]
    assert at_most(sum(any(one.cause in FAULTS for one in shape.terms) for shape in shapes), 0.05)
    assert at_most(sum(shape.find("undecided") is not None for shape in shapes), 0.20)


@pytest.mark.parametrize(
    ("fault", "every", "told_in"),
    [
        ("step", 1, 0.95),
        ("step", 3, 0.9),
        ("bend", 3, 0.95),
        ("slip", 3, 0.95),
        ("clipping", 1, 0.95),
        ("dead-band", 3, 0.95),
        ("drift", 3, 0.95),
        ("closing drift", 3, 0.9),
    ],
)
def test_a_fault_is_told_as_what_it_is_and_its_size_lies_within_its_uncertainty(fault, every, told_in):
    units = [unit(fault, seed, every) for seed in range(UNITS)]
    shapes = [one.shape() for one in units]
    kind = "drift" if fault == "closing drift" else fault
    found = [shape.find(kind) for shape in shapes]
    assert sum(one is not None for one in found) >= told_in * UNITS
    assert at_most(
        sum(bool(wrong_claims(shape, fault, one.notes_at, every)) for shape, one in zip(shapes, units, strict=True)),
        0.05,
    )
    pairs = list(zip(shapes, units, strict=True))
    inside = [
        abs(shape.find("scale").value - 100 * (one.gain - 1)) <= shape.find("scale").expanded
        for shape, one in pairs
        if shape.find("scale")
    ]
    assert at_most(len(inside) - sum(inside), 0.05, len(inside))
    if fault in ("step", "bend"):
        off = [
            term is not None and abs(term.value - one.size) > term.expanded
            for term, one in zip(found, units, strict=True)
        ]
        assert at_most(sum(off), 0.05)


def test_a_run_that_grows_over_a_step_waits_until_it_is_seen():
    """Behind the step: one note and two may be a slip or anything, so nothing is claimed of them."""
    for seed in range(40):
        made = unit("step", seed, 1)
        at = int(np.flatnonzero(made.notes == made.notes_at[1])[0])
        for beyond in (1, 2):
            if at + beyond >= 8:
                shape = made.first(at + beyond).shape()
                assert not {"slip", "clipping", "dead-band", "drift"} & {one.cause for one in shape.terms}


def test_a_slip_in_the_newest_reading_is_no_fault_of_the_hardware():
    for seed in range(40):
        shape = unit("newest slip", seed, 3).shape()
        term = shape.find("undecided")
        assert not set(FAULTS) & {one.cause for one in shape.terms}
        assert term.notes == (96.0, 96.0)
        assert term.asks[0] == 96.0
        assert "Not yet: note 96 C7 lies about" in told(shape)
        assert shape.asks == term.asks


def test_a_second_reading_decides_and_the_first_one_may_be_the_slip():
    volts = volts_with()
    volts[5] += 0.03
    again = np.append(NOTES, NOTES[5])
    shape = shape_of(np.append(volts, volts[5] - 0.03), again)
    assert np.flatnonzero(shape.slips).tolist() == [5]
    # The first reading of a run, contradicted by its repeats and the rest.
    volts = volts_with()
    shape = shape_of(
        np.concatenate([[volts[0] + 0.02], volts[1:], [volts[0], volts[0] + 1e-4]]), np.concatenate([NOTES, [36, 36]])
    )
    assert (shape.find("drift"), np.flatnonzero(shape.slips).tolist()) == (None, [0])


def test_errors_that_follow_the_time_in_any_order_are_drift():
    random = np.random.default_rng(3)
    order = random.permutation(NOTES.size)
    volts = volts_with()[order] + np.linspace(0, 0.006, NOTES.size)
    term = shape_of(volts, NOTES[order], seconds=np.arange(NOTES.size) * 20.0).find("drift")
    assert term.value == pytest.approx(7.2, abs=term.expanded)
    assert "still warming" in told(shape_of(volts, NOTES[order]))


def test_few_readings_tell_scale_and_offset_only():
    volts = volts_with(scale=-0.01)
    for count in (2, 3, 4):
        slipped = volts[:count].copy()
        slipped[-1] += 0.05 * (count > 2)
        shape = shape_of(slipped, NOTES[:count])
        assert {one.cause for one in shape.terms} <= {"scale", "offset", "undecided", "scatter"}
        assert (shape.find("undecided") is None) == (count == 2 or abs(shape.find("undecided").value) < 20)


def test_scale_and_offset_are_told_for_the_notes_that_were_read():
    term = shape_of(volts_with(scale=-0.0036)).find("scale")
    assert term.value == pytest.approx(-0.36, abs=term.expanded)
    assert term.cents == pytest.approx(1200 * term.value / 100)
    # the meter's own gain is part of it: 0.015 % / sqrt(3), times 2
    assert 1.0 < term.expanded / (2 * 0.015 / 3**0.5) < 1.5  # and the scatter adds a little
    assert "over notes 36 C2 to 96 C7, −4." in told(shape_of(volts_with(scale=-0.0036)))
    term = shape_of(volts_with(offset=0.004)).find("offset")
    assert (term.value, term.unit) == (pytest.approx(0.004, abs=term.expanded), "volts")
    assert "A flat shift of +" in told(shape_of(volts_with(offset=0.004)))


def test_a_carry_is_named_only_where_large_carries_are():
    codes = DAC.code_for(VOLTS.expected(NOTES)).codes
    nominal = DAC.nominal_volts(codes)
    noise = np.random.default_rng(2).normal(0, 1e-4, NOTES.size)
    for code, carry in ((2048, 2048), (1130, None)):
        readings = replace(Readings.of(NOTES, nominal + 3 * DAC.lsb_volts * (codes >= code) + noise), expected=nominal)
        term = describe_shape(readings, VOLTS, FIVE, METER, DAC, codes).find("step")
        assert (term.carry, term.value) == (carry, pytest.approx(3 * DAC.lsb_volts * 1200, abs=term.expanded))
        assert term.codes[0] < code <= term.codes[1]
    # Multiples of an eighth of 2^n, n the bits of the largest code and 8 at least.
    assert [carry_between(*one) for one in ((250, 260, 200), (30, 33, 90), (33, 60, 90), (511, 1024, 4000))] == [
        256,
        32,
        None,
        1024,
    ]


def test_rounding_to_known_codes_is_known_and_no_scatter():
    codes = DAC.code_for(VOLTS.expected(NOTES)).codes
    nominal = DAC.nominal_volts(codes)
    noise = np.random.default_rng(3).normal(0, 2e-5, NOTES.size)
    for expected in (nominal, None):  # the converter known, or its codes alone
        readings = replace(Readings.of(NOTES, nominal + noise), expected=expected)
        shape = describe_shape(readings, VOLTS, FIVE, METER, DAC if expected is not None else None, codes)
        assert {term.cause for term in shape.terms} == {"rounding"}
        assert shape_sentences(shape, Style())[0].startswith("Nothing in these errors exceeds")
        assert "it is known and stays" in told(shape)


@pytest.mark.parametrize(("model", "words"), [(VOLTS, "The output ends there"), (HERTZ, "The control voltage or the")])
def test_a_clipped_top_says_where_it_stays(model, words):
    volts = np.minimum(volts_with(), 4.6)
    values = volts if model is VOLTS else model.reference_hertz * np.exp2(volts - 0.2)
    shape = shape_of(values, model=model, meter=METER if model is VOLTS else None)
    term = shape.find("clipping")
    assert term.notes == (90.0, 96.0)
    assert shape.left_out.sum() == 3
    assert words in told(shape)


@pytest.mark.parametrize("quantity", ["volts", "hertz"])
def test_under_hertz_per_volt_scale_and_offset_change_places(quantity):
    model = PitchModel(LinearLaw(36, 0.5), quantity)
    notes = np.arange(36.0, 85.0, 3)
    exact = model.expected(notes)
    noise = np.exp2(np.random.default_rng(5).normal(0, 0.3, notes.size) / 1200)
    meter = None if quantity == "hertz" else METER
    flat = shape_of(exact * 1.003 * noise, notes, model, meter).find("scale")
    assert flat.cents == pytest.approx(1200 * np.log2(1.003), abs=flat.cents_expanded + 0.05)
    tilted = shape_of((exact + 0.01 * exact[0]) * noise, notes, model, meter)
    assert tilted.find("offset").cents == pytest.approx(1200 * np.log2(1.01), rel=0.1)
    assert "half of that an octave up: trim it at the bottom" in told(tilted)


def test_what_cannot_be_told_apart_is_said():
    said = " ".join(shape_sentences(shape_of(volts_with(scale=-0.02)), Style(), 1 / 1.02))
    assert "a scale error, loading and the meter's own gain look the same; the ± covers the meter's" in said
    assert "the inputs plugged account for −1.96 % by their nominal resistances" in said
    hertz = HERTZ.tuning.hertz(NOTES) * np.exp2(0.01 * (NOTES - 36) / 12)
    assert "the oscillator's own scale look the same" in told(shape_of(hertz, model=HERTZ, meter=None))


def test_readings_of_codes_that_sound_no_note_are_refused_and_not_raised():
    """Under Hz/V code 0 stands for no pitch: with nothing else there is no line to speak of."""
    model = PitchModel(LinearLaw(36, 1.0))
    silent = replace(Readings.of([36.0, 48.0], [1.0, 2.0]), expected=np.zeros(2))
    with pytest.raises(InputError, match="different"):
        describe_shape(silent, model, FIVE, None, codes=np.zeros(2))
