"""Signals made of others: what each kind makes, ratchets by their thresholds, envelopes against a machine of small steps.

Levels, thresholds and times are invented; that two high steps make one edge, and that a pulse that outlasts a short
envelope fires it twice, are common practice, no source.
"""

import msgspec
import numpy as np
import pytest

from dynamis.control.envelopes import Rise, rise_of
from dynamis.control.logic import (
    Chance,
    Divided,
    Edges,
    Envelope,
    Given,
    Inverted,
    Joined,
    LogicLine,
    Multiplied,
    Ratcheted,
    Row,
    Sampled,
    check_lines,
    in_words,
    make,
)  # fmt: skip
from dynamis.control.pulses import pulses, regular
from dynamis.control.ratchets import bands, times_of
from dynamis.control.stepped import Level, Steps, pulse_steps
from dynamis.converter.playing.logic import lost_edges
from dynamis.errors import InputError
from dynamis.notation.style import Style

CLOCK = regular(2.0, 0.1, 8)
GATE = pulses([(0.25, 1.25), (2.0, 2.1)])


def given() -> Given:
    streams = {"clock": CLOCK, "gate": GATE, "reset": pulses([(1.4, 1.41)])}
    levels = {name: pulse_steps(one, Level(0.0, 5.0)) for name, one in streams.items()}
    levels["mod"] = Steps(np.array([0.0, 1.0, 2.0]), np.array([0.0, 3.0, 1.5]))
    return Given(levels, streams, {}, 4.0)


MADE = [
    (Divided("a", of="clock", by=3), [0.0, 1.5, 3.0]),
    (Divided("a", of="clock", by=3, waits=1), [0.5, 2.0, 3.5]),
    (Divided("a", of="clock", by=3, reset="reset"), [0.0, 1.5, 3.0]),
    (Divided("a", of="clock", by=4, reset="reset"), [0.0, 1.5, 3.5]),
    (Multiplied("a", of="clock", times=2), [0.0, *np.arange(2, 16) / 4.0]),
    (Joined("a", of="clock", other="gate"), [0.0, 0.25, 1.5, 2.0, 2.5, 3.0, 3.5]),
    (Joined("a", of="clock", other="gate", how="and"), [0.5, 1.0, 2.0]),
    (Inverted("a", of="gate"), [0.0, 1.25, 2.1]),
    (Edges("a", of="mod", on_volts=2.0, off_volts=1.6), [1.0]),
    (Ratcheted("a", of="clock", control="mod", thresholds=(1.0, 2.0)), [1.0, 1.25, 1.5, 1.75, 2.0, 2.5, 3.0, 3.5]),
]
STEPPED = [
    (Sampled("a", of="mod", clock="gate"), [(0.0, 0.0), (2.0, 1.5)]),
    (Row("a", clock="gate", volts=(1.0, 4.0)), [(0.0, 1.0), (2.0, 4.0)]),
    (Row("a", clock="clock", volts=(0.0, 1.0, 2.0, 3.0), reset="reset"),
     [(0, 0), (0.5, 1), (1, 2), (1.4, 0), (1.5, 1), (2, 2), (2.5, 3), (3, 0), (3.5, 1)]),
]  # fmt: skip


@pytest.mark.parametrize(("line", "rises"), MADE, ids=in_words)
def test_a_line_makes_its_pulses(line: LogicLine, rises: list[float]) -> None:
    here = given()
    make(line, here)
    assert here.stream("a").rises_seconds == pytest.approx(np.array(rises))
    assert set(here.level("a").volts.tolist()) <= {0.0, 5.0}
    assert msgspec.json.decode(msgspec.json.encode(line), type=LogicLine) == line


@pytest.mark.parametrize(("line", "steps"), STEPPED, ids=in_words)
def test_a_line_makes_its_steps(line: LogicLine, steps: list[tuple[float, float]]) -> None:
    here = given()
    make(line, here)
    made = here.level("a")
    assert list(zip(made.seconds.tolist(), made.volts.tolist(), strict=True)) == steps


def test_chance_is_the_same_for_the_same_seed_and_keeps_to_its_levels() -> None:
    def volts(**values: float) -> list[float]:
        here = given()
        make(Chance("a", clock="clock", low_volts=-1.0, high_volts=1.0, **values), here)  # type: ignore[arg-type]
        return here.level("a").at(CLOCK.rises_seconds).tolist()

    assert volts(seed=3) == volts(seed=3) != volts(seed=4)
    assert {one for seed in range(40) for one in volts(seed=seed, levels=5)} == {-1.0, -0.5, 0.0, 0.5, 1.0}
    drawn = np.array([volts(seed=seed) for seed in range(400)])
    # A rectangle's mean and standard deviation, 2/√12 (a handbook's); 3 200 draws.
    assert (abs(drawn.mean()) < 0.04, drawn.std()) == (True, pytest.approx(2.0 / np.sqrt(12.0), rel=0.03))


def test_ratchets_have_bands_with_middles_and_margins() -> None:
    found = bands((0.5, 1.5, 2.5), 0.0, 5.0)
    assert [(one.times, one.middle_volts, one.margin_volts) for one in found] == [
        (0, 0.25, 0.25), (1, 1.0, 0.5), (2, 2.0, 0.5), (3, 3.75, 1.25),
    ]  # fmt: skip
    assert times_of([one.middle_volts for one in found], (0.5, 1.5, 2.5)).tolist() == [0, 1, 2, 3]
    assert [one.times for one in bands((0.5, 1.5, 2.5), 1.0, 2.0)] == [1, 2]  # what the control does not reach


def by_small_steps(envelope: Rise, spans: list[tuple[float, float]], end: float, step: float) -> tuple[np.ndarray, int]:
    """The envelope as a machine that looks at its pulse once a millionth of a second or so."""
    level, rising, starts, over, was = 0.0, False, 0, 0.0, False
    found = []
    for k in range(int(end / step)):
        now = (k + 0.5) * step
        up = any(rise <= now < fall for rise, fall in spans)
        idle = not rising and now - over >= envelope.decay_seconds
        if (up and not was) or (envelope.acts == "again" and up and starts and idle):
            rising, starts = True, starts + 1
        if rising:
            level = min(1.0, level + step / envelope.attack_seconds)
            holds = envelope.acts == "while-up" and up
            if (level >= 1.0 and not holds) or (envelope.acts == "while-up" and not up):
                rising, over = False, now
        else:
            level *= 0.01 ** (step / envelope.decay_seconds)
        was = up
        found.append(level)
    return np.array(found), starts


@pytest.mark.parametrize("acts", ["edge", "while-up", "again"])
@pytest.mark.parametrize("seed", range(8))
def test_an_envelope_goes_as_a_machine_of_small_steps_does(acts, seed: int) -> None:
    random = np.random.default_rng(seed)
    edges = np.sort(random.uniform(0.0, 0.3, 8)).reshape(-1, 2)
    envelope = Rise(*random.uniform(0.003, 0.08, 2).tolist(), acts)
    spans = pulses([(float(a), float(b)) for a, b in edges])
    found = rise_of(envelope, spans, 0.4)
    simple, starts = by_small_steps(envelope, spans.spans, 0.4, 1e-5)
    at = (np.arange(simple.size) + 0.5) * 1e-5
    assert found.starts.size == starts
    assert np.max(np.abs(found.course.at(at) - simple)) < 0.02


@pytest.mark.parametrize(
    ("acts", "width", "starts", "again", "held", "short"),
    [("edge", 0.1, 8, 0, 0, 0), ("again", 0.05, 8, 0, 0, 0), ("again", 0.1, 16, 8, 0, 0),
     ("while-up", 0.1, 8, 0, 8, 0), ("while-up", 0.01, 8, 0, 0, 8)],
)  # fmt: skip
def test_a_pulse_fires_an_envelope_once_or_twice(acts, width, starts, again, held, short) -> None:
    found = rise_of(Rise(0.02, 0.04, acts), regular(2.0, width, 8), 4.0)
    assert (found.starts.size, found.again, found.held, found.short) == (starts, again, held, short)


REFUSED = [
    (Divided("a", of="clock", by=0), "by 0"),
    (Divided("a", of="clock", by=2, waits=2), "waits for 2"),
    (Multiplied("a", of="clock", times=2000), "times 2000"),
    (Chance("a", clock="clock", levels=1), "no chance"),
    (Edges("a", of="mod", on_volts=1.0, off_volts=2.0), "crossed"),
    (Row("a", clock="clock", volts=()), "0 steps"),
    (Row("a", clock="clock", volts=(float("nan"),)), "volts up to"),
    (Ratcheted("a", of="clock", control="mod", thresholds=(1.0, 1.0)), "have to rise"),
    (Envelope("a", of="clock", attack_seconds=0.0), "The attack is 0 s"),
    (Inverted("a", of="clock", low_volts=5.0), "nothing can tell apart"),
    (Inverted(" ", of="clock"), "needs a name"),
]


@pytest.mark.parametrize(("line", "words"), REFUSED)
def test_a_line_that_makes_nothing_is_refused(line: LogicLine, words: str) -> None:
    with pytest.raises(InputError, match=words):
        check_lines((line,))


@pytest.mark.parametrize(
    ("line", "words"),
    [(Inverted("a", of="other"), "there is no other"), (Inverted("a", of="mod"), "mod is a level; make an edge"),
     (Sampled("a", of="no", clock="clock"), "there is no no"), (Multiplied("a", of="many", times=1000), "up to 4000000")],
)  # fmt: skip
def test_a_line_says_what_it_waits_for(line: LogicLine, words: str) -> None:
    here = given()
    here.pulses["many"] = regular(1e4, 1e-5, 4000)
    here.levels["many"] = pulse_steps(here.pulses["many"], Level(0.0, 5.0))
    with pytest.raises(InputError, match=words):
        make(line, here)


def test_two_lines_of_one_name_are_refused() -> None:
    with pytest.raises(InputError, match="Two signals are called 'a'"):
        check_lines((Inverted("a", of="b"), Inverted("a", of="c")))


@pytest.mark.parametrize(
    ("first", "second", "words"),
    [([(0.0, 0.1), (1.0, 1.1)], [(0.0, 0.1)], "1 of 3 edges of a and b is lost, first at 0.000 s: 1 of each rise at one"),
     ([(0.0, 0.5)], [(0.2, 0.3), (0.4, 0.6)], "2 of 3 edges of a and b are lost, first at 0.200 s: the other is up already"),
     ([(0.0, 0.5)], [(1.0, 1.1)], "")],
)  # fmt: skip
def test_edges_that_an_or_loses_are_told_with_their_reason(first, second, words: str) -> None:
    streams = {"a": pulses(first), "b": pulses(second)}
    here = Given({name: pulse_steps(one, Level(0.0, 5.0)) for name, one in streams.items()}, streams, {}, 2.0)
    found = lost_edges(Joined("x", of="a", other="b"), here, Style())
    assert [one.text for one in found] == [] if not words else words in found[0].text
