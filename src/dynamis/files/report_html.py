"""A report of the runs of a bench as one HTML page: plot, words, ways to correct, readings."""

from __future__ import annotations

from html import escape

import numpy as np

from dynamis import __version__
from dynamis.bench.document.bench import Bench
from dynamis.bench.runs.advice import plugging_sentence
from dynamis.bench.runs.analysis import RunAnalysis, analyse
from dynamis.calibration.causes.words import shape_sentences
from dynamis.calibration.words import (
    VERDICT_WORDS,
    correction_detail,
    correction_leaves,
    correction_title,
    proof_sentences,
    verdict_sentence,
)
from dynamis.files.html_page import listed, page
from dynamis.files.store import BenchFile
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import law_words
from dynamis.pitch.notes import note_label
from dynamis.plotting.axis import Axis
from dynamis.plotting.svg import Svg
from dynamis.plotting.ticks import note_ticks, number_ticks

_WIDTH, _HEIGHT, _LEFT, _BOTTOM = 760.0, 280.0, 52.0, 28.0


def report_html(bench_file: BenchFile, style: Style) -> str:
    """The whole page; every sentence and number comes from the judgement of the run."""
    bench = bench_file.bench()
    parts = [f"<h1>{escape(bench.name)}</h1>"]
    if bench.notes:
        parts.append(f"<p>{escape(bench.notes)}</p>")
    runs = bench_file.runs()
    if not runs:
        parts.append("<p>No run has been taken on this bench.</p>")
    for run in runs:
        parts.append(_run(bench, analyse(run, bench_file.readings(run.id)), style))
    parts.append(
        f'<p class="small">± is an expanded uncertainty, k = 2; errors are found minus wanted, sharp is '
        f"positive. Dynamis {__version__}.</p>"
    )
    return page(bench.name, parts)


def _run(bench: Bench, judged: RunAnalysis, style: Style) -> str:
    run = judged.run
    pieces = [f"<h2>{escape(bench.label(run.channel))}, unit {escape(run.serial)}: {escape(run.title)}</h2>"]
    law = judged.model.law
    facts = [run.created[:10], law_words(law, note_label(law.reference_note, style))]
    if judged.meter is not None and run.meter is not None:
        span = " range" if run.meter.range_name else ""
        facts.append(f"{run.meter.label}{span}, ± ({judged.meter.words(style)})")
    if run.celsius is not None:
        facts.append(f"{style.number(run.celsius, 1)} °C")
    facts.append(", ".join(bench.label(ref) for ref in run.plugged) + " plugged" if run.plugged else "nothing plugged")
    pieces.append(f'<p class="small">{escape(" · ".join(facts))}</p>')
    if judged.verdict is None or judged.deciding_index is None:
        return "\n".join([*pieces, "<p>No reading.</p>"])
    k = judged.deciding_index
    words = verdict_sentence(
        judged.verdict,
        float(judged.error_cents[k]),
        float(judged.notes[k]),
        float(judged.expanded_cents[k]),
        float(judged.allowed_cents[k]),
        style,
    )
    pieces.append(f"<p><b>{escape(words[0].upper() + words[1:])}.</b></p>")
    pieces.append(_plot(judged, style))
    sentences = shape_sentences(judged.shape, style, judged.loading_factor) if judged.shape else [judged.why_no_fit]
    if judged.proof is not None:
        sentences += proof_sentences(judged.proof, style)
    plugging = plugging_sentence(bench, run, style)
    sentences += [plugging] if plugging else []
    pieces.append(listed(sentences))
    pieces.append(_correction_rows(judged, style))
    pieces.append(_readings(judged, style))
    return "\n".join(pieces)


def _correction_rows(judged: RunAnalysis, style: Style) -> str:
    fit = judged.fit
    if fit is None or not judged.corrections:
        return ""
    rows = "".join(
        f'<tr><td class="left">{escape(correction_title(correction))}</td>'
        f"<td>{escape(correction_leaves(correction, style))}</td>"
        f'<td class="left">{escape(VERDICT_WORDS[correction.verdict])}</td>'
        f'<td class="left small">{escape(correction_detail(correction, fit, style))}</td></tr>'
        for correction in judged.corrections
    )
    return f'<table><tr><th class="left">way to correct</th><th></th><th></th><th></th></tr>{rows}</table>'


def _readings(judged: RunAnalysis, style: Style) -> str:
    index = {row.id: k for k, row in enumerate(judged.valid)}
    unit = {"volts": "V", "hertz": "Hz", "cents": "ct"}[judged.run.quantity]
    rows = []
    for row in judged.rows:
        k = index.get(row.id)
        error = None if k is None else float(judged.error_cents[k])
        worth = None if k is None else float(judged.expanded_cents[k])
        wanted = float(judged.model.expected_shown(row.note))
        shown = style.volts(wanted) if judged.model.quantity == "volts" else style.hertz(wanted)
        rows.append(
            f'<tr class="{"void" if row.voided else ""}"><td>{escape(note_label(row.note, style))}</td>'
            f"<td>{plain(row.code) if row.code is not None else '–'}</td><td>{shown}</td>"
            f"<td>{style.number(row.value, 4)} {unit}</td><td>{style.cents(error, sign=True)}</td>"
            f'<td>{style.cents(worth)}</td><td class="left">{escape(row.void_reason)}</td></tr>'
        )
    head = "".join(f"<th>{text}</th>" for text in ("note", "code", "wanted", "read", "off by ct", "worth ± ct", ""))
    return f"<table><tr>{head}</tr>{''.join(rows)}</table>"


def _plot(judged: RunAnalysis, style: Style) -> str:
    """Errors with their uncertainty, the tolerance, and what the constants would leave, as SVG."""
    notes, errors, expanded = judged.notes, judged.error_cents, judged.expanded_cents
    correction = judged.correction("constants")
    low, high = float(notes.min()) - 2, float(notes.max()) + 2
    reach = max(float(np.max(np.abs(errors) + expanded)), float(np.nanmax(judged.allowed_cents, initial=1.0))) * 1.08

    across, up = Axis(low, high, _LEFT, _WIDTH - 8.0), Axis(-reach, reach, _HEIGHT - _BOTTOM, 0.0)
    svg = Svg(_WIDTH, _HEIGHT, "Error against note, cents")
    for first, last, cents in judged.tolerance.spans:
        left, right = max(first - 0.5, low), min(last + 0.5, high)
        if right > left:
            top = up.at(cents)
            svg.rectangle(across.at(left), top, across.at(right) - across.at(left), up.at(-cents) - top, "#dbe7f2")
    for tick in number_ticks(-reach, reach, 8, style):
        y = up.at(tick.place)
        svg.line([(_LEFT, y), (_WIDTH - 8.0, y)], "#dde3e8")
        svg.text(_LEFT - 8.0, y + 4.0, tick.text, "#566573", "end")
    for tick in note_ticks(low, high, across.pixels, style):
        svg.text(across.at(tick.place), _HEIGHT - 8.0, tick.text, "#566573")
    for note, cents, half in zip(notes, errors, expanded, strict=True):
        x = across.at(float(note))
        svg.line([(x, up.at(float(cents - half))), (x, up.at(float(cents + half)))], "#16212b")
        svg.disc(x, up.at(float(cents)), 3.4, "#16212b")
    if correction is not None:
        for note, cents in zip(correction.notes, correction.left_cents, strict=True):
            svg.disc(across.at(float(note)), up.at(float(cents)), 3.4, "#f8fafc", "#0b5cad")
    return svg.whole()
