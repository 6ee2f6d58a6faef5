"""The actions that write reports: of the bench, of a unit, of a gear; made beside the window, given up on wish."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QLocale, QObject
from PySide6.QtWidgets import QMenu, QProgressDialog

from dynamis.bench.document.ports import PortRef
from dynamis.errors import InputError
from dynamis.files.writing import write_whole
from dynamis.ui.background import Background

if TYPE_CHECKING:
    from dynamis.bench.reports.blocks import Report
    from dynamis.files.contents import Contents
    from dynamis.files.reports.html import Paper
    from dynamis.ui.actions import Actions

_KINDS = "HTML (*.html);;PDF (*.pdf);;CSV (*.csv)"
# A sign of what goes on is wanted from here on.
_SHOWN_AFTER_MS = 400


def paper_of(locale: QLocale) -> Paper:
    """What is printed on where somebody lives."""
    return "letter" if locale.measurementSystem() == QLocale.MeasurementSystem.ImperialUSSystem else "a4"


class ReportActions(QObject):
    """One report at a time is under way."""

    def __init__(self, actions: Actions, menu: QMenu) -> None:
        super().__init__(actions.window)
        self._actions, self._session = actions, actions.session
        self._work = Background()
        self._path: Path | None = None
        self._dialog: QProgressDialog | None = None
        self._work.answered.connect(self._write)
        self._work.refused.connect(self._refuse)
        actions.add(menu, "Save the &report…", "Ctrl+R", self.save_whole)
        actions.add(menu, "Save the unit's certi&ficate…", "", self.save_certificate)
        actions.add(menu, "Save the &batch of the gear…", "", self.save_batch)

    def save_whole(self) -> None:
        """All runs of the bench."""
        from dynamis.files.reports.making import whole_report

        style = self._session.style
        self._save("Save the report", self._session.bench.name, lambda held: whole_report(held, style))

    def save_certificate(self) -> None:
        """The unit of the channel that is looked at."""
        from dynamis.files.reports.making import unit_report

        ref, serial = self._channel()
        style, gear = self._session.style, self._session.bench.gear_by(ref.gear)
        name = f"{gear.name}, unit {serial}"
        self._save("Save the certificate", name, lambda held: unit_report(held, gear.id, serial, style))

    def save_batch(self) -> None:
        """All units of the gear that is looked at."""
        from dynamis.files.reports.making import batch_report

        style, gear = self._session.style, self._session.bench.gear_by(self._channel()[0].gear)
        self._save("Save the batch", f"{gear.name}, all units", lambda held: batch_report(held, gear.id, style))

    def shut_down(self) -> None:
        self._work.drop()

    def _channel(self) -> tuple[PortRef, str]:
        channel = self._session.selection.channel
        if channel is None:
            raise InputError("No channel of a unit is looked at; choose one on Measure.")
        return channel

    def _save(self, title: str, name: str, make: Callable[[Contents], Report]) -> None:
        from dynamis.files.contents import everything
        from dynamis.files.reports.making import written_as

        path = self._actions.save_name(title, f"{name.replace('/', '-')}.html", _KINDS, ".html")
        if path is None:
            return
        held, paper = everything(self._session.document.file), paper_of(QLocale())
        self._path = path
        self._end_dialog()
        self._dialog = QProgressDialog(f"Writing {path.name}…", "Cancel", 0, 0, self._actions.window)
        self._dialog.setMinimumDuration(_SHOWN_AFTER_MS)
        self._dialog.canceled.connect(self._give_up)
        self._work.ask(lambda wanted: written_as(make(held), path, paper))

    def _write(self, data: object) -> None:
        self._end_dialog()
        path = self._path
        if path is not None and isinstance(data, bytes):
            self._actions.window.guarded(lambda: self._put(path, data))

    def _put(self, path: Path, data: bytes) -> None:
        write_whole(path, data)
        self._session.said.emit(f"Saved {path.name}.", False)

    def _refuse(self, sentence: str) -> None:
        self._end_dialog()
        self._session.said.emit(sentence, True)

    def _give_up(self) -> None:
        self._work.drop()
        self._end_dialog()
        self._session.said.emit("The report was given up; nothing was written.", False)

    def _end_dialog(self) -> None:
        if self._dialog is not None:
            self._dialog.canceled.disconnect(self._give_up)
            self._dialog.close()
            self._dialog.deleteLater()
            self._dialog = None
