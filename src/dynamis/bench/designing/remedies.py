"""What to do about findings: each remedy computed, tried on the bench, and judged again.

A remedy with a deed changes the bench when it is pressed, with undo; one without says what to turn or to build.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Final

from dynamis.bench.chains.branches import branched, own_part
from dynamis.bench.chains.port_transfers import converter_of, heard_by, on_supply
from dynamis.bench.chains.remembered import scaled_in
from dynamis.bench.chains.tree import trial_link, why_no_path
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.designing.gain_offset import buffer, designed, straighter, swings
from dynamis.bench.designing.gate_choices import pulse, stretcher
from dynamis.bench.designing.knob_remedies import turns
from dynamis.bench.designing.memory_remedies import remembering_remedies
from dynamis.bench.designing.other_law import other_law
from dynamis.bench.designing.remedy import Command, LinkChange, Remedy, RemedyKind, changed_link
from dynamis.bench.designing.workaround import workarounds
from dynamis.bench.document.bench import Bench, Branch, GateStageRecord, Link
from dynamis.bench.document.commands import Change, join, part
from dynamis.bench.document.ports import SWITCHING, PortRef
from dynamis.bench.document.records import AdoptionRecord
from dynamis.bench.gear.commands import set_gear_field
from dynamis.bench.gear.fields import GEAR_FIELDS
from dynamis.bench.judging.beside import spoiled
from dynamis.bench.judging.pairs import PairFit, judge_pair
from dynamis.bench.judging.patch import missing_gate, missing_reset, missing_trigger
from dynamis.bench.judging.pitch_fit import reached_notes
from dynamis.bench.judging.switching import fitting_circuit, signals_differ, why_no_circuit
from dynamis.electrics.finding import BEST_FIRST
from dynamis.electrics.part import Part, value_words
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import note_label
from dynamis.transfer.registry import REGISTRY

_BY_GAIN_AND_OFFSET: Final = {"scale-mismatch", "zero-hertz", "offset", "transposition", "below-cut-off"}
_LEVELS: Final = frozenset(
    {"on-level", "off-level", "trigger-kind", "input-over-limit", "input-under-limit", "outside-working-range"}
)
_GOOD_PART: Final = 0.8
# What may be done away with though nothing asks for it, where it leaves one of these.
_WISHES: Final[dict[str, tuple[str, ...]]] = {
    "swing-short": ("fits",),
    "slides": ("fits", "marginal"),
    "jumps": ("fits", "marginal"),
}
# The cheapest first.
_COSTS: Final[tuple[RemedyKind, ...]] = ("knob", "setting", "patch", "calibrate", "table", "circuit", "advice")


def remedies_for(
    bench: Bench, fit: PairFit, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style()
) -> list[Remedy]:
    """What can be done about a pair, joined or not, the best first: those that make it fit, then the others."""
    link = trial_link(bench.link_from(fit.output), fit.output, fit.input)
    codes = {one.code for one in fit.findings}
    remedies: list[Remedy] = []
    harmful: list[tuple[Remedy, list[str]]] = []
    parts: tuple[Link | Branch, ...] = (link, *link.branches)
    between = [one for part in parts for one in part.between]
    stored = (*bench.port(fit.output).transfers, *between, *bench.port(fit.input).transfers)
    if not all(REGISTRY.knows(one) for one in stored):
        return remedies  # of what a newer program wrote nothing can be told
    if why_no_path(bench, link, fit.input):
        return remedies  # which the pair tells
    for one in _proposed(bench, link, fit, codes, style):
        if one.command is None:
            remedies.append(one)
            continue
        tried = _tried(bench, one, fit, adoptions, style)
        if tried is None:
            continue
        leaves, harm = tried
        if harm:
            harmful.append((one, harm))
        else:
            remedies.append(replace(one, leaves=leaves))
    if harmful:
        remedies += _apart(bench, link, fit, harmful, adoptions, style)
    return sorted(remedies, key=_rank)


def _tried(
    bench: Bench, one: Remedy, fit: PairFit, adoptions: Sequence[AdoptionRecord], style: Style
) -> tuple[PairFit, list[str]] | None:
    """(what a remedy leaves, a sentence for each other input that it would spoil); None where it does not help."""
    if one.command is None:
        return None
    changed, output = one.command(bench).bench, one.by or fit.output
    now = trial_link(changed.link_from(output), output, fit.input)
    leaves = judge_pair(changed, now, fit.input, adoptions, style)
    short = {finding.code for finding in fit.findings} - {finding.code for finding in leaves.findings}
    if not _helps(fit, leaves) and not any(leaves.verdict in _WISHES.get(code, ()) for code in short):
        return None
    return leaves, spoiled(bench, now, fit.input) if one.kind == "circuit" else []


def _apart(
    bench: Bench,
    link: Link,
    fit: PairFit,
    harmful: Sequence[tuple[Remedy, list[str]]],
    adoptions: Sequence[AdoptionRecord],
    style: Style,
) -> list[Remedy]:
    """Circuits on a branch of the input's own, designed for what arrives there, where ahead of all inputs they would
    spoil another one; where none does it, advice that says so."""
    remedies, codes, spoils = [], {one.code for one in fit.findings}, " ".join(harmful[0][1])
    for one in _proposed(bench, branched(link, fit.input), fit, codes, style):
        if not isinstance(one.command, LinkChange) or not one.command.places:
            continue
        text = f"{one.text} On a branch of its own, since ahead of all inputs it would spoil others: {spoils}"
        apart = replace(
            one,
            title=f"{one.title}, on a branch of its own",
            text=text,
            command=replace(one.command, on_branch=True),
        )
        tried = _tried(bench, apart, fit, adoptions, style)
        if tried is not None and not tried[1]:
            remedies.append(replace(apart, leaves=tried[0]))
    if remedies:
        return remedies
    return [replace(one, kind="advice", command=None, text=" ".join([one.text, *harm])) for one, harm in harmful]


def _rank(one: Remedy) -> tuple[float, ...]:
    """By what it leaves; of those that make it fit, what costs nothing before what is soldered."""
    if one.leaves is None:
        return (9.0,)
    verdict, asks, off = _asked(one.leaves)
    cost = _COSTS.index(one.kind) if one.leaves.verdict in ("fits", "marginal") else 0
    return (verdict, cost, asks, off)


def _helps(before: PairFit, after: PairFit) -> bool:
    """Whether a pair is better for it: its verdict, what it asks for, or a good part of the cents that it is off."""
    first, second = _asked(before), _asked(after)
    return second[:2] < first[:2] or (second[:2] == first[:2] and second[2] < _GOOD_PART * first[2])


def _asked(fit: PairFit) -> tuple[int, int, float]:
    """How bad a pair is: its verdict, how many findings ask for something, and how far it is off where that is "
    "cents."""
    off = abs(fit.value) if fit.unit == "ct" and fit.value is not None and fit.verdict == "needs-circuit" else 0.0
    return BEST_FIRST.index(fit.verdict), sum(one.asks for one in fit.findings), off


def _proposed(bench: Bench, link: Link, fit: PairFit, codes: set[str], style: Style) -> Iterator[Remedy]:
    sink = fit.input
    if fit.verdict != "fits" or codes & {"knob-to-set", "swing-short"}:
        yield from turns(bench, link, fit, style)
    if fit.role == "pitch":
        yield from _pitch(bench, link, fit, codes, style)
    elif fit.role in SWITCHING:
        yield from _gates(bench, link, fit, codes, style)
    elif fit.role == "modulation" and (fit.verdict != "fits" or "swing-short" in codes):
        yield from swings(bench, link, sink, style)
    yield from remembering_remedies(bench, link, fit, codes, style)
    if fit.role == "modulation" and "loading" in codes and not scaled_in(own_part(link, sink)):
        text = "the inputs hang on it, and nothing on the output."
        yield from buffer(bench, link, sink, text, "jfet", style)
    elif "pot-loaded" in codes and not scaled_in(own_part(link, sink)):
        text = "next to no load on the potentiometer."
        yield from buffer(bench, link, sink, text, "jfet", style)
    if "pot-loaded" in codes:
        yield from straighter(bench, link, sink, style)
    yield from _patch(bench, link, sink, codes)


# -- pitch -----------------------------------------------------------------------------------------


def _pitch(bench: Bench, link: Link, fit: PairFit, codes: set[str], style: Style) -> Iterator[Remedy]:
    sink = fit.input
    output, receiver = bench.port(link.output), bench.port(sink)
    heard = heard_by("heard", receiver, tuning_of(bench))
    # What a supply as reference does to the pitch no buffer mends.
    asked = {"error"} if on_supply(output) else {"error", "error-at-limits"}
    if codes & {"loading"} and codes & asked and not scaled_in(own_part(link, sink)):
        text = (
            f"it takes next to no current from {bench.label(link.output)} and drives all inputs; put its output "
            "resistor inside the feedback loop."
        )
        yield from buffer(bench, link, sink, text, "precision", style)
    if output.law is not None and heard is not None:
        sent, other = parse_law(output.law), heard.law
        if codes & _BY_GAIN_AND_OFFSET and not scaled_in(own_part(link, sink)) and sent.kind == other.kind:
            yield from designed(bench, link, sink, "for the interval and the offset", style)
        if "law-mismatch" in codes:
            yield from other_law(bench, link, sink, heard.law, style)
    if "way-gain" in codes:
        yield from _trimmed_ways(fit, style)
    if "range-not-covered" in codes or "below-cut-off" in codes:
        yield from _fewer_notes(bench, link, sink, style)
    own = converter_of(output) is not None or output.trimmers != "none"
    if "error-at-limits" in codes or ("loading" in codes and "error" in codes and own):
        text = (
            f"Measure {bench.label(link.output)} with all of its inputs plugged in, adopt a correction, and leave "
            "them so: "
            "unplugging one retunes the others."
        )
        if on_supply(output):
            text += " Its supply is its reference: the correction holds for the supply as it stands while you measure."
        yield Remedy("calibrate", "Calibrate loaded", text)


def _trimmed_ways(fit: PairFit, style: Style) -> Iterator[Remedy]:
    """By how much the gain of what is added has to be trimmed."""
    for one in fit.findings:
        if one.code == "way-gain" and one.value is not None and one.severity != "note":
            turn = 100.0 * (1.0 / (1.0 + one.value / 1200.0) - 1.0)
            words = f"by {style.percent(turn, 2, sign=True)}" if one.severity == "fault" else "where it has to be"
            text = (
                "Send two notes an octave apart by that way, read the output at both, and trim its gain until they are "
                "as far apart as the voice asks for; a level knob has no mark for exactly one."
            )
            yield Remedy("calibrate", f"Trim what is added {words}, and prove it by an octave", text)


def _fewer_notes(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[Remedy]:
    """The longest run of the notes used in which nothing is lost."""
    notes, good = reached_notes(bench, link, sink)
    best, start = (0, 0), 0
    for k in range(good.size + 1):
        if k == good.size or not good[k]:
            best = max(best, (k - start, -start))
            start = k + 1
    if 0 < best[0] < good.size:
        first, last = float(notes[-best[1]]), float(notes[-best[1] + best[0] - 1])
        ends = f"{note_label(first, style)} to {note_label(last, style)}"

        command = changed_link(link, sink, f"use {ends}", low_note=first, high_note=last)
        yield Remedy(
            "setting", f"Use {ends}", f"{best[0]} of {good.size} notes are reached without a circuit.", command
        )


# -- gates, triggers, clocks -----------------------------------------------------------------------


def _gates(bench: Bench, link: Link, fit: PairFit, codes: set[str], style: Style) -> Iterator[Remedy]:
    gate_circuit = fitting_circuit(bench, link, fit.input)
    if gate_circuit is not None:
        parts = parts_words(gate_circuit.parts, style)
        stage = GateStageRecord(gate_circuit.name, gate_circuit.parts)
        title = gate_circuit.name[0].upper() + gate_circuit.name[1:]
        yield Remedy("circuit", title, f"Of {parts}.", _add_stage(link, fit.input, stage, gate_circuit.name))
    elif not own_part(link, fit.input).gate_stages and codes & _LEVELS and fit.verdict in ("needs-circuit", "unsafe"):
        sentence = why_no_circuit(bench, link, fit.input, style)
        if sentence:
            yield Remedy("advice", "Not from the rails at hand", sentence)
    gate = bench.port(fit.input).gate
    if "pulse-too-short" in codes and gate is not None and gate.min_seconds is not None:
        longer = stretcher(bench, link, fit.input)
        if longer is not None:
            text = (
                f"A pulse stretcher of {style.engineering(longer.seconds, 's')}, twice what the input takes. Of "
                f"{parts_words(longer.parts, style)}."
            )
            yield Remedy("circuit", "A pulse stretcher", text, _add_stage(link, fit.input, longer, "a stretcher"))
    shorter = pulse(bench, link, fit.input) if "pulse-too-long" in codes else None
    if shorter is not None and shorter.seconds is not None:
        text = f"Of {style.engineering(shorter.seconds, 's')}, at each rise. Of {parts_words(shorter.parts, style)}."
        yield Remedy("circuit", "A pulse from the rise", text, _add_stage(link, fit.input, shorter, "a pulse former"))
    if "on-level" in codes or "trigger-kind" in codes:
        for workaround in workarounds(bench, link, fit.input, style):
            yield Remedy("patch", workaround.title, workaround.text, workaround.command, by=workaround.by)


def parts_words(parts: Sequence[Part], style: Style) -> str:
    """Parts by name with their values; what has none with what it is."""
    sentences = []
    for one in parts:
        value = value_words(one, style)
        sentences.append(f"{one.name} {value}" if value else f"{one.name} ({one.role})")
    return ", ".join(sentences)


def _add_stage(link: Link, sink: PortRef, stage: GateStageRecord, words: str) -> Command:
    return LinkChange(link, sink, f"put {words} between", stage=stage)


# -- plugs, settings, what is missing --------------------------------------------------------------


def _patch(bench: Bench, link: Link, sink: PortRef, codes: set[str]) -> Iterator[Remedy]:
    for code, missing in (
        ("gate-with-trigger", missing_trigger),
        ("nothing-opens", missing_gate),
        ("reset-missing", missing_reset),
    ):
        wanted = missing(bench, sink) if code in codes else None
        if wanted is not None:
            yield from _joining(bench, link, wanted)
    if "channel-map" in codes and bench.port(link.output).audio is not None:
        channel = bench.port(link.output).audio.channel  # type: ignore[union-attr]
        yield Remedy(
            "setting",
            f"Channel {channel} in the program",
            "Keeps the channel with the link.",
            changed_link(link, sink, f"the program sends on {channel}", program_channel=channel),
        )
    if "supply-pole" in codes:
        yield Remedy(
            "patch",
            "A lead with an open ring",
            "Three poles, nothing joined on the ring, at both ends.",
            changed_link(link, sink, "a lead with an open ring", lead="ring-open"),
        )
    if "second-signal-lost" in codes and link.lead != "split":
        yield Remedy(
            "patch",
            "A split lead",
            "A plug for each signal: this one to its input, the other free for its own.",
            changed_link(link, sink, "a split lead", lead="split"),
        )
    if "second-signal-lost" in codes and link.lead in ("two-pole", "ring-open"):
        yield Remedy(
            "patch",
            "A lead of three poles",
            "Tip, ring and sleeve joined through.",
            changed_link(link, sink, "a lead of three poles", lead="three-pole"),
        )
    if "setting-otherwise" in codes:
        yield from _set(bench, link, sink)
    if "outputs-contending" in codes:
        for other in bench.links_into(sink):
            if other.output != link.output:

                def command(one: Bench, other: Link = other) -> Change:
                    return part(one, other.output, sink)

                name = bench.label(other.output)
                yield Remedy("patch", f"Part {name}", "One output is left on the input.", command)


def _joining(bench: Bench, link: Link, wanted: PortRef) -> Iterator[Remedy]:
    """Outputs of the sender that could drive an input which is not joined yet, the free ones first."""
    gear = bench.gear_by(link.output.gear)
    for port in gear.ports:
        ref = PortRef(gear.id, port.id)
        if port.direction != "output" or port.role not in SWITCHING:
            continue
        if signals_differ(port, bench.port(wanted)):
            continue  # a reset joined to the clock never lets it leave its first step
        fit = judge_pair(bench, trial_link(bench.link_from(ref), ref, wanted), wanted)
        if fit.verdict in ("fits", "marginal"):

            def command(one: Bench, ref: PortRef = ref) -> Change:
                return join(one, ref, wanted)

            text = f"{bench.label(ref)} drives it: {fit.verdict}."
            yield Remedy("patch", f"Join {bench.label(wanted)} too, to {port.name}", text, command)


def _set(bench: Bench, link: Link, sink: PortRef) -> Iterator[Remedy]:
    field = next(one for one in GEAR_FIELDS if one.path == "settings")
    for ref in (link.output, sink):
        gear = bench.gear_by(ref.gear)
        for need in gear.port_by(ref.port).needs:
            setting = next((one for one in gear.settings if need.setting in (one.id, one.name)), None)
            if setting is None or setting.value == need.value:
                continue
            pairs = tuple((one.name, need.value if one is setting else one.value) for one in gear.settings)

            def command(one: Bench, gear_id: str = gear.id, pairs: object = pairs) -> Change:
                return set_gear_field(one, gear_id, field, pairs)

            yield Remedy(
                "setting", f"Set {setting.name} to {need.value}", f"On {gear.name}, before you join them.", command
            )
