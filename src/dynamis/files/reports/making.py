"""The reports of what a bench file holds, and the bytes of one by the ending of its name."""

from __future__ import annotations

from pathlib import Path

from dynamis.bench.reports.batch import batch
from dynamis.bench.reports.blocks import Report
from dynamis.bench.reports.certificate import certificate
from dynamis.bench.reports.whole import bench_report
from dynamis.bench.runs.analysis import RunAnalysis, analyse
from dynamis.errors import InputError
from dynamis.files.contents import Contents
from dynamis.files.reports.html import Paper, as_html
from dynamis.notation.style import Style

ENDINGS = (".pdf", ".html", ".csv")


def judged_runs(contents: Contents, gear_id: str = "", serial: str = "") -> list[RunAnalysis]:
    """The runs of a bench, or of one gear or unit of it, judged."""
    mine = [
        run for run in contents.runs if (not gear_id or run.gear == gear_id) and (not serial or run.serial == serial)
    ]
    rows: dict[str, list[object]] = {run.id: [] for run in mine}
    for reading in contents.readings:
        if reading.run in rows:
            rows[reading.run].append(reading)
    return [analyse(run, rows[run.id]) for run in mine]  # type: ignore[arg-type]


def whole_report(contents: Contents, style: Style) -> Report:
    return bench_report(contents.bench, judged_runs(contents), style)


def unit_report(contents: Contents, gear_id: str, serial: str, style: Style) -> Report:
    """The certificate of a unit; raises InputError where nothing of it was read."""
    runs = judged_runs(contents, gear_id, serial)
    return certificate(contents.bench, gear_id, serial, runs, contents.adoptions, style)


def batch_report(contents: Contents, gear_id: str, style: Style) -> Report:
    """All units of a gear, with the yield."""
    return batch(contents.bench, gear_id, judged_runs(contents, gear_id), contents.adoptions, style)


def written_as(report: Report, path: Path, paper: Paper = "a4") -> bytes:
    """A report as the ending of a file's name says; raises InputError for another ending."""
    ending = path.suffix.lower()
    if ending == ".html":
        return as_html(report, paper).encode("utf-8")
    if ending == ".csv":
        from dynamis.files.reports.table import as_csv

        return as_csv(report).encode("utf-8")
    if ending == ".pdf":
        from dynamis.files.reports.pdf import as_pdf

        return as_pdf(report, paper)
    raise InputError(f"{path}: a report is a .pdf, .html or .csv file; another ending was given.")
