"""The values on a chain's scales as they are read and typed, and what an error budget comes to."""

from __future__ import annotations

import numpy as np

from dynamis.bench.chains.nomogram import BudgetAt
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style, plain
from dynamis.pitch.notes import Naming, note_label, parse_note
from dynamis.transfer.quantity import Quantity


def value_words(scale: Quantity, value: float, style: Style) -> str:
    """A value as its kind of scale is read; a kind that an added transfer brings is a plain number."""
    if scale.kind == "note":
        return note_label(value, style)
    if scale.kind == "code":
        return plain(value) if np.isfinite(value) else "–"
    if scale.kind == "volts":
        return style.volts(value)
    if scale.kind == "octaves":
        return style.hertz(float(np.exp2(value)))
    return f"{style.number(value, 4)} {scale.kind}"


def parse_value(scale: Quantity, text: str, style: Style) -> float:
    """The other way round: a typed value of a scale; raises `InputError` for what is none."""
    if scale.kind == "note":
        return parse_note(text.split()[-1] if " " in text.strip() else text, Naming(style.middle_c))
    unit = {"volts": "V", "octaves": "Hz"}.get(scale.kind, "")
    value = parse_quantity(text, unit, scale.label, decimal_comma=style.decimal_comma)
    if scale.kind == "octaves":
        if value <= 0:
            raise InputError(f"{text} is no frequency; more than 0 Hz was expected.")
        return float(np.log2(value))
    return value


def budget_sentence(budget: BudgetAt, error_cents: float, style: Style) -> str:
    """What the error is as drawn, and what the parts may add to it."""
    parts = style.worst_case(budget.limits_cents, budget.expanded_cents)
    return f"As drawn {style.cents(error_cents, sign=True)} ct. Its parts may add {parts}."
