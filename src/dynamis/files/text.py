"""Reading text files within bounds, and writing files so that no half-written one is ever left."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from dynamis.errors import InputError

MOST_BYTES: Final = 16 * 1024 * 1024


def read_text(path: Path, most_bytes: int = MOST_BYTES) -> str:
    """The text of a UTF-8 file, a byte-order mark taken off.

    Raises `InputError`, naming the file, when it is missing, unreadable, too large or not UTF-8.
    """
    try:
        size = path.stat().st_size
        if not path.is_file():
            raise InputError(f"{path}: this is no file that can be read.")
        if size > most_bytes:
            raise InputError(
                f"{path}: the file has {size / 1e6:.0f} MB; at most {most_bytes / 1e6:.0f} MB are read here."
            )
        data = path.read_bytes()
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror or error}.") from error
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputError(f"{path}: line {line} is not UTF-8 text.") from error


@contextmanager
def publish(path: Path) -> Iterator[Path]:
    """Give a temporary path beside a new file; what is there at the end becomes the file, at once.

    Raises `InputError` when the file exists already (before and after), or cannot be written.
    """
    if path.exists():
        raise InputError(f"{path}: the file exists already; it was left as it is.")
    if not os.access(path.parent, os.W_OK | os.X_OK):
        raise InputError(f"{path}: the folder {path.parent} is not there or cannot be written to.")
    temporary = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        yield temporary
        os.link(temporary, path)  # unlike a rename, a link never replaces what came in between
    except FileExistsError as error:
        raise InputError(f"{path}: the file exists already; it was left as it is.") from error
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}.") from error
    finally:
        temporary.unlink(missing_ok=True)


def write_whole(path: Path, data: str | bytes, *, replace: bool = True) -> None:
    """Write a file so that it is either there as a whole or left as it was.

    Raises `InputError`, naming the file, when it cannot be written, or exists and `replace` is off.
    """
    payload = data.encode("utf-8") if isinstance(data, str) else data
    if not replace and path.exists():
        raise InputError(f"{path}: the file exists already; it was left as it is.")
    temporary: str | None = None
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.", suffix=".part")
        with os.fdopen(handle, "wb") as stream:
            stream.write(payload)
            stream.flush()
            os.fsync(stream.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
        temporary = None
    except OSError as error:
        raise InputError(f"{path}: cannot be written: {error.strerror or error}.") from error
    finally:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
