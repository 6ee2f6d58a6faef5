"""The certificate of one unit: what is in force for each channel, what proves it, and how well that is known."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from dynamis import __version__
from dynamis.bench.chains.tunings import tuning_words
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import AdoptionRecord, HeadRecord, in_force
from dynamis.bench.reports.blocks import Block, Cells, Heading, Paragraph, Report, Sentences, SignHere
from dynamis.bench.reports.run_part import READ_HEADINGS, reading_rows, run_blocks, verdict_words
from dynamis.bench.reports.whole import HOW_TO_READ
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.words import VERDICT_WORDS
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.tolerance import Verdict

_KIND_WORDS = {"trimmer": "trimmers", "constants": "two constants", "table": "a table of notes"}
_NO_LABORATORY = (
    "This sheet records what was measured with the instruments named on it. It is no certificate of an accredited "
    "laboratory: what the instruments are worth is what their makers or owners gave."
)


@dataclass(frozen=True)
class ChannelState:
    """A channel of a unit.  runs : judged, the newest first.  proved : the newest one that was taken with what is in
    force; None where nobody has read it since."""

    channel: PortRef
    serial: str
    runs: tuple[RunAnalysis, ...]
    adopted: AdoptionRecord | None
    proved: RunAnalysis | None

    @property
    def verdict(self) -> Verdict | None:
        """None where nothing was read with what is in force."""
        return None if self.proved is None else self.proved.verdict

    @property
    def words(self) -> str:
        """The verdict in a word or two."""
        if self.proved is None:
            return "not read since" if self.runs else "not read"
        return "no reading" if self.proved.verdict is None else VERDICT_WORDS[self.proved.verdict]

    def in_force_words(self, style: Style) -> str:
        """What is in force, since when, and what it was expected to leave."""
        one = self.adopted
        if one is None:
            return "nothing adopted: nominal values"
        return (
            f"{_KIND_WORDS.get(one.kind, one.kind)}, adopted {one.adopted[:10]}, expected to leave "
            f"{style.cents(one.leaves_cents)} ± {style.cents(one.expanded_cents)} ct"
        )


def channel_states(
    bench: Bench, gear_id: str, serial: str, runs: Sequence[RunAnalysis], adoptions: Sequence[AdoptionRecord]
) -> list[ChannelState]:
    """The channels of a unit that were read, or could be: its pitch outputs, and whatever else has runs."""
    gear, states = bench.gear_by(gear_id), []
    for port in gear.ports:
        ref = PortRef(gear.id, port.id)
        mine = [one for one in runs if (one.run.channel, one.run.serial) == (ref, serial)]
        mine.sort(key=lambda one: one.run.created, reverse=True)
        if not mine and (port.direction != "output" or port.role != "pitch"):
            continue
        adopted = in_force(adoptions, ref, serial)
        states.append(ChannelState(ref, serial, tuple(mine), adopted, _proved(mine, adopted)))
    return states


def _proved(runs: Sequence[RunAnalysis], adopted: AdoptionRecord | None) -> RunAnalysis | None:
    """The newest run with readings that was taken with what is in force: with its head, and after trimmers were
    turned."""
    head = HeadRecord() if adopted is None else adopted.head
    for judged in runs:
        if judged.verdict is None or judged.run.head != head:
            continue
        if adopted is not None and (judged.run.id == adopted.run or judged.run.created < adopted.adopted):
            continue
        return judged
    return None


def certificate(
    bench: Bench,
    gear_id: str,
    serial: str,
    runs: Sequence[RunAnalysis],
    adoptions: Sequence[AdoptionRecord],
    style: Style,
) -> Report:
    """The certificate of a unit.  Raises InputError where nothing of it was ever read."""
    gear = bench.gear_by(gear_id)
    states = channel_states(bench, gear_id, serial, runs, adoptions)
    if not any(one.runs for one in states):
        raise InputError(f"Unit {serial} of {gear.name} has no run: there is nothing to certify.")
    title = f"{gear.name}, unit {serial}"
    blocks: list[Block] = [Heading(f"Certificate of calibration: {title}", 1)]
    newest = max(row.taken for state in states for one in state.runs for row in one.rows or ()) if _read(states) else ""
    facts = [bench.name, tuning_words(bench), *([f"last reading {newest[:10]}"] if newest else [])]
    unit = next((one for one in gear.units if one.serial == serial), None)
    blocks.append(Paragraph(" · ".join(facts), "small"))
    notes = [text for text in (gear.notes, unit.notes if unit is not None else "") if text]
    blocks += [Paragraph(text) for text in notes]
    blocks.append(
        Cells(
            ("channel", "in force", "read with it", "verdict"),
            tuple(
                (
                    bench.port(one.channel).name,
                    one.in_force_words(style),
                    "–" if one.proved is None else f"{one.proved.run.created[:10]}, {one.proved.run.title}",
                    one.words,
                )
                for one in states
            ),
            frozenset(range(4)),
        )
    )
    for state in states:
        blocks += _channel(bench, state, style)
    blocks += _how_sure([one for state in states for one in state.runs], style)
    blocks.append(Paragraph(_NO_LABORATORY, "small"))
    blocks.append(Paragraph(HOW_TO_READ.format(version=__version__), "small"))
    blocks.append(SignHere(("Measured by", "Date", "Place")))
    rows = tuple(row for state in states for one in state.runs for row in reading_rows(bench, one))
    return Report(title, tuple(blocks), READ_HEADINGS, rows)


def _read(states: Sequence[ChannelState]) -> bool:
    return any(one.rows for state in states for one in state.runs)


def _channel(bench: Bench, state: ChannelState, style: Style) -> Iterator[Block]:
    """The run that proves what is in force, and the one that it came from."""
    if not state.runs:
        return
    if state.proved is not None:
        yield from run_blocks(bench, state.proved, style, ways=False)
    found = next((one for one in state.runs if state.adopted is not None and one.run.id == state.adopted.run), None)
    if state.proved is None:
        label = bench.label(state.channel)
        text = f"{label} has not been read since {state.in_force_words(style)}: what it leaves is expected, not proved."
        yield Paragraph(text, "strong")
        found = found or state.runs[0]
    if found is not None and found is not state.proved:
        yield from run_blocks(bench, found, style, ways=True)
    others = [one for one in state.runs if one is not state.proved and one is not found]
    if others:
        yield Cells(
            ("other runs", "", ""),
            tuple((one.run.created[:10], one.run.title, verdict_words(one, style)) for one in others),
            frozenset(range(3)),
        )


def _how_sure(runs: Sequence[RunAnalysis], style: Style) -> Iterator[Block]:
    """How the uncertainty of a reading is made up, of the instruments that were used."""
    yield Heading("Uncertainty")
    sentences = []
    for words, limits in sorted(
        {(one.run.meter.label, one.meter) for one in runs if one.run.meter and one.meter}, key=str
    ):
        what = f"{words}: ± ({limits.words(style)})"
        if isinstance(limits, MeterRange):
            sentences.append(
                f"{what}. The part of the reading is its gain error and the counts its zero error, each limit taken as "
                "uniform (divided by √3) and common to all readings of a run; rounding, half a count, is each "
                "reading's own."
            )
        else:
            sentences.append(f"{what}, taken as uniform.")
    if any(one.meter is None for one in runs):
        sentences.append("Nobody gave the accuracy of an instrument: what was read with it proves nothing.")
    sentences.append(
        "They are joined by root sum of squares and doubled (JCGM 100:2008). A verdict is within where every error "
        "with its U stays within the tolerance, not within where one without it passes it, else it cannot be told."
    )
    yield Sentences(tuple(sentences))
