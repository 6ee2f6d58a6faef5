"""Pitch laws: how volts stand for pitch.

Two laws are in use.  Both are anchored at a reference note, since "1 V/oct" alone does not say which
note is 0 V.  Pitch is counted in octaves above that note, which keeps the laws independent of the
tuning and free of overflow.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike

from dynamis.errors import InputError
from dynamis.notation.keys import key_values
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import quoted
from dynamis.notation.style import plain
from dynamis.pitch.notes import Naming, parse_note
from dynamis.pitch.tuning import FloatArray

CENTS_PER_NEPER: Final = 1200.0 / math.log(2.0)


@dataclass(frozen=True)
class ExponentialLaw:
    """Volts per octave: V = reference_volts + volts_per_octave * log2(f/f(reference_note)).

    Source: the definition of "volt per octave"; no standard exists.
    """

    volts_per_octave: float = 1.0
    reference_note: float = 36.0
    reference_volts: float = 0.0
    kind = "voct"

    def __post_init__(self) -> None:
        _finite(self.volts_per_octave, self.reference_note, self.reference_volts)
        if self.volts_per_octave <= 0:
            raise InputError(f"The scale is {plain(self.volts_per_octave)} V per octave; it has to be above 0.")

    def volts(self, octaves: ArrayLike) -> FloatArray:
        """Volts of a pitch in octaves above the reference note; any shape, NaN stays NaN."""
        return self.reference_volts + self.volts_per_octave * np.asarray(octaves, float)

    def octaves(self, volts: ArrayLike, *, strict: bool = True) -> FloatArray:
        """Octaves above the reference note; any shape.  Every voltage has a pitch under this law."""
        return (np.asarray(volts, float) - self.reference_volts) / self.volts_per_octave

    def cents_per_volt(self, volts: ArrayLike) -> FloatArray:
        """How many cents one volt is worth at a voltage: the same everywhere."""
        return np.full(np.shape(volts), 1200.0 / self.volts_per_octave)


@dataclass(frozen=True)
class LinearLaw:
    """Hertz per volt: V = offset_volts + reference_volts * f/f(reference_note).

    Each octave doubles the voltage, so a millivolt weighs most at the bottom.
    Source: the definition of "hertz per volt"; no standard exists.
    """

    reference_note: float = 45.0
    reference_volts: float = 1.0
    offset_volts: float = 0.0
    kind = "hzv"

    def __post_init__(self) -> None:
        _finite(self.reference_note, self.reference_volts, self.offset_volts)
        if self.reference_volts <= 0:
            raise InputError(
                f"The law's reference is {plain(self.reference_volts)} volts; under Hz/V it has to be above 0."
            )

    def volts(self, octaves: ArrayLike) -> FloatArray:
        """Volts of a pitch in octaves above the reference note; any shape, NaN stays NaN."""
        with np.errstate(over="ignore"):
            return self.offset_volts + self.reference_volts * np.exp2(np.asarray(octaves, float))

    def octaves(self, volts: ArrayLike, *, strict: bool = True) -> FloatArray:
        """Octaves above the reference note; any shape.

        At or below the offset there is no pitch: an `InputError` names the first such voltage, or,
        with `strict` off, the answer is NaN there.
        """
        above = np.asarray(volts, float) - self.offset_volts
        bad = above <= 0
        if strict and np.any(bad):
            first = float(np.asarray(volts, float)[bad].flat[0]) if np.ndim(volts) else float(np.asarray(volts))
            raise InputError(
                f"{plain(first)} V is not above the law's offset of {plain(self.offset_volts)} V; "
                "hertz per volt makes no pitch there."
            )
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(bad, np.nan, np.log2(above / self.reference_volts))

    def cents_per_volt(self, volts: ArrayLike) -> FloatArray:
        """How many cents one volt is worth at a voltage (the slope there); NaN at or below the offset."""
        above = np.asarray(volts, float) - self.offset_volts
        with np.errstate(divide="ignore"):
            return np.where(above > 0, CENTS_PER_NEPER / above, np.nan)


Law = ExponentialLaw | LinearLaw

_KEYS: Final = {"voct": ("scale", "note", "volts"), "hzv": ("note", "volts", "offset")}
_FIELDS: Final = {
    "voct": {"scale": "volts_per_octave", "note": "reference_note", "volts": "reference_volts"},
    "hzv": {"note": "reference_note", "volts": "reference_volts", "offset": "offset_volts"},
}


def parse_law(text: str, naming: Naming = Naming()) -> Law:
    """Read `voct:scale=1,note=36,volts=0` or `hzv:note=45,volts=1,offset=0`; missing keys take these values.

    Raises `InputError` for an unknown kind or key, a key twice, a value that is no plain number, and
    values the law cannot have.
    """
    kind, colon, rest = text.strip().partition(":")
    if kind not in _KEYS:
        raise InputError(f"The law {quoted(text.strip())} is of no known kind; write voct (V/oct) or hzv (Hz/V).")
    whole = f"The law {quoted(text.strip())}"
    typed = key_values(rest, _KEYS[kind], whole, kind) if colon else {}
    values = {
        key: parse_note(value, naming)
        if key == "note"
        else parse_plain(value, f"{key} of the law {quoted(text.strip())}")
        for key, value in typed.items()
    }
    arguments = {_FIELDS[kind][key]: value for key, value in values.items()}
    return ExponentialLaw(**arguments) if kind == "voct" else LinearLaw(**arguments)


def law_text(law: Law) -> str:
    """The law in the form that `parse_law` reads."""
    fields = _FIELDS[law.kind]
    return law.kind + ":" + ",".join(f"{key}={plain(getattr(law, fields[key]))}" for key in _KEYS[law.kind])


def law_words(law: Law, note_text: str) -> str:
    """The law in the trade's words, `1 V/oct, 0.2 V at 36 C2`; `note_text` names its reference note; to a
    ten-millionth."""
    if isinstance(law, ExponentialLaw):
        return f"{_told(law.volts_per_octave)} V/oct, {_told(law.reference_volts)} V at {note_text}"
    offset = f", offset {_told(law.offset_volts)} V" if law.offset_volts else ""
    return f"Hz/V, {_told(law.reference_volts)} V at {note_text}{offset}"


def _told(value: float) -> str:
    return plain(float(f"{value:.7g}"))


def _finite(*values: float) -> None:
    if not all(math.isfinite(value) for value in values):
        raise InputError("A pitch law needs finite numbers.")
