"""What sounds now against a reference: how far off, and the beats as they are heard."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QCloseEvent, QColor, QFont, QPainter, QPen
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.chains.tunings import tuning_of, tuning_words
from dynamis.devices.sound.meter import SoundMeter
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.pitch.notes import Naming, note_label, parse_note
from dynamis.tuner.live import FloatArray, Heard, beats, heard
from dynamis.ui.dialogs.hearing import KEPT_SECONDS, Hearing
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.panel import label, set_refusal, set_text
from dynamis.ui.widgets.picture import Plot

_LARGE_POINTS: Final = 40.0


class BeatPlot(Plot[tuple[FloatArray, FloatArray]]):
    """How tone and reference help and hinder each other, the last seconds from left to right."""

    NAME = "Beats"
    SIZE = (640, 120)

    def draw_shown(self, p: QPainter, shown: tuple[FloatArray, FloatArray]) -> None:
        seconds, swell = shown
        box = QRectF(4.0, 6.0, self.width() - 8.0, self.height() - 12.0)
        p.setPen(QPen(QColor(self.colours.rule), 1.0))
        for share in (0.0, 1.0):
            height = box.bottom() - share * box.height()
            p.drawLine(QPointF(box.left(), height), QPointF(box.right(), height))
        if seconds.size < 2:
            return
        x = box.right() - (seconds[-1] - seconds) / KEPT_SECONDS * box.width()
        y = box.bottom() - swell * box.height()
        p.setPen(QPen(QColor(self.colours.ink), 1.6))
        p.drawPolyline([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])


class TunerDialog(QDialog):
    """Listens until it is closed.  The reference is a note, or hertz."""

    def __init__(self, parent: QWidget | None, session: Session, sound: SoundMeter, colours: Colours) -> None:
        super().__init__(parent)
        self.setWindowTitle("Tuner")
        self.resize(760, 420)
        self._session = session
        self._tuning = tuning_of(session.bench)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 18)
        row = QHBoxLayout()
        self.reference = QLineEdit(session.style.typed(session.selection.note))
        self.reference.setAccessibleName("Reference")
        self.reference.setPlaceholderText("C4, or 440 Hz")
        self.reference.setFixedWidth(140)
        self.reference.editingFinished.connect(self._reference_changed)
        self.reference_words = label("", "muted")
        row.addWidget(label("Reference", "small"))
        row.addWidget(self.reference)
        row.addWidget(self.reference_words)
        row.addStretch(1)
        self.again, close = QPushButton("Listen again"), QPushButton("Close")
        for button, slot in ((self.again, self.listen), (close, self.accept)):
            button.setAutoDefault(False)
            button.clicked.connect(slot)
            row.addWidget(button)
        column.addLayout(row)
        self.cents = label("", "")
        font = QFont(self.font())
        font.setPointSizeF(_LARGE_POINTS)
        self.cents.setFont(font)
        self.cents.setAccessibleName("Off the reference")
        column.addWidget(self.cents)
        self.words = label("", wrap=True)
        column.addWidget(self.words)
        self.refusal = label("", "question", wrap=True)
        set_refusal(self.refusal, "")
        column.addWidget(self.refusal)
        self.plot = BeatPlot(colours, session.style)
        column.addWidget(self.plot, 1)
        column.addWidget(
            label(
                "The line is what the ear hears of both together: it swells and fades with every beat, and lies "
                "still when they are in tune.",
                "small",
                wrap=True,
            )
        )
        self._hearing = Hearing(sound, self._look)
        self._hearing.came.connect(self._show)
        self._hearing.ended.connect(self._stopped)
        self._reference_changed()
        self.listen()

    # -- the reference -------------------------------------------------------------------------------

    def _reference_changed(self) -> None:
        style, text = self._session.style, self.reference.text().strip()
        try:
            if text.lower().endswith("hz"):
                hertz = parse_quantity(text, "Hz", "The reference", decimal_comma=style.decimal_comma)
                words = style.hertz(hertz)
            else:
                note = parse_note(text, Naming(style.middle_c))
                hertz = float(self._tuning.hertz(note))
                if not hertz > 0.0:
                    raise InputError(
                        f"{note_label(note, style)} has no frequency in {tuning_words(self._session.bench)}."
                    )
                words = f"{note_label(note, style)}, {style.hertz(hertz)}"
            if not 1.0 <= hertz <= 20_000.0:
                raise InputError(f"The reference is {style.hertz(hertz)}; 1 Hz to 20 kHz was expected.")
        except InputError as error:
            set_refusal(self.refusal, str(error))
            return
        self.reference_hertz = hertz
        set_refusal(self.refusal, "")
        set_text(self.reference_words, words)

    # -- listening -----------------------------------------------------------------------------------

    def listen(self) -> None:
        """Begin to listen, or begin again."""
        self.again.setEnabled(False)
        set_refusal(self.refusal, "")
        self._hearing.begin()

    def _look(self, kept: FloatArray, rate: float, first: float) -> tuple[Heard, FloatArray, FloatArray]:
        return heard(kept, rate), *beats(kept, rate, self.reference_hertz, first)

    def _show(self, found: tuple[Heard, FloatArray, FloatArray]) -> None:
        one, seconds, swell = found
        style = self._session.style
        off = one.off_cents(self.reference_hertz)
        set_text(self.cents, "–" if off is None else f"{style.cents(off, sign=True)} ct")
        words = one.words(self.reference_hertz, self._tuning, style)
        set_text(self.words, words)
        self.plot.show_one((seconds, swell) if one.tone is not None else None, words)

    def _stopped(self, sentence: str) -> None:
        self.again.setEnabled(True)
        set_refusal(self.refusal, sentence)
        self.plot.show_one(None, "")
        set_text(self.cents, "–")
        set_text(self.words, "")

    def done(self, result: int) -> None:
        self._hearing.end()
        super().done(result)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._hearing.end()
        super().closeEvent(event)
