"""One part of a circuit."""

from __future__ import annotations

import msgspec


class Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """ohms : None for what is no resistor.  rail_volts : of the rail that it hangs on, 0 for none."""

    name: str
    ohms: float | None = None
    role: str = ""
    rail_volts: float = 0.0
