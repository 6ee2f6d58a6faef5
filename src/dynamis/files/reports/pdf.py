"""A report as PDF, on A4 or Letter, with its typefaces in it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Final

import dynamis
from dynamis.bench.reports.blocks import Block, Cells, Figure, Heading, Paragraph, Report, Sentences, SignHere
from dynamis.files.reports.html import Paper
from dynamis.plotting.drawing import Disc, Drawing, Line, Rectangle

if TYPE_CHECKING:
    from fpdf import FPDF

_FONT: Final = Path(dynamis.__file__).parent / "ui" / "theme" / "fonts" / "DejaVuSans.ttf"
_INK, _MUTED, _RULE = (22, 33, 43), (86, 101, 115), (195, 206, 214)
_MARGIN: Final = 16.0
_SIZES: Final = {1: 15.0, 2: 12.0, 3: 10.5}
_TEXT, _SMALL, _STRONG = 9.0, 7.5, 10.5
_POINT_MM: Final = 25.4 / 72.0


def as_pdf(report: Report, paper: Paper = "a4") -> bytes:
    """The pages; each has the title and its number at its foot."""
    pdf = _begun(report, paper)
    for block in report.blocks:
        _put(pdf, block)
    return bytes(pdf.output())


def _begun(report: Report, paper: Paper) -> FPDF:
    # Only where a PDF is written.
    from fpdf import FPDF

    class Pages(FPDF):
        def footer(self) -> None:
            self.set_y(-_MARGIN + 3.0)
            _pen(self, _SMALL, _MUTED)
            self.cell(0, 4.0, f"{report.title} · {self.page_no()} / {{nb}}", align="R")

    pdf = Pages(format=paper, unit="mm")
    pdf.set_margins(_MARGIN, _MARGIN, _MARGIN)
    pdf.set_auto_page_break(True, _MARGIN + 4.0)
    pdf.alias_nb_pages()
    # One typeface, with all signs in it: those with outlines of another kind are embedded wrongly.
    pdf.add_font("text", "", _FONT)
    pdf.set_title(report.title)
    pdf.set_creator(f"Dynamis {dynamis.__version__}")
    pdf.add_page()
    return pdf


def _pen(pdf: FPDF, size: float, colour: tuple[int, int, int] = _INK) -> None:
    pdf.set_font("text", "", size)
    pdf.set_text_color(*colour)


def _put(pdf: FPDF, block: Block) -> None:
    if isinstance(block, Heading):
        if block.level > 1:
            _room(pdf, 30.0)
            pdf.set_draw_color(*_RULE)
            pdf.set_line_width(0.2)
            pdf.ln(2.0)
            pdf.line(_MARGIN, pdf.get_y(), pdf.w - _MARGIN, pdf.get_y())
            pdf.ln(2.5)
        _pen(pdf, _SIZES[block.level])
        _words(pdf, block.text, _SIZES[block.level], 2.0)
    elif isinstance(block, Paragraph):
        size = {"small": _SMALL, "plain": _TEXT, "strong": _STRONG}[block.kind]
        _pen(pdf, size, _MUTED if block.kind == "small" else _INK)
        _words(pdf, block.text, size, 1.6)
    elif isinstance(block, Sentences):
        _pen(pdf, _TEXT)
        for text in block.texts:
            if text:
                pdf.set_x(_MARGIN)
                pdf.cell(4.0, _line(_TEXT), "·")
                _words(pdf, text, _TEXT, 0.6)
        pdf.ln(1.2)
    elif isinstance(block, Cells):
        _table(pdf, block)
    elif isinstance(block, Figure):
        _figure(pdf, block.drawing)
    else:
        _sign(pdf, block)


def _line(size: float) -> float:
    return size * _POINT_MM * 1.4


def _words(pdf: FPDF, text: str, size: float, after: float) -> None:
    pdf.multi_cell(0, _line(size), text, new_x="LMARGIN", new_y="NEXT", align="L")
    pdf.ln(after)


def _room(pdf: FPDF, height: float) -> None:
    """A new page where so much does not fit on this one."""
    if pdf.will_page_break(height):
        pdf.add_page()


def _table(pdf: FPDF, cells: Cells) -> None:
    from fpdf.enums import TableBordersLayout
    from fpdf.fonts import FontFace

    if not cells.rows:
        return
    _pen(pdf, _SMALL)
    pdf.set_draw_color(*_RULE)
    pdf.set_line_width(0.15)
    pdf.set_fill_color(255)
    widths = _widths(pdf, cells)
    with pdf.table(
        borders_layout=TableBordersLayout.SINGLE_TOP_LINE,
        col_widths=widths,
        width=min(pdf.epw, sum(widths)),
        align="L",
        text_align=tuple("LEFT" if k in cells.left else "RIGHT" for k in range(len(cells.headings))),
        headings_style=FontFace(emphasis="", color=_MUTED),
        line_height=_line(_SMALL),
        padding=(0.3, 1.4, 0.3, 0.6),
    ) as table:
        table.row(cells.headings)
        for k, texts in enumerate(cells.rows):
            table.row(texts, style=FontFace(color=_MUTED, emphasis="S") if k in cells.struck else None)
    pdf.ln(2.5)


def _widths(pdf: FPDF, cells: Cells) -> tuple[float, ...]:
    """As wide as the longest cell of each column; where that is too much, the widest give way."""
    columns = list(zip(cells.headings, *cells.rows, strict=True))
    widths = [max(pdf.get_string_width(text) for text in texts) + 3.2 for texts in columns]
    while sum(widths) > pdf.epw:
        widest, second = sorted(widths)[-1], max((one for one in widths if one < max(widths)), default=0.0)
        count = sum(one == widest for one in widths)
        cut = max(second, widest - (sum(widths) - pdf.epw) / count, 8.0)
        if cut >= widest:
            break
        widths = [cut if one == widest else one for one in widths]
    return tuple(widths)


def _figure(pdf: FPDF, drawing: Drawing) -> None:
    scale = pdf.epw / drawing.width
    _room(pdf, drawing.height * scale + 2.0)
    left, top = _MARGIN, pdf.get_y()

    def at(x: float, y: float) -> tuple[float, float]:
        return left + x * scale, top + y * scale

    for one in drawing.shapes:
        if isinstance(one, Rectangle):
            pdf.set_fill_color(one.fill)
            pdf.rect(*at(one.left, one.top), one.width * scale, one.height * scale, style="F")
        elif isinstance(one, Line):
            pdf.set_draw_color(one.stroke)
            pdf.set_line_width(one.width * scale)
            pdf.polyline([at(x, y) for x, y in one.points])
        elif isinstance(one, Disc):
            pdf.set_fill_color(one.fill)
            if one.stroke:
                pdf.set_draw_color(one.stroke)
                pdf.set_line_width(1.5 * scale)
            pdf.circle(*at(one.x, one.y), one.radius * scale, style="DF" if one.stroke else "F")
        else:
            size = one.size * scale / _POINT_MM
            pdf.set_font("text", "", size)
            pdf.set_text_color(one.fill)
            wide = pdf.get_string_width(one.words)
            x, y = at(one.x, one.y)
            pdf.text(x - {"start": 0.0, "middle": 0.5, "end": 1.0}[one.anchor] * wide, y, one.words)
    pdf.set_y(top + drawing.height * scale + 2.5)


def _sign(pdf: FPDF, block: SignHere) -> None:
    _room(pdf, 22.0)
    pdf.ln(12.0)
    y, wide = pdf.get_y(), pdf.epw / len(block.labels)
    pdf.set_draw_color(*_MUTED)
    pdf.set_line_width(0.2)
    for k, text in enumerate(block.labels):
        x = _MARGIN + k * wide
        pdf.line(x, y, x + wide - 6.0, y)
        pdf.set_xy(x, y + 0.8)
        _pen(pdf, _SMALL, _MUTED)
        pdf.cell(wide - 6.0, 4.0, text)
    pdf.set_y(y + 8.0)
