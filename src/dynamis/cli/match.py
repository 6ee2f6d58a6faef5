"""`dynamis match`: whether a gate output and an input fit, and what to put between."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import click

from dynamis.cli.options import WHOLE, naming_option
from dynamis.cli.output import emit_json, say
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.electrics.gates.candidate import rail_words
from dynamis.electrics.gates.circuits import GateCircuit, gate_circuit, no_fix
from dynamis.electrics.gates.levels import GateFit, judge_gate
from dynamis.electrics.gates.specs import parse_gate_input, parse_gate_output, parse_supplies
from dynamis.errors import InputError
from dynamis.notation.style import Style


@click.command()
@click.option(
    "--source", required=True, metavar="SPEC", help="low_volts=0,high_volts=5,ohms=1000 or kind=switch,ohms=50"
)
@click.option(
    "--sink", required=True, metavar="SPEC", help="off_volts=0.8,on_volts=2.0,… or kind=shorting,pullup_volts=5,…"
)
@click.option("--fan-out", type=WHOLE, default="1", help="How many such inputs hang on the output.")
@click.option(
    "--supply-volts",
    "supplies",
    multiple=True,
    default=("12",),
    metavar="12|0:5|none",
    help="Rails at hand; repeatable.",
)
@click.option("--json", "as_json", is_flag=True, help="One JSON object on standard output.")
def match(source: str, sink: str, fan_out: int, supplies: tuple[str, ...], as_json: bool) -> int:
    """Judge whether a gate or trigger output and an input fit, and name what makes them fit."""
    with naming_option("--source"):
        output = parse_gate_output(source)
    with naming_option("--sink"):
        receiver = parse_gate_input(sink)
    with naming_option("--fan-out"):
        if not 1 <= fan_out <= 10_000:
            raise InputError(f"The number of inputs is {fan_out}; 1 to 10000 was expected.")
        fit = judge_gate(output, receiver, fan_out)
    with naming_option("--supply-volts"):
        rails = parse_supplies(supplies)
    fix = gate_circuit(output, receiver, fan_out, rails)
    if fix is None and fit.verdict not in ("fits", "marginal"):
        fit = replace(fit, findings=(*fit.findings, no_fix(output, receiver, rails)))
    if as_json:
        emit_json(_answer(fit, fix))
    else:
        _print(fit, fix)
    return 0 if fit.verdict == "fits" else 1


def _answer(fit: GateFit, fix: GateCircuit | None) -> dict[str, Any]:
    return {
        "verdict": fit.verdict,
        "low_volts_at_input": fit.low_volts,
        "high_volts_at_input": fit.high_volts,
        "on_margin_volts": fit.on_margin_volts,
        "off_margin_volts": fit.off_margin_volts,
        "findings": [{"code": one.code, "text": one.text} for one in fit.findings],
        "fix": None
        if fix is None
        else {
            "circuit": fix.name,
            "parts": [{"name": part.name, "ohms": part.ohms, "role": part.role} for part in fix.parts],
            "leaves": {"on_margin_volts": fix.leaves.on_margin_volts, "off_margin_volts": fix.leaves.off_margin_volts},
            "supply_volts": None if fix.rails is None else list(fix.rails),
            "protection": [{"name": part.name, "ohms": part.ohms, "role": part.role} for part in fix.protection],
        },
    }


def _print(fit: GateFit, fix: GateCircuit | None) -> None:
    style = Style()
    say(
        f"{VERDICT_WORDS[fit.verdict].capitalize()}: {style.volts(fit.low_volts, 2)} and "
        f"{style.volts(fit.high_volts, 2)} at the input; {style.volts(fit.on_margin_volts, 2)} to spare for on, "
        f"{style.volts(fit.off_margin_volts, 2)} for off."
    )
    for finding in fit.findings:
        say(finding.text)
    if fix is not None:
        needs = "" if fix.rails is None else f", from {rail_words(fix.rails)}"
        say(
            f"What fits: {fix.name}{needs}; it leaves {style.volts(fix.leaves.on_margin_volts, 2)} and "
            f"{style.volts(fix.leaves.off_margin_volts, 2)} to spare."
        )
        for part in (*fix.parts, *fix.protection):
            value = "" if part.ohms is None else style.engineering(part.ohms, "Ω")
            say(f"  {part.name:<4} {value:>8}  {part.role}")
