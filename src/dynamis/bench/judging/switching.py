"""Will a gate, trigger or clock fit: levels behind what stands between, lengths, edges, rates."""

from __future__ import annotations

from dataclasses import replace
from typing import Final

from dynamis.bench.document import Bench, Link
from dynamis.bench.judging.audio import coupling, peak_volts, unknown_of
from dynamis.bench.ports import SWITCHING, ClockRecord, GateRecord, Port, PortRef
from dynamis.electrics.finding import BEST_FIRST, Finding, cannot_tell
from dynamis.electrics.gates.circuits import GateCircuit, gate_circuit, gate_circuits
from dynamis.electrics.gates.levels import GateFit, GateInput, GateOutput, Span, judge_gate
from dynamis.electrics.gates.stages import becomes
from dynamis.notation.style import Style

_HOW: Final = {
    "low_volts": "its level while nothing is played", "high_volts": "its level while a key is held",
    "on_volts": "the volts at which it goes on, by turning a known voltage up",
    "off_volts": "the volts at which it goes off, by turning a known voltage down",
    "pullup_volts": "its volts with nothing plugged in", "ohms": "its resistance",
}  # fmt: skip


# A pin bears its rail and half a volt or so more; a limit beyond that is not the rail's.
_PIN_ABOVE_RAIL: Final = 0.6


def judge_switching(bench: Bench, link: Link, sink: PortRef, style: Style) -> tuple[list[Finding], float | None]:
    """Findings of one input of a gate, trigger or clock link, and the smaller of its two margins in volts."""
    met = meeting(bench, link, sink, style)
    if isinstance(met, list):
        return met, None
    port, gate = bench.port(sink), bench.port(sink).gate or GateRecord("positive")
    findings = [
        *met.findings,
        *_lengths(bench, link, sink),
        *_edges(bench, link, sink),
        *_signals(bench, link, sink),
        *_rates(bench, link, sink, style),
    ]
    if port.role != "clock":
        findings += coupling(bench, link, met.high_volts, gate.off_volts or 0.0, style)
    return findings, min(met.on_margin, met.off_margin)


def meeting(bench: Bench, link: Link, sink: PortRef, style: Style = Style()) -> GateFit | list[Finding]:
    """The levels at one input of a link with all inputs plugged in; or what has to be measured first."""
    made, lacks = sent_as(bench, link)
    taken, lacking = input_of(bench, sink)
    if bench.port(link.output).role == "audio":
        unknown = unknown_of(bench, link.output)
        if unknown:
            return unknown
    if made is None or taken is None:
        wanted = [(link.output, key) for key in lacks] + [(sink, key) for key in lacking]
        return [cannot_tell(f"Cannot tell until you measure of {bench.label(ref)} {_HOW[key]}.") for ref, key in wanted]
    others = [bench.port(one) for one in link.inputs if one != sink and bench.port(one).role in SWITCHING]
    beside = [gate_input(port)[0] for port in others]
    if None in beside:
        what = others[beside.index(None)].name
        return [cannot_tell(f"Cannot tell until what else hangs on {bench.label(link.output)} is measured: {what}.")]
    gate = bench.port(link.output).gate
    limit = 0.0 if gate is None or link.gate_stages else gate.level_limit
    fits = [judge_gate(one, taken, 1, style, [other for other in beside if other is not None])
            for one in _at_limits(made, limit)]  # fmt: skip
    return max(fits, key=lambda fit: (BEST_FIRST.index(fit.verdict), -min(fit.on_margin, fit.off_margin)))


def _at_limits(made: GateOutput, limit: float) -> list[GateOutput]:
    """An output with its levels as they should be, and with both at either end of their tolerance."""
    if not limit or made.kind == "switch":
        return [made]
    return [replace(made, low_volts=made.low_volts * (1.0 + move), high_volts=made.high_volts * (1.0 + move))
            for move in (0.0, -limit, limit)]  # fmt: skip


def sent_as(bench: Bench, link: Link) -> tuple[GateOutput | None, list[str]]:
    """What the output of a link comes to behind the circuits between, and the names of values that are not known."""
    made, lacks = gate_output(bench.port(link.output))
    if made is None:
        return None, lacks
    inputs = [gate_input(bench.port(ref))[0] for ref in link.inputs]
    carried = sum(one.pullup_volts / one.ohms for one in inputs if one is not None and one.kind == "shorting")
    for stage in link.gate_stages:
        made = becomes(stage.circuit, stage.parts, made, carried)
    return made, []


def fitting_circuit(bench: Bench, link: Link, sink: PortRef) -> GateCircuit | None:
    """A circuit for gates that makes an input of a link fit; None where nothing is needed, known or found."""
    asked = _bare(bench, link, sink)
    return None if asked is None or link.gate_stages else gate_circuit(*asked, bench.rails_for(link))


def fitting_circuits(bench: Bench, link: Link, sink: PortRef) -> list[GateCircuit]:
    """One of each kind that would do, whatever stands there now."""
    asked = _bare(bench, link, sink)
    return [] if asked is None else gate_circuits(*asked, bench.rails_for(link))


def _bare(bench: Bench, link: Link, sink: PortRef) -> tuple[GateOutput, GateInput, int] | None:
    """What meets with nothing between, and how many equal inputs hang there; None where that is not known."""
    made, _ = gate_output(bench.port(link.output))
    taken, _ = input_of(bench, sink)
    if made is None or taken is None:
        return None
    return made, taken, max(1, sum(input_of(bench, ref)[0] == taken for ref in link.inputs))


def pulse_seconds(bench: Bench, link: Link) -> float | None:
    """How long a pulse is behind the circuits between; None for as long as a key is held."""
    lengths = [stage.seconds for stage in link.gate_stages if stage.seconds is not None]
    gate = bench.port(link.output).gate
    return lengths[-1] if lengths else None if gate is None else gate.seconds


def _lengths(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    """A pulse that is over before the input has noticed it, or that outlasts what it starts."""
    seconds, gate, envelope = pulse_seconds(bench, link), bench.port(sink).gate, bench.port(sink).envelope
    if seconds is None or gate is None:
        return []
    sends, takes = f"{bench.label(link.output)} sends pulses of {_milliseconds(seconds)}", bench.label(sink)
    if gate.min_seconds is not None and seconds < gate.min_seconds:
        text = (
            f"{sends}, {takes} takes {_milliseconds(gate.min_seconds)} and more: a pulse stretcher between, or a "
            "longer "
            "pulse set in the sender."
        )
        return [Finding("pulse-too-short", "fault", text, seconds - gate.min_seconds, "s")]
    if gate.max_seconds is not None and seconds > gate.max_seconds:
        text = (
            f"{sends}, what {takes} starts is over after {_milliseconds(gate.max_seconds)}: a longer pulse holds it, "
            "or "
            "fires it twice. Set a shorter pulse in the sender."
        )
        return [Finding("pulse-too-long", "marginal", text, seconds - gate.max_seconds, "s")]
    if envelope is not None and seconds < envelope.attack_seconds:
        share = 100.0 * seconds / envelope.attack_seconds
        text = (
            f"{sends}, the envelope of {takes} rises in {_milliseconds(envelope.attack_seconds)}: it gets to about "
            f"{share:.0f} % of its peak. A longer pulse, or a faster attack."
        )
        return [Finding("short-of-peak", "note", text, share, "%")]
    return []


def signals_differ(output: Port, sink: Port) -> bool:
    """Whether a clock meets a reset or a run input, or one of these a clock input.

    A gate or a trigger may be any of them, and a run level that rises is a reset at the start.
    """
    if output.clock is None or sink.clock is None:
        return False
    sends, takes = output.clock.signal, sink.clock.signal
    return sends != takes and (sends, takes) != ("run", "reset")


def _signals(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    output, port = bench.port(link.output), bench.port(sink)
    if not signals_differ(output, port) or output.clock is None or port.clock is None:
        return []
    does = {
        "reset": "takes it back to its first step each time, so it never goes on",
        "run": "starts and stops it with each of them",
        "clock": "makes one step and no more",
    }[port.clock.signal]
    what = {"clock": "the pulses of a clock", "reset": "a reset", "run": "a level that is up while it runs"}
    text = (
        f"{bench.label(link.output)} sends {what[output.clock.signal]}, {bench.label(sink)} is a {port.clock.signal} "
        f"input: that {does}. Join what sends a {port.clock.signal}."
    )
    return [Finding("signal-differs", "fault", text)]


def _edges(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    output, port, seconds = bench.port(link.output), bench.port(sink), pulse_seconds(bench, link)
    if port.gate is None:
        return []
    sends, takes = bench.label(link.output), bench.label(sink)
    runs = port.clock is not None and port.clock.signal == "run"
    if port.gate.edge and output.role == "gate" and seconds is None:
        text = (
            f"{takes} acts when its input rises, {sends} stays up while a key is held: two notes without a gap make "
            "one "
            "edge. Take a trigger, or leave gaps."
        )
        return [Finding("edge-wanted", "marginal", text)]
    if runs and seconds is not None:
        text = (
            f"{takes} runs for as long as its input is up, {sends} sends pulses of {_milliseconds(seconds)}: it "
            "would run "
            "for as long and stop. Take a level that stays up."
        )
        return [Finding("level-wanted", "fault", text, seconds, "s")]
    return []


def _rates(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    sends, takes = bench.port(link.output).clock or ClockRecord(), bench.port(sink).clock or ClockRecord()
    found = []
    rate = sends.per_quarter
    if sends.signal == takes.signal == "clock" and rate and takes.per_quarter and rate != takes.per_quarter:
        ratio = rate / takes.per_quarter
        what = f"divide by {style.engineering(ratio, '').strip()}" if ratio > 1 else (
            f"multiply by {style.engineering(1.0 / ratio, '').strip()}")  # fmt: skip
        text = (
            f"{bench.label(link.output)} sends {style.engineering(rate, '').strip()} pulses a quarter note, "
            f"{bench.label(sink)} counts {style.engineering(takes.per_quarter, '').strip()}: {what}, or set either "
            "side "
            "to the other's."
        )
        found.append(Finding("clock-rate", "fault", text, ratio, ""))
    most = takes.most_hertz
    if rate and most and rate * 2.0 > most:  # two quarter notes a second: 120 bpm
        fastest = 60.0 * most / rate
        text = (
            f"{bench.label(sink)} follows {style.number(most, 1)} pulses a second: with "
            f"{style.engineering(rate, '').strip()} "
            f"a quarter note that is {style.number(fastest, 0)} quarter notes a minute at most."
        )
        found.append(Finding("clock-rate", "marginal", text, fastest, "bpm"))
    return found


def gate_output(port: Port) -> tuple[GateOutput | None, list[str]]:
    """What a port sends as a gate, and the names of values that are not known (then None)."""
    gate = port.gate or GateRecord("driven")
    bears = Span(port.bears.low, port.bears.high)
    low, high = gate.low_volts, gate.high_volts
    if port.role == "audio":
        high = peak_volts(port)
        low = None if high is None else -high
    if gate.kind == "switch":
        lacks = ["ohms"] if port.ohms is None else []
        return (None if port.ohms is None else GateOutput("switch", ohms=port.ohms, bears=bears)), lacks
    lacks = [key for key, value in (("low_volts", low), ("high_volts", high), ("ohms", port.ohms)) if value is None]
    if low is None or high is None or port.ohms is None:
        return None, lacks
    return GateOutput("driven", low, high, port.ohms, bears), []


def input_of(bench: Bench, ref: PortRef) -> tuple[GateInput | None, list[str]]:
    """As `gate_input`, with the receiver's own rail where its limit is that of a pin on it and the rail is at hand:
    only then do both move together."""
    taken, lacks = gate_input(bench.port(ref))
    high = None if taken is None else taken.bears.high
    shared = {rails[1] for rails in bench.rails} & set(bench.gear_by(ref.gear).power.rails)
    own = [volts for volts in shared if high is not None and 0 < volts <= high <= volts + _PIN_ABOVE_RAIL]
    return (replace(taken, rail_volts=own[0]) if taken is not None and own else taken), lacks


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
    rest = (gate.pullup_volts or 0.0) if shorting else port.rests_at_volts
    return GateInput(gate.on_volts, gate.off_volts, "shorting" if shorting else "positive", port.ohms, rest, works,
                     bears), []  # fmt: skip


def _milliseconds(seconds: float) -> str:
    return f"{1000 * seconds:.3g} ms"
