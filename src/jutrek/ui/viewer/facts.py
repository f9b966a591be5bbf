"""What is known of a capture besides its dates: device, size, exposure, position, files, ties, notes."""

from __future__ import annotations

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QPainter

from jutrek.desk.details import CaptureDetails
from jutrek.ui import paint
from jutrek.ui.theme import font
from jutrek.ui.viewer.card import MARGIN, TallCard

_TOP, _LINE, _LABEL = 32, 19, 92


class FactList(TallCard):
    """Labels and words, one line each, and the notes below them as sentences."""

    title = "The capture"

    def spoken(self, view: CaptureDetails) -> str:
        return ". ".join([*(f"{label}: {words}" for label, words in view.facts), *view.notes])

    def height_of(self, view: CaptureDetails, width: int) -> int:
        notes = sum(paint.wrapped_height(note, font(12.5), width) + 4 for note in view.notes)
        return _TOP + _LINE * len(view.facts) + notes + 12

    def draw(self, painter: QPainter, view: CaptureDetails, title: QRect) -> None:
        theme, middle = self._theme, Qt.TextElideMode.ElideMiddle
        line = QRect(MARGIN, _TOP, title.width(), _LINE)
        before = ""
        for label, words in view.facts:
            if label != before:
                paint.text(painter, QRect(line.left(), line.top(), _LABEL, _LINE), label, font(12.5), theme.soft)
            paint.text(painter, line.adjusted(_LABEL, 0, 0, 0), words, font(12.5), theme.ink, cut=middle)
            line.translate(0, _LINE)
            before = label
        top = line.top() + 4
        for note in view.notes:
            height = paint.wrapped_height(note, font(12.5), line.width())
            paint.wrapped(painter, QRect(line.left(), top, line.width(), height), note, font(12.5), theme.amber)
            top += height + 4
