"""What the circuit has to do: gain and offset, what it is driven by and drives, its supply and its parts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QPushButton, QWidget

from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.design.answer import NOTHING, Adds, Ask
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.series import SERIES
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantities, parse_quantity, parse_share
from dynamis.notation.style import MINUS, Style
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.panel import Panel, label, scrolling, set_refusal
from dynamis.ui.widgets.quantity_edit import QuantityEdit


@dataclass(frozen=True)
class _Row:
    key: str
    words: str
    unit: str
    show: Callable[[Ask, Style], str]
    take: Callable[[Ask, float], Ask]


def _number(value: float, style: Style, decimals: int) -> str:
    return style.typed(round(value, decimals)).replace("-", MINUS)


def _law(requirement: Requirement, style: Style) -> str:
    if requirement.zero_volts is None:
        return f"{_number(requirement.volts_per_octave, style, 4)} V/oct"
    return f"Hz/V {_number(requirement.zero_volts, style, 4)} V"


_Change = Callable[[Requirement, Any], Requirement]


def _required(key: str, scale: float = 1.0) -> Callable[[Ask, float], Ask]:
    def changed(ask: Ask, value: float) -> Ask:
        values: dict[str, Any] = {key: value * scale}
        return replace(ask, requirement=replace(ask.requirement, **values))

    return changed


def _with_rails(ask: Ask, tolerance: float) -> Ask:
    return replace(
        ask, requirement=replace(ask.requirement, supply=replace(ask.requirement.supply, tolerance=tolerance))
    )


_ROWS = (
    _Row("gain", "Gain", "", lambda ask, s: _number(ask.requirement.gain, s, 6), _required("gain")),
    _Row(
        "offset",
        "Offset",
        "V",
        lambda ask, s: f"{_number(ask.requirement.offset_volts, s, 5)} V",
        _required("offset_volts"),
    ),
    _Row(
        "low",
        "Input from",
        "V",
        lambda ask, s: f"{_number(ask.requirement.in_low_volts, s, 4)} V",
        _required("in_low_volts"),
    ),
    _Row(
        "high",
        "Input to",
        "V",
        lambda ask, s: f"{_number(ask.requirement.in_high_volts, s, 4)} V",
        _required("in_high_volts"),
    ),
    _Row(
        "source",
        "Sender",
        "Ω",
        lambda ask, s: s.engineering(ask.requirement.source_ohms, "Ω"),
        _required("source_ohms"),
    ),
    _Row(
        "load",
        "Load",
        "Ω",
        lambda ask, s: "none" if ask.requirement.load_ohms is None else s.engineering(ask.requirement.load_ohms, "Ω"),
        _required("load_ohms"),
    ),
    _Row(
        "tolerance",
        "Resistors ±",
        "%",
        lambda ask, s: s.typed_share(ask.requirement.tolerance),
        _required("tolerance"),
    ),
    _Row(
        "ppm",
        "Drift ± ppm/K",
        "",
        lambda ask, s: _number(1e6 * ask.requirement.resistor_per_kelvin, s, 1),
        _required("resistor_per_kelvin", 1e-6),
    ),
    _Row(
        "rail",
        "Rails ±",
        "%",
        lambda ask, s: s.typed_share(ask.requirement.supply.tolerance),
        lambda ask, value: _with_rails(ask, value),
    ),
    _Row(
        "kelvin",
        "Warmer by",
        "°C",
        lambda ask, s: f"{_number(ask.kelvin, s, 1)} °C",
        lambda ask, value: replace(ask, kelvin=value),
    ),
    _Row(
        "cents",
        "Allowed",
        "ct",
        lambda ask, s: f"± {_number(ask.requirement.tolerance_cents, s, 2)} ct",
        _required("tolerance_cents"),
    ),
    _Row("law", "Law", "V", lambda ask, s: _law(ask.requirement, s), _required("volts_per_octave")),
)
_LAW_TIP = "The sender's scale, 1.2 V/oct; or Hz/V with the receiver's volts at 0 Hz, Hz/V 0.12 V"
_ADDS: tuple[tuple[Adds, str], ...] = (
    (NOTHING, "nothing"),
    ((2, 0.0, 0.0), "another pitch"),
    ((3, 0.0, 0.0), "two more pitches"),
    ((1, 1.0, 0.0), "an octave, switched"),
    ((1, 1.0, 1.0), "octave and semitone"),
    ((2, 1.0, 1.0), "pitch, octave, semitone"),
)
_REFERENCES = (
    (("", None), "what holds"),
    (("rail", None), "the rail"),
    (("", 2.5), "reference 2.5 V"),
    (("", 5.0), "reference 5 V"),
    (("", 10.0), "reference 10 V"),
)


class RequirementForm(QWidget):
    """changed : another requirement.  refused : a sentence, an empty one when it is over."""

    changed = Signal(object)
    refused = Signal(str)

    def __init__(self, style: Style) -> None:
        super().__init__()
        self.ask = Ask(Requirement(1.0))
        self.style_of_numbers = style
        grid = form_grid()
        self.setLayout(grid)
        self.edits: dict[str, QuantityEdit] = {}
        for k, row in enumerate(_ROWS):
            edit = QuantityEdit(row.words, partial(self._read, row), self._take)
            edit.refused.connect(self.refused)
            edit.setMinimumWidth(60)
            if row.key == "law":
                edit.set_hint(_LAW_TIP)
            self.edits[row.key] = edit
            add_row(grid, k, row.words, edit)
        at = len(_ROWS)
        self.supply = QuantityEdit("Supply", self._read_supply, self._take)
        self.supply.set_hint("12 is ± 12 V, 0:5 one rail of 5 V, -9:12 two unlike rails")
        self.supply.refused.connect(self.refused)
        add_row(grid, at, "Supply", self.supply)
        self.op_amp = self._choice(
            grid,
            at + 1,
            "Op-amp",
            [(one.name, one.short_title) for one in OP_AMPS.values()],
            lambda requirement, name: replace(requirement, op_amp=OP_AMPS[name]),
        )
        self.reference = self._choice(
            grid,
            at + 2,
            "Offset from",
            list(_REFERENCES),
            lambda requirement, one: replace(requirement, offset_from=one[0], reference_volts=one[1]),
        )
        both = [
            ((name, pairs), f"{name}, {'pairs' if pairs else 'single'}") for name in SERIES for pairs in (True, False)
        ]
        self.series = self._choice(
            grid, at + 3, "Series", both, lambda requirement, one: replace(requirement, series=one[0], pairs=one[1])
        )
        self.series.setToolTip("Preferred values; pairs in series or parallel where a single one misses")
        self.adds = choice("Adds", _ADDS)
        self.adds.setToolTip("A summer: other pitches, or an octave and a semitone by switches, added to the first")
        self.adds.activated.connect(lambda k: self._take(replace(self.ask, adds=_ADDS[k][0])))
        add_row(grid, at + 4, "Adds", self.adds)
        self.drawer = QuantityEdit("Values in the drawer", self._read_drawer, self._take)
        self.drawer.setPlaceholderText("all of the series")
        self.drawer.set_hint("Values at hand, such as 1k 10k 47k 100k; all of the series where none are named")
        self.drawer.refused.connect(self.refused)
        add_row(grid, at + 5, "Drawer", self.drawer)

    def _choice(
        self, grid: QGridLayout, row: int, words: str, choices: Sequence[tuple[object, str]], change: _Change
    ) -> QComboBox:
        box = choice(words, choices)
        box.activated.connect(lambda _: self._requirement(lambda requirement: change(requirement, box.currentData())))
        add_row(grid, row, words, box)
        return box

    # -- showing and taking ------------------------------------------------------------------------

    def show_ask(self, ask: Ask, style: Style) -> None:
        """Show a requirement without announcing it."""
        self.ask, self.style_of_numbers = ask, style
        for row in _ROWS:
            self.edits[row.key].show_text(row.show(ask, style))
        self.supply.show_text(ask.requirement.supply.shown(style))
        self.op_amp.setCurrentIndex(max(0, self.op_amp.findData(ask.requirement.op_amp.name)))
        both = (ask.requirement.series, ask.requirement.pairs)
        self.series.setCurrentIndex([self.series.itemData(k) for k in range(self.series.count())].index(both))
        known, taken = [one for one, _ in _REFERENCES], (ask.requirement.offset_from, ask.requirement.reference_volts)
        self.reference.setCurrentIndex(known.index(taken) if taken in known else 0)
        self.adds.setCurrentIndex([value for value, _ in _ADDS].index(ask.adds))
        self.drawer.show_text(
            style.listed(style.engineering(one, "").replace(" ", "") for one in ask.requirement.drawer)
        )

    def _read(self, row: _Row, text: str) -> Ask:
        cleaned = text.strip().lstrip("±").strip()
        if row.key == "load" and cleaned.lower() in ("none", "nothing", ""):
            return replace(self.ask, requirement=replace(self.ask.requirement, load_ohms=None))
        comma = self.style_of_numbers.decimal_comma
        if row.key == "law":
            return self._read_law(cleaned, comma)
        if row.unit == "%":
            return row.take(self.ask, parse_share(cleaned, row.words, decimal_comma=comma))
        return row.take(self.ask, parse_quantity(cleaned, row.unit, row.words, decimal_comma=comma))

    def _read_law(self, text: str, comma: bool) -> Ask:
        linear = text.lower().startswith("hz/v")
        rest = text[len("hz/v") :] if linear else text.lower().removesuffix("/oct").replace("v", "V")
        volts = parse_quantity(rest.strip() or "0", "V", "Law", decimal_comma=comma)
        values = {"zero_volts": volts} if linear else {"zero_volts": None, "volts_per_octave": volts}
        return replace(self.ask, requirement=replace(self.ask.requirement, **values))

    def _read_supply(self, text: str) -> Ask:
        requirement = self.ask.requirement
        supply = Supply.parse(text, requirement.supply.tolerance, decimal_comma=self.style_of_numbers.decimal_comma)
        return replace(self.ask, requirement=replace(requirement, supply=supply))

    def _read_drawer(self, text: str) -> Ask:
        comma = self.style_of_numbers.decimal_comma
        values = parse_quantities(text, "Ω", "A value in the drawer", decimal_comma=comma)
        if any(one <= 0 for one in values):
            raise InputError("A value in the drawer is 0 Ω or less; more than 0 Ω was expected.")
        return replace(self.ask, requirement=replace(self.ask.requirement, drawer=values))

    def _requirement(self, change: Callable[[Requirement], Requirement]) -> None:
        try:
            self._take(replace(self.ask, requirement=change(self.ask.requirement)))
            self.refused.emit("")
        except InputError as error:
            self.refused.emit(str(error))

    def _take(self, ask: Ask) -> None:
        self.ask = ask
        self.changed.emit(ask)

    def first(self) -> QLineEdit:
        return self.edits["gain"]


class RequirementPanel(Panel):
    """The form with what the link asks in words over it, and under it what was refused."""

    def __init__(self, style: Style) -> None:
        super().__init__("What it has to do", "What it has to do")
        self.names = label("", "small", wrap=True)
        self.body.addWidget(self.names)
        self.form = RequirementForm(style)
        self.body.addWidget(scrolling(self.form), 1)
        self.refusal = label("", "question", wrap=True)
        set_refusal(self.refusal, "")
        self.body.addWidget(self.refusal)
        self.from_link = QPushButton("As the link asks")
        self.body.addWidget(self.from_link)
