"""Runs that are taken by themselves: in order, paused, cancelled, and through every trouble a bench can make."""

from __future__ import annotations

import re
import sys
import threading
from pathlib import Path

import msgspec
import numpy as np
import pytest

from dynamis.bench.document.records import AdoptionRecord, HeadRecord, ReadingRecord, RunRecord
from dynamis.bench.document.tuning import TuningRecord
from dynamis.bench.runs.analysis import analyse, head_of
from dynamis.bench.runs.boards import board_letter, difference_sentence, run_correction
from dynamis.bench.runs.drift import drift_sentence, find_drift
from dynamis.bench.runs.proving import STEPS, course_of, next_run
from dynamis.converter.firmware import BoardCorrection
from dynamis.demo.hidden import BOARD_LAW, DESIGN_NAME, lantern_world, shipped
from dynamis.demo.lantern import BENCH_METER, CHANNEL_A, PROFILE, bench
from dynamis.demo.standins import LanternStandins
from dynamis.devices.interface import DeviceError, Shown
from dynamis.devices.players import BoardPlayer
from dynamis.devices.scpi_meter import ScpiMeter
from dynamis.devices.serial_board import SerialBoard
from dynamis.devices.standins.board_logic import BoardDesign
from dynamis.devices.standins.direct import DirectBoard, DirectMeter
from dynamis.devices.standins.meter_model import MeterModel
from dynamis.devices.taking import Control, Progress, Settling, Taken, job_of, take_readings
from dynamis.errors import InputError
from dynamis.notation.style import Style
from timing import at_last, until

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
# The wires answer in real time: beside other tests, but one at a time.
pytestmark = pytest.mark.xdist_group("real time")
FAST = Settling(0.04, 0.02, 0.06)
PORT = bench().port(CHANNEL_A)
RUN = RunRecord(
    "r",
    "As found",
    CHANNEL_A.gear,
    "03",
    CHANNEL_A.port,
    "",
    BOARD_LAW,
    PROFILE,
    meter=BENCH_METER,
    output_ohms=1000.0,
    converter=PORT.transfers[0],
    plan=(36.0, 48.0, 60.0, 72.0, 84.0, 96.0),
)


class Bench:
    """The Lantern House with simulated time and no wires."""

    def __init__(self, warm_minutes: float = 60.0, unit: str = "03") -> None:
        self.seconds = 0.0
        self.world = lantern_world(5, lambda: self.seconds, warm_minutes)
        self.world.plug_in(unit)
        self.board = DirectBoard(BoardDesign(DESIGN_NAME, unit, "AB", 12, shipped()), self.world)
        self.meter = DirectMeter(MeterModel(self.world, seed=6))
        self.rows: list[ReadingRecord] = []
        self.told: list[Progress] = []

    def sleep(self, wait: float) -> None:
        self.seconds += wait

    def take(self, run: RunRecord, control: Control | None = None, tell=None, store=None) -> list[ReadingRecord]:
        self.rows, self.told = [], []

        def keep(taken: Taken) -> None:
            at = f"2026-01-01T{int(self.seconds) // 3600:02d}:{int(self.seconds) // 60 % 60:02d}:{int(self.seconds) % 60:02d}+00:00"
            number = len(self.rows) + 1
            self.rows.append(
                ReadingRecord(
                    number,
                    run.id,
                    number,
                    taken.note,
                    taken.shown.value,
                    at,
                    taken.code,
                    range_volts=taken.shown.range_volts,
                )
            )

        judge = lambda: analyse(run, self.rows)  # noqa: E731
        job = job_of(judge(), judge=judge)
        take_readings(
            job,
            BoardPlayer(self.board, "A", run.serial),
            self.meter,
            control=control or Control(),
            store=store or keep,
            tell=tell or self.told.append,
            sleep=self.sleep,
        )
        return self.rows


def test_as_few_as_will_do_are_taken_one_after_another_as_they_are_chosen():
    """Beside all 61 notes: the constants of a few readings are off by little more, as the world behind it knows."""
    every = tuple(float(note) for note in range(36, 97))
    few, made = msgspec.structs.replace(RUN, plan=every, enough_cents=0.5), Bench()
    rows = made.take(few)
    assert [row.note for row in rows[:2]] == [36.0, 96.0]
    assert rows[-1].note == 36.0
    assert 6 <= len(rows) <= 15
    assert made.told[-1].state == "done"
    assert {one.done for one in made.told} == set(range(len(rows) + 1))
    assert all(one.count >= one.done for one in made.told)
    judged = analyse(few, rows)
    assert (judged.next_note, judged.planned.to_go) == (None, 0)
    whole = analyse(few, Bench().take(msgspec.structs.replace(RUN, plan=every)))
    at = np.array([36.0, 96.0])
    lines = [one.fit.line.at(one.model.expected(at)) for one in (judged, whole)]
    assert 1200.0 * np.max(np.abs(lines[0] - lines[1])) < 2.0
    with pytest.raises(InputError, match="All notes of this run are read"):
        job_of(judged)


def test_every_note_is_read_and_the_first_one_again_at_the_end():
    made = Bench()
    rows = made.take(RUN)
    assert [row.note for row in rows] == [*RUN.plan, 36.0]
    assert [row.code for row in rows] == [148, 889, 1630, 2370, 3111, 3852, 148]
    assert {row.range_volts for row in rows} == {10.0}
    for row in rows:
        # 0.015 % + 4 counts of 0.1 mV, its rounding, and 10 MΩ on 1 kΩ
        true = made.world.true_volts("A", row.code) * 10e6 / (10e6 + 1000)
        assert row.value == pytest.approx(true, abs=0.00015 * true + 4.6e-4)
    assert made.told[-1] == Progress("done", 7, 7)
    assert made.world.code("A") == 0
    drift = find_drift(analyse(RUN, rows))
    assert not drift.too_much
    assert "has not moved" in drift_sentence(drift, Style()) or "little beside" in drift_sentence(drift, Style())


def test_a_unit_that_warms_is_told_by_its_first_note():
    slow = Bench(warm_minutes=0.0)
    run = msgspec.structs.replace(RUN, plan=tuple(np.arange(96.0, 35.0, -1)))
    waiting = slow.sleep
    slow.sleep = lambda wait: waiting(wait + 10.0)
    drift = find_drift(analyse(run, slow.take(run)))
    # −35 ppm/K over 12 K within 20 min is up to 0.7 ct an octave, 3.1 octaves above 0 V at 5.2 V
    assert drift.too_much
    assert -5.0 < drift.cents < -1.0
    assert "still warming" in drift_sentence(drift, Style())
    assert " in 21 min: " in drift_sentence(drift, Style())


def test_pause_makes_the_output_safe_and_go_on_plays_the_note_again():
    made, control, seen = Bench(), Control(), []

    def tell(progress: Progress) -> None:
        seen.append(progress)
        if progress.state == "stored" and progress.done == 2:
            control.pause()
        if progress.state == "paused":
            assert made.world.code("A") == 0
            threading.Timer(0.05, control.go_on).start()

    rows = made.take(RUN, control, tell)
    assert [row.note for row in rows] == [*RUN.plan, 36.0]
    assert [one.sentence for one in seen if one.state == "paused"] == [""]
    assert seen[-1].state == "done"


def test_cancel_ends_it_with_the_output_safe_and_nothing_lost():
    made, control, seen = Bench(), Control(), []

    def tell(progress: Progress) -> None:
        seen.append(progress)
        if progress.done == 3:
            control.cancel()

    rows = made.take(RUN, control, tell)
    assert len(rows) == 3
    assert seen[-1].state == "cancelled"
    assert made.world.code("A") == 0
    left = job_of(analyse(RUN, rows))
    assert left.notes == (72.0, 84.0, 96.0, 36.0)


def test_a_reading_that_cannot_be_stored_is_kept_and_stored_when_told():
    made, control, kept, refused = Bench(), Control(), [], []

    def store(taken: Taken) -> None:
        if len(kept) == 2 and not refused:
            refused.append(taken)
            raise InputError("the disk is full. Make room")
        kept.append(taken)

    def tell(progress: Progress) -> None:
        if progress.state == "paused":
            assert "disk is full" in progress.sentence
            control.go_on()

    made.take(RUN, control, tell, store)
    assert [one.note for one in kept] == [*RUN.plan, 36.0]
    assert kept[2] is refused[0]


def test_what_nobody_foresaw_is_raised_with_the_output_safe():
    made = Bench()

    def store(taken: Taken) -> None:
        raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        made.take(RUN, store=store)
    assert made.world.code("A") == 0


def test_what_cannot_be_taken_by_itself_is_refused():
    rows = Bench().take(RUN)
    with pytest.raises(InputError, match="All notes of this run are read"):
        job_of(analyse(RUN, rows))
    with pytest.raises(InputError, match="channel number 2"):
        board_letter(bench(), msgspec.structs.replace(CHANNEL_A, port="pitch-b"), "A")
    assert board_letter(bench(), msgspec.structs.replace(CHANNEL_A, port="pitch-b"), "AB") == "B"


# -- trouble in mid-run, at the ports -------------------------------------------------------------------

TROUBLE = [
    ("meter lead pulled", True, False, "is gone"),
    ("meter silent", True, False, "has not answered"),
    ("meter late", 1.3, None, "has not answered"),
    ("meter says", ["garbage"], [], "where a number was expected"),
    ("meter says", ["9.9E37"], [], "overload"),
    ("meter function", "FREQ", None, "measures frequency"),
    ("meter range", 1.0, None, "1 V range instead of 10 V"),
    ("board restart", None, None, "has restarted"),
    ("board damage", 1, None, "came damaged"),
    ("board mute", True, False, "has not answered"),
    ("unit", "02", "03", "has restarted|plug that one in"),
    ("held", None, None, "does not hold the correction"),
]


@pytest.mark.parametrize(
    ("hand", "value", "put_right", "word"), TROUBLE, ids=[f"{one[0]} {k}" for k, one in enumerate(TROUBLE)]
)
def test_trouble_in_mid_run_pauses_says_so_loses_nothing_and_goes_on(hand, value, put_right, word):
    lantern = LanternStandins()
    board = at_last(lambda: SerialBoard(lantern.board.path, reply_seconds=0.8, greeting_seconds=0.3))
    meter = at_last(lambda: ScpiMeter(lantern.meter.address, seconds=0.8))
    control, paused, taken = Control(), [], []
    job = job_of(analyse(RUN, []), settling=FAST)

    def tell(progress: Progress) -> None:
        if progress.state == "stored" and progress.done == 2:
            if hand == "held":
                lantern.board.logic.held["A"] = BoardCorrection("E", 5, 5)
                control.pause()
            else:
                lantern.do(hand, value)
        if progress.state == "paused":
            # A board that cannot be reached goes safe by itself, when it notices the silence.
            until(lambda: lantern.world.code("A") == 0 or hand == "board mute")
            paused.append(progress.sentence)
            if put_right is not None:
                lantern.do(hand, put_right)
            if hand == "held" and len(paused) >= 2:
                lantern.board.logic.held["A"] = shipped()
            threading.Timer(1.5 if hand == "meter late" else 0.1, control.go_on).start()

    try:
        take_readings(
            job, BoardPlayer(board, "A", "03", shipped().hash), meter, control=control, store=taken.append, tell=tell
        )
    finally:
        board.close()
        meter.close()
        lantern.close()
    assert any(re.search(word, one) for one in paused)
    # On a machine that is held up for a second, the wires are silent once more than the trouble makes them.
    assert sum("has not answered within" not in one for one in paused) <= 3
    assert [one.note for one in taken] == [*RUN.plan, 36.0]
    for one in taken:
        true = lantern.world.true_volts("A", one.code) * 10e6 / (10e6 + 1000)
        assert one.shown.value == pytest.approx(true, abs=2e-3)
    assert lantern.world.code("A") == 0


# -- the whole course -----------------------------------------------------------------------------------


# Quarter-comma mean tone on the twelve keys (its fifths are 5**(1/4), the definition), but for two that play nothing.
_FIFTHS = [(7 * k % 12, k * np.log2(5.0**0.25) % 1.0) for k in range(-3, 9)]
_OF_OCTAVE = dict(_FIFTHS)
MEAN_TONE = TuningRecord(
    "mean tone",
    tuple(None if n in (40, 41) else 261.6255653 * 2.0 ** (n // 12 - 5 + _OF_OCTAVE[n % 12]) for n in range(128)),
)


@pytest.mark.parametrize(("unit", "tuning"), [("03", None), ("02", None), ("03", MEAN_TONE)])
def test_the_course_ends_with_a_proof(unit, tuning):
    """From nominal codes to a verdict over fresh readings, with what comes next read off the records each time."""
    made = Bench(unit=unit)
    plan = tuple(note for note in np.arange(36.0, 97.0, 3.0).tolist() if tuning is None or tuning.hertz[int(note)])
    first = msgspec.structs.replace(RUN, serial=unit, plan=plan, tuning=tuning)
    runs, rows, adopted, actions = [first], {first.id: []}, None, []

    def judge(run_id: str):
        return analyse(next(run for run in runs if run.id == run_id), rows[run_id])

    def hash_of(head: HeadRecord) -> str:
        return run_correction(msgspec.structs.replace(first, head=head)).hash

    for _ in range(30):
        course = course_of(runs, judge, adopted, board_hash=made.board.held_hash("A"), hash_of=hash_of, style=Style())
        actions.append(course.action)
        head = HeadRecord() if adopted is None else adopted.head
        if course.action == "begin":
            runs.append(next_run(first, head, course.plan, run_id=f"r{len(runs)}", created=""))
            rows[runs[-1].id] = []
        elif course.action == "take":
            rows[course.run_id] = made.take(next(run for run in runs if run.id == course.run_id))
        elif course.action == "adopt":
            judged = judge(course.run_id)
            correction = judged.correction(course.correction)
            adopted = AdoptionRecord(
                1,
                "g",
                unit,
                "p",
                course.run_id,
                course.correction,
                head_of(correction, judged.model, judged.run),
                correction.worst_cents,
                0,
                "2026-01-01",
            )
        elif course.action == "send":
            made.board.send("A", run_correction(msgspec.structs.replace(first, head=head)), lambda part: None)
        else:
            break
    first_sent = [] if tuning is None else ["send"]  # the board was shipped with equal temperament
    assert actions == [
        *first_sent,
        "take",
        "adopt",
        "send",
        "begin",
        "take",
        "adopt",
        "send",
        "begin",
        "take",
        "nothing",
    ]
    assert course.at is None
    assert course.verdict == "within"
    assert "Proven by fresh readings: within tolerance" in course.sentence
    assert [run.title for run in runs] == ["As found", "After constants", "Proof"]
    assert len(rows["r2"]) == (122 if tuning is None else 60)  # 61 notes, 60 between, the first again
    model = first.model
    notes = np.arange(36.0, 97.0)
    notes = notes[np.isfinite(model.expected(notes))]
    wanted = model.expected(notes)
    true = np.array([made.world.true_volts("A", made.board.play("A", note)) for note in notes])
    assert np.max(np.abs(model.cents(true, wanted))) < 2.5
    assert [course.state(key) for key, _ in STEPS] == ["done"] * 5


def test_the_course_says_what_is_missing():
    def course(runs, adopted=None, board_hash=None):
        return course_of(
            runs,
            lambda run_id: analyse(RUN, []),
            adopted,
            board_hash=board_hash,
            hash_of=lambda head: "H" + head.kind,
            style=Style(),
        )

    assert course([]).action == "nothing"
    assert "Begin a run" in course([]).sentence
    assert [course([RUN], board_hash=held).action for held in (None, "Hnominal", "x")] == ["connect", "take", "send"]
    adopted = AdoptionRecord(
        1, "g", "03", "p", "r", "constants", HeadRecord("constants", "volts", 0.01, 0.99), 1, 1, ""
    )
    assert course([RUN], adopted).action == "type"
    assert "by hand" in course([RUN], adopted).sentence
    assert course([RUN], adopted, "Hnominal").action == "send"
    begun = course([RUN], adopted, "Hconstants")
    assert (begun.action, len(begun.plan)) == ("begin", 61)


def test_board_and_bench_are_compared_in_words():
    one, head = bench(), HeadRecord("constants", "volts", 0.0017, 0.9957)
    adopted = AdoptionRecord(
        1, CHANNEL_A.gear, "03", CHANNEL_A.port, "r", "constants", head, 1, 1, "2026-11-10T18:41:00+00:00"
    )
    assert difference_sentence(one, CHANNEL_A, HeadRecord(), shipped(), [], []) is None
    told = difference_sentence(one, CHANNEL_A, head, shipped(), [adopted], [])
    assert "The board holds the nominal values" in told
    assert "on the bench constants are in force" in told
    held = run_correction(msgspec.structs.replace(RUN, head=head))
    assert "the constants adopted 2026-11-10 for unit 03" in difference_sentence(
        one, CHANNEL_A, HeadRecord(), held, [adopted], []
    )
    assert "a table of 1 notes that this bench does not know" in difference_sentence(
        one, CHANNEL_A, HeadRecord(), BoardCorrection("E", 1, 2, 3, (4,)), [adopted], []
    )


def test_units_come_within_the_bar_of_the_benchmark():
    """Three of the two hundred units of `benchmarks/proving.py`: one ladder, one walk, one bow."""
    from proving import corrected_unit, within_bar

    units = [corrected_unit(seed) for seed in (0, 1, 2)]
    assert all(within_bar(one) for one in units)
    assert all(one["after the table"] < one["after constants"] < one["as found"] for one in units)


def test_a_reading_that_will_not_settle_is_named():
    made = Bench()
    values = iter(np.arange(0.0, 1.0, 0.01))
    made.meter.read = lambda: Shown(float(next(values)), 10.0)
    control, seen = Control(), []

    def tell(progress: Progress) -> None:
        if progress.state == "paused":
            seen.append(progress.sentence)
            control.cancel()

    made.take(RUN, control, tell)
    assert "note 36 does not settle; it still moves by 0.01 V" in seen[0]
    assert issubclass(DeviceError, InputError)
