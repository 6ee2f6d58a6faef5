"""`dynamis report`: the certificate of a unit, or a batch with its yield, as PDF, HTML or CSV."""

from __future__ import annotations

from pathlib import Path

import click

from dynamis.cli.output import emit_json, say
from dynamis.errors import InputError


@click.command()
@click.argument("bench", metavar="BENCH", type=click.Path(path_type=Path))
@click.option("--what", type=click.Choice(["certificate", "batch"]), default="certificate", show_default=True)
@click.option("--gear", metavar="NAME", help="The gear, where more than one has units.")
@click.option("--unit", metavar="SERIAL", help="The unit, where there is more than one.")
@click.option("--paper", type=click.Choice(["a4", "letter"]), default="a4", show_default=True)
@click.option("-o", "output", required=True, metavar="FILE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Say what was written as one JSON object.")
def report(bench: Path, what: str, gear: str | None, unit: str | None, paper: str, output: Path, as_json: bool) -> int:
    """Write one unit's certificate, or all units of a gear with the yield."""
    from dynamis.cli.benches import pick_gear, pick_unit, read_bench
    from dynamis.files.reports.html import PAPERS
    from dynamis.files.reports.making import ENDINGS, batch_report, unit_report, written_as
    from dynamis.files.writing import write_whole
    from dynamis.notation.style import Style

    if output.suffix.lower() not in ENDINGS:
        raise InputError(f"-o: {output} ends in {output.suffix or 'nothing'}; .pdf, .html or .csv was expected.")
    contents = read_bench(bench)
    chosen = pick_gear(contents, gear)
    if what == "batch":
        if unit is not None:
            raise InputError("--unit: a batch is of all units; leave it out, or ask for a certificate.")
        made = batch_report(contents, chosen.id, Style())
    else:
        made = unit_report(contents, chosen.id, pick_unit(chosen, unit).serial, Style())
    write_whole(output, written_as(made, output, next(one for one in PAPERS if one == paper)))
    if as_json:
        emit_json({"file": str(output), "what": what, "gear": chosen.name, "title": made.title})
    else:
        say(f"Wrote {output}: {made.title}.")
    return 0
