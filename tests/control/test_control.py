"""Clocks, triggers and rows against a count of ticks, one state a tick; no source but the definitions themselves."""

from __future__ import annotations

import math

import numpy as np
import pytest

from dynamis.control.pulses import Pulses, both, either, inverted, pulses, regular, swallowed
from dynamis.control.rates import divided, multiplied
from dynamis.control.sampling import level_as_pulses, row_steps, silent_steps
from dynamis.control.sequencer import ACTS, Listening, Step, steps_of
from dynamis.control.stepped import Steps
from dynamis.errors import InputError

TICKS = 240


def drawn(random: np.random.Generator) -> tuple[Pulses, np.ndarray]:
    """A random stream, and its state at each tick; every instant is a whole number, so ticks lose nothing."""
    edges = np.sort(random.choice(np.arange(1, TICKS - 1), 2 * int(random.integers(1, 30)), replace=False))
    stream = pulses([(float(a), float(b)) for a, b in edges.reshape(-1, 2)])
    states = np.zeros(TICKS, bool)
    for a, b in edges.reshape(-1, 2):
        states[a:b] = True
    return stream, states


def rises(states: np.ndarray) -> list[int]:
    return [k for k in range(1, TICKS) if states[k] and not states[k - 1]]


@pytest.mark.parametrize("seed", range(40))
def test_logic_is_that_of_each_tick(seed: int) -> None:
    random = np.random.default_rng(seed)
    (one, a), (two, b) = drawn(random), drawn(random)
    at = np.arange(TICKS, dtype=float)
    for stream, states in ((either(one, two), a | b), (both(one, two), a & b), (inverted(one), ~a)):
        assert np.array_equal(stream.up(at), states)
        assert [k for k in stream.rises_seconds if k] == rises(states)
    assert swallowed(one, two) == len(rises(a)) + len(rises(b)) - len(rises(a | b))


@pytest.mark.parametrize("width", ["pulse", "half"])
@pytest.mark.parametrize("seed", range(20))
def test_a_divider_counts(seed: int, width: str) -> None:
    random = np.random.default_rng(seed)
    (clock, states), (reset, resets) = drawn(random), drawn(random)
    by = int(random.integers(1, 6))
    offset = int(random.integers(by))
    out, count, wanted = False, -offset, np.zeros(TICKS, bool)
    for k in range(1, TICKS):
        if resets[k] and not resets[k - 1]:
            count, out = -offset, False if width == "half" and by > 1 else out
        if states[k] and not states[k - 1]:
            place, count = count % by, count + 1
            if place == 0 and count > 0:
                out = True
            elif width == "half" and place >= math.ceil(by / 2):
                out = False
        if not states[k] and (width == "pulse" or by == 1):
            out = False
        wanted[k] = out
    assert np.array_equal(divided(clock, by, offset, reset, width).up(np.arange(TICKS, dtype=float)), wanted)


@pytest.mark.parametrize("times", [1, 2, 3, 4, 7])
def test_a_multiplier_fills_the_period_that_it_heard(times: int) -> None:
    steady = multiplied(regular(2.0, 0.1, 9), times)
    assert steady.rises_seconds == pytest.approx([0.0, *(0.5 + k * 0.5 / times for k in range(8 * times))])
    slower = multiplied(pulses([(0, 1), (10, 11), (30, 31)]), times).rises_seconds
    assert np.all(np.diff(slower[(slower >= 10) & (slower < 20)]) == pytest.approx(10 / times))
    faster = multiplied(pulses([(0, 1), (20, 21), (30, 31)]), times)
    assert np.sum((faster.rises_seconds >= 20) & (faster.rises_seconds < 30)) == math.ceil(times / 2)


@pytest.mark.parametrize("seed", range(60))
def test_a_row_is_up_where_its_steps_are(seed: int) -> None:
    random = np.random.default_rng(seed)
    volts = random.choice([0.0, 1.5, 5.0], int(random.integers(1, 9))).tolist()
    starts = np.sort(random.choice(np.arange(1, TICKS), 25, replace=False)).astype(float)
    played = [Step(start, k % len(volts), "clock") for k, start in enumerate(starts.tolist())]
    stream, up, fires, idle = level_as_pulses(row_steps(volts, played), 2.0, 1.0), volts[0] >= 2.0, set(), set()
    for start, step in ((one.seconds, one.step) for one in played):
        was, up = up, volts[step] >= 2.0 or (up and volts[step] > 1.0)
        assert bool(stream.up(start)) == up
        (fires if not was else idle).update([step] if volts[step] >= 2.0 else [])
    assert set(silent_steps(volts, played, 2.0, 1.0)) == idle


def test_two_high_steps_in_a_row_make_one_edge() -> None:
    played = [Step(float(k), k, "clock") for k in range(4)]
    assert level_as_pulses(row_steps([0, 5, 5, 0], played), 2.0, 1.0).spans == [(1.0, 3.0)]
    assert silent_steps([0, 5, 5, 0], played, 2.0, 1.0) == [2]


def by_ticks(clock: np.ndarray, reset: np.ndarray, run: np.ndarray, count: int, how: Listening) -> list[int]:
    """Where a sequencer stands, as a machine that looks at its inputs once a tick."""
    stands, going, waits, standing = -1, False, False, [-1]

    def edge(states: np.ndarray, k: int, acts: str) -> bool:
        rose, fell = states[k] and not states[k - 1], states[k - 1] and not states[k]
        return bool(fell if acts in ("fall", "while-low") else rose)

    for k in range(1, TICKS):
        going = {"while-high": bool(run[k]), "while-low": not run[k]}.get(how.run, going ^ edge(run, k, how.run))
        backs = edge(reset, k, how.reset)
        holds = {"while-high": bool(reset[k]), "while-low": not reset[k]}.get(how.reset, False)
        steps = edge(clock, k, how.clock) and going and not holds
        for what in ("clock", "reset") if how.first == "clock" else ("reset", "clock"):
            if what == "reset" and backs:
                later = how.reset_with == "next-clock" and how.reset in ("rise", "fall")
                waits, stands = (True, stands) if later else (waits, 0)
            elif what == "clock" and steps and not (backs and how.first == "reset-alone" and not waits):
                stands, waits = 0 if waits else (stands + 1) % count, False
        standing.append(stands)
    return standing


@pytest.mark.parametrize("seed", range(150))
def test_a_sequencer_stands_where_its_inputs_take_it(seed: int) -> None:
    random = np.random.default_rng(seed)
    (clock, a), (reset, b), (run, c) = drawn(random), drawn(random), drawn(random)
    if seed % 2:  # resets that come with clocks
        reset, b = clock, a
    how = Listening(
        clock=random.choice(["rise", "fall"]),
        reset=random.choice(ACTS),
        run=random.choice(ACTS),
        reset_with=random.choice(["at-once", "next-clock"]),
        first=random.choice(["reset", "reset-alone", "clock"]),
        together_seconds=0.1,
    )
    count = int(random.integers(1, 9))
    played = {int(one.seconds): one.step for one in steps_of(clock, count, how, reset, run)}
    at, standing = -1, []
    for k in range(TICKS):
        at = played.get(k, at)
        standing.append(at)
    assert standing == by_ticks(a, b, c, count, how)


def test_a_clock_alone_never_resets() -> None:
    assert [one.step for one in steps_of(regular(2.0, 0.1, 10), 4)] == [0, 1, 2, 3, 0, 1, 2, 3, 0, 1]


REFUSED = [
    (lambda: divided(regular(1, 0.1, 4), 0), "A divider by 0"),
    (lambda: divided(regular(1, 0.1, 4), 4, 4), "waits 4 pulses"),
    (lambda: multiplied(regular(1, 0.1, 4), 0), "A multiplier by 0"),
    (lambda: regular(10, 0.1, 4), "do not stand apart"),
    (lambda: Pulses(np.array([0.0, 1.0]), np.array([1.0, 2.0])), "stand apart"),
    (lambda: Pulses(np.array([1.0]), np.array([1.0])), "fall after it has risen"),
    (lambda: Pulses(np.array([1.0]), np.array([])), "one fall for each rise"),
    (lambda: level_as_pulses(Steps(np.zeros(1), np.zeros(1)), 1, 2), "thresholds are crossed"),
    (lambda: steps_of(regular(1, 0.1, 4), 0), "A row of 0 steps"),
]


@pytest.mark.parametrize(("made", "words"), REFUSED)
def test_what_makes_no_sense_is_refused(made, words: str) -> None:
    with pytest.raises(InputError, match=words):
        made()
