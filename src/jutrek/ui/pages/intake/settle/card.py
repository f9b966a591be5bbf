"""A question: its headline, its evidence, how sure Jutrek is, and the answers."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRect, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.desk.board import Question
from jutrek.ui import paint
from jutrek.ui.pages.intake.settle.evidence import NeighbourRow, StripChart, WaveChart
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.plainly import Label
from jutrek.ui.theme import BOLD, HEADLINE, SEMIBOLD, Theme, font
from jutrek.ui.widgets.askbar import AskBar
from jutrek.ui.widgets.buttonflow import ButtonFlow

_MARGIN, _CERTAINTY = 16, 90


class QuestionCard(QWidget):
    """One open question."""

    answered = Signal(object, int)
    typed = Signal(object, object)
    """The question's key, and the shift or date that was typed."""
    matching = Signal(object)
    entered = Signal(object)

    def __init__(self, theme: Theme, pictures: Pictures, question: Question) -> None:
        super().__init__()
        self._theme, self.question = theme, question
        self._chosen = False
        self.ask: AskBar | None = None
        self._headline = Label(question.headline)
        self._headline.setFont(font(HEADLINE, SEMIBOLD))
        self._headline.setWordWrap(True)
        self._headline.setContentsMargins(0, 0, _CERTAINTY, 0)
        evidence = Label(question.evidence)
        evidence.setFont(font(12.5))
        evidence.setWordWrap(True)
        evidence.setStyleSheet(f"color: {theme.soft.name()}")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(_MARGIN, 12, _MARGIN, 12)
        self._column.setSpacing(6)
        self._column.addWidget(self._headline)
        self._column.addWidget(evidence)
        if question.waves is not None:
            self._column.addSpacing(4)
            self._column.addWidget(WaveChart(theme, question.waves))
        elif question.strips:
            self._column.addSpacing(4)
            self._column.addWidget(StripChart(theme, question))
        elif question.pictures:
            self._column.addWidget(NeighbourRow(theme, pictures, question))
        self.buttons: list[QPushButton] = []
        self._column.addWidget(self._answers())
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self.setAccessibleName(f"{question.headline}: {question.certainty}. {question.evidence}")

    def _answers(self) -> QWidget:
        for number, words in enumerate(self.question.answers):
            button = QPushButton(words)
            button.setProperty("main", number == 0)
            button.clicked.connect(lambda _=False, one=number: self.answered.emit(self.question.key, one))
            self.buttons.append(button)
        is_clock = bool(self.question.shift)
        self.other = QPushButton("Another shift…" if is_clock else "Another date…")
        self.other.clicked.connect(self._ask_other)
        self.match = QPushButton("Match two pictures…")
        self.match.clicked.connect(lambda: self.matching.emit(self.question.key))
        self.match.setVisible(is_clock)
        self.other.setVisible(not self.question.about_doubles)
        for button in self.stops():
            button.installEventFilter(self)
        self._row = ButtonFlow(self.stops())
        return self._row

    @property
    def is_clock(self) -> bool:
        """Whether a shift answers it, rather than a date."""
        return bool(self.question.shift)

    def _ask_other(self) -> None:
        words, hint = ("Shift by:", "+1:00:00") if self.is_clock else ("They were made:", "2026-05-14 or with 09:30")
        self.ask = AskBar(self._theme, words, "Shift them" if self.is_clock else "Date them", self, field="", hint=hint)
        self.ask.setFixedHeight(40)
        self.ask.accepted.connect(lambda text: self.typed.emit(self.question.key, text))
        self.ask.refused.connect(self._end_ask)
        self._row.hide()
        self._column.addWidget(self.ask)
        if self.ask.field is not None:
            self.ask.field.setFocus()

    def _end_ask(self) -> None:
        if self.ask is not None:
            self.ask.hide()
            self.ask.deleteLater()
            self.ask = None
        self._row.show()
        self.other.setFocus()

    def stops(self) -> tuple[QPushButton, ...]:
        """What can take the focus, in order."""
        dates = () if self.question.about_doubles else (self.other, self.match)
        return (*self.buttons[:1], *dates, *self.buttons[1:])

    def choose(self, chosen: bool) -> None:
        """Show whether it is the one whose effect is shown."""
        if chosen != self._chosen:
            self._chosen = chosen
            self.update()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Whoever comes to an answer by keyboard comes to its question."""
        if event.type() == QEvent.Type.FocusIn:
            self.entered.emit(self.question.key)
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.entered.emit(self.question.key)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        edge = theme.accent if self._chosen else theme.line
        paint.card(painter, self.rect(), theme.card, edge, width=2 if self._chosen else 1)
        sure = self.question.certainty
        box = QRect(self.width() - _CERTAINTY - _MARGIN, 13, _CERTAINTY, 18)
        colour = theme.accent if sure == "certain" else theme.amber
        paint.text(painter, box, sure, font(12.5, BOLD), colour, align=paint.RIGHT, cut=Qt.TextElideMode.ElideNone)
