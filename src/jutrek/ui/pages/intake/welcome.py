"""What an empty intake shows: the two steps to begin with, and the demo."""

from __future__ import annotations

from PySide6.QtCore import QRect, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, THIN, Theme, font

_STEPS = (
    ("1", "The folder where your captures are at home", "An existing one is taken as it is: nothing in it is moved."),
    ("2", "A card, a phone's folder, or any folder with captures", "It is only ever read. Drop it into this window."),
)


class Welcome(QWidget):
    """A card with the first steps and their buttons."""

    wanted_library = Signal()
    wanted_source = Signal()
    wanted_demo = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._library = ""
        self.setFixedHeight(206)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.library = QPushButton("Choose a library…")
        self.source = QPushButton("Add a card or folder…")
        self.demo = QPushButton("Look at the demo")
        self.library.clicked.connect(self.wanted_library)
        self.source.clicked.connect(self.wanted_source)
        self.demo.clicked.connect(self.wanted_demo)
        row = QHBoxLayout()
        row.setSpacing(10)
        for button in (self.library, self.source, self.demo):
            row.addWidget(button)
        row.addStretch()
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 0, 20, 18)
        column.addStretch()
        column.addLayout(row)

    def show_library(self, name: str) -> None:
        """Say which library is used; an empty name is none."""
        self._library = name
        self.setAccessibleName(". ".join(f"{words}: {more}" for _, words, more in _STEPS))
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        for number, (sign, words, more) in enumerate(_STEPS):
            top = 18 + 62 * number
            done = number == 0 and bool(self._library)
            colour = theme.accent if done else theme.ink
            paint.text(painter, QRect(20, top, 34, 42), sign, font(26, THIN), colour)
            line = QRect(58, top + 2, self.width() - 78, 20)
            paint.text(painter, line, f"Your library: {self._library}" if done else words, font(14, SEMIBOLD), colour)
            paint.text(painter, line.translated(0, 20), more, font(12.5), theme.soft)
