"""The Devices page: what plays and what reads, whether it answers, and trying each of them."""

from __future__ import annotations

import threading
from functools import partial
from typing import Any, Final

from msgspec.structs import replace
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QStackedWidget, QVBoxLayout

from dynamis.devices.interface import Measurand, Shown
from dynamis.devices.sound.meter import SoundMeter
from dynamis.devices.sound.outflow import MOST_CHANNELS
from dynamis.notation.numbers import parse_plain, parse_quantity
from dynamis.pitch.notes import Naming, note_label, parse_note
from dynamis.ui.course import CourseRunner
from dynamis.ui.devices.connections import PLAYERS, READERS, Kind
from dynamis.ui.devices.looking import Looking
from dynamis.ui.dialogs.tuner import TunerDialog
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station, guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import shape_pixmap
from dynamis.ui.views.devices.board_panel import BoardPanel
from dynamis.ui.views.devices.device_panel import DevicePanel, state_sign
from dynamis.ui.views.devices.instrument_panels import MeterPanel, MidiPanel, SoundPanel, SourcePanel
from dynamis.ui.views.devices.outputs_actions import OutputsActions
from dynamis.ui.views.devices.outputs_panel import OutputsPanel
from dynamis.ui.views.devices.simulated_panel import SimulatedPanel
from dynamis.ui.widgets.panel import Panel, set_text
from dynamis.ui.widgets.table import Table
from dynamis.ui.widgets.tips import plain_tip

_GROUPS: Final[tuple[tuple[str, tuple[Kind, ...]], ...]] = (("What plays", PLAYERS), ("What reads", READERS))

# What was found, and a sentence for each system that is not there.
_Found = tuple[list[str], list[str]]


class DevicesStation(Station):
    """Connect devices, try them, and look at what they say."""

    title = "Devices"
    KEYS = (
        ("Enter, in an address", "connect"),
        ("Up and down, in the list", "another device"),
        ("Ctrl+.", "all outputs to their safe value"),
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.bench = course.simulated
        self._looking = Looking()
        self._ended = threading.Event()
        devices = self._devices = course.devices
        kept = session.settings.preferences
        self.board = BoardPanel(session, course, colours)
        self.source = SourcePanel(kept.source_words, devices.dialogues["source"], colours)
        self.midi = MidiPanel(max(1, min(16, kept.midi_channel)), colours)
        channels = max(1, min(MOST_CHANNELS, kept.outputs_channels))
        self.outputs = OutputsPanel(channels, kept.outputs_full_scale, kept.outputs_limit, colours)
        self.meter = MeterPanel(kept.meter_words, devices.dialogues["meter"], colours)
        self.sound = SoundPanel(max(0, kept.sound_channel), kept.sound_clock_ppm, colours)
        self.outputs_actions = OutputsActions(
            self, session, devices, self.outputs, self._keep, self.refresh, self._ended.is_set
        )
        self.panels: dict[Kind, DevicePanel] = {
            "board": self.board,
            "source": self.source,
            "midi": self.midi,
            "outputs": self.outputs,
            "meter": self.meter,
            "sound": self.sound,
        }
        players = (kept.board_port, kept.source_address, kept.midi_port, kept.outputs_address)
        places = (*players, kept.meter_address, kept.sound_address)
        self.stack = QStackedWidget()
        for panel, place in zip(self.panels.values(), places, strict=True):
            panel.line.setText(place)
            self.stack.addWidget(panel)
        chooser = Panel("Devices")
        self.list = QListWidget()
        self.list.setAccessibleName("Devices")
        self.list.setIconSize(QSize(13, 13))
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._items: dict[Kind, QListWidgetItem] = {}
        for title, kinds in _GROUPS:
            heading = QListWidgetItem(title)
            heading.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(heading)
            for kind in kinds:
                self._items[kind] = QListWidgetItem()
                self.list.addItem(self._items[kind])
        self.list.currentItemChanged.connect(self._picked)
        self.list.setSizeAdjustPolicy(QListWidget.SizeAdjustPolicy.AdjustToContents)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        chooser.body.addWidget(self.list)
        self.simulated = SimulatedPanel(self.bench)
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        left = QVBoxLayout()
        left.setSpacing(13)
        left.addWidget(chooser)
        left.addWidget(self.simulated, 1)
        across.addLayout(left, 4)
        across.addWidget(self.stack, 6)
        self._connect()
        self.show_panel("board")

    def _connect(self) -> None:
        devices = self._devices
        devices.changed.connect(self.refresh)
        self._session.bench_changed.connect(self.refresh)
        connects = {
            "board": self._connect_board,
            "source": self._connect_source,
            "midi": self._connect_midi,
            "outputs": self.outputs_actions.connect,
            "meter": self._connect_meter,
            "sound": self._connect_sound,
        }
        tests = {
            "board": devices.read_held,
            "source": lambda: self._let_go("source"),
            "midi": lambda: self._let_go("midi"),
            "outputs": lambda: self._let_go("outputs"),
            "meter": lambda: self._read_once("meter"),
            "sound": lambda: self._read_once("sound"),
        }
        for kind, panel in self.panels.items():
            panel.connect_pressed.connect(partial(guarded, self._session, connects[kind]))
            panel.disconnect_pressed.connect(lambda kind=kind: devices.disconnect_from(kind))
            panel.test_pressed.connect(tests[kind])
        self.source.volts_pressed.connect(partial(guarded, self._session, self._set_volts))
        self.midi.note_pressed.connect(partial(guarded, self._session, self._hold_note))
        self.sound.tuner_pressed.connect(self.tuner)
        self.meter.words_changed.connect(lambda words: self._keep(meter_words=words))
        self.source.words_changed.connect(lambda words: self._keep(source_words=words))
        self.bench.started.connect(self._simulated_started)
        self.bench.changed.connect(self.refresh)
        self.bench.said.connect(self._session.said)
        self._looking.found.connect(self._offer)

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        for panel in self.panels.values():
            panel.colours = colours
        self.board.dress(colours)
        self.refresh()

    def show_panel(self, kind: Kind) -> None:
        """Look at a device."""
        self.list.setCurrentItem(self._items[kind])

    def _picked(self, item: QListWidgetItem | None) -> None:
        for kind, mine in self._items.items():
            if mine is item:
                self.stack.setCurrentWidget(self.panels[kind])

    def focus_first(self) -> None:
        wanted: Kind = "board" if self._devices.board is None else "meter"
        self.show_panel(wanted)
        self.panels[wanted].line.setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        devices = self._devices
        # A system that is asked anew lets go of what it has open.
        self._looking.begin(partial(_places, sounds_too=devices.sound is None, outputs_too=devices.outputs is None))

    def _offer(self, found: tuple[list[str], _Found, _Found, _Found]) -> None:
        serial, (ports, no_ports), (inputs, no_inputs), (outs, no_outs) = found
        self.outputs.offer(outs)
        set_text(self.outputs.missing, " ".join(no_outs))
        self.board.offer(serial)
        self.midi.offer(ports)
        self.sound.offer(inputs)
        set_text(self.midi.missing, " ".join(no_ports))
        set_text(self.sound.missing, " ".join(no_inputs))

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        devices = self._devices
        for kind, panel in self.panels.items():
            words, trouble, connected = devices.words[kind], devices.trouble[kind], devices.connected(kind)
            panel.show_state(connected, trouble, words, busy=devices.busy)
            shape, colour = state_sign(self.colours, connected=connected, trouble=trouble)
            item = self._items[kind]
            item.setIcon(QIcon(shape_pixmap(shape, colour, 13, self.devicePixelRatioF())))
            state = "trouble" if trouble else "connected" if connected else "not connected"
            item.setText(f"{panel.title}: {words if connected and not trouble else state}")
            item.setToolTip(plain_tip(words or state))
        self.board.refresh()
        run = self._session.selection.run
        meter = None if run is None else run.meter
        held = "" if meter is None or not meter.range_name else f"The run looked at holds the {meter.range_name} range."
        set_text(self.meter.range_words, held)

    # -- doing -------------------------------------------------------------------------------------

    def _keep(self, **changed: Any) -> None:
        self._session.settings.change(replace(self._session.settings.preferences, **changed))

    def _connect_board(self, port: str) -> None:
        self._keep(board_port=port.strip())
        self._devices.connect_board(port)

    def _connect_meter(self, address: str) -> None:
        self._keep(meter_address=address.strip())
        self._devices.connect_meter(address, self.meter.spoken)  # type: ignore[arg-type]  # a meter's panel has a meter's

    def _connect_source(self, address: str) -> None:
        self._keep(source_address=address.strip())
        self._devices.connect_source(address, self.source.spoken)  # type: ignore[arg-type]

    def _connect_midi(self, port: str) -> None:
        self._keep(midi_port=port.strip(), midi_channel=self.midi.channel.value())
        self._devices.connect_midi(port, self.midi.channel.value())

    def _connect_sound(self, address: str) -> None:
        ppm = parse_plain(self.sound.clock.text().strip() or "0", "What the clock is fast by")
        self._keep(sound_address=address.strip(), sound_channel=self.sound.channel.value(), sound_clock_ppm=ppm)
        self._devices.connect_sound(address, self.sound.channel.value(), ppm)

    def _simulated_started(self, places: dict[str, str]) -> None:
        """Board and meter are connected, the others wait for their button."""
        for kind, panel in self.panels.items():
            panel.line.setText(places[kind])
        self.sound.channel.setValue(0)
        self._connect_board(places["board"])
        self._connect_meter(places["meter"])

    def _set_volts(self, text: str) -> None:
        volts = parse_quantity(text, "V", "The volts to set", decimal_comma=self._session.style.decimal_comma)
        self._devices.set_volts(volts, self._session.style.volts(volts))

    def _hold_note(self, text: str) -> None:
        note = parse_note(text, Naming(self._session.style.middle_c))
        self._devices.play_midi(note, note_label(note, self._session.style))

    def _let_go(self, kind: Kind) -> None:
        devices = self._devices
        device = {"source": devices.source, "midi": devices.midi, "outputs": devices.outputs}.get(kind)
        if device is not None:
            words = {"source": "The source's output is let go.", "midi": "Nothing is held any more."}.get(
                kind, "All outputs are at 0 V."
            )
            devices.try_out(kind, lambda: device.make_safe(), words)

    def _read_once(self, kind: Kind) -> None:
        run, style = self._session.selection.run, self._session.style
        volts = kind == "meter" and (run is None or run.quantity == "volts")
        quantity: Measurand = "volts" if volts else "hertz"
        full_scale = 10.0 if run is None or run.meter is None else run.meter.full_scale_volts
        reading = self.meter.reading if kind == "meter" else self.sound.reading

        def show(shown: Shown) -> None:
            set_text(reading, style.volts(shown.value, 4) if volts else style.hertz(shown.value))

        self._devices.read_once(kind, quantity, full_scale, show)

    def tuner(self) -> None:
        """Listen to what sounds, against a reference."""
        sound = self._devices.sound
        if isinstance(sound, SoundMeter):
            TunerDialog(self, self._session, sound, self.colours).exec()

    def shut_down(self) -> None:
        """End the simulated bench, and wait for who looks for places."""
        self._ended.set()
        self.bench.stop()
        self._looking.end()

    def thread_fields(self) -> None:
        return None

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.board.held

    def sizeHint(self) -> QSize:
        return QSize(900, 500)


def _places(*, sounds_too: bool, outputs_too: bool) -> tuple[list[str], _Found, _Found, _Found]:
    """What could be connected."""
    from serial.tools.list_ports import comports

    from dynamis.devices.midi.ports import outputs
    from dynamis.devices.sound.inputs import sounds
    from dynamis.devices.sound.outputs import found_outputs

    serial = sorted(port.device for port in comports())
    heard = sounds() if sounds_too else ([], [])
    put_out = found_outputs() if outputs_too else ([], [])
    return serial, outputs(), heard, put_out
