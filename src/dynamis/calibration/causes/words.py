"""What the causes say, in sentences: what, how much, why, and what to do.

Nothing here decides; every sentence is made of the numbers it is given.  The window, the report and the command line
take them from here.
"""

from __future__ import annotations

import numpy as np

from dynamis.calibration.causes.describe import Shape
from dynamis.calibration.causes.term import Term
from dynamis.calibration.fit import Fit
from dynamis.notation.style import Style, digits_for
from dynamis.pitch.notes import note_label


def shape_sentences(shape: Shape, style: Style, loading_factor: float | None = None) -> list[str]:
    """What the readings say, one sentence or two for each cause found."""
    sentences = []
    for term in shape.terms:
        sentences.append(cause_text(term, shape, style))
        if term.cause == "scale":
            sentences.append(_alike(shape.fit, style, loading_factor))
    if all(term.cause == "rounding" for term in shape.terms):
        sentences.insert(0, nothing_exceeds(shape.fit, style))
    return sentences


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


def cause_text(term: Term, shape: Shape, style: Style) -> str:
    """One cause in words."""
    return {
        "dead-band": _flat_end,
        "clipping": _flat_end,
        "slip": _slip,
        "drift": _drift,
        "undecided": _undecided,
        "scale": _scale,
        "offset": _offset,
        "step": _step,
        "bend": _bend,
        "rounding": _rounding,
        "scatter": _scatter,
    }[term.cause](term, shape.fit, style)


def _cents(term: Term, style: Style) -> str:
    """`+4.2 ± 0.8 ct`; without the ± where the readings do not tell it."""
    if term.cents_expanded is None:
        return f"{style.cents(term.cents, sign=True)} ct"
    return style.plus_minus(term.cents, term.cents_expanded, "ct", sign=True)


def _range(term: Term, style: Style) -> str:
    first, last = (note_label(note, style) for note in term.notes)
    return f"note {first}" if first == last else f"notes {first} to {last}"


def _flat_end(term: Term, fit: Fit, style: Style) -> str:
    level = 0.0 if term.level is None else term.level
    stays = f"{style.number(level, 4)} V" if fit.model.quantity == "volts" else style.hertz(level)
    where = _range(term, style)
    end = term.notes[0] if term.cause == "dead-band" else term.notes[1]
    sentence = f"{where[0].upper()}{where[1:]} no longer move: they stay at {stays}, {_cents(term, style)} at " + (
        f"{note_label(end, style)}"
    )
    if term.cause == "dead-band":
        return f"{sentence}. The output reaches no lower: begin higher, or give its buffer a negative supply."
    if fit.model.quantity == "hertz":
        return (
            f"{sentence}. The control voltage or the oscillator ends there: read the volts at the input to tell which."
        )
    return f"{sentence}. The output ends there: keep the highest note lower, or give it more supply."


def _slip(term: Term, fit: Fit, style: Style) -> str:
    note = note_label(term.notes[0], style)
    return (
        f"One reading at {note} is {_cents(term, style)} off what the others say there: a slip, or a bad joint at that "
        "moment. Void it, or read the note again."
    )


def _drift(term: Term, fit: Fit, style: Style) -> str:
    return (
        f"From the first reading to the last the same notes moved by {_cents(term, style)}: the unit or the meter is "
        "still warming, or its supply moves. Wait, then read again; the other numbers here have it taken out."
    )


def _undecided(term: Term, fit: Fit, style: Style) -> str:
    where = _range(term, style)
    off = f"{style.cents(term.cents, sign=True)} ct"
    between = term.notes[0] != term.notes[1] and not term.asks
    if between:
        low, high = (note_label(note, style) for note in term.notes)
        return (
            f"Between {low} and {high} the errors move by {off}, more than they walk elsewhere. Read more than once, "
            "it is no slip; whether it is one step of the converter or its linearity at large, they do not tell. "
            "A table takes it out."
        )
    sentence = f"Not yet: {where} {'lies' if term.notes[0] == term.notes[1] else 'lie'} about {off} off the rest"
    why = "that may be a slip, or where a step, a bend or an end of the range begins"
    if not term.asks:
        return f"{sentence}; {why}, and these notes alone do not tell."
    names = [note_label(note, style) for note in term.asks]
    count = {1: "One more reading decides", 2: "Two more readings decide"}.get(len(names), "Three more readings decide")
    return f"{sentence}; {why}. {count}: {', '.join(names)}."


def _scale(term: Term, fit: Fit, style: Style) -> str:
    side = "large" if term.value > 0 else "small"
    if term.expanded is None:
        percent = f"{style.number(abs(term.value), 2)} %"
        known = "; how well that is known, two readings do not tell"
    else:
        decimals = digits_for(term.expanded)
        percent = f"{style.number(abs(term.value), decimals)} ± {style.number(term.expanded, decimals)} %"
        known = ""
    over = f"over {_range(term, style)}"
    if fit.model.is_ratio:
        return f"Every note is off alike, {_cents(term, style)} {over}: the scale is {percent} {side}{known}."
    return f"A straight slope {over}, {_cents(term, style)} per octave: the scale is {percent} {side}{known}."


def _alike(fit: Fit, style: Style, loading_factor: float | None) -> str:
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
    at = note_label(term.notes[0], style)
    unit = {"volts": "mV", "hertz": "Hz", "cents": "ct"}[term.unit]
    factor = 1e3 if unit == "mV" else 1.0
    if term.expanded is None:
        size = f"{style.number(term.value * factor, 2, sign=True)} {unit}"
    else:
        size = style.plus_minus(term.value * factor, term.expanded * factor, unit, sign=True)
    if fit.model.is_ratio:
        sentence = f"An offset of {size}, {_cents(term, style)} at {at}"
        return f"{sentence} and half of that an octave up: trim it at the bottom."
    if unit == "ct":
        return f"A flat shift of {size} at the law's reference note: an offset, or the tune knob."
    return f"A flat shift of {size}, {_cents(term, style)} on every note: an offset, or the tune knob."


def _step(term: Term, fit: Fit, style: Style) -> str:
    low, high = (note_label(note, style) for note in term.notes)
    where = f"between {low} and {high}"
    if term.codes:
        where += f" (codes {term.codes[0]} and {term.codes[1]})"
    sentence = f"A step of {_cents(term, style)} {where}"
    if term.carry is not None:
        return f"{sentence}: the carry at code {term.carry} is the likely place; a table takes it out."
    return f"{sentence}: the converter's linearity, or something changed while measuring; a table takes the first out."


def _bend(term: Term, fit: Fit, style: Style) -> str:
    first, last = (note_label(note, style) for note in term.notes)
    lowest = float(np.min(fit.notes))
    if term.notes[0] == lowest:
        sentence = f"Below {last} it bends away, {_cents(term, style)} at {first}"
        if fit.model.quantity == "volts":
            return f"{sentence}: as an output does that comes near the lower end of its reach. Two constants leave it."
        return f"{sentence}: an offset under a linear law, or a control voltage near the end of its reach."
    sentence = f"From {first} on it bends away, {_cents(term, style)} at {last}"
    if fit.model.quantity == "volts":
        return f"{sentence}: as an output does that comes near the upper end of its reach. Two constants leave it."
    if term.cents < 0:
        return f"{sentence}: as an oscillator does whose reset takes time; trim the high end last, or take a table."
    return f"{sentence}: a high-frequency trim that is set too far does so; trim it last, or take a table."


def _rounding(term: Term, fit: Fit, style: Style) -> str:
    return f"Rounding to codes makes a saw-tooth of up to {style.cents(term.value)} ct; it is known and stays."


def _scatter(term: Term, fit: Fit, style: Style) -> str:
    size = f"{style.cents(term.value)} ct"
    if term.expanded is not None:
        size = style.plus_minus(term.value, term.expanded, "ct")
    rounding = float(np.sqrt(np.mean(fit.uncertainty.independent[fit.used] ** 2)))
    beyond = f", more than the meter's rounding ({style.number(rounding, 2)} ct)" if rounding > 0 else ""
    return f"Scatter of {size} (rms) about the line{beyond}: the converter's linearity, noise, or unsteady contact."
