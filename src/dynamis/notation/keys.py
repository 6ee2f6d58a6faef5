"""`key=value,…` as laws and specifications are written."""

from __future__ import annotations

from collections.abc import Sequence

from dynamis.errors import InputError
from dynamis.notation.safe import quoted


def key_values(text: str, allowed: Sequence[str], whole: str, kind: str) -> dict[str, str]:
    """The values by their keys, in any order.

    whole : how errors call it all, such as "The law 'voct:a=1'".  kind : what takes these keys.
    Raises `InputError` for an unknown key, a part that is no `key=value`, and a key twice.
    """
    keys: dict[str, str] = {}
    for part in text.split(","):
        key, equals, value = (piece.strip() for piece in part.partition("="))
        if key not in allowed or not equals:
            raise InputError(
                f"{whole} has {quoted(part.strip())}; {kind} takes {', '.join(f'{one}=…' for one in allowed)}."
            )
        if key in keys:
            raise InputError(f"{whole} gives {key} twice.")
        keys[key] = value
    return keys
