"""What flows from the pictures that are chosen into the folder that would take them."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import QWidget

from jutrek.ui import paint
from jutrek.ui.pages.library.sorting.folders import FolderCards
from jutrek.ui.pages.library.sorting.pictures import PileGrid
from jutrek.ui.theme import Theme

_WIDE, _MOST = 34, 12
_THICK, _THIN = 15.0, 5.0


class Flow(QWidget):
    """What lies between pictures and folders; it says nothing that these do not, and takes no part in keys."""

    def __init__(self, theme: Theme, grid: PileGrid, cards: FolderCards, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._grid, self._cards = theme, grid, cards
        self.setFixedWidth(_WIDE)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName("From pictures to the folder that takes them")
        for moved in (grid.verticalScrollBar().valueChanged, cards.verticalScrollBar().valueChanged):
            moved.connect(self.update)
        grid.chosen.connect(self.update)
        cards.chosen.connect(self.update)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        target, rows = self._cards.left_of(), self._grid.picked().tolist()[:_MOST]
        if target is None:
            return
        painter, wide = QPainter(self), self.width()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        fill = QColor(self._theme.accent)
        fill.setAlphaF(0.4)
        end = self._height(self._cards.viewport(), target)
        for row in rows:
            start = self._grid.right_of(row)
            if start is None:
                continue
            begin = self._height(self._grid.viewport(), start)
            path = QPainterPath(QPointF(0, begin - _THICK))
            path.cubicTo(wide / 2, begin - _THICK, wide / 2, end - _THIN, wide, end - _THIN)
            path.lineTo(wide, end + _THIN)
            path.cubicTo(wide / 2, end + _THIN, wide / 2, begin + _THICK, 0, begin + _THICK)
            painter.fillPath(path, fill)

    def _height(self, widget: QWidget, point: QPoint) -> float:
        return float(self.mapFromGlobal(widget.mapToGlobal(point)).y())
