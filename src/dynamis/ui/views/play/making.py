"""Signals that are made of what is played: asked for, changed and taken out on the Play station."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QWidget

from dynamis.bench.playing.lanes import Played
from dynamis.bench.playing.logic import fresh_line, put_line, remove_line
from dynamis.control.logic import LogicLine
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.play.logic_panel import LogicPanel


class Making:
    """played : what there is now; raises `InputError` where there is nothing yet.  colours : of the window."""

    def __init__(
        self,
        parent: QWidget,
        session: Session,
        panel: LogicPanel,
        played: Callable[[], Played],
        colours: Callable[[], Colours],
    ) -> None:
        self._parent, self._session, self._panel = parent, session, panel
        self._played, self._colours = played, colours
        panel.made.connect(lambda kind: guarded(session, self.make, kind))
        panel.changed.connect(lambda name: guarded(session, self.change, name))
        panel.removed.connect(lambda name: guarded(session, self.remove, name))

    def show(self) -> None:
        """The lines of the bench."""
        self._panel.show_lines(self._session.bench.logic)

    def make(self, kind: type[Any]) -> None:
        """Ask for a line of a kind, and make it."""
        self._ask(fresh_line(kind, self._played().rendered, self._session.bench), "")

    def change(self, name: str) -> None:
        self._ask(next(one for one in self._session.bench.logic if one.name == name), name)

    def _ask(self, line: LogicLine, before: str) -> None:
        from dynamis.ui.views.play.logic_dialog import LogicDialog

        session = self._session
        dialog = LogicDialog(self._parent, session.style, self._colours(), self._played().rendered, session.bench, line)
        if dialog.exec():
            session.document.apply(put_line(session.bench, dialog.value, before))

    def remove(self, name: str) -> None:
        self._session.document.apply(remove_line(self._session.bench, name))
