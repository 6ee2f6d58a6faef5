"""What a port takes as a gate, and how it loads its node: the stored values made ready for judging."""

from __future__ import annotations

from dynamis.bench.document.ports import GateRecord, Port
from dynamis.electrics.gates.levels import GateInput


def gate_input(port: Port) -> tuple[GateInput | None, list[str]]:
    """What a port takes as a gate, and the names of values that are not known (then None)."""
    gate = port.gate or GateRecord("positive")
    shorting = gate.kind == "shorting"
    needed = {"on_volts": gate.on_volts, "off_volts": gate.off_volts, "ohms": port.ohms}
    if shorting:
        needed["pullup_volts"] = gate.pullup_volts
    lacks = [key for key, value in needed.items() if value is None]
    if gate.on_volts is None or gate.off_volts is None or port.ohms is None or lacks:
        return None, lacks
    works, absolute = port.works.span, port.bears.span
    return GateInput(
        gate.on_volts,
        gate.off_volts,
        "shorting" if shorting else "positive",
        port.ohms,
        port.rest_volts,
        works,
        absolute,
    ), []


def loading_of(port: Port) -> GateInput | None:
    """How a port loads the node that it hangs on beside others; None where its resistance is not known."""
    if port.ohms is None:
        return None
    absolute, kind = port.bears.span, "shorting" if port.pulls_up else "positive"
    return GateInput(0.0, 0.0, kind, port.ohms, port.rest_volts, absolute_limits=absolute)  # type: ignore[arg-type]
