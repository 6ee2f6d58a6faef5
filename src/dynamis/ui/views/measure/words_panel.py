"""What the shape of the errors says, the ways to correct side by side, and adopting one."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QGuiApplication, QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.runs.advice import belongs_sentence, comparison_sentence, feeding_sentence, plugging_sentence
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.difference import difference_words
from dynamis.bench.runs.tracking import said_of
from dynamis.calibration.causes.words import cause_text
from dynamis.calibration.correction_types import Correction
from dynamis.calibration.words import (
    correction_detail,
    correction_leaves,
    correction_title,
    verdict_sentence,
)
from dynamis.files.correction_csv import correction_text
from dynamis.notation.style import tied
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import shape_pixmap, verdict_colour, verdict_pixmap
from dynamis.ui.widgets.panel import Panel, Sentences, clear, label, rule, scrolling, set_css, set_text


class WayCard(QPushButton):
    """One way to correct: its title, what it leaves, and what to do; checked when chosen."""

    def __init__(self) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setAutoExclusive(True)
        column = self._column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 11, 9)
        column.setSpacing(3)
        self._top = top = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        top.setSpacing(1)
        self.sign, self.title, self.leaves = label(), label(), label("", "blue")
        self.title.setStyleSheet("font-weight: 600;")
        top.addWidget(self.title)
        top.addStretch(1)
        leaves = QHBoxLayout()
        leaves.setSpacing(5)
        leaves.addWidget(self.sign)
        leaves.addWidget(self.leaves)
        leaves.addStretch(1)
        top.addLayout(leaves)
        column.addLayout(top)
        self.detail = label("", "small", wrap=True)
        column.addWidget(self.detail)
        for part in (self.sign, self.title, self.leaves, self.detail):
            part.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        policy = self.sizePolicy()
        policy.setHeightForWidth(True)
        policy.setVerticalPolicy(policy.Policy.Minimum)
        self.setSizePolicy(policy)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._column.heightForWidth(width)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where both do not fit in one line, what it leaves goes below the title."""
        super().resizeEvent(event)
        wanted = self.title.sizeHint().width() + self.leaves.sizeHint().width() + 60
        correction = QBoxLayout.Direction
        self._top.setDirection(correction.LeftToRight if wanted <= event.size().width() else correction.TopToBottom)

    def sizeHint(self) -> QSize:
        return QSize(220, self._column.heightForWidth(max(220, self.width())))

    def minimumSizeHint(self) -> QSize:
        return QSize(120, self.sizeHint().height())


class WordsPanel(Panel):
    """The right column.  way_chosen : the kind of a way.  adopt, withdraw, save_csv : buttons pressed."""

    way_chosen = Signal(str)
    adopt_pressed = Signal()
    withdraw_pressed = Signal()
    save_pressed = Signal()

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__("What the readings say")
        self._session, self.colours = session, colours
        verdict = QHBoxLayout()
        self.sign, self.verdict = label(), label("", wrap=True)
        verdict.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        verdict.addWidget(self.verdict, 1)
        self.body.addLayout(verdict)
        self.body.addWidget(label("What the shape says", "heading"))
        # Two columns that scroll for themselves, so that long words never push the ways out of sight.
        sentences, corrections = QWidget(), QWidget()
        words_column, self._column = QVBoxLayout(sentences), QVBoxLayout(corrections)
        for column, above in ((words_column, 0), (self._column, 8)):
            column.setContentsMargins(0, 0, 5, 0)
            column.setSpacing(above)
        self.said = Sentences()
        words_column.addLayout(self.said)
        words_column.addStretch(1)
        self.body.addWidget(scrolling(sentences), 4)
        self.body.addWidget(rule())
        self._ways_title = label("Ways to correct", "heading")
        self.body.addWidget(self._ways_title)
        self.body.addWidget(scrolling(corrections), 6)
        self.cards: dict[str, WayCard] = {}
        for kind in ("trimmer", "constants", "table"):
            card = WayCard()
            card.setAccessibleName(kind)
            card.clicked.connect(lambda _=False, kind=kind: self.way_chosen.emit(kind))
            self.cards[kind] = card
            self._column.addWidget(card)
        buttons = QHBoxLayout()
        self.adopt = QPushButton()
        self.adopt.setProperty("primary", True)
        self.adopt.clicked.connect(self.adopt_pressed)
        self.copy, self.save = QPushButton("Copy"), QPushButton("Save CSV…")
        self.copy.clicked.connect(self.copy_correction)
        self.save.clicked.connect(self.save_pressed)
        self.withdraw = QPushButton("Withdraw")
        self.withdraw.clicked.connect(self.withdraw_pressed)
        self.ready = QPlainTextEdit()
        self.ready.setReadOnly(True)
        self.ready.setAccessibleName("The chosen way, ready to copy")
        self.ready.setFixedHeight(62)
        self._column.addWidget(self.ready)
        self.in_force = label("", "small", wrap=True)
        self._column.addWidget(self.in_force)
        self._shown_cautions: list[str] = []
        self._cautions = QVBoxLayout()
        self._cautions.setSpacing(6)
        self._column.addLayout(self._cautions)
        self._column.addStretch(1)
        self.body.addWidget(rule())
        self.body.addWidget(self.adopt)
        for button in (self.copy, self.save, self.withdraw):
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.body.addLayout(buttons)
        self.body.setContentsMargins(15, 11, 12, 12)

    def refresh(self) -> None:
        """Show the judgement of the run looked at."""
        session, style = self._session, self._session.style
        judged = session.runs.analysis()
        self._show_verdict(judged)
        self.said.show_sentences(self.sentences(judged), self._open(judged))
        self._show_ways(judged)
        adopted = session.runs.in_force()
        self.withdraw.setVisible(adopted is not None)
        set_text(
            self.in_force,
            ""
            if adopted is None
            else f"In force since {adopted.adopted[:10]}: {adopted.kind}, left {style.cents(adopted.leaves_cents)} "
            f"± {style.cents(adopted.expanded_cents)} ct.",
        )
        cautions = [] if judged is None else self.cautions(judged)
        if cautions != self._shown_cautions:
            self._shown_cautions = cautions
            clear(self._cautions)
            for sentence in cautions:
                self._caution(sentence)

    def sentences(self, judged: RunAnalysis | None) -> list[str]:
        """The words of a run, from the core."""
        if judged is None:
            return []
        style, overlaid = self._session.style, self._session.selection.overlay_id
        other = self._session.runs.analysis(overlaid) if overlaid else None
        words = []
        if judged.run.codes:
            from dynamis.bench.runs.code_runs import converter_sentences

            words = converter_sentences(judged, other, style)
        if judged.shape is None:
            return words or [judged.why_no_fit]
        words += said_of(judged, style)
        if other is None:
            return words
        return [
            *words,
            comparison_sentence(judged, other, style),
            *difference_words(self._session.bench, judged, other, style),
        ]

    def _open(self, judged: RunAnalysis | None) -> list[str]:
        """Those sentences that no reading has decided yet."""
        if judged is None or judged.shape is None:
            return []
        shape, style = judged.shape, self._session.style
        return [cause_text(term, shape, style) for term in shape.terms if term.cause == "undecided"]

    def cautions(self, judged: RunAnalysis) -> list[str]:
        session = self._session
        sentences = (
            [belongs_sentence(session.bench, judged.run, session.runs.adoptions, session.style)]
            if judged.corrections
            else []
        )
        plugging = plugging_sentence(session.bench, judged.run, session.style)
        feeding = feeding_sentence(judged.run)
        return [one for one in (plugging, feeding) if one] + sentences

    def _caution(self, sentence: str) -> None:
        row = QHBoxLayout()
        sign = label()
        sign.setPixmap(shape_pixmap("half", self.colours.amber, 12, self.devicePixelRatioF()))
        row.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(label(sentence, "muted", wrap=True, selectable=True), 1)
        self._cautions.addLayout(row)

    def _show_verdict(self, judged: RunAnalysis | None) -> None:
        if judged is None or judged.verdict is None or judged.deciding_index is None:
            self.sign.clear()
            set_text(self.verdict, "No reading yet." if judged is not None else "No run yet.")
            set_css(self.verdict, f"color: {self.colours.muted};")
            return
        k = judged.deciding_index
        words = verdict_sentence(
            judged.verdict,
            float(judged.error_cents[k]),
            float(judged.notes[k]),
            float(judged.expanded_cents[k]),
            float(judged.allowed_cents[k]),
            self._session.style,
        )
        words = words[0].upper() + words[1:] if judged.next_note is None else f"So far {words}"
        set_text(self.verdict, tied(f"{words}."))
        set_css(self.verdict, f"color: {verdict_colour(judged.verdict, self.colours)}; font-weight: 600;")
        self.sign.setPixmap(verdict_pixmap(judged.verdict, self.colours, 14, self.devicePixelRatioF()))

    def _show_ways(self, judged: RunAnalysis | None) -> None:
        style, chosen = self._session.style, self._session.runs.correction
        fit = None if judged is None else judged.fit
        for kind, card in self.cards.items():
            correction = None if judged is None else judged.correction(kind)
            card.setVisible(correction is not None)
            if correction is None or fit is None:
                continue
            set_text(card.title, correction_title(correction))
            set_text(card.leaves, correction_leaves(correction, style))
            set_text(card.detail, tied(correction_detail(correction, fit, style)))
            card.sign.setPixmap(verdict_pixmap(correction.verdict, self.colours, 11, self.devicePixelRatioF()))
            card.setAccessibleName(
                f"{card.title.text()}, {card.leaves.text()}, {correction.verdict}. {card.detail.text()}"
            )
            card.setChecked(chosen is not None and correction.kind == chosen.kind)
            card.updateGeometry()
            self._dress(card)
        self._ways_title.setVisible(chosen is not None)
        for button in (self.adopt, self.copy, self.save, self.ready):
            button.setVisible(chosen is not None)
        if chosen is not None and judged is not None:
            text = correction_text(chosen, judged, separator="\t")
            if text != self.ready.toPlainText():
                self.ready.setPlainText(text)
            set_text(self.adopt, f"Adopt {self._noun(chosen)} for {judged.run.serial} {self._channel_name(judged)}")

    def _dress(self, card: WayCard) -> None:
        c = self.colours
        wash = c.blue_wash if card.isChecked() else c.panel
        edge = f"2px solid {c.blue}" if card.isChecked() else f"1px solid {c.rule}"
        set_css(
            card,
            f"WayCard {{ background: {wash}; border: {edge}; border-radius: 3px; text-align: left; padding: 0; }}"
            f"WayCard:focus {{ border: 2px solid {c.ink}; }}",
        )

    @staticmethod
    def _noun(correction: Correction) -> str:
        return {"trimmer": "trimming", "constants": "constants", "table": "table"}[correction.kind]

    def _channel_name(self, judged: RunAnalysis) -> str:
        return self._session.bench.port(judged.run.channel).name

    def copy_correction(self) -> str:
        """Put the chosen way's constants or table on the clipboard; returns the text."""
        judged, correction = self._session.runs.analysis(), self._session.runs.correction
        if judged is None or correction is None or judged.fit is None:
            return ""
        text = correction_text(correction, judged, separator="\t")
        QGuiApplication.clipboard().setText(text)
        return text
