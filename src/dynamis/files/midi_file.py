"""Standard MIDI Files, read whole.

Source: RP-001, Standard MIDI Files 1.0: chunks, variable-length quantities, running status, meta events; from memory.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

import numpy as np

from dynamis.converter.playing.song import USUAL_QUARTER_SECONDS, Song, TempoMap, tempo_map
from dynamis.errors import InputError
from dynamis.files.text import read_bytes

MOST_BYTES: Final = 64 << 20
# A byte that is off can make a song days long.
MOST_SECONDS: Final = 12 * 3600.0
# Frames a second by the header's byte; 29 is 30 with frames dropped.
_FRAMES: Final = {24: 24.0, 25: 25.0, 29: 30_000.0 / 1001.0, 30: 30.0}
_META, _END_OF_TRACK, _TEMPO, _TRACK_NAME = 0xFF, 0x2F, 0x51, 0x03
_MOST_NAME: Final = 80


@dataclass
class _Track:
    """What one track holds; words are status, first and second byte in one number."""

    ticks: list[int] = field(default_factory=list)
    words: list[int] = field(default_factory=list)
    tempos: list[tuple[int, float]] = field(default_factory=list)
    name: str = ""
    end_tick: int = 0


def read_song(path: Path, track: int | None = None) -> Song:
    """A song of a file.

    track : the one whose messages count, from 1; all of them where it is None, which a file of format 2 refuses.

    Raises `InputError`, naming the file and the byte, where it is no Standard MIDI File, breaks off, is too long, or
    has no such track.
    """
    return song_of(read_bytes(path, MOST_BYTES), str(path), track)


def read_song_of_any(path: Path) -> Song:
    """The same, of a file whose tracks are songs of their own the first."""
    data = read_bytes(path, MOST_BYTES)
    return song_of(data, str(path), 1 if data[8:10] == b"\0\2" else None)


def song_of(data: bytes, name: str, track: int | None = None) -> Song:
    """The same of bytes; `name` stands in refusals."""
    if data[:4] != b"MThd" or len(data) < 14:
        raise InputError(f"{name}: this is no Standard MIDI File: it does not begin with MThd.")
    length = int.from_bytes(data[4:8], "big")
    form, _, division = (int.from_bytes(data[k : k + 2], "big") for k in (8, 10, 12))
    if length < 6 or form > 2:
        raise InputError(
            f"{name}: the header has {length} bytes and format {form}; 6 and a format up to 2 were expected."
        )
    if form == 2 and track is None:
        raise InputError(f"{name}: its tracks are songs of their own (format 2); --track has to choose one.")
    made = _tracks(data, 8 + length, name)
    if not made:
        raise InputError(f"{name}: the file has no track.")
    if track is not None and not 1 <= track <= len(made):
        raise InputError(f"{name}: track {track} was asked for; the file has tracks 1 to {len(made)}.")
    timing = made if form != 2 or track is None else [made[track - 1]]
    tempo = _timing(division, timing, name)
    end_tick = max(one.end_tick for one in timing)
    if float(tempo.seconds_at(float(end_tick))) > MOST_SECONDS:
        hours = float(tempo.seconds_at(float(end_tick))) / 3600.0
        raise InputError(f"{name}: the song is {hours:.0f} hours long; at most {MOST_SECONDS / 3600.0:.0f} are played.")
    played = [(k, one) for k, one in enumerate(made, 1) if track is None or k == track]
    ticks = np.array([tick for _, one in played for tick in one.ticks], np.int64)
    words = np.array([word for _, one in played for word in one.words], np.int64)
    if np.any(words & 0x8080):
        raise InputError(f"{name}: a message has data bytes above 127: the file is damaged.")
    tracks = np.repeat([k for k, _ in played], [len(one.ticks) for _, one in played]).astype(np.int64)
    if len(played) > 1:
        order = np.argsort(ticks, kind="stable")
        ticks, words, tracks = ticks[order], words[order], tracks[order]
    return Song(
        form,
        ticks,
        (words >> 16).astype(np.uint8),
        (words >> 8 & 0xFF).astype(np.uint8),
        (words & 0xFF).astype(np.uint8),
        tracks,
        tempo,
        end_tick,
        tuple(one.name for one in made),
    )


def _timing(division: int, tracks: list[_Track], name: str) -> TempoMap:
    if division & 0x8000:
        frames, ticks = _FRAMES.get(256 - (division >> 8)), division & 0xFF
        if frames is None or ticks == 0:
            raise InputError(
                f"{name}: the header's division is 0x{division:04X}; 24, 25, 29 or 30 frames were expected."
            )
        quarter = frames * ticks * USUAL_QUARTER_SECONDS
        return tempo_map([], quarter)
    if division == 0:
        raise InputError(f"{name}: the header gives a quarter note 0 ticks; at least 1 was expected.")
    return tempo_map([change for one in tracks for change in one.tempos], float(division))


def _tracks(data: bytes, at: int, name: str) -> list[_Track]:
    """Every track there is, however many the header says; chunks of other kinds are passed over."""
    made: list[_Track] = []
    while at < len(data):
        kind, size = data[at : at + 4], int.from_bytes(data[at + 4 : at + 8], "big")
        begins, at = at + 8, at + 8 + size
        if kind == b"MTrk" and at > len(data):
            raise InputError(
                f"{name}: track {len(made) + 1} breaks off at byte {len(data)} of {at}: the file is not whole."
            )
        if kind == b"MTrk":
            track = _Track()
            try:
                _read_track(data[begins:at], track)
            except IndexError as error:
                raise InputError(f"{name}: track {len(made) + 1} ends in the middle of a message.") from error
            except ValueError as error:
                raise InputError(
                    f"{name}: track {len(made) + 1}, byte {begins + error.args[1]}: {error.args[0]}."
                ) from error
            made.append(track)
    return made


def _read_track(data: bytes, track: _Track) -> None:
    """One track's events.  Raises `IndexError` where they break off, `ValueError` (words, byte) for what is none.

    One loop without calls: it is what reading a song costs.
    """
    add_tick, add_word = track.ticks.append, track.words.append
    at, tick, running, end = 0, 0, 0, len(data)
    while at < end:
        byte = data[at]
        at += 1
        if byte < 0x80:
            tick += byte
        else:
            delta = byte & 0x7F
            for _ in range(3):
                byte = data[at]
                at += 1
                delta = delta << 7 | byte & 0x7F
                if byte < 0x80:
                    break
            else:
                raise ValueError("a time has more than four bytes", at)
            tick += delta
        status = data[at]
        if status < 0x80:
            status = running
            if not status:
                raise ValueError(f"data 0x{data[at]:02X} stands without a message before it", at)
        else:
            at += 1
        if status < 0xF0:
            running = status
            if status & 0xE0 == 0xC0:  # program change and channel pressure have one byte
                add_word(status << 16 | data[at] << 8)
                at += 1
            else:
                add_word(status << 16 | data[at] << 8 | data[at + 1])
                at += 2
            add_tick(tick)
            continue
        kind = -1
        if status == _META:
            kind = data[at]
            at += 1
        elif status not in (0xF0, 0xF7):
            raise ValueError(f"0x{status:02X} is no event of a file", at - 1)
        size = 0
        for _ in range(4):
            byte = data[at]
            at += 1
            size = size << 7 | byte & 0x7F
            if byte < 0x80:
                break
        else:
            raise ValueError("a length has more than four bytes", at)
        held, at = data[at : at + size], at + size
        if at > end:
            raise IndexError
        if kind == _END_OF_TRACK:
            break
        if kind == _TEMPO and size == 3 and any(held):
            track.tempos.append((tick, int.from_bytes(held, "big") / 1e6))
        elif kind == _TRACK_NAME and not track.name:
            track.name = held.decode("utf-8", "replace")[:_MOST_NAME]
    track.end_tick = tick
