"""`dynamis circuit`: the smallest circuit with a wanted gain and offset, its trimmers and its spread."""

from __future__ import annotations

import textwrap
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import click

from dynamis.cli.options import NUMBER, WHOLE, law_from, naming_option
from dynamis.cli.output import emit_json, number, say
from dynamis.electrics.circuits.parts import Piece, pieces_of
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import Supply
from dynamis.electrics.design.behaviour import behaviour, behaviour_words
from dynamis.electrics.design.later import Later, later
from dynamis.electrics.design.proposal import Proposal, Proposals, propose
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import Spread, SpreadSide, spread
from dynamis.electrics.design.trims import Trim
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.notes import Naming


@click.command()
@click.option("--gain", type=NUMBER, required=True, help="From the sender's own volts to the loaded receiver.")
@click.option("--offset-volts", type=NUMBER, required=True, help="Volts at the receiver with 0 V sent.")
@click.option("--in-volts", default="0:5", show_default=True, metavar="LOW:HIGH", help="What the sender gives.")
@click.option("--source-ohms", type=NUMBER, default="1000", show_default=True)
@click.option("--load-ohms", type=NUMBER, default="100000", show_default=True, help="Of all inputs together.")
@click.option("--supply-volts", default="12", show_default=True, metavar="V | LOW:HIGH", help="12 is ±12 V.")
@click.option("--series", default="E96", show_default=True, help="E12, E24, E48, E96 or E192.")
@click.option("--tolerance-percent", type=NUMBER, default="1", show_default=True, help="Of the resistors.")
@click.option("--supply-tolerance-percent", type=NUMBER, default="0", show_default=True, help="Of the rails.")
@click.option("--single-values", is_flag=True, help="No two resistors in the place of one.")
@click.option("--load-tolerance-percent", type=NUMBER, default="5", show_default=True, help="Of the load, later.")
@click.option("--offset-from", type=click.Choice(["reference", "rail"]), help="Where an offset is taken from.")
@click.option("--law", default="voct:scale=1", show_default=True, help="Of the sender; voct only.")
@click.option("--tolerance-cents", type=NUMBER, default="5", show_default=True)
@click.option("--seed", type=WHOLE, default="1", show_default=True)
@click.option("-o", "output", metavar="NETLIST.cir", type=click.Path(path_type=Path), help="SPICE text.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object on standard output.")
def circuit(as_json: bool, output: Path | None, seed: int, **asked: Any) -> int:
    """Design the smallest circuit that does a gain and an offset."""
    requirement = _requirement(**asked)
    if not 0 <= seed < 2**63:
        raise InputError(f"--seed: {seed} was given; a whole number from 0 on was expected.")
    proposals = propose(requirement, smallest=True)
    chosen = proposals.suitable[0]
    if proposals.reached_in_volts is not None:
        requirement = proposals.requirement
    drawn, after = (
        spread(chosen.circuit, requirement, seed=seed),
        later(chosen.circuit, proposals.requirement, seed=seed),
    )
    title = (
        f"{chosen.circuit.topology.title}: gain {plain(requirement.gain)}, offset {plain(requirement.offset_volts)} V"
    )
    text = netlist(chosen.circuit, requirement.in_low_volts, requirement.in_high_volts, title)
    if output is not None:
        from dynamis.files.writing import write_whole

        write_whole(output, text)
    if as_json:
        emit_json(_answer(proposals, requirement, drawn, after, text))
    else:
        _print(proposals, requirement, drawn, after)
    return 0 if proposals.delivered else 1


def _requirement(
    gain: float,
    offset_volts: float,
    in_volts: str,
    source_ohms: float,
    load_ohms: float,
    supply_volts: str,
    series: str,
    tolerance_percent: float,
    supply_tolerance_percent: float,
    single_values: bool,
    load_tolerance_percent: float,
    offset_from: Literal["reference", "rail"] | None,
    law: str,
    tolerance_cents: float,
) -> Requirement:
    with naming_option("--in-volts"):
        ends = [parse_plain(one, "An end of the range") for one in in_volts.split(":")]
        if len(ends) != 2:
            raise InputError(f"{quoted(in_volts)} is no range; LOW:HIGH, such as 0:5, was expected.")
    with naming_option("--supply-tolerance-percent"):
        Supply(tolerance=supply_tolerance_percent / 100.0)
    with naming_option("--supply-volts"):
        supply = Supply.parse(supply_volts, supply_tolerance_percent / 100.0)
    parsed = law_from("--law", law, Naming(4))
    if not isinstance(parsed, ExponentialLaw):
        raise InputError(f"--law: {quoted(law)} is linear; a circuit of gain and offset takes voct only.")
    requirement = Requirement(1.0, supply=supply, pairs=not single_values, volts_per_octave=parsed.volts_per_octave)
    for option, values in (
        ("--in-volts", {"in_low_volts": ends[0], "in_high_volts": ends[1]}),
        ("--gain", {"gain": gain}),
        ("--offset-volts", {"offset_volts": offset_volts}),
        ("--source-ohms", {"source_ohms": source_ohms}),
        ("--load-ohms", {"load_ohms": load_ohms}),
        ("--series", {"series": series}),
        ("--tolerance-percent", {"tolerance": tolerance_percent / 100.0}),
        ("--load-tolerance-percent", {"load_tolerance_fraction": load_tolerance_percent / 100.0}),
        ("--offset-from", {"offset_from": offset_from or ""}),
        ("--tolerance-cents", {"tolerance_cents": tolerance_cents}),
    ):
        with naming_option(option):
            requirement = replace(requirement, **values)
    return requirement


def _answer(proposals: Proposals, requirement: Requirement, drawn: Spread, after: Later, text: str) -> dict[str, Any]:
    chosen, reached = proposals.suitable[0], proposals.reached_in_volts
    line = chosen.circuit.line()
    return {
        "topology": chosen.circuit.topology.name,
        "parts": [{"name": one.name, "ohms": number(one.ohms), "role": one.role} for one in _parts(chosen)],
        "gain": float(line.gain),
        "offset_volts": float(line.offset),
        "gain_error_percent": 100.0 * (float(line.gain) / requirement.gain - 1.0),
        "offset_error_volts": float(line.offset) - requirement.offset_volts,
        "trims": [_trim(one) for one in chosen.trims],
        "spread": {
            "samples": drawn.samples,
            "seed": drawn.seed,
            "before_trim": _side(drawn.before),
            "after_trim": _side(drawn.after),
        },
        "later": {"p95_cents": after.p95_cents, "worst_cents": after.worst, "decides": after.decides},
        "offset_from": chosen.offset_from,
        "reached_in_volts": None if reached is None else list(reached),
        "netlist": text,
    }


def _parts(chosen: Proposal) -> list[Piece]:
    return [one for one in pieces_of(chosen.circuit) if one.name not in chosen.circuit.trimmers]


def _trim(trim: Trim) -> dict[str, Any]:
    reach = {"range_percent": 100.0 * trim.reach} if trim.role == "scale" else {"range_volts": trim.reach}
    return {"name": trim.name, "role": trim.role, **reach, "turns": trim.turns, "cents_per_turn": trim.cents_per_turn}


def _side(side: SpreadSide) -> dict[str, Any]:
    return {"within_tolerance_fraction": side.within, "p95_cents": side.p95_cents, "worst_cents": side.worst}


def _print(proposals: Proposals, requirement: Requirement, drawn: Spread, after: Later) -> None:
    chosen, reached, delivered = proposals.suitable[0], proposals.reached_in_volts, proposals.delivered
    style, line = Style(), chosen.circuit.line()
    if reached is not None:
        say(
            f"{requirement.supply.words} keeps gain and offset only from {style.volts(reached[0], 3)} to "
            f"{style.volts(reached[1], 3)} of the input, not over all of it."
        )
        delivered = True
    if not delivered:
        say(
            f"{requirement.supply.words} cannot deliver {style.volts(min(requirement.ends), 3)} to "
            f"{style.volts(max(requirement.ends), 3)}; the nearest that can be done:"
        )
    off = chosen.nominal_cents if delivered else drawn.before.worst
    say(
        f"{chosen.circuit.topology.title}: gain {style.number(float(line.gain), 4)}, offset "
        f"{style.volts(float(line.offset), 4)}, at most {style.cents(off)} ct off "
        f"{'with nominal parts' if delivered else 'what is wanted'}."
    )
    for piece in _parts(chosen):
        say(f"  {piece.name:<4} {piece.value:>10}  {piece.role}")
    for trim in chosen.trims:
        reach = f"± {100 * trim.reach:.3g} %" if trim.role == "scale" else f"± {style.engineering(trim.reach, 'V')}"
        say(
            f"{trim.name}, {trim.role}: {style.engineering(trim.ohms, 'Ω')}, {reach}, {trim.turns:.0f} turns, "
            f"{style.cents(trim.cents_per_turn)} ct a turn."
        )
    for when, side in (("Before trimming", drawn.before), ("After", drawn.after)):
        if when == "Before trimming" or chosen.trims:
            say(
                f"{when}: {side.within_words(style)} within {plain(requirement.tolerance_cents)} ct, 95 % within "
                f"{style.cents(side.p95_cents)} ct, at worst {style.cents(side.worst)} ct."
            )
    say(
        f"Later, 10 °C warmer and with another load: 95 % within {style.size_of_cents(after.p95_cents)} ct, at worst "
        f"{style.cents(after.worst)} ct; {after.decides or 'nothing'} decides."
    )
    for name in behaviour_words(
        behaviour(chosen.circuit, proposals.requirement), chosen.circuit, proposals.requirement, style
    ):
        say(textwrap.fill(name, 110, subsequent_indent="  "))
