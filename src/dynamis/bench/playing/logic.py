"""What can be edited of signals that are made of others, and the commands that change them.

As for gear: the window makes its dialog of these tables, so that no rule lives there.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import msgspec
from msgspec.structs import replace

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change
from dynamis.bench.gear.fields import Choices, Field
from dynamis.control.logic import (
    Chance,
    Divided,
    Edges,
    Envelope,
    Inverted,
    Joined,
    LogicLine,
    Multiplied,
    Ratcheted,
    Row,
    Sampled,
    asks_for,
    check_line,
    check_lines,
    make,
    takes_levels,
)
from dynamis.control.ratchets import bands
from dynamis.control.sampling import recorded
from dynamis.converter.playing.logic import given_by
from dynamis.converter.playing.rendering import Rendered
from dynamis.errors import InputError
from dynamis.notation.style import Style

KINDS: Final[dict[type[Any], str]] = {
    Divided: "a divided clock",
    Multiplied: "a multiplied clock",
    Joined: "two together, OR or AND",
    Inverted: "the opposite, NOT",
    Edges: "a level as an edge",
    Sampled: "sample and hold",
    Chance: "stepped random",
    Row: "a row of steps",
    Ratcheted: "ratchets",
    Envelope: "an envelope, to watch",
}
_USUAL: Final[dict[type[Any], str]] = {
    Divided: "divided",
    Multiplied: "multiplied",
    Joined: "joined",
    Inverted: "not",
    Edges: "edge",
    Sampled: "held",
    Chance: "random",
    Row: "row",
    Ratcheted: "ratchets",
    Envelope: "envelope",
}
_WORDS: Final = {"of": "Made of", "other": "and", "control": "Chosen by", "clock": "Stepped by", "reset": "Reset by"}
_ACTS: Final[Choices] = (
    ("edge", "starts once at each rise"),
    ("while-up", "stays up while the pulse is"),
    ("again", "starts again while the pulse is up"),
)
_WHOLE: Final = ("by", "waits", "times", "levels", "seed")
_NUMBERS: Final[dict[str, Field]] = {
    one.path: one
    for one in (
        Field("by", "Divided by", unknown=None),
        Field("waits", "Waits, pulses", unknown=None),
        Field("half", "Up for half of its counts", "flag"),
        Field("times", "Times", unknown=None),
        Field("how", "How", "choice", choices=(("or", "while one of them is up"), ("and", "while both are up"))),
        Field("on_volts", "On from", unit="V", unknown=None),
        Field("off_volts", "Off at", unit="V", unknown=None),
        Field("levels", "Levels, 0 for any", unknown=None),
        Field("seed", "Seed", unknown=None),
        Field("volts", "Steps", "list", "V", unknown=None),
        Field("thresholds", "Thresholds, from ×1 on", "list", "V", unknown=None),
        Field("attack_seconds", "Attack", unit="s", unknown=None),
        Field("decay_seconds", "Decay", unit="s", unknown=None),
        Field("acts", "It", "choice", choices=_ACTS),
        Field("low_volts", "Down", unit="V", unknown=None),
        Field("high_volts", "Up", unit="V", unknown=None),
    )
}


def names_for(rendered: Rendered, bench: Bench, *, levels: bool, before: str = "") -> list[str]:
    """Signals that a line can be made of: those of the converter, then those that are made ahead of `before`.

    levels : whether any will do; else only those that are up or down.
    """
    made = [one.name for one in bench.logic]
    later = made[made.index(before) :] if before in made else []
    fit = [one.name for one in rendered.signals if (levels or one.level is not None) and one.name not in later]
    return fit


def fresh_line(kind: type[Any], rendered: Rendered, bench: Bench) -> LogicLine:
    """A line of a kind to begin with, of what is there."""
    names = [field.name for field in msgspec.structs.fields(kind)]
    given: dict[str, Any] = {}
    for key in ("of", "other", "control", "clock"):
        if key in names:
            choices = names_for(rendered, bench, levels=takes_levels(kind, key))
            free = [one for one in choices if one not in given.values()]
            given[key] = _liked(free or choices or [""], kind, key)
    taken, name, number = {one.name for one in rendered.signals} | {one.name for one in bench.logic}, _USUAL[kind], 2
    while name in taken:
        name, number = f"{_USUAL[kind]} {number}", number + 1
    line: LogicLine = kind(name, **given)
    return line


def _liked(names: list[str], kind: type[Any], key: str) -> str:
    """What one most likely means: clocks for what steps, gates for envelopes, a row for what is chosen by."""
    if key == "control" or (kind is Edges and key == "of"):
        wanted = "row"
    elif kind is Envelope:
        wanted = "trigger"
    elif kind is Sampled and key == "of":
        wanted = "pitch"
    else:
        wanted = "clock4"
    return next((one for one in names if one.startswith(wanted)), names[0])


def line_fields(line: LogicLine, rendered: Rendered, bench: Bench, before: str = "") -> list[Field]:
    """The fields of a line, in the order of what it is made of.  before : what it is called on the bench."""
    found = [Field("name", "Name", "text", unknown=None)]
    for one in msgspec.structs.fields(type(line)):
        if one.name in _WORDS:
            names = names_for(rendered, bench, levels=takes_levels(type(line), one.name), before=before or line.name)
            nothing: Choices = (("", "nothing"),) if one.name == "reset" else ()
            here = getattr(line, one.name)
            missing: Choices = ((here, f"{here}, not there"),) if here and here not in names else ()
            found.append(
                Field(
                    one.name,
                    _WORDS[one.name],
                    "choice",
                    choices=(*nothing, *((name, name) for name in names), *missing),
                )
            )
    mine = {one.name for one in msgspec.structs.fields(type(line))}
    return [*found, *(field for key, field in _NUMBERS.items() if key in mine)]


def with_line_value(line: LogicLine, field: Field, value: Any) -> LogicLine:
    """The line with another value; raises `InputError` for one that it cannot have."""
    if field.path in _WHOLE:
        if not float(value).is_integer():
            raise InputError(f"{field.label} is {value:g}; a whole number was expected.")
        value = int(value)
    changed: LogicLine = replace(line, **{field.path: value})
    check_line(changed)
    return changed


def line_words(line: LogicLine, style: Style) -> str:
    """What its numbers mean: of ratchets, the voltage to set for each."""
    if not isinstance(line, Ratcheted):
        return ""
    step = line.thresholds[-1] - line.thresholds[-2] if len(line.thresholds) > 1 else line.thresholds[0] or 1.0
    lowest = line.thresholds[0]
    least, most = (0.0 if lowest > 0.0 else lowest - abs(step)), line.thresholds[-1] + abs(step)
    told = []
    for one in bands(line.thresholds, least, most):
        margin = style.engineering(one.margin_volts, "V")
        what = "nothing" if not one.times else f"×{one.times}"
        told.append(f"{style.volts(one.middle_volts, 3)} for {what} (± {margin})")
    return f"Set {', '.join(told)}; its reach taken as {style.volts(least, 2)} to {style.volts(most, 2)}."


def recordable(rendered: Rendered, line: Row) -> list[str]:
    """Signals that a row can be recorded from."""
    return [one.name for one in rendered.signals if one.level is None and one.name != line.name]


def recorded_row(line: Row, rendered: Rendered, bench: Bench, name: str) -> Row:
    """The row with what a signal stands at as each of its steps begins, the last time it comes round.

    Raises `InputError` where its clock never steps it.
    """
    given = given_by(rendered)
    make(line, given)
    _, played = given.rows[line.name]
    if not played:
        raise InputError(f"{line.clock} never steps it in what is played.")
    return replace(line, volts=tuple(recorded(given.level(name), played, line.volts)))


# -- commands ------------------------------------------------------------------------------------


def put_line(bench: Bench, line: LogicLine, before: str = "") -> Change:
    """Add a line at the end, or put it in the place of the one that was called `before`.

    What was made of that one is made of it under its new name.
    """
    check_line(line)
    names = [one.name for one in bench.logic]
    if before not in names:
        return _with(bench, (*bench.logic, line), f"make {line.name}")
    lines = tuple(line if one.name == before else _renamed(one, before, line.name) for one in bench.logic)
    return _with(bench, lines, f"change {line.name}")


def _renamed(line: LogicLine, before: str, name: str) -> LogicLine:
    moved = {key: name for key, of in asks_for(line).items() if of == before}
    made: LogicLine = replace(line, **moved) if moved else line
    return made


def remove_line(bench: Bench, name: str) -> Change:
    """Take a line out; raises `InputError` where another is made of it."""
    users = [one.name for one in bench.logic if name in asks_for(one).values()]
    if users:
        raise InputError(f"{users[0]} is made of {name}; take that out first.")
    return _with(bench, tuple(one for one in bench.logic if one.name != name), f"take out {name}")


def _with(bench: Bench, lines: Sequence[LogicLine], label: str) -> Change:
    check_lines(tuple(lines))
    return Change(label, replace(bench, logic=tuple(lines)))
