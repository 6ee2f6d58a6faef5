"""The colours of the light and the dark theme.

Verdict colours are taken so that people with any common colour vision tell them apart; each has a shape
besides (see `verdict.py`).
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Colours:
    """One theme; every colour as #rrggbb."""

    dark: bool
    ground: str
    panel: str
    field: str
    ink: str
    muted: str
    rule: str
    grid: str
    thread: str
    thread_wash: str
    blue: str
    blue_wash: str
    amber: str
    vermilion: str
    violet: str
    grey: str
    button: str
    button_ink: str


LIGHT = Colours(
    dark=False,
    ground="#e8ecef",
    panel="#f8fafc",
    field="#ffffff",
    ink="#16212b",
    muted="#566573",
    rule="#c3ced6",
    grid="#dde3e8",
    thread="#c2185b",
    thread_wash="#f3e3ea",
    blue="#0b5cad",
    blue_wash="#dbe7f2",
    amber="#9a5b00",
    vermilion="#c23b14",
    violet="#6b2d90",
    grey="#6b7884",
    button="#16212b",
    button_ink="#ffffff",
)

DARK = Colours(
    dark=True,
    ground="#12181d",
    panel="#1b232a",
    field="#141b21",
    ink="#e7edf1",
    muted="#9fb0bc",
    rule="#3a4853",
    grid="#28333c",
    thread="#ff6fa3",
    thread_wash="#3a2530",
    blue="#7db8f5",
    blue_wash="#1f3448",
    amber="#e2a64a",
    vermilion="#ff8b66",
    violet="#c99bec",
    grey="#8fa0ac",
    button="#e7edf1",
    button_ink="#12181d",
)
