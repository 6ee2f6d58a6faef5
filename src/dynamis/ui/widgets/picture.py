"""What every picture can do: be copied, saved and printed."""

from __future__ import annotations

import itertools
from pathlib import Path

from PySide6.QtGui import QColor, QGuiApplication, QPainter
from PySide6.QtWidgets import QWidget

from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours


class Picture:
    """For a widget with `colours` that draws itself by `draw(painter)`."""

    def copy_picture(self) -> None:
        QGuiApplication.clipboard().setPixmap(self.grab())

    def save_picture(self, path: Path) -> bool:
        """Write the picture as SVG or PNG by the name's ending; False when it cannot be written."""
        if path.suffix.lower() == ".svg":
            from PySide6.QtSvg import QSvgGenerator

            generator = QSvgGenerator()
            generator.setFileName(str(path))
            generator.setSize(self.size())
            generator.setViewBox(self.rect())
            painter = QPainter()
            if not painter.begin(generator):
                return False
            self.paint_on(painter)
            painter.end()
            return path.exists()
        return self.grab().save(str(path))

    def paint_on(self, painter: QPainter) -> None:
        """Draw it where a painter paints, on its panel's colour."""
        painter.fillRect(self.rect(), QColor(self.colours.panel))
        self.draw(painter)


class Drawn(Picture, QWidget):
    """A widget that is nothing but a picture, in a theme and a style of numbers."""

    def __init__(self, name: str, colours: Colours, style: Style) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.colours, self.number_style = colours, style

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        self.draw(painter)
        painter.end()


def apart(places: list[float], least: float) -> list[float]:
    """Places of labels moved so far apart that none covers another; their order stays."""
    order = sorted(range(len(places)), key=lambda k: places[k])
    moved = list(places)
    for before, after in itertools.pairwise(order):
        moved[after] = max(moved[after], moved[before] + least)
    shift = (sum(moved) - sum(places)) / max(1, len(places))
    return [one - shift for one in moved]
