"""A report as one HTML page."""

from __future__ import annotations

from html import escape
from typing import Final, Literal

from dynamis.bench.reports.blocks import Block, Cells, Figure, Heading, Paragraph, Report, Sentences
from dynamis.files.html_page import listed, page
from dynamis.plotting.svg import svg_text

Paper = Literal["a4", "letter"]
PAPERS: Final[tuple[Paper, ...]] = ("a4", "letter")
_SIZES: Final = {"a4": "A4", "letter": "letter"}


def as_html(report: Report, paper: Paper = "a4") -> str:
    """The whole page; paper : what it is printed on."""
    return page(report.title, [_block(one) for one in report.blocks], _SIZES[paper])


def _block(block: Block) -> str:
    if isinstance(block, Heading):
        return f"<h{block.level}>{escape(block.text)}</h{block.level}>"
    if isinstance(block, Paragraph):
        text = escape(block.text)
        if block.kind == "strong":
            return f"<p><b>{text}</b></p>"
        return f'<p class="small">{text}</p>' if block.kind == "small" else f"<p>{text}</p>"
    if isinstance(block, Sentences):
        return listed([one for one in block.texts if one])
    if isinstance(block, Cells):
        return _table(block)
    if isinstance(block, Figure):
        return svg_text(block.drawing)
    lines = "".join(f'<td class="left">{escape(one)}</td><td class="line"></td>' for one in block.labels)
    return f'<table class="sign"><tr>{lines}</tr></table>'


def _table(cells: Cells) -> str:
    def row(texts: tuple[str, ...], tag: str) -> str:
        sides = (' class="left"' if k in cells.left else "" for k in range(len(texts)))
        return "".join(f"<{tag}{side}>{escape(text)}</{tag}>" for side, text in zip(sides, texts, strict=True))

    body = "".join(
        f"<tr{' class=' + chr(34) + 'void' + chr(34) if k in cells.struck else ''}>{row(one, 'td')}</tr>"
        for k, one in enumerate(cells.rows)
    )
    return f"<table><tr>{row(cells.headings, 'th')}</tr>{body}</table>"
