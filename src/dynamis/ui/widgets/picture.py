"""Pictures, and what every one can do: be copied, saved and printed."""

from __future__ import annotations

import itertools
from pathlib import Path
from typing import ClassVar, Generic, TypeVar

from PySide6.QtCore import QBuffer, QSize
from PySide6.QtGui import QColor, QGuiApplication, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from dynamis.files.writing import write_whole
from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours

Shown = TypeVar("Shown")


def png_bytes(widget: QWidget) -> bytes:
    """What a widget looks like, as PNG."""
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    widget.grab().save(buffer, "PNG")
    return bytes(buffer.data().data())


class Picture(QWidget):
    """A widget that is nothing but a picture, in a theme and a style of numbers; `draw` is its own."""

    def __init__(self, name: str, colours: Colours, style: Style) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.colours, self.number_style = colours, style

    def draw(self, painter: QPainter) -> None:
        """Draw it where a painter paints."""
        raise NotImplementedError

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        self.draw(painter)
        painter.end()

    def paint_on(self, painter: QPainter) -> None:
        """Draw it where a painter paints, on its panel's colour."""
        painter.fillRect(self.rect(), QColor(self.colours.panel))
        self.draw(painter)

    def show_everything(self) -> None:
        """Show all of it; a picture that always does has nothing to do."""

    def show_tolerance(self) -> None:
        """Zoom to the tolerance, where there is one."""

    def copy_picture(self) -> None:
        QGuiApplication.clipboard().setPixmap(self.grab())

    def save_picture(self, path: Path) -> None:
        """Write the picture as SVG or PNG by the name's ending; raises `InputError` when it cannot be written."""
        if path.suffix.lower() != ".svg":
            write_whole(path, png_bytes(self))
            return
        from PySide6.QtSvg import QSvgGenerator

        buffer = QBuffer()
        generator = QSvgGenerator()
        generator.setOutputDevice(buffer)
        generator.setSize(self.size())
        generator.setViewBox(self.rect())
        painter = QPainter(generator)
        self.paint_on(painter)
        painter.end()
        write_whole(path, bytes(buffer.data().data()))


class Plot(Picture, Generic[Shown]):
    """A picture of one thing, with the words that a screen reader says of it; empty while there is none.

    NAME : of the picture.  SIZE : as it would like to be, pixels.
    """

    NAME: ClassVar[str] = ""
    SIZE: ClassVar[tuple[int, int]] = (420, 200)

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__(self.NAME, colours, style)
        self.shown: Shown | None = None

    def sizeHint(self) -> QSize:
        return QSize(*self.SIZE)

    def show_one(self, shown: Shown | None, words: str) -> None:
        self.shown = shown
        self.setAccessibleDescription(words)
        self.update()

    def draw(self, painter: QPainter) -> None:
        if self.shown is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.draw_shown(painter, self.shown)

    def draw_shown(self, p: QPainter, shown: Shown) -> None:
        """Draw what is shown."""
        raise NotImplementedError


def apart(places: list[float], least: float) -> list[float]:
    """Places of labels moved so far apart that none covers another; their order stays."""
    order = sorted(range(len(places)), key=lambda k: places[k])
    moved = list(places)
    for before, after in itertools.pairwise(order):
        moved[after] = max(moved[after], moved[before] + least)
    shift = (sum(moved) - sum(places)) / max(1, len(places))
    return [one - shift for one in moved]
