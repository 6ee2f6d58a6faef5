"""The look of every page that leaves the program: reports, wiring cards."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape

# In pixels, which a window's own rich text understands too.
_CSS = """
body { font: 15px/1.45 Inter, "DejaVu Sans", sans-serif; color: #16212b; background: #f8fafc; max-width: 960px;
  margin: 32px auto; padding: 0 16px; font-variant-numeric: tabular-nums; }
h1 { font-size: 23px; font-weight: 600; }
h2 { font-size: 17px; font-weight: 600; border-top: 1px solid #c3ced6; padding-top: 14px; margin-top: 24px; }
p.small, td.small { color: #566573; } li { margin: 3px 0; } ul { padding-left: 22px; }
table { border-collapse: collapse; } td, th { padding: 3px 11px; text-align: right; } th { color: #566573;
  font-weight: 500; border-bottom: 1px solid #c3ced6; } td.left, th.left { text-align: left; padding-left: 0;
  padding-right: 22px; }
tr.void td { color: #566573; text-decoration: line-through; }
table.sign { width: 100%; margin-top: 40px; } table.sign td.line { border-bottom: 1px solid #566573; width: 24%; }
@media print { body { background: #fff; margin: 0; } h2 { break-after: avoid; } svg, tr { break-inside: avoid; } }
"""


def page(title: str, parts: Iterable[str], paper: str = "A4") -> str:
    """A whole page; title : plain text.  parts : HTML, the empty ones are passed over.  paper : as CSS calls it."""
    body = "\n".join(part for part in parts if part)
    return (
        f'<!DOCTYPE html>\n<html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<style>{_CSS}@page {{ size: {paper}; margin: 16mm; }}\n</style></head>\n<body>\n{body}\n</body></html>\n"
    )


def listed(lines: Sequence[str]) -> str:
    """Sentences of plain text as a list; nothing for none."""
    return "<ul>" + "".join(f"<li>{escape(line)}</li>" for line in lines) + "</ul>" if lines else ""


def left_table(headings: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    """A table of plain texts that stand left."""
    head = "".join(f'<th class="left" align="left">{escape(heading)}</th>' for heading in headings)
    body = "".join(
        "<tr>" + "".join(f'<td class="left" align="left">{escape(cell)}</td>' for cell in row) + "</tr>" for row in rows
    )
    return f'<table cellspacing="0"><tr>{head}</tr>{body}</table>'
