"""What an empty page shows: what will stand there, and what can be done with it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRect
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font

_EACH, _TOP = 46, 56


class Teaching(QWidget):
    """A card with a headline, and below it words in bold with a sentence to each."""

    def __init__(
        self, theme: Theme, title: str, lines: Sequence[tuple[str, str]], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._theme, self._title, self._lines = theme, title, tuple(lines)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_TOP + _EACH * len(self._lines) + 8)
        self.setAccessibleName(". ".join([title, *(f"{words}: {more}" for words, more in self._lines)]))

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        line = QRect(20, 18, self.width() - 40, 22)
        paint.text(painter, line, self._title, font(15, SEMIBOLD), theme.ink)
        for number, (words, more) in enumerate(self._lines):
            here = QRect(line.left(), _TOP + _EACH * number, line.width(), 18)
            paint.text(painter, here, words, font(13, SEMIBOLD), theme.ink)
            paint.text(painter, here.translated(0, 19), more, font(13), theme.soft)
