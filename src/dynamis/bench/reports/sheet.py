"""The bench sheet: one page for the job at hand, to be ticked off beside the soldering iron.

What to play, which reading to expect and within what, what the meter may add, what to turn; with room for what is read.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from dynamis.bench.document.bench import Bench
from dynamis.bench.reports.blocks import Block, Cells, Heading, Paragraph, Report, Sentences, SignHere
from dynamis.bench.reports.run_part import UNITS, taken_with
from dynamis.bench.runs.advice import plugging_sentence
from dynamis.bench.runs.analysis import RunAnalysis, codes_of
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.trimming.sheet import SheetStep, sheet_steps, turn_table
from dynamis.calibration.trimming.walk import Trims
from dynamis.calibration.trimming.words import TURN_NAMES
from dynamis.calibration.words import correction_detail, correction_title
from dynamis.notation.style import Style, plain
from dynamis.pitch.notes import note_label

_TICK: Final = "☐"
_HEADINGS: Final = ("", "play", "{sent}", "expect", "from", "to", "meter ±", "read", "off by ct")
_HEADS: Final = {
    "nominal": "Play nominal codes: no correction.",
    "constants": "Play with the two constants in force.",
    "table": "Play with the table in force.",
}
_ROWS: Final = ("note", "code", "expect", "from", "to", "unit", "meter_expanded_cents")
_STEPS: Final = ("note", "turn", "target_cents", "until")


def run_sheet(bench: Bench, judged: RunAnalysis, style: Style) -> Report:
    """The sheet of a run: its whole plan, what is read already filled in; then what to turn, where that is known."""
    run = judged.run
    title = f"{bench.label(run.channel)}, unit {run.serial}: {run.title}"
    rows = list(_plan(judged, style))
    blocks: list[Block] = [Heading(f"Bench sheet: {title}", 1)]
    blocks.append(Paragraph(" · ".join(taken_with(bench, judged, style)), "small"))
    blocks += [Heading("Before"), Sentences(tuple(_before(bench, judged, style)))]
    blocks += [Heading("To play and to read"), Cells(_headings(judged), tuple(shown for shown, _ in rows))]
    blocks.append(
        Paragraph("From … to is what the tolerance allows; read the first note once more at the end.", "small")
    )
    blocks += _turns(judged, style)
    blocks.append(SignHere(("Room, °C", "Minutes on", "By", "Date")))
    return Report(f"Bench sheet, {title}", tuple(blocks), _ROWS, tuple(raw for _, raw in rows))


def _headings(judged: RunAnalysis) -> tuple[str, ...]:
    sent = "feed" if judged.run.side == "input" else "code"
    return tuple(one.format(sent=sent) for one in _HEADINGS)


def _before(bench: Bench, judged: RunAnalysis, style: Style) -> Iterator[str]:
    run = judged.run
    hung = ", ".join(bench.label(ref) for ref in run.plugged)
    if run.side == "input":
        yield f"{_TICK} Feed the volts of each note into {bench.label(run.channel)}, and check them with a meter there."
        yield from _settling(judged, style)
        return
    yield f"{_TICK} Plug in {hung}, and nothing else." if hung else f"{_TICK} Nothing is plugged in but the instrument."
    if run.meter is not None:
        yield f"{_TICK} {run.meter.label}" + (", range held by hand." if run.meter.range_name else ".")
    yield f"{_TICK} {_HEADS[run.head.kind]}"
    yield from _settling(judged, style)
    load = plugging_sentence(bench, run, style)
    if load is not None:
        yield load
    if run.quantity == "volts":
        yield "The lead adds nothing at rest: only what the meter draws flows in it."


def _settling(judged: RunAnalysis, style: Style) -> Iterator[str]:
    """How long to wait after a note: until the instrument's last digit stays."""
    meter, within = judged.meter, None
    if isinstance(meter, MeterRange):
        within = style.millivolts(meter.resolution_volts) if meter.resolution_volts > 0 else None
    elif meter is not None and meter.resolution_hertz > 0:
        within = style.engineering(meter.resolution_hertz, "Hz")
    elif meter is not None and meter.resolution_cents > 0:
        within = f"{style.number(meter.resolution_cents, 1)} ct"
    agree = f"agree within {within}" if within else "agree to the last digit"
    yield f"{_TICK} After each note wait until two readings in a row {agree}."


def _plan(judged: RunAnalysis, style: Style) -> Iterator[tuple[tuple[str, ...], tuple[str, ...]]]:
    """The rows of the plan, as they are shown and as they go to other programs."""
    run, model = judged.run, judged.model
    notes = np.array(run.plan, float)
    codes, allowed = codes_of(run, judged.converter, notes), judged.tolerance.cents_at(notes)
    read = {note: k for k, note in enumerate(judged.notes.tolist())}
    unit = UNITS[run.quantity]
    for k, note in enumerate(notes.tolist()):
        cents = float(allowed[k]) if np.isfinite(allowed[k]) else None
        if run.quantity == "cents":
            expect, low, high = 0.0, None if cents is None else -cents, cents
        else:
            expect = float(model.expected_shown(note))
            low, high = (
                None if cents is None else float(model.expected_shown(note + sign * cents / 100.0))
                for sign in (-1.0, 1.0)
            )
        shown = [_value(one, run.quantity, style) for one in (expect, low, high)]
        meter = _meter(judged, note, expect)
        code = "" if codes is None else plain(float(codes[k]))
        if run.side == "input":
            code = style.volts(float(model.law.volts(model.tuning.octaves([note], model.law.reference_note))[0]))
        mine = read.get(note)
        value = "" if mine is None else _value(float(judged.values[mine]), run.quantity, style)
        off = "" if mine is None else style.cents(float(judged.error_cents[mine]), sign=True)
        wide = "–" if meter is None else f"{style.size_of_cents(meter)} ct"
        yield (
            (_TICK if mine is None else "☑", note_label(note, style), code, *shown, wide, value, off),
            (
                plain(note),
                code,
                *("" if one is None else repr(one) for one in (expect, low, high)),
                unit,
                "" if meter is None else repr(meter),
            ),
        )


def _value(value: float | None, quantity: str, style: Style) -> str:
    if value is None or not np.isfinite(value):
        return "–"
    if quantity == "volts":
        return style.volts(value)
    return style.hertz(value) if quantity == "hertz" else f"{style.cents(value, sign=True)} ct"


def _meter(judged: RunAnalysis, note: float, expect: float) -> float | None:
    """U = 2u of one reading there, cents; None where no instrument is known."""
    limits = judged.meter
    if limits is None:
        return None
    if isinstance(limits, MeterRange):
        return limits.expanded_volts(expect) * float(judged.model.cents_per_reading_unit([expect])[0])
    hertz = float(judged.model.tuning.hertz([note])[0])
    return limits.expanded_cents(hertz)


def _turns(judged: RunAnalysis, style: Style) -> Iterator[Block]:
    fit = judged.fit
    if fit is None or not judged.corrections:
        return
    yield Heading("To turn or to change")
    rows = [(_TICK, correction_title(one), correction_detail(one, fit, style)) for one in judged.corrections]
    yield Cells(("", "one of these", "how"), tuple(rows), frozenset((1, 2)))


# -- a walk ----------------------------------------------------------------------------------------


def walk_sheet(bench: Bench, judged: RunAnalysis, trims: Trims, style: Style) -> Report:
    """The sheet of a walk through trimmers: its steps, and the targets of the turn that depends on what is read."""
    run = judged.run
    title = f"{bench.label(run.channel)}, unit {run.serial}: trim walk"
    blocks: list[Block] = [
        Heading(f"Bench sheet: {title}", 1),
        Paragraph(" · ".join(taken_with(bench, judged, style)), "small"),
        Heading("Step by step"),
        Cells(
            ("", "play", "turn", "until it reads", "read"),
            tuple((_TICK, *_step(trims, one, style), "") for one in sheet_steps(trims)),
            frozenset((1, 2, 3)),
        ),
    ]
    table = turn_table(trims)
    if table:
        turns = tuple(
            (style.cents(off, sign=True), style.cents(target, sign=True), style.hertz(trims.hertz(note, target)))
            for off, note, target in table
        )
        where = note_label(table[0][1], style)
        blocks += [
            Heading("The scale's turn"),
            Cells(
                (f"{note_label(trims.high_note, style)} off by ct", f"turn until {where} is at ct", "that is"), turns
            ),
        ]
    blocks.append(Paragraph(f"Good when every note is within {style.cents(trims.tolerance_cents)} ct.", "strong"))
    blocks.append(SignHere(("Room, °C", "Minutes on", "By", "Date")))
    rows = tuple(
        (plain(one.note), one.turn, "" if one.target_cents is None else repr(one.target_cents), one.until)
        for one in sheet_steps(trims)
    )
    return Report(f"Bench sheet, {title}", tuple(blocks), _STEPS, rows)


def _step(trims: Trims, step: SheetStep, style: Style) -> tuple[str, str, str]:
    play = note_label(step.note, style)
    until = style.hertz(trims.hertz(step.note)) if step.target_cents is not None else step.until
    return play, TURN_NAMES[step.turn], until
