"""What the demo bench comes to, kept; see `tests/keeping.py`."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from tests.bench.forms import random_bench
from tests.keeping import attempt, hold

from dynamis.bench.chains.codes import channel_codes, codes_sentences
from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.nomogram import nomogram
from dynamis.bench.chains.nomogram_ticks import ticks_of
from dynamis.bench.chains.port_transfers import converter_of
from dynamis.bench.chains.scale_words import budget_sentence, value_words
from dynamis.bench.designing.gate_choices import gate_choices, meets_words, unpowered_words
from dynamis.bench.designing.gate_words import gate_words
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.ports import SWITCHING, PortRef
from dynamis.bench.document.records import HeadRecord, HeldRecord, SendRecord, in_force
from dynamis.bench.gear.commands import fields_of
from dynamis.bench.gear.field_values import value_of
from dynamis.bench.gear.library import GEAR_KINDS, PORT_KINDS
from dynamis.bench.judging.levels import levels_of
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.power import power_words
from dynamis.bench.judging.wiring import wiring_card
from dynamis.bench.runs.advice import belongs_sentence, comparison_sentence, plugging_sentence
from dynamis.bench.runs.analysis import analyse
from dynamis.bench.runs.boards import (
    board_letter,
    channel_correction,
    difference_sentence,
    held_words,
    run_correction,
    sendings,
)
from dynamis.bench.runs.drift import drift_sentence, find_drift
from dynamis.bench.runs.measured_linearity import linearity_words, measured_linearity
from dynamis.bench.runs.proving import course_of
from dynamis.notation.style import Style

STYLE = Style()


def test_every_pair_of_the_demo_is_judged_as_it_was(demo_file):
    bench, adoptions = demo_file.bench(), demo_file.adoptions()
    matrix = Matrix()
    matrix.take(bench, adoptions, STYLE)
    made = {}
    for output in matrix.outputs:
        for sink in matrix.inputs:
            fit = matrix.fit(output, sink)
            if fit is not None:
                found = [[one.code, one.severity, one.value, one.unit, one.text] for one in fit.findings]
                made[f"{bench.label(output)} > {bench.label(sink)}"] = [fit.verdict, fit.role, fit.value, found]
    joined = {}
    for output, sink in matrix.joined_pairs():
        fit, link = matrix.fit(output, sink), bench.link_from(output)
        card = wiring_card(bench, output, sink, STYLE)
        remedies = [
            [one.kind, one.title, one.text, one.leaves and one.leaves.value]
            for one in remedies_for(bench, fit, adoptions, STYLE)
        ]
        joined[f"{output} > {sink}"] = [
            remedies,
            [card.title, card.lead, card.rows, card.between, card.checks],
            attempt(lambda link=link, sink=sink: levels_of(bench, link, sink)),
        ]
    hold("bench_pairs", [made, joined])


def test_chains_codes_and_fields_of_the_demo_are_what_they_were(demo_file):
    bench, adoptions = demo_file.bench(), demo_file.adoptions()
    told = {}
    for link in bench.links:
        chain = link_chain(bench, link)
        told[link.id] = [
            chain.sentence,
            link.whole_notes,
            link.notes_to_show,
            link.allowed_cents(np.arange(30.0, 100.0, 9)),
            link.tightest_cents,
        ]
        if chain.chain is not None:
            drawn = nomogram(bench, link, chain, link.notes_to_show, link.inputs[0])
            budget = drawn.budget_at(60.0)
            told[link.id] += [
                drawn.error_cents,
                [one.at for one in drawn.scales],
                [ticks_of(one, 30.0, 100.0, 8.0, STYLE) for one in drawn.scales],
                [value_words(one.quantity, one.value(61.5), STYLE) for one in drawn.scales],
                budget_sentence(budget, 1.5, STYLE),
                [[one.share.label, one.cents, one.known] for one in budget.shares],
                [drawn.gap_cents(k) for k in range(len(drawn.scales) - 1)],
            ]
    coded = {}
    for channel, serial in bench.channels:
        mine = next(
            (one.head for one in adoptions if (one.gear, one.port, one.serial) == (channel.gear, channel.port, serial)),
            HeadRecord(),
        )
        made = attempt(lambda c=channel, h=mine: channel_codes(bench, c, h))
        coded[f"{channel} {serial}"] = (
            [made]
            if isinstance(made, str)
            else [
                codes_sentences(made, STYLE),
                made.reach_notes,
                made.floor_cents,
                made.semitone_codes,
                made.table.codes,
                made.table.error_cents,
                codes_sentences(channel_codes(bench, channel, mine, as_other_law=True), STYLE),
                attempt(lambda c=channel, h=mine: channel_correction(bench, c, h).hash),
            ]
        )
    fields = {}
    for gear in bench.gear:
        for port in gear.ports:
            shown = [one for one in fields_of(bench, PortRef(gear.id, port.id)) if one.kind not in ("choice", "flag")]
            fields[f"{gear.id}.{port.id}"] = [
                [one.path, one.label, one.show(value_of(port, one.path), STYLE)] for one in shown
            ]
    hold("bench_chains", [told, coded, fields, [one.name for one in GEAR_KINDS], [one.name for one in PORT_KINDS]])


def test_runs_of_the_demo_are_judged_as_they_were(demo_file):
    bench, runs, adoptions = demo_file.bench(), demo_file.runs(), demo_file.adoptions()
    judged = [analyse(run, demo_file.readings(run.id)) for run in runs]
    made = [
        [
            one.verdict,
            one.worst_index,
            one.deciding_index,
            one.next_note,
            one.wanted,
            one.error_cents,
            one.expanded_cents,
            one.residual_cents,
            one.loading_factor,
            one.independent_expanded_cents,
            one.as_typed(60.0, 2.2),
            one.expect(61.0),
            [[way.kind, way.worst_cents, way.verdict] for way in one.corrections],
            plugging_sentence(bench, one.run, STYLE),
            belongs_sentence(bench, one.run, adoptions, STYLE),
            comparison_sentence(one, judged[0], STYLE),
            attempt(lambda o=one: drift_sentence(find_drift(o), STYLE) if find_drift(o) else None),
            linearity_words(measured_linearity(one), 1.0, STYLE),
            attempt(lambda o=one: run_correction(o.run) and run_correction(o.run).hash),
        ]
        for one in judged
    ]
    part = [
        [
            (one := analyse(runs[0], demo_file.readings(runs[0].id)[:count])).verdict,
            one.why_no_fit,
            one.next_note,
            [way.worst_cents for way in one.corrections],
        ]
        for count in (0, 1, 2, 3, 5, 9)
    ]
    hold("bench_runs", [made, part])


def test_benches_of_the_forms_are_judged_and_mended_as_they_were():
    made = {}
    for seed in range(0, 360, 3):
        bench, matrix = random_bench(seed), Matrix()
        judged = matrix.judge(bench)
        fits = [fit for row in judged.values() for fit in row.values()]
        told = [[one.verdict, one.value, one.unit, [finding.text for finding in one.findings]] for one in fits]
        asking = [one for one in fits if one.verdict not in ("fits", "cannot-tell")][:4]
        mended = [
            [[one.title, one.text, one.leaves and one.leaves.value] for one in remedies_for(bench, fit)]
            for fit in asking
        ]
        made[str(seed)] = [told, mended]
    hold("bench_forms", made)


def test_courses_and_boards_of_the_demo_are_told_as_they_were(demo_file):
    bench, runs, adoptions = demo_file.bench(), demo_file.runs(), demo_file.adoptions()
    judged = {run.id: analyse(run, demo_file.readings(run.id)) for run in runs}
    made = {}
    for channel, serial in bench.channels:
        if converter_of(bench.port(channel)) is None:
            continue
        mine = [run for run in runs if (run.gear, run.port, run.serial) == (channel.gear, channel.port, serial)]
        force = in_force(adoptions, channel, serial)
        heads = [HeadRecord(), *(one.head for one in adoptions if one.kind != "withdrawn")]
        held = [channel_correction(bench, channel, head) for head in heads]
        hashes = [None, *(one.hash for one in held)]
        sends = [
            SendRecord(k, channel.gear, serial, channel.port, "2026-01-01", HeldRecord.of(held[0]), HeldRecord.of(one))
            for k, one in enumerate(held)
        ]
        done = [replace(one, id=9 + one.id, verified=True) for one in sends[1:]]
        courses = [
            course_of(
                mine[:count],
                judged.get,
                adoption,
                board_hash=board,
                hash_of=lambda head, c=channel: channel_correction(bench, c, head).hash,
                style=STYLE,
            )
            for count in range(len(mine) + 1)
            for adoption in (None, force, *adoptions[:1])
            for board in hashes[:3]
        ]
        made[f"{channel} {serial}"] = [
            courses,
            [held_words(one, bench, channel, adoptions, sends[:2]) for one in held],
            [difference_sentence(bench, channel, heads[-1], one, adoptions, sends) for one in held],
            [[one.id, one.verified] for one in sendings([*sends, *done])],
            [
                [one.id, one.verified]
                for one in sendings([one for pair in zip(sends[1:], done, strict=True) for one in pair])
            ],
            board_letter(bench, channel, "AB"),
            attempt(lambda c=channel: board_letter(bench, c, "")),
        ]
    hold("bench_courses", made)


def test_chains_levels_and_choices_of_the_forms_are_what_they_were():
    made = {}
    for seed in range(1, 300, 3):
        bench = random_bench(seed)
        told = []
        for link in bench.links:
            for sink in link.inputs:
                chain = link_chain(bench, link, HeadRecord(), sink)
                drawn = attempt(lambda b=bench, k=link, c=chain, s=sink: _drawn(b, k, c, s))
                choices = attempt(lambda b=bench, k=link, s=sink: _chosen(b, k, s))
                met = attempt(lambda b=bench, k=link, s=sink: levels_of(b, k, s))
                card = attempt(lambda b=bench, k=link, s=sink: wiring_card(b, k.output, s, STYLE))
                told.append(
                    [
                        chain.sentence or chain.chain.error_cents(np.array([36.0, 61.0, 84.0]), chain.true),
                        drawn,
                        choices,
                        met if not isinstance(met, list) else [one.text for one in met],
                        card if isinstance(card, str) else [card.lead, card.rows, card.between, card.checks],
                    ]
                )
        coded = [
            attempt(lambda b=bench, c=channel: codes_sentences(channel_codes(b, c, HeadRecord()), STYLE))
            for channel, _ in bench.outputs_of_units
        ]
        power = [power_words(bench, gear, STYLE) for gear in bench.gear]
        made[str(seed)] = [told, coded, [one for one in power if one]]
    hold("bench_forms_drawn", made)


def _drawn(bench, link, chain, sink):
    if chain.chain is None:
        return None
    drawn = nomogram(bench, link, chain, link.notes_to_show, sink)
    budget = drawn.budget_at(float(link.notes_to_show[0]))
    return [
        drawn.error_cents[:3],
        [drawn.gap_cents(k) for k in range(len(drawn.scales) - 1)],
        [[one.share.label, one.cents] for one in budget.shares],
        [ticks_of(one, 30.0, 100.0, 8.0, STYLE)[:3] for one in drawn.scales],
    ]


def _chosen(bench, link, sink):
    if bench.port(sink).role not in SWITCHING:
        return None
    found = gate_choices(bench, link, sink, STYLE)
    return [
        [[one.key, one.fit.verdict, one.fit.value, one.spoils, one.joints, one.guarded] for one in found.choices],
        gate_words(found, STYLE),
        meets_words(bench, link, sink, STYLE),
        unpowered_words(bench, link, sink, STYLE),
    ]
