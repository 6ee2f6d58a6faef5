"""Values kept from when the checks against outside sources held: they tell that nothing has moved since.

What a room gives for seeded inputs is laid flat and compared with `tests/kept/NAME.json`, figures to seven digits.
Where a change is meant: `KEEP=1 ./test tests/…`, and look at the difference before it is committed.
"""

from __future__ import annotations

import dataclasses
import enum
import functools
import json
import math
import os
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from dynamis.errors import InputError

_FOLDER = Path(__file__).with_name("kept")
_MOST = 24


def laid_flat(value: Any, depth: int = 5) -> Any:
    """What JSON can hold of a value: fields and properties of records, some of long arrays and their sum."""
    if value is None or isinstance(value, bool | str):
        return value
    if isinstance(value, enum.Enum):
        return value.name
    if isinstance(value, int | np.integer | np.bool_):
        return int(value)
    if isinstance(value, float | np.floating):
        number = float(value)
        if not math.isfinite(number):
            return str(number)
        return 0.0 if abs(number) < 1e-12 else float(f"{number:.7g}")
    if isinstance(value, np.ndarray):
        flat = value.ravel()
        if flat.size <= _MOST:
            return [laid_flat(one) for one in flat.tolist()]
        total = float(np.nansum(np.where(np.isfinite(flat.astype(float)), flat.astype(float), 0.0)))
        return [laid_flat(one) for one in flat[:: flat.size // _MOST].tolist()] + [laid_flat(total)]
    if isinstance(value, dict):
        return {str(key): laid_flat(one, depth - 1) for key, one in value.items()}
    if isinstance(value, set | frozenset):
        return sorted(str(one) for one in value)
    if isinstance(value, tuple | list) or (isinstance(value, Iterable) and not hasattr(value, "__dict__")):
        return [laid_flat(one, depth - 1) for one in value]
    if depth <= 0 or callable(value):
        return type(value).__name__
    return _record(value, depth)


def _record(value: Any, depth: int) -> Any:
    kind = type(value)
    if isinstance(value, msgspec.Struct):
        names = list(kind.__struct_fields__)
    elif dataclasses.is_dataclass(value):
        names = [field.name for field in dataclasses.fields(value)]
    else:
        return kind.__name__
    named = {name: getattr(value, name) for name in names}
    for name in dir(kind):
        member = getattr(kind, name, None)
        if not name.startswith("_") and isinstance(member, property | functools.cached_property):
            try:
                named[name] = getattr(value, name)
            except (InputError, ArithmeticError, ValueError, LookupError, TypeError, AttributeError) as error:
                named[name] = type(error).__name__
    return {name: laid_flat(one, depth - 1) for name, one in sorted(named.items())}


def attempt(work: Callable[[], Any]) -> Any:
    """What a call gives, or the sentence that it refuses with."""
    try:
        return work()
    except InputError as error:
        return f"{type(error).__name__}: {error}"


def hold(name: str, values: Any) -> None:
    """Compare with what was kept, or keep it."""
    path, now = _FOLDER / f"{name}.json", json.loads(json.dumps(laid_flat(values, 7)))
    if os.environ.get("KEEP"):
        _FOLDER.mkdir(exist_ok=True)
        path.write_text(json.dumps(now, ensure_ascii=False, indent=0, sort_keys=True) + "\n", encoding="utf-8")
    moved = list(_moved(json.loads(path.read_text(encoding="utf-8")), now, name))
    assert not moved, "\n".join(moved[:12])


def _moved(kept: Any, now: Any, place: str) -> Iterable[str]:
    if isinstance(kept, dict) and isinstance(now, dict):
        for key in sorted(kept.keys() | now.keys()):
            yield from _moved(kept.get(key, "not there"), now.get(key, "not there"), f"{place}.{key}")
    elif isinstance(kept, list) and isinstance(now, list) and len(kept) == len(now):
        for k, (one, other) in enumerate(zip(kept, now, strict=True)):
            yield from _moved(one, other, f"{place}[{k}]")
    elif isinstance(kept, float | int) and isinstance(now, float | int) and not isinstance(kept, bool):
        if abs(kept - now) > 1e-6 * max(abs(kept), abs(now)) + 1e-12:
            yield f"{place}: {kept} was kept, {now} is given"
    elif kept != now:
        yield f"{place}: {kept!r} was kept, {now!r} is given"
