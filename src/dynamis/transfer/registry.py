"""Transfers at rest: `{kind, version, values}` through a registry of kinds.

An unknown kind is kept as it is, so that a bench written by a program that knows more loses nothing
here; it cannot be judged.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from importlib import import_module
from typing import Any, Final

import msgspec

from dynamis.errors import InputError
from dynamis.transfer.chain import Transfer


class StoredTransfer(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A transfer as the bench keeps it."""

    kind: str
    version: int
    values: dict[str, Any]


# What a transfer's own fields may be, by how they are declared; and the largest number among them.
_TYPES: Final[dict[str, tuple[type, ...]]] = {
    "float": (float, int),
    "float | None": (float, int, type(None)),
    "int": (int,),
    "int | None": (int, type(None)),
    "bool": (bool,),
    "str": (str,),
}
_MOST: Final = 1e13


def _check_fields(field_value: Any) -> None:
    """Raises `ValueError` where a field of a transfer, or of what it is made of, is of another type or size."""
    if isinstance(field_value, bool | str | bytes) or field_value is None:
        return
    if isinstance(field_value, float | int):
        if not -_MOST <= field_value <= _MOST:
            raise ValueError
    elif is_dataclass(field_value):
        for one in fields(field_value):
            value, allowed = getattr(field_value, one.name), _TYPES.get(str(one.type))
            right = allowed is None or isinstance(value, allowed)
            if not right or (isinstance(value, bool) and allowed is not None and bool not in allowed):
                raise ValueError
            if "limit" in one.name and isinstance(value, float | int) and value < 0:
                raise ValueError
            _check_fields(value)
    elif isinstance(field_value, Mapping):
        for value in field_value.values():
            _check_fields(value)
    elif isinstance(field_value, tuple | list | frozenset):
        for value in field_value:
            _check_fields(value)


# Transfers that are kept for the next time they are asked for.
_MOST_KEPT = 2000


class Registry:
    """Kinds of transfer by name, each with a version and a maker that takes an id and the values."""

    def __init__(self) -> None:
        self._kinds: dict[str, tuple[int, Callable[[str, dict[str, Any]], Transfer]]] = {}
        self._later: dict[str, str] = {}
        self._made: dict[tuple[str, int], tuple[StoredTransfer, Transfer]] = {}

    def register(self, kind: str, version: int, make: Callable[[str, dict[str, Any]], Transfer]) -> None:
        """Add a kind.  Raises `InputError` when the name is taken."""
        if kind in self._kinds:
            raise InputError(f"A transfer of the kind {kind!r} is registered already.")
        self._kinds[kind] = (version, make)

    def later(self, module: str, *kinds: str) -> None:
        """Kinds that a module registers, which is imported when the first of them is asked for."""
        self._later |= dict.fromkeys(kinds, module)

    def forget(self, kind: str) -> None:
        """Take a kind out again; what was stored under it stays as it is."""
        self._kinds.pop(kind, None)
        self._made.clear()

    def knows(self, stored: StoredTransfer) -> bool:
        """Whether this program can make the transfer: the kind is known and not newer than ours."""
        if stored.kind not in self._kinds and stored.kind in self._later:
            import_module(self._later[stored.kind])
        return stored.kind in self._kinds and stored.version <= self._kinds[stored.kind][0]

    def make(self, transfer_id: str, stored: StoredTransfer) -> Transfer:
        """The transfer itself.  Raises `InputError` for an unknown kind, a newer version or bad values.

        One that was made of this very record before is given again: records and transfers do not change.
        """
        kept = self._made.get((transfer_id, id(stored)))
        if kept is not None and kept[0] is stored:
            return kept[1]
        if not self.knows(stored):
            raise InputError(
                f"The transfer {transfer_id!r} is of the kind {stored.kind!r}, version {stored.version}, "
                "which this program does not know; it is kept as it is."
            )
        try:
            transfer = self._kinds[stored.kind][1](transfer_id, stored.values)
            _check_fields(transfer)
        except InputError:
            raise
        except (TypeError, KeyError, ValueError, AttributeError) as error:
            raise InputError(
                f"The transfer {transfer_id!r} of the kind {stored.kind!r} is not complete, or holds what does "
                "not belong there."
            ) from error
        if len(self._made) >= _MOST_KEPT:
            self._made.clear()
        self._made[transfer_id, id(stored)] = stored, transfer
        return transfer


REGISTRY = Registry()
