"""Ribbons from the captures that are seen to the folders that they are in."""

from __future__ import annotations

from collections import defaultdict

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import QWidget

from jutrek.ui import paint
from jutrek.ui.pages.library.folders import FolderList
from jutrek.ui.pages.library.grid import CaptureGrid
from jutrek.ui.theme import Theme

WIDTH = 34
_THIN, _THICK = 7.0, 26.0


class Ribbons(QWidget):
    """What lies between captures and folders; it says nothing that these do not, and takes no part in keys."""

    def __init__(self, theme: Theme, grid: CaptureGrid, folders: FolderList, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._grid, self._folders = theme, grid, folders
        self.setFixedWidth(WIDTH)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName("From captures to their folders")
        for moved in (grid.verticalScrollBar().valueChanged, folders.verticalScrollBar().valueChanged, grid.chosen):
            moved.connect(self.update)
        folders.rows.modelReset.connect(self.update)
        folders.rows.dataChanged.connect(self.update)

    def ends(self) -> list[tuple[float, float, int]]:
        """Where each begins and ends, in pixels from the top, and how many captures it is of."""
        found: dict[tuple[int, int], list[float]] = defaultdict(list)
        for group, number, middle in self._grid.seen_folders():
            row = self._folders.seen_row(number)
            if row is not None:
                found[group, row].append(middle)
        return [
            (sum(middles) / len(middles), float(self._height_of(row)), len(middles))
            for (_, row), middles in found.items()
        ]

    def _height_of(self, row: int) -> int:
        index = self._folders.rows.index(row)
        place = self._folders.viewport().mapTo(self.window(), self._folders.visualRect(index).center())
        return self.mapFrom(self.window(), place).y()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, wide = QPainter(self), self.width()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = self._grid.mapTo(self.window(), QPoint(0, 0)).y() - self.mapTo(self.window(), QPoint(0, 0)).y()
        for start, end, count in self.ends():
            half = min(_THICK, _THIN + 1.5 * count) / 2
            begin = start + top
            path = QPainterPath(QPointF(0, begin - half))
            path.cubicTo(wide / 2, begin - half, wide / 2, end - half / 2, wide, end - half / 2)
            path.lineTo(wide, end + half / 2)
            path.cubicTo(wide / 2, end + half / 2, wide / 2, begin + half, 0, begin + half)
            fill = QColor(self._theme.accent)
            fill.setAlphaF(min(0.55, 0.24 + 0.03 * count))
            painter.fillPath(path, fill)
