"""The judging of links: each pair of an output and an input, as findings and one verdict."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from dynamis.bench.document import Bench, Link
from dynamis.bench.judging.pitch_fit import judge_pitch
from dynamis.bench.judging.pitch_sides import SideCache
from dynamis.bench.ports import GateRecord, Port, PortRef, Role
from dynamis.bench.records import AdoptionRecord, in_force
from dynamis.electrics.finding import Finding, FitVerdict, verdict_of
from dynamis.electrics.gate_circuits import gate_circuit
from dynamis.electrics.gates import GateInput, GateOutput, Span, judge_gate
from dynamis.notation.style import Style

BEST_FIRST: Final[tuple[FitVerdict, ...]] = ("fits", "marginal", "cannot-tell", "needs-circuit", "unsafe")
SWITCHING: Final = ("gate", "trigger", "clock")
_HOW: Final = {
    "low_volts": "its level while nothing is played", "high_volts": "its level while a key is held",
    "on_volts": "the volts at which it goes on, by turning a known voltage up",
    "off_volts": "the volts at which it goes off, by turning a known voltage down",
    "pullup_volts": "its volts with nothing plugged in", "ohms": "its resistance",
}  # fmt: skip


@dataclass(frozen=True)
class PairFit:
    """How an output and one of its inputs meet.

    value : the number that decides, in "ct" (the worst note) or "V" (the smaller margin); None where none does.
    serial : the specimen for which it is so, empty where there is none.
    """

    output: PortRef
    input: PortRef
    role: Role
    verdict: FitVerdict
    findings: tuple[Finding, ...]
    value: float | None = None
    unit: str = ""
    serial: str = ""


def judge_link(
    bench: Bench, link: Link, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style()
) -> list[PairFit]:
    """Judge every input of a link; of several units of the sender, that which fits worst."""
    return [judge_pair(bench, link, sink, adoptions, style) for sink in link.inputs]


def judge_pair(
    bench: Bench, link: Link, sink: PortRef, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style(), *,
    sides: SideCache | None = None,
) -> PairFit:  # fmt: skip
    """Judge one input of a link.  sides : keeps what both sides come to, for many pairs of the same."""
    output, receiver = bench.port(link.output), bench.port(sink)
    role = output.role
    if not makes_sense(output, receiver):
        text = (
            f"{bench.label(link.output)} is a {output.role} output, {bench.label(sink)} a {receiver.role} input: "
            "join what belongs together."
        )
        findings = [Finding("roles-differ", "fault", text)]
        return PairFit(link.output, sink, role, verdict_of(findings), tuple(findings))
    if role in SWITCHING:
        findings, margin = _judge_switching(bench, link, sink, style)
        return PairFit(link.output, sink, role, verdict_of(findings), tuple(findings), margin, "V")
    if role != "pitch":
        findings = [
            Finding("unknown-value", "note", f"Cannot tell yet about a {role} link: measure its range of volts.")
        ]
        return PairFit(link.output, sink, role, verdict_of(findings), tuple(findings))
    tried = []
    for serial in [unit.serial for unit in bench.gear_by(link.output.gear).units] or [""]:
        adopted = in_force(adoptions, link.output, serial)
        findings, cents = judge_pitch(bench, link, sink, adopted, style, sides)
        tried.append(PairFit(link.output, sink, role, verdict_of(findings), tuple(findings), cents, "ct", serial))
    return max(tried, key=lambda fit: BEST_FIRST.index(fit.verdict))


def _judge_switching(bench: Bench, link: Link, sink: PortRef, style: Style) -> tuple[list[Finding], float | None]:
    made, lacks = gate_output(bench.port(link.output))
    taken, lacking = gate_input(bench.port(sink))
    unknown = [(link.output, key) for key in lacks] + [(sink, key) for key in lacking]
    if made is None or taken is None:
        return [
            Finding("unknown-value", "note", f"Cannot tell until you measure of {bench.label(ref)} {_HOW[key]}.")
            for ref, key in unknown
        ], None
    others = [bench.port(one) for one in link.inputs if one != sink and bench.port(one).role in SWITCHING]
    beside = [gate_input(port)[0] for port in others]
    if None in beside:
        what = others[beside.index(None)].name
        text = f"Cannot tell until what else hangs on {bench.label(link.output)} is measured: {what}."
        return [Finding("unknown-value", "note", text)], None
    fit = judge_gate(made, taken, 1, style, [one for one in beside if one is not None])
    return [*fit.findings, *_lengths(bench, link, sink)], min(fit.on_margin, fit.off_margin)


def between(bench: Bench, fit: PairFit, style: Style = Style()) -> str | None:
    """What fits between a gate and its input, its parts and what it leaves; None where nothing is needed or known."""
    made, _ = gate_output(bench.port(fit.output))
    taken, _ = gate_input(bench.port(fit.input))
    if fit.role not in SWITCHING or made is None or taken is None:
        return None
    link = trial_link(bench.link_from(fit.output), fit.output, fit.input)
    alike = [gate_input(bench.port(ref))[0] == taken for ref in link.inputs]
    found = gate_circuit(made, taken, sum(alike))
    if found is None:
        return None
    parts = ", ".join(
        f"{part.name} {style.engineering(part.ohms, 'Ω')}" if part.ohms is not None else f"{part.name} ({part.role})"
        for part in found.parts
    )
    return (
        f"What fits between: {found.name}, of {parts}. It leaves {style.volts(found.leaves.on_margin, 2)} for on and "
        f"{style.volts(found.leaves.off_margin, 2)} for off."
    )


def makes_sense(sends: Port, takes: Port) -> bool:
    """Whether anybody would think of joining them: the same role, or both of those that switch."""
    return sends.role == takes.role or {sends.role, takes.role} <= set(SWITCHING)


def trial_link(link: Link | None, output: PortRef, sink: PortRef) -> Link:
    """The link of an output as it would be with an input on it; a new one where there is none."""
    if link is None:
        return Link(f"{output.gear}.{output.port}>", output, (sink,))
    if sink in link.inputs:
        return link
    return Link(link.id, output, (*link.inputs, sink), link.between, link.tolerance, link.low_note, link.high_note)


def _lengths(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    """A pulse that is over before the input has noticed it."""
    sent, taken = bench.port(link.output).gate, bench.port(sink).gate
    if sent is None or taken is None or sent.seconds is None or taken.min_seconds is None:
        return []
    if sent.seconds >= taken.min_seconds:
        return []
    text = (
        f"{bench.label(link.output)} sends pulses of {1000 * sent.seconds:.3g} ms, {bench.label(sink)} takes "
        f"{1000 * taken.min_seconds:.3g} ms and more: a pulse stretcher between, or a longer pulse set in the sender."
    )
    return [Finding("pulse-too-short", "fault", text, sent.seconds - taken.min_seconds, "s")]


def gate_output(port: Port) -> tuple[GateOutput | None, list[str]]:
    """What a port sends as a gate, and the names of values that are not known (then None)."""
    gate = port.gate or GateRecord("driven")
    bears = Span(port.bears.low, port.bears.high)
    if gate.kind == "switch":
        lacks = ["ohms"] if port.ohms is None else []
        return (None if port.ohms is None else GateOutput("switch", ohms=port.ohms, bears=bears)), lacks
    lacks = [key for key, value in (("low_volts", gate.low_volts), ("high_volts", gate.high_volts), ("ohms", port.ohms))
             if value is None]  # fmt: skip
    if gate.low_volts is None or gate.high_volts is None or port.ohms is None:
        return None, lacks
    return GateOutput("driven", gate.low_volts, gate.high_volts, port.ohms, bears), []


def gate_input(port: Port) -> tuple[GateInput | None, list[str]]:
    """What a port takes as a gate, and the names of values that are not known (then None)."""
    gate = port.gate or GateRecord("positive")
    shorting = gate.kind == "shorting"
    needed = {"on_volts": gate.on_volts, "off_volts": gate.off_volts, "ohms": port.ohms}
    if shorting:
        needed["pullup_volts"] = gate.pullup_volts
    lacks = [key for key, value in needed.items() if value is None]
    if gate.on_volts is None or gate.off_volts is None or port.ohms is None or lacks:
        return None, lacks
    works, bears = Span(port.works.low, port.works.high), Span(port.bears.low, port.bears.high)
    return GateInput(gate.on_volts, gate.off_volts, "shorting" if shorting else "positive", port.ohms,
                     gate.pullup_volts or 0.0, works, bears), []  # fmt: skip
