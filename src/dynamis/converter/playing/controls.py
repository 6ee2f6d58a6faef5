"""What the wheel, its range, a controller and the pedal stand at, message by message.

Source: MIDI 1.0: 14-bit pitch bend with 8192 in the middle; registered parameter 0 (bend range in semitones and cents),
chosen by controllers 101 and 100, set by data entry 6 and 38; RP-015, what controller 121 resets; RP-018, that 96 and
97 move a bend range by a cent (the recommended practices from memory).
"""

from __future__ import annotations

from typing import Final

CENTRE: Final = 8192
MODULATION, DATA_MSB, DATA_LSB, SUSTAIN = 1, 6, 38, 64
INCREMENT, DECREMENT, NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB = 96, 97, 98, 99, 100, 101
ALL_SOUND_OFF, RESET, ALL_NOTES_OFF = 120, 121, 123
NO_PARAMETER: Final = 0x3FFF
# Controllers that parameters are set with, and all that the state of a channel hangs on.
PARAMETERS: Final = frozenset({DATA_MSB, DATA_LSB, INCREMENT, DECREMENT, NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB})


class Parameter:
    """Which registered parameter data entry sets; `NO_PARAMETER` for none, or one of another kind."""

    def __init__(self) -> None:
        self.number = NO_PARAMETER

    def choose(self, controller: int, value: int) -> bool:
        """Take a controller; whether it was one that chooses."""
        if controller in (NRPN_LSB, NRPN_MSB):
            self.number = NO_PARAMETER
        elif controller == RPN_MSB:
            self.number = value << 7 | self.number & 0x7F
        elif controller == RPN_LSB:
            self.number = self.number & 0x3F80 | value
        else:
            return False
        return True

    def reset(self) -> None:
        self.number = NO_PARAMETER


class BendRange:
    """The wheel's range in semitones, as registered parameter 0 sets it."""

    def __init__(self, semitones: float) -> None:
        self.semitones = semitones
        self._parameter = Parameter()
        self._whole, self._cents = int(semitones), round(100.0 * (semitones % 1.0))

    def control(self, controller: int, value: int) -> bool:
        """Take a controller of `PARAMETERS`; whether the range is another afterwards."""
        if self._parameter.choose(controller, value) or self._parameter.number != 0:
            return False
        if controller == DATA_MSB:
            self._whole, self._cents = value, 0
        elif controller == DATA_LSB:
            self._cents = value
        else:
            cents = 100 * self._whole + self._cents + (1 if controller == INCREMENT else -1)
            self._whole, self._cents = divmod(min(12_799, max(0, cents)), 100)
        before, self.semitones = self.semitones, self._whole + self._cents / 100.0
        return self.semitones != before

    def reset(self) -> None:
        """No parameter is chosen any more; the range stays (RP-015)."""
        self._parameter.reset()
