"""Tolerance profiles: how many cents are allowed on which notes, and the verdict over errors."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style, plain
from dynamis.pitch.notes import Naming, parse_note
from dynamis.pitch.tuning import FloatArray

Verdict = Literal["within", "not-within", "cannot-tell"]

# Errors that equal the tolerance to the last bits of a double count as equal: 1e-9 cent is no pitch.
_SLACK_CENTS = 1e-9


@dataclass(frozen=True)
class ToleranceProfile:
    """Cents allowed by range of notes.

    spans : (lowest note, highest note, cents), inclusive and not overlapping; notes outside are not
    judged.  A fractional note belongs to the whole note below it.
    """

    spans: tuple[tuple[float, float, float], ...]

    def cents_at(self, notes: ArrayLike) -> FloatArray:
        """Tolerance at each note, cents; any shape; NaN where a note is not judged."""
        whole = np.floor(np.asarray(notes, float) + 1e-9)
        cents = np.full(whole.shape, np.nan)
        for low, high, allowed in self.spans:
            cents = np.where((whole >= low) & (whole <= high), allowed, cents)
        return cents

    @property
    def text(self) -> str:
        """With note numbers, so that `parse_tolerance` reads it the same under any naming."""
        if len(self.spans) == 1 and math.isinf(self.spans[0][0]):
            return f"{self.spans[0][2]:g}"
        return ",".join(f"{low:g}:{high:g}={cents:g}" for low, high, cents in self.spans)

    def words(self, style: Style = Style()) -> str:
        """`±5 ct`, or each span with its notes: `±10 ct 36–47, ±5 ct 48–84`."""
        if len(self.spans) == 1 and math.isinf(self.spans[0][0]):
            return f"±{plain(self.spans[0][2])} ct"
        sentences = [f"±{plain(cents)} ct {plain(low)}–{plain(high)}" for low, high, cents in self.spans]
        text = ", ".join(sentences)
        return text.replace(".", ",") if style.decimal_comma else text


def parse_tolerance(text: str, naming: Naming = Naming()) -> ToleranceProfile:
    """Read `5` or `36:47=10,48:84=5,85:96=10`.

    Raises `InputError` for a reversed or overlapping range, a negative or missing number.
    """
    if "=" not in text and ":" not in text:
        cents = parse_plain(text, "The tolerance in cents")
        if cents < 0:
            raise InputError(f"The tolerance is {plain(cents)} cents; it cannot be below 0.")
        return ToleranceProfile(((-math.inf, math.inf, cents),))
    spans: list[tuple[float, float, float]] = []
    for part in text.split(","):
        notes, equals, value = part.partition("=")
        ends = notes.split(":")
        if not equals or len(ends) > 2 or not all(end.strip() for end in ends):
            raise InputError(f"The tolerance profile has {quoted(part.strip())}; write it as 36:47=10,48:84=5.")
        low, high = parse_note(ends[0], naming), parse_note(ends[-1], naming)
        if high < low:
            raise InputError(f"The tolerance profile has the range {quoted(notes.strip())}, which runs down.")
        cents = parse_plain(value, f"The tolerance of {quoted(notes.strip())}")
        if cents < 0:
            raise InputError(f"The tolerance of {quoted(notes.strip())} is {plain(cents)} cents; it cannot be below 0.")
        if any(low <= other_high and other_low <= high for other_low, other_high, _ in spans):
            raise InputError(f"The tolerance profile gives some notes of {quoted(notes.strip())} twice.")
        spans.append((low, high, cents))
    return ToleranceProfile(tuple(spans))


def judge(error_cents: ArrayLike, expanded_cents: ArrayLike, allowed_cents: ArrayLike) -> Verdict:
    """The verdict over readings.

    Parameters
    ----------
    error_cents, expanded_cents, allowed_cents : arrays of one shape
        Found minus wanted; U = 2u of each; tolerance of each (NaN: not judged).

    Returns
    -------
    "within" when every \\|error\\| + U is at most its tolerance, "not-within" when some
    \\|error\\| - U is above it, else "cannot-tell"; an error that is NaN cannot be told; where nothing
    is judged it is "cannot-tell".

    Source: JCGM 106:2012 in spirit (guard bands of U on both sides); the rule itself is this program's contract.
    """
    size = np.abs(np.asarray(error_cents, float))
    expanded = np.asarray(expanded_cents, float)
    allowed = np.asarray(allowed_cents, float)
    judged = ~np.isnan(allowed)
    size, expanded, allowed = size[judged], expanded[judged], allowed[judged]
    if np.any(size - expanded > allowed + _SLACK_CENTS):
        return "not-within"
    if size.size and np.all(size + expanded <= allowed + _SLACK_CENTS):
        return "within"
    return "cannot-tell"
