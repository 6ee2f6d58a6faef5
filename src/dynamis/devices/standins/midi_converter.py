"""A simulated MIDI-controlled converter: the last key pressed sounds, by the correction that its board holds."""

from __future__ import annotations

from dynamis.converter.midi_stream import ALL_NOTES_OFF, ALL_SOUND_OFF, CONTROL_CHANGE, MidiParser
from dynamis.devices.standins.board_logic import BoardLogic


class MidiConverter:
    """MIDI channel 1 plays the board's first channel, 2 the second.  logic : of the board; may be changed."""

    def __init__(self, logic: BoardLogic) -> None:
        self.logic = logic
        self._parser = MidiParser()
        self._held: dict[int, list[int]] = {}

    def receive(self, data: bytes) -> None:
        """Take bytes as they come in."""
        for message in self._parser.feed(data):
            if message.channel is None or message.channel > len(self.logic.design.channels):
                continue
            held = self._held.setdefault(message.channel, [])
            if message.kind == CONTROL_CHANGE and message.data[0] in (ALL_SOUND_OFF, *range(ALL_NOTES_OFF, 128)):
                held.clear()
                continue
            if not (message.sounds or message.ends):
                continue
            if message.data[0] in held:
                held.remove(message.data[0])
            if message.sounds:
                held.append(message.data[0])
            if held:
                self.logic.play_note(self.logic.design.channels[message.channel - 1], float(held[-1]))
