"""The messages of what is played, as they are listed: those of the converter's channel, and what moves a sender's clock
from one place to another.  Clocks themselves are not: there are 24 a quarter note."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.playing.lanes import Played, listed_stamps
from dynamis.converter.playing.following import CLOCK, RESUMED
from dynamis.converter.playing.words import beat_bytes, beat_words, message_bytes, message_words
from dynamis.notation.style import Style


@dataclass(frozen=True, eq=False)
class Messages:
    """seconds : when each came, (N,), rising.  stamps : which of the song it is, (N,); of the clock's, counted from −1
    down."""

    played: Played
    seconds: NDArray[np.float64]
    stamps: NDArray[np.int64]

    def __len__(self) -> int:
        return int(self.stamps.size)

    def near(self, seconds: float) -> int:
        """The last row at or before an instant; the first before any."""
        return max(0, int(np.searchsorted(self.seconds, seconds, side="right")) - 1)

    def cells(self, row: int, style: Style) -> tuple[str, str, str, str, str]:
        """(seconds, track, channel, bytes, words)."""
        stamp, song, at = int(self.stamps[row]), self.played.song, style.number(float(self.seconds[row]), 4)
        if stamp < 0:
            beat = song.beats[-1 - stamp]
            return at, "", "", beat_bytes(beat), beat_words(beat)
        one = int(song.statuses[stamp]), int(song.first_bytes[stamp]), int(song.second_bytes[stamp])
        track, channel = str(int(song.tracks[stamp])), str(int(song.channels[stamp]))
        return at, track, channel, message_bytes(*one), message_words(*one, style)


def messages_of(played: Played) -> Messages:
    """What is listed of what is played; at one instant the clock's go first, as on a cable."""
    stamps = listed_stamps(played)
    beats = [k for k, beat in enumerate(played.song.beats) if beat.status not in (CLOCK, RESUMED)]
    every = np.concatenate([-1 - np.array(beats, np.int64), stamps])
    came = [played.song.beats[k].seconds for k in beats]
    seconds = np.concatenate([np.array(came, float), played.rendered.message_seconds[stamps]])
    order = np.argsort(seconds, kind="stable")
    return Messages(played, seconds[order], every[order])
