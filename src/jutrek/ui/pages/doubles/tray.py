"""The tray: what was set aside, as pictures, for a last look."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QFrame, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from jutrek.decoding import Shown
from jutrek.ui import paint
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.plainly import tip_text
from jutrek.ui.theme import SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.transfer.tray import Trayed

_CELL = QSize(196, 150)
"""The least room of a file, in pixels; cells grow to fill the row."""
_ITEM = Qt.ItemDataRole.UserRole
_SAME = {
    "bytes": "exactly the same",
    "payload": "other notes",
    "picture": "saved another way",
    "alike": "look alike",
}
Index = QModelIndex | QPersistentModelIndex


class _Model(QAbstractListModel):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.items: tuple[Trayed, ...] = ()

    def show(self, items: tuple[Trayed, ...]) -> None:
        self.beginResetModel()
        self.items = items
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.items)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        item = self.items[index.row()]
        if role == _ITEM:
            return item
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return ", ".join(filter(None, (os.path.basename(item.was), _keeper(item), _SAME.get(item.degree, ""))))
        if role == Qt.ItemDataRole.ToolTipRole:
            keeper = f"\nset aside for {item.keeper}\n{_SAME.get(item.degree, '')}" if item.keeper else ""
            return tip_text(f"{item.was}{keeper}")
        return None


def _keeper(item: Trayed) -> str:
    """For which file it was set aside; empty for none."""
    return f"for {os.path.basename(item.keeper)}" if item.keeper else ""


class _Drawing(QStyledItemDelegate):
    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self.root = ""
        self.cell = _CELL

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return self.cell

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, item = self._theme, index.data(_ITEM)
        box = QRect(option.rect).adjusted(4, 4, -4, -4)
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        fill = theme.accent_wash if selected else theme.card
        paint.card(painter, box, fill, theme.accent if selected else theme.line)
        place = QRect(0, 0, SIZE.width(), SIZE.height())
        place.moveCenter(QRect(box.left(), box.top() + 10, box.width(), SIZE.height()).center())
        painter.fillRect(place, theme.track)
        pixmap = self._pictures.of(Shown(os.path.join(self.root, item.path)), self.root)
        if pixmap is not None:
            painter.drawPixmap(place, pixmap)
        painter.setPen(QPen(theme.line, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(place)
        line = QRect(box.left() + 8, place.bottom() + 8, box.width() - 16, 18)
        middle = Qt.TextElideMode.ElideMiddle
        name = os.path.basename(item.was)
        paint.name(painter, line, name, font(12.5, SEMIBOLD), theme.ink, align=paint.CENTRE)
        said = line.translated(0, 18)
        paint.text(painter, said, _keeper(item) or "by itself", font(11.5), theme.soft, align=paint.CENTRE, cut=middle)
        folder = os.path.basename(os.path.dirname(item.was)) or "the library itself"
        where = " · ".join(filter(None, (_SAME.get(item.degree, ""), folder)))
        paint.text(painter, said.translated(0, 17), where, font(11.5), theme.soft, align=paint.CENTRE, cut=middle)


class TrayView(QListView):
    """The files of the tray. Several can be chosen; Shift and Ctrl as in any list."""

    picked = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model = _Model(self)
        self.setModel(self._model)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self._drawing = _Drawing(theme, pictures, self)
        self.setItemDelegate(self._drawing)
        self.setAccessibleName("Set aside, for a last look")
        self.selectionModel().selectionChanged.connect(lambda *_: self.picked.emit())
        pictures.ready.connect(self._on_ready)

    def resizeEvent(self, event: QResizeEvent) -> None:
        width = self.viewport().width() - 1
        self._drawing.cell = QSize(width // max(1, width // _CELL.width()), _CELL.height())
        self.setGridSize(self._drawing.cell)
        super().resizeEvent(event)

    def _on_ready(self, path: str) -> None:
        if self.isVisible() and path.startswith(self._drawing.root):
            self.viewport().update()

    def show_tray(self, items: tuple[Trayed, ...], root: str) -> None:
        """Show what lies in the tray of a library."""
        self._drawing.root = root
        if items != self._model.items:
            self._model.show(items)
        self.picked.emit()

    @property
    def items(self) -> tuple[Trayed, ...]:
        """All that lies in the tray."""
        return self._model.items

    def current(self) -> Trayed | None:
        """The one that is looked at: the first that is chosen, else the first of all."""
        return next(iter(self.chosen() or self._model.items), None)

    def chosen(self) -> tuple[Trayed, ...]:
        """What is chosen of it, in its order."""
        rows = sorted(index.row() for index in self.selectionModel().selectedIndexes())
        return tuple(self._model.items[row] for row in rows)
