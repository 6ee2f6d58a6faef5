"""What the pages of the Circuit station have in common that are made for a link: what it asks at the left, a panel of
their own over the schematic, the chosen circuit at the right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from dynamis.bench.document.ports import PortRef
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.drawing import SchematicView
from dynamis.ui.views.circuit.side import SidePanel
from dynamis.ui.widgets.panel import Panel, scrolling
from dynamis.ui.widgets.table import Table


class LinkPage(QWidget):
    """table : what Copy and Save CSV work on.  left : the title of what the link asks.  over : that of the panel over
    the schematic.  pages : of sentences, between the parts and the SPICE text."""

    table: Table

    def __init__(self, session: Session, colours: Colours, left: str, over: str, pages: Sequence[str]) -> None:
        super().__init__()
        self._session, self.colours = session, colours
        self._pair: tuple[PortRef, PortRef] | None = None
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(13)
        self.requirement_panel, self.over = Panel(left, left), Panel(over, over)
        self._fill()  # in the order in which Tab goes through it
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(11)
        column.addWidget(self.over, 4)
        under = Panel("Schematic", "Schematic")
        self.drawing = SchematicView(colours, session.style)
        self.drawing.slot_chosen.connect(self._slot_chosen)
        under.body.addWidget(scrolling(self.drawing, across=True), 1)
        column.addWidget(under, 5)
        self.side = SidePanel(session, pages, self.parts_text)
        self.use, self.spice = self.side.endings.use, self.side.spice
        self.side.values.changed.connect(self._changed)
        for one, stretch in ((self.requirement_panel, 0), (middle, 1), (self.side, 0)):
            across.addWidget(one, stretch)

    def sides(self, requirement: int, side: int) -> tuple[tuple[QWidget, int], ...]:
        """The panels at both sides with the widths they should have."""
        return (self.requirement_panel, requirement), (self.side, side)

    def dress(self, colours: Colours, *, zigzag: bool) -> None:
        self.colours = colours
        self.drawing.colours, self.drawing.number_style = colours, self._session.style
        self.drawing.zigzag = zigzag

    def _slot_chosen(self, name: str) -> None:
        self.drawing.choose(name)
        self.side.tabs.show_page(0)
        self.side.values.focus(name)

    def show_pair(self, output: PortRef, sink: PortRef) -> None:
        """Show what stands, or would stand, between a pair."""
        raise NotImplementedError

    def use_in_link(self) -> None:
        """Put what is shown onto the bench; one revision, taken back by undo."""
        raise NotImplementedError

    def first(self) -> QWidget:
        """What gets the focus first."""
        raise NotImplementedError

    def _fill(self) -> None:
        """Put what is the page's own into `wish_panel` and `over`."""
        raise NotImplementedError

    def _changed(self, name: str, ohms: float) -> None:
        """A part was typed or stepped to other ohms."""
        raise NotImplementedError

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        raise NotImplementedError
