"""What a patch asks for besides levels: plugs and poles, common return, contending outputs, settings, what is missing
and what is taken away.

How plugs meet jacks, and what usually goes wrong, is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from dynamis.bench.chains.node import driving, rivals_of
from dynamis.bench.chains.tree import path_in
from dynamis.bench.document.bench import Bench, Gear, Link
from dynamis.bench.document.ports import SWITCHING, Pole, Port, PortRef
from dynamis.bench.judging.audio import legs, numbering
from dynamis.bench.judging.leads import joined_poles, poles_of
from dynamis.bench.judging.power import one_return
from dynamis.bench.judging.sides import may_send, sent_as, sent_swing
from dynamis.bench.judging.switched_jack import unplugged_words
from dynamis.electrics.finding import Finding, Severity, cannot_tell
from dynamis.electrics.net import Net, Terminal
from dynamis.notation.style import Style
from dynamis.transfer.parameter import World

_SHARED_AMPERES: Final = 0.02


def judge_patch(bench: Bench, link: Link, path: Link, sink: PortRef, style: Style) -> list[Finding]:
    """Findings about one input of a link that hold for every role.  path : the way to it, from where it begins."""
    output, receiver = bench.port(link.output), bench.port(sink)
    findings = _contending(bench, path, style)
    if output.poles or receiver.poles or output.audio is not None:
        findings += _plugs(bench, link, sink, style)
        findings += _return(bench, link, sink)
        findings += numbering(bench, link)
    if output.needs or receiver.needs:
        findings += _settings(bench, link, sink)
    findings += _missing(bench, link, sink)
    if output.normal is not None or receiver.normal is not None or receiver.clock is not None:
        findings += _taken(bench, link, sink, style)
    return findings


# -- outputs that share a node ---------------------------------------------------------------------


def _contending(bench: Bench, link: Link, style: Style) -> list[Finding]:
    every = _meeting(bench, link, rivals_of(bench, link))
    if not every:
        return []
    names = " and ".join(bench.label(one.output) for one in every)
    spans = [_reach(bench, one) for one in every]
    outputs = [driving(bench, one) for one in every]
    ohms = [None if one is None else one.ohms for one in outputs]
    inputs = [(ref, bench.port(ref).ohms) for one in every for ref in one.inputs]
    if any(one is None for one in (*spans, *ohms, *(value for _, value in inputs))):
        text = (
            f"{names} drive one node: measure their volts and resistances to tell how they share it. Part one of them."
        )
        return [Finding("outputs-contending", "fault", text)]
    stiff = [value for value in ohms if value is not None and value < 0.1]
    reach = [span for span in spans if span is not None]
    if len(stiff) > 1:
        text = f"{names} drive one node, each without a resistance: they short each other. Part one of them."
        return [Finding("outputs-contending", "danger", text)]
    outs = [Terminal(f"out{k}", "", max(value or 0.0, 1e-3), True) for k, value in enumerate(ohms)]
    ins = [
        Terminal(f"in{k}", "", value or 1.0, False, 0.0, bench.port(ref).rest_volts)
        for k, (ref, value) in enumerate(dict(inputs).items())
    ]
    net = Net("contending", (*outs, *ins))
    high = reach[0][1]
    volts = {one.id: (high if k == 0 else reach[k][0]) for k, one in enumerate(outs)}
    node = float(next(iter(net.solve(volts, World()).values())))
    amperes = max(abs(node - volts[one.id]) / one.ohms for one in outs)
    bare = [one for one in every if not one.between and not one.gate_stages]
    hurt = [one for one in bare if bench.port(one.output).bears.span.outside(node)]
    severity: Severity = "danger" if amperes > _SHARED_AMPERES or hurt else "fault"
    text = (
        f"{names} drive one node: with the first at {style.volts(high, 2)} and the others at their lowest it stands at "
        f"{style.volts(node, 2)}, and {style.engineering(amperes, 'A')} flow from one into the other. Part one, or "
        "put a "
        "mixer between."
    )
    return [Finding("outputs-contending", severity, text, node, "V")]


def _meeting(bench: Bench, link: Link, rivals: list[Link]) -> list[Link]:
    """The paths that end at one node with a path; where its rivals drive another part of its tree, those there."""
    now = bench.link_from(link.output)
    for first in (link, now):
        for sink in () if first is None else first.inputs:
            meets = [one for one in rivals if sink in one.inputs]
            if meets and first is not None:
                mine = link if first is link else path_in(bench, first, sink)
                return [mine, *(path_in(bench, one, sink) for one in meets)]
    return []


def _reach(bench: Bench, link: Link) -> tuple[float, float] | None:
    """The least and most volts that a path may put on its inputs, open; a contact to ground has nought."""
    port = bench.port(link.output)
    if link.between:
        sent = sent_swing(bench, link)
        return None if sent is None else (sent.low, sent.high)
    if port.role in SWITCHING:
        output, _ = sent_as(bench, link)
        return (
            None if output is None else (0.0, 0.0) if output.kind == "switch" else (output.low_volts, output.high_volts)
        )
    return may_send(bench, link)


# -- plugs -----------------------------------------------------------------------------------------


def _plugs(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    output, receiver, findings = bench.port(link.output), bench.port(sink), []
    if not output.poles and not receiver.poles:
        return legs(bench, link, sink)
    names = bench.label(link.output), bench.label(sink)
    for first, second, joined in joined_poles(link, output, receiver):
        pole, name = (first, names[0]) if first is not None else (second, names[1])
        if pole is None:
            continue
        what = _carried(bench, link.output if first is not None else sink, pole)
        if first is not None and second is not None:
            supply = next((one for one in (first, second) if one.carries == "supply"), None)
            other = second if supply is first else first
            if supply is not None and other.carries not in ("supply", "nothing"):
                volts = f" of {style.volts(supply.volts, 1)}" if supply.volts is not None else ""
                whose, theirs = (names[0], names[1]) if supply is first else (names[1], names[0])
                text = (
                    f"The {supply.at} of {whose} carries a supply{volts} and meets the {other.at} of {theirs}, "
                    f"{other.what or other.carries.replace('-', ' ')}. Do not plug it in; make a lead that joins the "
                    "right "
                    "poles, or leaves that one open."
                )
                findings.append(Finding("supply-pole", "danger", text, supply.volts, "V"))
        elif joined and pole.carries == "supply":
            volts = f" of {style.volts(pole.volts, 1)}" if pole.volts is not None else ""
            text = (
                f"A plug of two poles shorts the {pole.at} of {name}, a supply{volts}, to its sleeve. Do not plug it "
                "in; "
                "use a plug of three poles whose ring is left open."
            )
            findings.append(Finding("supply-pole", "danger", text, pole.volts, "V"))
        elif pole.carries == "second-signal":
            state = "shorted to the sleeve" if joined else "left open"
            text = (
                f"The {pole.at} of {name} carries {what}; it is {state}, and lost. A lead that splits both brings "
                "it out."
                if first is not None
                else f"The {pole.at} of {name} takes {what}; it is {state} and gets nothing. A lead that splits both "
                "feeds it of its own, or from the tip as well."
            )
            findings.append(Finding("second-signal-lost", "note", text))
    return findings + legs(bench, link, sink)


def _carried(bench: Bench, ref: PortRef, pole: Pole) -> str:
    """What a pole carries, in words: by the port of its own that it is, where it is one."""
    own = next((one.name for one in bench.gear_by(ref.gear).ports if pole.port and one.id == pole.port), "")
    return pole.what or own or pole.carries.replace("-", " ")


def _return(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    sender, receiver = bench.gear_by(link.output.gear), bench.gear_by(sink.gear)
    if not (_powered(sender) and _powered(receiver)) or _has_return(bench, link, sink):
        return []
    if one_return(bench, sender, receiver):
        return []
    others = [
        one
        for one in bench.links_of(sender.id)
        for ref in one.inputs
        if {one.output.gear, ref.gear} == {sender.id, receiver.id} and _has_return(bench, one, ref)
    ]
    if others:
        return []
    text = (
        f"{sender.name} and {receiver.name} have each their own power and nothing joins their returns: volts mean "
        "nothing "
        "between them. Join the returns first, after you have checked that both may be joined; where they may not, an "
        "optocoupler carries a gate or trigger across."
    )
    return [Finding("no-common-return", "fault", text)]


def _powered(gear: Gear) -> bool:
    return gear.power.source not in ("", "none")


def _has_return(bench: Bench, link: Link, sink: PortRef) -> bool:
    return all(any(pole.carries == "return" for pole in poles_of(bench.port(ref))) for ref in (link.output, sink))


# -- settings, and what else has to be joined ------------------------------------------------------


def needs_of(bench: Bench, ref: PortRef) -> Iterator[tuple[str, str, str]]:
    """(name, value wanted, value now) of each setting that a port asks for."""
    gear = bench.gear_by(ref.gear)
    for need in gear.port_by(ref.port).needs:
        setting = next((one for one in gear.settings if need.setting in (one.id, one.name)), None)
        yield (need.setting, need.value, "") if setting is None else (setting.name, need.value, setting.value)


def _settings(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    findings = []
    for ref in (link.output, sink):
        name = bench.gear_by(ref.gear).name
        for setting, wanted, now in needs_of(bench, ref):
            if not now:
                text = (
                    f"Cannot tell until you look at {name}: {setting} has to stand at {wanted} for "
                    f"{bench.port(ref).name}."
                )
                findings.append(cannot_tell(text))
            elif now != wanted:
                text = (
                    f"{setting} of {name} stands at {now}; {bench.port(ref).name} needs {wanted}. Set it before you "
                    "join them."
                )
                findings.append(Finding("setting-otherwise", "fault", text))
    return findings


def missing_trigger(bench: Bench, sink: PortRef) -> PortRef | None:
    """The trigger input that has to come with a gate and is not joined; None where nothing is missing."""
    gate = bench.port(sink).gate
    if gate is None or not gate.needs_trigger:
        return None
    return _unjoined(bench, sink, bench.gear_by(sink.gear).inputs("trigger"))


def missing_gate(bench: Bench, sink: PortRef) -> PortRef | None:
    """The gate or trigger input of a voice whose pitch is joined and that nothing opens."""
    port = bench.port(sink)
    if port.role != "pitch" or port.silent_below_volts is not None:
        return None
    gear = bench.gear_by(sink.gear)
    return _unjoined(bench, sink, (*gear.inputs("gate"), *gear.inputs("trigger")))


def missing_reset(bench: Bench, sink: PortRef) -> PortRef | None:
    """The reset input of a gear whose clock is joined and whose reset is not."""
    clock = bench.port(sink).clock
    if clock is None or clock.signal != "clock":
        return None
    clocks = bench.gear_by(sink.gear).inputs("clock")
    return _unjoined(bench, sink, [one for one in clocks if one.clock is not None and one.clock.signal == "reset"])


def _unjoined(bench: Bench, sink: PortRef, ports: Sequence[Port]) -> PortRef | None:
    """The first of some inputs of a gear where none of them is joined."""
    refs = [PortRef(sink.gear, port.id) for port in ports]
    return None if not refs or any(bench.links_into(one) for one in refs) else refs[0]


def _missing(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    trigger, opener, reset = missing_trigger(bench, sink), missing_gate(bench, sink), missing_reset(bench, sink)
    if trigger is opener is reset is None:
        return []
    findings, name = [], bench.label(sink)
    if trigger is not None:
        text = (
            f"{name} sounds only when a trigger comes with the gate, and {bench.label(trigger)} is not joined: join "
            "both."
        )
        findings.append(Finding("gate-with-trigger", "fault", text))
    if opener is not None:
        text = (
            f"Nothing opens this voice: its pitch is joined, {bench.label(opener)} is not. A key does two jobs, "
            "pitch and "
            "gate; so must what replaces it."
        )
        findings.append(Finding("nothing-opens", "note", text))
    if reset is not None:
        text = (
            f"{bench.gear_by(sink.gear).name} stops with the clock and does not go back to its first step: join "
            f"{bench.label(reset)} to a short pulse just before the first clock."
        )
        findings.append(Finding("reset-missing", "note", text))
    return findings


def _taken(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    """What is cut off, or means nothing any more, once both plugs are in."""
    findings = []
    for ref in (link.output, sink):
        normal = bench.port(ref).normal
        if normal is not None:
            source = f" ({bench.label(normal.source)})" if normal.source is not None else ""
            stood = unplugged_words(bench, ref, style)
            text = f"Plugging into {bench.label(ref)} cuts off {normal.what}{source}{stood and f': {stood}'}."
            findings.append(Finding("source-used", "note", text))
    clock, gear = bench.port(sink).clock, bench.gear_by(sink.gear)
    if clock is not None and clock.voids:
        names = [next((one.name for one in gear.settings if one.id == key), key) for key in clock.voids]
        text = f"Under this clock {' and '.join(names)} of {gear.name} {'mean' if len(names) > 1 else 'means'} nothing."
        findings.append(Finding("settings-void", "note", text))
    return findings
