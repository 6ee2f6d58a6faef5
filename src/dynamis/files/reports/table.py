"""A report's numbers as CSV."""

from __future__ import annotations

import csv
import io

from dynamis.bench.reports.blocks import Report
from dynamis.notation.safe import csv_row


def as_csv(report: Report) -> str:
    """One row of headings, then the rows at full precision."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(report.headings)
    writer.writerows(csv_row(row) for row in report.rows)
    return out.getvalue()
