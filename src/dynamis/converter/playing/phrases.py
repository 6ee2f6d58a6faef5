"""Phrases to try a converter with, each for one thing that it may do otherwise than one thinks."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.converter.playing.song import Song, tempo_map

QUARTER: Final = 480


@dataclass(frozen=True)
class Phrase:
    """name, shows : what it is, and what it is for.  song : on channel 1."""

    name: str
    shows: str
    song: Song


def made_song(messages: Iterable[tuple[int, bytes]], end_tick: int, tempos: Iterable[tuple[int, float]] = ()) -> Song:
    """A song of (tick, message) in any order; of one tick they count as they stand.

    tempos : (tick, seconds a quarter note).
    """
    rows = sorted(messages, key=lambda one: one[0])
    padded = [(tick, *bytes_of, *(0,) * (3 - len(bytes_of))) for tick, bytes_of in rows]
    table = np.array(padded, np.int64).reshape(-1, 4)
    statuses, firsts, seconds = (table[:, k].astype(np.uint8) for k in (1, 2, 3))
    tempo = tempo_map(list(tempos), float(QUARTER))
    return Song(0, table[:, 0], statuses, firsts, seconds, np.ones(len(rows), np.int64), tempo, end_tick)


def _keys(*keys: tuple[float, float, int, int]) -> list[tuple[int, bytes]]:
    """Keys as (from, to, note, velocity), in quarter notes."""
    made = []
    for start, end, note, velocity in keys:
        made.append((round(start * QUARTER), bytes([0x90, note, velocity])))
        made.append((round(end * QUARTER), bytes([0x80, note, 64])))
    return made


def phrases() -> tuple[Phrase, ...]:
    """All of them, the simplest first."""
    line = _keys((0, 0.9, 60, 90), (1, 1.9, 62, 80), (2, 2.9, 64, 100), (3, 4, 67, 110))
    overlap = _keys((0, 1.2, 60, 90), (1, 2.3, 64, 85), (2, 2.6, 62, 70), (2.5, 4, 67, 110))
    held = _keys(
        (0, 4, 48, 100), *((0.5 * k, 0.5 * k + 0.4, note, 80) for k, note in enumerate((60, 63, 67, 63, 60, 58, 55), 1))
    )
    again = _keys(*((0.5 * k, 0.5 * k + 0.5, 57, 70 + 6 * k) for k in range(8)))
    wheel = [
        (round(QUARTER * (1 + k / 16)), bytes([0xE0, *divmod(8192 + round(8191 * np.sin(np.pi * k / 16)), 128)[::-1]]))
        for k in range(17)
    ]
    wheel += [(round(QUARTER * (2 + k / 8)), bytes([0xB0, 1, min(127, 8 * k)])) for k in range(17)]
    pedal = [(0, bytes([0xB0, 64, 127])), (3 * QUARTER, bytes([0xB0, 64, 0]))]
    pedal += _keys((0, 0.4, 60, 90), (1, 1.4, 64, 90), (2, 3.5, 67, 90))
    chord = _keys(
        (0, 2, 60, 90),
        (0, 2, 64, 80),
        (0, 2, 67, 100),
        (2, 4, 59, 90),
        (2, 4, 62, 80),
        (2, 4, 67, 100),
        (3, 4, 74, 110),
    )
    slow = [(k * QUARTER, 0.4 + 0.1 * k) for k in range(4)]
    end = 4 * QUARTER
    return (
        Phrase("Four notes", "each key up before the next: gate and trigger say the same", made_song(line, end)),
        Phrase("Overlapping keys", "which key sounds, and when it falls back", made_song(overlap, end)),
        Phrase("A held bass under a line", "triggers for keys that do not sound", made_song(held, end)),
        Phrase("One note again and again", "a gate that never goes down", made_song(again, end)),
        Phrase(
            "Wheel and modulation",
            "bend and a controller while a key is held",
            made_song([*_keys((0, 4, 60, 100)), *wheel], end),
        ),
        Phrase("Pedal", "keys that are let go and still sound", made_song(pedal, end)),
        Phrase("Chords", "more keys than a converter has voices", made_song(chord, end)),
        Phrase("Slowing down", "clocks that follow the tempo", made_song(line, end, slow)),
    )
