"""What a command prints: one JSON object, or an aligned table with units."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from typing import Any

import click

from dynamis.notation.safe import escaped_json, terminal


def number(value: float | None) -> float | int | None:
    """For JSON: None for what no double holds, whole numbers without a point."""
    if value is None or not math.isfinite(value):
        return None
    value = float(value)
    return int(value) if value.is_integer() and abs(value) < 2**53 else value


def emit_json(answer: dict[str, Any]) -> None:
    click.echo(escaped_json(json.dumps(answer, ensure_ascii=False, allow_nan=False)))


def say(text: str) -> None:
    """Lines for people; characters that are not seen never reach the terminal."""
    click.echo(terminal(text))


def emit_table(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    """A table aligned to the right under its headings."""
    widths = [
        max(len(heading), *(len(row[k]) for row in rows)) if rows else len(heading)
        for k, heading in enumerate(headings)
    ]
    lines = (
        "  ".join(cell.rjust(width) for cell, width in zip(line, widths, strict=True)).rstrip()
        for line in [headings, *rows]
    )
    say("\n".join(lines))
