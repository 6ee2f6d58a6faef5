"""What a song does to a converter that its player may not have meant, and what to set to mend it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from dynamis.converter.playing.rendering import Rendered
from dynamis.converter.playing.voices import MOST_VOICES
from dynamis.converter.playing.words import words_of
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

Code = Literal[
    "double-trigger",
    "swallowed-trigger",
    "legato",
    "hangs",
    "no-volts",
    "arrives",
    "misses",
    "late",
    "no-voice",
    "jumped",
    "late-pitch",
    "waits",
    "lost-edge",
    "silent-step",
    "ratchets",
    "near-threshold",
    "envelope",
]
_LEAST_GAP: Final = 0.005


@dataclass(frozen=True)
class PlayFinding:
    """code : what it is.  count : how often.  seconds : when it is so first, None where it is no instant.
    signal : the name of the one that shows it."""

    code: Code
    text: str
    count: int
    seconds: float | None
    signal: str = ""


def find_in(rendered: Rendered, style: Style) -> list[PlayFinding]:
    """Everything that is found, what spoils most first."""
    found: list[PlayFinding] = []
    when = rendered.message_seconds
    for track, ending in zip(rendered.performance.tracks, rendered.performance.endings, strict=True):
        gate, trigger = f"gate{ending}", f"trigger{ending}"
        over = rendered.performance.song.over  # what stands for messages of long ago is nothing that happened
        fires, struck = (one.stamps[one.stamps >= over] for one in (track.fires, track.velocities))
        if not fires.size or not track.gates.stamps.size:
            continue
        if rendered.setting.rules.fires_on == "every-press":
            idle = fires[~np.isin(fires, struck)]
            if idle.size:
                found.append(_double(rendered, idle, trigger, style))
        instants = when[fires]
        close = np.flatnonzero(np.diff(instants) <= rendered.setting.trigger_seconds) + 1
        if close.size:
            found.append(_swallowed(rendered, instants, close, trigger, style))
        gates = track.gates
        up = np.searchsorted(gates.stamps, struck, side="left") - 1
        while_up = struck[(up >= 0) & (gates.values[np.maximum(up, 0)] == 1)]
        if while_up.size and not rendered.setting.gap_seconds:
            found.append(_legato(rendered, while_up, gate, style))
        if gates.values.size and gates.values[-1] == 1:
            at = float(when[gates.stamps[-1]])
            note = note_label(float(track.notes.values[-1]), style)
            found.append(
                PlayFinding(
                    "hangs",
                    f"{note} is held when the song ends: the gate stays up. Let it go, or send all notes off.",
                    1,
                    at,
                    gate,
                )
            )
    if rendered.setting.by_cable:
        found.append(_late(rendered, style))
    if rendered.jumps:
        found.append(_jumped(rendered, style))
    if rendered.performance.unplayed:
        count = rendered.performance.unplayed
        text = (
            f"{_times(count, style)} a note has no voice: more channels of the zone are used than there are voices, "
            f"{MOST_VOICES}. Set the sender's zone to at most so many members."
        )
        found.append(PlayFinding("no-voice", text, count, None))
    if rendered.silent:
        names = ", ".join(note_label(float(one), style) for one in rendered.silent[:8])
        found.append(
            PlayFinding(
                "no-volts",
                f"These notes have no volts, and the pitch stays where it was: {names}.",
                len(rendered.silent),
                None,
            )
        )
    return found


def _late(rendered: Rendered, style: Style) -> PlayFinding:
    """How much the cable delays."""
    late = rendered.message_seconds - rendered.performance.song.seconds
    worst = int(np.argmax(late))
    at = float(rendered.message_seconds[worst])
    text = (
        f"The cable delays messages by up to {style.engineering(float(late[worst]), 's')}, most at "
        f"{style.number(at, 3)} s: a byte takes 320 µs, and those of one instant come one after the other."
    )
    if rendered.clocks_late is not None:
        least, most = (style.engineering(1e-6 * round(1e6 * one), "s") for one in rendered.clocks_late)
        text += f" Its clocks come {least} late" + (f" to {most}, unevenly." if most != least else ", all alike.")
    return PlayFinding("late", text, int(late.size), at, _first_gate(rendered))


def _first_gate(rendered: Rendered) -> str:
    return next(one.name for one in rendered.signals if one.kind == "gate")


def _jumped(rendered: Rendered, style: Style) -> PlayFinding:
    """Where a sender went on elsewhere than what follows its clock stands."""
    at, sixteenth = rendered.jumps[0]
    text = (
        f"{_times(len(rendered.jumps), style)} the sender goes on at another place, first at {style.number(at, 3)} "
        f"s at sixteenth {sixteenth + 1}: what steps by a clock and a reset alone does not know, and plays from "
        "where it stood. Let it start instead, which resets."
    )
    return PlayFinding(
        "jumped", text, len(rendered.jumps), at, "reset" if rendered.setting.transport else _first_gate(rendered)
    )


def _double(rendered: Rendered, idle: np.ndarray, signal: str, style: Style) -> PlayFinding:
    at = float(rendered.message_seconds[idle[0]])
    return PlayFinding(
        "double-trigger",
        f"{_times(idle.size, style)} the trigger fires for a key that does not sound, first at "
        f"{style.number(at, 3)} s: {words_of(rendered, int(idle[0]), style)}. An envelope starts again on the old "
        "note. Let it fire at a new pitch only.",
        int(idle.size),
        at,
        signal,
    )


def _swallowed(rendered: Rendered, instants: np.ndarray, close: np.ndarray, signal: str, style: Style) -> PlayFinding:
    nearest = float(np.min(np.diff(instants)))
    cure = (
        "two presses of one instant make one pulse"
        if nearest <= 0.0
        else f"make the trigger shorter than {style.engineering(nearest, 's')}"
    )
    return PlayFinding(
        "swallowed-trigger",
        f"{_times(close.size, style)} a press comes while the pulse of the one before is up and makes no edge, "
        f"first at {style.number(float(instants[close[0]]), 3)} s: {cure}.",
        int(close.size),
        float(instants[close[0]]),
        signal,
    )


def _legato(rendered: Rendered, stamps: np.ndarray, signal: str, style: Style) -> PlayFinding:
    at = float(rendered.message_seconds[stamps[0]])
    return PlayFinding(
        "legato",
        f"{_times(stamps.size, style)} a key is pressed while the gate is up, first at {style.number(at, 3)} s: an "
        f"envelope that goes by the gate alone does not start again. A gap of {style.engineering(_LEAST_GAP, 's')} "
        "in the gate lets it.",
        int(stamps.size),
        at,
        signal,
    )


def _times(count: int, style: Style) -> str:
    return "Once" if count == 1 else f"{style.number(float(count), 0)} times"
