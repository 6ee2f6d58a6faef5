"""Where a song comes from, and what can be chosen of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dynamis.converter.playing.phrases import Phrase
from dynamis.converter.playing.song import Song
from dynamis.notation.style import Style


@dataclass(frozen=True, eq=False)
class SongSource:
    """name, about : as they are shown.  song : all its tracks.  phrase : its index, None for a file.  live : whether it
    is played now."""

    name: str
    about: str
    song: Song
    phrase: int | None = None
    live: bool = False


def of_phrase(phrase: Phrase, index: int) -> SongSource:
    return SongSource(phrase.name, f"Shows {phrase.shows}.", phrase.song, index)


def of_file(name: str, song: Song, style: Style) -> SongSource:
    """A song of a file, with how long it is and what is in it."""
    notes = int(np.sum(song.presses))
    tracks = len(song.names)
    about = f"{style.number(song.end_seconds, 1)} s, {notes} notes in {tracks} track{'s' * (tracks > 1)}"
    return SongSource(name, about, song)


def of_live(song: Song) -> SongSource:
    return SongSource("Live", "Play something.", song, live=True)


def channel_choices(source: SongSource) -> list[tuple[int | str | None, str]]:
    """Channels that have notes, with how many; then all of them together, and the zones of MPE.  Live all of them come
    first, then each, since nobody knows yet which will have some."""
    song, zones = source.song, [("lower", "MPE, lower zone"), ("upper", "MPE, upper zone")]
    if source.live:
        return [(None, "all"), *((number, str(number)) for number in range(1, 17)), *zones]
    numbers, counts = np.unique(song.channels[song.presses], return_counts=True)
    choices: list[tuple[int | str | None, str]] = [
        (int(number), f"{number} ({count} notes)") for number, count in zip(numbers, counts, strict=True)
    ]
    if len(choices) != 1:
        choices.append((None, "all"))
    return [*choices, *zones]


def track_choices(source: SongSource) -> list[tuple[int | None, str]]:
    """All tracks, then each by its number and name."""
    choices: list[tuple[int | None, str]] = [(None, "all")]
    if len(source.song.names) > 1:
        choices += [(k, f"{k} {name}".strip()) for k, name in enumerate(source.song.names, 1)]
    return choices


def of_track(song: Song, track: int | None) -> Song:
    """The messages of one track, or of all; the tempo is that of all."""
    if track is None:
        return song
    mine = song.tracks == track
    return Song(
        song.form,
        song.ticks[mine],
        song.statuses[mine],
        song.first_bytes[mine],
        song.second_bytes[mine],
        song.tracks[mine],
        song.tempo,
        song.end_tick,
        song.names,
    )
