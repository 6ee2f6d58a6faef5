"""Option types of the command line: each turns text into a core value or says in one line why not."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import click

from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import quoted
from dynamis.pitch.laws import Law, parse_law
from dynamis.pitch.notes import Naming, parse_note_list
from dynamis.pitch.tuning import EqualTemperament, Tuning

ClickCommand = TypeVar("ClickCommand", bound=Callable[..., Any])


class Number(click.ParamType[Any]):
    """A plain number; with `whole`, an integer."""

    name = "number"

    def __init__(self, *, whole: bool = False) -> None:
        self.whole = whole

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float | int:
        if not isinstance(value, str):
            return float(value) if not self.whole else int(value)
        try:
            number = parse_plain(value, "the value")
        except InputError as error:
            self.fail(str(error), param, ctx)
        if not self.whole:
            return number
        if not re.fullmatch(r"\s*[+-]?[0-9]+\s*", value):
            self.fail(f"{quoted(value)} is not a whole number.", param, ctx)
        return int(value)


NUMBER = Number()
WHOLE = Number(whole=True)


@contextmanager
def naming_option(option: str) -> Iterator[None]:
    """Put the option's name before the sentence of a refusal that arises inside."""
    try:
        yield
    except InputError as error:
        raise InputError(f"{option}: {error}") from error


def law_from(option: str, text: str, naming: Naming) -> Law:
    with naming_option(option):
        return parse_law(text, naming)


def notes_from(option: str, text: str, naming: Naming) -> list[float]:
    with naming_option(option):
        return parse_note_list(text, naming)


def numbers_from(option: str, text: str) -> list[float]:
    with naming_option(option):
        return [parse_plain(part, f"An entry of {quoted(text)}") for part in text.split(",")]


def tuning_from(a4_hertz: float | None, scale: Path | None = None, keymap: Path | None = None) -> Tuning:
    """The tuning that the options name."""
    if scale is None:
        if keymap is not None:
            raise InputError("--keymap: a keymap lays a scale on the keys; --scale is needed beside it.")
        with naming_option("--a4"):
            return EqualTemperament(440.0 if a4_hertz is None else a4_hertz)
    from dynamis.files.scala import read_keymap, read_scale
    from dynamis.pitch.scale import ScaleTuning

    if keymap is None:
        with naming_option("--a4"):
            equal = EqualTemperament(440.0 if a4_hertz is None else a4_hertz)
        return ScaleTuning.on_note_60(read_scale(scale), equal.a4_hertz)
    if a4_hertz is not None:
        raise InputError("--a4: the keymap has a reference of its own; one of the two.")
    pair = read_scale(scale), read_keymap(keymap)
    with naming_option(str(keymap)):
        return ScaleTuning(*pair)


def whole_under_scale(option: str, notes: Sequence[float], scale: Path | None) -> None:
    """Refuse fractional notes under a scale, which has nothing between its keys."""
    broken = next((note for note in notes if not float(note).is_integer()), None)
    if scale is not None and broken is not None:
        raise InputError(f"{option}: note {broken:g} is no whole note; under --scale notes are whole.")


def pitch_options(command: ClickCommand) -> ClickCommand:
    """`--a4`, `--scale`, `--keymap`, `--middle-c` and `--json`, which every pitch command takes."""
    command = naming_options(command)
    file = click.Path(path_type=Path)
    command = click.option("--keymap", type=file, metavar="FILE.kbm", help="Which key plays which degree.")(command)
    command = click.option("--scale", type=file, metavar="FILE.scl", help="A scale in place of equal steps.")(command)
    return a4_option(command)


def a4_option(command: ClickCommand) -> ClickCommand:
    return click.option("--a4", "a4_hertz", type=NUMBER, help="Hertz of note 69; 440 where nothing is said.")(command)


def naming_options(command: ClickCommand) -> ClickCommand:
    """`--middle-c` and `--json`."""
    command = click.option("--json", "as_json", is_flag=True, help="One JSON object, full precision.")(command)
    return click.option(
        "--middle-c",
        type=click.Choice(["C3", "C4", "C5"]),
        default="C4",
        show_default=True,
        help="The name that note 60 carries.",
    )(command)


def naming_from(middle_c: str) -> Naming:
    return Naming(int(middle_c[1]))
