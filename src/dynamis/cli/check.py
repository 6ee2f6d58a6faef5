"""`dynamis check`: every link of a bench judged."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import PairFit, judge_link
from dynamis.cli.benches import read_bench
from dynamis.cli.output import emit_json, number, say


@click.command()
@click.argument("bench", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="One JSON object, full precision.")
def check(bench: Path, as_json: bool) -> int:
    """Judge every link of a bench, a .dynamis file or its JSON."""
    contents = read_bench(bench)
    fits = [fit for link in contents.bench.links for fit in judge_link(contents.bench, link, contents.adoptions)]
    if as_json:
        emit_json({"links": [_entry(contents.bench, fit) for fit in fits]})
    else:
        _print(contents.bench, fits)
    return 0 if all(fit.verdict == "fits" for fit in fits) else 1


def _entry(bench: Bench, fit: PairFit) -> dict[str, Any]:
    findings = [
        {"code": one.code, "severity": one.severity, "value": number(one.value), "unit": one.unit, "text": one.text}
        for one in fit.findings
    ]
    return {
        "output": _name(bench, fit.output),
        "input": _name(bench, fit.input),
        "role": fit.role,
        "verdict": fit.verdict,
        "findings": findings,
    }


def _print(bench: Bench, fits: list[PairFit]) -> None:
    for fit in fits:
        unit = f" (unit {fit.serial})" if fit.serial else ""
        verdict = fit.verdict.replace("-", " ")
        say(f"{_name(bench, fit.output)}{unit} > {_name(bench, fit.input)}: {verdict}")
        for finding in fit.findings:
            say(f"  {finding.text}")
    if not fits:
        say("There are no links on this bench.")


def _name(bench: Bench, ref: PortRef) -> str:
    return f"{bench.gear_by(ref.gear).name} / {bench.port(ref).name}"
