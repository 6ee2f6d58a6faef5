"""The one door that files are written through: whole or not at all, and never over what is no file.

A new file is made beside the old one, under a name that nobody guesses, held by a lock while it is written, synced, and
then put in the old one's place.  What is left of a writer that died is cleared by the next one in that folder.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import secrets
import stat
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Final

from dynamis.errors import InputError

_HOLDER, _DATA = ".dynamis-part", "-data"
_MOST_STEM: Final = 80
_NO_LINKS: Final = (errno.EPERM, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK, errno.EXDEV, errno.EACCES)


def write_whole(path: Path, data: str | bytes, *, replace: bool = True) -> None:
    """Write a file so that it is either there as a whole or left as it was.

    The mode of a file that is there is kept, a new one's follows the umask; what a symbolic link points to is written.
    Raises `InputError`, naming the file, when it cannot be written, is no file, or exists and `replace` is off.
    """
    write_together({path: data}, replace=replace)


def write_together(files: Mapping[Path, str | bytes], *, replace: bool = True) -> None:
    """Write several files: all of them, or none; each as `write_whole` does."""
    with contextlib.ExitStack() as stack:
        folders = []
        for path, data in files.items():
            payload = data.encode("utf-8") if isinstance(data, str) else data
            with _named(path):
                target = _free_target(path, replace=replace)
                part = stack.enter_context(_part(target))
                _fill(part, payload, private=target.exists())
                folders.append((path, target, part))
        for path, target, part in folders:
            with _named(path):
                _put_in_place(part, target, replace=replace)


@contextlib.contextmanager
def publish(path: Path, *, replace: bool = False) -> Iterator[Path]:
    """Give a path beside a file that something else fills; what is there at the end becomes the file, at once.

    Raises `InputError` when the file exists already (before and after) and `replace` is off, is no file, or cannot be
    written.
    """
    with contextlib.ExitStack() as stack:
        with _named(path):
            target = _free_target(path, replace=replace)
            if not os.access(target.parent, os.W_OK | os.X_OK):
                raise InputError(f"{path}: the folder {target.parent} is not there or cannot be written to.")
            part = stack.enter_context(_part(target))
        yield part
        with _named(path):
            _put_in_place(part, target, replace=replace)


def real_target(path: Path) -> Path:
    """What is written when a path is: what a symbolic link points to; refuses what is no file.

    Raises `InputError`, or `OSError` where the path cannot be looked at.
    """
    target = Path(os.path.realpath(path)) if path.is_symlink() else path
    try:
        mode = target.stat().st_mode
    except FileNotFoundError:
        return target
    if stat.S_ISDIR(mode):
        raise InputError(f"{path}: this is a folder; the name of a file was expected.")
    if not stat.S_ISREG(mode):
        raise InputError(f"{path}: this is no file (a device, a pipe or a socket); nothing was written.")
    return target


def _free_target(path: Path, *, replace: bool) -> Path:
    target = real_target(path)
    if not replace and os.path.lexists(target):
        raise FileExistsError
    return target


def _put_in_place(part: Path, target: Path, *, replace: bool) -> None:
    """Give a whole file its name; without `replace` never over one that came in between.  Raises `OSError`."""
    with contextlib.suppress(FileNotFoundError):
        os.chmod(part, stat.S_IMODE(target.stat().st_mode) & 0o777)
    if replace:
        os.replace(part, target)
    else:
        try:
            os.link(part, target)  # unlike a rename, a link never replaces what came in between
        except OSError as error:
            if error.errno not in _NO_LINKS:
                raise
            if os.path.lexists(target):
                raise FileExistsError from error
            os.rename(part, target)
    with contextlib.suppress(OSError):  # a folder that cannot be synced is still a folder
        folder = os.open(target.parent, os.O_RDONLY | os.O_CLOEXEC)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)


def clear_parts(folder: Path) -> None:
    """Take away the parts in a folder whose writer has died: nobody holds them."""
    for holder in folder.glob(f".*{_HOLDER}"):
        with contextlib.suppress(OSError):
            descriptor = os.open(holder, os.O_RDONLY | os.O_CLOEXEC | os.O_NOFOLLOW | os.O_NONBLOCK)
            try:
                fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
                if stat.S_ISREG(os.fstat(descriptor).st_mode):
                    _remove(holder)
            finally:
                os.close(descriptor)


def _remove(holder: Path) -> None:
    for ending in (_DATA, f"{_DATA}-journal", ""):
        with contextlib.suppress(OSError):
            os.unlink(f"{holder}{ending}")


@contextlib.contextmanager
def _part(target: Path) -> Iterator[Path]:
    """The path of a part beside a file, for something to fill; it is gone at the end, or has got the file's name.

    It is held by a lock on an empty file of its own, since a lock on a database would meet SQLite's.
    """
    clear_parts(target.parent)
    stem = os.fsdecode(os.fsencode(target.name)[:_MOST_STEM])
    while True:
        holder = target.with_name(f".{stem}.{secrets.token_hex(8)}{_HOLDER}")
        descriptor = os.open(holder, os.O_RDONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
        with contextlib.suppress(OSError):  # a file system without locks, or one who clears parts was quicker
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if holder.exists():
            break
        os.close(descriptor)
    try:
        yield Path(f"{holder}{_DATA}")
    finally:
        _remove(holder)
        os.close(descriptor)


def _fill(part: Path, payload: bytes, *, private: bool) -> None:
    # 0666 less the umask, as every new file; narrower until an old file's mode is given to it.
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC
    with os.fdopen(os.open(part, flags, 0o600 if private else 0o666), "wb") as stream:
        stream.write(payload)
        stream.flush()
        os.fsync(stream.fileno())


@contextlib.contextmanager
def _named(path: Path) -> Iterator[None]:
    """Trouble of the system as a sentence that names the file."""
    try:
        yield
    except InputError:
        raise
    except FileExistsError as error:
        raise InputError(f"{path}: the file exists already; it was left as it is.") from error
    except (OSError, ValueError, RuntimeError) as error:
        reason = getattr(error, "strerror", None) or error
        raise InputError(f"{path}: cannot be written: {reason}.") from error
