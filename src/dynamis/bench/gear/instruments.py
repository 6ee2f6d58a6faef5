"""Instruments as they are entered: records from a data sheet's words, and what those are worth."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from msgspec.structs import replace

from dynamis.bench.document.ranges import meter_range, sheet_range
from dynamis.bench.document.records import InstrumentKind, InstrumentRecord, MeterCheck, RunRecord
from dynamis.calibration.frequency import FrequencyLimits, parse_frequency_words
from dynamis.calibration.meter import Limits, parse_meter_words, parse_resolution
from dynamis.calibration.meter_check import CheckedRange, KnownVolts, check_words, outside_limits
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw

ENTERED: Final[tuple[InstrumentKind, ...]] = ("meter", "counter", "tuner", "sound", "known-voltage")
_VOLTS: Final = ("meter", "known-voltage")
_SHOWN_HERTZ = 440.0
_SHOWN_VOLTS = 5.0


def known_volts_of(record: InstrumentRecord) -> KnownVolts:
    """What a known voltage is worth."""
    zero = record.counts * record.resolution_volts
    if record.full_scale_volts:
        zero += record.percent_of_range / 100.0 * record.full_scale_volts
    return KnownVolts(record.percent, zero)


def frequency_limits(record: InstrumentRecord, source: InstrumentRecord | None = None) -> FrequencyLimits:
    """A counter, a tuner or sound; source : what feeds known volts meanwhile."""
    fed = KnownVolts(0.0, 0.0) if source is None else known_volts_of(source)
    return FrequencyLimits(
        record.ppm,
        record.counts,
        record.resolution_hertz,
        record.cents,
        record.resolution_cents,
        fed.percent,
        fed.zero_volts,
    )


def new_known_voltage(
    key: str,
    name: str,
    *,
    accuracy: str,
    last_digit: str,
    steps: str,
    decimal_comma: bool = False,
) -> InstrumentRecord:
    """A known voltage from a data sheet's words; raises `InputError` for what is none.

    steps : the volts that it can be switched to, as `0, 1, 2.5`; empty where it can be set to any.
    """
    spec = parse_meter_words(accuracy, parse_resolution(last_digit, decimal_comma=decimal_comma))
    volts = [
        parse_quantity(part, "V", "A step of the known voltage", decimal_comma=decimal_comma)
        for part in steps.split(";" if decimal_comma or ";" in steps else ",")
        if part.strip()
    ]
    return InstrumentRecord(
        key,
        name,
        "",
        spec.percent,
        spec.counts,
        spec.resolution_volts,
        kind="known-voltage",
        steps=tuple(sorted(set(volts))),
    )


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
    """A counter, a tuner or sound from a data sheet's words; raises `InputError` for what is none."""
    unit = "ct" if kind == "tuner" else "Hz"
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
    return record.kind in ENTERED


def accuracy_words(record: InstrumentRecord) -> str:
    """Its accuracy as it could have been typed, without the last digit."""
    limits = sheet_range(record) if record.kind in _VOLTS else frequency_limits(record)
    return limits.words().rsplit(" of ", 1)[0]


def worth_sentence(record: InstrumentRecord, style: Style) -> str:
    """How a record was understood, and what that is worth: of a meter in cents at 1 V/oct too."""
    if record.kind in _VOLTS:
        spec = sheet_range(record)
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


# Known volts that a check asks for, where a known voltage can be set to any or has more steps.
MOST_CHECKED: Final = 6


def check_volts(meter: InstrumentRecord, known: InstrumentRecord) -> tuple[float, ...]:
    """The volts to check a meter's range with: steps of the known voltage within the range, spread over it."""
    most = meter.full_scale_volts or _SHOWN_VOLTS
    if not known.steps:
        return (0.0, most / 2.0, most)
    within = [volts for volts in known.steps if abs(volts) <= most]
    if len(within) <= MOST_CHECKED:
        return tuple(within)
    places = [round(k * (len(within) - 1) / (MOST_CHECKED - 1)) for k in range(MOST_CHECKED)]
    return tuple(within[place] for place in places)


def with_check(
    meter: InstrumentRecord, known: InstrumentRecord, pairs: Sequence[tuple[float, float]], at: str
) -> InstrumentRecord:
    """A meter's range that knows what it shows of known volts; pairs : (known, shown), one at least.

    Raises `InputError` for pairs that do not belong together.
    """
    worth = known_volts_of(known)
    check = MeterCheck(
        known.label,
        worth.percent,
        worth.zero_volts,
        tuple(volts for volts, _ in pairs),
        tuple(shown for _, shown in pairs),
        at,
    )
    checked = replace(meter, check=check)
    meter_range(checked)
    return checked


def check_sentences(meter: InstrumentRecord, style: Style) -> list[str]:
    """What a known voltage told of a meter's range; empty where none was asked."""
    checked, check = meter_range(meter), meter.check
    if check is None or not isinstance(checked, CheckedRange):
        return []
    at = max(check.known_volts, key=abs) or meter.full_scale_volts or _SHOWN_VOLTS
    told = [check_words(checked, at, style)]
    beyond = outside_limits(checked, check.known_volts, check.shown_volts)
    if beyond is not None:
        told.append(
            f"At {style.volts(beyond, 3)} it lies outside its data sheet: what is found is taken out, but have it "
            "adjusted, or look whether the known voltage is what it says."
        )
    if len(set(check.known_volts)) < 2:
        told.append("One known voltage tells gain and zero together; a second one, far from it, tells them apart.")
    return told


def instrument_facts(run: RunRecord, limits: Limits, style: Style) -> list[str]:
    """What a run is read with, and what feeds it: each with its limits, and what a known voltage told of it."""
    facts = []
    if run.meter is not None:
        span = " range" if run.meter.range_name else ""
        facts.append(f"{run.meter.label}{span}: ± ({limits.words(style)})")
        if run.meter.check is not None:
            facts.append(f"its own gain and zero taken out by {run.meter.check.known} on {run.meter.check.at[:10]}")
    if run.source is not None:
        facts.append(f"fed by {run.source.label}: ± ({sheet_range(run.source).words(style)})")
    return facts
