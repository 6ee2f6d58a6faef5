"""Will a pitch output and an input fit: how far the notes used are off, why, and what to do.

The error is that of the chain from the note to the sound; the causes are told from the two laws and the
node.  A constant error within reach of the input's own tune knob is taken out before the rest is judged.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains import LinkChain, aim_volts, heard_by, link_chain, link_net
from dynamis.bench.document import AdoptionRecord, Bench, HeadRecord, Link, PortRef, VoltSpan
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.finding import Finding, Severity
from dynamis.electrics.gates import Span
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, Law, parse_law
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.chain import Chain
from dynamis.transfer.law import PitchSource
from dynamis.transfer.parameter import NOMINAL, World
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]
_LEAST_CENTS = 0.05


@dataclass(frozen=True, eq=False)
class _Errors:
    """Cents by note: with nominal parts (what tune takes out is out), what limits may add, and what is allowed."""

    notes: FloatArray
    nominal: FloatArray
    limits: FloatArray
    allowed: FloatArray

    def worst(self, size: FloatArray) -> int | None:
        """Where a size is furthest beyond what is allowed; None where no note is judged."""
        beyond = size - self.allowed
        return None if np.all(np.isnan(beyond)) else int(np.nanargmax(beyond))


def judge_pitch(
    bench: Bench, link: Link, sink: PortRef, adopted: AdoptionRecord | None = None, style: Style = Style()
) -> list[Finding]:
    """Findings of one input of a pitch link.

    adopted : the correction in force for the unit looked at; it replaces the limits that it took out by its
    own expanded uncertainty.
    """
    unknown = _unknown(bench, link, sink)
    if unknown:
        return unknown
    head = HeadRecord() if adopted is None else adopted.head
    made = link_chain(bench, link, head, sink)
    if made.chain is None:
        return [Finding("unknown-value", "note", made.sentence)]
    notes = np.arange(np.ceil(link.low_note), np.floor(link.high_note) + 1e-9)
    if notes.size == 0:
        return [Finding("unknown-value", "note", "No whole note is used; give the lowest and the highest note.")]
    errors = _errors(bench, link, sink, made, notes, adopted)
    causes = _Causes(bench, link, sink, made.chain, errors, style)
    return [*_verdict(errors, adopted, style), *causes.laws(), *causes.loading(), *causes.range(), *causes.volts()]


def _unknown(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    found = []
    for ref in (link.output, sink):
        port = bench.port(ref)
        heard = heard_by("heard", port, EqualTemperament()) if port.direction == "input" else None
        if port.law is None and heard is None:
            found.append(Finding("unknown-value", "note", f"Cannot tell until you measure the pitch law of "
                                                          f"{bench.label(ref)}: three pairs "
                                 "of volts and hertz give it."))  # fmt: skip
    for ref in (link.output, *link.inputs):
        if bench.port(ref).ohms is None:
            how = "an open and a loaded reading give it" if ref == link.output else "a series resistor gives it"
            found.append(
                Finding(
                    "unknown-value",
                    "note",
                    f"Cannot tell until you measure the resistance of {bench.label(ref)}: {how}.",
                )
            )
    return found


def _errors(
    bench: Bench, link: Link, sink: PortRef, made: LinkChain, notes: FloatArray, adopted: AdoptionRecord | None
) -> _Errors:
    assert made.chain is not None
    nominal = made.chain.error_cents(notes, made.true)
    removed: set[str] = set()
    limits = np.zeros(notes.shape)
    if adopted is not None and adopted.head.kind != "nominal":
        removed = {f"{one.id}.{part}" for one in made.chain.transfers if isinstance(one, DacTransfer)
                   for part in ("reference", "offset", *(["inl"] if adopted.head.kind == "table" else []))}  # fmt: skip
        limits += adopted.expanded_cents
    for share in made.chain.budget(notes, made.true):
        if share.source not in removed and np.any(share.standard_cents > 0):
            limits = limits + np.abs(share.cents)
    allowed = parse_tolerance(link.tolerance).cents_at(notes)
    return _Errors(notes, nominal - _tuned(nominal, allowed, bench.port(sink).tune_semitones), limits, allowed)


def _tuned(cents: FloatArray, allowed: FloatArray, semitones: float) -> float:
    """What the tune knob takes out, so that the worst note is as good as can be; cents."""
    judged = np.isfinite(cents - allowed)
    if semitones <= 0 or not np.any(judged):
        return 0.0
    high, low = np.max((cents - allowed)[judged]), np.min((cents + allowed)[judged])
    return float(np.clip((high + low) / 2.0, -100.0 * semitones, 100.0 * semitones))


def _verdict(errors: _Errors, adopted: AdoptionRecord | None, style: Style) -> list[Finding]:
    k = errors.worst(np.abs(errors.nominal))
    if k is not None and not abs(errors.nominal[k]) <= errors.allowed[k] + 1e-9:
        off, note = float(errors.nominal[k]), note_label(errors.notes[k], style)
        allowed = style.cents(errors.allowed[k])
        text = f"Note {note} would sound {style.cents(off, sign=True)} ct off; {allowed} are allowed."
        return [Finding("error", "fault", text, off, "ct")]
    k = errors.worst(np.abs(errors.nominal) + errors.limits)
    if k is None or abs(errors.nominal[k]) + errors.limits[k] <= errors.allowed[k] + 1e-9:
        return []
    total, note = float(abs(errors.nominal[k]) + errors.limits[k]), note_label(errors.notes[k], style)
    what = "calibrate this unit" if adopted is None else "prove it with a better meter, or tighten the other parts"
    text = (
        f"With parts at their limits note {note} may be {style.cents(total)} ct off; {style.cents(errors.allowed[k])} "
        f"are allowed: {what}."
    )
    return [Finding("error-at-limits", "marginal", text, total, "ct")]


class _Causes:
    """What the errors come from, each with its own number."""

    def __init__(self, bench: Bench, link: Link, sink: PortRef, chain: Chain, errors: _Errors, style: Style) -> None:
        self.bench, self.link, self.sink, self.chain, self.errors, self.style = bench, link, sink, chain, errors, style
        heard = heard_by("heard", bench.port(sink), EqualTemperament(bench.a4_hertz))
        assert heard is not None
        self.sent: Law = parse_law(bench.port(link.output).law or "")
        self.heard: Law = heard.law
        self.tuning = EqualTemperament(bench.a4_hertz)
        self.names = bench.label(link.output), bench.label(sink)

    def _severity(self, cents: float) -> Severity:
        """A cause that alone breaks the tightest tolerance is a fault where the notes are off, else a note."""
        off = np.any(np.abs(self.errors.nominal) > self.errors.allowed + 1e-9)
        return "fault" if off and abs(cents) > np.nanmin(self.errors.allowed) else "note"

    def laws(self) -> list[Finding]:
        sent, heard, style = self.sent, self.heard, self.style
        if not (isinstance(sent, ExponentialLaw) and isinstance(heard, ExponentialLaw)):
            return self._law_mismatch() if sent.kind != heard.kind else self._linear_shift()
        found = []
        octaves = float(np.ptp(self.errors.notes)) / 12.0
        per_octave = 1200.0 * (sent.volts_per_octave / heard.volts_per_octave - 1.0)
        if abs(per_octave) > _LEAST_CENTS:
            text = (
                f"{self.names[0]} sends {style.volts(sent.volts_per_octave, 3)} an octave, {self.names[1]} wants "
                f"{style.volts(heard.volts_per_octave, 3)}: {style.cents(per_octave, sign=True)} ct an octave. A "
                f"gain of "
                f"{style.number(heard.volts_per_octave / sent.volts_per_octave, 4)} between makes them one."
            )
            found.append(Finding("scale-mismatch", self._severity(per_octave * octaves), text, per_octave, "ct/octave"))
        note = sent.reference_note
        shift = 1200.0 * float(heard.octaves(sent.reference_volts) - self.tuning.octaves(note, heard.reference_note))
        return found + self._shifts(shift)

    def _linear_shift(self) -> list[Finding]:
        volts = self.sent.volts(self.tuning.octaves(self.errors.notes[-1], self.sent.reference_note))
        octaves = self.heard.octaves(volts, strict=False)
        wanted = self.tuning.octaves(self.errors.notes[-1], self.heard.reference_note)
        shift = 1200.0 * float(octaves - wanted)
        return self._shifts(shift) if np.isfinite(shift) else []

    def _shifts(self, cents: float) -> list[Finding]:
        """A constant error as whole semitones and what is left of one."""
        reach = 100.0 * self.bench.port(self.sink).tune_semitones
        semitones = round(cents / 100.0)
        rest = cents - 100.0 * semitones
        curable = abs(cents) <= reach
        way = (
            f"the tune knob of {self.names[1]} takes it out"
            if curable
            else "an offset between, or tune, has to take it out"
        )
        found = []
        if semitones:
            sign = "up" if semitones > 0 else "down"
            text = f"All notes sound {abs(semitones)} semitones {sign}: {way}."
            found.append(
                Finding(
                    "transposition", "note" if curable else self._severity(cents), text, float(semitones), "semitones"
                )
            )
        if abs(rest) > _LEAST_CENTS:
            text = f"All notes sound {self.style.cents(rest, sign=True)} ct off: {way}."
            found.append(Finding("offset", "note" if curable else self._severity(rest), text, rest, "ct"))
        return found

    def _law_mismatch(self) -> list[Finding]:
        """Two intervals that would sound, at the bottom and at the top."""
        low, high = self.errors.notes[0], self.errors.notes[-1]
        span = min(12.0, high - low)
        volts = self.sent.volts(
            self.tuning.octaves(np.array([low, low + span, high - span, high]), self.sent.reference_note)
        )
        heard = 1200.0 * self.heard.octaves(volts, strict=False)
        lower, upper = heard[1] - heard[0], heard[3] - heard[2]
        told = " and ".join(
            "nothing" if not np.isfinite(one) else f"{self.style.number(one, 0)} ct" for one in (lower, upper)
        )
        text = (
            f"{self.names[0]} is {_kind(self.sent)}, {self.names[1]} {_kind(self.heard)}: "
            f"{self.style.number(100 * span, 0)} ct at the "
            f"bottom and at the top would sound as {told}. It takes an exponential or logarithmic converter, or a "
            f"DAC "
            "with a table for each note."
        )
        return [Finding("law-mismatch", "fault", text)]

    def loading(self) -> list[Finding]:
        net = link_net(self.bench, self.link)
        if net is None or self.link.between:
            return []
        source = f"{self.link.output.gear}.{self.link.output.port}"
        share = float(net.share(source, World())[0])
        octaves = float(np.ptp(self.errors.notes)) / 12.0
        per_octave = 1200.0 * (share - 1.0)
        if abs(per_octave) <= _LEAST_CENTS:
            return []
        inputs = len(self.link.inputs)
        what = f"{inputs} inputs take" if inputs > 1 else "The input takes"
        law = isinstance(self.heard, ExponentialLaw)
        whole = self.style.cents(-per_octave * octaves)
        told = (
            f"{self.style.cents(-per_octave)} ct from every octave, {whole} over the notes used"
            if law else f"{self.style.percent(100.0 * (1.0 - share))} of the volts, which tune takes out"
        )  # fmt: skip
        text = f"{what} {told}: a buffer, or calibrate with all of them plugged in and leave them so."
        return [
            Finding("loading", self._severity(per_octave * octaves) if law else "note", text, per_octave, "ct/octave")
        ]

    def range(self) -> list[Finding]:
        lost = self._unreached()
        if not np.any(lost):
            return []
        notes = self.errors.notes[lost]
        text = (
            f"{self.names[0]} does not reach {notes.size} of the notes used: {self._ends(notes)}. Use fewer, or add "
            "gain or an offset."
        )
        return [Finding("range-not-covered", "fault", text, float(notes.size), "notes")]

    def _unreached(self) -> NDArray[np.bool_]:
        first, second = self.chain.transfers[0], self.chain.transfers[1]
        notes = self.errors.notes
        if isinstance(first, PitchSource):
            return np.asarray(first.exact(notes, NOMINAL) != first.forward(notes, NOMINAL))
        assert isinstance(first, ConstantsHead | TableHead)
        assert isinstance(second, DacTransfer)
        return np.isin(second.dac.code_for(aim_volts(first, notes)).reason, (Reason.CLAMP, Reason.DEAD_BAND))

    def volts(self) -> list[Finding]:
        """What the input's volts do to it: the notes used, and all that the output may send by mistake."""
        port, style = self.bench.port(self.sink), self.style
        at_input = self.chain.trace(self.errors.notes)[-2]
        found = []
        if port.silent_below_volts is not None:
            silent = self.errors.notes[at_input < port.silent_below_volts]
            if silent.size:
                text = (
                    f"{silent.size} of the notes used fall under {style.volts(port.silent_below_volts, 2)}, where "
                    f"{self.names[1]} falls "
                    f"silent: {self._ends(silent)}. Add an offset, or begin higher."
                )
                found.append(Finding("below-cut-off", "fault", text, float(silent.size), "notes"))
        reach = np.concatenate([at_input, self._reach(at_input)])
        found += self._beyond(port.bears, reach, "danger", ("input-over-limit", "input-under-limit"), "bears")
        found += self._beyond(port.works, at_input, "fault", ("outside-working-range",) * 2, "works with")
        return found

    def _beyond(
        self, span: VoltSpan, volts: FloatArray, severity: Severity, codes: tuple[str, str], word: str
    ) -> list[Finding]:
        """Findings of volts above or below a span; shape (N,)."""
        found = []
        for code, limits, meets in ((codes[0], Span(None, span.high), float(np.max(volts))),
                                    (codes[1], Span(span.low, None), float(np.min(volts)))):  # fmt: skip
            over = limits.outside(meets)
            if over:
                text = (
                    f"{self.names[1]} may get {self.style.volts(meets, 2)} and {word} "
                    f"{self.style.volts(meets - over, 2)}: divide or "
                    "clamp before they are joined."
                )
                found.append(Finding(code, severity, text, over, "V"))
        return found

    def _reach(self, at_input: FloatArray) -> FloatArray:
        """The least and the most volts that the output can put on the input."""
        first, second = self.chain.transfers[0], self.chain.transfers[1]
        out = second if isinstance(second, DacTransfer) else first
        ends = np.array([float(one) for one in out.limits(NOMINAL)])
        ends = ends[np.isfinite(ends)]
        for transfer in self.chain.transfers[self.chain.transfers.index(out) + 1 : -1]:
            ends = transfer.forward(ends, NOMINAL)
        return ends

    def _ends(self, notes: FloatArray) -> str:
        first = note_label(float(notes[0]), self.style)
        return first if notes.size == 1 else f"{first} to {note_label(float(notes[-1]), self.style)}"


def _kind(law: Law) -> str:
    return "V/oct" if isinstance(law, ExponentialLaw) else "Hz/V"
