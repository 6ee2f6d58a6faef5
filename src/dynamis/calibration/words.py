"""What the numbers say, in sentences: what, how much, why, and what to do.

Nothing here decides; every sentence is made of the numbers it is given.
"""

from __future__ import annotations

import numpy as np

from dynamis.calibration.correction_types import (
    ConstantsCorrection,
    Correction,
    TableCorrection,
    TrimmerCorrection,
    TrimStep,
)
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


def correction_title(correction: Correction) -> str:
    match correction:
        case TrimmerCorrection(steps=(_,)):
            return "Turn the scale trimmer"
        case TrimmerCorrection(steps=steps):
            return f"Turn two trimmers, {steps[0].trimmer} first"
        case TableCorrection():
            return f"A table of {len(correction.aim_volts)} {'codes' if correction.codes else 'voltages'}"
    return "Change two constants"


def correction_leaves(correction: Correction, style: Style) -> str:
    """`leaves 1.4 ± 0.9 ct`: the largest error left, and the largest ± of any note."""
    if "instrument" in correction.unproved:
        return f"leaves {style.cents(correction.worst_cents)} ct, ± not known"
    return f"leaves {style.cents(correction.worst_cents)} ± {style.cents(correction.worst_expanded_cents)} ct"


def correction_detail(correction: Correction, fit: Fit, style: Style) -> str:
    """What to do, what limits it, and what keeps it from being sure."""
    beyond = correction.beyond if isinstance(correction, ConstantsCorrection) else None
    return " ".join([_do(correction, fit, style), *_beyond(beyond, style), *_unproved(correction, style)])


def _beyond(beyond: tuple[float, float] | None, style: Style) -> list[str]:
    """A note that the converter does not reach once it is corrected."""
    if beyond is None:
        return []
    note, volts = note_label(beyond[0], style), style.millivolts(abs(beyond[1]), 1)
    if beyond[1] > 0:
        return [f"Note {note} would lie {volts} above the top code: more gain after the converter, or end lower."]
    return [f"Note {note} would lie {volts} below the lowest code: begin higher, or shift it up."]


def _unproved(correction: Correction, style: Style) -> list[str]:
    sentences = []
    if correction.supposed and "linearity" in correction.unproved:
        sentences.append(
            f"{correction.supposed} whole notes were not read, and how far linearity may take them is not known: "
            "cannot tell before they are read."
        )
    elif correction.supposed:
        sentences.append(f"{correction.supposed} whole notes were not read and count with the linearity limit.")
    if "readings" in correction.unproved:
        sentences.append("A line through two notes proves nothing: read a third.")
    if "instrument" in correction.unproved:
        sentences.append("Nobody gave the accuracy of the instrument, so this proves nothing.")
    if "table" in correction.unproved:
        sentences.append("Whether a table does what it promises, fresh readings at its codes tell.")
    return sentences


def _do(correction: Correction, fit: Fit, style: Style) -> str:
    match correction:
        case TrimmerCorrection(steps=steps, constant_cents=constant):
            turns = ", then ".join(_turn(step, fit, style) for step in steps)
            sentence = turns[0].upper() + turns[1:] + "."
            if abs(constant) >= 0.05 and len(steps) == 1:
                sentence += f" Of what is left, {style.cents(constant, sign=True)} ct is on all notes alike: tune."
            return sentence
        case ConstantsCorrection():
            return f"{aim_formula(correction, fit, style)}.{_moved(correction, style)}"
        case TableCorrection(unread=unread):
            follow = f" {unread} notes were not read and follow their neighbours." if unread else ""
            return f"Each note by its own reading.{follow}{_moved(correction, style)}"
    raise TypeError(f"{type(correction).__name__} is no kind of correction that has words")


def aim_formula(correction: ConstantsCorrection | TableCorrection, fit: Fit, style: Style) -> str:
    """The constants ready for firmware: `aim for (wanted − 1.7 mV) ÷ 0.99637`."""
    sign = MINUS if correction.offset >= 0 else "+"
    size = {
        "volts": style.millivolts(abs(correction.offset), 2),
        "octaves": f"{style.number(abs(correction.offset) * 1200, 2)} ct",
        "hertz": f"{style.number(abs(correction.offset), 4)} Hz",
    }[fit.model.kind]
    return f"Aim for (wanted {sign} {size}) ÷ {style.number(correction.gain, 6)}"


def _turn(step: TrimStep, fit: Fit, style: Style) -> str:
    show = style.volts if fit.model.quantity == "volts" else style.hertz
    return (
        f"{step.trimmer} at note {note_label(step.note, style)}, from {show(step.reads)} until you read "
        f"{show(step.target)}"
    )


def _moved(correction: ConstantsCorrection | TableCorrection, style: Style) -> str:
    if correction.moved_codes is None:
        return " The sender's codes are not known, so their rounding comes on top."
    floor = f" half a code is {style.cents(correction.floor_cents)} ct."
    if correction.moved_codes == 0:
        return f" No code moves;{floor}"
    return f" Codes move by up to {correction.moved_codes}, to levels nobody has read: measure again;{floor}"


def verdict_sentence(
    verdict: Verdict, worst_cents: float, worst_note: float, expanded_cents: float, allowed_cents: float, style: Style
) -> str:
    """`not within tolerance: −20.5 ± 1.2 ct at 96 C7, 10.0 allowed`; without a ± where nobody gave an accuracy."""
    size = f"{style.cents(worst_cents, sign=True)} ± {style.cents(expanded_cents)} ct"
    if expanded_cents <= 0:
        size = f"{style.cents(worst_cents, sign=True)} ct, ± not known,"
    room = f", {style.cents(allowed_cents)} allowed" if np.isfinite(allowed_cents) else ", not judged there"
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
    sentences = [
        f"This meter cannot prove ± {style.cents(proof.allowed_cents)} ct: it is worth {here} "
        f"(± {style.millivolts(proof.worst_expanded_volts)})."
    ]
    if proof.better is not None:
        name, spec = proof.better
        sentences.append(
            f"What would: {name} ({spec.words(style)}), worth ± {style.cents(proof.better_expanded_cents)} ct there; "
            f"or a counter or tuner on the oscillator, good to about {style.number(COUNTER_CENTS, 1)} ct, which "
            "tests the whole chain; or a known voltage to compare with."
        )
    else:
        sentences.append(
            "What would: a counter or tuner on the oscillator, good to about "
            f"{style.number(COUNTER_CENTS, 1)} ct, which tests the whole chain; or a known voltage to compare with."
        )
    return sentences
