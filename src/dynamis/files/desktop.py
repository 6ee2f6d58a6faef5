"""This user's desktop entry, icons, MIME type, man page and metadata: put where the desktop looks for them.

Sources: Desktop Entry, Icon Theme, Shared MIME-info and Base Directory specifications of freedesktop.org.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from importlib.resources import files
from pathlib import Path
from typing import Final

from dynamis.errors import InputError
from dynamis.files.writing import write_together

_ICON: Final = "dynamis.svg"
# Where each file goes, within the data of the user.
_PLACES: Final = {
    "applications/dynamis.desktop": "dynamis.desktop",
    "icons/hicolor/scalable/apps/dynamis.svg": _ICON,
    "icons/hicolor/scalable/mimetypes/application-x-dynamis-bench.svg": _ICON,
    "man/man1/dynamis.1": "dynamis.1",
    "metainfo/org.dynamis.Dynamis.metainfo.xml": "dynamis.metainfo.xml",
    "mime/packages/dynamis.xml": "dynamis.xml",
}
# What tells the desktop of the change, where it is there.
_CACHES: Final = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))
# A key of the entry quotes these within double quotes.
_QUOTED: Final = '"`$\\'
_SECONDS: Final = 30.0


def data_home() -> Path:
    """Where this user's data are: `XDG_DATA_HOME`, or what stands for it; a relative one counts for nothing."""
    configured = os.environ.get("XDG_DATA_HOME", "")
    return Path(configured) if os.path.isabs(configured) else Path.home() / ".local" / "share"


def install() -> list[Path]:
    """Write all files, or none; returns where they are.  Raises `InputError` where one cannot be written."""
    texts = {data_home() / place: _content(name) for place, name in _PLACES.items()}
    for path in texts:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise InputError(f"{path.parent}: the folder cannot be made: {error.strerror or error}.") from error
    write_together(texts)
    _tell_caches()
    return list(texts)


def remove() -> list[Path]:
    """Take away what `install` wrote, as far as it is there; returns what was taken away."""
    gone = []
    for place in _PLACES:
        path = data_home() / place
        try:
            path.unlink()
        except FileNotFoundError:
            continue
        except OSError as error:
            raise InputError(f"{path}: it cannot be taken away: {error.strerror or error}.") from error
        gone.append(path)
    if gone:
        _tell_caches()
    return gone


def _content(name: str) -> bytes:
    if name == _ICON:
        return (files("dynamis.ui.theme") / "icons" / _ICON).read_bytes()
    content = (files("dynamis.files") / "desktop_entry" / name).read_bytes()
    if name.endswith(".desktop"):
        return content.replace(b"Exec=dynamis %f", f"Exec={_command()} %f".encode())
    return content


def _command() -> str:
    """What starts this program, as a desktop entry writes it: a desktop may know less of the path than a shell."""
    beside = Path(sys.executable).with_name("dynamis")
    program = str(beside) if beside.exists() else shutil.which("dynamis")
    if program is None:
        return "dynamis"
    return quoted_command(program)


def quoted_command(path: str) -> str:
    """A command as the key Exec has it: quoted, and then its backslashes escaped as in any text of an entry."""
    if any(ord(letter) < 32 for letter in path):
        raise InputError("A command whose place has control characters cannot stand in a desktop entry.")
    quoted = "".join(f"\\{letter}" if letter in _QUOTED else letter for letter in path.replace("%", "%%"))
    return f'"{quoted}"'.replace("\\", "\\\\")


def _tell_caches() -> None:
    """Have the desktop read its folders anew; where that fails it does so by itself at the next login."""
    for command, folder in _CACHES:
        there = data_home() / folder
        if there.is_dir() and shutil.which(command):
            subprocess.run([command, str(there)], capture_output=True, timeout=_SECONDS, check=False)
