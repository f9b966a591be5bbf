"""Ribbons in the gutters: what flows from where to where, as thick as there is much of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

WIDTH = 54
_THICKEST = 13.0
_MANY = 28


@dataclass(frozen=True, slots=True)
class Ribbon:
    """A ribbon between two heights (pixels in the gutter), for a number of captures."""

    left: float
    right: float
    captures: int
    colour: QColor
    strong: bool


class Gutter(QWidget):
    """The space between two columns. It asks for its ribbons whenever it is painted."""

    def __init__(self, ribbons: Callable[[], Iterable[Ribbon]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._ribbons = ribbons
        self.setFixedWidth(WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        ribbons = sorted(self._ribbons(), key=lambda ribbon: (ribbon.strong, -ribbon.captures))
        # Many ribbons step back, so that the strong ones of the open day can still be followed.
        calm = min(1.0, _MANY / max(1, len(ribbons)))
        for ribbon in ribbons:
            colour = QColor(ribbon.colour)
            colour.setAlphaF(0.8 if ribbon.strong else max(0.1, 0.24 * calm))
            thickness = min(_THICKEST, 1.0 + 1.15 * math.sqrt(ribbon.captures))
            pen = QPen(colour, thickness if ribbon.strong else max(1.0, thickness * calm))
            pen.setCapStyle(Qt.PenCapStyle.FlatCap)
            painter.setPen(pen)
            path = QPainterPath(QPointF(0, ribbon.left))
            middle = self.width() / 2
            path.cubicTo(middle, ribbon.left, middle, ribbon.right, self.width(), ribbon.right)
            painter.drawPath(path)
