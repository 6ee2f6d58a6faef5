"""Will a gate or trigger fit: levels at the input after loading, against its thresholds and limits.

An output is driven (two levels behind a resistance) or a contact to ground; an input goes on above a
threshold, or is held high by a pull-up and goes on when it is shorted.  Source of both kinds and of the
reserve that makes a margin comfortable (0.4 V, the noise margin of TTL, JEDEC JESD8C.01; or a tenth of
the swing): common practice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from dynamis.electrics.finding import Finding, FitVerdict, Severity, verdict_of
from dynamis.electrics.net import loaded
from dynamis.electrics.span import Span
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain

_RESERVE_VOLTS: Final = 0.4
_RESERVE_OF_SWING: Final = 0.1
# More or less than this no pin of a 5 V rail bears for sure; common practice, no source.
USUAL_LOW_VOLTS, USUAL_HIGH_VOLTS = -0.3, 5.5
_MOST_VOLTS, _MOST_OHMS = 1e6, 1e15


@dataclass(frozen=True)
class GateOutput:
    """An output.

    kind : "driven" between two levels behind `ohms`, or a "switch" of `ohms` to ground, on when closed.
    absolute_limits : what it stands from outside.  clamp : the volts between which diodes hold its node.
    """

    kind: Literal["driven", "switch"] = "driven"
    low_volts: float = 0.0
    high_volts: float = 0.0
    ohms: float = 1000.0
    absolute_limits: Span = Span()
    clamp: Span = Span()

    def __post_init__(self) -> None:
        _check_sizes((self.low_volts, self.high_volts, self.absolute_limits.low, self.absolute_limits.high), self.ohms)
        if self.low_volts > self.high_volts:
            raise _crossed("The output's low level", self.low_volts, "its high level", self.high_volts)
        if self.ohms < 0:
            raise InputError(f"The output's resistance is {plain(self.ohms)} Ω; it cannot be below 0.")
        _check_span(self.absolute_limits, "The output's limits")


@dataclass(frozen=True)
class GateInput:
    """An input.

    kind : "positive" goes on above `on_volts` and off below `off_volts`, with `ohms` to ground (or to what it rests
    at, `pullup_volts`);
    "shorting" has a pull-up of `ohms` to `pullup_volts`, goes on below `on_volts` and off above `off_volts`.
    works, absolute_limits : the range it is made for, and what it survives.  rail_volts : the receiver's own rail, with
    which its limits were given and move; None where that is not known.
    """

    on_volts: float
    off_volts: float
    kind: Literal["positive", "shorting"] = "positive"
    ohms: float = 100e3
    pullup_volts: float = 0.0
    works: Span = Span()
    absolute_limits: Span = Span()
    rail_volts: float | None = None

    def __post_init__(self) -> None:
        spans = self.works.low, self.works.high, self.absolute_limits.low, self.absolute_limits.high
        _check_sizes((self.on_volts, self.off_volts, self.pullup_volts, *spans), self.ohms)
        if self.ohms <= 0:
            raise InputError(f"The input's resistance is {plain(self.ohms)} Ω; it has to be above 0.")
        if self.kind == "positive" and self.off_volts > self.on_volts:
            raise _crossed("The input's off threshold", self.off_volts, "its on threshold", self.on_volts)
        if self.kind == "shorting" and self.on_volts > self.off_volts:
            raise _crossed("The shorting input's on threshold", self.on_volts, "its off threshold", self.off_volts)
        _check_span(self.absolute_limits, "The input's limits")
        _check_span(self.works, "The input's working range")
        for volts in (self.works.low, self.works.high):
            if volts is not None and self.absolute_limits.outside(volts):
                raise InputError(f"The input's working range reaches {plain(volts)} V, beyond its own limits.")


@dataclass(frozen=True)
class GateFit:
    """How an output and an input meet.

    low_volts, high_volts : at the input, all inputs plugged in.  on_margin, off_margin : volts to spare at
    the two thresholds, negative where short.
    """

    verdict: FitVerdict
    low_volts: float
    high_volts: float
    on_margin_volts: float
    off_margin_volts: float
    findings: tuple[Finding, ...]


def moved(output: GateOutput, share: float) -> GateOutput:
    """An output whose levels are another share of what they should be; a contact stays as it is."""
    if output.kind == "switch":
        return output
    low, high = sorted((output.low_volts * share, output.high_volts * share))
    return replace(output, low_volts=low, high_volts=high)


def levels_at(output: GateOutput, sink: GateInput, count: int, beside: Sequence[GateInput] = ()) -> tuple[float, float]:
    """(low, high) volts of one output with `count` such inputs and others beside them; by Kirchhoff's law."""
    inputs = ((count, sink), *((1, one) for one in beside))
    left, rest = loaded(output.ohms, [(one.ohms / number, one.pullup_volts) for number, one in inputs])
    if output.kind == "switch":
        return rest, sum(n * one.pullup_volts / one.ohms for n, one in inputs) / sum(n / one.ohms for n, one in inputs)
    return output.clamp.held(output.low_volts * left + rest), output.clamp.held(output.high_volts * left + rest)


def judge_gate(
    output: GateOutput, sink: GateInput, count: int = 1, style: Style = Style(), beside: Sequence[GateInput] = ()
) -> GateFit:
    """Judge an output on `count` such inputs, any number of which may be plugged in.

    style : of the texts.  beside : other inputs on the same output, plugged in or not.
    """
    if count < 1:
        raise InputError(f"The number of inputs is {count}; at least 1 was expected.")
    low, high = levels_at(output, sink, count, beside)
    if sink.kind == "positive":
        on_margin_volts, off_margin_volts = high - sink.on_volts, sink.off_volts - low
    else:
        on_margin_volts, off_margin_volts = sink.on_volts - low, high - sink.off_volts
    findings = [*_limits(output, sink, count, style, beside), *_kind(output, sink), *_working(sink, (low, high), style)]
    if not any(one.code == "trigger-kind" for one in findings):
        findings += _margins(sink, count + len(beside), (low, high), on_margin_volts, off_margin_volts, style)
    findings += _unknown(output, sink, count, verdict_of(findings), style, beside)
    return GateFit(verdict_of(findings), low, high, on_margin_volts, off_margin_volts, tuple(findings))


def _limits(
    output: GateOutput, sink: GateInput, count: int, style: Style, beside: Sequence[GateInput]
) -> list[Finding]:
    """Beyond a limit of either side, with one input plugged in or with all: what lies between is less."""
    by_code: dict[str, Finding] = {}
    every = count + len(beside)
    lifting = [one for one in beside if one.kind == "shorting"]
    loading = [one for one in beside if one.kind == "positive"]
    for number, others in ((1, []), (count, list(beside)), (1, lifting), (count, loading)):
        for volts in levels_at(output, sink, number, others):
            plugged = "" if every == 1 else f" with {number + len(others)} of {every} inputs plugged in"
            for side, absolute_limits in (("input", sink.absolute_limits), ("output", output.absolute_limits)):
                over = absolute_limits.outside(volts)
                code = f"{side}-{'over' if over > 0 else 'under'}-limit"
                if not over or (code in by_code and abs(over) <= abs(by_code[code].value or 0.0)):
                    continue
                limit = absolute_limits.high if over > 0 else absolute_limits.low
                cause = " fed by the input's pull-up" if side == "output" and sink.kind == "shorting" else ""
                by_code[code] = Finding(
                    code,
                    "danger",
                    f"The {side} meets {style.volts(volts, 2)}{cause}{plugged} and bears {style.volts(limit, 2)}: "
                    f"{style.volts(abs(over), 2)} too {'high' if over > 0 else 'low'}. Do not join them; "
                    f"{'divide or clamp the level' if side == 'input' else 'put a transistor between'} first.",
                    over,
                    "V",
                )
    return list(by_code.values())


def _unknown(
    output: GateOutput, sink: GateInput, count: int, verdict: FitVerdict, style: Style, beside: Sequence[GateInput]
) -> list[Finding]:
    """Volts beyond what any usual pin bears, at a side whose limit nobody gave."""
    met = [levels_at(output, sink, 1), levels_at(output, sink, count, beside)]
    every = [volts for levels in met for volts in levels]
    own = (output.low_volts, output.high_volts)
    pairs = [pair for levels in met for pair in zip(levels, own, strict=True)]
    contact = output.kind == "switch"
    lifted = [volts for volts, mine in pairs if contact or volts > mine + 1e-9]
    pulled = [volts for volts, mine in pairs if contact or volts < mine - 1e-9]
    sides = (
        ("input", sink.absolute_limits, every, every),
        ("output", output.absolute_limits, lifted, [v for v in pulled if v < min(own)]),
    )
    findings = []
    for side, absolute_limits, above, below in sides:
        high, low = max(above, default=0.0), min(below, default=0.0)
        over = [high] if absolute_limits.high is None and high > USUAL_HIGH_VOLTS else []
        under = [low] if absolute_limits.low is None and low < USUAL_LOW_VOLTS else []
        for volts in (*over, *under):
            starts = (
                f"Fits, if the {side} bears" if verdict in ("fits", "marginal") else f"Besides, the {side} has to bear"
            )
            pins = (
                f"a pin of a 3.3 V rail bears about {style.volts(3.6, 1)}, of a 5 V one {style.volts(5.3, 1)}"
                if volts > 0
                else f"a pin bears about {style.volts(-0.3, 1)}"
            )
            text = (
                f"{starts} {style.volts(volts, 2)}: its limit is not known here, and {pins}. Look it up before you "
                "join them."
            )
            findings.append(Finding("unknown-limit", "note", text, volts, "V"))
    return findings


def _kind(output: GateOutput, sink: GateInput) -> list[Finding]:
    if (output.kind, sink.kind) == ("driven", "shorting"):
        sentence = (
            "A positive gate meets a shorting input: it would sound while keys are up. A transistor to ground turns it "
            "round."
        )
    elif (output.kind, sink.kind) == ("switch", "positive"):
        sentence = (
            "A contact to ground meets an input without a pull-up: it never goes on. It needs a pull-up and something "
            "that turns it round."
        )
    else:
        return []
    return [Finding("trigger-kind", "fault", sentence)]


def _working(sink: GateInput, level_volts: tuple[float, float], style: Style) -> list[Finding]:
    worst = max((sink.works.outside(volts) for volts in level_volts), key=abs)
    if not worst:
        return []
    volts = next(one for one in level_volts if sink.works.outside(one) == worst)
    limit = sink.works.high if worst > 0 else sink.works.low
    direction, bound = "up" if worst > 0 else "down", style.volts(limit, 2)
    sentence = (
        f"The input gets {style.volts(volts, 2)} and works {direction} to {bound}: it may survive and still misbehave. "
        "Divide or clamp the level."
    )
    return [Finding("outside-working-range", "fault", sentence, worst, "V")]


def _margins(
    sink: GateInput,
    count: int,
    level_volts: tuple[float, float],
    on_margin_volts: float,
    off_margin_volts: float,
    style: Style,
) -> list[Finding]:
    low, high = level_volts
    findings = []
    loaded = "" if count == 1 else f" with {count} inputs on the output"
    for code, margin, threshold, word in (
        ("on-level", on_margin_volts, sink.on_volts, "on"),
        ("off-level", off_margin_volts, sink.off_volts, "off"),
    ):
        rises = (sink.kind == "positive") == (word == "on")
        level, side = (high, "above") if rises else (low, "below")
        severity: Severity
        if margin < 0:
            severity, spare = "fault", f"{style.volts(-margin, 2)} short. It needs another level"
        elif margin < _RESERVE_VOLTS and margin < _RESERVE_OF_SWING * (high - low):
            severity, spare = (
                "marginal",
                f"only {style.volts(margin, 2)} to spare. Prove it, or give it another level",
            )
        else:
            continue
        meets, gets = style.volts(threshold, 2), style.volts(level, 2)
        text = f"The input goes {word} {side} {meets} and gets {gets}{loaded}: {spare}."
        findings.append(Finding(code, severity, text, margin, "V"))
    return findings


def _check_sizes(volts: tuple[float | None, ...], ohms: float) -> None:
    for value, most, unit in (*((one, _MOST_VOLTS, "V") for one in volts if one is not None), (ohms, _MOST_OHMS, "Ω")):
        if not abs(value) <= most:
            raise InputError(f"{plain(value)} {unit} is of no size that a gate has; at most {plain(most)} {unit}.")


def _crossed(first: str, low_volts: float, second: str, high_volts: float) -> InputError:
    return InputError(f"{first}, {plain(low_volts)} V, is above {second}, {plain(high_volts)} V.")


def _check_span(span: Span, what: str) -> None:
    if span.low is not None and span.high is not None and span.low > span.high:
        are = "is" if what.endswith("range") else "are"
        raise InputError(f"{what} {are} crossed: {plain(span.low)} V is above {plain(span.high)} V.")
