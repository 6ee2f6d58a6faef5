"""What calibration gives, kept; see `tests/keeping.py`."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from tests.calibration.units import DAC, FAULTS, FIVE, HERTZ, METER, VOLTS, unit
from tests.keeping import attempt, hold

from dynamis.calibration import frequency, line, meter, proof, slips
from dynamis.calibration.causes.describe import carry_between, describe_shape
from dynamis.calibration.causes.words import nothing_exceeds, shape_sentences
from dynamis.calibration.corrections import corrections_for
from dynamis.calibration.fit import Readings, fit_all, fit_readings, outlier_limit_cents
from dynamis.calibration.frequency import FrequencyLimits
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.significance import claim_factor
from dynamis.calibration.words import (
    correction_detail,
    correction_leaves,
    correction_title,
    proof_sentences,
    verdict_sentence,
)
from dynamis.notation.style import Style
from dynamis.pitch import ExponentialLaw, LinearLaw, parse_tolerance
from dynamis.pitch.model import PitchModel

STYLE = Style()
LINEAR, LINEAR_HERTZ = PitchModel(LinearLaw(36, 0.3, 0.05)), PitchModel(LinearLaw(36, 0.3, 0.05), "hertz")


def told(shape, corrections) -> list:
    fit = shape.fit
    kept = [
        [
            correction_title(one),
            correction_leaves(one, STYLE),
            correction_detail(one, fit, STYLE),
            [
                getattr(one, name)
                for name in ("worst_note", "verdict", "supposed", "worst_cents", "worst_expanded_cents")
            ],
            [float(np.sum(one.left_cents**2)), float(np.sum(one.expanded_cents)), getattr(one, "codes", ())[:9]],
        ]
        for one in corrections
    ]
    numbers = [
        fit.line,
        fit.before,
        fit.after,
        fit.scatter_cents,
        float(np.nansum(fit.residual_cents**2)),
        fit.line_covariance,
    ]
    sentences = shape_sentences(shape, STYLE, 0.99)
    return [shape.terms, shape.asks, int(np.sum(shape.left_out)), numbers, sentences, nothing_exceeds(fit, STYLE), kept]


def test_units_with_faults_are_told_as_they_were():
    made = {}
    for fault in FAULTS:
        for seed, every in ((1, 1), (2, 3), (3, 3), (4, 6), (5, 5)):
            one = unit(fault, seed, every)
            for coded, model in ((True, VOLTS), (False, VOLTS), (False, HERTZ)):
                shape = one.shape(coded=coded, model=model)
                ways = corrections_for(
                    shape.fit,
                    FIVE,
                    dac=DAC if coded else None,
                    codes=one.codes if coded else None,
                    inl_limit_lsb=1.0 if seed % 2 else None,
                    trimmers="scale-and-offset" if seed % 2 else "scale",
                    stuck=shape.left_out,
                )
                made[f"{fault} {seed} {every} {coded} {model.kind}"] = told(shape, ways)
        part = unit(fault, 1)
        made[f"{fault} first"] = [
            attempt(lambda c=count, p=part: shape_sentences(p.first(c).shape(), STYLE))
            for count in (2, 3, 4, 5, 7, 12, 30)
        ]
    hold("calibration_units", made)


def test_lines_and_fits_give_what_they_gave():
    random, notes = np.random.default_rng(4), np.arange(36.0, 97.0, 5)
    made = {}
    for name, model in (("volts", VOLTS), ("hertz", HERTZ), ("linear", LINEAR), ("linear hertz", LINEAR_HERTZ)):
        wanted = model.expected(notes)
        shown = model.expected_shown(notes) * (1.004 + 2e-4 * random.normal(size=notes.size))
        readings = replace(Readings.of(notes, shown), own=np.full(notes.size, 1e-4))
        for method in ("least-squares", "minimax", "endpoint"):
            made[f"{name} {method}"] = attempt(
                lambda m=model, r=readings, k=method: fit_readings(
                    r, m, FIVE, method=k, meter=METER if m.quantity == "volts" else None
                )
            )
        made[f"{name} all"] = [
            attempt(lambda m=model, r=readings: fit_all(r, m, FIVE)),
            line.fit_line(model, wanted, wanted * 1.01 + 0.002).at(wanted),
        ]
        shape = describe_shape(
            readings, model, FIVE, FrequencyLimits(ppm=1, resolution_hertz=0.01) if model.quantity == "hertz" else METER
        )
        made[f"{name} told"] = told(shape, corrections_for(shape.fit, FIVE, trimmers="scale-and-offset"))
    robust = [
        line.theil_sen(np.arange(9.0), np.arange(9.0) * 2 + random.normal(size=9)),
        line.median(np.array([3.0, 1.0, 2.0, 9.0])),
        [outlier_limit_cents(random.normal(size=n)) for n in (3, 8, 30)],
        [claim_factor(v, n) for v in (1, 3, 10, 100, np.inf) for n in (1, 5, 60)],
        [
            carry_between(low, high, 4095)
            for low, high in ((2000, 2185), (100, 130), (1023, 1025), (0, 4095), (512, 512), (1500, 1600))
        ],
    ]
    hold("calibration_fits", [made, robust])


def test_instruments_proofs_and_slips_give_what_they_gave():
    ranges = [
        MeterRange(0.015, 4, 1e-4),
        MeterRange(0.5, 2, 0.01, 20.0, 0.1),
        MeterRange(0, 0, 1e-3),
        MeterRange(1.0, 0, 0.0),
    ]
    worth = [
        [
            one,
            one.words(),
            one.decimals,
            [
                [one.expanded_volts(v), attempt(lambda o=one, v=v: slips.beyond_range(o, v))]
                for v in (0.0, 0.2, 5.0, 25.0)
            ],
            meter.reading_uncertainty(np.array([0.2, 5.0]), np.array([0.0, 1e-3]), VOLTS, one),
        ]
        for one in ranges
    ]
    texts = (
        "0.05 % + 3 counts",
        "0.5% rdg + 2 digits",
        "100 ppm",
        "± (0.015 % of reading + 0.002 % of range)",
        "3 counts",
        "",
        "x",
        "0.05",
        "-1 %",
        "1 % + 1 %",
    )
    read = [
        [
            attempt(lambda t=text: meter.parse_meter_words(t, 1e-3, 10.0)),
            attempt(lambda t=text: meter.parse_meter_words(t, 1e-3)),
            attempt(lambda t=text: frequency.parse_frequency_words(t, 0.01)),
        ]
        for text in (*texts, "1 ppm + 1 digit", "0.5 ct", "2 cents")
    ]
    more = [
        attempt(lambda t=text: meter.parse_meter_option(t)) for text in ("0.5,2,0.01", "0.5,2", "a,2,0.01", "0,0,0")
    ]
    digits = [attempt(lambda t=text: meter.parse_resolution(t)) for text in ("1 mV", "0.0001", "0", "-1", "100µ", "")]
    limits = [FrequencyLimits(1.0, 1, 0.01), FrequencyLimits(cents=0.5, resolution_cents=0.1), FrequencyLimits(50.0)]
    counted = [
        [
            one,
            one.words(),
            [one.expanded_cents(hertz) for hertz in (27.5, 440.0, 4000.0)],
            meter.reading_uncertainty(np.array([110.0, 880.0]), np.zeros(2), HERTZ, one),
        ]
        for one in limits
    ]
    proofs = [
        [
            attempt(
                lambda m=model, t=tolerance, r=one: proof_sentences(
                    proof.can_prove(m, parse_tolerance(t), np.arange(36.0, 97.0), r), STYLE
                )
            ),
            one,
        ]
        for model in (VOLTS, LINEAR, PitchModel(ExponentialLaw(0.2)))
        for tolerance in ("5", "0.5", "36:47=10,48:84=1")
        for one in ranges[:3]
    ]
    found = [
        [slips.find_slip(expected * factor + shift, expected, note, model)]
        for model in (VOLTS, HERTZ)
        for note, expected in ((48.0, 1.2 if model is VOLTS else 130.81), (60.0, 2.2 if model is VOLTS else 261.63))
        for factor, shift in (
            (1.0, 0.0),
            (10.0, 0.0),
            (0.1, 0.0),
            (-1.0, 0.0),
            (1000.0, 0.0),
            (0.001, 0.0),
            (1.0, 1.0),
            (1.0, 1 / 12),
            (2.0, 0.0),
            (0.5, 0.0),
            (1.02, 0.0),
        )
    ]
    said = [
        verdict_sentence(verdict, cents, 60.0, u, allowed, STYLE)
        for verdict in ("within", "not-within", "cannot-tell")
        for cents in (-3.0, 0.04)
        for u in (0.0, 1.0)
        for allowed in (5.0, float("nan"))
    ]
    hold("calibration_instruments", [worth, read, more, digits, counted, proofs, found, said])
