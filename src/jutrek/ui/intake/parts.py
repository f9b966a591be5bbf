"""Parts that the page and Close look are put together from."""

from __future__ import annotations

from PySide6.QtCore import QLocale, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from jutrek.desk.board import Board
from jutrek.ui import paint
from jutrek.ui.theme import Theme


class Card(QWidget):
    """A card around a widget."""

    def __init__(self, theme: Theme, inner: QWidget) -> None:
        super().__init__()
        self._theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(inner)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)

    def paintEvent(self, event: QPaintEvent) -> None:
        paint.card(QPainter(self), self.rect(), self._theme.card, self._theme.line)


def scrolling(inner: QWidget) -> QScrollArea:
    """A column that scrolls up and down, without a frame."""
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def span_words(board: Board) -> str:
    """The days of a board in words: `12 – 18 May 2026`."""
    days = [day.start for day in board.days if day.start]
    if not days:
        return ""
    locale, first, last = QLocale(), days[0], days[-1]
    if first == last:
        return str(locale.toString(first, "d MMMM yyyy"))
    form = "d" if (first.year, first.month) == (last.year, last.month) else "d MMMM yyyy"
    return f"{locale.toString(first, form)} – {locale.toString(last, 'd MMMM yyyy')}"
