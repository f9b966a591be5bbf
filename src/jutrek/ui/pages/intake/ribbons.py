"""Ribbons in the gutters: what flows from where to where, as thick as there is much of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from functools import lru_cache
from typing import NamedTuple

from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint

WIDTH = 54
_THICKEST = 13.0
_MANY = 28
_A_MOMENT = 120
"""Milliseconds after which what moved is taken to be at rest."""


class Ribbon(NamedTuple):
    """A ribbon between two heights (pixels in the gutter), for a number of captures."""

    left: float
    right: float
    captures: int
    colour: QColor
    strong: bool


class Gutter(QWidget):
    """The space between two columns. It asks for its ribbons whenever it is painted.

    While they move they are drawn without smooth edges, which takes a third of the time; at rest they get them back.
    """

    def __init__(self, name: str, ribbons: Callable[[], Iterable[Ribbon]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._ribbons = ribbons
        self._at_rest = QTimer(self, singleShot=True, interval=_A_MOMENT)
        self._at_rest.timeout.connect(self.update)
        self.setFixedWidth(WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def follow(self) -> None:
        """What the ribbons are tied to has moved."""
        self._at_rest.start()
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, not self._at_rest.isActive())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        ribbons = sorted(self._ribbons(), key=lambda ribbon: (ribbon.strong, -ribbon.captures))
        # Many ribbons step back, so that the strong ones of the open day can still be followed.
        calm = min(1.0, _MANY / max(1, len(ribbons)))
        middle, right = WIDTH / 2, float(WIDTH)
        for ribbon in ribbons:
            painter.setPen(_pen(ribbon.colour.rgb(), ribbon.captures, 1.0 if ribbon.strong else calm, ribbon.strong))
            path = QPainterPath(QPointF(0, ribbon.left))
            path.cubicTo(middle, ribbon.left, middle, ribbon.right, right, ribbon.right)
            painter.drawPath(path)


@lru_cache(maxsize=1024)
def _pen(rgb: int, captures: int, calm: float, strong: bool) -> QPen:
    """What a ribbon is drawn with.

    Args:
        rgb: its colour.
        captures: how many it stands for.
        calm: between 0 and 1: how far it steps back.
        strong: whether it belongs to the open day.
    """
    colour = QColor(rgb)
    colour.setAlphaF(0.8 if strong else max(0.1, 0.24 * calm))
    pen = QPen(colour, max(1.0, min(_THICKEST, 1.0 + 1.15 * math.sqrt(captures)) * calm))
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    return pen
