"""Write the hashes of every wheel that a supported Python would take into the lock file.

    .venv/bin/python tools/lock.py requirements.lock

The versions stay as they are pinned there.  The registry that pip is set up for is asked, nothing is installed.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tempfile
from pathlib import Path

PYTHONS = ("3.11", "3.12", "3.13", "3.14")
# Machines that the program is set up on, with every C library that a wheel may ask for.
PLATFORMS = tuple(
    (*(f"manylinux_2_{minor}_{machine}" for minor in range(5, 42)), f"manylinux2014_{machine}")
    for machine in ("x86_64", "aarch64")
)


def pins(text: str) -> list[str]:
    """`name==version` of each package that a lock file names."""
    return re.findall(r"^([A-Za-z0-9._-]+==[^\s\\]+)", text, re.MULTILINE)


def hashes(pinned: list[str], python: str, platforms: tuple[str, ...]) -> dict[str, str]:
    """What pip would take, by the package's name as it is pinned; raises where a package has no wheel for it."""
    with tempfile.TemporaryDirectory() as folder:
        report = Path(folder) / "report.json"
        command = [
            sys.executable,
            "-m",
            "pip",
            "install",
            "--quiet",
            "--dry-run",
            "--ignore-installed",
            "--no-deps",
            "--only-binary",
            ":all:",
            "--target",
            folder,
            "--python-version",
            python,
            "--report",
            str(report),
            *(word for one in platforms for word in ("--platform", one)),
            *pinned,
        ]
        subprocess.run(command, check=True)
        found = json.loads(report.read_text(encoding="utf-8"))["install"]
    by_name = {
        _plain(one["metadata"]["name"]): one["download_info"]["archive_info"]["hashes"]["sha256"] for one in found
    }
    return {one: by_name[_plain(one.partition("==")[0])] for one in pinned}


def _plain(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def main() -> int:
    lock = Path(sys.argv[1])
    pinned = pins(lock.read_text(encoding="utf-8"))
    every: dict[str, set[str]] = {one: set() for one in pinned}
    for platforms in PLATFORMS:
        for python in PYTHONS:
            for one, digest in hashes(pinned, python, platforms).items():
                every[one].add(digest)
    lines = [" \\\n    ".join([one, *(f"--hash=sha256:{digest}" for digest in sorted(every[one]))]) for one in pinned]
    lock.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
