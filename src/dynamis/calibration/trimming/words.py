"""A step of a walk in words: what to play, what to turn until which reading, and why there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from dynamis.calibration.trimming.walk import Step, Trims, Turn, Walk, right_cents
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.notes import note_label

TURN_NAMES: Final[dict[Turn, str]] = {
    "tune": "the tuning",
    "scale": "the scale",
    "high": "the high-frequency trimmer",
    "offset": "the offset",
    "read": "nothing",
}


@dataclass(frozen=True)
class Said:
    """play, turn, reading : large, a line each.  why : a sentence or two."""

    play: str
    turn: str
    reading: str
    why: str


def step_words(trims: Trims, walked: Walk, style: Style) -> Said:
    """What is to be done now, or how it ended."""
    step = walked.step
    if step is None:
        return _ended(trims, walked, style)
    play = f"Play {note_label(step.note, style)}"
    if step.turn == "read":
        return Said(play, "Turn nothing", "Read it", "What it plays now tells what is next.")
    target = f"{style.hertz(trims.hertz(step.note, step.target_cents))}, {style.cents(step.target_cents, sign=True)} ct"
    return Said(play, f"Turn {TURN_NAMES[step.turn]}", f"until it reads {target}", _why(trims, step, walked, style))


def _why(trims: Trims, step: Step, walked: Walk, style: Style) -> str:
    if step.turn == "tune":
        return "All notes move alike with it; the scale is judged from here."
    if step.turn == "high":
        return "At the top the reset takes its time: this trimmer bends it back. It moves the lower notes a little."
    if step.turn == "offset":
        return "At the bottom an offset weighs most; at the top it is next to nothing."
    if not isinstance(trims.law, ExponentialLaw):
        return "At the top only the scale counts."
    if walked.pivot_volts is None:
        return "Nobody knows yet where turning the scale moves nothing; this turn will tell."
    pivot = style.volts(walked.pivot_volts, 2)
    if abs(step.target_cents) < 0.05:
        return f"The scale turns about {pivot}, which is this walk's low note: straight to the note."
    return (
        f"The scale turns about {pivot}, so the other note moves too: not to the note, but to where both are off "
        "alike. Then tune again."
    )


def _ended(trims: Trims, walked: Walk, style: Style) -> Said:
    tolerance = f"{style.cents(trims.tolerance_cents)} ct"
    if walked.reached:
        why = "Prove it by a run: fresh readings over the whole range."
        return Said("Done", f"All three within {tolerance}", "", why)
    why = (
        "The notes did not come nearer: a trimmer at its end, a unit that is still warming, or a bend that no trimmer "
        "takes out. A run shows its shape."
    )
    return Said("Stopped", f"Not within {tolerance}", "", why)


def live_words(trims: Trims, step: Step, cents: float, style: Style) -> str:
    """What is heard while a step is done, and how far it is to its target."""
    heard = f"It plays {style.hertz(trims.hertz(step.note, cents))}, {style.cents(cents, sign=True)} ct"
    if step.turn == "read":
        return f"{heard}. Enter takes it."
    left = step.target_cents - cents
    if abs(left) <= right_cents(trims):
        return f"{heard}: it is there. Enter takes it."
    return f"{heard}: {style.cents(abs(left))} ct to go, {'up' if left > 0.0 else 'down'}."


def done_words(trims: Trims, step: Step, cents: float, style: Style) -> str:
    """A step that was done, in a line."""
    what = "read" if step.turn == "read" else f"{TURN_NAMES[step.turn]} turned"
    hertz = style.hertz(trims.hertz(step.note, cents))
    return f"{note_label(step.note, style)}, {what}: {hertz}, {style.cents(cents, sign=True)} ct"
