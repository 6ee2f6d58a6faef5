"""Sentences about a run that need the bench around it: what is plugged, what is in force, other channels."""

from __future__ import annotations

from collections.abc import Sequence

from dynamis.bench.chains.node import METER, link_net
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.records import AdoptionRecord, RunRecord
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.planning import to_go_words
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.transfer.parameter import World


def plugging_sentence(bench: Bench, run: RunRecord, style: Style) -> str | None:
    """What changes when the link is plugged otherwise than it was while measuring, the meter among it.

    None where nothing does, or where it is the meter alone and no tenth of what is allowed.
    """
    link = bench.link_from(run.channel)
    if link is None or run.quantity != "volts":
        return None
    try:
        net = link_net(bench, link, run.meter)
    except InputError as error:
        return str(error)
    if net is None:
        return None
    source = f"{run.gear}.{run.port}"
    hung = {METER, *(f"{ref.gear}.{ref.port}" for ref in run.plugged)}
    joined, _ = net.share(source, World(plugged=frozenset(f"{ref.gear}.{ref.port}" for ref in link.inputs)))
    read, _ = net.share(source, World(plugged=frozenset(hung)))
    factor = float(joined) / float(read)
    model = run.model
    volts = model.to_volts(model.expected([link.high_note]))
    cents = float((model.law.octaves(volts * factor, strict=False) - model.law.octaves(volts, strict=False))[0]) * 1200
    note = note_label(link.high_note, style)
    if set(link.inputs) == set(run.plugged):
        allowed = float(parse_tolerance(run.tolerance).cents_at(link.high_note))
        if run.meter is None or not abs(cents) > 0.1 * allowed:
            return None
        return (
            f"The meter itself, {style.engineering(run.meter.input_ohms, 'Ω')}, loads the output: without it note "
            f"{note} "
            f"moves by {style.cents(cents, sign=True)} ct. A meter of a higher resistance, or a buffer."
        )
    was = f"{len(run.plugged)} of the link's {len(link.inputs)} inputs" if run.plugged else "nothing"
    return (
        f"Read with {was} plugged; with {_inputs(len(link.inputs))} joined, loading moves note {note} by "
        f"{style.cents(cents, sign=True)} ct ({style.percent((factor - 1) * 100, 2, sign=True)}): put a buffer "
        "between, "
        "or measure it loaded and leave it so."
    )


def feeding_sentence(run: RunRecord) -> str | None:
    """What is not known of the volts that an input is fed with; None where it is known, or nothing is fed."""
    if run.side == "output" or run.source is not None or run.quantity == "volts":
        return None
    return (
        "Nobody said how exact the volts are that it is fed: their errors are among those found, and in no ±. "
        "Begin a run with what feeds it, or check the volts with a meter."
    )


def belongs_sentence(bench: Bench, run: RunRecord, adoptions: Sequence[AdoptionRecord], style: Style) -> str:
    """To what a correction belongs, and what other channels needed."""
    mine = f"unit {run.serial}, {bench.port(run.channel).name}"
    latest: dict[tuple[str, str], AdoptionRecord] = {}
    for adoption in adoptions:
        if adoption.gear == run.gear:
            latest[adoption.serial, adoption.port] = adoption
    latest.pop((run.serial, run.port), None)
    others = [
        f"unit {adoption.serial}, {bench.port(run.channel).name if adoption.port == run.port else adoption.port} "
        "needed "
        f"{style.percent((adoption.head.gain - 1) * 100, 2, sign=True)}"
        for adoption in latest.values()
        if adoption.kind == "constants"
    ]
    sentence = f"A correction belongs to {mine}, not to the design"
    return f"{sentence}; {', '.join(others)}." if others else f"{sentence}."


def comparison_sentence(judged: RunAnalysis, other: RunAnalysis, style: Style) -> str:
    """A run laid over another: the worst errors side by side, and how far the scale moved against the codes."""
    sentence = f"“{other.run.title}” against “{judged.run.title}”: worst {_worst(other, style)}"
    sentence += f" instead of {_worst(judged, style)}"
    here, there = judged.correction("constants"), other.correction("constants")
    if judged.model.kind != other.model.kind or here is None or there is None:
        return sentence + "."
    moved = (there.gain / here.gain - 1.0) * 100.0
    same = (judged.run.channel, judged.run.serial) == (other.run.channel, other.run.serial)
    what = "the channel's own scale moved by" if same else "the scales differ by"
    return f"{sentence}; {what} {style.percent(moved, 3, sign=True)}."


def _worst(judged: RunAnalysis, style: Style) -> str:
    k = judged.worst_index
    return "–" if k is None else f"{style.cents(float(judged.error_cents[k]), sign=True)} ct"


def _inputs(count: int) -> str:
    return "one input" if count == 1 else f"{count} inputs"


def progress_words(judged: RunAnalysis) -> str:
    """How much of a run is read, and about how much is left."""
    count, planned = len(judged.valid), judged.planned
    if planned is not None:
        readings = f"{count} reading{'' if count == 1 else 's'}"
        return (
            f"{readings}, {to_go_words(planned)} to go" if planned.note is not None else f"{readings}: enough is read"
        )
    if judged.run.passes > 1:
        return f"{count} of {len(judged.run.plan) * judged.run.passes} readings taken"
    read = {row.note for row in judged.valid}
    done = sum(note in read for note in judged.run.plan)
    more = count - done
    besides = f", {more} {'reading' if more == 1 else 'readings'} besides" if more > 0 else ""
    return f"{done} of {len(judged.run.plan)} notes read{besides}"
