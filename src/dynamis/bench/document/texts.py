"""Names and texts of a bench: one line, nothing hidden, of a length that can be shown."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final, TypeVar

import msgspec

from dynamis.errors import InputError
from dynamis.notation.safe import MOST_NAME, hidden, one_line

MOST_NOTES: Final = 20_000
# These may have several lines.
_LONG: Final = ("notes",)
Kept = TypeVar("Kept")


def check_texts(record: Any, what: str) -> None:
    """Refuse a record with a text that is hidden in part, has several lines or is too long, naming its place."""

    def refuse(text: str, place: str, most: int) -> str:
        if len(text) > most:
            raise InputError(f"{place} has {len(text)} characters; at most {most} are taken.")
        raise InputError(f"{place} has a line break, or a character that is not seen; one line was expected.")

    _walked(record, what, refuse)


def with_safe_texts(record: Kept) -> tuple[Kept, int]:
    """The record with every text on one line and cut where it has to be, and how many of them that were."""
    changed = 0

    def mend(text: str, place: str, most: int) -> str:
        nonlocal changed
        changed += 1
        if most == MOST_NAME:
            return one_line(text, most) or "?"
        return "\n".join(one_line(line, most) for line in text[:most].splitlines())

    return _walked(record, "", mend), changed


def _walked(value: Any, place: str, amiss: Callable[[str, str, int], str]) -> Any:
    """The value with the texts that are amiss replaced; the same object where none is."""
    if isinstance(value, str):
        return amiss(value, place, MOST_NAME) if len(value) > MOST_NAME or hidden(value) else value
    if isinstance(value, msgspec.Struct):
        changes = {}
        for key in value.__struct_fields__:
            old = getattr(value, key)
            if key in _LONG and isinstance(old, str):
                seen = old.replace("\n", "").replace("\t", "")
                new = amiss(old, f"{place}.{key}", MOST_NOTES) if len(old) > MOST_NOTES or hidden(seen) else old
            else:
                new = _walked(old, f"{place}.{key}" if place else key, amiss)
            if new is not old:
                changes[key] = new
        return msgspec.structs.replace(value, **changes) if changes else value
    if isinstance(value, tuple | list):
        items = [_walked(one, f"{place}[{k}]", amiss) for k, one in enumerate(value)]
        return value if all(a is b for a, b in zip(items, value, strict=True)) else type(value)(items)
    if isinstance(value, dict):
        pairs = {_walked(key, place, amiss): _walked(one, f"{place}.{key}", amiss) for key, one in value.items()}
        same = all(key in pairs and pairs[key] is one for key, one in value.items()) and len(pairs) == len(value)
        return value if same else pairs
    return value
