"""What can be edited of a port, a gear and a link: every field with its words, unit and rules.

The window makes its forms of these tables, so that no rule lives there.  The values stand in
`field_values.py`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal

from dynamis.bench.document.ports import Port
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantities, parse_quantity
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import Naming, note_label, parse_note

FieldKind = Literal["quantity", "text", "choice", "flag", "law", "note", "list", "pairs"]
Choices = tuple[tuple[Any, str], ...]
_SWITCHING: Final = ("gate", "trigger", "clock")
_WORDS: Final[dict[str, dict[str, str]]] = {
    "clock.acts": {"rise": "once, at a rise", "fall": "once, at a fall"},
    "clock.together": {
        "reset": "resets, then steps on",
        "reset-alone": "resets, clock lost",
        "clock": "steps, then resets",
    },
}
_CARRIES: Final[Choices] = (
    (None, "–"),
    ("signal", "signal"),
    ("second-signal", "second signal"),
    ("cold-leg", "cold leg"),
    ("supply", "supply"),
    ("return", "return"),
    ("nothing", "nothing"),
)


@dataclass(frozen=True)
class Field:
    """One field.  unit : of a quantity, as people type it; `share` values are typed in per cent.

    unknown : what an empty field means; None where it may not be empty.  roles, direction : of the ports that have
    it, empty for all.  gates : kinds of gate that have it, empty for all.
    """

    path: str
    label: str
    kind: FieldKind = "quantity"
    unit: str = ""
    unknown: str | None = "not known"
    choices: Choices = ()
    roles: tuple[str, ...] = ()
    direction: str = ""
    gates: tuple[str, ...] = ()
    share: bool = False

    def read(self, text: str, style: Style) -> Any:
        """The value that a text stands for; raises `InputError` with one sentence."""
        cleaned = text.strip()
        if self.kind in ("text", "pairs", "flag", "choice"):
            return _READ[self.kind](self, cleaned)
        if self.kind == "list":
            values = parse_quantities(cleaned, self.unit, self.label, decimal_comma=style.decimal_comma)
            return tuple(one / 100.0 for one in values) if self.share else values
        if not cleaned:
            if self.unknown is None:
                raise InputError(f"{self.label} is empty; a value was expected.")
            return None
        if self.kind == "law":
            parse_law(cleaned, Naming(style.middle_c))
            return cleaned
        if self.kind == "note":
            return parse_note(cleaned, Naming(style.middle_c))
        value = parse_quantity(cleaned, self.unit, self.label, decimal_comma=style.decimal_comma)
        return value / 100.0 if self.share else value

    def show(self, value: Any, style: Style) -> str:
        """A value as it is typed."""
        if value is None:
            return ""
        if self.kind == "note":
            return note_label(value, style)
        if self.kind == "quantity":
            shown = value * 100.0 if self.share else value
            if self.unit in ("V", "Ω", "s", "A", "Hz"):
                return style.engineering(shown, self.unit)
            return f"{style.typed(float(f'{shown:.6g}'))} {self.unit}".strip()
        if self.kind == "list":
            shown = [float(f"{one * 100.0:.6g}") if self.share else one for one in value]
            return style.listed(f"{style.typed(one)} {self.unit}".strip() for one in shown)
        if self.kind == "pairs":
            return "; ".join(f"{name} = {setting}" if setting else name for name, setting in value)
        return str(value)


def _read_pairs(field: Field, text: str) -> tuple[tuple[str, str], ...]:
    pairs = []
    for part in text.split(";"):
        name, _, value = (piece.strip() for piece in part.partition("="))
        if value and not name:
            raise InputError(f"{field.label} has {part.strip()!r}; a name before the = was expected.")
        if name:
            pairs.append((name, value))
    return tuple(pairs)


def _read_choice(field: Field, text: str) -> Any:
    for value, words in field.choices:
        if text in (words, str(value)):
            return value
    raise InputError(f"{field.label} is {text!r}; {', '.join(words for _, words in field.choices)} can be chosen.")


_READ: Final[dict[str, Any]] = {
    "text": lambda field, text: text,
    "pairs": _read_pairs,
    "choice": _read_choice,
    "flag": lambda field, text: text.lower() in ("yes", "true", "1"),
}


def _choice(path: str, label: str, *values: str, **more: Any) -> Field:
    words = {"dc": "DC-coupled", "ac": "AC-coupled", "hz": "Hz", "": "not known"} | _WORDS.get(path, {})
    choices = tuple((value, words.get(value, value.replace("-", " "))) for value in values)
    return Field(path, label, "choice", choices=choices, **more)


def _volts(path: str, label: str, **more: Any) -> Field:
    return Field(path, label, unit="V", **more)


PORT_FIELDS: Final = (
    Field("name", "Name", "text"),
    _choice("role", "Role", "pitch", "gate", "trigger", "clock", "modulation", "audio", "midi"),
    Field("law", "Law", "law", roles=("pitch",)),
    Field("ohms", "Resistance", unit="Ω"),
    Field("ohms_limit", "Its tolerance", unit="%", share=True, unknown=None),
    Field(
        "source.scale_limit", "Scale, limit", unit="%", share=True, unknown="none", roles=("pitch",), direction="output"
    ),
    _volts("source.offset_limit_volts", "Offset, limit", unknown="none", roles=("pitch",), direction="output"),
    _volts("source.low_volts", "Reaches down to", roles=("pitch",), direction="output"),
    _volts("source.high_volts", "Reaches up to", roles=("pitch",), direction="output"),
    _choice("release", "When no key is held", "held", "open", "grounded", roles=("pitch",), direction="output"),
    Field(
        "oscillator.scale_limit",
        "Scale, limit",
        unit="%",
        share=True,
        unknown="none",
        roles=("pitch",),
        direction="input",
    ),
    _choice("trimmers", "Trimmers inside", "none", "scale", "scale-and-offset", roles=("pitch",)),
    Field("tune_semitones", "Its tune knob, semitones either way", unknown=None, roles=("pitch",), direction="input"),
    _volts("silent_below_volts", "Falls silent below", unknown="never", roles=("pitch",), direction="input"),
    _choice("gate.kind", "Kind", "driven", "switch", roles=_SWITCHING, direction="output"),
    _choice("gate.kind", "Kind", "positive", "shorting", roles=_SWITCHING, direction="input"),
    _volts("gate.low_volts", "Low level", roles=_SWITCHING, direction="output", gates=("driven",)),
    _volts("gate.high_volts", "High level", roles=_SWITCHING, direction="output", gates=("driven",)),
    Field(
        "gate.level_limit",
        "Levels, limit",
        unit="%",
        share=True,
        unknown="none",
        roles=_SWITCHING,
        direction="output",
        gates=("driven",),
    ),
    Field(
        "gate.seconds",
        "Length of its pulse",
        unit="s",
        unknown="as long as a key is held",
        roles=_SWITCHING,
        direction="output",
    ),
    _volts("gate.pullup_volts", "Pull-up to", roles=_SWITCHING, direction="input", gates=("shorting",)),
    _volts("gate.on_volts", "Goes on at", roles=_SWITCHING, direction="input"),
    _volts("gate.off_volts", "Goes off at", roles=_SWITCHING, direction="input"),
    Field("gate.min_seconds", "Shortest pulse it takes", unit="s", unknown="any", roles=_SWITCHING, direction="input"),
    Field(
        "gate.max_seconds", "Longest that fires it once", unit="s", unknown="any", roles=_SWITCHING, direction="input"
    ),
    Field("gate.edge", "Acts on a rise only", "flag", roles=_SWITCHING, direction="input"),
    Field("gate.needs_trigger", "Needs a trigger with it", "flag", roles=("gate",), direction="input"),
    Field(
        "envelope.attack_seconds",
        "Envelope: attack",
        unit="s",
        unknown="none",
        roles=("gate", "trigger"),
        direction="input",
    ),
    Field("envelope.decay_seconds", "decay", unit="s", unknown="none", roles=("gate", "trigger"), direction="input"),
    Field(
        "envelope.release_seconds", "release", unit="s", unknown="none", roles=("gate", "trigger"), direction="input"
    ),
    Field("envelope.output", "leaves by", "text", unknown="none", roles=("gate", "trigger"), direction="input"),
    _choice("clock.signal", "Signal", "clock", "reset", "run", roles=("clock",)),
    Field("clock.per_quarter", "Pulses a quarter note", unknown="any", roles=("clock",)),
    Field("clock.most_hertz", "Fastest it follows", unit="Hz", unknown="any", roles=("clock",), direction="input"),
    _choice("clock.acts", "Acts", "", "rise", "fall", "while-high", "while-low", roles=("clock",), direction="input"),
    Field("clock.waits", "Goes back with the next clock", "flag", roles=("clock",), direction="input"),
    _choice("clock.together", "With a clock", "", "reset", "reset-alone", "clock", roles=("clock",), direction="input"),
    Field("clock.voids", "Makes void (settings)", "pairs", unknown="none", roles=("clock",), direction="input"),
    _volts("swing.low_volts", "From", roles=("modulation",)),
    _volts("swing.high_volts", "To", roles=("modulation",)),
    _volts("swing.bias_volts", "Sits on", unknown="0 V", roles=("modulation",), direction="input"),
    _choice("swing.curve", "Curve", "linear", "exponential", "logarithmic", roles=("modulation",)),
    Field("pot.ohms", "Potentiometer", unit="Ω", unknown="none", roles=("modulation",)),
    _volts("pot.fed_volts", "fed with", unknown="what the jack has", roles=("modulation",), direction="output"),
    _volts("pot.to_volts", "its lower end at", unknown="0 V", roles=("modulation",), direction="output"),
    Field("pot.fed_ohms", "through", unit="Ω", unknown="0 Ω", roles=("modulation",), direction="output"),
    Field("pot.load_ohms", "its wiper feeds", unit="Ω", roles=("modulation",), direction="input"),
    _choice("pot.wiring", "Wiring", "wiper-on-tip", "wiper-on-ring", roles=("modulation",), direction="output"),
    _choice("audio.coupling", "Coupling", "unknown", "dc", "ac", roles=("audio",)),
    Field("audio.corner_hertz", "Corner", unit="Hz", roles=("audio",)),
    _volts("audio.full_scale_volts", "Peak at full scale", roles=("audio",)),
    Field("audio.full_scale_dbu", "or full scale at, dBu", roles=("audio",)),
    _volts("audio.offset_volts", "Gives for silence", unknown="not measured", roles=("audio",), direction="output"),
    _choice("audio.balanced", "Balanced", "no", "both-legs", "one-leg", "cross-coupled", "unknown", roles=("audio",)),
    Field("audio.channel", "Channel in programs", unknown="none", roles=("audio",)),
    Field("audio.panel", "Label at the jack", "text", unknown="none", roles=("audio",)),
    Field("midi.channel", "MIDI channel", unknown="all", roles=("midi",)),
    _volts("rests_at_volts", "Rests at, unplugged", unknown="0 V", direction="input"),
    _volts("works.low", "Works from", unknown="no limit", direction="input"),
    _volts("works.high", "Works to", unknown="no limit", direction="input"),
    _volts("bears.low", "Bears down to", unknown="no limit"),
    _volts("bears.high", "Bears up to", unknown="no limit"),
    *(
        Field(f"poles.{at}", f"{at.capitalize()} carries", "choice", choices=_CARRIES)
        for at in ("tip", "ring", "ring 2", "sleeve")
    ),
    _volts("poles.ring.volts", "Volts on the ring"),
    Field("poles.ring.port", "The ring is the port", "choice", choices=(("", "none"),)),
    Field("needs", "Needs the settings", "pairs", unknown="setting = at"),
    Field("normal", "Unplugged, it is joined to", "text", unknown="nothing"),
    Field("normal.source", "which is", "choice", choices=(("", "a source inside"),), direction="input"),
    _volts("normal.volts", "at", direction="input"),
    Field("normal.ohms", "through", unit="Ω", direction="input"),
)
GEAR_FIELDS: Final = (
    Field("name", "Name", "text"),
    Field("settings", "Settings", "pairs", unknown="setting = stands at"),
    _choice("power.source", "Power from", "", "none", "mains", "adapter", "battery", "bus", "usb"),
    Field("power.rails", "Rails", "list", "V"),
    Field("power.amperes", "Draws at most", unit="A"),
    Field("power.fed_by", "Fed by", "choice", choices=(("", "none on this bench"),)),
    Field("power.gives_amperes", "Gives others at most", unit="A", unknown="feeds none"),
    Field("notes", "Notes", "text", unknown="none"),
)
LINK_FIELDS: Final = (
    Field("tolerance", "Tolerance, cents", "text", roles=("pitch",)),
    Field("low_note", "Lowest note", "note", unknown=None, roles=("pitch",)),
    Field("high_note", "Highest note", "note", unknown=None, roles=("pitch",)),
    Field("longest_seconds", "Longest note", unit="s", unknown=None),
    Field(
        "lead",
        "Lead",
        "choice",
        choices=(
            ("", "any that both ends take"),
            ("two-pole", "two poles"),
            ("three-pole", "three poles"),
            ("four-pole", "four poles"),
            ("ring-open", "three poles, ring open"),
            ("split", "split, a plug for each signal"),
            ("crossed", "three poles, tip and ring crossed"),
        ),
    ),
    Field("program_channel", "The program sends on", unknown="nobody said", roles=("audio",)),
)


def port_fields(port: Port) -> list[Field]:
    """The fields that a port has, by its role, direction and kind of gate."""
    kind = None if port.gate is None else port.gate.kind
    return [
        one
        for one in PORT_FIELDS
        if (not one.roles or port.role in one.roles)
        and one.direction in ("", port.direction)
        and (not one.gates or kind in one.gates)
    ]


def link_fields(roles: Sequence[str]) -> list[Field]:
    """The fields of a link whose ends have these roles."""
    return [one for one in LINK_FIELDS if not one.roles or set(one.roles) & set(roles)]
