"""What is known of a capture besides its dates: device, size, exposure, position, files, ties, notes."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.desk.closer import CloseView
from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font

_TOP, _LINE, _MARGIN, _LABEL = 32, 19, 14, 92


class FactList(QWidget):
    """Labels and words, one line each, and the notes below them as sentences."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._view: CloseView | None = None
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def show_view(self, view: CloseView) -> None:
        """Show a capture's facts."""
        self._view = view
        words = [f"{label}: {words}" for label, words in view.facts]
        self.setAccessibleName(". ".join(["The capture", *words, *view.notes]))
        self.setToolTip("\n".join(words))
        self.updateGeometry()
        self.update()

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if self._view is None:
            return _TOP
        notes = sum(paint.wrapped_height(note, font(12.5), width - 2 * _MARGIN) + 4 for note in self._view.notes)
        return _TOP + _LINE * len(self._view.facts) + notes + 12

    def sizeHint(self) -> QSize:
        return QSize(420, self.heightForWidth(max(self.width(), 420)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        if self._view is None:
            return
        line = QRect(_MARGIN, 8, self.width() - 2 * _MARGIN, 18)
        paint.text(painter, line, "The capture", font(12.5, SEMIBOLD), theme.soft)
        line = QRect(_MARGIN, _TOP, line.width(), _LINE)
        before = ""
        for label, words in self._view.facts:
            if label != before:
                paint.text(painter, QRect(line.left(), line.top(), _LABEL, _LINE), label, font(12.5), theme.soft)
            middle = Qt.TextElideMode.ElideMiddle
            paint.text(painter, line.adjusted(_LABEL, 0, 0, 0), words, font(12.5), theme.ink, cut=middle)
            line.translate(0, _LINE)
            before = label
        top = line.top() + 4
        for note in self._view.notes:
            height = paint.wrapped_height(note, font(12.5), line.width())
            paint.wrapped(painter, QRect(line.left(), top, line.width(), height), note, font(12.5), theme.amber)
            top += height + 4
