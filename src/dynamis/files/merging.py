"""Runs of another bench file taken into this one; what is here already is known by its id, so it may be done again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import msgspec

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change, add_unit, new_id
from dynamis.bench.document.limits import MOST_RUNS
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.record_checks import check_run, counted
from dynamis.bench.document.records import ReadingRecord, RunRecord
from dynamis.errors import InputError
from dynamis.files.contents import add_rows
from dynamis.files.opening import MOST_APPENDED
from dynamis.files.store import BenchFile
from dynamis.notation.safe import quoted


@dataclass(frozen=True)
class Merged:
    """runs, readings, voids : how many came.  known : runs that were here.  strange : names of gear that is not."""

    runs: int = 0
    readings: int = 0
    voids: int = 0
    known: int = 0
    strange: tuple[str, ...] = ()

    def words(self, name: str) -> str:
        """What came of a bench of that name, and what did not."""
        runs = "One run" if self.runs == 1 else f"{self.runs} runs"
        readings = "one reading" if self.readings == 1 else f"{self.readings} readings"
        said = f"{runs} with {readings} came from {name}" if self.runs or self.readings else f"Nothing new in {name}"
        if self.voids:
            said += f", {self.voids} void"
        if self.known:
            said += f"; {self.known} {'was' if self.known == 1 else 'were'} here already"
        if self.strange:
            gear = ", ".join(quoted(one) for one in self.strange[:3])
            said += (
                f"; runs of {gear}{' and others' if len(self.strange) > 3 else ''} stay there, as no such gear is here"
            )
        return f"{said}. What is in force here stays."


def merge_runs(into: BenchFile, other: BenchFile, stop: Callable[[], bool] = lambda: False) -> Merged:
    """Take runs, readings and voids that are not here yet; adoptions stay where they are, so that no code changes.

    Gear is the same where its id and name are, or where its name is and no other here has it.  stop : asked before each
    run.  Raises `InputError`; what had come until then stays, and a second time brings the rest.
    """
    if into.path.resolve() == other.path.resolve():
        raise InputError("A bench cannot be merged into itself.")
    bench, theirs = into.bench(), other.bench()
    here = {run.uid: run for run in into.runs()}
    taken = {run.id for run in here.values()}
    held = sum(len(msgspec.json.encode(one)) for one in (*here.values(), *into.adoptions(), *into.sends()))
    runs = readings = voids = known = 0
    strange: list[str] = []
    for run in other.runs():
        if stop():
            break
        mine = here.get(run.uid)
        if mine is None:
            channel = _channel_here(bench, theirs, run.channel)
            if channel is None:
                strange += [name for name in (_name_of(theirs, run.gear),) if name not in strange]
                continue
            counted("runs", len(taken) + 1, MOST_RUNS)
            mine = _moved(run, new_id(run.title, taken), channel, bench, theirs)
            check_run(mine)
            held += len(msgspec.json.encode(mine))
            if held > MOST_APPENDED:
                raise InputError(f"This bench is full: {runs} runs came, and another file is wanted for the rest.")
            taken.add(into.add_run(mine).id)
            runs += 1
        else:
            known += 1
        more, void = _complete(into, mine.id, other.readings(run.id))
        readings, voids = readings + more, voids + void
    return Merged(runs, readings, voids, known, tuple(strange))


def with_units_of(bench: Bench, runs: Sequence[RunRecord]) -> Change:
    """The bench with every unit that runs of its gear were taken of."""
    change = Change("add the units of runs that came", bench)
    for run in runs:
        gear = next((one for one in change.bench.gear if one.id == run.gear), None)
        if gear is not None and all(unit.serial != run.serial for unit in gear.units):
            change = Change(change.label, add_unit(change.bench, gear.id, run.serial).bench)
    return change


def _name_of(bench: Bench, gear_id: str) -> str:
    return next((gear.name for gear in bench.gear if gear.id == gear_id), gear_id)


def _channel_here(bench: Bench, theirs: Bench, channel: PortRef) -> PortRef | None:
    """The port of this bench that a port of another is."""
    name = _name_of(theirs, channel.gear)
    named = [gear for gear in bench.gear if gear.name == name]
    exact = [gear for gear in named if gear.id == channel.gear]
    for gear in exact or (named if len(named) == 1 else []):
        if any(port.id == channel.port for port in gear.ports):
            return PortRef(gear.id, channel.port)
    return None


def _moved(run: RunRecord, run_id: str, channel: PortRef, bench: Bench, theirs: Bench) -> RunRecord:
    """A run as this bench has it; what hung on the output is named where it is here too."""
    hung = [_channel_here(bench, theirs, ref) for ref in run.plugged]
    return msgspec.structs.replace(
        run,
        id=run_id,
        gear=channel.gear,
        port=channel.port,
        plugged=tuple(ref for ref in hung if ref is not None),
    )


def _complete(into: BenchFile, run_id: str, theirs: Sequence[ReadingRecord]) -> tuple[int, int]:
    """Readings and voids of a run that were not here yet, taken in; how many of each."""
    mine = {row.uid: row for row in into.readings(run_id)}
    fresh = [row for row in theirs if row.uid not in mine]
    if fresh:
        add_rows(into, run_id, fresh)
        mine = {row.uid: row for row in into.readings(run_id)}
    void = [row for row in theirs if row.voided and not mine[row.uid].voided]
    for row in void:
        into.set_void(mine[row.uid].id, True, row.void_reason)
    return len(fresh), len(void)
