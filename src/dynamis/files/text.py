"""Reading files within bounds."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from dynamis.errors import InputError

MOST_BYTES: Final = 16 * 1024 * 1024


def read_bytes(path: Path, most_bytes: int = MOST_BYTES) -> bytes:
    """The bytes of a file; a pipe or a device, which might never end, is none.

    Raises `InputError`, naming the file, when it is missing, unreadable, too large or no file.
    """
    try:
        size = path.stat().st_size
        if not path.is_file():
            raise InputError(f"{path}: this is no file that can be read.")
        if size > most_bytes:
            raise InputError(
                f"{path}: the file has {size / 1e6:.0f} MB; at most {most_bytes / 1e6:.0f} MB are read here."
            )
        with path.open("rb") as file:
            return file.read(most_bytes)
    except InputError:
        raise
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise InputError(f"{path}: cannot be read: {reason}.") from error


def read_text(path: Path, most_bytes: int = MOST_BYTES, *, or_latin: bool = False) -> str:
    """The text of a UTF-8 file, a byte-order mark taken off; or_latin : else in Latin-1, as old files are.

    Raises `InputError`, naming the file, when it is missing, unreadable, too large or not UTF-8.
    """
    data = read_bytes(path, most_bytes)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if or_latin:
            return data.decode("latin-1")
        line = data[: error.start].count(b"\n") + 1
        raise InputError(f"{path}: line {line} is not UTF-8 text.") from error
