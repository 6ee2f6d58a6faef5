"""The course of correcting and proving a channel: where it stands, and what comes next.

Constants first, then a reading at each corrected code, then the table, then fresh readings of every note and of
the quarter tones between: a table made from readings at old codes is wrong by the linearity between the old
code and the new.  Nothing is remembered here; where the course stands is read off the runs, the adoptions
and what the board holds, so that it goes on after any interruption.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import msgspec
import numpy as np

from dynamis.bench.document.records import AdoptionRecord, HeadRecord, RunRecord
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.drift import drift_sentence, find_drift
from dynamis.bench.runs.planning import to_go_words
from dynamis.calibration.words import verdict_sentence
from dynamis.notation.style import Style
from dynamis.pitch.tolerance import Verdict

StepKey = Literal["found", "constants", "again", "table", "proof"]
Action = Literal["begin", "type", "take", "adopt", "send", "connect", "nothing"]
STEPS: Final[tuple[tuple[StepKey, str], ...]] = (
    ("found", "As found"),
    ("constants", "Constants"),
    ("again", "Read again"),
    ("table", "Table"),
    ("proof", "Proof"),
)


@dataclass(frozen=True)
class Course:
    """Where a channel stands.

    at : the step that comes next, None when all is done.  action : what to do for it.  sentence : why, and
    what it will do.  run_id : the run to go on with or to adopt from.  way : which way to adopt.
    plan : notes of a run to begin.  verdict : of the proof, None before it.
    halt : the sentence for which nobody should go on unasked, empty where there is none.
    """

    at: StepKey | None
    action: Action
    sentence: str
    run_id: str | None = None
    correction: Literal["constants", "table"] = "constants"
    plan: tuple[float, ...] = ()
    verdict: Verdict | None = None
    halt: str = ""

    def state(self, step: StepKey) -> Literal["done", "next", "later"]:
        order = [key for key, _ in STEPS]
        if self.at is None or order.index(step) < order.index(self.at):
            return "done"
        return "next" if step == self.at else "later"


def course_of(
    runs: Sequence[RunRecord],
    judge: Callable[[str], RunAnalysis | None],
    in_force: AdoptionRecord | None,
    *,
    board_hash: str | None,
    hash_of: Callable[[HeadRecord], str],
    style: Style,
) -> Course:
    """Where a channel of a unit stands.

    Parameters
    ----------
    runs : of this channel of this unit, oldest first.
    judge : a run's analysis by its id.
    in_force : the adoption in force, None where nominal values hold.
    board_hash : of what the connected board holds, None where no board of this unit is connected.
    hash_of : what the board should hold for a head.
    """
    head = HeadRecord() if in_force is None else in_force.head
    known = [run for run in runs if run.converter is not None]
    if not known:
        return Course(
            "found", "nothing", "Begin a run of this channel: it needs the board's converter, its law and your meter."
        )
    if head.kind == "nominal":
        other = board_hash is not None and board_hash != hash_of(head)
        return _as_found(known, judge, style, board_hash, other)
    if board_hash is not None and board_hash != hash_of(head):
        step: StepKey = "again" if head.kind == "constants" else "proof"
        what = "constants" if head.kind == "constants" else "table"
        return Course(step, "send", f"Send the {what} to the board; what it holds now is read back first and kept.")
    after = _after_constants(known, judge, head) if head.kind == "constants" else _proof(known, judge, head, style)
    return after if board_hash is not None else _by_hand(after, head)


def _by_hand(course: Course, head: HeadRecord) -> Course:
    """The same without a board: what it would take by itself is typed."""
    if course.action == "begin":
        what = "the two constants" if head.kind == "constants" else "the table"
        sentence = (
            f"Put {what} into the firmware by hand. {course.sentence} Type them, or connect board and meter, which "
            "take them by themselves."
        )
        return replace(course, action="type", sentence=sentence)
    if course.action == "take":
        return replace(course, action="connect", sentence=f"{course.sentence} Type them, or connect board and meter.")
    return course


def _as_found(
    known: list[RunRecord],
    judge: Callable[[str], RunAnalysis | None],
    style: Style,
    board_hash: str | None,
    holds_other: bool,
) -> Course:
    mine = [run for run in known if run.head.kind == "nominal"]
    judged = judge(mine[-1].id) if mine else None
    if judged is None:
        return Course("found", "begin", "Measure the channel with its nominal codes.", plan=known[-1].plan)
    if judged.next_note is not None and holds_other:
        return Course(
            "found", "send", "Send the nominal values to the board; what it holds now is read back first and kept."
        )
    if judged.next_note is not None:
        action: Action = "take" if board_hash is not None else "connect"
        return Course("found", action, f"{_left(judged)} of “{judged.run.title}” are still to be read.", judged.run.id)
    if judged.correction("constants") is None:
        return Course("found", "nothing", judged.why_no_fit, judged.run.id)
    halt = _warming(judged, style)
    if not halt and judged.verdict == "within":
        halt = f"As found it is {_verdict(judged, style)}: nothing has to be corrected."
    return Course(
        "constants",
        "adopt",
        "Adopt the two constants that the line through the readings gives.",
        judged.run.id,
        "constants",
        halt=halt,
    )


def _after_constants(known: list[RunRecord], judge: Callable[[str], RunAnalysis | None], head: HeadRecord) -> Course:
    whole = _whole_notes(known)
    mine = [run for run in known if run.head == head]
    judged = judge(mine[-1].id) if mine else None
    if judged is None or not set(whole) <= set(judged.run.plan):
        return Course("again", "begin", f"Read all {len(whole)} notes at their corrected codes.", plan=whole)
    if judged.next_note is not None:
        return Course("again", "take", f"{_left(judged)} at their corrected codes are still to be read.", judged.run.id)
    if judged.correction("table") is None:
        return Course("again", "nothing", judged.why_no_fit, judged.run.id)
    return Course(
        "table", "adopt", "Adopt the table: each note by its own reading, linearity included.", judged.run.id, "table"
    )


def _proof(
    known: list[RunRecord], judge: Callable[[str], RunAnalysis | None], head: HeadRecord, style: Style
) -> Course:
    whole = _whole_notes(known)
    # A tuning of keys has none between them: they are proved where they are played.
    quarters = tuple(note + 0.5 for note in whole[:-1]) if known[-1].tuning is None else ()
    plan = tuple(sorted((*whole, *quarters)))
    between = f" and {len(quarters)} quarter tones between" if quarters else ""
    mine = [run for run in known if run.head == head]
    judged = judge(mine[-1].id) if mine else None
    if judged is None or not set(plan) <= set(judged.run.plan):
        return Course(
            "proof",
            "begin",
            f"Prove it by fresh readings of {len(whole)} notes{between}.",
            plan=plan,
        )
    if judged.next_note is not None:
        return Course("proof", "take", f"{_left(judged)} of the proof are still to be read.", judged.run.id)
    verdict = _verdict(judged, style)
    warming = _warming(judged, style)
    if judged.verdict == "within":
        return Course(
            None,
            "nothing",
            f"Proven by fresh readings: {verdict}. Leave it as it is.",
            judged.run.id,
            verdict="within",
            halt=warming,
        )
    unknown = judged.verdict == "cannot-tell" and not bool(np.any(judged.expanded_cents > 0))
    what = (
        "give the accuracy of the instrument that it was read with; without it nothing is proved."
        if unknown
        else "the meter's own gain and zero decide it; a better meter, or a counter on the oscillator, would tell."
        if judged.verdict == "cannot-tell"
        else "look at the shape of what is left, then measure again."
    )
    return Course(
        None,
        "nothing",
        f"{verdict[0].upper()}{verdict[1:]}: {what}",
        judged.run.id,
        verdict=judged.verdict,
        halt=warming,
    )


def _whole_notes(known: list[RunRecord]) -> tuple[float, ...]:
    """Every whole note of the range that this channel's runs have been about, as far as its tuning plays it."""
    every = [note for run in known for note in run.plan]
    if not every:
        return ()
    notes = np.arange(np.ceil(min(every)), np.floor(max(every)) + 1.0)
    return tuple(notes[np.isfinite(known[-1].model.expected(notes))].tolist())


def _left(judged: RunAnalysis) -> str:
    if judged.planned is not None:
        words = to_go_words(judged.planned)
        return f"{words[:1].upper()}{words[1:]} readings"
    read = {row.note for row in judged.valid}
    left = f"{sum(note not in read for note in judged.run.plan)} of {len(judged.run.plan)} notes"
    asks = 0 if judged.shape is None else len(judged.shape.asks)
    return left if not asks else f"{left}, and {asks} more that decide{'s' if asks == 1 else ''} what is open,"


def _warming(judged: RunAnalysis, style: Style) -> str:
    drift = find_drift(judged)
    return drift_sentence(drift, style) if drift is not None and drift.too_much else ""


def _verdict(judged: RunAnalysis, style: Style) -> str:
    k = judged.deciding_index
    if judged.verdict is None or k is None:
        return "not judged"
    return verdict_sentence(
        judged.verdict,
        float(judged.error_cents[k]),
        float(judged.notes[k]),
        float(judged.expanded_cents[k]),
        float(judged.allowed_cents[k]),
        style,
    )


TITLES: Final[dict[str, str]] = {"nominal": "As found", "constants": "After constants", "table": "Proof"}


def next_run(like: RunRecord, head: HeadRecord, plan: tuple[float, ...], *, run_id: str, created: str) -> RunRecord:
    """A run of the same channel under the same conditions, with another head and plan."""
    return msgspec.structs.replace(
        like,
        id=run_id,
        title=TITLES[head.kind],
        created=created,
        head=head,
        plan=plan,
        # A table, and a proof, want every note.
        enough_cents=like.enough_cents if head.kind == "nominal" and plan == like.plan else None,
        held_hash=None,
        meter_identity="",
        warm_minutes=None,
        celsius=None,
    )
