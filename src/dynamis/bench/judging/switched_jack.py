"""Switched jacks: what an input gets while nothing is plugged in, and what a plug takes away.

A knob behind the switch makes an offset of what feeds the jack inside, and an attenuator of what is plugged in; one
ahead of it acts on what is plugged in only.  Source: common practice, no source; the node by Kirchhoff's law.
"""

from __future__ import annotations

from msgspec.structs import replace

from dynamis.bench.chains.tree import why_no_path
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.knobs import turned
from dynamis.bench.judging.sides import may_send, own_ohms
from dynamis.electrics.net import loaded
from dynamis.notation.style import Style


def unplugged_span(bench: Bench, ref: PortRef) -> tuple[float, float] | None:
    """The least and the most volts that an input gets at its jack with nothing plugged in, ahead of its knobs; None
    where that is not known."""
    port = bench.port(ref)
    normal = port.normal
    if normal is None or port.ohms is None:
        return None
    if normal.source is not None and bench.has(normal.source):
        link = Link("", normal.source, (ref,))
        sends = None if why_no_path(bench, link, ref) else may_send(bench, link)
        ohms = own_ohms(bench.port(normal.source)) if normal.ohms is None else normal.ohms
    else:
        sends = None if normal.volts is None else (normal.volts, normal.volts)
        ohms = normal.ohms
    if sends is None or ohms is None:
        return None
    share, rest = loaded(ohms, [(port.ohms, port.rest_volts)])
    return share * sends[0] + rest, share * sends[1] + rest


def unplugged_words(bench: Bench, ref: PortRef, style: Style) -> str:
    """What an input had until something was plugged in, behind those of its knobs that act then too; "" where that is
    not known."""
    span, port = unplugged_span(bench, ref), bench.port(ref)
    if span is None:
        return ""
    words = _volts(span, style)
    if port.rest_volts == span[0] == span[1]:
        return f"it stood at {words}"
    knobs = turned(replace(port, knobs=tuple(one for one in port.knobs if one.behind_switch)))
    free = [knob for knob, _ in knobs.to_turn if knob.does == "depth" and knob.reach is not None]
    if free and span[0] == span[1]:
        low, high = (end * span[0] for end in free[0].reach or (0.0, 1.0))
        return f"it stood at {words}, of which {free[0].name} made an offset of {_volts((low, high), style)}"
    if not knobs.does_nothing:
        ends = sorted(knobs.gain * volts + knobs.offset_volts for volts in span)
        return f"it stood at {words}, and at {_volts((ends[0], ends[1]), style)} behind its knobs"
    return f"it stood at {words}"


def _volts(span: tuple[float, float], style: Style) -> str:
    first, last = (style.volts(one, 2) for one in span)
    return first if first == last else f"{first} to {last}"
