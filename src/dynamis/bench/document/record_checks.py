"""What runs, readings, adoptions and sends may not hold; for those that are read as for those that are typed."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence

from dynamis.bench.document.limits import (
    A4_HERTZ,
    CELSIUS,
    HIGHEST_NOTE,
    MOST_CENTS,
    MOST_CHOICE,
    MOST_CODE,
    MOST_HERTZ,
    MOST_LAW_VOLTS,
    MOST_METERS,
    MOST_OHMS,
    MOST_PLAN,
    MOST_READINGS,
    MOST_RUNS,
    MOST_STEPS,
    MOST_VOLTS,
    NOTES_BEYOND,
    SCALES,
)
from dynamis.bench.document.ranges import meter_range
from dynamis.bench.document.records import (
    AdoptionRecord,
    HeadRecord,
    InstrumentRecord,
    ReadingRecord,
    RunRecord,
    SendRecord,
)
from dynamis.bench.document.tuning import TuningRecord
from dynamis.converter.heads import MOST_SIXTEENTHS
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.laws import ExponentialLaw, Law, parse_law
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.transfer.registry import REGISTRY


def check_law(text: str) -> Law:
    """The law of a port or a run; refuses one that no gear has."""
    law = parse_law(text)
    within("The reference note of the law", law.reference_note, -NOTES_BEYOND, HIGHEST_NOTE + NOTES_BEYOND)
    within("The reference volts of the law", law.reference_volts, -MOST_LAW_VOLTS, MOST_LAW_VOLTS, "V")
    if isinstance(law, ExponentialLaw):
        within("The scale of the law", law.volts_per_octave, *SCALES, "V/oct")
    else:
        within("The reference volts of the law", law.reference_volts, 1e-9, MOST_LAW_VOLTS, "V")
        within("The offset of the law", law.offset_volts, -MOST_LAW_VOLTS, MOST_LAW_VOLTS, "V")
    return law


def check_tolerance(text: str) -> None:
    for _, _, cents in parse_tolerance(text).spans:
        within("The tolerance", cents, 0.0, MOST_CENTS, "ct")


def check_tuning(record: TuningRecord | None) -> None:
    """Refuse a tuning that tunes nothing, or to no frequency that anything has."""
    if record is None:
        return
    KeyTuning(record.hertz)
    for hertz in record.hertz:
        within("A key of the tuning", 440.0 if hertz is None else hertz, 1e-3, MOST_HERTZ, "Hz")


def check_a4(hertz: float) -> None:
    within("A4", hertz, *A4_HERTZ, "Hz")


def check_instrument(instrument: InstrumentRecord) -> None:
    """Refuse an instrument whose data sheet has numbers that none has."""
    for name in ("percent", "percent_of_range"):
        within(f"{name.replace('_', ' ')} of {instrument.name}", getattr(instrument, name), 0.0, 100.0, "%")
    for name in ("counts", "ppm"):
        within(f"{name} of {instrument.name}", getattr(instrument, name), 0.0, 1e6)
    for name in ("resolution_volts", "resolution_hertz", "cents", "resolution_cents"):
        within(f"{name.split('_')[0]} of {instrument.name}", getattr(instrument, name), 0.0, 1e5)
    within(f"The input resistance of {instrument.name}", instrument.input_ohms, 1.0, MOST_OHMS * 1e3, "Ω")
    if instrument.full_scale_volts is not None:
        within(f"The full scale of {instrument.name}", instrument.full_scale_volts, 1e-9, MOST_VOLTS, "V")
    counted(f"steps of {instrument.name}", len(instrument.steps), MOST_STEPS)
    for volts in instrument.steps:
        within(f"A step of {instrument.name}", volts, -MOST_VOLTS, MOST_VOLTS, "V")
    check = instrument.check
    if check is not None:
        counted(f"known volts of {instrument.name}", len(check.known_volts), MOST_STEPS)
        within(f"What gave the known volts of {instrument.name}", check.percent, 0.0, 100.0, "%")
        within(f"What gave the known volts of {instrument.name}", check.zero_volts, 0.0, MOST_VOLTS, "V")
        for volts in (*check.known_volts, *check.shown_volts):
            within(f"A known voltage of {instrument.name}", volts, -MOST_VOLTS, MOST_VOLTS, "V")
        meter_range(instrument)  # refuses pairs that do not belong together


def check_instruments(meters: Sequence[InstrumentRecord]) -> None:
    counted("instruments", len(meters), MOST_METERS)
    for meter in meters:
        check_instrument(meter)


def check_run(run: RunRecord) -> None:
    """Refuse a run that could not be judged, naming it."""
    try:
        check_law(run.law)
        check_tolerance(run.tolerance)
        check_a4(run.a4_hertz)
        check_tuning(run.tuning)
        counted("notes to read", len(run.plan), MOST_PLAN)
        for note in run.plan:
            within("A note to read", note, 0.0, HIGHEST_NOTE)
        if run.codes and len(run.codes) != len(run.plan):
            raise InputError("A run of codes needs one for each note that it reads.")
        for code in run.codes:
            within("A code to read", code, 0, MOST_CODE)
        within("The times that each is read", run.passes, 1, MOST_READINGS)
        counted("readings to take", len(run.plan) * run.passes, MOST_READINGS)
        if run.enough_cents is not None:
            within("What is enough", run.enough_cents, 1e-3, 1e4, "ct")
            counted("notes to choose from", len(run.plan), MOST_CHOICE)
        for ohms in (run.output_ohms, *run.plugged_ohms):
            if ohms is not None:
                within("A resistance", ohms, 0.0, MOST_OHMS, "Ω")
        if run.celsius is not None:
            within("The temperature", run.celsius, *CELSIUS, "°C")
        if run.warm_minutes is not None:
            within("The time since power on", run.warm_minutes, 0.0, 1e7, "min")
        for instrument in (run.meter, run.source):
            if instrument is not None:
                check_instrument(instrument)
        check_head(run.head)
        if run.converter is not None and REGISTRY.knows(run.converter):
            REGISTRY.make(f"{run.id}.converter", run.converter)
    except InputError as error:
        raise InputError(f"The run {run.id!r}: {error}") from error


def check_reading(reading: ReadingRecord) -> None:
    """Refuse a reading that could not be, naming its run and number."""
    try:
        within("its note", reading.note, 0.0, HIGHEST_NOTE)
        within("its value", reading.value, -MOST_HERTZ, MOST_HERTZ)
        within("its own uncertainty", reading.own, 0.0, MOST_HERTZ)
        if reading.code is not None:
            within("its code", reading.code, 0, MOST_CODE)
        if reading.range_volts is not None:
            within("its range", reading.range_volts, 0.0, MOST_VOLTS, "V")
        if reading.celsius is not None:
            within("its temperature", reading.celsius, *CELSIUS, "°C")
    except InputError as error:
        raise InputError(f"Reading {reading.number} of the run {reading.run!r}: {error}") from error


def check_head(head: HeadRecord) -> None:
    """Refuse constants and tables that no correction has."""
    check_tuning(head.tuning)
    within("The offset of the constants", head.offset, -MOST_HERTZ, MOST_HERTZ)
    within("The gain of the constants", abs(head.gain), 1e-6, 1e6)
    within("The first note of the table", head.first_note, 0, 127)
    if head.first_note + len(head.sixteenths) > 128:
        raise InputError(f"The table has {len(head.sixteenths)} notes from {head.first_note} on; they end at 127.")
    for sixteenth in head.sixteenths:
        within("An entry of the table", sixteenth, -MOST_SIXTEENTHS, MOST_SIXTEENTHS)


def check_adoption(adoption: AdoptionRecord) -> None:
    try:
        check_head(adoption.head)
        for cents in (adoption.leaves_cents, adoption.expanded_cents):
            within("What it leaves", cents, 0.0, 1e9, "ct")
    except InputError as error:
        raise InputError(
            f"The adoption for {adoption.gear} / {adoption.port}, unit {adoption.serial}: {error}"
        ) from error


def check_sent(send: SendRecord) -> None:
    try:
        for held in (send.before, send.after):
            _ = held.correction
        if send.head is not None:
            check_head(send.head)
    except InputError as error:
        raise InputError(f"What was sent to {send.gear} / {send.port}, unit {send.serial}: {error}") from error


def check_records(
    runs: Sequence[RunRecord],
    readings: Sequence[ReadingRecord],
    adoptions: Sequence[AdoptionRecord],
    sends: Sequence[SendRecord],
) -> None:
    """Refuse the first of all these that could not be, naming it."""
    counted("runs", len(runs), MOST_RUNS)
    for run in runs:
        check_run(run)
    for reading in readings:
        check_reading(reading)
    for name, count in Counter(one.run for one in readings).items():
        counted(f"readings of the run {name!r}", count, MOST_READINGS)
    for adoption in adoptions:
        check_adoption(adoption)
    for sent in sends:
        check_sent(sent)


def within(what: str, value: float, low: float, high: float, unit: str = "") -> None:
    """Refuse a number outside its bounds, or none at all."""
    if not low <= value <= high:  # not a number is not within either
        value = max(-1e300, min(1e300, value)) if value == value else math.nan
        shown = f"{plain(value)} {unit}".rstrip()
        raise InputError(f"{what} is {shown}; {plain(low)} to {plain(high)} {unit}".rstrip() + " was expected.")


def counted(what: str, count: int, most: int) -> None:
    """Refuse more of something than a bench may hold."""
    if count > most:
        raise InputError(f"There are {count} {what}; at most {most} are taken.")
