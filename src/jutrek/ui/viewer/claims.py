"""The claims of a capture on one axis: the chosen one in the middle, the others by their distance from it."""

from __future__ import annotations

import math

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen

from jutrek.desk.details import CaptureDetails, ClaimLine
from jutrek.ui import paint
from jutrek.ui.theme import NORMAL, SEMIBOLD, font
from jutrek.ui.viewer.card import MARGIN, TallCard

_WHY, _ROW = 28, 40
_FARTHEST = 100 * 365.25 * 86_400
"""Seconds at the ends of the axis; what lies farther stands there."""
_TICKS = ((60, "1 min"), (3600, "1 h"), (86_400, "1 day"), (365.25 * 86_400, "1 year"))


def place(seconds: float) -> float:
    """Where a distance stands on the axis: 0 in the middle, ±1 at the ends, by its order of magnitude."""
    share = math.log10(1 + min(abs(seconds), _FARTHEST)) / math.log10(1 + _FARTHEST)
    return math.copysign(share, seconds)


class ClaimChart(TallCard):
    """Draws the claims, one under the other, each with where it stands and its distance."""

    title = "Dates found"

    def lines(self) -> tuple[ClaimLine, ...]:
        """The claims that are shown."""
        return self._view.claims if self._view else ()

    def spoken(self, view: CaptureDetails) -> str:
        return f"{view.why} " + ". ".join(f"{line.where}: {line.value}{_state(line)}" for line in view.claims)

    def height_of(self, view: CaptureDetails, width: int) -> int:
        return self._top(view, width) + _ROW * len(view.claims) + 12

    def _top(self, view: CaptureDetails, width: int) -> int:
        """Where the first claim begins, below the reason and the words of the axis."""
        return _WHY + paint.wrapped_height(view.why, font(12.5), width) + 24

    def draw(self, painter: QPainter, view: CaptureDetails, title: QRect) -> None:
        theme, width = self._theme, title.width()
        top = self._top(view, width)
        why = QRect(MARGIN, _WHY, width, top - _WHY - 22)
        paint.wrapped(painter, why, view.why, font(12.5), theme.ink if view.trusted else theme.amber)
        if view.claims:
            self._draw_ticks(painter, QRect(MARGIN, top - 20, width, 16))
        for number, claim in enumerate(view.claims):
            self._draw_claim(painter, QRect(MARGIN, top + _ROW * number, width, _ROW), claim)

    def _across(self, seconds: float) -> int:
        half = self.width() / 2 - MARGIN - 8
        return round(self.width() / 2 + place(seconds) * half)

    def _draw_ticks(self, painter: QPainter, line: QRect) -> None:
        """The words of the axis, and the chosen moment as an upright through all claims."""
        theme = self._theme
        for seconds, words in _TICKS:
            for x in (self._across(-seconds), self._across(seconds)):
                box = QRect(x - 30, line.top(), 60, 16)
                paint.text(painter, box, words, font(11), theme.soft, align=paint.CENTRE)
        paint.text(painter, line, "earlier", font(11), theme.soft)
        paint.text(painter, line, "later", font(11), theme.soft, align=paint.RIGHT)
        if any(claim.chosen for claim in self.lines()):
            painter.setPen(QPen(theme.accent, 2))
            painter.drawLine(self._across(0), line.bottom() - 2, self._across(0), self.height() - 12)

    def _draw_claim(self, painter: QPainter, row: QRect, claim: ClaimLine) -> None:
        theme = self._theme
        colour = theme.accent if claim.chosen else theme.amber if claim.against else theme.soft
        words = QRect(row.left(), row.top(), row.width(), 18)
        face = font(12, SEMIBOLD if claim.chosen else NORMAL)
        metrics = QFontMetrics(face)
        if words.left() + metrics.horizontalAdvance(claim.where) > self._across(0) - 4:
            painter.fillRect(QRect(self._across(0) - 2, words.top(), 4, 18), theme.card)
        used = paint.text(painter, words, claim.value, face, theme.ink, align=paint.RIGHT)
        paint.text(painter, words.adjusted(0, 0, -used - 12, 0), claim.where, face, theme.ink)
        y = row.top() + 27
        painter.setPen(QPen(theme.line, 1))
        painter.drawLine(row.left(), y, row.right(), y)
        for seconds, _ in _TICKS:
            for x in (self._across(-seconds), self._across(seconds)):
                painter.drawLine(x, y - 3, x, y + 3)
        self._draw_mark(painter, y, claim, colour)

    def _draw_mark(self, painter: QPainter, y: int, claim: ClaimLine, colour: QColor) -> None:
        """A dot, or a bar over the day, month or year that is all that is known; its distance beside it."""
        starts, ends = self._across(claim.starts), self._across(claim.ends)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        if ends - starts > 12:
            painter.drawRoundedRect(QRect(starts, y - 3, ends - starts, 7), 3, 3)
        else:
            radius = 6 if claim.chosen else 5
            painter.drawEllipse(QPoint((starts + ends) // 2, y), radius, radius)
        label = "chosen" if claim.chosen else claim.distance
        painter.setFont(font(11.5))
        width = painter.fontMetrics().horizontalAdvance(label) + 8
        left = ends + 10 if ends + 10 + width < self.width() - MARGIN else starts - 10 - width
        box = QRect(left, y - 9, width, 18)
        painter.fillRect(box, self._theme.card)
        paint.text(painter, box.adjusted(2, 0, 0, 0), label, font(11.5), colour)


def _state(line: ClaimLine) -> str:
    if line.chosen:
        return ", chosen"
    return f", {line.distance}" if line.distance else ""
