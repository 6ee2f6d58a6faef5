"""The circuits for gates in words."""

from __future__ import annotations

from dynamis.bench.designing.gate_choices import GateChoice, GateChoices
from dynamis.bench.document.bench import GateStageRecord
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.notation.style import Style


def gate_row(gate_choice: GateChoice, style: Style) -> tuple[str, ...]:
    """The cells of a circuit for gates."""
    met, count = gate_choice.met, str(len(gate_choice.stage.parts))
    title = gate_choice.key[0].upper() + gate_choice.key[1:]
    sentence = VERDICT_WORDS[gate_choice.fit.verdict] + ("" if gate_choice.holds is not False else ", not 5 % up")
    if gate_choice.spoils:
        sentence += " here only"
    if met is None:
        return title, count, "–", "–", "–", "–", sentence
    levels = (style.volts(one, 2) for one in (met.low_volts, met.high_volts))
    spare = (style.volts(one, 2, sign=True) for one in (met.on_margin_volts, met.off_margin_volts))
    return title, count, *levels, *spare, sentence


def gate_words(gate_choices: GateChoices, style: Style) -> list[str]:
    """How the two meet with nothing between, and whether anything is found that mends it."""
    met, sentences = gate_choices.met, []
    if met is not None:
        low, high = style.volts(met.low_volts, 2), style.volts(met.high_volts, 2)
        on, off = style.volts(met.on_margin_volts, 2, sign=True), style.volts(met.off_margin_volts, 2, sign=True)
        sentences.append(f"With nothing between, {low} and {high} arrive: {on} to spare for on, {off} for off.")
    sentences += [one.text for one in gate_choices.bare.findings if one.asks]
    if gate_choices.choices:
        sentences.append(safety_words(gate_choices))
    if not gate_choices.choices:
        sentences.append(
            "Nothing has to stand between."
            if gate_choices.bare.verdict == "fits"
            else "None of the circuits known here mends that."
        )
    return sentences


def safety_words(gate_choices: GateChoices) -> str:
    """What was tried on every circuit before it was offered."""
    if not gate_choices.limited:
        return "Safe: not tried, since nobody said what the input bears."
    return (
        "Safe: with rails and sender 5 % up, parts 1 % off and either rail missing, the input stays within what it "
        "bears behind each of these."
    )


def joint_words(gate_choice: GateChoice, style: Style) -> list[str]:
    """Which single bad joint would pass a limit, and what guards against it."""
    if not gate_choice.joints:
        return []
    lets = [
        f"{one.part} open lets {style.volts(one.volts, 2)} through, {style.volts(abs(one.over), 2)} beyond what "
        "the input bears"
        for one in gate_choice.joints
    ]
    held = gate_choice.guarded
    added = [] if held is None else [one for one in held.parts if one not in gate_choice.stage.parts]
    cure = "Solder them with care, and measure before you plug it in"
    if added:
        cure = f"{' and '.join(f'{one.name}, {one.role}' for one in added)}: that clamp holds it even so"
    return [f"One bad joint is enough: {'; '.join(lets)}. {cure}."]


def length_words(stage: GateStageRecord, style: Style) -> list[str]:
    """How long the pulse of a circuit that makes another length is."""
    return [] if stage.seconds is None else [f"Its pulse lasts {style.engineering(stage.seconds, 's')}."]
