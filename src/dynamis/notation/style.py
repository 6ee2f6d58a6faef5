"""Show numbers with the right unit and the right number of digits."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass

MINUS = "−"

_FIGURES = {"s": 3, "A": 2}


@dataclass(frozen=True)
class Style:
    """What the reader prefers; everything that writes numbers or notes takes one.

    middle_c : the octave number that note 60 carries (3, 4 or 5).
    flats : write D♭ rather than C♯.
    ascii_accidentals : write # and b, as the command line and files do.
    decimal_comma : 2,5 rather than 2.5.
    """

    middle_c: int = 4
    flats: bool = False
    ascii_accidentals: bool = False
    decimal_comma: bool = False

    def number(self, value: float | None, decimals: int, *, sign: bool = False) -> str:
        """The value with fixed decimals; a real minus; an en dash where there is no value."""
        if value is None or not math.isfinite(value):
            return "–"
        rounded = round(float(value), decimals)  # a NumPy number rounds itself, and takes ten times as long
        if rounded == 0:
            rounded = 0.0  # no "−0.0"
        text = f"{abs(rounded):.{decimals}f}"
        if self.decimal_comma:
            text = text.replace(".", ",")
        if rounded < 0:
            return MINUS + text
        return ("+" + text) if sign and rounded > 0 else text

    def typed(self, value: float) -> str:
        """A number as it is typed: the shortest text that reads back the same, in the reader's decimals."""
        text = plain(value)
        return text.replace(".", ",") if self.decimal_comma else text

    def listed(self, entries: Iterable[str]) -> str:
        """Entries in a row, as `split_entries` parts them."""
        return ("; " if self.decimal_comma else ", ").join(entries)

    def cents(self, value: float | None, *, sign: bool = False) -> str:
        """Cents to 0.1, as a number without its unit."""
        return self.number(value, 1, sign=sign)

    def size_of_cents(self, value: float) -> str:
        """A size in cents to 0.1; what is not nought is not told as such."""
        return f"< {self.number(0.1, 1)}" if 1e-9 < abs(value) < 0.05 else self.cents(value)

    def worst_case(self, worst_cents: float, expanded_cents: float) -> str:
        """Cents in the worst case and, where it is less, as a root sum of squares with k = 2.

        Of few limits that comes to more than all of them together (2/√3 of a single one) and tells nothing.
        """
        worst = f"{self.cents(worst_cents)} ct in the worst case"
        if expanded_cents >= worst_cents:
            return worst
        return f"{worst}, {self.cents(expanded_cents)} ct as a root sum of squares (k\u00a0=\u00a02)"

    def plus_minus(self, value: float, expanded: float, unit: str, *, sign: bool = False) -> str:
        """`−4.36 ± 0.46 ct`: both to two significant digits of the uncertainty (GUM 7.2.6)."""
        decimals = digits_for(expanded)
        return f"{self.number(value, decimals, sign=sign)} ± {self.number(expanded, decimals)} {unit}"

    def volts(self, value: float | None, decimals: int = 4, *, sign: bool = False) -> str:
        return f"{self.number(value, decimals, sign=sign)} V"

    def millivolts(self, volts: float | None, decimals: int | None = None, *, sign: bool = False) -> str:
        if volts is None:
            return "– mV"
        shown = volts * 1e3
        if decimals is None:
            decimals = 1 if abs(shown) >= 0.1 or shown == 0 else 2
        return f"{self.number(shown, decimals, sign=sign)} mV"

    def hertz(self, value: float | None) -> str:
        """Hertz to about a thousandth of a semitone, whatever the height."""
        if value is None or not math.isfinite(value):
            return "– Hz"
        decimals = max(0, min(4, 4 - math.floor(math.log10(value)))) if value > 0 else 2
        return f"{self.number(value, decimals)} Hz"

    def engineering(self, value: float | None, unit: str) -> str:
        """`100 kΩ`, `2.2 MΩ`: up to four figures with an SI prefix; of seconds three and of amperes two, since what
        they follow from is known no better."""
        if value is None or not math.isfinite(value):
            return f"– {unit}"
        value = float(f"{value:.{_FIGURES.get(unit, 4)}g}")
        power = 0 if value == 0 else min(4, max(-4, math.floor(math.log10(abs(value)) / 3 + 1e-12)))
        text = f"{value / 1000.0**power:.4g}".replace("-", MINUS)
        text = text.replace(".", ",") if self.decimal_comma else text
        return f"{text} {'pnµm kMGT'[power + 4].strip()}{unit}"

    def percent(self, value: float, decimals: int = 2, *, sign: bool = False) -> str:
        least = 0.5 * 10.0**-decimals
        if 0 < abs(value) < least and abs(value) > 1e-9:  # something, and not nought
            return f"< {self.number(2.0 * least, decimals)} %"
        return f"{self.number(value, decimals, sign=sign)} %"

    def typed_share(self, fraction: float) -> str:
        """A fraction as per cent, as it would be typed: 0.005 is `0.5 %`."""
        return f"{self.typed(round(100.0 * fraction, 6))} %"

    def share(self, fraction: float, decimals: int = 2, *, sign: bool = False) -> str:
        """A fraction as per cent: 0.005 is `0.50 %`."""
        return self.percent(100.0 * fraction, decimals, sign=sign)


def tied(text: str) -> str:
    """The text with its numbers tied to their units and signs, so that no line breaks between them."""
    text = re.sub(r"(?<=\d) ± ", "\u00a0±\u00a0", text)
    text = re.sub(r"(±|÷|<) (?=\d)", "\\1\u00a0", text)
    return re.sub(r"(?<=\d) (?=(?:ct|V|mV|µV|Hz|kHz|%|LSB|Ω|kΩ|MΩ|°C|min|s|ms|µs|A|mA|µA|dB)\b|%)", "\u00a0", text)


def superscript(number: int) -> str:
    """A whole number in raised figures."""
    return str(number).translate(str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹"))


# Smaller than anything that is measured here: made-up readings that lie on a line.
_NEXT_TO_NONE = 1e-6


def digits_for(uncertainty: float) -> int:
    """Decimals that show an uncertainty to two significant digits (at least one, at most six).

    Source: GUM (JCGM 100:2008) 7.2.6, two significant digits usually suffice.
    """
    if not math.isfinite(uncertainty) or uncertainty <= 0:
        return 1
    if uncertainty < _NEXT_TO_NONE:
        return 2
    return int(min(6, max(1, 1 - math.floor(math.log10(uncertainty)))))


def plain(value: float) -> str:
    """The shortest text of a number that reads back the same; whole numbers without a point."""
    return str(int(value)) if float(value).is_integer() and abs(value) < 1e15 else repr(float(value))


def decimals_of(step: float) -> int:
    """Decimals that tell one multiple of a step from the next; 0 where there is none."""
    if not step > 0:
        return 0
    return max(0, -math.floor(math.log10(step) + 1e-9))
