"""Parts that the page and Close look are put together from."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QAbstractItemModel, QEvent, QLocale, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from jutrek.desk.board import Board
from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font

CAPTURES = "application/x-jutrek-captures"
"""Captures that are dragged: their ids, parted by zeros."""
_BUTTON, _GAP = 28, 8


def keeps_escape(event: QEvent) -> bool:
    """Whether an event asks if Escape is wanted here before a shortcut takes it; if so it is told that it is."""
    asks = event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape
    if asks:
        event.accept()
    return asks


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


class AskBar(QWidget):
    """A question in place, with its answer and a way out; where something is to be typed, with a field."""

    accepted = Signal(str)
    refused = Signal()

    def __init__(
        self, theme: Theme, words: str, answer: str, parent: QWidget, *, field: str | None = None, hint: str = ""
    ) -> None:
        """
        Args:
            words: the question.
            answer: what the button says.
            field: what stands in the field; None for none.
            hint: what the field asks for.
        """
        super().__init__(parent)
        self._theme, self._words, self._brick = theme, words, False
        self.field: QLineEdit | None = None
        self.main = QPushButton(answer)
        self.main.setProperty("main", True)
        self.cancel = QPushButton("Leave it")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 4, 0, 4)
        row.setSpacing(8)
        row.addStretch(1)
        if field is not None:
            self.field = QLineEdit(field)
            self.field.setPlaceholderText(hint)
            self.field.setAccessibleName(words)
            self.field.setFixedWidth(190)
            self.field.returnPressed.connect(self._accept)
            row.addWidget(self.field)
        for button in (self.main, self.cancel):
            button.setProperty("small", True)
            row.addWidget(button)
        self.main.clicked.connect(self._accept)
        self.cancel.clicked.connect(self.refused)
        self.setAccessibleName(words)

    def say(self, words: str) -> None:
        """Say what is wrong with what was typed."""
        self._words, self._brick = words, True
        self.update()

    def _accept(self) -> None:
        self.accepted.emit(self.field.text() if self.field is not None else "")

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.refused.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # The field has told of it already; further up it would mean something else.
            if self.field is None:
                self._accept()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        first = self.field or self.main
        colour = self._theme.brick if self._brick else self._theme.ink
        box = QRect(4, 0, first.x() - 12, self.height())
        paint.text(QPainter(self), box, self._words, font(13, SEMIBOLD), colour)


class ButtonFlow(QWidget):
    """Buttons in a line, or in several where there is no room."""

    def __init__(self, buttons: Sequence[QPushButton], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._buttons = buttons
        for button in buttons:
            button.setProperty("small", True)
            button.setParent(self)
        self.setMinimumHeight(_BUTTON + _GAP)

    def _places(self, width: int) -> Iterator[tuple[QPushButton, QRect]]:
        left, top = 0, 4
        for button in self._buttons:
            if button.isHidden():
                continue
            wide = button.sizeHint().width()
            if left and left + wide > width:
                left, top = 0, top + _BUTTON + _GAP
            yield button, QRect(left, top, wide, _BUTTON)
            left += wide + _GAP

    def height_for(self, width: int) -> int:
        """The height that the buttons need at a width, in pixels."""
        return max((box.bottom() for _, box in self._places(width)), default=_BUTTON) + 3

    def arrange(self) -> None:
        """Put the buttons that are shown where they fit."""
        for button, box in self._places(self.width()):
            button.setGeometry(box)
        self.setFixedHeight(self.height_for(self.width()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.arrange()
