"""A link with one thing changed, and two channels that are laid over each other."""

from __future__ import annotations

import time

import msgspec
import numpy as np
import pytest

from dynamis.bench.chains.what_if import WhatIf, changed_error, what_if_words, what_ifs
from dynamis.bench.document.records import HeadRecord, InstrumentRecord, ReadingRecord, RunRecord
from dynamis.bench.runs.advice import feeding_sentence, progress_words
from dynamis.bench.runs.analysis import analyse
from dynamis.bench.runs.beginning import new_run
from dynamis.bench.runs.difference import difference_words
from dynamis.bench.runs.planning import planned_words
from dynamis.demo.lantern import CHANNEL_A, KNOWN_VOLTAGE, bench
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tolerance import parse_tolerance

BENCH = bench()
LINK = BENCH.link_from(CHANNEL_A)
SINK = LINK.inputs[0]
NOTES = np.array([36.0, 60.0, 96.0])


def test_an_input_unplugged_is_what_the_divider_says():
    """1 kΩ into 100 kΩ, and into two of them, by hand: V drops by 1/101 and by 1/51; 1200 ct a volt."""
    change = next(one for one in what_ifs(BENCH, LINK, SINK, HeadRecord()) if one.key.startswith("part"))
    now = changed_error(BENCH, WhatIf("now", "", LINK, HeadRecord()), SINK, NOTES)
    then = changed_error(BENCH, change, SINK, NOTES)
    volts = np.array([0.2, 2.2, 5.2])
    assert then - now == pytest.approx(1200.0 * volts * (1.0 / 51.0 - 1.0 / 101.0), abs=0.6)
    told = what_if_words(change, NOTES, now, then, Style())
    assert told.startswith("Without Gallery voice · pitch 2 it moves by up to +60.")
    assert "at 96 C7" in told
    assert "nothing of it can be worked out" in what_if_words(change, NOTES, now, np.full(3, np.nan), Style())


def test_the_changes_are_those_that_there_are():
    keys = lambda link, head: [one.key for one in what_ifs(BENCH, link, SINK, head)]  # noqa: E731
    alone = LINK.keeping((SINK,))
    assert keys(alone, HeadRecord()) == []
    assert keys(alone, HeadRecord("constants", gain=0.99)) == ["nominal"]
    assert len(keys(LINK, HeadRecord("constants", gain=0.99))) == 2


def run_of(serial: str, gain: float, offset_cents: float, quantity: str = "hertz"):
    counter = InstrumentRecord("c", "Counter", kind="counter", ppm=1.0, resolution_hertz=1e-3)
    run = RunRecord(f"r{serial}", "Tracking", SINK.gear, serial, SINK.port, "", "voct:scale=1,note=36,volts=0.2", "5", quantity, counter, "oscillator", plan=tuple(NOTES), side="input")  # fmt: skip
    rows = [
        ReadingRecord(k, run.id, k, note, 440.0 * 2.0 ** ((note - 69.0) / 12.0 * gain + offset_cents / 1200.0), "")
        for k, note in enumerate((36.0, 48.0, 60.0, 72.0, 84.0))
    ]
    return analyse(run, rows)


def test_two_oscillators_are_told_by_their_beats():
    """6 ct apart at every note: at C6, 1046.5 Hz · (2^(6/1200) − 1) = 3.633 beats a second, by hand."""
    first, second = run_of("1", 1.0, 0.0), run_of("2", 1.0, 6.0)
    told = difference_words(BENCH, first, second, Style())
    assert "Gallery voice · pitch 1, unit 2 lies +6.0" in told[0].replace("\u00a0", " ")
    assert "from Gallery voice · pitch 1, unit 1" in told[0]
    beats = float(told[1].split("beat ")[1].split()[0])
    hertz = 440.0 * 2.0 ** ((float(told[1].split(" at ")[1].split()[0]) - 69.0) / 12.0)
    assert beats == pytest.approx(hertz * (2.0 ** (6.0 / 1200.0) - 1.0), abs=0.006)
    assert "in no ±" in feeding_sentence(first.run)
    assert feeding_sentence(msgspec.structs.replace(first.run, source=KNOWN_VOLTAGE)) is None
    assert "track each other" in difference_words(BENCH, first, run_of("3", 1.0, 0.0001), Style())[0]


def test_a_channel_that_was_read_warm_and_cold_is_told_by_the_kelvin():
    """4 ct sharp, 8 K warmer: 0.5 ct a kelvin; with the instrument changed as well it cannot be told."""
    cold, warm = run_of("1", 1.0, 0.0), run_of("1", 1.0, 4.0)
    given = (cold, 18.0, "2026-01-01T00:00:00+00:00"), (warm, 26.0, "2026-01-02T00:00:00+00:00")
    runs = [msgspec.structs.replace(one.run, celsius=celsius, created=day) for one, celsius, day in given]
    pair = [analyse(run, one.rows) for run, one in zip(runs, (cold, warm), strict=True)]
    told = difference_words(BENCH, *pair, Style())
    # From the older to the newer, whichever of them is looked at.
    assert told == difference_words(BENCH, *reversed(pair), Style())
    assert "temperature, 18.0" in told[0]
    assert "That is +0.500" in told[1]
    assert "a kelvin at the middle" in told[1]
    other = msgspec.structs.replace(runs[1], meter=msgspec.structs.replace(runs[1].meter, name="Another"))
    both = difference_words(BENCH, analyse(runs[0], cold.rows), analyse(other, warm.rows), Style())
    assert not any("kelvin" in one for one in both)
    assert any("cannot be told" in one for one in both)


@pytest.mark.parametrize(
    ("notes", "told"), [("45.6,57.6", None), ("48", r"volts of note 48; with it 33\.6, 45\.6, .* can be read")]
)
def test_a_switched_voltage_feeds_the_notes_whose_volts_it_has(notes, told):
    """0, 1, 2 … V under 1 V/oct with note 36 at 0.2 V, by hand: 36 + 12 · (V − 0.2)."""

    def begin():
        return new_run(BENCH, None, run_id="r", title="Fed", created="2026-01-01T00:00:00+00:00", channel=SINK, serial="1", law=parse_law("voct:scale=1,note=36,volts=0.2"), tolerance=parse_tolerance("5"), plan=[float(one) for one in notes.split(",")], quantity="hertz", meter=None, where="oscillator", plugged=(), celsius=None, warm_minutes=None, player="hand", source=KNOWN_VOLTAGE)  # fmt: skip

    if told is None:
        assert begin().plan == (45.6, 57.6)
        return
    with pytest.raises(InputError, match=told):
        begin()


@pytest.mark.parametrize(("spoilt", "reason"), [(True, "decides"), (False, "tells-most")])
def test_what_cannot_be_planned_takes_no_time(spoilt, reason):
    """A slip is decided first; a channel of mere noise has more to go than anybody counts."""
    chance = np.random.default_rng(1)
    run = msgspec.structs.replace(
        run_of("1", 1.0, 0.0).run, plan=tuple(float(note) for note in range(36, 97)), enough_cents=0.5
    )
    notes = (36.0, 96.0, 71.0, 66.0, 90.0, 42.0, 88.0, 65.0, 43.0, 74.0, 48.0, 87.0)
    away = [-5000.0 * (note == 87.0) if spoilt else chance.normal(0.0, 40.0) for note in notes]
    rows = [
        ReadingRecord(k, run.id, k, note, 440.0 * 2.0 ** ((note - 69.0 + off / 100.0) / 12.0), "")
        for k, (note, off) in enumerate(zip(notes, away, strict=True))
    ]
    judged = analyse(run, rows)
    begun = time.process_time()
    planned = judged.planned
    assert time.process_time() - begun < 5.0  # it was half a minute
    assert (planned.reason, planned.note) == (reason, judged.next_note)
    words = "decides what is open" if spoilt else "More than 24 to go"
    assert words in planned_words(planned, Style())
    assert ("more than 24 to go" in progress_words(judged)) != spoilt
