"""A wiring card as HTML, to print and to pin over the bench."""

from __future__ import annotations

from html import escape

from dynamis.bench.judging.wiring import WiringCard
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.files.html_page import left_table, listed, page


def wiring_html(card: WiringCard, bench_name: str) -> str:
    """The whole card as one page."""
    checks = [f"<p>☐ {escape(check)}</p>" for check in card.checks]
    verdict = VERDICT_WORDS[card.verdict.verdict]
    parts = [
        f"<h1>{escape(card.title)}</h1>",
        f'<p class="small">{escape(bench_name)} · {escape(card.verdict.role)}</p>',
        f"<p><b>{verdict[0].upper()}{verdict[1:]}.</b></p>",
        listed([finding.text for finding in card.verdict.findings]),
        f"<h2>Lead</h2><p>{escape(card.lead[0].upper() + card.lead[1:])}.</p>",
        left_table(("output", "wire", "input"), [(row.sends, row.how, row.takes) for row in card.rows]),
        _part("Between", card.between),
        "".join(["<h2>Before you switch on</h2>", *checks]) if checks else "",
        _part("Cautions", [caution.text for caution in card.cautions]),
    ]
    return page(card.title, parts)


def _part(heading: str, lines: tuple[str, ...] | list[str]) -> str:
    return f"<h2>{heading}</h2>{listed(lines)}" if lines else ""
