"""What is played, out: by the computer's outputs, a board, or a MIDI port; a song, or live as it comes."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from dynamis.bench.playing.lanes import Played
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.signals import note_steps
from dynamis.converter.playing.streaming import Sender, notes_within
from dynamis.devices.interface import DeviceError
from dynamis.errors import InputError
from dynamis.pitch.notes import note_label
from dynamis.ui.course import CourseRunner
from dynamis.ui.devices.connections import Kind
from dynamis.ui.session.session import Session
from dynamis.ui.views.play.lanes import LanesPicture
from dynamis.ui.views.play.side_panel import SidePanel

if TYPE_CHECKING:
    from dynamis.devices.live_out import LiveOut
    from dynamis.devices.playing_out import TimedOut
    from dynamis.ui.views.play.out_dialog import OutChoice

_HEAD_MS = 33
# So many looks without anything that is played end the looking.
_HEAD_PATIENCE = 15


class PlayOut:
    """Asks by what, plays, and moves the line that shows where it is."""

    def __init__(
        self, parent: QWidget, session: Session, course: CourseRunner, side: SidePanel, lanes: LanesPicture
    ) -> None:
        self._parent, self._session, self._devices = parent, session, course.devices
        self._side, self._lanes = side, lanes
        self.chosen: dict[Kind, OutChoice] = {}
        self._waited = 0
        self._head = QTimer(parent)
        self._head.setInterval(_HEAD_MS)
        self._head.timeout.connect(self._follow)

    def ask(self, names: list[str]) -> OutChoice | None:
        """By what and where; None where somebody thought better of it.  Raises `InputError` where nothing plays.

        names : of the signals that there are.
        """
        from dynamis.ui.views.play.out_dialog import OUT_KINDS, OutDialog

        devices = self._devices
        offered: dict[Kind, list[str]] = {}
        if devices.outputs is not None:
            offered["outputs"] = [f"channel {k + 1}" for k in range(devices.outputs.channels)]
        if devices.board is not None:
            offered["board"] = [f"channel {letter}" for letter in devices.board.identity.channels]
        if devices.midi is not None:
            offered["midi"] = []
        if not offered:
            raise InputError(
                "Connect the computer's outputs, a board or a MIDI port first; the Devices page (Ctrl+D) asks for the "
                "address."
            )
        pitches = [one for one in names if one.startswith("pitch")]
        carried: dict[Kind, list[str]] = {"outputs": names, "board": pitches, "midi": []}
        ordered = {kind: offered[kind] for kind in OUT_KINDS if kind in offered}
        dialog = OutDialog(self._parent, self._session.style, ordered, carried, self.chosen)
        if not dialog.exec():
            return None
        self._keep(dialog.value)
        return dialog.value

    def _keep(self, chosen: OutChoice) -> None:
        """What was chosen of a kind, the latest last."""
        self.chosen.pop(chosen.kind, None)
        self.chosen[chosen.kind] = chosen

    # -- a song --------------------------------------------------------------------------------------

    def begin(self, played: Played, name: str, chosen: OutChoice) -> None:
        """Play a song out.  Raises `InputError`."""
        self._keep(chosen)
        if chosen.kind == "outputs":
            self._by_outputs(played, name, chosen)
        elif chosen.kind == "board":
            self._by_board(played, name, chosen)
        else:
            self._by_midi(played, name, chosen)
        self._head.start()

    def _by_outputs(self, played: Played, name: str, chosen: OutChoice) -> None:
        outputs = self._devices.outputs
        assert outputs is not None  # it was asked for
        parts = {channel: played.outgoing(signal) for signal, channel in chosen.channels.items()}
        where = ", ".join(f"{signal} at {channel + 1}" for signal, channel in chosen.channels.items())
        work = lambda: outputs.play(parts, played.rendered.seconds)  # noqa: E731
        shorted = [one for one in played.shorting if one in chosen.channels]
        told = f" {shorted[0]} shorts to ground in the converter; an output drives it." if shorted else ""
        self._devices.try_out("outputs", work, f"Playing {name}: {where}.{told}")

    def _by_board(self, played: Played, name: str, chosen: OutChoice) -> None:
        from dynamis.devices.playing_out import TimedOut, board_actions, check_limit

        board, rendered = self._devices.board, played.rendered
        assert board is not None
        letters, notes = board.identity.channels, {}
        for signal, channel in chosen.channels.items():
            one = rendered.signal(signal)
            assert one.voice is not None  # only pitches are offered
            check_limit(one.steps.volts.tolist(), chosen.limit_volts)
            bends = played.setting.bend_into_pitch
            notes[letters[channel]] = note_steps(
                rendered.performance, one.voice, rendered.message_seconds, with_bend=bends
            )

        def make(failed: Callable[[DeviceError], object]) -> TimedOut:
            return TimedOut(board_actions(board, notes), rendered.seconds, board.make_safe, failed)

        where = ", ".join(f"{signal} at {letters[channel]}" for signal, channel in chosen.channels.items())
        self._devices.play_timed("board", make, f"Playing {name}: {where}, by the correction the board holds.")

    def _by_midi(self, played: Played, name: str, chosen: OutChoice) -> None:
        from dynamis.devices.playing_out import TimedOut, midi_actions, midi_rest

        port, song, channel = self._devices.midi, played.song, played.setting.channel
        assert port is not None
        channel = None if played.setting.zone is not None else channel

        def make(failed: Callable[[DeviceError], object]) -> TimedOut:
            actions = midi_actions(song, port, channel, clock=chosen.clock)
            return TimedOut(actions, song.end_seconds, midi_rest(song, port, channel), failed)

        which = "all channels" if channel is None else f"channel {channel}"
        self._devices.play_timed("midi", make, f"Playing {name}: {which}, to {port.identity.split(',')[0]}.")

    def stop(self) -> None:
        outputs = self._devices.outputs
        if outputs is not None:
            outputs.stop()
        self._devices.stop_timed(0.0)

    def _follow(self) -> None:
        """Move what shows where it is played."""
        outputs, timed = self._devices.outputs, self._devices.timed
        seconds = None if timed is None else timed.played_seconds
        if seconds is None and outputs is not None:
            seconds = outputs.played_seconds
            if seconds is not None and outputs.trouble:
                self._devices.lost("outputs", outputs.trouble)
                outputs.stop()
                seconds = None
        self._side.stop.setEnabled(seconds is not None)
        self._lanes.show_head(seconds)
        if seconds is None and not self._devices.busy:
            self._waited += 1
            if self._waited > _HEAD_PATIENCE:
                self._head.stop()
        else:
            self._waited = 0

    # -- live ----------------------------------------------------------------------------------------

    def live(
        self,
        chosen: OutChoice,
        setting: ConverterSetting,
        senders: Mapping[str, Sender],
        now: Callable[[], float],
    ) -> LiveOut:
        """Where what is played live goes besides the picture.  Raises `InputError`.

        senders : what corrects the outputs that carry pitches, by their names.  now : seconds as messages are stamped
        with.
        """
        from dynamis.devices.live_out import BoardLive, MidiLive, OutputsLive

        devices, kind = self._devices, chosen.kind
        if devices.busy:
            raise InputError("Something is under way already; pause or cancel it first.")
        if kind == "outputs":
            assert devices.outputs is not None
            return OutputsLive(devices.outputs, setting, chosen.channels, now, senders)
        if kind == "board":
            assert devices.board is not None
            letters = devices.board.identity.channels
            named = {signal: letters[channel] for signal, channel in chosen.channels.items()}
            return BoardLive(devices.board, setting, named, chosen.limit_volts)
        assert devices.midi is not None
        return MidiLive(devices.midi)

    def say_reach(self, setting: ConverterSetting, senders: Mapping[str, Sender], chosen: OutChoice) -> None:
        """Which notes can be played, since live nothing can be refused beforehand."""
        outputs = self._devices.outputs
        reach = dict.fromkeys(chosen.channels, math.inf if chosen.limit_volts is None else chosen.limit_volts)
        if chosen.kind == "outputs" and outputs is not None:
            reach = {name: outputs.reach_volts(channel) for name, channel in chosen.channels.items()}
        pitches = {name: volts for name, volts in reach.items() if name.startswith("pitch") and math.isfinite(volts)}
        if not pitches:
            return
        least, style = min(pitches, key=lambda name: pitches[name]), self._session.style
        found = notes_within(setting, pitches[least], senders.get(least) if chosen.kind == "outputs" else None)
        if found is None:
            told = "No note of this law is within what may leave: the pitch does not follow the keys."
        else:
            low, high = (note_label(float(one), style) for one in found)
            told = f"{low} to {high} can be played; beyond, the pitch does not follow the keys."
        self._devices.said.emit(told, found is None)
