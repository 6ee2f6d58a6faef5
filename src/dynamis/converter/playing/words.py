"""Messages in plain words, and why each edge of a signal comes."""

from __future__ import annotations

from typing import Final

import numpy as np

from dynamis.converter.playing.controls import CENTRE
from dynamis.converter.playing.following import CLOCK, CONTINUE, POSITION, RESUMED, START, STOP, Beat
from dynamis.converter.playing.rendering import Rendered, Signal
from dynamis.converter.playing.voices import Why
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

# Source: MIDI 1.0, Table III; common names of controllers.
_CONTROLLERS: Final = {
    0: "bank", 1: "modulation", 2: "breath", 4: "foot", 5: "portamento time", 6: "data entry", 7: "volume", 10: "pan",
    11: "expression", 32: "bank, fine", 38: "data entry, fine", 65: "portamento", 66: "sostenuto", 67: "soft pedal",
    74: "brightness", 96: "data up", 97: "data down", 98: "other parameter, fine", 99: "other parameter",
    100: "parameter, fine", 101: "parameter",
}  # fmt: skip
_MODES: Final = {
    120: "all sound off", 121: "controllers reset", 122: "local control", 123: "all notes off",
    124: "all notes off, omni off", 125: "all notes off, omni on", 126: "all notes off, one voice",
    127: "all notes off, several voices",
}  # fmt: skip
_SENDER: Final = {CLOCK: "clock", START: "start", CONTINUE: "continue", STOP: "stop", RESUMED: "as it stood"}
_PRIORITIES: Final = {
    "last": "the last key",
    "low": "the lowest key",
    "high": "the highest key",
    "first": "the first key",
}


def message_words(status: int, first: int, second: int, style: Style) -> str:
    """What a message says: `C4 pressed, velocity 100`."""
    kind, note = status & 0xF0, note_label(float(first), style)
    if kind == 0x90 and second:
        return f"{note} pressed, velocity {second}"
    if kind in (0x80, 0x90):
        return f"{note} let go" + (", as a press of velocity 0" if kind == 0x90 else "")
    if kind == 0xA0:
        return f"pressure {second} on {note}"
    if kind == 0xC0:
        return f"program {first + 1}"
    if kind == 0xD0:
        return f"pressure {first}"
    if kind == 0xE0:
        return f"wheel at {style.number(float(first + 128 * second - CENTRE), 0, sign=True)} of {CENTRE}"
    if first == 64:
        return "pedal down" if second >= 64 else "pedal up"
    return _MODES.get(first) or f"{_CONTROLLERS.get(first, f'controller {first}')} {second}"


def message_bytes(status: int, first: int, second: int) -> str:
    """Its bytes: `90 3C 64`."""
    behind = (first,) if status & 0xE0 == 0xC0 else (first, second)
    return " ".join(f"{one:02X}" for one in (status, *behind))


def beat_words(beat: Beat) -> str:
    """What a message of a sender's clock says: `song position, sixteenth 9`."""
    if beat.status == POSITION:
        return f"song position, sixteenth {beat.value + 1}"
    return _SENDER[beat.status]


def beat_bytes(beat: Beat) -> str:
    """Its bytes: `F2 08 00`."""
    behind = (beat.value & 0x7F, beat.value >> 7) if beat.status == POSITION else ()
    return " ".join(f"{one:02X}" for one in (beat.status, *behind))


def words_of(rendered: Rendered, stamp: int, style: Style) -> str:
    """A message of a song, in words and bytes."""
    song = rendered.performance.song
    one = int(song.statuses[stamp]), int(song.first_bytes[stamp]), int(song.second_bytes[stamp])
    return f"{message_words(*one, style)} ({message_bytes(*one)})"


def nearest_edge(signal: Signal, seconds: float) -> float | None:
    """When the change of a signal nearest to an instant is; None where it never changes."""
    edges = signal.edges
    if not edges.size:
        return None
    k = int(np.searchsorted(edges, seconds))
    beside = edges[max(0, k - 1) : k + 1]
    return float(beside[np.argmin(np.abs(beside - seconds))])


def why(rendered: Rendered, signal: Signal, seconds: float, style: Style) -> str:
    """Why a signal changes at one of its edges, with the message that makes it."""
    at = f"{signal.name} at {style.number(seconds, 4)} s: "
    stamps = np.flatnonzero(rendered.message_seconds == seconds)
    if signal.kind == "clock":
        rises = signal.rises_at(seconds)
        if signal.name in _TRANSPORT:
            return at + _TRANSPORT[signal.name][0 if rises else 1]
        return at + (f"a pulse of {signal.name.removeprefix('clock')} a quarter note." if rises else "its pulse ends.")
    if signal.kind == "logic":
        return f"{at}{signal.about}."
    if signal.kind == "bend" or signal.kind == "controller":
        moved = rendered.courses[signal.name].stamps
        return f"{at}{words_of(rendered, int(moved[np.isin(moved, stamps)][-1]), style)}."
    assert signal.voice is not None
    track = rendered.performance.tracks[signal.voice]
    marks = {"pitch": track.notes, "gate": track.gates, "trigger": track.fires, "velocity": track.velocities}[
        signal.kind
    ]
    here = np.flatnonzero(np.isin(marks.stamps, stamps))
    if not here.size:
        return at + _unmarked(rendered, signal, stamps, style)
    k = int(here[-1])
    stamp = int(marks.stamps[k])
    made = words_of(rendered, stamp, style)
    if signal.kind == "gate":
        return at + f"{made}{_GATE[track.gate_reasons[k]]}." + _contact(signal, seconds)
    if signal.kind == "trigger":
        fires = _fires(rendered, signal, stamp, Why(int(marks.values[k])), style)
        return at + f"{made}{fires}." + _contact(signal, seconds)
    if signal.kind == "pitch":
        note = note_label(float(marks.values[k]), style)
        first = int(rendered.performance.song.first_bytes[stamp])
        pressed = rendered.performance.song.presses[stamp] and first == int(marks.values[k])
        return at + (f"{made}; it sounds." if pressed else f"{made}; {note} is still held and takes over.")
    return at + f"{made}."


def _contact(signal: Signal, seconds: float) -> str:
    """What a contact to ground does at an edge."""
    if signal.level is None or not signal.level.shorting:
        return ""
    return " It closes to ground." if signal.rises_at(seconds) else " It opens."


def _unmarked(rendered: Rendered, signal: Signal, stamps: np.ndarray, style: Style) -> str:
    """Why an edge comes that no state of the voice has changed for."""
    assert signal.voice is not None
    if signal.kind == "trigger":
        return "its length is over."
    if signal.kind == "gate":
        struck = _last_of([rendered.performance.tracks[signal.voice].velocities.stamps], stamps)
        if struck is not None:
            return f"{words_of(rendered, struck, style)} while it is up; it goes down for the gap."
        return "the gap is over."
    wheels = rendered.performance.bends[signal.voice]
    moved = _last_of([one.stamps for one in wheels], stamps)
    if moved is None:
        return "it goes on."
    turned = any(moved in one.wheel.stamps for one in wheels)
    return words_of(rendered, moved, style) + ("." if turned else "; the wheel's range is another.")


def _last_of(marked: list[np.ndarray], stamps: np.ndarray) -> int | None:
    """The last of some messages that is among marked ones."""
    found = stamps[np.isin(stamps, np.concatenate(marked))]
    return int(found[-1]) if found.size else None


_TRANSPORT: Final = {
    "run": ("the song starts.", "the song has ended."),
    "reset": ("whatever steps goes back to its first step.", "its pulse ends."),
}
_GATE: Final = {
    Why.PRESS: "; no key was held before",
    Why.RELEASE: ", and no other key is held",
    Why.FALLBACK: "; a key that is held takes over",
    Why.PEDAL: ", and no key is down",
    Why.ALL_NOTES_OFF: "",
    Why.SILENCE: "",
}


def _fires(rendered: Rendered, signal: Signal, stamp: int, reason: Why, style: Style) -> str:
    """How a message comes to fire the trigger."""
    assert signal.voice is not None
    if reason is Why.FALLBACK:
        return "; another key takes over, and each new pitch fires"
    if stamp in rendered.performance.tracks[signal.voice].velocities.stamps:
        return ""
    counts = _PRIORITIES[rendered.setting.rules.priority]
    return f"; it does not sound, since {counts} counts, but every press fires"
