"""The action bar: one sentence of state at the left, at most two buttons at the right."""

from __future__ import annotations

from PySide6.QtCore import QRect, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import BOLD, Theme, font


class ActionBar(QWidget):
    """Says what is the case and offers what can be done about it."""

    brought = Signal()
    saved = Signal()
    stopped = Signal()
    accepted = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._words = ("", "", "")
        self._brick = False
        self.setFixedHeight(54)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.save = QPushButton("Save the plan…")
        self.main = QPushButton("Bring home")
        self.main.setProperty("main", True)
        self.main.setMinimumWidth(166)
        self.stop = QPushButton("Stop")
        self.accept = QPushButton("Accept all certain")
        self.accept.setToolTip("Give every question that is called certain its proposed answer")
        self.accept.clicked.connect(self.accepted)
        self.save.clicked.connect(self.saved)
        self.main.clicked.connect(self.brought)
        self.stop.clicked.connect(self.stopped)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 0, 18, 0)
        row.setSpacing(12)
        row.addStretch()
        for button in (self.save, self.accept, self.stop, self.main):
            button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            row.addWidget(button)
        self.stop.hide()
        self.accept.hide()

    def say(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        """Say a short state, more of it beside, and a line below."""
        self._words = (state, more, under)
        self._brick = brick
        self.setAccessibleName(" ".join(part for part in self._words if part))
        self.update()

    def offer(self, to_bring: int, *, running: bool, working: bool = False) -> None:
        """Offer to bring a number of captures home, or to stop what is going on."""
        self.save.setVisible(not running and not working)
        self.main.setVisible(not running)
        self.stop.setVisible(running or working)
        self.save.setEnabled(to_bring > 0)
        self.main.setEnabled(to_bring > 0 and not working)
        self.main.setText(f"Bring {to_bring:,} home" if to_bring else "Nothing to bring")

    def offer_accepting(self, certain: int) -> None:
        """Offer to accept a number of certain answers, in place of saving the plan; 0 offers nothing."""
        self.accept.setVisible(certain > 0)
        if certain:
            self.save.hide()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.fillRect(self.rect(), theme.card)
        painter.setPen(theme.line)
        painter.drawLine(0, 0, self.width(), 0)
        shown = (button for button in (self.save, self.accept, self.stop, self.main) if not button.isHidden())
        first = next(shown, self.main)
        room = first.x() - 36
        state, more, under = self._words
        line = QRect(18, 8 if under else 17, room, 19)
        used = paint.text(painter, line, state, font(13, BOLD), theme.brick if self._brick else theme.ink)
        paint.text(painter, line.adjusted(used + 8, 0, 0, 0), more, font(13), theme.soft)
        paint.text(painter, line.translated(0, 19), under, font(12), theme.soft)
