"""The commands of the document, and what is said of a run with the bench around it."""

from __future__ import annotations

import math

import msgspec
import pytest

from dynamis.bench.chains.codes import channel_codes, codes_sentences, use_words
from dynamis.bench.document import commands
from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import AdoptionRecord, HeadRecord, InstrumentRecord
from dynamis.bench.runs.advice import belongs_sentence, plugging_sentence
from dynamis.demo.lantern import CHANNEL_A, bench
from dynamis.errors import InputError
from dynamis.notation.style import Style

VOICE_1 = PortRef("gallery-voice", "pitch-1")


@pytest.mark.parametrize(
    ("change", "label"),
    [
        (lambda b: commands.rename(b, "  Attic  desk "), "rename the bench to Attic desk"),
        (lambda b: commands.add_gear(b, Gear("new", "New board")), "add New board"),
        (lambda b: commands.set_a4(b, 442.0), "A4 to 442 Hz"),
        (lambda b: commands.add_unit(b, "workshop-board", "04"), "add unit 04 of Workshop board"),
        (
            lambda b: commands.add_meter(b, InstrumentRecord("m", "Meter", "2 V", 1, 1, 0.001)),
            "add the meter Meter, 2 V",
        ),
        (
            lambda b: commands.add_meter(b, msgspec.structs.replace(b.meters[0], percent=0.02)),
            "change the meter Bench meter, 10 V",
        ),
        (lambda b: commands.set_link(b, "board-to-gallery", tolerance="3"), "Workshop board · pitch A: tolerance to 3"),
        (lambda b: commands.set_port(b, VOICE_1, ohms=47e3), "Gallery voice · pitch 1: ohms to 47000"),
        (lambda b: commands.set_port(b, VOICE_1, ohms=None), "Gallery voice · pitch 1: ohms to not known"),
        (lambda b: commands.set_transfer(b, CHANNEL_A, "dac", bits=14), "Workshop board · pitch A: bits to 14"),
    ],
)
def test_a_command_changes_a_copy_and_says_what_it_did(change, label):
    before = bench()
    made = change(before)
    assert made.label == label
    assert made.bench != before
    assert before == bench()


@pytest.mark.parametrize(
    ("change", "word"),
    [
        (lambda b: commands.set_a4(b, 0.0), "above 0"),
        (lambda b: commands.rename(b, " "), "needs a name"),
        (lambda b: commands.rename(b, "x" * 81), "at most 80"),
        (lambda b: commands.add_gear(b, Gear("x", "Workshop board")), "already"),
        (lambda b: commands.add_unit(b, "workshop-board", "02"), "already"),
        (lambda b: commands.add_unit(b, "nothing", "1"), "no gear"),
        (lambda b: commands.set_link(b, "board-to-gallery", tolerance="x"), "'x'"),
        (lambda b: commands.set_link(b, "board-to-gallery", low_note=99.0), "above the highest"),
        (lambda b: commands.set_link(b, "none", tolerance="5"), "no link"),
        (lambda b: commands.set_port(b, VOICE_1, ohms=-1.0), "below 0"),
        (lambda b: commands.set_port(b, VOICE_1, ohms=0.0), "needs more"),
        (lambda b: commands.set_port(b, VOICE_1, law="lin"), "no known kind"),
        (lambda b: commands.set_transfer(b, CHANNEL_A, "dac", bits=99), "1 to 24"),
        (lambda b: commands.set_transfer(b, CHANNEL_A, "glide", x=1), "no glide"),
        (lambda b: commands.set_transfer(b, CHANNEL_A, "dac", colour=1), "not complete"),
        (lambda b: commands.add_gear(b, Gear("x", "X", (Port("p", " ", "output"),))), "needs a name"),
    ],
)
def test_what_a_bench_cannot_be_is_refused(change, word):
    with pytest.raises(InputError, match=word):
        change(bench())


def test_ids_are_short_and_unlike_others():
    assert commands.new_id("Pitch A!", set()) == "pitch-a"
    assert commands.new_id("Pitch A", {"pitch-a", "pitch-a-2"}) == "pitch-a-3"
    assert commands.new_id("♯", set()) == "item"


def test_plugging_otherwise_than_measured_is_warned_of(demo_file):
    run = demo_file.runs()[0]
    told = plugging_sentence(bench(), run, Style())
    # two inputs of 100 kΩ on 1 kΩ take 1.96 %, the meter's 10 MΩ had taken 0.01 %: 1.0001/1.02, at 5.2 V 121.7 cents
    assert "Read with nothing plugged; with 2 inputs joined, loading moves note 96 C7 by −121.7 ct (−1.95 %)" in told
    both = msgspec.structs.replace(run, plugged=bench().links[0].inputs)
    assert plugging_sentence(bench(), both, Style()) is None
    # a meter of 1 MΩ on 1 kΩ with both inputs: 1.021/1.02, at 5.2 V 6.1 cents
    heavy = msgspec.structs.replace(both, meter=msgspec.structs.replace(run.meter, input_ohms=1e6))
    assert "The meter itself, 1 MΩ, loads the output: without it note 96 C7 moves by +6.1 ct" in plugging_sentence(
        bench(), heavy, Style()
    )
    assert plugging_sentence(Bench(gear=bench().gear), run, Style()) is None
    unknown = commands.set_port(bench(), VOICE_1, ohms=None).bench
    assert plugging_sentence(unknown, run, Style()) is None


def test_a_correction_belongs_to_the_channel_of_a_unit(demo_file):
    run = demo_file.runs()[2]
    told = belongs_sentence(bench(), run, demo_file.adoptions(), Style())
    gain = demo_file.adoptions()[0].head.gain
    assert (
        told
        == f"A correction belongs to unit 02, pitch A, not to the design; unit 03, pitch A needed {Style().percent((gain - 1) * 100, 2, sign=True)}."
    )
    withdrawn = AdoptionRecord(9, "workshop-board", "03", "pitch-a", run.id, "withdrawn", HeadRecord(), 0, 0, "")
    assert belongs_sentence(bench(), run, [*demo_file.adoptions(), withdrawn], Style()).endswith("not to the design.")


@pytest.mark.parametrize(
    ("low", "high", "tolerance", "notes", "tightest"),
    [
        (36.0, 40.0, "5", [36, 37, 38, 39, 40], 5.0),
        (36.5, 40.2, "5", [37, 38, 39, 40], 5.0),
        (36.2, 36.8, "5", [], 5.0),
        (36.2, 36.8, "60:96=5", [], math.inf),
        (59.5, 61.0, "36:60=2,61:96=7", [60, 61], 2.0),
        (60.5, 62.0, "36:60=2,61:96=7", [61, 62], 7.0),
    ],
)
def test_a_link_knows_its_whole_notes_and_its_tightest_tolerance(low, high, tolerance, notes, tightest):
    one = commands.set_link(bench(), "board-to-gallery", low_note=low, high_note=high, tolerance=tolerance).bench
    link = one.links[0]
    assert (link.whole_notes.tolist(), link.tightest_cents) == (notes, tightest)
    codes = channel_codes(one, CHANNEL_A, HeadRecord())
    assert codes.table.notes.tolist() == (notes or [low, high])
    stepped = use_words(codes.uses[0], Style())
    assert ("the tolerance judges no note used" in stepped) == (tightest == math.inf)
    # 1/12 V at 1 V/oct over an LSB of 1.35 mV, wherever the notes lie
    assert "A semitone has 61.7 codes." in codes_sentences(codes, Style())
