"""What can be edited of a knob, and of how an output follows inputs of its gear: records within a port.

As in `fields.py`: the window makes its dialogs of these tables, so that no rule lives there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace as with_
from typing import Any, Final

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.ports import Knob, Port, PortRef, Through, Way
from dynamis.bench.gear.fields import Choices, Field
from dynamis.bench.gear.knobs import turn_words, value_words
from dynamis.errors import InputError
from dynamis.notation.style import Style

_DOES: Final = (
    ("", "nothing that is known"),
    ("depth", "multiplies what comes in"),
    ("scale", "changes the scale"),
    ("offset", "adds volts"),
    ("octave", "adds octaves"),
)
_ENDS: Final = {"depth": ("", False), "scale": ("%", True), "offset": ("V", False), "octave": ("", False)}
KNOB_NAME: Final = Field("name", "Name", "text", unknown=None)


def knob_fields(knob: Knob) -> list[Field]:
    """The fields of a knob, by what it does."""
    fields = [KNOB_NAME, Field("does", "What it does", "choice", choices=_DOES)]
    if knob.does:
        unit, share = _ENDS[knob.does]
        times = ", times" if knob.does == "depth" else ", octaves" if knob.does == "octave" else ""
        steps = Field("steps", f"Of a switch, its positions{times}", "list", unit, unknown="turns freely", share=share)
        fields += [steps]
        if not knob.steps:
            fields += [
                Field("low", f"Turned down{times}", unit=unit, share=share),
                Field("high", f"Turned up{times}", unit=unit, share=share),
            ]
        fields += [Field("at", "It stands at, of its turn", unit="%", share=True, unknown="nobody looked")]
    fields += [
        Field("mark", "It has to stand at, in words", "text", unknown="where the link asks for it"),
        Field("proved", "That was proved by a reading", "flag"),
    ]
    if knob.does:
        fields += [Field("behind_switch", "Acts on what feeds the jack inside, too", "flag")]
    return fields


def with_knob_value(knob: Knob, field: Field, value: Any) -> Knob:
    """The knob with another value; what it did before means nothing once it does something else."""
    if field.path == "does" and value != knob.does:
        return replace(knob, does=value, low=None, high=None, steps=(), at=None)
    if field.path == "steps":
        return replace(knob, steps=tuple(value), low=None, high=None) if value else replace(knob, steps=())
    if value is None and field.path in ("name", "mark"):
        value = ""
    return replace(knob, **{field.path: value})


def knob_words(knob: Knob, style: Style) -> str:
    """A knob in a line: `Depth: × 0.000 to × 1.000, at 57 %`."""
    if not knob.does:
        return f"{knob.name}: {knob.mark}" if knob.mark else knob.name
    if knob.reach is None:
        return f"{knob.name}: how far it turns is not known"
    if knob.steps:
        does = " / ".join(value_words(knob, one, style) for one in knob.steps)
    else:
        does = " to ".join(value_words(knob, one, style) for one in (knob.low or 0.0, knob.high or 0.0))
    stands = "nobody looked" if knob.at is None else f"at {turn_words(knob, knob.value_at(knob.at), style)}"
    full = "" if knob.steps else f", a full turn {_turn(knob, style)}"
    return f"{knob.name}: {does}{full}; {stands}"


def _turn(knob: Knob, style: Style) -> str:
    """What a full turn does."""
    width = (knob.high or 0.0) - (knob.low or 0.0)
    if knob.does == "depth":
        return style.percent(100.0 * width, 0)
    return value_words(knob, width, style)


def through_fields(gear: Gear) -> list[Field]:
    """The fields of how an output follows inputs: one gain for each input of its gear."""
    fields = [
        Field("kind", "It is", "choice", choices=(("sum", "the sum of inputs"), ("joined", "one node with an input"))),
    ]
    for port in gear.ports:
        if port.direction == "input":
            fields += [
                Field(f"gain:{port.id}", f"{port.name}, times", unknown="not followed"),
                Field(f"limit:{port.id}", "its tolerance", unit="%", share=True, unknown="none"),
            ]
    return [
        *fields,
        Field("offset_volts", "Adds", unit="V", unknown="0 V"),
        Field("step_volts", "In steps of", unit="V", unknown="no steps"),
    ]


def through_value(through: Through | None, path: str) -> Any:
    """The value at a path; None where it is not followed, or nothing is added."""
    through = through or Through()
    what, _, input_id = path.partition(":")
    if input_id:
        way = next((one for one in through.ways if one.input == input_id), None)
        if way is None:
            return None
        return way.gain if what == "gain" else way.gain_limit or None
    value = getattr(through, path)
    return value if path == "kind" else value or None


def with_through_value(through: Through | None, field: Field, value: Any) -> Through:
    """With another value; a gain that is typed is not that of readings any more."""
    through = through or Through()
    what, _, input_id = field.path.partition(":")
    if not input_id:
        return replace(through, **{field.path: value if field.path == "kind" else value or 0.0})
    known = next((one for one in through.ways if one.input == input_id), None)
    if what == "limit":
        if known is None:
            raise InputError(f"{field.label.capitalize()}: give the gain first.")
        changed: Way | None = replace(known, gain_limit=value or 0.0)
    elif value is None:
        changed = None
    else:
        changed = Way(input_id, value) if known is None else replace(known, gain=value, proved=known.gain == value)
    if known is None:
        return through if changed is None else replace(through, ways=(*through.ways, changed))
    ways = tuple(changed if one is known else one for one in through.ways)
    return replace(through, ways=tuple(one for one in ways if one is not None))


def through_words(port: Port, gear: Gear, style: Style) -> str:
    """How an output follows inputs, in a line; "" where it follows none."""
    through = port.through
    if through is None or not through.ways:
        return ""
    names = {one.id: one.name for one in gear.ports}
    if through.kind == "joined":
        return f"one node with {names.get(through.ways[0].input, '?')}"
    said = []
    for way in through.ways:
        limit = f" ± {style.percent(100.0 * way.gain_limit, 2)}" if way.gain_limit else ""
        said.append(
            f"{names.get(way.input, '?')} × {style.number(way.gain, 4)}{limit}{', proved' if way.proved else ''}"
        )
    if through.offset_volts:
        said.append(style.volts(through.offset_volts, 3, sign=True))
    steps = f", in steps of {style.volts(through.step_volts, 4)}" if through.step_volts else ""
    return " + ".join(said) + steps


def port_choices(fields: list[Field], bench: Bench, ref: PortRef) -> list[Field]:
    """Fields of a port with the ports there are to choose from where one is named."""
    gear = bench.gear_by(ref.gear)
    outputs = tuple((port.id, port.name) for port in gear.ports if port.direction == "output")
    beside = tuple((port.id, port.name) for port in gear.ports if port.id != ref.port)
    every = tuple(
        (f"{one.id}/{port.id}", f"{one.name} · {port.name}")
        for one in bench.gear
        if not one.archived
        for port in one.ports
        if port.direction == "output" and port.role != "midi"
    )
    more = {"envelope.output": outputs, "poles.ring.port": beside, "normal.source": every}
    return [_with_choices(one, more[one.path]) if one.path in more else one for one in fields]


def gear_choices(fields: Sequence[Field], bench: Bench, gear_id: str) -> list[Field]:
    """Fields of a gear with the gear there is to choose from where one is named."""
    others = tuple((one.id, one.name) for one in bench.gear if one.id != gear_id and not one.archived)
    return [_with_choices(one, others) if one.path == "power.fed_by" else one for one in fields]


def _with_choices(field: Field, choices: Choices) -> Field:
    first = field.choices[:1] or (("", "none"),)
    return with_(field, kind="choice", choices=(*first, *choices))
