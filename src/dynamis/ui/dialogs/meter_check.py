"""A meter's range against known volts: what it shows of each, and what is known of its own gain and zero then."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QDialogButtonBox, QGridLayout, QLineEdit, QPushButton, QWidget

from dynamis.bench.document.records import InstrumentRecord
from dynamis.bench.gear.instruments import MOST_CHECKED, check_sentences, check_volts, with_check
from dynamis.devices.interface import Shown
from dynamis.errors import InputError
from dynamis.files.stored import now
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style, tied
from dynamis.ui.devices.devices import Devices
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label, set_text


class MeterCheckDialog(FormDialog[InstrumentRecord]):
    """Gives the meter's range with its check, or without one where that is forgotten.

    known : the known voltages of the bench.  devices : a meter that is connected fills the fields.
    """

    def __init__(
        self,
        parent: QWidget | None,
        style: Style,
        meter: InstrumentRecord,
        known: list[InstrumentRecord],
        devices: Devices | None,
    ) -> None:
        super().__init__(parent, f"Check {meter.label}", "Keep the check", width=560)
        self._style, self._meter, self._devices = style, meter, devices
        self._known = known
        self.column.insertWidget(
            0,
            label(
                "Put the known volts on the meter one after another, 0 V by joining its leads, and type what it "
                "shows. Later runs on this range take its own gain and zero out of what they read.",
                "small",
                wrap=True,
            ),
        )
        self.known = QComboBox()
        for one in known:
            self.known.addItem(one.label, one.id)
        self.row("Known voltage", self.known)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        rows = QWidget()
        rows.setLayout(grid)
        grid.addWidget(label("known", "muted"), 0, 0)
        grid.addWidget(label("shown", "muted"), 0, 1)
        self.rows: list[tuple[QLineEdit, QLineEdit]] = []
        for k in range(MOST_CHECKED):
            volts, shown, read = QLineEdit(), QLineEdit(), QPushButton("Read")
            volts.setAccessibleName(f"Known volts {k + 1}")
            shown.setAccessibleName(f"Shown volts {k + 1}")
            read.setAutoDefault(False)
            read.setVisible(devices is not None and devices.meter is not None)
            read.clicked.connect(lambda _=False, field=shown: self._read(field))
            for place, part in enumerate((volts, shown, read)):
                grid.addWidget(part, k + 1, place)
            shown.textChanged.connect(self._preview)
            volts.textChanged.connect(self._preview)
            self.rows.append((volts, shown))
        self.form.addRow(rows)
        self.found = label("", "small", wrap=True)
        self.column.insertWidget(2, self.found)
        forget = self.buttons.addButton("Forget the check", QDialogButtonBox.ButtonRole.ResetRole)
        forget.setAutoDefault(False)
        forget.setEnabled(meter.check is not None)
        forget.clicked.connect(self._forget)
        self.known.currentIndexChanged.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        """The volts to put on: those of the last check where it was made with the same, else what is usual."""
        known, check = self._chosen(), self._meter.check
        volts: tuple[float, ...] = () if known is None else check_volts(self._meter, known)
        shown: dict[float, float] = {}
        if check is not None and known is not None and check.known == known.label:
            volts, shown = check.known_volts, dict(zip(check.known_volts, check.shown_volts, strict=True))
        for k, (field, reading) in enumerate(self.rows):
            one = volts[k] if k < len(volts) else None
            field.setText("" if one is None else self._style.typed(one))
            reading.setText(self._style.typed(shown[one]) if one in shown else "")

    def _chosen(self) -> InstrumentRecord | None:
        return next((one for one in self._known if one.id == self.known.currentData()), None)

    def _read(self, field: QLineEdit) -> None:
        """Take what the connected meter shows."""

        def show(shown: Shown) -> None:
            field.setText(self._style.typed(shown.value))

        if self._devices is not None:
            self._devices.read_once("meter", "volts", self._meter.full_scale_volts, show)

    def _preview(self) -> None:
        try:
            told = check_sentences(self.read(), self._style)
        except InputError:
            told = []
        set_text(self.found, tied(" ".join(told)))

    def _forget(self) -> None:
        self._value = replace(self._meter, check=None)
        self.accept()

    def read(self) -> InstrumentRecord:
        known = self._chosen()
        if known is None:
            raise InputError("There is no known voltage on this bench; add one to the instruments first.")
        pairs = []
        for k, (volts, shown) in enumerate(self.rows, 1):
            if shown.text().strip():
                pairs.append((self._volts(volts, f"Known volts {k}"), self._volts(shown, f"Shown volts {k}")))
        if not pairs:
            raise InputError("Type what the meter shows of one known voltage at least.")
        return with_check(self._meter, known, pairs, now())

    def _volts(self, field: QLineEdit, what: str) -> float:
        return parse_quantity(field.text(), "V", what, decimal_comma=self._style.decimal_comma)
