"""The tuner: against the least spread that any estimate can have, and on sounds that have misled tuners."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from tests.tuner.sounds import PLUCKED, PLUCKED_MORE, RATE, SAW, SHAPES, SINE, harmonics, hum, rest, tone

from dynamis.tuner.phases import fine_frequency, least_deviation_hertz
from dynamis.tuner.tones import Tone, steady_tones

BOUNDS = json.loads((Path(__file__).parents[1] / "oracles" / "frequency-estimation.json").read_text())["cases"]
NOTES = (36, 43, 48, 55, 60, 67, 72, 84, 96)


def off(found: Tone, hertz: float) -> float:
    return float(1200.0 * np.log2(found.hertz / hertz))


def heard(samples: np.ndarray, wanted: list[tuple[float, float, float]], rate: float = RATE) -> None:
    """Whether these tones are found, (from, to, hertz): within 0.1 s, and in pitch within four standard uncertainties
    and 0.02 ct."""
    found = steady_tones(samples, rate)
    told = [(round(one.start_seconds, 2), round(one.end_seconds, 2), one.hertz) for one in found]
    assert len(found) == len(wanted), told
    for one, (start, end, hertz) in zip(found, wanted, strict=True):
        assert abs(one.start_seconds - start) < 0.1, told
        assert abs(one.end_seconds - end) < 0.1, told
        assert abs(off(one, hertz)) < 4.0 * one.uncertainty_cents + 0.02, told


@pytest.mark.parametrize("case", BOUNDS, ids=lambda case: case["id"])
def test_the_bound_is_that_of_the_books(case):
    """Cramér-Rao bound of a real sinusoid (Kay, from memory; the source stands in the file)."""
    given = case["given"]
    least = least_deviation_hertz(
        [given["amplitude"]], given["noise_variance"] ** 0.5, given["samples"], given["sample_rate"]
    )
    assert least == pytest.approx(case["expect"]["sd_hertz"], rel=1e-9)
    saw = least_deviation_hertz([1.0, 0.5, 1.0 / 3.0], 0.1, 1000, 1000.0)
    assert saw == pytest.approx(least_deviation_hertz([3.0**0.5], 0.1, 1000, 1000.0))  # h² A_h² is 1 each


@pytest.mark.parametrize("decibels", [20.0, 40.0, 60.0])
@pytest.mark.parametrize(
    ("hertz", "most"), [(33.0, 3.0), (52.0, 3.0), (82.0, 1.6), (261.7, 1.6), (1760.0, 1.6), (3520.0, 1.6)]
)
def test_frequencies_come_near_to_the_least_spread(hertz, most, decibels):
    """RMS over 4 shapes of 12 tones of half a second; and what it says of itself is neither boasting nor timid."""
    chance = np.random.default_rng(int(hertz + decibels))
    ratios, told = [], []
    for shape in (SINE, SAW, SHAPES["square"], PLUCKED):
        sizes = harmonics(hertz, shape)
        noise = float(np.sqrt(np.sum(sizes**2) / 2.0 / 10.0 ** (decibels / 10.0)))
        least = least_deviation_hertz(sizes, noise, RATE // 2, RATE)
        t = np.arange(RATE // 2) / RATE
        for _ in range(12):
            phases = chance.uniform(0.0, 2.0 * np.pi, sizes.size)
            waves = [size * np.sin(2.0 * np.pi * hertz * (k + 1) * t + phases[k]) for k, size in enumerate(sizes)]
            made = np.sum(waves, axis=0) + noise * chance.standard_normal(t.size)
            fine = fine_frequency(made, RATE, hertz * (1.0 + chance.uniform(-1e-3, 1e-3)))
            ratios.append((fine.hertz - hertz) / least)
            told.append((fine.hertz - hertz) / fine.deviation_hertz)
    assert np.sqrt(np.mean(np.square(ratios))) <= most
    assert 0.3 < np.sqrt(np.mean(np.square(told))) < 1.5


@pytest.mark.parametrize("name", SHAPES)
def test_no_shape_misleads_it_by_an_octave(name):
    chance = np.random.default_rng(5)
    for hertz in (18.5, 41.2, 65.4, 98.3, 130.5, 262.5, 440.0, 880.3, 1760.0, 3520.0, 5000.0):
        noise = 0.0 if hertz < 60.0 else 0.001
        made = np.concatenate([rest(0.2), tone(hertz, 0.7, SHAPES[name], chance), rest(0.3)])
        heard(made + noise * chance.standard_normal(made.size), [(0.2, 0.9, hertz)])


@pytest.mark.parametrize("shape", [PLUCKED, PLUCKED_MORE, (1.0, 0.5, 0.3, 0.2)])
def test_plucked_tones_are_what_they_are(shape):
    chance = np.random.default_rng(6)
    for hertz in (65.4, 98.3, 131.0, 196.4, 262.5, 392.0, 523.0):
        for tau in (0.6, 2.0):
            made = np.concatenate([rest(0.1), tone(hertz, 1.2, shape, chance, tau_seconds=tau), rest(0.1)])
            heard(made + 1e-4 * chance.standard_normal(made.size), [(0.1, 1.3, hertz)])


@pytest.mark.parametrize("level", [0.0, 0.003, 0.05])
@pytest.mark.parametrize("name", ["sine", "saw", "pulse", "plucked", "no fundamental"])
def test_a_sweep_is_heard_through_hum_and_clicks(name, level):
    chance = np.random.default_rng(7)
    parts, wanted = [rest(0.3)], []
    for k, note in enumerate(NOTES):
        hertz = 440.0 * 2.0 ** ((note - 69) / 12.0) * 1.003
        parts += [tone(hertz, 0.8, SHAPES[name], chance), rest(0.15)]
        wanted.append((0.3 + 0.95 * k, 1.1 + 0.95 * k, hertz))
    made = np.concatenate(parts)
    made = made + hum(made.size, level) + 0.001 * chance.standard_normal(made.size)
    for at in chance.integers(0, made.size, 6):
        made[at : at + 20] += chance.choice([-1.0, 1.0])
    found = steady_tones(made, RATE)
    assert [round(12.0 * np.log2(one.hertz / 440.0) + 69.0) for one in found] == list(NOTES)
    assert max(abs(off(one, hertz)) for one, (_, _, hertz) in zip(found, wanted, strict=True)) < 0.3
    assert all(
        abs(one.start_seconds - start) < 0.1 and abs(one.end_seconds - end) < 0.1
        for one, (start, end, _) in zip(found, wanted, strict=True)
    )


def test_tones_that_touch_are_told_apart_and_what_is_no_tone_is_none():
    chance = np.random.default_rng(8)
    for first, second in ((262.0, 294.0), (262.0, 277.6), (262.0, 524.0), (524.0, 262.0), (65.4, 130.8)):
        for shape in (SINE, SAW):
            made = np.concatenate([tone(first, 1.0, shape, chance), tone(second, 1.0, shape, chance)])
            heard(made, [(0.0, 1.0, first), (1.0, 2.0, second)])
    t = np.arange(4 * RATE) / RATE
    glide = 0.3 * np.sin(2.0 * np.pi * 400.0 * (2.0 ** (t / 2.0) - 1.0) / np.log(2.0))
    short = np.concatenate([rest(0.2), tone(300.0, 0.3, SAW, chance), rest(0.3)])
    brown = np.cumsum(chance.standard_normal(5 * RATE)) * 1e-3
    for made in (rest(2.0), 0.1 * chance.standard_normal(4 * RATE), brown, glide, short, np.zeros(0), np.ones(10)):
        heard(made, [])


def test_rates_levels_and_noise_do_not_matter():
    chance = np.random.default_rng(9)
    for rate in (8000, 11025, 22050, 44100, 96000, 192000):
        heard(tone(262.5, 1.0, SAW[:11], chance, rate), [(0.0, 1.0, 262.5)], rate)
    for made in (0.5 + tone(220.0, 1.0, SAW, chance), 1e-4 * tone(220.0, 1.0, SAW, chance)):
        heard(made, [(0.0, 1.0, 220.0)])
    quiet = tone(330.0, 1.5, SINE, chance)
    for decibels in (20.0, 10.0, 3.0, 0.0):
        noise = np.std(quiet) / 10.0 ** (decibels / 20.0) * chance.standard_normal(quiet.size)
        heard(quiet + noise, [(0.0, 1.5, 330.0)])


def test_an_oscillator_that_drifts_says_so_by_its_uncertainty():
    """5 ct a second over two seconds: 10 ct from end to end, uniform, √12 of that as a standard uncertainty."""
    t = np.arange(2 * RATE) / RATE
    made = 0.3 * np.sin(2.0 * np.pi * np.cumsum(220.0 * 2.0 ** (5.0 * t / 1200.0)) / RATE)
    (found,) = steady_tones(made, RATE)
    assert off(found, 220.0) == pytest.approx(5.0, abs=0.2)
    assert found.uncertainty_cents == pytest.approx(10.0 / 12.0**0.5, rel=0.1)
