"""A converter of the law in words: what it has to do, how it is set, and what is left of its errors."""

from __future__ import annotations

from collections.abc import Callable

from dynamis.electrics.exponential.adjust import ConverterErrors, ConverterWalk, drift, exact_ppm, ordinary
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.parts import LEVEL_TRIMMER
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

WARMER_KELVIN = 10.0
_MOST_SHARES = 8
_LEAST_CENTS = 0.05


def asks_words(requirement: LawRequirement, names: tuple[str, str], style: Style) -> list[str]:
    """What one side sends and the other wants."""
    sends = style.volts(requirement.in_low_volts, 3), style.volts(requirement.in_high_volts, 3)
    wants = style.volts(requirement.out_low_volts, 3), style.volts(requirement.out_high_volts, 3)
    steps = [f"{style.volts(requirement.volts_per_octave, 3)} an octave", "twice the volts with every octave"]
    if requirement.direction == "logarithmic":
        steps.reverse()
    return [
        f"{names[0]} sends {sends[0]} to {sends[1]}, {steps[0]}.",
        f"{names[1]} wants {wants[0]} to {wants[1]}, {steps[1]}.",
        f"A pair of transistors does that over {style.number(requirement.octaves, 2)} octaves; no gain and offset can.",
    ]


def higher_words(requirement: LawRequirement, high_note: float, style: Style) -> str:
    """Why the notes end where they do."""
    return (
        f"It ends at note {note_label(high_note, style)}: higher ones want more than the "
        f"{style.volts(requirement.reach_volts, 1)} that it gives from {requirement.supply.words}. In the link, "
        "that ends there too."
    )


def walk_words(walk: ConverterWalk, note_of: Callable[[float], str], style: Style) -> list[str]:
    """How the trimmers are set, one sentence a step."""
    sentences = ["Let it warm up. Measure at the input, with everything plugged in that will be."]
    for k, step in enumerate(walk.steps):
        note = note_of(step.send_volts)
        where = f" (note {note})" if note else ""
        level = step.trimmer == LEVEL_TRIMMER
        why = ", where the scale does least" if level else ""
        sentences.append(
            f"{k + 1}. Send {style.volts(step.send_volts, 3)}{where}{why}. Turn {step.trimmer}, the "
            f"{'level' if level else 'scale'}, until you read {style.volts(step.read_volts, 4, sign=True)}. A turn "
            f"moves it by {style.millivolts(abs(step.volts_per_turn))}, {style.cents(abs(step.cents_per_turn))} ct."
        )
    again = "Once is enough" if walk.rounds == 1 else f"Go through it {walk.rounds} times"
    sentences.append(f"{again}, also for the worst parts: at most {style.cents(walk.left_cents)} ct are then left.")
    sentences += [
        f"{step.trimmer} reaches ± {style.cents(step.reach_cents)} ct; the parts at their worst need ± "
        f"{style.cents(step.needed_cents)} ct."
        for step in walk.steps
    ]
    return sentences


def left_words(untrimmed: ConverterErrors, trimmed: ConverterErrors, style: Style) -> list[str]:
    """The worst case before and after trimming, and what each part adds then."""
    return [
        f"Untrimmed, {style.worst_case(untrimmed.most, float(untrimmed.rss.max()))}. The most of it:",
        *_share_words(untrimmed, style),
        f"Trimmed, {style.worst_case(trimmed.most, float(trimmed.rss.max()))}:",
        *_share_words(trimmed, style),
    ]


def _share_words(left: ConverterErrors, style: Style) -> list[str]:
    shares = left.shares[:_MOST_SHARES]
    return [f"{style.cents(cents, sign=True)} ct  {label}" for label, cents in shares if abs(cents) >= _LEAST_CENTS]


def warm_words(converter: Converter, requirement: LawRequirement, style: Style) -> list[str]:
    """What temperature does, with R5 as it is and with an ordinary one, and what R5 would have to grow by."""

    def moved(one: Converter) -> str:
        low, high = (style.cents(cents, sign=True) for cents in drift(one, requirement, WARMER_KELVIN))
        return f"{low} ct and the highest by {high} ct"

    exact = exact_ppm(converter)
    sentences = [f"{style.number(WARMER_KELVIN, 0)} °C warmer the lowest note moves by {moved(converter)}."]
    if converter.parts.base_ppm:
        sentences.append(f"With an ordinary R5 by {moved(ordinary(converter))}.")
    sentences.append(
        f"R5 that grows by {style.number(exact, 0, sign=True)} ppm/K, close to the pair, takes it out wholly."
    )
    return sentences
