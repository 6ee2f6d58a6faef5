"""One run in a report: what it was taken with, its verdict, its picture, what it shows, and its readings."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.records import RunRecord
from dynamis.bench.gear.instruments import instrument_facts
from dynamis.bench.reports.blocks import Block, Cells, Figure, Heading, Paragraph, Sentences
from dynamis.bench.reports.pictures import error_picture
from dynamis.bench.runs.advice import plugging_sentence
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.tracking import said_of
from dynamis.calibration.words import (
    VERDICT_WORDS,
    correction_detail,
    correction_leaves,
    correction_title,
    proof_sentences,
    verdict_sentence,
)
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import law_words
from dynamis.pitch.notes import note_label, note_name
from dynamis.pitch.tolerance import judge

UNITS = {"volts": "V", "hertz": "Hz", "cents": "ct"}
READ_HEADINGS = (
    "unit",
    "channel",
    "run",
    "title",
    "taken",
    "note",
    "name",
    "code",
    "wanted",
    "read",
    "quantity",
    "error_cents",
    "expanded_cents",
    "allowed_cents",
    "verdict",
    "voided",
)


def run_blocks(bench: Bench, judged: RunAnalysis, style: Style, *, ways: bool = True) -> Iterator[Block]:
    """The blocks of a run.  ways : whether the ways to correct stand among them."""
    run = judged.run
    yield Heading(f"{bench.label(run.channel)}, unit {run.serial}: {run.title}")
    yield Paragraph(" · ".join(taken_with(bench, judged, style)), "small")
    if judged.verdict is None or judged.deciding_index is None:
        yield Paragraph("No reading.")
        return
    yield Paragraph(f"{verdict_words(judged, style)}.", "strong")
    yield Figure(error_picture(judged, style))
    sentences = said_of(judged, style)
    if judged.proof is not None:
        sentences += proof_sentences(judged.proof, style)
    plugging = plugging_sentence(bench, run, style)
    yield Sentences((*sentences, *([plugging] if plugging else [])))
    if ways:
        yield from _ways(judged, style)
    yield _readings(judged, style)


def taken_with(bench: Bench, judged: RunAnalysis, style: Style) -> list[str]:
    """The day, the law, the instrument with its limits, the temperature, and what was plugged in."""
    run, law = judged.run, judged.model.law
    facts = [run.created[:10], law_words(law, note_label(law.reference_note, style))]
    if judged.meter is not None:
        facts += instrument_facts(run, judged.meter, style)
    if run.celsius is not None:
        facts.append(f"{style.number(run.celsius, 1)} °C")
    if run.warm_minutes is not None:
        facts.append(f"{style.number(run.warm_minutes, 0)} min after switching on")
    facts.append(", ".join(bench.label(ref) for ref in run.plugged) + " plugged" if run.plugged else "nothing plugged")
    return facts


def verdict_words(judged: RunAnalysis, style: Style) -> str:
    """The verdict with the reading that decides it."""
    k = judged.deciding_index
    if judged.verdict is None or k is None:
        return "No reading"
    words = verdict_sentence(
        judged.verdict,
        float(judged.error_cents[k]),
        float(judged.notes[k]),
        float(judged.expanded_cents[k]),
        float(judged.allowed_cents[k]),
        style,
    )
    return words[0].upper() + words[1:]


def _ways(judged: RunAnalysis, style: Style) -> Iterator[Block]:
    fit = judged.fit
    if fit is None or not judged.corrections:
        return
    rows = tuple(
        (
            correction_title(one),
            correction_leaves(one, style),
            VERDICT_WORDS[one.verdict],
            correction_detail(one, fit, style),
        )
        for one in judged.corrections
    )
    yield Cells(("way to correct", "leaves", "", "how"), rows, frozenset((0, 2, 3)))


def _readings(judged: RunAnalysis, style: Style) -> Block:
    index = {row.id: k for k, row in enumerate(judged.valid)}
    unit = UNITS[judged.run.quantity]
    rows: list[tuple[str, ...]] = []
    struck: set[int] = set()
    for row in judged.rows:
        k = index.get(row.id)
        error = None if k is None else float(judged.error_cents[k])
        expanded = None if k is None else float(judged.expanded_cents[k])
        wanted = float(judged.model.expected_shown(row.note))
        if row.voided:
            struck.add(len(rows))
        rows.append(
            (
                note_label(row.note, style),
                plain(row.code) if row.code is not None else "–",
                style.volts(wanted) if judged.model.quantity == "volts" else style.hertz(wanted),
                f"{style.number(row.value, 4)} {unit}",
                style.cents(error, sign=True),
                style.cents(expanded),
                row.void_reason,
            )
        )
    headings = ("note", "code", "wanted", "read", "off by ct", "± ct (k = 2)", "")
    return Cells(headings, tuple(rows), frozenset((6,)), frozenset(struck))


def reading_rows(bench: Bench, judged: RunAnalysis) -> Iterator[tuple[str, ...]]:
    """Every reading for other programs, as `READ_HEADINGS` says; full precision, empty where there is no number."""
    run: RunRecord = judged.run
    index = {row.id: k for k, row in enumerate(judged.valid)}
    ascii_style = Style(ascii_accidentals=True)
    for row in judged.rows:
        k = index.get(row.id)
        numbers, verdict = ["", "", ""], ""
        if k is not None:
            each = judged.error_cents[k], judged.expanded_cents[k], judged.allowed_cents[k]
            numbers = [repr(float(one)) if np.isfinite(one) else "" for one in each]
            if np.isfinite(each[2]):
                verdict = judge(*(np.array([one]) for one in each))
        wanted = float(judged.model.expected_shown(row.note))
        yield (
            run.serial,
            bench.port(run.channel).name,
            run.id,
            run.title,
            row.taken,
            plain(row.note),
            note_name(row.note, ascii_style) or "",
            "" if row.code is None else plain(row.code),
            repr(wanted) if np.isfinite(wanted) else "",
            repr(row.value),
            run.quantity,
            *numbers,
            verdict,
            row.void_reason if row.voided else "",
        )
