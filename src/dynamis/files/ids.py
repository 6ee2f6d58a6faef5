"""Ids that are unique across files, so that what two copies of a bench took can be put together again."""

from __future__ import annotations

import hashlib
import uuid


def fresh_uid() -> str:
    """An id that no other file has."""
    return uuid.uuid4().hex


def uid_of(*what: object) -> str:
    """The id of what an older file holds without one: the same in every copy of it."""
    return hashlib.sha256("\x1f".join(str(one) for one in what).encode()).hexdigest()[:32]
