"""Will a modulation output and an input fit: which share of the swing acts, and what bends it.

An input acts between two levels, round the bias that it sits on; what swings beyond them is lost.  A
potentiometer on either side is loaded into a curve.  Sources: Kirchhoff's laws; which share matters is common
practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from dynamis.bench.chains.node import driving
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef, SwingRecord
from dynamis.bench.gear.knobs import NOT_TURNED, Turned, set_for_swing
from dynamis.bench.judging.audio import coupling, unknown_of
from dynamis.bench.judging.knob_findings import closed, to_turn, unknown_knobs
from dynamis.bench.judging.sides import arriving, own_ohms, sent_swing, sent_volts
from dynamis.electrics.finding import Finding, Severity, cannot_tell
from dynamis.electrics.net import parallel
from dynamis.electrics.potentiometer import LoadedPot
from dynamis.notation.style import Style
from dynamis.transfer.registry import REGISTRY

_ALL: Final = 0.98
_USEFUL: Final = 0.5
_BENDS, _BENDS_MUCH = 0.05, 0.25
# The share of a swing that loading takes; common practice, no source.
_LOADED, _LOADED_MUCH = 0.05, 0.25


@dataclass(frozen=True)
class Swing:
    """What arrives: volts between which the signal swings behind the input's own knobs, and between which it acts.

    jack_low, jack_high : the swing at the jack, ahead of the knobs.
    """

    low: float
    high: float
    acts_low: float
    acts_high: float
    bias: float | None
    jack_low: float
    jack_high: float
    knobs: Turned = NOT_TURNED

    @property
    def acting(self) -> float:
        """The share of the swing that acts."""
        width = self.high - self.low
        return max(0.0, min(self.high, self.acts_high) - max(self.low, self.acts_low)) / width if width > 0 else 0.0

    @property
    def used(self) -> float:
        """The share of the input's range that is reached."""
        width = self.acts_high - self.acts_low
        return self.acting * (self.high - self.low) / width if width > 0 else 0.0

    @property
    def wants(self) -> tuple[float, float]:
        """(gain, offset in volts) of a circuit ahead of the jack that brings the swing to the range."""
        low, high = self.acts_at_jack
        gain = (high - low) / (self.jack_high - self.jack_low)
        return gain, low - gain * self.jack_low

    @property
    def acts_at_jack(self) -> tuple[float, float]:
        """Between which volts at the jack the input acts, its knobs where they are."""
        gain = self.knobs.gain if self.knobs.gain > 0 else 1.0
        low, high = ((volts - self.knobs.offset_volts) / gain for volts in (self.acts_low, self.acts_high))
        return low, high


def swing_at(bench: Bench, link: Link, sink: PortRef, style: Style = Style()) -> Swing | list[Finding]:
    """What arrives at an input, all inputs plugged in; or what has to be measured first."""
    takes, unknown, output = bench.port(sink).swing or SwingRecord(), [], bench.port(link.output)
    if output.role == "audio":
        unknown += unknown_of(bench, link.output, link)
    elif sent_volts(bench, link) is None:
        unknown.append(
            cannot_tell(f"Cannot tell until you measure between which volts {bench.label(link.output)} swings.")
        )
    if takes.low_volts is None or takes.high_volts is None:
        unknown.append(cannot_tell(f"Cannot tell until you measure between which volts {bench.label(sink)} acts."))
    elif takes.high_volts <= takes.low_volts:
        unknown.append(
            cannot_tell(
                f"Cannot tell: {bench.label(sink)} is said to act from {style.volts(takes.low_volts, 2)} to "
                f"{style.volts(takes.high_volts, 2)}, which moves nothing. Measure at which volts it begins and ends."
            )
        )
    unknown += [
        cannot_tell(
            f"Cannot tell about {bench.label(link.output)}: {stored.kind!r} between is not known to this program."
        )
        for stored in link.between
        if not REGISTRY.knows(stored)
    ]
    unknown += unknown_knobs(bench, (link.output, sink))
    for ref, value in ((link.output, own_ohms(output)), *((one, bench.port(one).ohms) for one in link.inputs)):
        if value is None:
            unknown.append(cannot_tell(f"Cannot tell until you measure the resistance of {bench.label(ref)}."))
    sent = None if unknown else sent_swing(bench, link)
    arrives = None if sent is None else arriving(bench, link, sent)
    if arrives is None or takes.low_volts is None or takes.high_volts is None:
        return unknown or [
            cannot_tell(f"Cannot tell what comes out of the circuits behind {bench.label(link.output)}.")
        ]
    knobs = set_for_swing(bench.port(sink), *arrives, takes.low_volts, takes.high_volts)
    low, high = sorted(knobs.gain * volts + knobs.offset_volts for volts in arrives)
    return Swing(low, high, takes.low_volts, takes.high_volts, takes.bias_volts, *arrives, knobs)


def judge_swing(bench: Bench, link: Link, sink: PortRef, style: Style) -> tuple[list[Finding], float | None]:
    """Findings of one modulation input, and the share of the swing that acts, in per cent."""
    swing = swing_at(bench, link, sink, style)
    if not isinstance(swing, Swing):
        return swing, None
    findings = [
        *_limits(bench, link, sink, swing, style),
        *_loading(bench, link, sink, swing, style),
        *_polarity(bench, sink, swing, style),
        *_bends(bench, link, sink, style),
        *_curves(bench, link, sink),
        *to_turn(bench.label(sink), swing.knobs, style),
    ]
    most = max(abs(swing.jack_low), abs(swing.jack_high))
    findings += coupling(bench, link, most, 0.9 * most, style)
    return findings, 100.0 * swing.acting


def _limits(bench: Bench, link: Link, sink: PortRef, swing: Swing, style: Style) -> list[Finding]:
    """Beyond what the input bears, or the output where nothing stands between."""
    findings = []
    sides = [("input", sink)] if link.between else [("input", sink), ("output", link.output)]
    for side, ref in sides:
        limits = bench.port(ref).bears
        for volts in (swing.jack_high, swing.jack_low):
            over = limits.span.outside(volts)
            if over:
                text = (
                    f"{bench.label(ref)} may get {style.volts(volts, 2)} and bears {style.volts(volts - over, 2)}: "
                    "divide "
                    "or clamp before they are joined."
                )
                findings.append(Finding(f"{side}-{'over' if over > 0 else 'under'}-limit", "danger", text, over, "V"))
    return findings


def _loading(bench: Bench, link: Link, sink: PortRef, swing: Swing, style: Style) -> list[Finding]:
    """What the inputs take of the swing by hanging on the output's resistance."""
    sent = sent_swing(bench, link)
    if sent is None or sent.high <= sent.low:
        return []
    lost = 1.0 - (swing.jack_high - swing.jack_low) / (sent.high - sent.low)
    if lost < _LOADED:
        return []
    count = len(link.inputs)
    what = f"{count} inputs take" if count > 1 else f"{bench.label(sink)} takes"
    text = (
        f"{what} {style.share(lost, 0)} of the swing of {bench.label(link.output)}, behind "
        f"{style.engineering(sent.ohms, 'Ω')}: {style.volts(sent.low, 2)} to {style.volts(sent.high, 2)} arrive as "
        f"{style.volts(swing.jack_low, 2)} to {style.volts(swing.jack_high, 2)}. A buffer keeps it."
    )
    return [Finding("loading", "marginal" if lost >= _LOADED_MUCH else "note", text, -100.0 * lost, "%")]


def _polarity(bench: Bench, sink: PortRef, swing: Swing, style: Style) -> list[Finding]:
    name, acting = bench.label(sink), swing.acting
    gets = f"{style.volts(swing.low, 2)} to {style.volts(swing.high, 2)}"
    acts = f"{style.volts(swing.acts_low, 2)} to {style.volts(swing.acts_high, 2)}"
    share = style.share(acting, 0)
    shut = closed(name, swing.knobs)
    if shut:
        return shut
    if swing.high <= swing.low:
        return [cannot_tell(f"Cannot tell about {name}: the signal does not swing, {gets}.")]
    gain, offset = swing.wants
    cure = f"A gain of {style.number(gain, 3)} and an offset of {style.volts(offset, 3, sign=True)} bring it there."
    if acting < _ALL:
        biased = swing.bias is not None and abs(swing.bias) > 0.02 * (swing.acts_high - swing.acts_low)
        off_centre = abs((swing.high + swing.low) / 2.0 - (swing.bias or 0.0)) > 0.1 * (
            swing.acts_high - swing.acts_low
        )
        if biased and off_centre:
            text = (
                f"{name} sits on {style.volts(swing.bias, 2)} and acts from {acts}; it gets {gets}, so {share} of the "
                f"swing still acts: the bias has to be added, an attenuator alone will not do. {cure}"
            )
            return [Finding("bias-missing", "fault", text, 100.0 * acting, "%")]
        if swing.low < 0 <= swing.acts_low:
            text = f"{name} acts from {acts} and gets {gets}: {share} of the swing acts, the rest is lost. {cure}"
            return [Finding("bipolar-into-unipolar", "fault", text, 100.0 * acting, "%")]
        text = f"{name} acts from {acts} and gets {gets}: {share} of the swing acts, at its ends nothing moves. {cure}"
        return [Finding("swing-cut", "fault" if acting < _USEFUL else "marginal", text, 100.0 * acting, "%")]
    used = style.share(swing.used, 0)
    if swing.acts_low < 0 <= swing.low and swing.used < 0.75:
        text = f"{name} acts from {acts} and gets {gets}: it is moved to one side only, {used} of its range. {cure}"
        return [Finding("unipolar-into-bipolar", "marginal", text, 100.0 * swing.used, "%")]
    if swing.used < _USEFUL:
        text = f"{name} acts from {acts} and gets {gets}, {used} of its range. {cure}"
        return [Finding("swing-short", "note", text, 100.0 * swing.used, "%")]
    return []


def _curves(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    """An output that moves otherwise between its ends than the input acts."""
    sends, acts = (bench.port(ref).swing or SwingRecord() for ref in (link.output, sink))
    if sends.curve == acts.curve:
        return []
    if "linear" in (sends.curve, acts.curve):
        after = "the ends meet, and half-way of the one is not half-way of the other"
    else:
        after = "the two bend against each other; how even it comes out only readings tell"
    moves = f"{bench.label(link.output)} moves {_EVENLY[sends.curve]}"
    text = f"{moves}, {bench.label(sink)} acts {_EVENLY[acts.curve]}: {after}."
    return [Finding("curve-differs", "note", text)]


_EVENLY = {"linear": "evenly", "exponential": "exponentially", "logarithmic": "logarithmically"}


def loaded_pots(bench: Bench, link: Link, sink: PortRef) -> list[tuple[LoadedPot, str, str]]:
    """The potentiometers at either end of a lead, as they are loaded; each with its name and what loads it."""
    output, findings = bench.port(link.output), []
    loads = [bench.port(one).ohms for one in link.inputs]
    if output.pot is not None and output.pot.ohms and not link.between:
        load = parallel(loads)
        loaded = LoadedPot(output.pot.ohms, output.pot.fed_volts or 1.0, output.pot.fed_ohms, load)
        findings.append((loaded, bench.label(link.output), bench.label(sink)))
    pot, driven = bench.port(sink).pot, driving(bench, link)
    if pot is not None and pot.ohms and pot.load_ohms and driven is not None:
        sends = sent_volts(bench, link)
        fed = 1.0 if sends is None else max(sends, key=abs) or 1.0
        loaded = LoadedPot(pot.ohms, fed, driven.ohms, pot.load_ohms)
        findings.append((loaded, f"the knob of {bench.label(sink)}", "what its wiper feeds"))
    return findings


def _bends(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    """The curve that a load makes of a potentiometer."""
    return [one for pot, name, into in loaded_pots(bench, link, sink) for one in _bend(pot, name, into, style)]


def _bend(loaded: LoadedPot, name: str, into: str, style: Style) -> list[Finding]:
    _, off = loaded.bend
    ideal = loaded.fed_volts
    if abs(off) < _BENDS:
        return []
    severity: Severity = "fault" if abs(off) >= _BENDS_MUCH else "marginal"
    half = float(loaded.volts(0.5))
    text = (
        f"{name[0].upper()}{name[1:]}, {style.engineering(loaded.ohms, 'Ω')}, into "
        f"{style.engineering(loaded.load_ohms, 'Ω')} "
        f"of {into} bends by {style.share(abs(off), 0)} of its reach: half-way gives "
        f"{style.volts(half, 2)} of "
        f"{style.volts(loaded.reach_volts, 2)}, fully up {style.volts(loaded.reach_volts, 2)} of "
        f"{style.volts(ideal, 2)}. A "
        "buffer straightens it."
    )
    return [Finding("pot-loaded", severity, text, 100.0 * off, "%")]
