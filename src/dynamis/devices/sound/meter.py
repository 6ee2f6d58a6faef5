"""A frequency meter that listens: the steady tone that sounds now."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Final

import numpy as np

from dynamis.devices.interface import DeviceError, Measurand, Shown
from dynamis.devices.sound.stream import FloatArray, SoundStream
from dynamis.tuner.live import MOST_CLIPPED, QUIET_DB, clipped_part, level_db
from dynamis.tuner.tones import steady_tones, with_clock

TONE_SECONDS: Final = 0.45
_STEP_SECONDS: Final = 0.05
# So much is looked at besides, for where the tone began.
_BEFORE_SECONDS: Final = 0.35
_MOST_SECONDS: Final = 4.0
# A tone that is read still sounds: its end lies no further back.
_NOW_SECONDS: Final = 0.06
# A rate that is off by more than this, as far as it can be told, is no clock that is a little off; what comes twice as
# fast, or half, is no sound of now but a file that somebody pours out.
_MOST_RATE_OFF, _POURED_OUT = 1e-3, 0.5
_MOST_WAIT_SECONDS: Final = 2.5
_SURE: Final = 4.0


class SoundMeter:
    """open_stream : connects to the input anew.  clock_ppm : how much too fast the input's clock is known to run.

    seconds : how long a tone has to be steady.
    """

    tells_steady = True

    def __init__(
        self, open_stream: Callable[[], SoundStream], *, clock_ppm: float = 0.0, seconds: float = TONE_SECONDS
    ) -> None:
        with_clock([], clock_ppm)
        self._open, self._ppm, self._seconds = open_stream, clock_ppm, seconds
        self._stream: SoundStream | None = None
        self.recover()

    @property
    def identity(self) -> str:
        stream = self._stream
        return "sound" if stream is None else f"{stream.identity}, {stream.rate:.0f} samples a second"

    def recover(self) -> None:
        """Open it anew, unless it still sends."""
        stream = self._stream
        if stream is not None:
            try:
                stream.fresh()
                stream.read(_STEP_SECONDS)
                return
            except DeviceError:
                self.close()
        self._stream = self._open()

    def prepare(self, quantity: Measurand, full_scale_volts: float | None) -> None:
        if quantity != "hertz":
            raise DeviceError("wrong function", "Sound is read in hertz; begin a run in hertz to take it by sound.")

    def listen(self, seconds: float) -> tuple[FloatArray, float]:
        """(the next samples, samples a second); for who wants to look at sound itself."""
        stream = self._connected()
        return stream.read(seconds), stream.rate

    def _connected(self) -> SoundStream:
        if self._stream is None:
            raise DeviceError("unplugged", "No sound is connected.")
        return self._stream

    def read(self) -> Shown:
        """The tone that sounds, from fresh samples, once it has been steady for long enough."""
        stream = self._connected()
        stream.fresh()
        lost, heard, listened, waited = stream.lost, np.zeros(0), 0.0, 0.0
        while listened < _MOST_SECONDS:
            wait = max(_STEP_SECONDS, self._seconds - heard.size / stream.rate)
            heard = np.concatenate([heard, stream.read(wait)])[
                -round((self._seconds + _BEFORE_SECONDS) * stream.rate) :
            ]
            listened += wait
            if stream.lost != lost:
                lost, heard = stream.lost, np.zeros(0)
                continue
            _check_sound(heard)
            if level_db(heard) < QUIET_DB:
                continue
            if stream.counts and math.isnan(stream.arrived_rate()[0]) and waited < _MOST_WAIT_SECONDS:
                waited += wait  # held up just now: in a second it can be told what rate they come at
                continue
            tones = steady_tones(heard, stream.rate, self._seconds)
            if tones and tones[-1].end_seconds >= heard.size / stream.rate - _NOW_SECONDS:
                self._check_rate(stream)
                tone = with_clock(tones[-1:], self._ppm)[0]
                return Shown(tone.hertz, None, tone.deviation_hertz)
        loudness = level_db(heard)
        if loudness < QUIET_DB:
            raise DeviceError(
                "no sound",
                f"Nothing is heard: {loudness:.0f} dB of full scale. Check that the voice sounds, the lead and the "
                "input's level, then go on.",
            )
        raise DeviceError(
            "no tone",
            f"What is heard ({loudness:.0f} dB of full scale) holds no pitch for {self._seconds:g} s: take "
            "modulation off, let one oscillator sound, then go on.",
        )

    def _check_rate(self, stream: SoundStream) -> None:
        rate, deviation = stream.arrived_rate()
        off = abs(rate / stream.rate - 1.0)
        if math.isfinite(off) and _MOST_RATE_OFF + _SURE * deviation / stream.rate < off < _POURED_OUT:
            cents = 1200.0 * math.log2(rate / stream.rate)
            raise DeviceError(
                "wrong rate",
                f"{stream.identity} says {stream.rate:.0f} samples a second, and {rate:.0f} come by this computer's "
                f"clock: every pitch would be read {abs(cents):.0f} ct {'flat' if cents > 0 else 'sharp'}. Set the "
                "device's rate right, then go on.",
            )

    def close(self) -> None:
        stream, self._stream = self._stream, None
        if stream is not None:
            stream.close()


def _check_sound(samples: FloatArray) -> None:
    """Refuse sound that is cut off."""
    part = clipped_part(samples)
    if part > MOST_CLIPPED:
        raise DeviceError(
            "clipped",
            f"The input clips: {100.0 * part:.1f} % of its samples stand at full scale. Turn its level down, then "
            "go on.",
        )
