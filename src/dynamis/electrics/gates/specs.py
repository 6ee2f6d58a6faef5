"""Gate outputs and inputs as they are written: `low_volts=0,high_volts=5,ohms=1000`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from dynamis.electrics.circuits.supply import Supply
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.span import Span
from dynamis.errors import InputError
from dynamis.notation.keys import key_values
from dynamis.notation.numbers import parse_plain, split_entries
from dynamis.notation.style import Style, plain

_MOST_RAIL: Final = 100.0
_LIMITS: Final = ("min_volts", "max_volts")
_WORKS: Final = ("work_min_volts", "work_max_volts")
_OUTPUTS: Final = {"driven": ("low_volts", "high_volts", "ohms", *_LIMITS), "switch": ("ohms", "max_volts")}
_INPUTS: Final = {
    "positive": ("off_volts", "on_volts", "ohms", *_WORKS, *_LIMITS, "rail_volts"),
    "shorting": ("pullup_volts", "pullup_ohms", "on_volts", "off_volts", *_WORKS, *_LIMITS, "rail_volts"),
}


def parse_gate_output(text: str) -> GateOutput:
    """Read a driven output (the default) or `kind=switch`; raises `InputError` for what is missing or wrong."""
    kind, volts = _read(text, _OUTPUTS, "driven", ("low_volts", "high_volts"), "The output")
    if kind == "switch":
        return GateOutput("switch", ohms=volts.get("ohms", 50.0), absolute_limits=Span(None, volts.get("max_volts")))
    return GateOutput(
        "driven", volts["low_volts"], volts["high_volts"], volts.get("ohms", 1000.0), _span(volts, _LIMITS)
    )


def parse_gate_input(text: str) -> GateInput:
    """Read a positive input (the default) or `kind=shorting`; raises `InputError` for what is missing or wrong."""
    kind, volts = _read(text, _INPUTS, "positive", ("off_volts", "on_volts"), "The input")
    spans = _span(volts, _WORKS), _span(volts, _LIMITS), volts.get("rail_volts")
    if kind == "shorting":
        if "pullup_volts" not in volts:
            raise InputError(f"The input {text.strip()!r} lacks pullup_volts.")
        ohms = volts.get("pullup_ohms", 10e3)
        return GateInput(volts["on_volts"], volts["off_volts"], "shorting", ohms, volts["pullup_volts"], *spans)
    return GateInput(volts["on_volts"], volts["off_volts"], "positive", volts.get("ohms", 100e3), 0.0, *spans)


def parse_supply(text: str) -> tuple[float, float]:
    """Read rails: `12` for ± 12 V, `0:5` for a single one, `-9:12` for unlike ones; the lower end at most 0.

    Raises `InputError` for what is none.
    """
    what = f"The rails {text.strip()!r}"
    ends = [parse_plain(part, what) for part in text.split(":")]
    if len(ends) == 1:
        ends = [-ends[0], ends[0]]
    if len(ends) != 2 or not ends[0] <= 0 <= ends[1] or ends[0] == ends[1] or not max(-ends[0], ends[1]) <= _MOST_RAIL:
        raise InputError(f"{what} cannot be; 12 for ± 12 V, or LOW:HIGH with LOW at most 0, such as 0:5, was expected.")
    return ends[0], ends[1]


def parse_supplies(texts: Sequence[str]) -> tuple[tuple[float, float], ...]:
    """Read the rails at hand; `none`, alone, for none at all."""
    cleaned = [text.strip() for text in texts]
    if "none" in cleaned:
        if len(cleaned) > 1:
            raise InputError("The rails are none and others besides; say one or the other.")
        return ()
    return tuple(dict.fromkeys(parse_supply(text) for text in cleaned))


def read_rails(text: str, style: Style) -> tuple[tuple[float, float], ...]:
    """The rails at hand as they are written in a row: `12; 0:5`, with or without ± and V, or `none`."""
    bare = text.replace("±", " ").replace("V", " ").replace("−", "-")
    entries = split_entries(bare, "The rails at hand", decimal_comma=style.decimal_comma)
    if style.decimal_comma:
        entries = [one.replace(",", ".") for one in entries]
    return parse_supplies(entries or ["none"])


def show_rails(rails: Sequence[tuple[float, float]], style: Style) -> str:
    """The rails at hand as `read_rails` reads them."""
    shown = (Supply(*one).shown(style) if one[1] > 0 else f"{style.typed(one[0])}:0 V" for one in rails)
    return style.listed(shown) or "none"


def _read(
    text: str, kinds: dict[str, tuple[str, ...]], usual: str, needed: tuple[str, ...], what: str
) -> tuple[str, dict[str, float]]:
    whole = f"{what} {text.strip()!r}"
    typed = [part.strip() for part in text.split(",") if part.partition("=")[0].strip() == "kind"]
    kind = typed[0].partition("=")[2].strip() if typed else usual
    if kind not in kinds:
        raise InputError(f"{whole} is of the kind {kind!r}; {' or '.join(kinds)} was expected.")
    taken = key_values(text, ("kind", *kinds[kind]), whole, f"a {kind} one")
    found = {
        key: parse_plain(value, f"{key} of {whole[0].lower()}{whole[1:]}")
        for key, value in taken.items()
        if key != "kind"
    }
    for key in needed if kind != "switch" else ():
        if key not in found:
            raise InputError(f"{whole} lacks {key}.")
    thresholds = ("on_volts", "off_volts") if kind == "shorting" else ("off_volts", "on_volts")
    for low, high in (("low_volts", "high_volts"), thresholds, _LIMITS, _WORKS):
        if low in found and high in found and found[low] > found[high]:
            raise InputError(f"{whole}: {low}, {plain(found[low])}, is above {high}, {plain(found[high])}.")
    return kind, found


def _span(found: dict[str, float], keys: tuple[str, str]) -> Span:
    return Span(found.get(keys[0]), found.get(keys[1]))
