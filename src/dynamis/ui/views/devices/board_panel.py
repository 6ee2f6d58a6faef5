"""The DAC board's panel: what its channels hold, and what was sent to it."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QPushButton

from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import SendRecord
from dynamis.bench.runs.boards import board_letter, channel_correction, held_words, sendings
from dynamis.errors import InputError
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.devices.device_panel import DevicePanel
from dynamis.ui.widgets.panel import label, set_text
from dynamis.ui.widgets.table import Column, Row, Table

_COLUMNS = (
    Column("channel", left=True, stretch=1.2),
    Column("holds", "what the board holds", left=True, stretch=6, fits=False),
    Column("hash", left=True, stretch=0.7),
    Column("on the bench", "what is in force on the bench", left=True, stretch=4, fits=False),
)
_SENDS = (
    Column("sent", left=True, stretch=1.3),
    Column("unit and channel", left=True, stretch=3, fits=False),
    Column("what", left=True, stretch=5, fits=False),
    Column("hash", left=True, stretch=0.9),
    Column("held before", left=True, stretch=0.9),
    Column("", "state", left=True, stretch=0.8),
)


class BoardPanel(DevicePanel):
    """held : what its channels hold.  sends : what was sent, and what was held before."""

    def __init__(self, session: Session, course: CourseRunner, colours: Colours) -> None:
        super().__init__("DAC board", "Serial port", "/dev/ttyACM0", "Read back", colours)
        self._session, self._course, self._devices = session, course, course.devices
        self.held = Table("What the board's channels hold", _COLUMNS)
        self.held.setMaximumHeight(104)
        self.body.addWidget(label("What its channels hold", "heading"))
        self.body.addWidget(self.held)
        self.difference = label("", wrap=True, selectable=True)
        self.body.addWidget(self.difference)
        row = QHBoxLayout()
        self.send = QPushButton("Send what is in force")
        self.send.clicked.connect(self._send)
        row.addWidget(self.send)
        row.addStretch(1)
        self.body.addLayout(row)
        self.body.addWidget(label("What was sent, and what was held before", "heading"))
        self.sends = Table("What was sent to boards", _SENDS)
        self.body.addWidget(self.sends, 1)
        self.nothing_sent = label("Nothing has been sent from this bench yet.", "muted")
        self.body.addWidget(self.nothing_sent)
        self.put_back = QPushButton("Send what was held before")
        self.put_back.setToolTip("Of the row chosen above; a sending of its own, kept like the others")
        self.put_back.clicked.connect(self._put_back)
        back = QHBoxLayout()
        back.addWidget(self.put_back)
        back.addStretch(1)
        self.body.addLayout(back)
        self.body.addStretch()
        self.body.addWidget(
            label(
                "Opening a port restarts many boards. A board goes safe by itself after 10 s without a word from here. "
                "Check limits before you connect: never more on a pin than it bears, and one common ground.",
                "small",
                wrap=True,
            )
        )

    def dress(self, colours: Colours) -> None:
        self.colours = colours
        for table in (self.held, self.sends):
            table.rows_model.current_colour = QColor(colours.thread_wash)

    def refresh(self) -> None:
        """Show what the board holds and what was sent."""
        devices = self._devices
        self.held.set_rows(self._held_rows())
        if devices.sending is not None:
            set_text(self.difference, f"Sending … {self._session.style.share(devices.sending, 0)}")
        else:
            set_text(self.difference, self._difference())
        self.send.setEnabled(self._course.letter() is not None and not devices.busy)
        self.sends.set_rows([self._send_row(sent) for sent in sendings(self._session.runs.sends)])
        sent_any = bool(self._session.runs.sends)
        self.nothing_sent.setVisible(not sent_any)
        self.put_back.setVisible(sent_any)
        self.sends.setVisible(sent_any)
        self.put_back.setEnabled(self.send.isEnabled())

    def _difference(self) -> str:
        sentence = self._course.difference()
        if sentence is not None or self._course.held() is None or self._session.selection.channel is None:
            return sentence or ""
        return f"{self._session.bench.label(self._session.selection.channel[0])}: board and bench agree."

    def _held_rows(self) -> list[Row]:
        session, board = self._session, self._devices.board
        if board is None:
            return []
        rows = []
        for (ref, serial), letter in self._channels(board.identity.unit, board.identity.channels):
            held = self._devices.held.get(letter)
            if held is None:
                continue
            adopted = session.runs.in_force((ref, serial))
            words = held_words(held, session.bench, ref, session.runs.adoptions, session.runs.sends)
            wanted = "nominal values"
            if adopted is not None:
                wanted = f"{adopted.head.kind} of {adopted.adopted[:10]}" if adopted.head.kind != "nominal" else wanted
                same = channel_correction(session.bench, ref, adopted.head).hash == held.hash
                wanted += "" if same else ", differs"
            cells = (f"{letter}  {session.bench.port(ref).name}", words, held.hash, wanted)
            mark = "current" if (ref, serial) == session.selection.channel else ""
            rows.append(Row(cells, (ref, serial), mark, tip=", ".join(cells)))
        known = {row.cells[0][0] for row in rows}
        rows += [
            Row((letter, "not known to this bench", one.hash, "–"), None)
            for letter, one in self._devices.held.items()
            if letter not in known
        ]
        return rows

    def _send_row(self, sent: SendRecord) -> Row:
        bench = self._session.bench
        what = {
            None: "an older one, put back",
            "nominal": "nominal values",
            "constants": "two constants",
            "table": "a table",
        }
        name = bench.port(PortRef(sent.gear, sent.port)).name
        cells = (
            sent.at[:16].replace("T", " "),
            f"{sent.serial} {name}",
            what[None if sent.head is None else sent.head.kind],
            sent.after.correction.hash,
            sent.before.correction.hash,
            "verified" if sent.verified else "not verified",
        )
        return Row(cells, sent, tip=", ".join(cells))

    def _channels(self, unit: str, letters: str) -> Iterator[tuple[tuple[PortRef, str], str]]:
        for ref, serial in self._session.bench.outputs_of_units:
            if serial != unit:
                continue
            try:
                yield (ref, serial), board_letter(self._session.bench, ref, letters)
            except InputError:
                continue

    def _send(self) -> None:
        try:
            self._course.send_in_force()
        except InputError as error:
            self._session.said.emit(str(error), True)

    def _put_back(self) -> None:
        keys = self.sends.selected_keys() or [row.key for row in self.sends.rows_model.rows[:1]]
        sent = [key for key in keys if isinstance(key, SendRecord)]
        try:
            self._course.put_back(sent[0])
        except InputError as error:
            self._session.said.emit(str(error), True)
