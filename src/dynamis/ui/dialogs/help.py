"""The keys of this place, About, and the report of an unexpected error."""

from __future__ import annotations

import platform
from importlib.metadata import PackageNotFoundError, metadata

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from dynamis import __version__
from dynamis.ui.widgets.fitting import Fitting
from dynamis.ui.widgets.panel import label

_PARTS = ("PySide6-Essentials", "numpy", "msgspec", "click", "platformdirs")


class _Shown(QDialog):
    def __init__(self, parent: QWidget | None, title: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(22, 18, 22, 16)
        self.column.setSpacing(10)

    def finish(self) -> None:
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.buttons.rejected.connect(self.reject)
        self.column.addWidget(self.buttons)


class KeysDialog(_Shown):
    """Keys and what they do, those of the station first."""

    def __init__(self, parent: QWidget | None, groups: list[tuple[str, list[tuple[str, str]]]]) -> None:
        super().__init__(parent, "Keys of this place")
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        for title, keys in groups:
            column.addWidget(label(title, "heading"))
            grid = QGridLayout()
            grid.setHorizontalSpacing(22)
            for k, (key, what) in enumerate(keys):
                grid.addWidget(label(key, "muted"), k, 0)
                grid.addWidget(label(what), k, 1)
            grid.setColumnStretch(1, 1)
            column.addLayout(grid)
        self.column.addWidget(Fitting(inner))
        self.finish()


class AboutDialog(_Shown):
    """Version, licence and the parts it is made with."""

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent, "About Dynamis")
        self.column.addWidget(label(f"Dynamis {__version__}", "heading"))
        self.column.addWidget(label("Measures, corrects and proves pitch and gate signals at the bench. MIT licence."))
        self.column.addWidget(label(f"Python {platform.python_version()} and", "muted"))
        grid = QGridLayout()
        for k, name in enumerate(_PARTS):
            version, licence = _about(name)
            for column, text in enumerate((name, version, licence)):
                grid.addWidget(label(text, "" if column == 0 else "muted"), k, column)
        self.column.addLayout(grid)
        self.column.addWidget(
            label("Typefaces: Inter (SIL Open Font License 1.1), DejaVu Sans (free licence).", "muted")
        )
        self.finish()


# An error that comes back with every repaint would fill the memory.
_MOST_REPORT_LINES = 400


class ErrorDialog(_Shown):
    """An unexpected error: what happened, that the bench is whole, and a report to copy."""

    def __init__(self, parent: QWidget | None, report: str) -> None:
        super().__init__(parent, "Something went wrong")
        self.column.addWidget(
            label(
                "Something went wrong that should not have. The bench is whole: every change was stored as it "
                "was made.",
                wrap=True,
            )
        )
        self.report = QPlainTextEdit(report)
        self.report.setReadOnly(True)
        self.report.setAccessibleName("Report")
        self.column.addWidget(self.report)
        copy = QPushButton("Copy the report")
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.report.toPlainText()))
        self.column.addWidget(copy)
        self.resize(640, 380)
        self.finish()

    def add(self, report: str) -> None:
        """Another error while this one is shown: it joins the report, as long as that can be read."""
        if self.report.blockCount() < _MOST_REPORT_LINES:
            self.report.appendPlainText(report)


def _about(name: str) -> tuple[str, str]:
    try:
        package = metadata(name)
    except PackageNotFoundError:
        return "not installed", ""
    kept = package.json
    licence = str(kept.get("license_expression") or kept.get("license") or "").partition("\n")[0]
    return package["Version"], licence[:60]
