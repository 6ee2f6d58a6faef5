"""The wiring card on the screen: to look at, print, and keep as PDF or HTML."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer
from PySide6.QtGui import QPageSize, QPdfWriter, QTextDocument
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFileDialog, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.wiring import wiring_card
from dynamis.errors import InputError
from dynamis.files.wiring_html import wiring_html
from dynamis.files.writing import write_whole
from dynamis.ui.session.session import Session

_MARGIN = 4.0
# A page has its edges from the reader of it; here they are the document's.
_OF_RICH_TEXT = "ul { margin-left: -18px; }"


class WiringDialog(QDialog):
    """The card of one pair."""

    def __init__(self, parent: QWidget | None, session: Session, output: PortRef, sink: PortRef) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Wiring card")
        self.card = wiring_card(session.bench, output, sink, session.style)
        self.html = wiring_html(self.card, session.bench.name)
        self.shown = QTextBrowser()
        self.shown.setAccessibleName("Wiring card")
        self.shown.document().setDefaultStyleSheet(_OF_RICH_TEXT)
        self.shown.setHtml(self.html)
        self.shown.document().setDocumentMargin(_MARGIN)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.addWidget(self.shown, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        for text, work in (("Print…", self.print_card), ("Save…", self.save)):
            button = QPushButton(text)
            button.clicked.connect(lambda _=False, work=work: work())
            buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.resize(680, 620)

    def print_card(self) -> None:
        from PySide6.QtPrintSupport import QPrintDialog, QPrinter

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self).exec():
            self._document().print_(printer)

    def save(self) -> None:
        """As PDF, or as HTML by the ending."""
        start = f"{self.card.title.replace(' → ', ' to ').replace(' · ', ' ')}.pdf"
        name, _ = QFileDialog.getSaveFileName(self, "Save the wiring card", start, "PDF (*.pdf);;HTML (*.html)")
        if name:
            try:
                self.write(Path(name))
            except InputError as error:
                self._session.said.emit(str(error), True)

    def write(self, path: Path) -> None:
        """Write the card; raises `InputError` where that cannot be done."""
        if path.suffix.lower() == ".html":
            write_whole(path, self.html)
        else:
            buffer = QBuffer()
            buffer.open(QBuffer.OpenModeFlag.WriteOnly)
            printed = QPdfWriter(buffer)
            printed.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
            printed.setTitle(self.card.title)
            self._document().print_(printed)
            write_whole(path, bytes(buffer.data().data()))
        self._session.said.emit(f"Saved {path.name}.", False)

    def _document(self) -> QTextDocument:
        document = QTextDocument()
        document.setHtml(self.html)
        return document
