"""Tool tips that hold names: shown as they are, whatever the names look like."""

from __future__ import annotations

from html import escape


def plain_tip(text: str) -> str:
    """A text as a tool tip shows it: Qt takes what looks like HTML for HTML, and a name may look so."""
    return f"<qt>{escape(text)}</qt>" if "<" in text else text
