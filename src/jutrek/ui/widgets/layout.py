"""How pages and small windows are laid out: cards, columns that scroll, tables of lines."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QAbstractItemModel, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from jutrek.ui import paint
from jutrek.ui.theme import Theme


class Card(QWidget):
    """A card around a widget."""

    def __init__(self, theme: Theme, inner: QWidget, *, fills: bool = False) -> None:
        """
        Args:
            fills: whether it takes all the height that there is, or only what it needs.
        """
        super().__init__()
        self._theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(inner)
        policy = QSizePolicy.Policy.Expanding if fills else QSizePolicy.Policy.Maximum
        self.setSizePolicy(QSizePolicy.Policy.Preferred, policy)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        paint.card(QPainter(self), self.rect(), self._theme.card, self._theme.line)


def plain_table(model: QAbstractItemModel, name: str) -> QTableView:
    """A table of lines without a grid, whose rows are chosen as a whole.

    Args:
        name: what screen readers hear.
    """
    table = QTableView()
    table.setModel(model)
    table.setShowGrid(False)
    table.setWordWrap(False)
    table.setAlternatingRowColors(True)
    table.setFrameShape(QFrame.Shape.NoFrame)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setTabKeyNavigation(False)
    table.verticalHeader().hide()
    table.horizontalHeader().setHighlightSections(False)
    table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    table.setAccessibleName(name)
    return table


def dialog_column(dialog: QDialog, parts: Sequence[QWidget], buttons: Sequence[QPushButton]) -> None:
    """Lay out a small window: parts below one another, and the buttons that end it at the right."""
    row = QHBoxLayout()
    row.addStretch()
    for button in buttons:
        row.addWidget(button)
    column = QVBoxLayout(dialog)
    column.setContentsMargins(18, 16, 18, 16)
    column.setSpacing(10)
    for part in parts:
        column.addWidget(part)
    column.addLayout(row)


class Scrolling(QScrollArea):
    """What scrolls up and down."""

    def roll(self, by: int) -> None:
        """Scroll down by so many pixels, as far as there is room."""
        bar = self.verticalScrollBar()
        bar.setValue(bar.value() + by)


def scrolling(inner: QWidget) -> Scrolling:
    """A column that scrolls up and down, without a frame."""
    area = Scrolling()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def column_of(*parts: QWidget | tuple[QWidget, int]) -> QWidget:
    """Widgets below one another, each with the share of the height that it takes."""
    made = QWidget()
    lines = QVBoxLayout(made)
    lines.setContentsMargins(0, 0, 0, 0)
    lines.setSpacing(4)
    for part in parts:
        widget, stretch = part if isinstance(part, tuple) else (part, 0)
        lines.addWidget(widget, stretch)
    return made
