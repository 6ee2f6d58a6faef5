"""The log: runs as lines, drift over months, what is carried, and runs of another bench taken in."""

from __future__ import annotations

import shutil
from datetime import datetime, timedelta
from pathlib import Path

import msgspec
import numpy as np
import pytest
from scipy.stats import linregress

from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeldRecord, InstrumentRecord, SendRecord, runs_of
from dynamis.bench.runs.history import Sums, carried, entries, run_line, searched, wants_logs
from dynamis.bench.runs.trend import trend, trend_words, view_of
from dynamis.errors import InputError
from dynamis.files.contents import everything
from dynamis.files.merging import merge_runs, with_units_of
from dynamis.files.store import BenchFile
from dynamis.notation.style import Style

NOTES = np.arange(36.0, 97.0, 4.0)
COUNTER = InstrumentRecord("c", "Counter", kind="counter", ppm=10.0)
VOCT, HZV = "voct:note=36,volts=0", "hzv:note=60,volts=2"


def as_found(file):
    return next(run for run in file.runs() if run.title == "As found")


def wanted(run, notes):
    given = {"cents": np.zeros_like, "hertz": run.model.tuning.hertz, "volts": run.model.expected}
    return given[run.quantity](notes)


def added(file, run, values, notes=NOTES):
    file.add_run(run)
    file.add_readings(run.id, [(note, value, None, 0.0) for note, value in zip(notes, values, strict=True)])


# Law, quantity, and what is put in: a factor, and something added at all notes (volts, hertz or cents).
LINES = [
    (VOCT, "volts", 1.004, 0.003),
    ("voct:scale=1.2,note=36,volts=0.5", "volts", 0.99, 0.0),
    (VOCT, "hertz", 1.01, 0.0),
    (HZV, "volts", 1.02, 0.0),
    (VOCT, "cents", 1.0, -7.0),
]


@pytest.mark.parametrize(("law", "quantity", "factor", "more"), LINES)
def test_a_run_is_the_line_that_a_library_puts_through_its_cents(demo_file, law, quantity, factor, more):
    """Against numpy.polyfit through the errors in cents, for which the line is straight."""
    random = np.random.default_rng(3)
    run = msgspec.structs.replace(as_found(demo_file), id="x", uid="", law=law, quantity=quantity, meter=None)
    values = wanted(run, NOTES) * factor * (1.0 + random.normal(0.0, 1e-5, NOTES.size)) + more
    added(demo_file, run, values)
    line = run_line(run, demo_file.sums()["x"])
    if quantity == "cents":
        cents = values
    elif quantity == "volts" and law.startswith("voct"):
        cents = 1200.0 * (values - wanted(run, NOTES)) / run.model.law.volts_per_octave
    else:
        cents = 1200.0 * np.log2(values / wanted(run, NOTES))
    slope, start = np.polyfit((NOTES - 66.0) / 12.0, cents, 1)
    assert (line.scale_cents, line.offset_cents, line.count) == pytest.approx((slope, start, NOTES.size), abs=1e-6)
    assert (line.known, wants_logs([run])) == (False, quantity == "hertz" or law == HZV)


# Instrument, quantity, and u of scale and offset: limit/sqrt(3), GUM 4.3.7.  0.05 % are 0.6 ct of an octave and 1.5 ct of
# the two and a half up to note 66; 10 ppm of a clock are 0.0173 ct at all notes alike.
WORTH = [
    (InstrumentRecord("m", "Meter", percent=0.05), "volts", 0.6, 1.5),
    (COUNTER, "hertz", 0.0, 1200.0 * np.log2(1.00001)),
]


@pytest.mark.parametrize(("meter", "quantity", "scale", "offset"), WORTH)
def test_what_a_line_is_worth_is_the_instruments_where_the_readings_lie_on_it(
    demo_file, meter, quantity, scale, offset
):
    run = msgspec.structs.replace(as_found(demo_file), id="x", uid="", law=VOCT, meter=meter, quantity=quantity)
    added(demo_file, run, wanted(run, NOTES))
    line = run_line(run, demo_file.sums()["x"])
    found = np.array([line.scale_expanded, line.offset_expanded]) / 2.0
    assert found == pytest.approx(np.array([scale, offset]) / np.sqrt(3.0), rel=1e-3, abs=1e-3)


def test_what_has_no_line_is_none(demo_file):
    run = as_found(demo_file)
    assert run_line(run, Sums(0, 0, 0, 0, 0, 0)) is None
    assert run_line(run, Sums(2, 1.0, 0.5, 2.0, 1.0, 2.0)) is None  # both on one note
    hertz = msgspec.structs.replace(run, quantity="hertz")
    assert run_line(hertz, Sums(2, 1.0, 1.0, 2.0, 1.0, 2.0, 0.0, 0.0, 0.0, 1)) is None
    offset = msgspec.structs.replace(run, law=HZV + ",offset=0.1")
    assert run_line(offset, Sums(2, 1.0, 1.0, 2.0, 1.0, 2.0, 0.0, 0.0, 0.0, 2)) is None


def test_voided_readings_do_not_count_until_they_are_taken_back(demo_file):
    run = as_found(demo_file)
    before, row = demo_file.sums()[run.id], demo_file.readings(run.id)[3]
    demo_file.set_void(row.id, True, "reading mistake")
    assert demo_file.sums()[run.id].count == before.count - 1
    demo_file.set_void(row.id, False, "")
    assert demo_file.sums()[run.id] == before


# -- drift -----------------------------------------------------------------------------------------


def logged(file, style=Style()):
    return entries(file.bench(), file.runs(), file.sums(), file.adoptions(), file.sends(), style)


def months(file, gains, *, days=30, serial="07", noise=0.0, **changes):
    """A run of a unit every so many days, each with a gain of its own."""
    random, run = np.random.default_rng(5), as_found(file)
    for k, gain in enumerate(gains):
        own = msgspec.structs.replace(
            run,
            id=f"month-{k}",
            uid="",
            title=f"month {k}",
            serial=serial,
            meter=None,
            created=(datetime(2026, 1, 10) + timedelta(days=days * k)).isoformat(),
            **changes,
        )
        added(file, own, wanted(own, NOTES) * gain + random.normal(0.0, 1e-4 + noise, NOTES.size))
    return logged(file)


CHANNEL = PortRef("workshop-board", "pitch-a")


def test_a_drift_is_the_line_that_a_library_puts_through_the_runs(demo_file):
    """Against scipy.stats.linregress: the slope within the runs' different weights, its spread widened alike."""
    found = months(demo_file, 1.0 + 2e-4 * np.array([0.0, 1.0, 2.3, 2.9, 4.0, 5.1, 6.0]))
    shown = trend(found, CHANNEL, "07", "scale")
    against = linregress(shown.days, shown.values)
    assert shown.per_day == pytest.approx(against.slope, rel=0.02)
    assert shown.per_day_expanded == pytest.approx(2.0 * against.stderr, rel=0.25)
    assert shown.line(np.array([shown.leaves_day]))[0] == pytest.approx(shown.allowed)
    assert shown.allowed == pytest.approx(5.0 / 2.0)  # ct of tolerance over the octaves from note 66 to 90
    words = " ".join(trend_words(shown, Style()))
    assert f"{shown.when(shown.leaves_day):%Y-%m}" in words
    assert "No instrument is known for 7 of them" in words
    (first, last), (low, high) = view_of(shown)
    assert (first < 0.0, last > shown.leaves_day, low < -shown.allowed, high > shown.allowed) == (True,) * 4


# Gains of the runs, days apart, and what is said.
WORDS = [
    ([1.0, 1.0004], 30, "cannot be told yet: 1 more to go"),
    ([1.0, 1.0004, 1.0008], 1, "cannot be told yet: the runs lie within 7"),
    ([1.0, 1.0001, 0.9999, 1.0, 1.0001], 30, "No drift beyond what meter and chance"),
    ([1.0, 1.001, 1.002, 1.003, 1.004], 30, "lies outside"),
    ([0.99, 0.991, 0.992, 0.993], 30, "ct/octave, on its way in."),
    ([1.0, 1.00002, 1.00004, 1.00006, 1.00008, 1.0001], 300, "stays within"),
]


@pytest.mark.parametrize(("gains", "days", "words"), WORDS)
def test_a_drift_is_told_only_where_the_runs_show_it(demo_file, gains, days, words):
    found = months(demo_file, gains, days=days)
    assert words in trend_words(trend(found, CHANNEL, "07", "scale"), Style())[0]


def test_runs_that_cannot_be_set_beside_each_other_are_left_out_and_said(demo_file):
    found = logged(demo_file)
    shown = trend(found, CHANNEL, "03", "scale")
    assert (shown.days.size, shown.others) == (1, 1)
    assert "One run was read with another correction" in trend_words(shown, Style())[1]
    assert "two notes or more" in trend_words(trend(found, CHANNEL, "99", "scale"), Style())[0]
    warm = months(demo_file, [1.0, 1.001, 1.002], celsius=20.0)
    assert all("°C" not in one for one in trend_words(trend(warm, CHANNEL, "07", "scale"), Style()))


def test_a_clock_that_was_nonsense_takes_no_part(demo_file):
    months(demo_file, [1.0])
    for k, when in enumerate(("", "9999-12-31T00:00:00", "0001-01-01", "yesterday")):
        run = msgspec.structs.replace(as_found(demo_file), id=f"odd-{k}", uid="", created=when, serial="07", meter=None)
        added(demo_file, run, wanted(run, NOTES))
    assert trend(logged(demo_file), CHANNEL, "07", "scale").days.size == 1


def test_the_log_holds_what_was_done_and_is_searched_by_all_words(demo_file):
    held = HeldRecord("E", 1638, 2621)
    demo_file.add_send(SendRecord(0, "workshop-board", "03", "pitch-a", "2026-11-12T08:00:00", held, held, None, True))
    bench, found = demo_file.bench(), logged(demo_file)
    assert [one.kind for one in found] == ["sent", "run", "adopted", "run", "run"]
    assert [one.when for one in found] == sorted((one.when for one in found), reverse=True)
    for words, count in (("", 5), ("POCKET", 1), ("03 constants", 2), ("2026-11-10 found", 1), ("nowhere", 0)):
        assert len(searched(found, bench, words)) == count, words
    said = carried(demo_file.adoptions(), demo_file.sends(), CHANNEL, "03", Style())
    assert said.startswith("Constants in force since 2026-11-10")
    assert "base 1638, scale 2621" in said
    assert carried([], [], CHANNEL, "03", Style()) == "Nominal values are in force; no board was sent any."


# -- runs of another bench -------------------------------------------------------------------------


@pytest.fixture
def other(demo_file, tmp_path):
    """A copy of the bench on which more was read."""
    path = tmp_path / "other.dynamis"
    demo_file.copy_to(path)
    with BenchFile.open(path) as file:
        months(file, [1.0, 1.001])
        yield file


def test_runs_of_another_bench_come_once_with_their_readings(demo_file, other):
    before = demo_file.in_force(CHANNEL, "03")
    merged = merge_runs(demo_file, other)
    assert (merged.runs, merged.readings, merged.known) == (2, 2 * NOTES.size, 3)
    assert "2 runs with 32 readings came from other; 3 were here already" in merged.words("other")
    mine, theirs = everything(demo_file), everything(other)
    assert {run.uid for run in mine.runs} == {run.uid for run in theirs.runs}
    assert sorted((row.uid, row.value, row.taken) for row in mine.readings) == sorted(
        (row.uid, row.value, row.taken) for row in theirs.readings
    )
    assert demo_file.in_force(CHANNEL, "03") == before
    again = merge_runs(demo_file, other)
    assert (again.runs, again.readings, again.voids, again.words("other")[:11]) == (0, 0, 0, "Nothing new")
    added_units = with_units_of(demo_file.bench(), demo_file.runs())
    assert [unit.serial for unit in added_units.bench.gear_by("workshop-board").units][-1] == "07"


def test_a_run_that_is_older_does_not_become_the_newest_by_coming(demo_file, other):
    """The course judges the last run of a channel; what came from elsewhere stands where it belongs in time."""
    old = msgspec.structs.replace(as_found(other), id="old", uid="", created="2025-01-01T00:00:00+00:00", title="Old")
    added(other, old, wanted(old, NOTES))
    before = runs_of(demo_file.runs(), CHANNEL, "03")
    merge_runs(demo_file, other)
    assert [run.title for run in runs_of(demo_file.runs(), CHANNEL, "03")] == ["Old", *(run.title for run in before)]


def test_a_run_that_went_on_there_is_completed_and_its_voids_come(demo_file, other):
    run = as_found(other)
    other.add_readings(run.id, [(40.0, 0.33, None, 0.0)])
    other.set_void(other.readings(run.id)[0].id, True, "bad contact")
    merged = merge_runs(demo_file, other)
    assert (merged.readings, merged.voids) == (2 * NOTES.size + 1, 1)
    row = demo_file.readings(run.id)[0]
    assert (row.voided, row.void_reason) == (True, "bad contact")


def renamed(file, **values):
    gear = msgspec.structs.replace(file.bench().gear_by("workshop-board"), **values)
    file.record("rename", file.bench().with_gear(gear))


def test_runs_of_gear_that_is_not_here_stay_and_are_named(demo_file, other):
    renamed(other, name="Attic board")
    merged = merge_runs(demo_file, other)
    assert (merged.runs, merged.strange) == (0, ("Attic board",))
    assert "'Attic board'" in merged.words("other")
    renamed(demo_file, name="Attic board")
    assert merge_runs(demo_file, other).runs == 2


OLD = sorted((Path(__file__).parents[1] / "files" / "old").glob("*.dynamis"))


@pytest.mark.parametrize("old", OLD, ids=lambda path: path.stem)
def test_files_of_older_versions_are_taken_in_once_and_left_as_they_are(demo_file, tmp_path, old):
    path = shutil.copy(old, tmp_path / "old.dynamis")
    came = []
    for _ in range(2):
        with BenchFile.open(Path(path), write=False) as held:
            came.append((merge_runs(demo_file, held).runs, len(held.runs())))
    assert came == [(came[0][1], came[0][1]), (0, came[0][1])]
    assert (Path(path).read_bytes(), len(OLD)) == (old.read_bytes(), 7)


def test_a_bench_is_not_filled_beyond_what_can_be_opened_again(demo_file, other, monkeypatch):
    monkeypatch.setattr(
        "dynamis.files.merging.MOST_APPENDED",
        sum(len(msgspec.json.encode(one)) for one in (*demo_file.runs(), *demo_file.adoptions(), other.runs()[-1])),
    )
    with pytest.raises(InputError, match="This bench is full: 1 runs came"):
        merge_runs(demo_file, other)
    assert len(demo_file.runs()) == 4


def test_a_bench_is_not_merged_into_itself_and_stops_when_told(demo_file, other):
    with pytest.raises(InputError, match="into itself"):
        merge_runs(demo_file, demo_file)
    assert merge_runs(demo_file, other, lambda: True).runs == 0
