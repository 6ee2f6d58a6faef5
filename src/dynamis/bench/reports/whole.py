"""The report of a bench: all of its runs."""

from __future__ import annotations

from collections.abc import Sequence

from dynamis import __version__
from dynamis.bench.document.bench import Bench
from dynamis.bench.reports.blocks import Block, Heading, Paragraph, Report
from dynamis.bench.reports.run_part import READ_HEADINGS, reading_rows, run_blocks
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.notation.style import Style

HOW_TO_READ = (
    "± is an expanded uncertainty, k = 2; errors are found minus wanted, sharp is positive. Dynamis {version}."
)


def bench_report(bench: Bench, runs: Sequence[RunAnalysis], style: Style) -> Report:
    """Every sentence and number comes from the judgement of the runs."""
    blocks: list[Block] = [Heading(bench.name, 1)]
    if bench.notes:
        blocks.append(Paragraph(bench.notes))
    if not runs:
        blocks.append(Paragraph("No run has been taken on this bench."))
    for judged in runs:
        blocks += run_blocks(bench, judged, style)
    blocks.append(Paragraph(HOW_TO_READ.format(version=__version__), "small"))
    rows = tuple(row for judged in runs for row in reading_rows(bench, judged))
    return Report(bench.name, tuple(blocks), READ_HEADINGS, rows)
