"""Marks as they are shown: a pennant with the letter, pale, and outlined in dark ink.

Devices have strong colours, in bars without an outline; so neither is taken for the other, nor by who tells no colours.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF

from jutrek.ui import paint
from jutrek.ui.theme import BOLD, font

if TYPE_CHECKING:
    from collections.abc import Iterable

    from jutrek.library.marks import HouseMark

SIZE = QSize(20, 24)
_SHAPE = ((0, 0), (20, 0), (20, 24), (10, 19), (0, 24))
_INK, _OTHERS = QColor("#1B2A30"), QColor("#FFFFFF")
_COLOURS = {
    "iris": QColor("#C6CCFF"), "rose": QColor("#FFC4D0"), "lime": QColor("#D8F0A0"), "apricot": QColor("#FFCFA3"),
    "sky": QColor("#B4E4FB"), "lilac": QColor("#E7C9F7"), "straw": QColor("#FBE995"), "mist": QColor("#D5DBE0"),
}  # fmt: skip


def colour_of(marks: Iterable[HouseMark], name: str) -> QColor | None:
    """The colour of the mark of a name; None for labels that the house knows nothing of."""
    return next((_COLOURS[one.colour] for one in marks if one.letter == name), None)


def paint_pennant(painter: QPainter, at: QPoint, name: str, colour: QColor | None, *, scale: float = 1.0) -> None:
    """Paint a pennant that hangs down from a point.

    Args:
        painter: paints.
        at: its upper left corner.
        name: of the mark; its first letter is shown.
        colour: of the mark; None for one that the house knows nothing of.
        scale: how large, against its usual size.
    """
    painter.save()
    painter.translate(at)
    painter.scale(scale, scale)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(_INK, 1.5, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap, Qt.PenJoinStyle.MiterJoin))
    painter.setBrush(colour or _OTHERS)
    painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in _SHAPE]))
    paint.text(painter, QRect(QPoint(0, 0), QSize(20, 19)), name[:1], font(11.5, BOLD), _INK, align=paint.CENTRE)
    painter.restore()


def pennant_icon(letter: str, colour: str) -> QIcon:
    """A pennant for a menu."""
    pixmap = QPixmap((SIZE + QSize(2, 2)) * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    paint_pennant(painter, QPoint(1, 1), letter, _COLOURS[colour])
    painter.end()
    return QIcon(pixmap)
