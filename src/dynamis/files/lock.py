"""One writer for a bench file: a lock that the system lets go of when the process ends, however it ends.

It is a `flock`, which SQLite does not use.  Closing any descriptor of a live database would drop SQLite's own
locks, so the descriptor stays open until the last connection of this process to the file is gone.
"""

from __future__ import annotations

import fcntl
import logging
import os
from dataclasses import dataclass
from pathlib import Path

_LOG = logging.getLogger(__name__)
_held: dict[tuple[int, int], int] = {}  # by device and inode, the descriptor that holds the lock


@dataclass
class WriterLock:
    """The right to write a file; `release` it after its connection is closed."""

    key: tuple[int, int] | None

    def release(self) -> None:
        descriptor = None if self.key is None else _held.pop(self.key, None)
        self.key = None
        if descriptor is not None:
            os.close(descriptor)


def take_lock(path: Path) -> WriterLock | None:
    """The lock of a file; None when somebody has it already, this process included."""
    status = path.stat()
    key = (status.st_dev, status.st_ino)
    if key in _held:
        return None
    descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(descriptor)
        return None
    except OSError as error:
        # A file system without locks: one writer cannot be promised there, but the bench can be used.
        _LOG.warning("%s: no lock here: %s", path, error)
    _held[key] = descriptor
    return WriterLock(key)


def may_write(path: Path) -> bool:
    """Whether this process may write a file or into a folder, by the rights it has now."""
    return os.access(path, os.W_OK, effective_ids=os.access in os.supports_effective_ids)


def why_read_only(path: Path, write: bool) -> str:
    """The sentence for a bench that can only be looked at; `write` : whether it was asked for to be changed."""
    if not write:
        return f"{path.name} was opened for reading only."
    if not may_write(path) or not may_write(path.parent):
        return (
            f"{path.name} or its folder cannot be written to, so the bench can only be looked at; save a copy "
            "elsewhere to change it."
        )
    return (
        f"{path.name} is open in another window, so here it can only be looked at; close the other one, or save a copy "
        "to change it."
    )
