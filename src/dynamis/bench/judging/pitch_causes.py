"""Why a pitch output and an input do not fit: each cause with its own number, and what to do about it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.ports import VoltSpan
from dynamis.bench.judging.pitch_sides import Receiver, Sender
from dynamis.electrics.finding import Finding, Severity
from dynamis.electrics.span import Span
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw
from dynamis.pitch.notes import note_label

FloatArray = NDArray[np.float64]
_LEAST_CENTS: Final = 0.05


@dataclass(frozen=True, eq=False)
class PitchErrors:
    """Cents by note: with nominal parts, what the parts' limits may add, and what is allowed.

    share : what loading leaves of the volts.  bias_volts : what inputs that rest elsewhere than at 0 V add.
    tuned : what the tune knob takes out of `nominal`.  released : the volts at the input while no key is held, None
    where the pitch is held.
    """

    notes: FloatArray
    nominal: FloatArray
    limits: FloatArray
    allowed: FloatArray
    share: float
    bias_volts: float
    tuned: float
    released: float | None = None

    @property
    def left(self) -> FloatArray:
        """What is left with nominal parts once tune is set."""
        return self.nominal - self.tuned

    def worst(self, size: FloatArray) -> int | None:
        """Where a size is furthest beyond what is allowed; None where no note is judged."""
        beyond = size - self.allowed
        beyond[np.isnan(beyond)] = -np.inf
        k = int(beyond.argmax())
        return None if beyond[k] == -np.inf else k


@dataclass(frozen=True, eq=False)
class Causes:
    """A sender into one of `count` inputs, and the errors they come to."""

    sender: Sender
    receiver: Receiver
    count: int
    errors: PitchErrors
    style: Style

    def findings(self) -> list[Finding]:
        return [*self._laws(), *self._loading(), *self._range(), *self._volts()]

    def _severity(self, cents: float) -> Severity:
        """A cause that alone breaks the tightest tolerance is a fault where the notes are off, else a note."""
        return "fault" if abs(cents) > self._tightest else "note"

    @cached_property
    def _tightest(self) -> float:
        """The tightest tolerance; infinite where all notes are within theirs."""
        if not (np.abs(self.errors.left) > self.errors.allowed + 1e-9).any():
            return math.inf
        return float(np.nanmin(self.errors.allowed))

    @property
    def _octaves(self) -> float:
        return float(self.sender.notes[-1] - self.sender.notes[0]) / 12.0

    def _laws(self) -> list[Finding]:
        sent, heard = self.sender.law, self.receiver.law
        if sent.kind != heard.kind:
            return self._law_mismatch()
        if not (isinstance(sent, ExponentialLaw) and isinstance(heard, ExponentialLaw)):
            return self._linear(heard)
        findings, style = [], self.style
        per_octave = 1200.0 * (sent.volts_per_octave / heard.volts_per_octave - 1.0)
        if abs(per_octave) > _LEAST_CENTS:
            sends, wants = (style.volts(law.volts_per_octave, 3) for law in (sent, heard))
            so = "" if self.receiver.knobs.gain == 1.0 else ", its knobs as they are set,"
            text = (
                f"{self.sender.label} sends {sends} an octave, {self.receiver.label}{so} wants {wants}: "
                f"{style.cents(per_octave, sign=True)} ct an octave. A gain of "
                f"{style.number(heard.volts_per_octave / sent.volts_per_octave, 4)} between makes them one."
            )
            severity = self._severity(per_octave * self._octaves)
            findings.append(Finding("scale-mismatch", severity, text, per_octave, "ct/octave"))
        sounds = (sent.reference_volts + self.errors.bias_volts - heard.reference_volts) / heard.volts_per_octave
        sounds += self.receiver.knobs.octaves
        return findings + self._shifts(1200.0 * (self.receiver.octaves + sounds - self.sender.law_octaves))

    def _linear(self, heard: Law) -> list[Finding]:
        """Under Hz/V on both sides another scale is a shift; another zero bends the low notes most."""
        ends = heard.octaves(self.sender.volts[[0, -1]], strict=False)
        ends = ends + self.receiver.octaves + self.receiver.knobs.octaves
        low, top = (float(one) for one in 1200.0 * (ends - self.sender.wanted[[0, -1]]))
        findings = self._shifts(top) if math.isfinite(top) else []
        if not math.isfinite(top) or abs(low - top) <= _LEAST_CENTS:
            return findings
        style = self.style
        zeros = [style.volts(law.offset_volts, 3) for law in (self.sender.law, heard) if isinstance(law, LinearLaw)]
        sounds = f"sounds {style.cents(low, sign=True)} ct off" if math.isfinite(low) else "is silent"
        text = (
            f"{self.sender.label} has 0 Hz at {zeros[0]}, {self.receiver.label} at {zeros[1]}: the lowest note "
            f"{sounds}, the highest {style.cents(top, sign=True)} ct off. An offset between, or the receiver's own "
            "zero, makes them one."
        )
        if not math.isfinite(low):
            return [*findings, Finding("zero-hertz", "fault", text)]
        return [*findings, Finding("zero-hertz", self._severity(low - top), text, low - top, "ct")]

    def _shifts(self, cents: float) -> list[Finding]:
        """A constant error as whole semitones and what is left of one."""
        curable = abs(cents) <= 100.0 * self.receiver.port.tune_semitones
        semitones = round(cents / 100.0)
        rest = cents - 100.0 * semitones
        cure = "an offset between, or tune, has to take it out"
        if curable:
            cure = f"the tune knob of {self.receiver.label} takes it out"
        findings = []
        if semitones:
            text = f"All notes sound {abs(semitones)} semitones {'up' if semitones > 0 else 'down'}: {cure}."
            severity = "note" if curable else self._severity(cents)
            findings.append(Finding("transposition", severity, text, float(semitones), "semitones"))
        if abs(rest) > _LEAST_CENTS:
            text = f"All notes sound {self.style.cents(rest, sign=True)} ct off: {cure}."
            findings.append(Finding("offset", "note" if curable else self._severity(rest), text, rest, "ct"))
        return findings

    def _law_mismatch(self) -> list[Finding]:
        """Two intervals that would sound, at the bottom and at the top."""
        wide = min(12, self.sender.notes.size - 1)
        heard = 1200.0 * self.receiver.law.octaves(self.sender.volts[[0, wide, -1 - wide, -1]], strict=False)
        sounds = [
            "nothing" if not np.isfinite(one) else f"{self.style.number(float(one), 0)} ct"
            for one in (heard[1] - heard[0], heard[3] - heard[2])
        ]
        text = (
            f"{self.sender.label} is {_kind(self.sender.law)}, {self.receiver.label} {_kind(self.receiver.heard.law)}: "
            f"{100 * wide} ct at the bottom and at the top would sound as {' and '.join(sounds)}. It takes an "
            "exponential or logarithmic converter, or a DAC with a table for each note."
        )
        return [Finding("law-mismatch", "fault", text)]

    def _loading(self) -> list[Finding]:
        per_octave = 1200.0 * (self.errors.share - 1.0)
        if abs(per_octave) <= _LEAST_CENTS:
            return []
        style, severity = self.style, self._severity(per_octave * self._octaves)
        whole = style.cents(-per_octave * self._octaves)
        sentence = f"{style.cents(-per_octave)} ct from every octave, {whole} over the notes used"
        if not isinstance(self.receiver.heard.law, ExponentialLaw):
            sentence, severity = (
                f"{style.share(1.0 - self.errors.share)} of the volts, which tune takes out",
                "note",
            )
        what = f"{self.count} inputs take" if self.count > 1 else "The input takes"
        cure = "" if severity == "note" else ": a buffer, or calibrate with all of them plugged in and leave them so"
        text = f"{what} {sentence}{cure}."
        return [Finding("loading", severity, text, per_octave, "ct/octave")]

    def _range(self) -> list[Finding]:
        lost = self.sender.notes[self.sender.unreached]
        if not lost.size:
            return []
        text = (
            f"{self.sender.label} does not reach {lost.size} of the notes used: {self._ends(lost)}. Use fewer, or add "
            "gain or an offset."
        )
        return [Finding("range-not-covered", "fault", text, float(lost.size), "notes")]

    def _volts(self) -> list[Finding]:
        """What the input's volts do to it: the notes used, and all that the output may send by mistake."""
        port = self.receiver.port
        findings: list[Finding] = []
        sender = self.sender.port.bears
        if port.silent_below_volts is None and sender == port.bears == port.works == VoltSpan():
            return findings
        share, bias = self.errors.share, self.errors.bias_volts
        at_input = share * self.sender.volts + bias
        if port.silent_below_volts is not None:
            silent = self.sender.notes[at_input < port.silent_below_volts]
            if silent.size:
                text = (
                    f"{silent.size} of the notes used fall under {self.style.volts(port.silent_below_volts, 2)}, where "
                    f"{self.receiver.label} falls silent: {self._ends(silent)}. Add an offset, or begin higher."
                )
                findings.append(Finding("below-cut-off", "fault", text, float(silent.size), "notes"))
            findings += self._never_silent(port.silent_below_volts)
        reach, names = np.concatenate([at_input, share * self.sender.reach + bias]), (self.receiver, self.sender)
        for one, bears, side in ((names[0], port.bears, "input"), (names[1], sender, "output")):
            codes = f"{side}-over-limit", f"{side}-under-limit"
            findings += self._beyond(one.label, bears, reach, "danger", codes, "bears")
        working = ("outside-working-range",) * 2
        return findings + self._beyond(self.receiver.label, port.works, at_input, "fault", working, "works with")

    def _never_silent(self, below: float) -> list[Finding]:
        """A voice that only its pitch silences, and volts that stay above that while no key is held."""
        style, released, sends = self.style, self.errors.released, self.sender.label
        silent = f"{self.receiver.label} falls silent only below {style.volts(below, 2)}, and"
        if released is None:
            text = (
                f"{silent} {sends} holds its pitch when the key is let go: the note never stops. Ground the pitch, or "
                "let it float, when no key is held."
            )
            return [Finding("never-silent", "note", text)]
        if released < below:
            return []
        text = (
            f"{silent} while no key is held {sends} is {self.sender.port.release}, of which {style.volts(released, 2)} "
            "arrive: the note never stops. Let go behind what stands between, not ahead of it."
        )
        return [Finding("never-silent", "note", text, released, "V")]

    def _beyond(
        self, name: str, span: VoltSpan, volts: FloatArray, severity: Severity, codes: tuple[str, str], word: str
    ) -> list[Finding]:
        """Findings of volts above or below a span; shape (N,)."""
        findings = []
        for code, limits, meets in (
            (codes[0], Span(None, span.high), float(np.max(volts))),
            (codes[1], Span(span.low, None), float(np.min(volts))),
        ):
            over = limits.outside(meets)
            if over:
                bound = self.style.volts(meets - over, 2)
                text = (
                    f"{name} may get {self.style.volts(meets, 2)} and {word} {bound}: divide or clamp before they are "
                    "joined."
                )
                findings.append(Finding(code, severity, text, over, "V"))
        return findings

    def _ends(self, notes: FloatArray) -> str:
        first = note_label(float(notes[0]), self.style)
        return first if notes.size == 1 else f"{first} to {note_label(float(notes[-1]), self.style)}"


def _kind(law: Law) -> str:
    return "V/oct" if isinstance(law, ExponentialLaw) else "Hz/V"
