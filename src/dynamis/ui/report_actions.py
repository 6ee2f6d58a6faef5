"""The actions that write reports: of the bench, of a unit, of a gear; made beside the window, given up on wish."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QMenu, QWidget

from dynamis.bench.document.ports import PortRef
from dynamis.errors import InputError
from dynamis.files.writing import write_whole
from dynamis.ui.dialogs.working import in_background

if TYPE_CHECKING:
    from dynamis.bench.reports.blocks import Report
    from dynamis.bench.runs.analysis import RunAnalysis
    from dynamis.calibration.trimming.walk import Trims
    from dynamis.files.contents import Contents
    from dynamis.files.reports.html import Paper
    from dynamis.ui.actions import Actions

_KINDS = "HTML (*.html);;PDF (*.pdf);;CSV (*.csv)"


def paper_of(locale: QLocale) -> Paper:
    """What is printed on where somebody lives."""
    return "letter" if locale.measurementSystem() == QLocale.MeasurementSystem.ImperialUSSystem else "a4"


class ReportActions:
    """Each is written whole or not at all."""

    def __init__(self, actions: Actions, menu: QMenu) -> None:
        self._actions, self._session = actions, actions.session
        actions.add(menu, "Save the &report…", "Ctrl+R", self.save_whole)
        actions.add(menu, "Save the bench s&heet…", "", self.save_sheet)
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

    def save_sheet(self) -> None:
        """The sheet of what the station shows, or of the run that is looked at or its next proof."""
        from dynamis.bench.reports.sheet import run_sheet

        shown = self._actions.window.station.sheet()
        if shown is not None:
            self._save("Save the bench sheet", shown.title, lambda _: shown)
            return

        judged, bench, style = self._session.runs.analysis(), self._session.bench, self._session.style
        if judged is None:
            raise InputError("No run is looked at; a bench sheet is of one.")
        self._save("Save the bench sheet", f"Sheet, {judged.run.title}", lambda _: run_sheet(bench, judged, style))

    def save_walk_sheet(self, parent: QWidget, judged: RunAnalysis, trims: Trims) -> None:
        """The sheet of a walk through trimmers."""
        from dynamis.bench.reports.sheet import walk_sheet

        bench, style = self._session.bench, self._session.style
        name = f"Sheet, {judged.run.title}, trim walk"
        self._save("Save the bench sheet", name, lambda _: walk_sheet(bench, judged, trims, style), parent)

    def _channel(self) -> tuple[PortRef, str]:
        channel = self._session.selection.channel
        if channel is None:
            raise InputError("No channel of a unit is looked at; choose one on Measure.")
        return channel

    def _save(self, title: str, name: str, make: Callable[[Contents], Report], parent: QWidget | None = None) -> None:
        from dynamis.files.contents import everything
        from dynamis.files.reports.making import written_as

        path = self._actions.save_name(title, f"{name.replace('/', '-')}.html", _KINDS, ".html")
        if path is None:
            return
        held, paper, cancelled = everything(self._session.document.file), paper_of(QLocale()), threading.Event()
        data = in_background(
            parent or self._actions.window,
            f"Writing {path.name}…",
            lambda: written_as(make(held), path, paper),
            cancelled,
        )
        if data is None:
            self._session.said.emit("The report was given up; nothing was written.", False)
            return
        write_whole(path, data)
        self._session.said.emit(f"Saved {path.name}.", False)
