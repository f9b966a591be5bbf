"""The headline of a page."""

from __future__ import annotations

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from jutrek.ui import paint
from jutrek.ui.theme import HEADLINE, SEMIBOLD, Theme, font


class Headline(QWidget):
    """The figures that matter, and more beside."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._words = ("", "")
        self.setFixedHeight(36)

    def say(self, figures: str, more: str) -> None:
        """Say the figures, and more beside."""
        self._words = (figures, more)
        self.setAccessibleName(f"{figures} {more}")
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        line = self.rect().adjusted(0, 6, 0, 0)
        used = paint.text(painter, line, self._words[0], font(HEADLINE, SEMIBOLD), theme.ink)
        paint.text(painter, line.adjusted(used + 18, 0, 0, 0), self._words[1], font(12.5), theme.soft)
