"""Will a pitch output and an input fit: how far the notes used are off with nominal parts and at their limits.

The error is that of the chain from the note to the sound.  A constant error within reach of the input's own
tune knob is taken out before the rest is judged; `pitch_causes.py` says why and what to do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.link_chain import tuned_out
from dynamis.bench.chains.port_transfers import on_supply
from dynamis.bench.chains.tree import passes_on, path_in
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import AdoptionRecord, HeadRecord
from dynamis.bench.gear.knobs import NOT_TURNED, Turned, set_for_pitch
from dynamis.bench.judging.knob_findings import closed, to_turn, unknown_knobs
from dynamis.bench.judging.pitch_causes import Causes, PitchErrors
from dynamis.bench.judging.pitch_sides import Receiver, Sender, SideCache
from dynamis.bench.judging.sides import as_pitch
from dynamis.bench.judging.ways import other_ways
from dynamis.electrics.finding import Finding, cannot_tell
from dynamis.electrics.net import loaded
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import parse_tolerance

FloatArray = NDArray[np.float64]
_TOLD_CENTS = 0.05


def judge_pitch(
    bench: Bench,
    link: Link,
    sink: PortRef,
    adopted: AdoptionRecord | None = None,
    style: Style = Style(),
    sides: SideCache | None = None,
    takes: AdoptionRecord | None = None,
) -> tuple[list[Finding], float | None]:
    """Findings of one input of a pitch link, and the cents that decide: of the worst note, signed, or, where only
    limits decide, what it may come to.

    adopted : the correction in force for the unit looked at; it replaces the limits that it took out by its
    own expanded uncertainty.  takes : what was adopted for the input's own tracking.
    """
    sides = sides or SideCache()
    receiver, port = sides.receiver(bench, sink), bench.port(link.output)
    if receiver is None and passes_on(bench, sink):
        return [passed_on(bench, sink)], None
    if port.role != "pitch" and receiver is not None:
        port = as_pitch(bench, link, receiver.heard.law)
    unknown = _unknown(bench, link, sink, port, receiver)
    notes = link.whole_notes
    if notes.size == 0:
        unknown.append(cannot_tell("No whole note is used; give the lowest and the highest note."))
    if unknown or receiver is None:
        return unknown, None
    sender = sides.sender(bench, link, HeadRecord() if adopted is None else adopted.head, notes, port)
    if isinstance(sender, str):
        return [cannot_tell(sender)], None
    inputs = [bench.port(ref) for ref in link.inputs]
    receiver = turned_for(sender, receiver, inputs, link)
    findings, decides = judge_sides(sender, receiver, inputs, link.tolerance, adopted, style, takes)
    if port.through is None:
        return findings, decides
    share, _ = _shares(sender, inputs)[0]
    added = other_ways(bench, link, receiver.law, share, style)
    worst = max((abs(one.worst_cents) for one in added if one.finding.severity == "fault"), default=None)
    if worst is not None and "error" not in {one.code for one in findings}:
        decides = worst
    return [*findings, *(one.finding for one in added)], decides


def turned_for(sender: Sender, receiver: Receiver, inputs: Sequence[Port], link: Link) -> Receiver:
    """A receiver with its knobs where they are best for what a sender plays."""
    if not receiver.port.knobs:
        return receiver
    (share, bias), heard = _shares(sender, inputs)[0], receiver.heard
    above = receiver.octaves - sender.wanted
    allowed = link.allowed_cents(sender.notes)
    return replace(receiver, knobs=set_for_pitch(receiver.port, heard.law, share * sender.volts + bias, above, allowed))


def knobs_for(bench: Bench, path: Link, sink: PortRef) -> Turned:
    """The knobs of an input where the verdict of a path to it takes them; none while the pair cannot be told."""
    sides, port = SideCache(), bench.port(path.output)
    receiver = sides.receiver(bench, sink)
    if receiver is not None and port.role != "pitch":
        port = as_pitch(bench, path, receiver.heard.law)
    if receiver is None or _unknown(bench, path, sink, port, receiver) or not path.whole_notes.size:
        return NOT_TURNED
    sender = sides.sender(bench, path, HeadRecord(), path.whole_notes, port)
    if isinstance(sender, str):
        return NOT_TURNED
    return turned_for(sender, receiver, [bench.port(ref) for ref in path.inputs], path).knobs


def passed_on(bench: Bench, sink: PortRef) -> Finding:
    """What is told of an input that makes nothing of volts itself."""
    names = " and ".join(bench.label(ref) for ref in passes_on(bench, sink))
    return Finding("passes-on", "note", f"{bench.label(sink)} passes it on: what becomes of it is told of {names}.")


def reached_notes(bench: Bench, link: Link, sink: PortRef) -> tuple[FloatArray, NDArray[np.bool_]]:
    """The notes used, and which of them are reached and not below the volts where the input falls silent."""
    link, notes = path_in(bench, link, sink), link.whole_notes
    sides, port = SideCache(), bench.port(link.output)
    receiver = sides.receiver(bench, sink)
    if port.role != "pitch" and receiver is not None:
        port = as_pitch(bench, link, receiver.heard.law)
    sender = sides.sender(bench, link, HeadRecord(), notes, port)
    if receiver is None or isinstance(sender, str) or any(bench.port(ref).ohms is None for ref in link.inputs):
        return notes, np.ones(notes.size, bool)
    share, bias = _shares(sender, [bench.port(ref) for ref in link.inputs])[0]
    least = receiver.port.silent_below_volts
    return notes, ~sender.unreached & ((share * sender.volts + bias >= least) if least is not None else True)


def judge_sides(
    sender: Sender,
    receiver: Receiver,
    inputs: Sequence[Port],
    tolerance: str,
    adopted: AdoptionRecord | None = None,
    style: Style = Style(),
    takes: AdoptionRecord | None = None,
) -> tuple[list[Finding], float | None]:
    """As `judge_pitch`, of a sender with these inputs (the receiver's among them) on its output."""
    shut = closed(receiver.label, receiver.knobs)
    if shut:
        return shut, None
    errors = pitch_errors(sender, receiver, inputs, tolerance, adopted, takes)
    causes = Causes(sender, receiver, len(inputs), errors, style)
    verdict = _verdict(errors, adopted, style, on_supply(sender.port))
    k = errors.worst(np.abs(errors.left) + errors.limits)
    decides = verdict[0].value if verdict else None if k is None else float(np.abs(errors.left[k]) + errors.limits[k])
    told = [] if receiver.knobs is NOT_TURNED else to_turn(receiver.label, receiver.knobs, style)
    return [*verdict, *causes.findings(), *told], decides


def pitch_errors(
    sender: Sender,
    receiver: Receiver,
    inputs: Sequence[Port],
    tolerance: str,
    adopted: AdoptionRecord | None = None,
    takes: AdoptionRecord | None = None,
) -> PitchErrors:
    """The errors of a meeting, all causes at once: one row for each of them, the law taken over all rows."""
    shares = _shares(sender, inputs)
    heard, (share, bias) = receiver.heard, shares[0]
    at_input = share * sender.volts + bias
    sources = len(sender.sources)
    moves = bool(heard.offset_limit_volts) and takes is None
    rows = np.empty((sources + len(shares) + (1 if moves else 0), at_input.size))
    rows[0], rows[1 : sources + 1] = at_input, share * sender.moved + bias
    for moved_source in np.flatnonzero(sender.ohms_moved != sender.ohms):
        with_moved = _share(
            [float(sender.ohms_moved[moved_source]), *(port.ohms or 0.0 for port in inputs)],
            [port.rest_volts for port in inputs],
        )
        rows[1 + moved_source] = with_moved[0] * sender.moved[moved_source] + with_moved[1]
    for k, (one, more) in enumerate(shares[1:]):
        rows[sources + 1 + k] = one * sender.volts + more
    if moves:
        rows[-1] = at_input + heard.offset_limit_volts / abs(receiver.knobs.gain or 1.0)
    octaves = receiver.law.octaves(rows, strict=False)
    nominal = 1200.0 * (receiver.octaves + receiver.knobs.octaves + octaves[0] - sender.wanted)
    moved = 1200.0 * np.abs(octaves[1:] - octaves[0])
    if adopted is not None and adopted.head.kind != "nominal":
        took = ("dac.reference", "dac.offset", *(["dac.inl"] if adopted.head.kind == "table" else []))
        kept = [not source.endswith(took) for source in sender.sources] + [True] * (len(rows) - 1 - sources)
        limits = moved[np.array(kept, bool)].sum(axis=0) + adopted.expanded_cents
    else:
        limits = moved.sum(axis=0)
    if takes is not None:
        constant = abs(takes.constant_cents)
        tunes = constant <= 100.0 * receiver.port.tune_semitones
        left = max(0.0, takes.leaves_cents - constant) if tunes else takes.leaves_cents
        limits = limits + left + takes.expanded_cents
    elif heard.scale_limit:
        scale = (
            np.abs(octaves[0]) * heard.scale_limit
            if isinstance(heard.law, ExponentialLaw)
            else np.log2(1.0 + heard.scale_limit)
        )
        limits = limits + 1200.0 * scale
    allowed = _allowed(tolerance, float(sender.notes[0]), sender.notes.size)
    tuned = tuned_out(nominal, allowed, receiver.port.tune_semitones)
    released = None
    if sender.released is not None:
        left, rests = loaded(sender.released_ohms, [(port.ohms or 1.0, port.rest_volts) for port in inputs])
        released = left * sender.released + rests
    return PitchErrors(sender.notes, nominal, limits, allowed, share, bias, tuned, released)


@lru_cache(maxsize=64)
def _allowed(tolerance: str, first: float, count: int) -> FloatArray:
    """Cents allowed on `count` notes from the first on; not to be written to."""
    return parse_tolerance(tolerance).cents_at(first + np.arange(count))


def _shares(sender: Sender, inputs: Sequence[Port]) -> list[tuple[float, float]]:
    """What loading leaves of the output's volts, and what the inputs add: nominally, then with each resistance that
    has a limit at it."""
    rests = [port.rest_volts for port in inputs]
    ohms = [(sender.ohms, sender.ohms_limit), *((port.ohms or 0.0, port.ohms_limit) for port in inputs)]
    values = [ohm for ohm, _ in ohms]
    shares = [_share(values, rests)]
    for k, (ohm, limit) in enumerate(ohms):
        if limit and ohm:
            shares.append(_share([*values[:k], ohm * (1.0 + limit), *values[k + 1 :]], rests))
    return shares


def _share(ohms: Sequence[float], rests: Sequence[float]) -> tuple[float, float]:
    """Kirchhoff's law at a node of one output (the first) and its inputs, each behind its resistance at rest."""
    return loaded(ohms[0], list(zip(ohms[1:], rests, strict=True)))


def _unknown(bench: Bench, link: Link, sink: PortRef, port: Port, receiver: Receiver | None) -> list[Finding]:
    sends = port.law if port.through is None else "of what feeds it"
    lawless = [ref for ref, known in ((link.output, sends), (sink, receiver)) if known is None]
    findings = [
        cannot_tell(
            f"Cannot tell until you measure the pitch law of {bench.label(ref)}: three pairs of volts and hertz do."
        )
        for ref in lawless
    ]
    for ref in (link.output, *link.inputs):
        if bench.port(ref).ohms is None:
            how = "an open and a loaded reading give it" if ref == link.output else "a series resistor gives it"
            findings.append(cannot_tell(f"Cannot tell until you measure the resistance of {bench.label(ref)}: {how}."))
    return findings + unknown_knobs(bench, (link.output, sink))


def _verdict(errors: PitchErrors, adopted: AdoptionRecord | None, style: Style, on_supply: bool) -> list[Finding]:
    k = errors.worst(np.abs(errors.left))
    if k is not None and not abs(errors.left[k]) <= errors.allowed[k] + 1e-9:
        off, note = float(errors.left[k]), note_label(errors.notes[k], style)
        allowed, more = style.cents(errors.allowed[k]), float(errors.limits[k])
        besides = f", and up to {style.cents(more)} ct more with parts at their limits" if more >= _TOLD_CENTS else ""
        text = f"Note {note} would sound {style.cents(off, sign=True)} ct off{besides}; {allowed} are allowed."
        return [Finding("error", "fault", text, off, "ct")]
    k = errors.worst(np.abs(errors.left) + errors.limits)
    if k is None or abs(errors.left[k]) + errors.limits[k] <= errors.allowed[k] + 1e-9:
        return []
    total, note = float(abs(errors.left[k]) + errors.limits[k]), note_label(errors.notes[k], style)
    what = "calibrate this unit" if adopted is None else "prove it with a better meter, or tighten the other parts"
    if on_supply and adopted is None:
        what = (
            "its supply is its reference, so a calibration holds only for the supply as it stands then; give it a "
            "reference of its own"
        )
    text = (
        f"With parts at their limits note {note} may be {style.cents(total)} ct off; {style.cents(errors.allowed[k])} "
        f"are allowed: {what}."
    )
    return [Finding("error-at-limits", "marginal", text, total, "ct")]
