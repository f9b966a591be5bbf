"""All open questions, one below the other; they take the place of the days."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from jutrek.desk.board import Board, Question
from jutrek.ui.pages.intake.settle.card import QuestionCard
from jutrek.ui.pages.intake.settle.effect import EffectPanel
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.plainly import Label
from jutrek.ui.theme import HEADLINE, SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.captures import Change
    from jutrek.desk.questions import Effect


class SettleView(QWidget):
    """The column of questions, and the panel that tells what the chosen one's proposed answer changes."""

    answered = Signal(object, int)
    decided = Signal(object)
    matching = Signal(object)
    wondered = Signal(object)
    """Whose effect is to be found out."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self.effect = EffectPanel(theme)
        self.cards: dict[str, QuestionCard] = {}
        self._chosen = ""
        self._none = Label("Nothing is left to settle.")
        self._none.setFont(font(HEADLINE, SEMIBOLD))
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 4, 0)
        self._column.setSpacing(9)
        self._column.addWidget(self._none)
        self._column.addStretch()

    def show_board(self, board: Board) -> None:
        """Show a board's questions. Cards of questions that are the same stay."""
        wanted = {question.key: question for question in board.questions}
        for key in [key for key, card in self.cards.items() if wanted.get(key) != card.question]:
            card = self.cards.pop(key)
            card.hide()
            card.deleteLater()
        for number, question in enumerate(board.questions):
            if question.key not in self.cards:
                self.cards[question.key] = self._card(question)
            self._column.removeWidget(self.cards[question.key])
            self._column.insertWidget(number, self.cards[question.key])
        self._none.setVisible(not wanted)
        self.effect.setVisible(bool(wanted) and not self.isHidden())
        first = next(iter(wanted), "")
        self._chosen = self._chosen if self._chosen in wanted else ""
        if first and not self.isHidden():
            self.choose(self._chosen or first, again=True)

    def _card(self, question: Question) -> QuestionCard:
        card = QuestionCard(self._theme, self._pictures, question)
        card.answered.connect(self.answered)
        card.typed.connect(self._take)
        card.matching.connect(self.matching)
        card.entered.connect(self.choose)
        return card

    def choose(self, key: str, *, again: bool = False) -> None:
        """Choose the question whose effect is shown."""
        if (key == self._chosen and not again) or key not in self.cards:
            return
        self._chosen = key
        for one, card in self.cards.items():
            card.choose(one == key)
        self.effect.wait_for(self.cards[key].question)
        self.wondered.emit(key)

    def show_effect(self, effect: Effect) -> None:
        """Show what an answer changes, if its question is still the chosen one."""
        if effect.question == self._chosen:
            self.effect.show_effect(effect)

    def stops(self) -> list[QWidget]:
        """What can take the focus, in order."""
        return [stop for card in self.cards.values() for stop in card.stops()]

    def _take(self, key: str, text: str) -> None:
        """Take a shift or a date that was typed into a question."""
        from jutrek.captures.decisions import SetDate, ShiftClock
        from jutrek.desk.typed import placed_of, shift_of

        card = self.cards[key]
        question = card.question
        change: Change
        try:
            if card.is_clock:
                change = ShiftClock(question.device.key, shift_of(text), question.scope)
            else:
                placed = placed_of(text)
                change = SetDate(tuple((capture, placed) for capture in question.captures))
        except ValueError as error:
            if card.ask is not None:
                card.ask.say(str(error))
            return
        self.decided.emit([change])
