"""A recorded trace: what it shows, beside another, and into which port it goes."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.runs.from_trace import take_trace, takers
from dynamis.errors import InputError
from dynamis.notation.style import Style, tied
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.levels.trace_plot import TracePlot
from dynamis.ui.widgets.panel import label, set_text
from dynamis.waveform.pulse import delay
from dynamis.waveform.trace import Trace
from dynamis.waveform.words import Seen, delay_sentence, measured_sentences


class TraceDialog(FormDialog[Change]):
    """Gives the change of the port that is chosen.  seen : the channels, each with what was measured of it."""

    def __init__(
        self, parent: QWidget | None, seen: Sequence[Seen], where: str, bench: Bench, style: Style, colours: Colours
    ) -> None:
        super().__init__(parent, f"Against time: {where}", "Take into the port", width=720)
        self._seen, self._bench, self._style = seen, bench, style
        self.channel, self.other, self.port = QComboBox(), QComboBox(), QComboBox()
        self.other.addItem("no other", None)
        for k, one in enumerate(seen):
            self.channel.addItem(one.trace.name, k)
            self.other.addItem(one.trace.name, k)
        for ref in takers(bench):
            self.port.addItem(bench.label(ref), ref)
        self.row("Channel", self.channel)
        self.row("Delay of", self.other)
        self.row("Take into", self.port)
        self.plot = TracePlot(colours, style)
        self.plot.setMinimumHeight(180)
        self.said = label("", wrap=True, selectable=True)
        self.column.insertWidget(1, self.plot, 1)
        self.column.insertWidget(2, self.said)
        self.other.setEnabled(len(seen) > 1)
        self.ok.setEnabled(self.port.count() > 0)
        for box in (self.channel, self.other):
            box.currentIndexChanged.connect(lambda _: self._show())
        self.port.currentIndexChanged.connect(lambda _: self.say(""))
        self._show()

    def look_at(self, ref: PortRef) -> None:
        """Choose a port, where a trace can be taken into it."""
        index = next((k for k in range(self.port.count()) if self.port.itemData(k) == ref), -1)
        if index >= 0:
            self.port.setCurrentIndex(index)

    def _show(self) -> None:
        self.say("")
        one = self._seen[self.channel.currentIndex()]
        sentences = measured_sentences(one.found, self._style, one.trace.lost)
        other = self.other.currentData()
        if isinstance(other, int) and other != self.channel.currentIndex():
            second: Trace = self._seen[other].trace
            apart = delay(one.trace, second)
            sentences.append(delay_sentence(apart, one.trace.name, second.name, self._style))
        text = " ".join(tied(sentence) for sentence in sentences)
        set_text(self.said, text)
        self.plot.show_one(one, text)

    def read(self) -> Change:
        ref = self.port.currentData()
        if ref is None:
            raise InputError("There is no gate, trigger, clock or modulation output to take it into.")
        return take_trace(self._bench, ref, self._seen[self.channel.currentIndex()].found)
