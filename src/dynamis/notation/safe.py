"""Texts of people made safe for what they go into: one line, a comment of SPICE or C, a cell of CSV, a terminal.

A name may come from anybody.  Every text that leaves the program for a format that means something by its characters
goes through here.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from typing import Final

# What a name, and a text quoted in a sentence, may have at most.
MOST_NAME, MOST_QUOTED = 200, 80
# A line on standard error, less the program's name ahead of it.
MOST_SENTENCE: Final = 390
# A number or a word that is read: no longer ones are looked at.
MOST_TOKEN: Final = 200
# Control, format (directions, joiners), line and paragraph separators, lone halves of pairs, private characters.
_UNSEEN: Final = ("Cc", "Cf", "Zl", "Zp", "Cs", "Co", "Cn")
_FORMULA: Final = ("=", "+", "-", "@", "\t", "\r")
_CELL_NUMBER: Final = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_LETTERS: Final = {
    "Ω": "Ohm",
    "µ": "u",
    "μ": "u",
    "°": "deg",
    "±": "+/-",
    "−": "-",
    "–": "-",
    "—": "-",
    "·": " ",
    "→": "->",
    "×": "x",
    "♯": "#",
    "♭": "b",
    "…": "...",
    "’": "'",
    "‘": "'",
    "“": '"',
    "”": '"',
    "ß": "ss",
    "æ": "ae",
    "œ": "oe",
    "ø": "o",
    "Æ": "AE",
    "Œ": "OE",
    "Ø": "O",
    "ł": "l",
    "Ł": "L",
    "\u00a0": " ",
}


def hidden(text: str) -> bool:
    """Whether a text has a character that is not seen as it is: a control, a direction, a line break."""
    return not text.isprintable() and any(unicodedata.category(one) in _UNSEEN for one in text)


def one_line(text: str, most: int = MOST_NAME) -> str:
    """The text on one line, without characters that are not seen, cut where it is too long."""
    seen = "".join(" " if one in "\n\r\t\v\f\x85\u2028\u2029" else one for one in text[: 8 * most])
    seen = "".join(one for one in seen if unicodedata.category(one) not in _UNSEEN)
    cleaned = " ".join(seen.split(" ")).strip()
    return cleaned if len(cleaned) <= most else cleaned[: most - 1] + "…"


def sentence_line(text: str) -> str:
    """A sentence for standard error on one line; where it is too long, a name in its middle gives way, not its end."""
    line = one_line(text, 100 * MOST_SENTENCE)
    if len(line) <= MOST_SENTENCE:
        return line
    tail = MOST_SENTENCE // 2
    return f"{line[: MOST_SENTENCE - tail - 1]}…{line[-tail:]}"


def quoted(text: object, most: int = MOST_QUOTED) -> str:
    """A text as it stands in a sentence: in quotes, on one line, cut."""
    return repr(one_line(str(text)[: 4 * most], most))


def ascii_line(text: str, most: int = 400) -> str:
    """The text in printable ASCII on one line: letters with their marks taken off, a question mark for others."""
    spelt = "".join(_LETTERS.get(one, one) for one in one_line(text, most))
    plain = (one for one in unicodedata.normalize("NFKD", spelt) if not unicodedata.combining(one))
    return "".join(one if " " <= one <= "~" else "?" for one in plain)


def comment(text: str) -> str:
    """The text inside a comment of SPICE or C: nothing in it ends the comment, goes on with the next line or begins a
    trigraph."""
    line = ascii_line(text).replace("\\", "/")
    for mark, spaced in (("??", "? ?"), ("*/", "* /"), ("/*", "/ *"), ("//", "/ /")):
        while mark in line:
            line = line.replace(mark, spaced)
    return line


def csv_cell(value: object) -> object:
    """A cell that no spreadsheet takes for a formula: an apostrophe ahead of what begins like one and is no number."""
    if not isinstance(value, str) or not value.startswith(_FORMULA) or _CELL_NUMBER.fullmatch(value[:MOST_TOKEN]):
        return value
    return "'" + value


def csv_row(cells: Iterable[object]) -> list[object]:
    return [csv_cell(one) for one in cells]


def from_csv_cell(text: str) -> str:
    """A cell as it was before `csv_cell`."""
    return text[1:] if text.startswith("'") and text[1:].startswith(_FORMULA) else text


def terminal(text: str) -> str:
    """Lines for a terminal: line breaks stay, no other character that is not seen."""
    if text.replace("\n", "").isprintable():
        return text
    return "".join(one for one in text if one == "\n" or unicodedata.category(one) not in _UNSEEN)


def escaped_json(text: str) -> str:
    """JSON for a terminal: characters that are not seen as their escapes."""
    if text.isprintable():
        return text
    return "".join(one if one == "\n" or unicodedata.category(one) not in _UNSEEN else _escape(one) for one in text)


def _escape(text: str) -> str:
    units = text.encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{int.from_bytes(units[k : k + 2], 'big'):04x}" for k in range(0, len(units), 2))
