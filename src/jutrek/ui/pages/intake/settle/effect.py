"""What an answer changes: figures, and some names before and after."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.pages.intake.folder_column import WIDTH
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.desk.board import Question
    from jutrek.desk.questions import Effect

_PROMISE = "The files keep their own times. What is decided is kept with the captures, and can be taken back (Ctrl+Z)."


class EffectPanel(QWidget):
    """The right column of Settle."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._answer = ""
        self._effect: Effect | None = None
        self.setFixedWidth(WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)

    def wait_for(self, question: Question) -> None:
        """Show for which answer the effect is being found out."""
        self._answer, self._effect = question.answers[0], None
        self.update()

    def show_effect(self, effect: Effect) -> None:
        """Show what the answer changes."""
        self._effect = effect
        words = ", ".join(f"{count} {what}" for what, count in effect.figures) or "nothing else changes"
        self.setAccessibleName(f"{self._answer}: {words}")
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        line = QRect(16, 14, self.width() - 32, 20)
        paint.text(painter, line, f"“{self._answer}”", font(13.5, SEMIBOLD), theme.ink)
        top = line.bottom() + 10
        if self._effect is not None:
            for words, count in self._effect.figures or (("nothing else changes", 0),):
                row = QRect(16, top, self.width() - 32, 20)
                paint.text(painter, row, words, font(13), theme.soft)
                if count:
                    paint.text(painter, row, f"{count:,}", font(13, BOLD), theme.ink, align=paint.RIGHT)
                top += 24
            painter.setPen(theme.line)
            painter.drawLine(16, top + 4, self.width() - 16, top + 4)
            top += 14
            for before, after, folder in self._effect.samples:
                row = QRect(16, top, self.width() - 32, 17)
                cut = Qt.TextElideMode.ElideMiddle
                paint.text(painter, row, before, font(12), theme.soft, cut=cut)
                paint.name(painter, row.translated(0, 17), after, font(13, SEMIBOLD), theme.ink)
                paint.text(painter, row.translated(0, 34), f"in {folder}" if folder else "", font(12), theme.soft)
                top += 62 if folder else 46
        else:
            paint.text(painter, QRect(16, top, self.width() - 32, 20), "Working it out …", font(13), theme.soft)
            top += 30
        box = QRect(16, top + 6, self.width() - 32, 90)
        paint.wrapped(painter, box, _PROMISE, font(12), theme.soft)
