"""An oscillator's errors parted into scale, offset, reset time and what a kelvin does."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
from tests.bench.test_analysis import RUN

from dynamis.bench.document.records import ReadingRecord
from dynamis.bench.runs.analysis import analyse
from dynamis.bench.runs.tracking import find_tracking, said_of
from dynamis.calibration.tracking import split_tracking
from dynamis.notation.style import Style

NOTES = np.arange(36.0, 97.0)
HERTZ = 440.0 * 2.0 ** ((NOTES - 69.0) / 12.0)
OCTAVES = (NOTES - 66.0) / 12.0


def made(celsius, reset=4e-6, scale=3.0, offset=-2.0, per_kelvin=-1.5, scale_per_kelvin=0.4, noise=0.05, seed=0):
    """Errors by the exact reset law 1/(1/f + t), not by the line that the fit uses."""
    away = celsius - np.mean(celsius)
    flat = -1200.0 * np.log2(1.0 + HERTZ * reset)
    drawn = np.random.default_rng(seed).normal(0.0, noise, NOTES.size)
    return offset + scale * OCTAVES + flat + away * (per_kelvin + scale_per_kelvin * OCTAVES) + drawn


def test_every_part_is_found_within_what_is_said_of_it():
    """Up, and down again: so temperature and note do not rise together.  200 seeds, U = 2u: at most 8 % outside."""
    true, outside = (3.0, -2.0, 4e-6, -1.5, 0.4), np.zeros(5)
    celsius = 22.0 + 3.0 * np.abs(np.linspace(-1.0, 1.0, NOTES.size))
    for seed in range(200):
        found = split_tracking(OCTAVES, HERTZ, made(celsius, seed=seed), np.full(61, 0.05), celsius)
        parts = (found.scale, found.offset, found.reset, found.per_kelvin, found.scale_per_kelvin)
        outside += [abs(one.size - wish) > one.expanded for one, wish in zip(parts, true, strict=True)]
    assert np.all(outside <= 16)
    assert found.reset.size == pytest.approx(4e-6, rel=0.05)


@pytest.mark.parametrize(
    ("celsius", "alike", "told"),
    [
        (np.full(61, 23.0), False, False),
        (np.full(61, np.nan), False, False),
        (np.linspace(20.0, 26.0, 61), True, False),
        (np.linspace(20.0, 20.9, 61), False, False),
        (np.where(np.arange(61) % 2, 20.0, 24.0), False, True),
    ],
)
def test_what_the_temperatures_do_not_tell_is_not_claimed(celsius, alike, told):
    away = made(np.nan_to_num(celsius, nan=20.0))
    found = split_tracking(OCTAVES, HERTZ, away, np.full(61, 0.05), celsius)
    assert (found.alike, found.per_kelvin is not None) == (alike, told)
    assert split_tracking(OCTAVES[:6], HERTZ[:6], away[:6], np.full(6, 0.05), celsius[:6]) is None
    assert split_tracking(OCTAVES[:9], HERTZ[:9], away[:9], np.full(9, 0.05), celsius[:9]) is None


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ({}, ["reset time of 4.0", "all notes by −1.5", "scale by +0.4"]),
        ({"reset": 0.0}, ["all notes by −1.5"]),
        ({"reset": 0.0, "per_kelvin": 0.0, "scale_per_kelvin": 0.0}, ["Temperature moves it little over 4.0 K"]),
    ],
)
def test_a_run_in_hertz_says_what_it_is_made_of(parts, words):
    celsius = np.where(np.arange(61) % 2, 20.0, 24.0)
    run = msgspec.structs.replace(
        RUN, quantity="hertz", where="oscillator", converter=None, meter=None, law="voct:scale=1,note=36,volts=0"
    )
    heard = HERTZ * 2.0 ** (made(celsius, **parts) / 1200.0)
    rows = [
        ReadingRecord(k, run.id, k, float(note), float(hertz), "", celsius=float(warm))
        for k, (note, hertz, warm) in enumerate(zip(NOTES, heard, celsius, strict=True))
    ]
    said = " ".join(said_of(analyse(run, rows), Style()))
    assert all(word in said for word in words), said
    assert ("reset time" in said) == (parts.get("reset", 1.0) > 0.0)
    assert find_tracking(analyse(msgspec.structs.replace(run, quantity="volts"), rows)) is None
