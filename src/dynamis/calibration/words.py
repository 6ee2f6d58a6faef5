"""What the numbers say, in sentences: what, how much, why, and what to do.

Nothing here decides; every sentence is made of the numbers it is given.
"""

from __future__ import annotations

import numpy as np

from dynamis.calibration.corrections import Correction, TrimStep
from dynamis.calibration.fit import Fit
from dynamis.calibration.proof import COUNTER_CENTS, Proof
from dynamis.notation.style import MINUS, Style
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import Verdict

VERDICT_WORDS: dict[Verdict, str] = {
    "within": "within tolerance",
    "not-within": "not within tolerance",
    "cannot-tell": "cannot tell",
}


def correction_title(way: Correction) -> str:
    if way.kind == "trimmer":
        names = [step.which for step in way.steps]
        return "Turn the scale trimmer" if names == ["scale"] else f"Turn two trimmers, {names[0]} first"
    if way.kind == "constants":
        return "Change two constants"
    return f"A table of {len(way.aim_volts)} {'codes' if way.codes else 'voltages'}"


def correction_leaves(way: Correction, style: Style) -> str:
    """`leaves 1.4 ± 0.9 ct`: the largest error left, and the largest ± of any note."""
    if "instrument" in way.unproved:
        return f"leaves {style.cents(way.worst_cents)} ct, ± not known"
    return f"leaves {style.cents(way.worst_cents)} ± {style.cents(way.worst_expanded)} ct"


def correction_detail(way: Correction, fit: Fit, style: Style) -> str:
    """What to do, what limits it, and what keeps it from being sure."""
    return " ".join([_do(way, fit, style), *_beyond(way, style), *_unproved(way, style)])


def _beyond(way: Correction, style: Style) -> list[str]:
    """A note that the converter does not reach once it is corrected."""
    if way.beyond is None:
        return []
    note, volts = note_label(way.beyond[0], style), style.millivolts(abs(way.beyond[1]), 1)
    if way.beyond[1] > 0:
        return [f"Note {note} would lie {volts} above the top code: more gain after the converter, or end lower."]
    return [f"Note {note} would lie {volts} below the lowest code: begin higher, or shift it up."]


def _unproved(way: Correction, style: Style) -> list[str]:
    told = []
    if way.supposed and "linearity" in way.unproved:
        told.append(
            f"{way.supposed} whole notes were not read, and how far linearity may take them is not known: cannot tell "
            "before they are read."
        )
    elif way.supposed:
        told.append(f"{way.supposed} whole notes were not read and count with the linearity limit.")
    if "readings" in way.unproved:
        told.append("A line through two notes proves nothing: read a third.")
    if "instrument" in way.unproved:
        told.append("Nobody gave the accuracy of the instrument, so this proves nothing.")
    if "table" in way.unproved:
        told.append("Whether a table does what it promises, fresh readings at its codes tell.")
    return told


def _do(way: Correction, fit: Fit, style: Style) -> str:
    if way.kind == "trimmer":
        told = ", then ".join(_turn(step, fit, style) for step in way.steps)
        told = told[0].upper() + told[1:] + "."
        if abs(way.constant_cents) >= 0.05 and len(way.steps) == 1:
            told += f" Of what is left, {style.cents(way.constant_cents, sign=True)} ct is on all notes alike: tune."
        return told
    moved = _moved(way, style)
    if way.kind == "constants":
        return f"{aim_formula(way, fit, style)}.{moved}"
    unread = f" {way.unread} notes were not read and follow their neighbours." if way.unread else ""
    return f"Each note by its own reading.{unread}{moved}"


def aim_formula(way: Correction, fit: Fit, style: Style) -> str:
    """The constants ready for firmware: `aim for (wanted − 1.7 mV) ÷ 0.99637`."""
    sign = MINUS if way.offset >= 0 else "+"
    size = {
        "volts": style.millivolts(abs(way.offset), 2),
        "octaves": f"{style.number(abs(way.offset) * 1200, 2)} ct",
        "hertz": f"{style.number(abs(way.offset), 4)} Hz",
    }[fit.model.kind]
    return f"Aim for (wanted {sign} {size}) ÷ {style.number(way.gain, 6)}"


def _turn(step: TrimStep, fit: Fit, style: Style) -> str:
    show = style.volts if fit.model.quantity == "volts" else style.hertz
    return (
        f"{step.which} at note {note_label(step.note, style)}, from {show(step.reads)} until you read "
        f"{show(step.target)}"
    )


def _moved(way: Correction, style: Style) -> str:
    if way.moved_codes is None:
        return " The sender's codes are not known, so their rounding comes on top."
    floor = f" half a code is {style.cents(way.floor_cents)} ct."
    if way.moved_codes == 0:
        return f" No code moves;{floor}"
    return f" Codes move by up to {way.moved_codes}, to levels nobody has read: measure again;{floor}"


def verdict_sentence(
    verdict: Verdict, worst_cents: float, worst_note: float, expanded: float, allowed: float, style: Style
) -> str:
    """`not within tolerance: −20.5 ± 1.2 ct at 96 C7, 10.0 allowed`; without a ± where nobody gave an accuracy."""
    size = f"{style.cents(worst_cents, sign=True)} ± {style.cents(expanded)} ct"
    if expanded <= 0:
        size = f"{style.cents(worst_cents, sign=True)} ct, ± not known,"
    room = f", {style.cents(allowed)} allowed" if np.isfinite(allowed) else ", not judged there"
    return f"{VERDICT_WORDS[verdict]}: {size} at {note_label(worst_note, style)}{room}"


def proof_sentences(proof: Proof, style: Style) -> list[str]:
    """Whether the meter can prove the tolerance, and what would where it cannot."""
    note = note_label(proof.worst_note, style)
    here = f"± {style.cents(proof.worst_expanded_cents)} ct at {note}"
    if proof.enough:
        return [
            f"Good enough to prove ± {style.cents(proof.allowed_cents)} ct: it is worth {here}, so errors up to "
            f"{style.cents(proof.error_room_cents)} ct there can be proved within."
        ]
    told = [
        f"This meter cannot prove ± {style.cents(proof.allowed_cents)} ct: it is worth {here} "
        f"(± {style.millivolts(proof.worst_expanded_volts)})."
    ]
    if proof.better is not None:
        name, spec = proof.better
        told.append(
            f"What would: {name} ({spec.words(style)}), worth ± {style.cents(proof.better_expanded_cents)} ct there; "
            f"or a counter or tuner on the oscillator, good to about {style.number(COUNTER_CENTS, 1)} ct, which "
            "tests the whole chain; or a known voltage to compare with."
        )
    else:
        told.append(
            "What would: a counter or tuner on the oscillator, good to about "
            f"{style.number(COUNTER_CENTS, 1)} ct, which tests the whole chain; or a known voltage to compare with."
        )
    return told
