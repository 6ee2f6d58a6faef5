"""The bench sheet of a circuit that is built: its parts to solder, then each trimmer with the volts to send and to
read."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from dynamis.bench.reports.blocks import Block, Cells, Heading, Paragraph, Report, Sentences, SignHere
from dynamis.electrics.circuits.parts import pieces_of
from dynamis.electrics.design.proposal import Proposal
from dynamis.electrics.design.walk import TrimmerWalk
from dynamis.notation.style import Style, plain

_TICK: Final = "☐"
_BEFORE: Final = (
    f"{_TICK} Power off, leads out. Check polarity and the rails with a meter before anything is plugged in.",
    f"{_TICK} Power on with nothing plugged in: no part may get warm, and the output stays within what the input "
    "bears.",
    f"{_TICK} Plug in everything that will be; let it warm up.",
)
_HEADINGS: Final = ("", "send", "note", "turn", "until you read", "from", "to", "a turn moves", "read")
_ROWS: Final = ("send_volts", "turn", "read_volts", "from_volts", "to_volts", "volts_per_turn")


def circuit_sheet(
    title: str, proposal: Proposal, steps: TrimmerWalk | None, note_of: Callable[[float], str], style: Style
) -> Report:
    """title : where the circuit stands.  steps : how its trimmers are set, None where it has none.  note_of : the note
    that sends volts, empty for none."""
    parts = tuple((_TICK, one.name, one.value, one.role) for one in pieces_of(proposal.circuit, style))
    blocks: list[Block] = [Heading(f"Bench sheet: {title}", 1), Paragraph(f"{proposal.title}.", "small")]
    blocks += [Heading("To solder"), Cells(("", "part", "value", "what it does"), parts, frozenset({1, 2, 3}))]
    blocks += [Heading("Before"), Sentences(_BEFORE)]
    rows: list[tuple[tuple[str, ...], tuple[str, ...]]] = []
    if steps is None:
        blocks.append(Paragraph("There is nothing to trim: the parts' tolerance is within what is allowed."))
    else:
        rows = [_step(proposal, steps, k, note_of, style) for k in range(len(steps.steps))]
        blocks += [Heading("To trim, measured at the receiver"), Cells(_HEADINGS, tuple(shown for shown, _ in rows))]
        again = "Once is enough" if steps.rounds == 1 else f"Go through it {steps.rounds} times"
        blocks.append(
            Paragraph(
                f"{again}, also for the worst parts: at most {style.cents(steps.left_cents)} ct are then left. From "
                f"… to is half of the tolerance of {style.number(proposal.requirement.tolerance_cents, 1)} ct.",
                "small",
            )
        )
    blocks.append(SignHere(("Room, °C", "Meter", "By", "Date")))
    return Report(f"Bench sheet, {title}", tuple(blocks), _ROWS, tuple(raw for _, raw in rows))


def _step(
    proposal: Proposal, steps: TrimmerWalk, k: int, note_of: Callable[[float], str], style: Style
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """A step as it is shown, and with all digits."""
    step = steps.steps[k]
    within = proposal.requirement.tolerance_cents / 2.0 / proposal.requirement.cents_per_volt(step.send_volts)
    low, high = step.read_volts - within, step.read_volts + within
    shown = (
        f"{_TICK} {k + 1}",
        style.volts(step.send_volts, 3),
        note_of(step.send_volts),
        f"{step.trim.name}, {step.trim.role}",
        style.volts(step.read_volts, 4, sign=True),
        style.volts(low, 4, sign=True),
        style.volts(high, 4, sign=True),
        style.millivolts(abs(step.volts_per_turn)),
        "",
    )
    numbers = (step.read_volts, low, high, step.volts_per_turn)
    return shown, (plain(step.send_volts), step.trim.name, *(plain(one) for one in numbers))
