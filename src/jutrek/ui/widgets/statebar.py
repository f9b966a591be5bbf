"""The bar at the bottom of a page: one sentence of state at the left, buttons at the right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import BOLD, Theme, font


class StateBar(QWidget):
    """Says what is the case and offers what can be done about it. The last of its buttons is the main one."""

    def __init__(self, theme: Theme, buttons: Sequence[QPushButton], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._buttons = theme, buttons
        self._words = ("", "", "")
        self._colour: QColor = theme.ink
        self.setFixedHeight(54)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 0, 18, 0)
        row.setSpacing(12)
        row.addStretch()
        for button in buttons:
            button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            row.addWidget(button)
        buttons[-1].setProperty("main", True)
        buttons[-1].setMinimumWidth(166)

    def say(self, state: str, more: str = "", under: str = "", *, brick: bool = False, amber: bool = False) -> None:
        """Say a short state, more of it beside, and a line below.

        Args:
            state: a few words.
            more: what else there is to know, beside them.
            under: a line below.
            brick: whether it is trouble.
            amber: whether it asks for attention.
        """
        self._words = (state, more, under)
        self._colour = self._theme.brick if brick else self._theme.amber if amber else self._theme.ink
        self.setAccessibleName(" ".join(part for part in self._words if part))
        self.update()

    def words(self) -> str:
        """What it says."""
        return self.accessibleName()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.fillRect(self.rect(), theme.card)
        painter.setPen(theme.line)
        painter.drawLine(0, 0, self.width(), 0)
        first = next((button for button in self._buttons if not button.isHidden()), None)
        room = (self.width() if first is None else first.x()) - 36
        state, more, under = self._words
        line = QRect(18, 8 if under else 17, room, 19)
        used = paint.text(painter, line, state, font(13, BOLD), self._colour)
        paint.text(painter, line.adjusted(used + 8, 0, 0, 0), more, font(13), theme.soft)
        paint.text(painter, line.translated(0, 19), under, font(12), theme.soft)
