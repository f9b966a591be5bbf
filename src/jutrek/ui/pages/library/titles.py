"""Small capitals above a column, with links at the right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRect
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import Theme, font, section


class Title(QWidget):
    """A title, and what can be done with what stands below it."""

    def __init__(self, theme: Theme, words: str, links: Sequence[QPushButton], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._words, self._about = theme, words, ""
        self.setFixedHeight(28)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addStretch()
        for link in links:
            row.addWidget(link)

    def say(self, words: str, about: str = "") -> None:
        """Say something else, and more beside."""
        self._words, self._about = words, about
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        box = QRect(0, 2, self.width(), 24)
        painter = QPainter(self)
        used = paint.text(painter, box, self._words, section(), self._theme.soft)
        paint.text(painter, box.adjusted(used + 14, 0, -120, 0), self._about, font(12.5), self._theme.soft)


def link(words: str) -> QPushButton:
    """A button that looks like a link."""
    button = QPushButton(words)
    button.setProperty("link", True)
    return button
