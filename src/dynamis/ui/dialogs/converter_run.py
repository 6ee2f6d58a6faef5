"""A converter run: codes one after another, up and down, or one code that is held."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox, QWidget

from dynamis.bench.chains.port_transfers import converter_of, dac_if_known
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.beginning import new_run
from dynamis.bench.runs.code_runs import as_code_run, parse_codes, usual_codes
from dynamis.converter.ramp import FEWEST_CODES
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.files.stored import now
from dynamis.notation.numbers import parse_plain
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.panel import label

_WHAT = (
    ("ramp", "codes one after another: INL, DNL, monotonic, missing steps"),
    ("held", "one code, held: noise, drift, jumps"),
)
_USUAL = {"ramp": ("Ramp", "2"), "held": ("Held", "50")}
_TOLERANCE = "5"
_NOTE = 60.0


class ConverterRunDialog(FormDialog[RunRecord]):
    """Gives a run of the codes of a channel whose converter is known."""

    def __init__(self, parent: QWidget | None, session: Session) -> None:
        super().__init__(parent, "A converter run", "Begin the run", width=600)
        self._session = session
        bench = session.bench
        self.channel = QComboBox()
        for ref, serial in bench.channels:
            if self._converter(ref) is not None and bench.port(ref).law is not None:
                self.channel.addItem(f"{bench.label(ref)} · unit {serial}", (ref, serial))
                if (ref, serial) == session.selection.channel:
                    self.channel.setCurrentIndex(self.channel.count() - 1)
        self.row("Channel", self.channel)
        self.title = self.line("Title", "Ramp")
        self.meter = QComboBox()
        for one in bench.meters:
            if one.kind == "meter" and not one.archived:
                self.meter.addItem(one.label, one.id)
        self.meter.addItem("not specified", None)
        self.row("Meter", self.meter)
        self.what = QComboBox()
        for key, words in _WHAT:
            self.what.addItem(words, key)
        self.row("What is read", self.what)
        self.codes = self.line("Codes", "", "0:4095:64, 2040:2056")
        self.passes = self.line("Readings of each", "2")
        self.others = QCheckBox("move the board's other channels meanwhile, from end to end")
        self.form.addRow("", self.others)
        self.column.insertWidget(
            1,
            label(
                "The board is set to codes, whatever correction it holds; its other outputs swing over their whole "
                "range where that is wanted: unplug what does not bear it. Codes beside a carry, such as "
                "2040:2056, tell most.",
                "small",
                wrap=True,
            ),
        )
        self.what.currentIndexChanged.connect(self._what_changed)
        self.channel.currentIndexChanged.connect(self._what_changed)
        self._what_changed()

    def _converter(self, ref: PortRef) -> DacTransfer | None:
        return dac_if_known("converter", converter_of(self._session.bench.port(ref)))

    def _what_changed(self) -> None:
        """What is usual for what is read, and for the converter of the channel."""
        what, chosen = self.what.currentData(), self.channel.currentData()
        self.ok.setEnabled(chosen is not None)
        title, passes = _USUAL[what]
        self.title.setText(title)
        self.passes.setText(passes)
        converter = None if chosen is None else self._converter(chosen[0])
        self.codes.setText("" if converter is None else usual_codes(converter.dac.bits, held=what == "held"))

    def read(self) -> RunRecord:
        session, (channel, serial) = self._session, self.channel.currentData()
        bench, converter = session.bench, self._converter(channel)
        assert converter is not None  # only such channels are offered
        codes = parse_codes(self.codes.text(), converter.dac.bits)
        if self.what.currentData() == "held" and len(codes) != 1:
            raise InputError("One code is held; write one, such as 2048.")
        if self.what.currentData() == "ramp" and len(codes) < FEWEST_CODES:
            raise InputError(f"A ramp needs {FEWEST_CODES} codes or more.")
        passes = parse_plain(self.passes.text(), "The readings of each")
        if not passes.is_integer() or passes < 1:
            raise InputError(f"The readings of each are {self.passes.text().strip()}; a whole number was expected.")
        meter_id, link = self.meter.currentData(), bench.link_from(channel)
        run = new_run(
            bench,
            None,
            run_id=session.runs.fresh_id(f"{serial} {self.title.text()}"),
            title=self.title.text(),
            created=now(),
            channel=channel,
            serial=serial,
            law=parse_law(bench.port(channel).law or ""),
            tolerance=parse_tolerance(_TOLERANCE if link is None else link.tolerance),
            plan=(_NOTE,),
            quantity="volts",
            meter=None if meter_id is None else bench.meter(meter_id),
            where="jack",
            plugged=(),
            celsius=None,
            warm_minutes=None,
        )
        return as_code_run(run, converter, codes, int(passes), others_move=self.others.isChecked())
