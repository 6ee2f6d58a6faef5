"""What plays the notes of a run: a board's channel, a voltage source, a converter at a MIDI port."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Mapping
from typing import Final, Protocol

from dynamis.converter.midi_stream import note_off, note_on, silence
from dynamis.devices.interface import Board, DeviceError
from dynamis.devices.midi.ports import MidiOutput
from dynamis.devices.sound.outflow import Outflow
from dynamis.notation.style import plain

# Volts at full scale that are the same, as a share of them.
_SAME_SCALE: Final = 1e-6


class Source(Protocol):
    """A voltage source; every method but `close` raises `DeviceError`."""

    @property
    def identity(self) -> str: ...

    def set_volts(self, volts: float) -> None: ...

    def make_safe(self) -> None: ...

    def recover(self) -> None: ...

    def close(self) -> None: ...


class BoardPlayer:
    """A channel of a board.  unit : the serial that has to answer.  held_hash : what the channel has to hold, None
    where anything will do."""

    def __init__(self, board: Board, channel: str, unit: str, held_hash: str | None = None) -> None:
        self._board, self._channel, self._unit, self._held_hash = board, channel, unit, held_hash

    @property
    def identity(self) -> str:
        one = self._board.identity
        return f"{one.design} {one.unit}, channel {self._channel}"

    def recover(self) -> None:
        self._board.recover()
        unit = self._board.identity.unit
        if unit != self._unit:
            raise DeviceError(
                "wrong unit",
                f"Unit {unit} answers where this run is of unit {self._unit}: plug unit {self._unit} in and go on, or "
                f"begin a run for unit {unit}.",
            )
        if self._held_hash is not None and self._board.held_hash(self._channel) != self._held_hash:
            raise DeviceError(
                "wrong hash",
                "The board does not hold the correction that this run is of: send it to the board, then go on.",
            )

    def play(self, note: float) -> int:
        return self._board.play(self._channel, note)

    def make_safe(self) -> None:
        self._board.make_safe()

    def close(self) -> None:
        with contextlib.suppress(DeviceError):
            self._board.make_safe()


class CodePlayer(BoardPlayer):
    """A channel of a board that is set to codes, whatever correction it holds.

    codes : the code for each note.  others : channels that are moved before each reading, from one end to the other.
    """

    def __init__(self, board: Board, channel: str, unit: str, codes: Mapping[float, int], others: str = "") -> None:
        super().__init__(board, channel, unit)
        self._codes, self._others = codes, others
        self._moved = 0

    def play(self, note: float) -> int:
        code = self._board.set_code(self._channel, self._codes[note])
        self._moved += 1
        for other in self._others:
            self._board.set_code(other, (2**self._board.identity.bits - 1) * (self._moved % 2))
        return code


def check_borne(note: float, volts: float, bears: tuple[float | None, float | None]) -> None:
    """Refuse a note whose volts are beyond what they are put on bears."""
    low, high = bears
    if (low is not None and volts < low) or (high is not None and volts > high):
        bound = low if low is not None and volts < low else high
        assert bound is not None
        raise DeviceError(
            "out of reach",
            f"Note {plain(note)} asks for {plain(round(volts, 4))} V where the input bears {plain(bound)} V: "
            "take it out of the notes to read.",
        )


class SourcePlayer:
    """A voltage source that stands at the volts of each note.

    volts : of a note, by the run's law.  bears : the lowest and highest volts that what hangs on it bears, None where
    nobody gave one; nothing beyond is set.
    """

    def __init__(
        self, source: Source, volts: Callable[[float], float], bears: tuple[float | None, float | None] = (None, None)
    ) -> None:
        self._source, self._volts, self._bears = source, volts, bears

    @property
    def identity(self) -> str:
        return self._source.identity

    def recover(self) -> None:
        self._source.recover()

    def play(self, note: float) -> None:
        volts = self._volts(note)
        check_borne(note, volts, self._bears)
        self._source.set_volts(volts)

    def make_safe(self) -> None:
        self._source.make_safe()

    def close(self) -> None:
        with contextlib.suppress(DeviceError):
            self._source.make_safe()


class MidiPlayer:
    """A converter at a MIDI output port.

    open_port : connects to it anew.  channel : 1 … 16.  Nobody is asked back: which unit hangs there is not known.
    """

    def __init__(self, open_port: Callable[[], MidiOutput], channel: int) -> None:
        self._open_port, self._channel = open_port, channel
        self._port: MidiOutput | None = None
        self._sounds: int | None = None

    @property
    def identity(self) -> str:
        where = "a MIDI port" if self._port is None else self._port.identity
        return f"{where}, MIDI channel {self._channel}"

    def recover(self) -> None:
        self.close()
        self._port = self._open_port()

    def play(self, note: float) -> None:
        if not float(note).is_integer() or not 0 <= note <= 127:
            raise DeviceError(
                "out of reach",
                f"MIDI has no note {plain(note)}: whole notes from 0 to 127 can be played; take it out of those to "
                "read.",
            )
        if self._port is None:
            raise DeviceError("unplugged", "The MIDI port is not open.")
        # Pressed before the one before is let go: the pitch moves at once, and no gate falls between.
        before, self._sounds = self._sounds, int(note)
        if before == int(note):
            return
        self._port.send(note_on(self._channel, int(note)))
        if before is not None:
            self._port.send(note_off(self._channel, before))

    def send(self, data: bytes) -> None:
        """Whole messages, as they are.  Raises `DeviceError`."""
        if self._port is None:
            raise DeviceError("unplugged", "The MIDI port is not open.")
        self._port.send(data)

    def make_safe(self) -> None:
        before, self._sounds = self._sounds, None
        if self._port is None:
            return
        if before is not None:
            self._port.send(note_off(self._channel, before))
        self._port.send(silence(self._channel))

    def close(self) -> None:
        with contextlib.suppress(DeviceError):
            self.make_safe()
        if self._port is not None:
            self._port.close()
        self._port = None


class OutputsPlayer:
    """A channel of a computer's outputs that stands at the volts of each note.

    outputs : gives them as they are connected now, None where they are not: they may be connected anew meanwhile.
    channel : from 0.  aim : the volts of a note, and the code where one is known.  full_scale_volts : that `aim` counts
    on, None where it counts on none.  bears : what hangs on it bears, None where nobody gave one.
    """

    def __init__(
        self,
        outputs: Callable[[], Outflow | None],
        channel: int,
        aim: Callable[[float], tuple[float, int | None]],
        full_scale_volts: float | None = None,
        bears: tuple[float | None, float | None] = (None, None),
    ) -> None:
        self._connected, self._channel, self._aim = outputs, channel, aim
        self._counts_on, self._bears = full_scale_volts, bears

    @property
    def _outputs(self) -> Outflow:
        outputs = self._connected()
        if outputs is None:
            raise DeviceError("unplugged", "The computer's outputs are not connected: connect them, then go on.")
        return outputs

    @property
    def identity(self) -> str:
        outputs = self._connected()
        who = "the computer's outputs" if outputs is None else outputs.identity
        return f"{who}, channel {self._channel + 1}"

    def recover(self) -> None:
        outputs = self._outputs
        outputs.recover()
        if not 0 <= self._channel < outputs.channels:
            raise DeviceError(
                "address", f"{outputs.identity} has {outputs.channels} channels; channel {self._channel + 1} is wanted."
            )
        scale = outputs.full_scale_volts(self._channel)
        if self._counts_on is not None and abs(scale - self._counts_on) > _SAME_SCALE * self._counts_on:
            raise DeviceError(
                "wrong range",
                f"The run counts on {plain(round(self._counts_on, 4))} V at full scale, the outputs are connected with "
                f"{plain(round(scale, 4))} V: connect them with the run's.",
            )

    def play(self, note: float) -> int | None:
        volts, code = self._aim(note)
        check_borne(note, volts, self._bears)
        self._outputs.set_volts(self._channel, volts)
        return code

    def make_safe(self) -> None:
        self._outputs.make_safe()

    def close(self) -> None:
        with contextlib.suppress(DeviceError):
            self._outputs.make_safe()
