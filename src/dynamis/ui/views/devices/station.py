"""The Devices page: what is connected, what answers, and what the board's channels hold."""

from __future__ import annotations

import threading
from collections.abc import Iterator

from msgspec.structs import replace
from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import SendRecord
from dynamis.bench.runs.boards import board_letter, channel_correction, held_words, sendings
from dynamis.devices.interface import Shown
from dynamis.errors import InputError
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.simulated import SimulatedBench
from dynamis.ui.stations import Station
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.devices.panels import DevicePanel, SimulatedPanel
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


class DevicesStation(Station):
    """Connect a board and a meter, and look at what they say."""

    title = "Devices"
    KEYS = (
        ("Enter, in an address", "connect"),
        ("Ctrl+.", "all outputs of the board to their safe value"),
    )
    _found = Signal(list)

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.bench = simulated = SimulatedBench()
        self._devices = course.devices
        self.board = DevicePanel("DAC board", "Serial port", "/dev/ttyACM0", "Read back", colours)
        self.meter = DevicePanel("Meter", "Address", "192.168.1.20:5025", "Read once", colours)
        self.held = Table("What the board's channels hold", _COLUMNS)
        self.held.setMaximumHeight(104)
        self.board.body.addWidget(label("What its channels hold", "heading"))
        self.board.body.addWidget(self.held)
        self.difference = label("", wrap=True, selectable=True)
        self.board.body.addWidget(self.difference)
        row = QHBoxLayout()
        self.send = QPushButton("Send what is in force")
        self.send.clicked.connect(self._send)
        row.addWidget(self.send)
        row.addStretch(1)
        self.board.body.addLayout(row)
        self.board.body.addWidget(label("What was sent, and what was held before", "heading"))
        self.sends = Table("What was sent to boards", _SENDS)
        self.board.body.addWidget(self.sends, 1)
        self.nothing_sent = label("Nothing has been sent from this bench yet.", "muted")
        self.board.body.addWidget(self.nothing_sent)
        self.put_back = QPushButton("Send what was held before")
        self.put_back.setToolTip("Of the row chosen above; a sending of its own, kept like the others")
        self.put_back.clicked.connect(self._put_back)
        back = QHBoxLayout()
        back.addWidget(self.put_back)
        back.addStretch(1)
        self.board.body.addLayout(back)
        self.board.body.addStretch()
        self.board.body.addWidget(
            label(
                "Opening a port restarts many boards. A board goes safe by itself after 10 s without a word from here. "
                "Check limits before you connect: never more on a pin than it bears, and one common ground.",
                "small",
                wrap=True,
            )
        )
        self.reading = label("", "bigmuted")
        self.meter.body.addWidget(self.reading)
        self.range_words = label("", "muted", wrap=True)
        self.meter.body.addWidget(self.range_words)
        self.meter.body.addStretch(1)
        self.meter.body.addWidget(
            label(
                "A meter that speaks SCPI: host:port on the network, a serial port, or a VISA resource name. It is "
                "held on the range of the run; readings of two ranges do not share their errors.",
                "small",
                wrap=True,
            )
        )
        self.simulated = SimulatedPanel(simulated)
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        across.addWidget(self.board, 5)
        right = QVBoxLayout()
        right.setSpacing(13)
        right.addWidget(self.meter, 1)
        right.addWidget(self.simulated, 1)
        across.addLayout(right, 4)
        self.board.line.setText(session.settings.preferences.board_port)
        self.meter.line.setText(session.settings.preferences.meter_address)
        self._connect()

    def _connect(self) -> None:
        devices = self._devices
        devices.changed.connect(self.refresh)
        self._session.bench_changed.connect(self.refresh)
        self.board.connect_pressed.connect(self._connect_board)
        self.board.disconnect_pressed.connect(devices.disconnect_board)
        self.board.test_pressed.connect(devices.read_held)
        self.meter.connect_pressed.connect(self._connect_meter)
        self.meter.disconnect_pressed.connect(devices.disconnect_meter)
        self.meter.test_pressed.connect(self._read_once)
        self.bench.started.connect(self._simulated_started)
        self.bench.changed.connect(self.refresh)
        self.bench.said.connect(self._session.said)
        self._found.connect(self.board.offer)

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        self.board.colours = self.meter.colours = colours
        for table in (self.held, self.sends):
            table.rows_model.current_colour = QColor(colours.thread_wash)
        self.refresh()

    def focus_first(self) -> None:
        (self.board if self._devices.board is None else self.meter).line.setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        threading.Thread(target=self._look_for_ports, name="ports", daemon=True).start()

    def _look_for_ports(self) -> None:
        from serial.tools.list_ports import comports

        self._found.emit(sorted(port.device for port in comports()))

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        devices = self._devices
        self.board.show_state(devices.board is not None, devices.board_trouble, devices.board_words, busy=devices.busy)
        self.meter.show_state(devices.meter is not None, devices.meter_trouble, devices.meter_words, busy=devices.busy)
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
        run = self._session.selection.run
        meter = None if run is None else run.meter
        held = "" if meter is None or not meter.range_name else f"The run looked at holds the {meter.range_name} range."
        set_text(self.range_words, held)

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

    # -- doing -------------------------------------------------------------------------------------

    def _connect_board(self, port: str) -> None:
        self._session.settings.change(replace(self._session.settings.preferences, board_port=port.strip()))
        self._devices.connect_board(port)

    def _connect_meter(self, address: str) -> None:
        self._session.settings.change(replace(self._session.settings.preferences, meter_address=address.strip()))
        self._devices.connect_meter(address)

    def _simulated_started(self, port: str, address: str) -> None:
        self.board.line.setText(port)
        self.meter.line.setText(address)
        self._connect_board(port)
        self._connect_meter(address)

    def _read_once(self) -> None:
        run, style = self._session.selection.run, self._session.style
        quantity = "volts" if run is None else run.quantity
        full_scale = 10.0 if run is None or run.meter is None else run.meter.full_scale_volts

        def show(shown: Shown) -> None:
            set_text(self.reading, style.hertz(shown.value) if quantity == "hertz" else style.volts(shown.value, 4))

        self._devices.read_once(quantity, full_scale, show)

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

    def shut_down(self) -> None:
        """End the simulated bench."""
        self.bench.stop()

    def thread_fields(self) -> None:
        return None

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.held

    def sizeHint(self) -> QSize:
        return QSize(900, 500)
