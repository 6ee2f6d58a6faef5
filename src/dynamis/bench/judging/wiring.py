"""The wiring card of a pair: pole to pole, what each carries, what stands between, what to set and to check."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from dynamis.bench.chains.tree import trial_link
from dynamis.bench.document.bench import Bench, Branch, Link
from dynamis.bench.document.ports import Pole, PortRef
from dynamis.bench.gear.knobs import turn_words
from dynamis.bench.judging.cautions import Caution, cautions_for
from dynamis.bench.judging.leads import joined_poles, lead_words
from dynamis.bench.judging.pairs import PairFit, judge_pair
from dynamis.bench.judging.patch import needs_of
from dynamis.bench.judging.remembering import memory_words
from dynamis.electrics.circuits.built import BuiltCircuit
from dynamis.electrics.circuits.parts import pieces_of
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.parts import Direction
from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.part import value_words
from dynamis.electrics.stage import Stage
from dynamis.notation.style import Style
from dynamis.transfer.registry import REGISTRY

_LAWS: Final[dict[Direction, str]] = {"exponential": "V/oct to Hz/V", "logarithmic": "Hz/V to V/oct"}


@dataclass(frozen=True)
class WireRow:
    """One wire, or one pole that has none."""

    sends: str
    takes: str
    how: str


@dataclass(frozen=True)
class WiringCard:
    """All in words.  checks : settings, knobs and channels, each to be ticked off."""

    title: str
    verdict: PairFit
    lead: str
    rows: tuple[WireRow, ...]
    between: tuple[str, ...]
    checks: tuple[str, ...]
    cautions: tuple[Caution, ...]


def wiring_card(bench: Bench, output: PortRef, sink: PortRef, style: Style = Style()) -> WiringCard:
    """The card of an output and an input, joined or not."""
    link = trial_link(bench.link_from(output), output, sink)
    fit = judge_pair(bench, link, sink, (), style)
    sends, takes = bench.port(output), bench.port(sink)
    lead = lead_words(link, sends, takes)
    rows = tuple(_row(*one) for one in joined_poles(link, sends, takes))
    title, between = f"{bench.label(output)} → {bench.label(sink)}", tuple(tree_words(bench, link, sink, style))
    return WiringCard(
        title, fit, lead, rows, between, tuple(_checks(bench, link, sink, style)), tuple(cautions_for(bench, fit))
    )


def _row(first: Pole | None, second: Pole | None, joined: bool) -> WireRow:
    if first is not None and second is not None:
        return WireRow(_pole(first), _pole(second), "joined")
    return WireRow(_pole(first), _pole(second), "shorted to the sleeve by the plug" if joined else "left open")


def _pole(pole: Pole | None) -> str:
    if pole is None:
        return "–"
    volts = "" if pole.volts is None else f", {pole.volts:g} V"
    return f"{pole.at}: {pole.what or pole.carries.replace('-', ' ')}{volts}"


def tree_words(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[str]:
    """What stands ahead of an input, in words: ahead of all inputs, then on its branch."""
    branch = link.branch_of(sink)
    said = between_words(bench, link, style)
    if branch is None:
        return said
    ahead = [f"ahead of all inputs: {text}" for text in said]
    return [*ahead, *(f"on the branch to {_to(bench, branch)}: {text}" for text in between_words(bench, branch, style))]


def _to(bench: Bench, branch: Branch) -> str:
    return " and ".join(bench.label(ref) for ref in branch.inputs)


def between_words(bench: Bench, part: Link | Branch, style: Style) -> list[str]:
    """What stands in a part of a link, in words, from the output to the inputs."""
    said = []
    for k, stored in enumerate(part.between):
        if not REGISTRY.knows(stored):
            said.append(f"{stored.kind}, which this program does not know")
            continue
        transfer = REGISTRY.make(f"between.{k}", stored)
        if isinstance(transfer, BuiltCircuit):
            circuit = transfer.circuit
            each = ", ".join(
                f"{one.name} {one.value}" + (f" ({one.role})" if one.kind == "diode" else "")
                for one in pieces_of(circuit, style)
                if one.kind != "op-amp"
            )
            said.append(
                f"{circuit.topology.title[0].lower()}{circuit.topology.title[1:]}, "
                f"gain {style.number(transfer.gain, 4)}, "
                f"offset {style.volts(transfer.offset_volts, 3, sign=True)}: {each or 'the op-amp alone'}"
            )
        elif isinstance(transfer, Converter):
            each = ", ".join(f"{one.name} {one.value}" for one in transfer.parts.pieces(style) if one.kind != "op-amp")
            said.append(f"{transfer.kind} converter, {_LAWS[transfer.parts.direction]}: {each}")
        elif isinstance(transfer, Remembering):
            said.append(memory_words(bench, transfer, style))
        elif isinstance(transfer, Stage):
            said.append(
                f"{'buffer' if transfer.gain == 1 and not transfer.offset_volts else 'amplifier'}: gain "
                f"{style.number(transfer.gain, 4)}, offset {style.volts(transfer.offset_volts, 3, sign=True)}, input "
                f"{style.engineering(transfer.in_ohms, 'Ω')}"
            )
        else:
            said.append(stored.kind)
    for stage in part.gate_stages:
        parts = ", ".join(
            " ".join(word for word in (one.name, value_words(one, style), one.role) if word) for one in stage.parts
        )
        length = "" if stage.seconds is None else f" of {style.engineering(stage.seconds, 's')}"
        said.append(f"{stage.circuit}{length}{': ' + parts if parts else ''}")
    return said


def _checks(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[str]:
    said = []
    for ref in (link.output, sink):
        gear = bench.gear_by(ref.gear)
        for name, wanted, now in needs_of(bench, ref):
            sentence = "as it stands" if now == wanted else f"it stands at {now}" if now else "look where it stands"
            said.append(f"{gear.name}: {name} at {wanted} ({sentence})")
        said += [f"{gear.name}: {text}" for text in _knob_checks(bench, link, ref, style)]
        said += [f"{gear.name}: {text}" for text in _legs(bench, ref, style)]
    audio = bench.port(link.output).audio
    if audio is not None and audio.channel is not None:
        panel = f", {audio.panel} on the panel" if audio.panel else ""
        said.append(f"The program sends on channel {audio.channel}{panel}")
    others = [bench.label(ref) for ref in link.inputs if ref != sink]
    if others:
        said.append(f"Plugged in too: {', '.join(others)}")
    return said


def _legs(bench: Bench, ref: PortRef, style: Style) -> list[str]:
    """Which leg of a potentiometer goes where, and who feeds a switched jack."""
    port = bench.port(ref)
    pot, normal = port.pot, port.normal
    said = []
    if pot is not None and pot.ohms and port.direction == "output":
        wiper, top = ("ring", "tip") if pot.wiring == "wiper-on-ring" else ("tip", "ring")
        fed = "what the jack has there" if pot.fed_volts is None else style.volts(pot.fed_volts, 2)
        low = "the sleeve, 0 V" if not pot.to_volts else style.volts(pot.to_volts, 2)
        ohms = style.engineering(pot.ohms, "Ω")
        said.append(f"{port.name}, {ohms}: wiper to the {wiper}, upper end to the {top} ({fed}), lower end to {low}")
    if normal is not None:
        source = bench.label(normal.source) if normal.source is not None and bench.has(normal.source) else normal.what
        said.append(f"{port.name} is fed by {source} while nothing is plugged in")
    return said


def _knob_checks(bench: Bench, link: Link, ref: PortRef, style: Style) -> list[str]:
    """Where the knobs of a port have to stand: where they are set for the link, or at their mark."""
    port = bench.port(ref)
    told = {knob.name: knob for knob in port.knobs}
    said = []
    for name, knob in told.items():
        proved = "proved" if knob.proved else "to be proved by a reading"
        if knob.does and knob.at is not None:
            said.append(f"{name} at {turn_words(knob, knob.value_at(knob.at), style)} ({proved})")
        elif not knob.does or ref == link.output:
            said.append(f"{name} at {knob.mark or 'its mark'} ({proved})")
    if ref == link.output:
        return said
    fit = judge_pair(bench, link, ref, (), style)
    return said + [one.text.removeprefix("Set ").rstrip(".") for one in fit.findings if one.code == "knob-to-set"]
