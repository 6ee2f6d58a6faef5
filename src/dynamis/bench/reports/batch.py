"""The units of a gear together: what is in force, what was proved, and the yield."""

from __future__ import annotations

import math
from collections.abc import Sequence

from dynamis import __version__
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.records import AdoptionRecord
from dynamis.bench.reports.blocks import Block, Cells, Figure, Heading, Paragraph, Report, Sentences
from dynamis.bench.reports.certificate import ChannelState, channel_states
from dynamis.bench.reports.pictures import Mark, batch_picture
from dynamis.bench.reports.whole import HOW_TO_READ
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain
from dynamis.pitch.notes import note_label

_COUNTED = (("within", "within"), ("not-within", "not within"), ("cannot-tell", "cannot be told"), (None, "not read"))
_HEADINGS = (
    "unit",
    "channel",
    "correction",
    "adopted",
    "run",
    "read",
    "note",
    "error_cents",
    "expanded_cents",
    "allowed_cents",
    "verdict",
)


def batch(
    bench: Bench, gear_id: str, runs: Sequence[RunAnalysis], adoptions: Sequence[AdoptionRecord], style: Style
) -> Report:
    """All units of a gear.  Raises InputError where it has none."""
    gear = bench.gear_by(gear_id)
    if not gear.units:
        raise InputError(f"{gear.name} has no units.")
    states = {unit.serial: channel_states(bench, gear_id, unit.serial, runs, adoptions) for unit in gear.units}
    every = [(serial, state) for serial, channels in states.items() for state in channels]
    title = f"{gear.name}, {len(gear.units)} unit{'' if len(gear.units) == 1 else 's'}"
    blocks: list[Block] = [Heading(title, 1), Paragraph(bench.name, "small")]
    blocks.append(Sentences(tuple(yield_sentences(states, style))))
    marks = [Mark(f"{serial} {bench.port(one.channel).name}", *_decides(one)[1:]) for serial, one in every]
    if any(math.isfinite(one.cents) for one in marks):
        blocks.append(Figure(batch_picture(marks, style)))
    rows = tuple(_shown(bench, serial, one, style) for serial, one in every)
    headings = (
        "unit",
        "channel",
        "in force",
        "read with it",
        "note",
        "off by ct",
        "± ct (k = 2)",
        "allowed ct",
        "verdict",
    )
    blocks.append(Cells(headings, rows, frozenset((0, 1, 2, 3, 8))))
    blocks.append(Paragraph(HOW_TO_READ.format(version=__version__), "small"))
    return Report(title, tuple(blocks), _HEADINGS, tuple(_raw(bench, serial, one) for serial, one in every))


def yield_sentences(states: dict[str, list[ChannelState]], style: Style) -> list[str]:
    """How many units are within with all of their channels, of those that were read; rounded down."""
    judged = {
        serial: [one.verdict for one in channels]
        for serial, channels in states.items()
        if channels and all(one.verdict is not None for one in channels)
    }
    within = [serial for serial, verdicts in judged.items() if all(one == "within" for one in verdicts)]
    out = [serial for serial, verdicts in judged.items() if "not-within" in verdicts]
    open_units = [serial for serial in judged if serial not in within and serial not in out]
    unread = [serial for serial in states if serial not in judged]
    channels = [one.verdict for mine in states.values() for one in mine]
    counted = (
        ("within", "within"),
        ("not-within", "not within"),
        ("cannot-tell", "cannot be told"),
        (None, "not read"),
    )
    told = [f"{channels.count(verdict)} {words}" for verdict, words in counted if verdict in channels]
    sentences = [f"Of {len(channels)} channels {', '.join(told)}."] if channels else []
    if judged:
        share = math.floor(1000.0 * len(within) / len(judged) + 1e-9) / 10.0
        sentences.append(
            f"{len(within)} of {len(judged)} units read are within on all channels: {style.percent(share, 1)}."
        )
    else:
        sentences.append("No unit has been read on all of its channels with what is in force.")
    for words, serials in (("Not within", out), ("Cannot be told", open_units), ("Not read, or not since", unread)):
        if serials:
            sentences.append(f"{words}: {', '.join(serials)}.")
    return sentences


def _decides(state: ChannelState) -> tuple[float, float, float, float]:
    """(note, error, its U, what is allowed there) of the reading that decides; NaN where none does."""
    judged = state.proved
    k = None if judged is None else judged.deciding_index
    if judged is None or k is None:
        return (math.nan,) * 4
    return (
        float(judged.notes[k]),
        float(judged.error_cents[k]),
        float(judged.expanded_cents[k]),
        float(judged.allowed_cents[k]),
    )


def _shown(bench: Bench, serial: str, state: ChannelState, style: Style) -> tuple[str, ...]:
    note, cents, expanded, allowed = _decides(state)
    known = math.isfinite(note)
    return (
        serial,
        bench.port(state.channel).name,
        state.in_force_words(style),
        "–" if state.proved is None else state.proved.run.created[:10],
        note_label(note, style) if known else "–",
        style.cents(cents, sign=True) if known else "–",
        style.cents(expanded) if known else "–",
        style.cents(allowed) if math.isfinite(allowed) else "–",
        state.words,
    )


def _raw(bench: Bench, serial: str, state: ChannelState) -> tuple[str, ...]:
    numbers = [repr(one) if math.isfinite(one) else "" for one in _decides(state)[1:]]
    note = _decides(state)[0]
    adopted, proved = state.adopted, state.proved
    return (
        serial,
        bench.port(state.channel).name,
        "nominal" if adopted is None else adopted.kind,
        "" if adopted is None else adopted.adopted,
        "" if proved is None else proved.run.id,
        "" if proved is None else proved.run.created,
        plain(note) if math.isfinite(note) else "",
        *numbers,
        state.verdict or "",
    )
