"""Gate outputs and inputs as they are written: `low_volts=0,high_volts=5,ohms=1000`."""

from __future__ import annotations

from typing import Final

from dynamis.electrics.gates.levels import GateInput, GateOutput, Span
from dynamis.errors import InputError
from dynamis.notation.keys import key_values
from dynamis.notation.numbers import parse_plain

_LIMITS: Final = ("min_volts", "max_volts")
_WORKS: Final = ("work_min_volts", "work_max_volts")
_OUTPUTS: Final = {"driven": ("low_volts", "high_volts", "ohms", *_LIMITS), "switch": ("ohms", "max_volts")}
_INPUTS: Final = {
    "positive": ("off_volts", "on_volts", "ohms", *_WORKS, *_LIMITS),
    "shorting": ("pullup_volts", "pullup_ohms", "on_volts", "off_volts", *_WORKS, *_LIMITS),
}


def parse_gate_output(text: str) -> GateOutput:
    """Read a driven output (the default) or `kind=switch`; raises `InputError` for what is missing or wrong."""
    kind, found = _read(text, _OUTPUTS, "driven", ("low_volts", "high_volts"), "The output")
    if kind == "switch":
        return GateOutput("switch", ohms=found.get("ohms", 50.0), bears=Span(None, found.get("max_volts")))
    return GateOutput(
        "driven", found["low_volts"], found["high_volts"], found.get("ohms", 1000.0), _span(found, _LIMITS)
    )


def parse_gate_input(text: str) -> GateInput:
    """Read a positive input (the default) or `kind=shorting`; raises `InputError` for what is missing or wrong."""
    kind, found = _read(text, _INPUTS, "positive", ("off_volts", "on_volts"), "The input")
    spans = _span(found, _WORKS), _span(found, _LIMITS)
    if kind == "shorting":
        if "pullup_volts" not in found:
            raise InputError(f"The input {text.strip()!r} lacks pullup_volts.")
        ohms = found.get("pullup_ohms", 10e3)
        return GateInput(found["on_volts"], found["off_volts"], "shorting", ohms, found["pullup_volts"], *spans)
    return GateInput(found["on_volts"], found["off_volts"], "positive", found.get("ohms", 100e3), 0.0, *spans)


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
    return kind, found


def _span(found: dict[str, float], keys: tuple[str, str]) -> Span:
    return Span(found.get(keys[0]), found.get(keys[1]))
