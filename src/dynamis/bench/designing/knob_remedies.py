"""What turning a knob does for a pair, before anything is built: the receiver's own, then the sender's."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from typing import Final

from msgspec.structs import replace

from dynamis.bench.chains.tree import path_in
from dynamis.bench.designing.remedy import Remedy
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import Knob, Port, PortRef
from dynamis.bench.gear.commands import set_knobs
from dynamis.bench.gear.knobs import Turned, turn_words, turned, value_words
from dynamis.bench.judging.pairs import PairFit, judge_pair
from dynamis.bench.judging.pitch_fit import knobs_for
from dynamis.bench.judging.swings import Swing, swing_at
from dynamis.electrics.finding import BEST_FIRST
from dynamis.errors import InputError
from dynamis.notation.style import Style

_TRIED: Final = 41
_CLOSER: Final = 24
# Turns that differ by less than this nobody sets apart.
_LEAST_TURN: Final = 0.002


def turns(bench: Bench, link: Link, fit: PairFit, style: Style) -> Iterator[Remedy]:
    """Knobs that are to be turned, each with where to."""
    port = bench.port(fit.input)
    free = [knob for knob in port.knobs if knob.reach is not None]
    if free and fit.role in ("pitch", "modulation"):
        yield from _turned_to(bench, fit.input, port, _best(bench, link, fit), style)
    elif free:
        yield from _searched(bench, link, fit, fit.input, style)
    if link.output != fit.input:
        yield from _searched(bench, link, fit, link.output, style)


def _best(bench: Bench, link: Link, fit: PairFit) -> Turned:
    """The receiver's knobs where they are best, wherever they stand now."""
    port = bench.port(fit.input)
    loose = tuple(replace(knob, at=None) for knob in port.knobs)
    freed = bench.with_port(fit.input, replace(port, knobs=loose))
    try:
        path = path_in(freed, link, fit.input)
        if fit.role == "pitch":
            return knobs_for(freed, path, fit.input)
        swing = swing_at(freed, path, fit.input)
    except InputError:  # which the pair tells
        return Turned()
    return swing.knobs if isinstance(swing, Swing) else Turned()


def _turned_to(bench: Bench, ref: PortRef, port: Port, knobs: Turned, style: Style) -> Iterator[Remedy]:
    """One remedy that turns all of them that are not there already."""
    now = {knob.name: knob.at for knob in port.knobs}
    shares = {knob.name: knob.share_of(knobs.value(knob)) for knob in knobs.knobs}
    moved = {name: share for name, share in shares.items() if not _there(now[name], share)}
    if moved:
        yield _remedy(bench, ref, [knob for knob in knobs.knobs if knob.name in moved], moved, style)


def _there(at: float | None, share: float) -> bool:
    return at is not None and abs(at - share) < _LEAST_TURN


def _searched(bench: Bench, link: Link, fit: PairFit, ref: PortRef, style: Style) -> Iterator[Remedy]:
    """Each knob of a port by itself, where the pair is best; found by trying."""
    for knob in turned(bench.port(ref)).knobs:
        bad = partial(_tried, bench, link, fit.input, ref, knob.name)
        share = _least_bad(knob, bad)
        if not _there(knob.at, share) and bad(share)[:2] < _badness(fit, 0.0)[:2]:
            yield _remedy(bench, ref, [knob], {knob.name: share}, style)


def _tried(bench: Bench, link: Link, sink: PortRef, ref: PortRef, name: str, share: float) -> tuple[float, ...]:
    """How bad a pair is with a knob at a share of its turn."""
    return _badness(judge_pair(set_knobs(bench, ref, {name: share}).bench, link, sink), share)


def _least_bad(knob: Knob, bad: Callable[[float], tuple[float, ...]]) -> float:
    if knob.steps:
        count = max(1, len(knob.steps) - 1)
        return min((k / count for k in range(len(knob.steps))), key=bad)
    shares = [k / (_TRIED - 1) for k in range(_TRIED)]
    best = min(shares, key=bad)
    low, high = max(0.0, best - 1.0 / (_TRIED - 1)), min(1.0, best + 1.0 / (_TRIED - 1))
    for _ in range(_CLOSER):
        first, second = low + (high - low) / 3.0, high - (high - low) / 3.0
        low, high = (low, second) if bad(first) <= bad(second) else (first, high)
    return min((best, (low + high) / 2.0), key=bad)


def _badness(fit: PairFit, share: float) -> tuple[float, ...]:
    """By verdict, then by the number that decides: fewer cents, more volts or more of the swing are better; of equals
    the one that is turned up further."""
    value = 0.0 if fit.value is None else abs(fit.value) if fit.unit == "ct" else -fit.value
    return float(BEST_FIRST.index(fit.verdict)), round(value, 1 if fit.unit == "%" else 6), -share


def _remedy(bench: Bench, ref: PortRef, knobs: Sequence[Knob], shares: Mapping[str, float], style: Style) -> Remedy:
    own = {knob.name: knob for knob in bench.port(ref).knobs}
    values = {knob.name: knob.value_at(shares[knob.name]) for knob in knobs}
    to = " and ".join(f"{knob.name} to {turn_words(knob, values[knob.name], style)}" for knob in knobs)
    said = [
        f"{knob.name}: {value_words(knob, values[knob.name], style)} there; {_stands(own[knob.name], style)}."
        for knob in knobs
    ]

    def command(one: Bench) -> Change:
        return set_knobs(one, ref, shares)

    return Remedy("knob", f"Turn {to}", f"On {bench.label(ref)}. {' '.join(said)}", command)


def _stands(knob: Knob, style: Style) -> str:
    if knob.at is None:
        return "nobody said where it stands"
    return f"it stands at {turn_words(knob, knob.value_at(knob.at), style)}"
