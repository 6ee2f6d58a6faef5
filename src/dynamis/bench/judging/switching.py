"""Will a gate, trigger or clock fit: levels behind what stands between, lengths, edges, rates."""

from __future__ import annotations

from typing import Final

from dynamis.bench.chains.branches import own_part
from dynamis.bench.chains.tree import site_in, why_no_path
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.gate_ports import loading_of
from dynamis.bench.document.ports import ClockRecord, GateRecord, Port, PortRef
from dynamis.bench.judging.audio import coupling, unknown_of
from dynamis.bench.judging.sequencing import judge_acting
from dynamis.bench.judging.sides import gate_output, input_of, sent_as
from dynamis.electrics.finding import BEST_FIRST, Finding, cannot_tell
from dynamis.electrics.gates.circuits import GateCircuit, gate_circuit, gate_circuits, no_fix
from dynamis.electrics.gates.levels import GateFit, GateInput, GateOutput, judge_gate
from dynamis.notation.style import Style

_HOW: Final = {
    "low_volts": "its level while nothing is played",
    "high_volts": "its level while a key is held",
    "on_volts": "the volts at which it goes on, by turning a known voltage up",
    "off_volts": "the volts at which it goes off, by turning a known voltage down",
    "pullup_volts": "its volts with nothing plugged in",
    "ohms": "its resistance",
    "reach": "between which volts it goes",
    "between": "what stands behind it",
}


# What an input of triggers or clocks takes that nobody has measured; common practice, no source.
_USUAL_PULSE: Final = 0.005


def judge_switching(bench: Bench, link: Link, sink: PortRef, style: Style) -> tuple[list[Finding], float | None]:
    """Findings of one input of a gate, trigger or clock link, and the smaller of its two margins in volts."""
    met = meeting(bench, link, sink, style)
    if isinstance(met, list):
        return met, None
    gate = bench.port(sink).gate or GateRecord("positive")
    findings = [
        *met.findings,
        *_pull_ups(bench, link, sink, met.high_volts, style),
        *_lengths(bench, link, sink),
        *_edges(bench, link, sink),
        *_signals(bench, link, sink),
        *_rates(bench, link, sink, style),
        *judge_acting(bench, link, sink, pulse_seconds(bench, link), style),
    ]
    pulse = _acting_seconds(bench, link, sink)
    least = (gate.off_volts or 0.0) if pulse is None else (gate.on_volts or 0.0)
    findings += coupling(bench, link, met.high_volts, least, style, pulse)
    return findings, min(met.on_margin_volts, met.off_margin_volts)


def meeting(bench: Bench, link: Link, sink: PortRef, style: Style = Style()) -> GateFit | list[Finding]:
    """The levels at one input of a link with all inputs plugged in; or what has to be measured first."""
    output, lacks = sent_as(bench, link)
    taken, lacking = input_of(bench, sink)
    if bench.port(link.output).role == "audio":
        unknown = unknown_of(bench, link.output, link)
        if unknown:
            return unknown
    if output is None or taken is None:
        wanted = [(link.output, key) for key in lacks] + [(sink, key) for key in lacking]
        return [cannot_tell(f"Cannot tell until you measure of {bench.label(ref)} {_HOW[key]}.") for ref, key in wanted]
    others = [bench.port(one) for one in link.inputs if one != sink]
    beside = [loading_of(port) for port in others]
    if None in beside:
        what = others[beside.index(None)].name
        return [cannot_tell(f"Cannot tell until what else hangs on {bench.label(link.output)} is measured: {what}.")]
    ends = (0.0, -1.0, 1.0) if _limit_of(bench, link) else (0.0,)
    sent = [sent_as(bench, link, end)[0] or output for end in ends]
    loads = [other for other in beside if other is not None]
    fits = [judge_gate(one, taken, 1, style, loads) for one in sent]
    return max(fits, key=lambda fit: (BEST_FIRST.index(fit.verdict), -min(fit.on_margin_volts, fit.off_margin_volts)))


def _limit_of(bench: Bench, link: Link) -> float:
    """Tolerance of the levels that the output of a link sends, a fraction."""
    gate = bench.port(link.output).gate
    return 0.0 if gate is None else gate.level_limit


def fitting_circuit(bench: Bench, link: Link, sink: PortRef) -> GateCircuit | None:
    """A circuit for gates that makes an input of a link fit; None where nothing is needed, known or found."""
    bare = _bare(bench, link, sink)
    return (
        None
        if bare is None or own_part(link, sink).gate_stages
        else gate_circuit(*bare, bench.rails_for(link), _limit_of(bench, link), battery=True)
    )


def why_no_circuit(bench: Bench, link: Link, sink: PortRef, style: Style) -> str:
    """Why no circuit for gates known here mends it from the rails at hand; "" where something is not known."""
    bare = _bare(bench, link, sink)
    return "" if bare is None else no_fix(bare[0], bare[1], bench.rails_for(link), style).text


def fitting_circuits(bench: Bench, link: Link, sink: PortRef) -> list[GateCircuit]:
    """One of each kind that would do, whatever stands there now."""
    bare = _bare(bench, link, sink)
    return [] if bare is None else gate_circuits(*bare, bench.rails_for(link), _limit_of(bench, link), battery=True)


def _bare(bench: Bench, link: Link, sink: PortRef) -> tuple[GateOutput, GateInput, int] | None:
    """What meets with nothing between, and how many equal inputs hang there; None where that is not known."""
    if why_no_path(bench, link, sink):
        return None
    path = site_in(bench, link, sink).ahead
    bare, _ = gate_output(bench, path)
    taken, _ = input_of(bench, sink)
    if bare is None or taken is None:
        return None
    return bare, taken, max(1, sum(input_of(bench, ref)[0] == taken for ref in path.inputs))


def pulse_seconds(bench: Bench, link: Link) -> float | None:
    """How long a pulse is behind the circuits between; None for as long as a key is held."""
    lengths = [stage.seconds for stage in link.gate_stages if stage.seconds is not None]
    gate = bench.port(link.output).gate
    return lengths[-1] if lengths else None if gate is None else gate.seconds


def _acting_seconds(bench: Bench, link: Link, sink: PortRef) -> float | None:
    """How long a pulse has to last to act; None at an input that is held for as long as a key is."""
    port, sent = bench.port(sink), pulse_seconds(bench, link)
    gate = port.gate or GateRecord("positive")
    if port.role == "gate" and sent is None and not gate.edge:
        return None
    return gate.min_seconds or (_USUAL_PULSE if sent is None else sent)


def _pull_ups(bench: Bench, link: Link, sink: PortRef, open_volts: float, style: Style) -> list[Finding]:
    """Pull-ups of different volts on one contact: what this input gets while it is open."""
    output, _ = sent_as(bench, link)
    pulled = {bench.port(one).rest_volts for one in link.inputs if bench.port(one).pulls_up}
    port = bench.port(sink)
    if output is None or output.kind != "switch" or len(pulled) < 2 or not port.pulls_up or port.ohms is None:
        return []
    more = open_volts - port.rest_volts
    volts = " and ".join(style.volts(one, 1) for one in sorted(pulled))
    direction, amperes = ("more", "into") if more > 0 else ("less", "out of")
    text = (
        f"Pull-ups of {volts} meet on one contact: while it is open {bench.label(sink)} gets "
        f"{style.volts(open_volts, 2)}, {style.volts(abs(more), 2)} {direction} than its own gives, and "
        f"{style.engineering(abs(more) / port.ohms, 'A')} flow {amperes} it. A diode at each input, its cathode to the "
        "contact, parts them."
    )
    return [Finding("outputs-contending", "note", text, open_volts, "V")]


def _lengths(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    """A pulse that is over before the input has noticed it, or that outlasts what it starts."""
    seconds, gate, envelope = pulse_seconds(bench, link), bench.port(sink).gate, bench.port(sink).envelope
    if seconds is None and gate is not None and gate.max_seconds is not None and bench.port(link.output).role == "gate":
        text = (
            f"{bench.label(link.output)} stays up for as long as a key is held, what {bench.label(sink)} starts is "
            f"over after {_milliseconds(gate.max_seconds)}: a longer pulse holds it, or fires it twice. Take a "
            "trigger, or a circuit that makes a pulse of the rise."
        )
        return [Finding("pulse-too-long", "marginal", text)]
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
    acts = "" if port.clock is None else port.clock.acts
    runs = port.clock is not None and port.clock.signal == "run" and acts not in ("rise", "fall")
    on_edge = acts in ("rise", "fall") if acts else port.gate.edge
    if on_edge and output.role == "gate" and seconds is None:
        text = (
            f"{takes} acts when its input rises, {sends} stays up while a key is held: two notes without a gap make "
            "one "
            "edge. Take a trigger, or leave gaps."
        )
        return [Finding("edge-wanted", "marginal", text)]
    if runs and seconds is not None:
        low = acts == "while-low"
        text = (
            f"{takes} runs for as long as its input is {'down' if low else 'up'}, {sends} sends pulses of "
            f"{_milliseconds(seconds)}: it would "
            f"{'stop for as long and go on' if low else 'run for as long and stop'}. Take a level that stays up."
        )
        return [Finding("level-wanted", "fault", text, seconds, "s")]
    return []


def _rates(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    sends, takes = bench.port(link.output).clock or ClockRecord(), bench.port(sink).clock or ClockRecord()
    findings = []
    rate = sends.per_quarter
    if sends.signal == takes.signal == "clock" and rate and takes.per_quarter and rate != takes.per_quarter:
        ratio = rate / takes.per_quarter
        what = (
            f"divide by {style.engineering(ratio, '').strip()}"
            if ratio > 1
            else (f"multiply by {style.engineering(1.0 / ratio, '').strip()}")
        )
        text = (
            f"{bench.label(link.output)} sends {style.engineering(rate, '').strip()} pulses a quarter note, "
            f"{bench.label(sink)} counts {style.engineering(takes.per_quarter, '').strip()}: {what}, or set either "
            "side "
            "to the other's."
        )
        findings.append(Finding("clock-rate", "fault", text, ratio, ""))
    most = takes.most_hertz
    if rate and most and rate * 2.0 > most:  # two quarter notes a second: 120 bpm
        fastest = 60.0 * most / rate
        text = (
            f"{bench.label(sink)} follows {style.number(most, 1)} pulses a second: with "
            f"{style.engineering(rate, '').strip()} "
            f"a quarter note that is {style.number(fastest, 0)} quarter notes a minute at most."
        )
        findings.append(Finding("clock-rate", "marginal", text, fastest, "bpm"))
    return findings


def _milliseconds(seconds: float) -> str:
    return f"{1000 * seconds:.3g} ms"
