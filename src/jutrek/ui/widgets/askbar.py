"""Asking in place, and Escape as the way out."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font


def keeps_escape(event: QEvent) -> bool:
    """Whether an event asks if Escape is wanted here before a shortcut takes it; if so it is told that it is."""
    asks = event.type() == QEvent.Type.ShortcutOverride and event.key() == Qt.Key.Key_Escape
    if asks:
        event.accept()
    return asks


class AskBar(QWidget):
    """A question in place, with its answer and a way out; where something is to be typed, with a field."""

    accepted = Signal(object)
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

    def stops(self) -> tuple[QWidget, ...]:
        """Where Tab stops, in order."""
        return (*((self.field,) if self.field is not None else ()), self.main, self.cancel)

    def say(self, words: str, *, brick: bool = True) -> None:
        """Say what is wrong with what was typed, or what there is to know of it."""
        self._words, self._brick = words, brick
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

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        first = self.field or self.main
        colour = self._theme.brick if self._brick else self._theme.ink
        box = QRect(4, 0, first.x() - 12, self.height())
        paint.text(QPainter(self), box, self._words, font(13, SEMIBOLD), colour)
