"""A channel's codes in a form of the user's own: a text with placeholders.

`{{name}}` stands for a value; what lies between `{{rows}}` and `{{/rows}}` is written once for each note, with
the values of that note.  A placeholder that is not known is refused with its line.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final

from dynamis.errors import InputError
from dynamis.notation.safe import MOST_QUOTED, one_line

_PLACE: Final = re.compile(r"\{\{\s*(/?[A-Za-z_]+)\s*\}\}")
_OPEN, _CLOSE = "rows", "/rows"
# A template has so many placeholders at most, and what is written so many characters.
_MOST_PLACES: Final = 20_000
_MOST_CHARACTERS: Final = 16_000_000


def filled(
    template: str, values: Mapping[str, str], rows: Sequence[Mapping[str, str]], where: str = "The template"
) -> str:
    """The text with all placeholders filled.

    values : of the channel.  rows : of each note; the same names in each.  Raises `InputError` naming the line for a
    placeholder that is not known, and for rows that do not open and close in turn.
    """
    out: list[str] = []
    at, inside, start = 0, False, 0
    known = {**values, **(rows[0] if rows else {})}
    line, counted, size = 1, 0, 0
    for count, found in enumerate(_PLACE.finditer(template)):
        if count >= _MOST_PLACES:
            raise InputError(f"{where}: it has more than {_MOST_PLACES} placeholders.")
        line += template.count("\n", counted, found.start())
        name, counted = found[1], found.start()
        if name not in (_OPEN, _CLOSE) and name not in known:
            raise InputError(f"{where}: line {line}: {_shown(found[1])} is not known; {', '.join(sorted(known))} are.")
        if name in (_OPEN, _CLOSE):
            if inside == (name == _OPEN):
                raise InputError(f"{where}: line {line}: {_shown(name)} stands where the other one was expected.")
            if inside:
                for row in rows:
                    out.append(_each(template[start : found.start()], {**values, **row}))
                    size += len(out[-1])
                    if size > _MOST_CHARACTERS:
                        raise InputError(
                            f"{where}: line {line}: more than {_MOST_CHARACTERS} characters would come of it."
                        )
            else:
                out.append(_each(template[at : found.start()], values, where, line))
            at = start = found.end()
            inside = not inside
    if inside:
        raise InputError(f"{where}: {{{{rows}}}} is not closed by {{{{/rows}}}}.")
    line = template.count("\n", 0, at) + 1
    return "".join([*out, _each(template[at:], values, where, line)])


def _shown(name: str) -> str:
    """A placeholder as a sentence shows it."""
    return f"{{{{{one_line(name, MOST_QUOTED)}}}}}"


def _each(text: str, values: Mapping[str, str], where: str = "", line: int = 0) -> str:
    def value(found: re.Match[str]) -> str:
        if found[1] not in values:
            at = line + text.count("\n", 0, found.start()) - text.count("\n")
            sentence = f"{_shown(found[1])} belongs between {{{{rows}}}} and {{{{/rows}}}}"
            raise InputError(f"{where}: line {max(1, at)}: {sentence}.")
        return values[found[1]]

    return _PLACE.sub(value, text)
