"""`dynamis export`: the correction in force for a channel, its readings, or the whole bench, as a file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from dynamis.cli.output import emit_json, say
from dynamis.errors import InputError

if TYPE_CHECKING:
    from dynamis.files.exports import ChannelExport

_MOST_BYTES = 1024 * 1024
_WHAT = ("c-header", "codes-csv", "codes-json", "readings-csv", "json", "spice", "template")


@click.command()
@click.argument("bench", metavar="BENCH", type=click.Path(path_type=Path))
@click.option("--what", required=True, type=click.Choice(_WHAT))
@click.option("--gear", metavar="NAME", help="The board, where there is more than one.")
@click.option("--unit", metavar="SERIAL", help="The unit, where there is more than one.")
@click.option("--channel", metavar="NAME", help="The pitch output, where there is more than one.")
@click.option("--link", metavar='"OUTPUT > INPUT"', help="The link: GEAR / PORT > GEAR / PORT.")
@click.option(
    "--template", "form", metavar="FILE", type=click.Path(path_type=Path), help="A text with {{placeholders}}."
)
@click.option("-o", "output", required=True, metavar="FILE", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Say what was written as one JSON object.")
def export(
    bench: Path,
    what: str,
    gear: str | None,
    unit: str | None,
    channel: str | None,
    link: str | None,
    form: Path | None,
    output: Path,
    as_json: bool,
) -> int:
    """Write a channel's correction or readings, or the bench, to a file."""
    from dynamis.cli.benches import pick_channel, read_bench
    from dynamis.files.bench_json import contents_json
    from dynamis.files.exports import ChannelExport, readings_csv
    from dynamis.files.writing import write_whole

    contents = read_bench(bench)
    answer: dict[str, object] = {"file": str(output), "what": what}
    status = 0
    if what == "json":
        text = contents_json(contents).decode()
        words = f"the bench {contents.bench.name}"
    elif what == "spice":
        from dynamis.cli.benches import pick_link
        from dynamis.files.spice import link_spice

        chosen, sink = pick_link(contents, link)
        text = link_spice(contents.bench, chosen, sink)
        answer |= {"link": f"{contents.bench.label(chosen.output)} > {contents.bench.label(sink)}"}
        words = f"the circuit of {answer['link']}"
    else:
        ref, serial = pick_channel(contents, gear, unit, channel)
        name = f"{contents.bench.label(ref)}, unit {serial}"
        answer |= {
            "gear": contents.bench.gear_by(ref.gear).name,
            "unit": serial,
            "channel": contents.bench.port(ref).name,
        }
        if what == "readings-csv":
            runs = [run for run in contents.runs if (run.channel, run.serial) == (ref, serial)]
            text = readings_csv(runs, contents.readings)
            count = sum(row.run in {run.id for run in runs} for row in contents.readings)
            answer |= {"runs": len(runs), "readings": count}
            words = f"{count} readings of {len(runs)} runs of {name}"
        else:
            export = ChannelExport.of(contents, ref, serial)
            text = _codes(export, what, form)
            answer |= {"correction": export.kind, "hash": export.correction.hash}
            words = f"{export.kind} of {name}" + ("" if export.adopted else "; no correction is adopted for it")
            status = 0 if export.adopted else 1
    write_whole(output, text)
    if as_json:
        emit_json(answer)
    else:
        say(f"Wrote {output}: {words}.")
    return status


def _codes(channel_export: ChannelExport, what: str, form: Path | None) -> str:
    """A channel's codes in the form that was asked for."""
    from dynamis.files.text import read_text

    if what == "c-header":
        return channel_export.as_c_header()
    if what == "codes-csv":
        return channel_export.as_codes_csv()
    if what == "codes-json":
        return channel_export.as_codes_json()
    if form is None:
        raise InputError("--template is missing; --what template needs the file with the placeholders.")
    return channel_export.as_template(read_text(form, _MOST_BYTES), str(form))
