"""Signals that are made of a converter's: what each carries, and what is found about it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from dynamis.control.envelopes import Risen
from dynamis.control.logic import Edges, Envelope, Given, Joined, LogicLine, Ratcheted, in_words, make
from dynamis.control.pulses import Pulses, either, swallowed
from dynamis.control.ratchets import nearest_threshold, times_of
from dynamis.control.sampling import silent_steps
from dynamis.control.stepped import Level, Steps
from dynamis.converter.playing.findings import PlayFinding
from dynamis.converter.playing.rendering import Rendered, Signal
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.transfer.breakpoints import Breakpoints

# A control as near to a threshold as this, volts or a share of the narrowest band, may well be on its other side;
# common practice, no source.
_NEAR_VOLTS, _NEAR_SHARE = 0.1, 0.2


@dataclass(frozen=True, eq=False)
class LogicMade:
    """rendered : with the signals that were made.  curves : by name, what is no jack's, as envelopes are.
    findings : about them, and what each line that could not be made waits for."""

    rendered: Rendered
    curves: dict[str, Breakpoints]
    findings: list[PlayFinding]


def given_by(rendered: Rendered) -> Given:
    """What the signals of a converter are to lines of logic."""
    levels = {one.name: one.steps for one in rendered.signals}
    streams = {one.name: one.pulses for one in rendered.signals if one.level is not None}
    return Given(levels, streams, {}, rendered.seconds)


def with_logic(rendered: Rendered, lines: Sequence[LogicLine], style: Style) -> LogicMade:
    """Every line that can be made, in their order."""
    given, signals, curves, findings = given_by(rendered), [], {}, []
    taken = set(given.levels)
    for line in lines:
        try:
            if line.name in taken:
                raise InputError("there is another signal of that name")
            made = make(line, given)
        except InputError as error:
            findings.append(PlayFinding("waits", f"{line.name} is not made: {error}.", 1, None))
            continue
        taken.add(line.name)
        if isinstance(made, Risen):
            curves[line.name] = made.course
        else:
            level = Level(line.low_volts, line.high_volts) if isinstance(made, Pulses) else None  # type: ignore[union-attr]
            made_of = given.levels[line.name]
            signals.append(Signal(line.name, "logic", made_of, level=level, about=in_words(line)))
        findings += _found(line, made, given, style)
    # What falls behind the song's end still belongs to it.
    ends = [float(one.pulses.falls_seconds[-1]) for one in signals if one.level is not None and one.pulses.spans]
    seconds = max([rendered.seconds, *(one for one in ends if np.isfinite(one))])
    return LogicMade(replace(rendered, signals=(*rendered.signals, *signals), seconds=seconds), curves, findings)


def _found(line: LogicLine, made: Pulses | Steps | Risen, given: Given, style: Style) -> list[PlayFinding]:
    if isinstance(line, Joined) and line.how == "or":
        return lost_edges(line, given, style)
    if isinstance(line, Edges):
        return _silent(line, given)
    if isinstance(line, Ratcheted):
        return _bands(line, given, style)
    if isinstance(line, Envelope) and isinstance(made, Risen):
        return [_started(line, made, given, style)]
    return []


def lost_edges(line: Joined, given: Given, style: Style) -> list[PlayFinding]:
    first, second = given.pulses[line.of], given.pulses[line.other]
    lost = swallowed(first, second)
    if not lost:
        return []
    every = first.rises_seconds.size + second.rises_seconds.size
    rises, kept = np.concatenate([first.rises_seconds, second.rises_seconds]), either(first, second).rises_seconds
    at_once = np.intersect1d(first.rises_seconds, second.rises_seconds)
    covered = rises[~np.isin(rises, kept)]
    at = float(np.min(np.concatenate([at_once, covered])))
    why = [f"{at_once.size} of each rise at one instant"] if at_once.size else []
    why += ["the other is up already, and shorter pulses lose fewer"] if covered.size else []
    text = (
        f"{line.name}: {lost} of {every} edges of {line.of} and {line.other} {'is' if lost == 1 else 'are'} lost, "
        f"first at {style.number(at, 3)} s: {'; '.join(why)}."
    )
    return [PlayFinding("lost-edge", text, lost, at, line.name)]


def _silent(line: Edges, given: Given) -> list[PlayFinding]:
    """Steps of a row that make no edge."""
    if line.of not in given.rows:
        return []
    steps, played = given.rows[line.of]
    silent = silent_steps(steps, played, line.on_volts, line.off_volts)
    if not silent:
        return []
    names = ", ".join(str(one + 1) for one in silent)
    one = len(silent) == 1
    text = (
        f"{line.name}: {'step' if one else 'steps'} {names} of {line.of} {'makes' if one else 'make'} no edge, since "
        "the step before is high too: two high steps in a row are one edge. AND it with the clock for one each."
    )
    at = next(two.seconds for two in played if two.step == silent[0] and two.seconds > 0.0)
    return [PlayFinding("silent-step", text, len(silent), at, line.name)]


def _bands(line: Ratcheted, given: Given, style: Style) -> list[PlayFinding]:
    """Control voltages that stand close to a threshold."""
    clock = given.pulses[line.of]
    if not clock.rises_seconds.size:
        return []
    volts = given.levels[line.control].at(clock.rises_seconds)
    times = times_of(volts, line.thresholds)
    nearest = {one: nearest_threshold(one, line.thresholds) for one in np.unique(volts).tolist()}
    counts = ", ".join(f"×{k} for {int(np.sum(times == k))}" for k in np.unique(times).tolist())
    found = [PlayFinding("ratchets", f"{line.name}: {counts} of the {times.size} pulses of {line.of}.", 1, None)]
    worst = min(nearest, key=lambda one: nearest[one])
    apart = np.diff(line.thresholds)
    if nearest[worst] < min(_NEAR_VOLTS, _NEAR_SHARE * float(np.min(apart, initial=np.inf))):
        at = float(clock.rises_seconds[int(np.argmax(volts == worst))])
        text = (
            f"{line.name}: {line.control} stands at {style.volts(worst, 3)}, {style.engineering(nearest[worst], 'V')} "
            f"from the threshold beside ×{int(times_of(worst, line.thresholds))}; aim at the middle of its band."
        )
        found.append(PlayFinding("near-threshold", text, 1, at, line.name))
    return found


def _started(line: Envelope, made: Risen, given: Given, style: Style) -> PlayFinding:
    """How often each pulse starts an envelope."""
    count = int(given.pulses[line.of].rises_seconds.size)
    whole = style.engineering(line.attack_seconds + line.decay_seconds, "s")
    text = f"{line.name}: {_counted(count, 'pulse')} of {line.of}, {_counted(made.starts.size, 'start')}"
    at = float(made.starts[0]) if made.starts.size else None
    if made.again:
        at = made.first_again
        text += (
            f", {made.again} of them while the same pulse is still up: it outlasts the {whole} of attack and "
            "decay. A shorter pulse or a longer decay makes one of two"
        )
    elif made.held:
        attack = style.engineering(line.attack_seconds, "s")
        hold = "holds" if made.held == 1 else "hold"
        text += f"; {_counted(made.held, 'pulse')} longer than its attack of {attack} {hold} it at its peak"
    if made.short:
        text += f"; {_counted(made.short, 'start')} without reaching the peak"
    return PlayFinding("envelope", text + ".", int(made.starts.size), at, line.name)


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"
