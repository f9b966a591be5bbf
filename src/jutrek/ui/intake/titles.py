"""The headline of the page, and the titles of its columns."""

from __future__ import annotations

from PySide6.QtCore import QRect
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.ui import paint
from jutrek.ui.intake import lands, ribbons, tiles
from jutrek.ui.theme import HEADLINE, SEMIBOLD, Theme, font, section


class Headline(QWidget):
    """The figures that matter, and the titles of the three columns."""

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

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        line = self.rect().adjusted(0, 6, 0, 0)
        used = paint.text(painter, line, self._words[0], font(HEADLINE, SEMIBOLD), theme.ink)
        paint.text(painter, line.adjusted(used + 18, 0, 0, 0), self._words[1], font(12.5), theme.soft)


class ColumnTitles(QWidget):
    """From, when, lands in: small capitals above the columns, and what the board is narrowed to."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setFixedHeight(26)
        self.clear = QPushButton("", self)
        self.clear.setProperty("link", True)
        self.clear.hide()

    def narrow(self, words: str) -> None:
        """Offer to show everything again; empty words offer nothing."""
        self.clear.setText(f"only {words} · show all" if words else "")
        self.clear.setVisible(bool(words))
        self._place()

    def _place(self) -> None:
        hint = self.clear.sizeHint()
        right = self.width() - lands.WIDTH - ribbons.WIDTH
        self.clear.setGeometry(right - hint.width(), 0, hint.width(), 24)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._place()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        when = tiles.WIDTH + ribbons.WIDTH
        for left, words in ((0, "FROM"), (when, "WHEN"), (self.width() - lands.WIDTH, "LANDS IN")):
            paint.text(painter, QRect(left, 2, 200, 22), words, section(), theme.soft)
