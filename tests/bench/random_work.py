"""Everything that can be asked of a bench, asked: judged, drawn, mended, measured, adopted."""

from __future__ import annotations

import numpy as np

from dynamis.bench.chains.codes import channel_codes, codes_sentences
from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.port_transfers import converter_of, dac_if_known
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.between import asked_of, smallest_with_op_amp
from dynamis.bench.designing.gate_choices import gate_choices, meets_words
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.ports import SWITCHING, PortRef
from dynamis.bench.document.records import (
    AdoptionRecord,
    HeadRecord,
    InstrumentRecord,
    ReadingRecord,
    RunRecord,
    in_force,
)
from dynamis.bench.judging.levels import envelope_of, levels_of, pulse_of
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.wiring import wiring_card
from dynamis.bench.playing.arriving import arrive, setting_for
from dynamis.bench.playing.lanes import play
from dynamis.bench.runs.analysis import analyse, check_readings, codes_of, head_of
from dynamis.calibration.causes.words import shape_sentences
from dynamis.calibration.words import correction_detail, correction_leaves, proof_sentences
from dynamis.converter.playing.phrases import phrases
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.errors import InputError
from dynamis.notation.style import Style

STYLE = Style()
METER = InstrumentRecord("m", "Bench meter", "20 V", 0.05, 3, 0.001, 20.0)


def everything(bench: Bench, seed: int, most_pairs: int = 6) -> None:
    """Ask it all; raises what any of it raises."""
    random = np.random.default_rng(seed)
    check_bench(bench)
    adoptions = measured(bench, random)
    matrix = Matrix()
    judged = matrix.judge(bench, adoptions, STYLE)
    pairs = [(output, sink) for output, row in judged.items() for sink in row]
    joined = [(link.output, sink) for link in bench.links for sink in link.inputs]
    order = [pairs[k] for k in random.permutation(len(pairs))][:most_pairs]
    for output, sink in dict.fromkeys([*joined, *order]):
        looked_at(bench, output, sink, matrix, adoptions)
    for ref in [PortRef(gear.id, port.id) for gear in bench.gear for port in gear.ports if port.role == "pitch"][:3]:
        played_on(bench, ref, random)


def played_on(bench: Bench, output: PortRef, random: np.random.Generator) -> None:
    """A phrase by a pitch output, with all that is made of it and arrives of it."""
    if bench.port(output).direction != "output":
        return
    song = phrases()[random.integers(8)].song
    try:
        played = play(song, setting_for(bench, output, ConverterSetting()), STYLE, bench.logic)
    except InputError as error:
        assert str(error)
        return
    arrived = arrive(bench, output, {}, played, STYLE)
    for lane in (*played.lanes, *arrived.lanes):
        low, high = lane.series.columns(-0.1, 2.1, 300)
        assert np.all(np.isfinite(low[20:]) & (low[20:] <= high[20:])), lane.name
    for finding in (*played.findings, *arrived.findings):
        assert finding.text
        assert "nan" not in finding.text.split(), finding.text


def looked_at(bench: Bench, output: PortRef, sink: PortRef, matrix: Matrix, adoptions) -> None:
    """What the stations show of a pair, and what is offered for it; each offer taken."""
    fit = matrix.fit(output, sink)
    if fit is None:
        return
    link = trial_link(bench.link_from(output), output, sink)
    for finding in fit.findings:
        assert finding.text
        assert "nan" not in finding.text.split(), finding.text
        assert "which is in the log" not in finding.text, finding.text
    for remedy in remedies_for(bench, fit, adoptions, STYLE):
        if remedy.command is not None:
            check_bench(remedy.command(bench).bench)
    wiring_card(bench, output, sink, STYLE)
    if bench.port(sink).role in SWITCHING:
        levels = levels_of(bench, link, sink)
        if not isinstance(levels, list):
            pulse_of(levels)
            if levels.envelope is not None:
                envelope_of(levels.envelope, 0.0, 0.1)
        gate_choices(bench, link, sink, STYLE)
        meets_words(bench, link, sink, STYLE)
    requirement = asked_of(bench, link, sink)
    if not isinstance(requirement, str):
        smallest_with_op_amp(requirement)
    made = link_chain(bench, link, sink=sink)
    if made.chain is not None and bench.port(sink).role == "pitch":
        notes = link.whole_notes
        made.chain.error_cents(notes, made.true, made.true)


def measured(bench: Bench, random: np.random.Generator) -> list[AdoptionRecord]:
    """Runs of every pitch output of every unit, in a quantity drawn; what they offer, adopted."""
    adopted: list[AdoptionRecord] = []
    channels = [
        (PortRef(gear.id, port.id), unit.serial)
        for gear in bench.gear
        for unit in gear.units
        for port in gear.ports
        if port.direction == "output" and port.role == "pitch"
    ]
    for ref, serial in channels:
        port = bench.port(ref)
        if port.law is None:
            continue
        for quantity in ("volts", "hertz", "cents")[: int(random.integers(1, 4))]:
            before = in_force(adopted, ref, serial)
            head = HeadRecord() if before is None else before.head
            meter = METER if quantity == "volts" and random.random() < 0.7 else None
            plan = tuple(range(36, 97, int(random.choice([3, 6, 12]))))
            run = RunRecord(
                "r",
                "As found",
                ref.gear,
                serial,
                ref.port,
                "2026-01-01T00:00:00",
                port.law,
                "5",
                quantity,
                meter,
                head=head,
                converter=converter_of(port),
                trimmers=port.trimmers,
                plan=plan,
            )
            judged = analyse(run, read(run, random))
            for correction in judged.corrections:
                correction_leaves(correction, STYLE), correction_detail(correction, judged.fit, STYLE)
            if judged.shape is not None:
                assert all("nan" not in text.split() for text in shape_sentences(judged.shape, STYLE))
            if judged.proof is not None:
                proof_sentences(judged.proof, STYLE)
            if judged.corrections:
                correction = judged.corrections[random.integers(len(judged.corrections))]
                head = head_of(correction, judged.model, run)
                adopted.append(
                    AdoptionRecord(
                        len(adopted),
                        ref.gear,
                        serial,
                        ref.port,
                        "r",
                        correction.kind,
                        head,
                        correction.worst_cents,
                        correction.worst_expanded_cents,
                        "2026",
                    )
                )
        if dac_if_known("c", converter_of(port)) is not None:
            now = in_force(adopted, ref, serial)
            told = channel_codes(bench, ref, HeadRecord() if now is None else now.head)
            codes_sentences(told, STYLE) if told is not None and not isinstance(told, str) else None
    return adopted


def read(run: RunRecord, random: np.random.Generator) -> list[ReadingRecord]:
    """Readings of a unit somewhat off, with a slip, a flat end or nothing wrong."""
    model, notes = run.model, np.array(run.plan, float)[: int(random.integers(0, len(run.plan) + 1))]
    converter = dac_if_known("c", run.converter)
    codes = codes_of(run, converter, notes)
    volts = (
        model.law.volts(model.tuning.octaves(notes, model.law.reference_note))
        if codes is None
        else (converter.dac.nominal_volts(codes))
    )
    volts = volts * (1 + random.normal(0, 0.005)) + random.normal(0, 0.003) + random.normal(0, 2e-4, notes.size)
    if notes.size and random.random() < 0.3:
        volts[random.integers(notes.size)] += random.choice([-1.0, 0.05, 0.5])
    if random.random() < 0.3:
        volts = np.minimum(volts, np.max(volts, initial=0.0) - 0.4)
    octaves = model.law.octaves(volts, strict=False)
    hertz = model.reference_hertz * np.exp2(octaves)
    values = {"volts": volts, "hertz": hertz, "cents": 1200 * np.log2(hertz / model.tuning.hertz(notes))}[run.quantity]
    rows = []
    for k, (note, value) in enumerate(zip(notes, values, strict=True)):
        try:
            check_readings(run, [note], [value])
        except InputError:
            continue
        if np.isfinite(value):
            rows.append(
                ReadingRecord(
                    k,
                    "r",
                    k,
                    float(note),
                    float(value),
                    f"2026-01-01T00:00:{k:02}",
                    None if codes is None else int(codes[k]),
                )
            )
    return rows
