"""A wiring card as HTML, black on white, to print and to pin over the bench."""

from __future__ import annotations

from html import escape

from dynamis.bench.judging.wiring import WiringCard
from dynamis.electrics.finding import VERDICT_WORDS


def wiring_html(card: WiringCard, bench_name: str) -> str:
    """The whole card as one page."""
    rows = "".join(
        f"<tr><td>{escape(row.sends)}</td><td>{escape(row.how)}</td><td>{escape(row.takes)}</td></tr>"
        for row in card.rows
    )
    parts = [
        f"<h2>{escape(card.title)}</h2>",
        f"<p>{escape(bench_name)} · {escape(card.verdict.role)} · <b>{VERDICT_WORDS[card.verdict.verdict]}</b></p>",
        f"<h3>Lead</h3><p>{escape(card.lead)}</p>",
        '<table border="1" cellspacing="0" cellpadding="5"><tr><th align="left">output</th><th></th>'
        f'<th align="left">input</th></tr>{rows}</table>',
        _list("Between", card.between),
        _list("Before you switch on", [f"☐ {one}" for one in card.checks]),
        _list("Findings", [one.text for one in card.verdict.findings]),
        _list("Cautions", [one.text for one in card.cautions]),
    ]
    body = "\n".join(part for part in parts if part)
    return (
        f'<!DOCTYPE html>\n<html lang="en"><head><meta charset="utf-8"><title>{escape(card.title)}</title></head>'
        f'<body style="color: #000; background: #fff;">\n{body}\n</body></html>\n'
    )


def _list(heading: str, lines: tuple[str, ...] | list[str]) -> str:
    if not lines:
        return ""
    return f"<h3>{heading}</h3>" + "".join(f"<p>{escape(line)}</p>" for line in lines)
