"""The knobs of a port, and what an output follows: each a line with the buttons that change it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import Knob, PortRef
from dynamis.bench.gear.commands import put_knob, remove_knob, set_through
from dynamis.bench.gear.inner_fields import knob_words, through_words
from dynamis.bench.runs.unity import provable
from dynamis.errors import InputError
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.panel import clear, label


class InnerRows(QWidget):
    """said : shows the sentence of what was refused."""

    def __init__(self, session: Session, said: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._said = session, said
        self._ref: PortRef | None = None
        self._shown: object = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 4, 0, 0)
        self._column.setSpacing(4)

    def show_port(self, ref: PortRef | None) -> None:
        """Show what belongs to a port; rows stay while nothing of it has changed."""
        port = None if ref is None else self._session.bench.port(ref)
        gear = None if ref is None else self._session.bench.gear_by(ref.gear)
        now = (ref, None if port is None else (port.knobs, port.through), None if gear is None else gear.ports)
        if now == self._shown:
            return
        self._shown, self._ref = now, ref
        clear(self._column)
        if ref is None or port is None or gear is None:
            return
        style = self._session.style
        for k, knob in enumerate(port.knobs):
            self._row(
                knob_words(knob, style),
                self._button("Edit…", f"Edit the knob {knob.name}", partial(self._edit, k)),
                self._button("Remove", f"Remove the knob {knob.name}", partial(self._do, remove_knob, k)),
            )
        more = [self._button("Add a knob…", "Add a knob to this port", partial(self._edit, None))]
        if provable(self._session.bench, ref):
            more.append(self._button("Prove by an octave…", "Two readings an octave apart tell the gain", self.prove))
        if port.direction == "output" and any(one.direction == "input" for one in gear.ports):
            words = through_words(port, gear, style)
            self._row(
                f"Follows {words}" if words else "Sends its own",
                self._button("Follows…", "Which inputs of its gear it follows", self.follow),
            )
        self._row("" if port.knobs else "No knobs", *more)

    def _row(self, text: str, *buttons: QPushButton) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(label(text, "muted", wrap=True), 1)
        for one in buttons:
            row.addWidget(one)
        self._column.addLayout(row)

    def _button(self, text: str, spoken: str, does: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setAccessibleName(spoken)
        button.setToolTip(spoken)
        button.clicked.connect(lambda _=False: does())
        return button

    def _edit(self, index: int | None) -> None:
        """Ask for a knob: one that is there, or a new one."""
        from dynamis.ui.dialogs.inner import KnobDialog

        assert self._ref is not None
        bench, ref = self._session.bench, self._ref
        knob = Knob("Knob") if index is None else bench.port(ref).knobs[index]
        title = f"{'A knob' if index is None else knob.name} of {bench.label(ref)}"
        dialog = KnobDialog(self, self._session.style, knob, title)
        if dialog.exec():
            self._apply(lambda: put_knob(self._session.bench, ref, dialog.value, index))

    def follow(self) -> None:
        """Ask which inputs an output follows."""
        from dynamis.ui.dialogs.inner import ThroughDialog

        assert self._ref is not None
        bench, ref = self._session.bench, self._ref
        dialog = ThroughDialog(self, self._session.style, bench.gear_by(ref.gear), bench.port(ref))
        if dialog.exec():
            self._apply(lambda: set_through(self._session.bench, ref, dialog.value))

    def prove(self) -> None:
        """Ask for two readings an octave apart, and keep what they say."""
        from dynamis.ui.dialogs.inner import OctaveDialog

        assert self._ref is not None
        dialog = OctaveDialog(self, self._session.style, self._session.bench, self._ref)
        if dialog.exec():
            self._apply(lambda: dialog.value)

    def _do(self, command: Callable[..., Change], *arguments: object) -> None:
        self._apply(lambda: command(self._session.bench, self._ref, *arguments))

    def _apply(self, make: Callable[[], Change]) -> None:
        try:
            self._session.document.apply(make())
            self._said("")
        except InputError as error:
            self._said(str(error))
