"""The lines of the board protocol: framing and checksum.  `docs/board-protocol.md` has the whole of it."""

from __future__ import annotations

import binascii
import re
from typing import Final

PROTOCOL: Final = 1
MOST_CHARACTERS: Final = 127
# Notes that a board may hold entries of, and numbers that a reply may have.
MOST_ENTRIES: Final = 128
ENTRIES_A_LINE: Final = 8
SILENCE_SECONDS: Final = 10.0
_NUMBER: Final = re.compile(r"-?[0-9]{1,18}")
ERRORS: Final = {
    1: "checksum",
    2: "length",
    3: "verb",
    4: "argument",
    5: "channel",
    6: "greeting",
    7: "load",
    8: "incomplete",
    9: "hash",
    10: "storage",
}


def crc(body: str) -> str:
    """Four digits over a line's body.  Source: CRC-16 of CCITT, initial value FFFF, not reflected."""
    return f"{binascii.crc_hqx(body.encode('latin-1'), 0xFFFF):04X}"


def frame(*fields: object) -> bytes:
    """A whole line of these fields, checksum and line end included."""
    body = " ".join(str(field) for field in fields)
    return f"{body} {crc(body)}\n".encode("latin-1")


def unframe(line: bytes) -> list[str] | None:
    """The fields of a line without its end, None where the checksum is missing or wrong."""
    body, space, given = line.decode("latin-1").rpartition(" ")
    return body.split(" ") if space and crc(body) == given else None


def whole(text: str, low: int, high: int) -> int | None:
    """A decimal number within bounds, None where it is none."""
    if not _NUMBER.fullmatch(text):
        return None
    number = int(text)
    return number if low <= number <= high else None
