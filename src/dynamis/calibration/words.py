"""What the numbers say, in sentences: what, how much, why, and what to do.

Nothing here decides; every sentence is made of the numbers it is given.
"""

from __future__ import annotations

import numpy as np

from dynamis.calibration.corrections import Correction, TrimStep
from dynamis.calibration.fit import Fit
from dynamis.calibration.proof import COUNTER_CENTS, Proof
from dynamis.calibration.shape import Shape, Term
from dynamis.notation.style import MINUS, Style, digits_for
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import Verdict

VERDICT_WORDS: dict[Verdict, str] = {
    "within": "within tolerance",
    "not-within": "not within tolerance",
    "cannot-tell": "cannot tell",
}


def shape_sentences(shape: Shape, style: Style, loading_factor: float | None = None) -> list[str]:
    """What the shape of the errors says, one sentence or two for each cause found."""
    told = [_sentence(term, shape.fit, style) for term in shape.terms]
    scale = shape.find("scale")
    if scale is not None:
        told.insert(_index(shape, "scale") + 1, _alike(shape.fit, scale, style, loading_factor))
    if all(term.cause == "saw-tooth" and term.expanded == 0 for term in shape.terms):
        told.insert(0, nothing_exceeds(shape.fit, style))
    return told


def nothing_exceeds(fit: Fit, style: Style) -> str:
    """The sentence for a run in which no cause exceeds its own uncertainty."""
    expanded = fit.uncertainty.expanded
    if not np.any(expanded > 0):
        return "Nothing stands out of the scatter of these readings."
    worst = int(np.argmax(expanded))
    return (
        "Nothing in these errors exceeds what this meter can show "
        f"(± {style.cents(float(expanded[worst]))} ct at {note_label(float(fit.notes[worst]), style)})."
    )


def _index(shape: Shape, cause: str) -> int:
    return next(k for k, term in enumerate(shape.terms) if term.cause == cause)


def _sentence(term: Term, fit: Fit, style: Style) -> str:
    return {
        "dead band": _flat_end, "clipping": _flat_end, "outlier": _off_line, "scale": _scale, "offset": _offset,
        "step": _step, "saw-tooth": _saw_tooth, "scatter": _scatter,
    }[term.cause](term, fit, style)  # fmt: skip


def _flat_end(term: Term, fit: Fit, style: Style) -> str:
    low, high = (note_label(note, style) for note in term.notes)
    where = f"Note {low}" if low == high else f"Notes {low} to {high}"
    verb = "stays" if low == high else "stay"
    level = _reading(term.value, term.expanded, term.unit, style)
    off = style.plus_minus(term.cents, term.cents_expanded, "ct", sign=True)
    if term.cause == "dead band":
        why = "the output cannot reach lower; move the lowest note up, or give the buffer a negative supply"
    elif fit.model.quantity == "hertz":
        why = "the oscillator's reset time or a clipped control voltage; trim the high end last"
    else:
        why = "the output is clipped near its rail; keep the top note lower, or raise the supply"
    return f"{where} {verb} at {level}, {off} off the line: {why}."


def _reading(value: float, expanded: float, unit: str, style: Style) -> str:
    if unit == "V":
        return f"{style.number(value, 4)} ± {style.number(expanded, 4)} V"
    return style.plus_minus(value, expanded, unit)


def _off_line(term: Term, fit: Fit, style: Style) -> str:
    off = style.plus_minus(term.cents, term.cents_expanded, "ct", sign=True)
    note = note_label(term.notes[0], style)
    return f"The reading at {note} is {off} off the line: a reading mistake or a bad joint; read it again."


def _scale(term: Term, fit: Fit, style: Style) -> str:
    side = "large" if term.value > 0 else "small"
    decimals = digits_for(term.expanded)
    percent = f"{style.number(abs(term.value), decimals)} ± {style.number(term.expanded, decimals)} %"
    cents = style.plus_minus(term.cents, term.cents_expanded, "ct", sign=True)
    if fit.model.is_ratio:
        return f"Every note is off alike, {cents}: the scale is {percent} {side}."
    return f"A straight slope, {cents} per octave: the scale is {percent} {side}."


def _alike(fit: Fit, scale: Term, style: Style, loading_factor: float | None) -> str:
    """Scale, loading and the meter's gain cannot be told apart; says so, and what loading would explain."""
    if fit.model.quantity == "hertz":
        text = "Read in hertz, the sender's scale, its loading and the oscillator's own scale look the same"
    elif fit.meter is None:
        text = "Read in volts, a scale error, loading and the meter's own gain look the same"
    else:
        text = "Read in volts, a scale error, loading and the meter's own gain look the same; the ± covers the meter's"
    if loading_factor is None:
        return text + "."
    lost = (loading_factor - 1.0) * 100.0
    return f"{text}; the inputs plugged account for {style.percent(lost, 2, sign=True)} by their nominal resistances."


def _offset(term: Term, fit: Fit, style: Style) -> str:
    cents = style.plus_minus(term.cents, term.cents_expanded, "ct", sign=True)
    at = note_label(term.notes[0], style)
    if term.unit == "V":
        size = style.plus_minus(term.value * 1e3, term.expanded * 1e3, "mV", sign=True)
        if fit.model.is_ratio:
            return f"An offset of {size}, {cents} at {at} and half of that an octave up: trim it at the bottom."
        return f"A flat shift of {size}, {cents} on every note: an offset, or the tune knob."
    size = style.plus_minus(term.value, term.expanded, term.unit, sign=True)
    if term.unit == "Hz":
        return f"An offset of {size}, {cents} at {at} and half of that an octave up: trim it at the bottom."
    return f"A flat shift of {size} at the law's reference note: an offset, or the tune knob."


def _step(term: Term, fit: Fit, style: Style) -> str:
    size = style.plus_minus(term.value, term.expanded, term.unit, sign=True)
    also = "" if term.unit == "ct" else f" ({style.plus_minus(term.cents, term.cents_expanded, 'ct', sign=True)})"
    low, high = (note_label(note, style) for note in term.notes)
    where = f"between {low} and {high}"
    if term.codes:
        where += f" (codes {term.codes[0]} and {term.codes[1]})"
    if term.carry is not None:
        return f"A step of {size}{also} {where}: most likely the carry at code {term.carry}; a table takes it out."
    return f"A step of {size}{also} {where}: linearity at a carry, or something changed while measuring."


def _saw_tooth(term: Term, fit: Fit, style: Style) -> str:
    if term.expanded == 0:
        return f"Rounding to codes makes a saw-tooth of up to {style.cents(term.value)} ct; it is known and stays."
    size = style.plus_minus(term.value, term.expanded, "ct")
    return f"A saw-tooth of up to {size}: rounding to the converter's codes; only finer codes lessen it."


def _scatter(term: Term, fit: Fit, style: Style) -> str:
    size = style.plus_minus(term.value, term.expanded, "ct")
    rounding = float(np.sqrt(np.mean(fit.uncertainty.independent[fit.used] ** 2)))
    beyond = f", more than the meter's rounding ({style.number(rounding, 2)} ct)" if rounding > 0 else ""
    return f"Scatter of {size} (rms) about the line{beyond}: the converter's linearity, noise, or unsteady contact."


def correction_title(way: Correction) -> str:
    if way.kind == "trimmer":
        names = [step.which for step in way.steps]
        return "Turn the scale trimmer" if names == ["scale"] else f"Turn two trimmers, {names[0]} first"
    if way.kind == "constants":
        return "Change two constants"
    return f"A table of {len(way.aim_volts)} {'codes' if way.codes else 'voltages'}"


def correction_leaves(way: Correction, style: Style) -> str:
    """`leaves 1.4 ± 0.9 ct`: the largest error left, and the largest ± of any note."""
    return f"leaves {style.cents(way.worst_cents)} ± {style.cents(way.worst_expanded)} ct"


def correction_detail(way: Correction, fit: Fit, style: Style) -> str:
    """What to do, and what limits it."""
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
    size = {"volts": style.millivolts(abs(way.offset), 2), "octaves": f"{style.number(abs(way.offset) * 1200, 2)} ct",
            "hertz": f"{style.number(abs(way.offset), 4)} Hz"}[fit.model.kind]  # fmt: skip
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
    """`not within tolerance: −20.5 ± 1.2 ct at 96 C7, 10.0 allowed`."""
    size = f"{style.cents(worst_cents, sign=True)} ± {style.cents(expanded)} ct"
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
