"""The proposals, trimmers and spread in words."""

from __future__ import annotations

from collections.abc import Callable

from dynamis.electrics.design.later import rail_moves
from dynamis.electrics.design.proposal import Proposal
from dynamis.electrics.design.spread import Budget, Laid, Spread
from dynamis.electrics.design.walk import TrimmerWalk
from dynamis.notation.style import Style

_MOST_SHARES = 8
_LEAST_CENTS = 0.05


def proposal_row(proposal: Proposal, drawn: Spread | None, style: Style) -> tuple[str, ...]:
    """The cells of a proposal."""
    sides = () if drawn is None else (drawn.before, drawn.after)
    before, after = (f"{style.cents(side.p95_cents)} ct" for side in sides) if sides else ("–", "–")
    later = f"{style.cents(proposal.later.p95_cents)} ct"
    trims = " + ".join(style.engineering(one.ohms, "Ω") for one in proposal.trims) or "none"
    return (
        proposal.title,
        str(proposal.count),
        f"{style.cents(proposal.nominal_cents)} ct",
        before,
        after,
        later,
        style.number(1e3 * proposal.supply_amperes, 1),
        trims,
    )


def step_words(
    proposal: Proposal, steps: TrimmerWalk | None, note_of: Callable[[float], str], style: Style
) -> list[str]:
    """How the trimmers are set, one sentence a step."""
    if steps is None:
        return ["There is nothing to trim: the parts' tolerance is within what is allowed."]
    sentences = ["Let it warm up. Measure at the receiver, with everything plugged in that will be."]
    for k, step in enumerate(steps.steps):
        note = note_of(step.send_volts)
        where = f" (note {note})" if note else ""
        why = ", where the scale trimmer moves next to nothing" if step.at_pivot else ""
        a_turn = style.millivolts(abs(step.volts_per_turn))
        cents = abs(step.volts_per_turn) * proposal.requirement.cents_per_volt(step.send_volts)
        sentences.append(
            f"{k + 1}. Send {style.volts(step.send_volts, 3)}{where}{why}. Turn {step.trim.name}, the "
            f"{step.trim.role}, until you read {style.volts(step.read_volts, 4, sign=True)}. A turn moves it by "
            f"{a_turn}, {style.cents(cents)} ct."
        )
    again = "Once is enough" if steps.rounds == 1 else f"Go through it {steps.rounds} times"
    sentences.append(f"{again}, also for the worst parts: at most {style.cents(steps.left_cents)} ct are then left.")
    for trim in proposal.trims:
        scale = trim.role == "scale"
        reach = style.share(trim.reach) if scale else style.millivolts(trim.reach)
        needed = style.share(trim.needed) if scale else style.millivolts(trim.needed)
        sentences.append(f"{trim.name} reaches ± {reach}; the parts at their worst need ± {needed}.")
    return sentences


def later_words(proposal: Proposal, style: Style) -> str:
    """What is left later, and what decides it."""
    later = proposal.later
    load = style.share(proposal.requirement.load_tolerance_fraction, 0)
    if proposal.offset_from is None:
        moved = ""
    else:
        what = "its reference" if proposal.offset_from == "reference" else "the rail of its offset"
        moved = f" and {what} ± {style.share(rail_moves(proposal.circuit), 1)} off"
    names = {"load": "the load", "supply": "the rail", "VR1": "the reference VR1"}
    decides = f"; {names.get(later.decides, later.decides)} decides, {style.cents(later.cents)} ct at its limit"
    return (
        f"Later, 10 °C warmer, with the load ± {load}{moved}: 95 % within {style.size_of_cents(later.p95_cents)} ct, "
        f"the worst {style.cents(later.worst)}{decides if later.decides else ''}."
    )


def spread_words(drawn: Spread, compared: Laid | None, name: str, style: Style) -> list[str]:
    """Yield before and after trimming."""
    allowed = style.number(drawn.before.tolerance_cents, 1)
    sentences = [
        f"Of {drawn.samples} circuits {drawn.before.within_words(style)} are within ± {allowed} ct as "
        f"built; 95 % within {style.size_of_cents(drawn.before.p95_cents)} ct."
    ]
    if drawn.after is not drawn.before:
        sentences.append(
            f"Trimmed at 25 °C, {drawn.after.within_words(style)} are; 95 % are within "
            f"{style.cents(drawn.after.p95_cents)} ct, the worst {style.cents(drawn.after.worst)}."
        )
    if compared is not None:
        other = compared.spread.after
        sentences.append(
            f"Laid over: {compared.words}, {other.within_words(style)} within, 95 % within "
            f"{style.cents(other.p95_cents)} ct, against {style.cents(drawn.after.p95_cents)} ct of {name}."
        )
    return sentences


def budget_words(budget: Budget, style: Style) -> list[str]:
    """What each part adds before trimming."""
    if not budget.parts:
        return []
    sentences = [f"Untrimmed, {style.worst_case(budget.worst_cents, budget.expanded_cents)}."]
    sentences += [
        f"{style.cents(one.cents, sign=True)} ct  {one.label}"
        for one in budget.parts[:_MOST_SHARES]
        if abs(one.cents) >= _LEAST_CENTS
    ]
    return sentences
