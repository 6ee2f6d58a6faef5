"""Instruments as they are entered: records from a data sheet's words, and what those are worth."""

from __future__ import annotations

from dynamis.bench.document.records import InstrumentKind, InstrumentRecord
from dynamis.calibration.frequency import FrequencyLimits, parse_frequency_words
from dynamis.calibration.meter import MeterRange, parse_meter_words, parse_resolution
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw

_SHOWN_HERTZ = 440.0
_SHOWN_VOLTS = 5.0


def meter_range(record: InstrumentRecord) -> MeterRange:
    return MeterRange(
        record.percent, record.counts, record.resolution_volts, record.full_scale_volts, record.percent_of_range
    )


def frequency_limits(record: InstrumentRecord) -> FrequencyLimits:
    return FrequencyLimits(record.ppm, record.counts, record.resolution_hertz, record.cents, record.resolution_cents)


def new_meter(
    key: str,
    name: str,
    *,
    range_text: str,
    accuracy: str,
    last_digit: str,
    input_text: str,
    decimal_comma: bool = False,
) -> InstrumentRecord:
    """A range of a meter from a data sheet's words; raises `InputError` for what is none."""
    full = parse_quantity(range_text, "V", "The range", decimal_comma=decimal_comma) if range_text else None
    if full is not None and full <= 0:
        raise InputError(f"The range is {quoted(range_text)}; it has to be above 0 V.")
    spec = parse_meter_words(accuracy, parse_resolution(last_digit, decimal_comma=decimal_comma), full)
    ohms = parse_quantity(input_text, "Ω", "The input resistance", decimal_comma=decimal_comma)
    if ohms <= 0:
        raise InputError("The meter's input resistance has to be above 0 Ω.")
    return InstrumentRecord(
        key,
        name,
        range_text or "one range",
        spec.percent,
        spec.counts,
        spec.resolution_volts,
        spec.full_scale_volts,
        spec.percent_of_range,
        ohms,
    )


def new_frequency_instrument(
    key: str, name: str, kind: InstrumentKind, *, accuracy: str, last_digit: str, decimal_comma: bool = False
) -> InstrumentRecord:
    """A counter or a tuner from a data sheet's words; raises `InputError` for what is none."""
    unit = "Hz" if kind == "counter" else "ct"
    digit = parse_quantity(last_digit, unit, "The last digit", decimal_comma=decimal_comma)
    if digit <= 0:
        raise InputError(f"The last digit is {quoted(last_digit.strip())}; it has to be above 0.")
    digits = {"resolution_hertz": digit} if unit == "Hz" else {"resolution_cents": digit}
    spec = parse_frequency_words(accuracy, **digits)
    if kind == "tuner" and not spec.cents and not spec.ppm:
        raise InputError("A tuner is good to so many cents; write its accuracy as 0.5 ct.")
    return InstrumentRecord(
        key,
        name,
        kind=kind,
        counts=spec.counts,
        ppm=spec.ppm,
        cents=spec.cents,
        resolution_hertz=spec.resolution_hertz,
        resolution_cents=spec.resolution_cents,
    )


def editable(record: InstrumentRecord) -> bool:
    """Whether it is of a kind that is entered by a data sheet's words here."""
    return record.kind in ("meter", "counter", "tuner")


def accuracy_words(record: InstrumentRecord) -> str:
    """Its accuracy as it could have been typed, without the last digit."""
    limits = meter_range(record) if record.kind == "meter" else frequency_limits(record)
    return limits.words().rsplit(" of ", 1)[0]


def worth_sentence(record: InstrumentRecord, style: Style) -> str:
    """How a record was understood, and what that is worth: of a meter in cents at 1 V/oct too."""
    if record.kind == "meter":
        spec = meter_range(record)
        at = min(_SHOWN_VOLTS, spec.full_scale_volts or _SHOWN_VOLTS)
        worth = spec.expanded_volts(at)
        cents = worth * float(ExponentialLaw().cents_per_volt(at))
        return (
            f"Read as {spec.words(style)}: ± {style.millivolts(worth)} at {style.volts(at, 1)} "
            f"(k = 2), ± {style.cents(cents)} ct at 1 V/oct."
        )
    limits = frequency_limits(record)
    return (
        f"Read as {limits.words(style)}: ± {style.number(limits.expanded_cents(_SHOWN_HERTZ), 2)} ct at "
        f"{style.hertz(_SHOWN_HERTZ)} (k = 2)."
    )
