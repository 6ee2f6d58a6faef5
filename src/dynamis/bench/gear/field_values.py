"""Values of ports, gears and links by the paths of their fields, read and changed.

`gate.low_volts` is a value of the record at `gate`; `source.…` and `oscillator.…` are values of the stored transfer of
that kind; the poles have each their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import msgspec

from dynamis.bench.document.bench import Gear, Link, Power, Setting
from dynamis.bench.document.ports import (
    AudioRecord,
    ClockRecord,
    EnvelopeRecord,
    GateRecord,
    MidiRecord,
    Need,
    Normal,
    Pole,
    Port,
    PortRef,
    PotRecord,
    SwingRecord,
)
from dynamis.errors import InputError
from dynamis.transfer.registry import StoredTransfer

_RECORDS: Final[dict[str, Any]] = {
    "gate": GateRecord,
    "clock": ClockRecord,
    "swing": SwingRecord,
    "pot": PotRecord,
    "audio": AudioRecord,
    "midi": MidiRecord,
    "envelope": EnvelopeRecord,
    "power": Power,
}
_TRANSFERS: Final = {"source": "pitch-source", "oscillator": "oscillator"}
_WHOLE: Final = ("audio.channel", "midi.channel", "program_channel")


def value_of(record: Port | Gear | Link, path: str) -> Any:
    """The value at a path; None where it is not known, or where what it belongs to is not there."""
    first, _, rest = path.partition(".")
    if first == "poles":
        return _pole_value(record.poles, rest)  # type: ignore[union-attr]
    if first == "settings":
        return tuple((one.name, one.value) for one in record.settings)  # type: ignore[union-attr]
    if path == "needs":
        return tuple((one.setting, one.value) for one in record.needs)  # type: ignore[union-attr]
    if path == "clock.voids":
        clock = record.clock  # type: ignore[union-attr]
        return () if clock is None else tuple((one, "") for one in clock.voids)
    if first == "normal":
        normal = record.normal  # type: ignore[union-attr]
        if rest == "source":
            source = None if normal is None else normal.source
            return "" if source is None else f"{source.gear}/{source.port}"
        return ("" if not rest else None) if normal is None else getattr(normal, rest or "what")
    if first in _TRANSFERS:
        stored = _stored(record, first)
        return None if stored is None else stored.values.get(rest)
    inner = getattr(record, first)
    if not rest:
        return inner
    return getattr(_RECORDS[first]() if inner is None and first not in ("gate",) else inner, rest, None)


def with_value(record: Any, path: str, value: Any) -> Any:
    """The record with another value at a path."""
    first, _, rest = path.partition(".")
    if path in _WHOLE and value is not None:
        if not float(value).is_integer():
            raise InputError(f"{value:g} is no whole number; channels are counted.")
        value = int(value)
    changed = msgspec.structs.replace
    if first == "poles":
        return changed(record, poles=_with_pole(record.poles, rest, value))
    if first == "settings":
        return changed(record, settings=_with_settings(record.settings, value))
    if path == "needs":
        return changed(record, needs=tuple(Need(name, wanted) for name, wanted in value))
    if first == "normal":
        return changed(record, normal=_with_normal(record.normal, rest or "what", value))
    if first in _TRANSFERS:
        return changed(record, transfers=_with_transfer(record, first, rest, value))
    if not rest:
        return changed(record, **{first: _or_default(type(record), first, value)})
    if path == "clock.voids":
        value = tuple(name for name, _ in value)
    inner = getattr(record, first)
    if first == "gate" and inner is None:
        inner = GateRecord("driven" if record.direction == "output" else "positive")
    inner = _RECORDS[first]() if inner is None else inner
    return changed(record, **{first: changed(inner, **{rest: _or_default(type(inner), rest, value)})})


def _or_default(kind: type, name: str, value: Any) -> Any:
    """A field that is emptied takes its default where it cannot be unknown."""
    field = next(one for one in msgspec.structs.fields(kind) if one.name == name)
    if value is None and field.default is not None and field.default is not msgspec.NODEFAULT:
        return field.default
    return value


def _stored(record: Any, first: str) -> StoredTransfer | None:
    return next((one for one in record.transfers if one.kind == _TRANSFERS[first]), None)


def _with_transfer(port: Port, first: str, key: str, value: Any) -> tuple[StoredTransfer, ...]:
    kind, stored = _TRANSFERS[first], _stored(port, first)
    if stored is None and value is None:
        return port.transfers
    if stored is None:
        if port.law is None:
            raise InputError(f"{port.name} has no law yet; give it one first.")
        stored = StoredTransfer(kind, 1, {"law": port.law})
    values = {name: one for name, one in {**stored.values, key: value}.items() if one is not None}
    stored_transfer = StoredTransfer(kind, stored.version, values)
    return (*(one for one in port.transfers if one.kind != kind), stored_transfer)


def _with_normal(normal: Normal | None, key: str, value: Any) -> Normal | None:
    if key == "what" and not value:
        return None
    if key == "source":
        value = PortRef(*value.split("/", 1)) if value else None
    if normal is None:
        if key != "what" and value is not None:
            raise InputError("Say first what the jack is joined to while nothing is plugged in.")
        return Normal(value) if key == "what" else None
    return msgspec.structs.replace(normal, **{key: value})


def _with_settings(settings: tuple[Setting, ...], pairs: Sequence[tuple[str, str]]) -> tuple[Setting, ...]:
    known = {one.name: one for one in settings}
    return tuple(
        msgspec.structs.replace(known[name], value=value) if name in known else Setting(name.lower(), name, value)
        for name, value in pairs
    )


def _pole_value(poles: Sequence[Pole], rest: str) -> Any:
    at, _, key = rest.partition(".")
    pole = next((one for one in poles if one.at == at), None)
    if pole is None:
        return "" if key == "port" else None
    return getattr(pole, key or "carries")


def _with_pole(poles: Sequence[Pole], rest: str, value: Any) -> tuple[Pole, ...]:
    at, _, key = rest.partition(".")
    by_place: dict[str, Pole] = {one.at: one for one in poles or (Pole("tip", "signal"), Pole("sleeve", "return"))}
    if key and not value and at not in by_place:
        return tuple(poles)
    if key:
        if at not in by_place:
            raise InputError(f"There is no {at} on this jack yet; say what it carries first.")
        by_place[at] = msgspec.structs.replace(by_place[at], **{key: value})
    elif value is None:
        by_place.pop(at, None)
    else:
        by_place[at] = msgspec.structs.replace(by_place[at], carries=value) if at in by_place else Pole(at, value)  # type: ignore[arg-type]
    return tuple(by_place[one] for one in ("tip", "ring", "ring 2", "sleeve") if one in by_place)
