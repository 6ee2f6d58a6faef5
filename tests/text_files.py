"""Text files that tests read."""

from __future__ import annotations

from pathlib import Path


def csv_file(folder: Path, text: str, name: str = "readings.csv") -> Path:
    path = folder / name
    path.write_text(text, encoding="utf-8")
    return path
