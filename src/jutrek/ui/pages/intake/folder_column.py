"""Goes to: the folders that the plan fills, and what was just read back."""

from __future__ import annotations

import os
from abc import abstractmethod

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QSizePolicy,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from jutrek.desk.board import FolderView
from jutrek.desk.board_days import DayView
from jutrek.ui import paint
from jutrek.ui.plainly import tip_text
from jutrek.ui.theme import SEMIBOLD, Theme, font

WIDTH = 276
_PATH, _IS_NEW = Qt.ItemDataRole.UserRole, Qt.ItemDataRole(Qt.ItemDataRole.UserRole + 1)
_MOST_SHOWN = 14


class _Names(QStyledItemDelegate):
    """Draws folders' names; what is not there yet has a dashed edge."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    @paint.safely
    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        super().paint(painter, option, index)
        if index.data(_IS_NEW):
            wide = paint.width_of(index.data(), index.data(Qt.ItemDataRole.FontRole) or option.font) + 10
            box = QRectF(option.rect).adjusted(0.5, 3.5, -0.5, -3.5)
            box.setWidth(min(box.width(), wide))
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(self._theme.home, 1, Qt.PenStyle.DashLine))
            painter.drawRoundedRect(box, 3, 3)
            painter.restore()


class FolderTree(QTreeWidget):
    """The tree that the plan makes or fills, with the number of captures that come."""

    narrowed = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._shown: tuple[FolderView, ...] = ()
        self._items: dict[str, QTreeWidgetItem] = {}
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.header().setStretchLastSection(False)
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.setIndentation(14)
        self.setRootIsDecorated(False)
        self.setItemsExpandable(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setItemDelegateForColumn(0, _Names(theme, self))
        self.setAccessibleName("Folders of the library")
        self.itemClicked.connect(self._on_pressed)
        self.itemActivated.connect(self._on_pressed)

    def show_folders(self, folders: tuple[FolderView, ...]) -> None:
        """Show the folders with what they get."""
        if folders == self._shown:
            return
        self._shown = folders
        self.clear()
        self._items.clear()
        totals: dict[str, list[int]] = {}
        for folder in folders:
            parts = folder.path.split("/")
            for depth in range(1, len(parts) + 1):
                sums = totals.setdefault("/".join(parts[:depth]), [0, 0, 0])
                sums[0] += folder.coming
                sums[1] += folder.home
                sums[2] |= folder.exists
        for path, (coming, home, exists) in totals.items():
            self._add(path, coming, home, exists=bool(exists))
        self.expandAll()
        self.updateGeometry()

    def _add(self, path: str, coming: int, home: int, *, exists: bool) -> None:
        theme, (above, _, name) = self._theme, path.rpartition("/")
        item = QTreeWidgetItem([name or "the library's root", f"+{coming:,}" if coming else f"{home:,}"])
        item.setData(0, _PATH, os.fsencode(path))
        item.setFont(0, font(13, SEMIBOLD if not above else font().weight()))
        item.setFont(1, font(13, SEMIBOLD))
        item.setTextAlignment(1, paint.RIGHT)
        item.setForeground(1, QBrush(theme.accent if coming else theme.soft))
        if not coming:
            item.setForeground(0, QBrush(theme.soft))
        words = (
            paint.counted(coming, "capture comes", "captures come")
            if coming
            else f"{home:,} of this intake here already"
        )
        if coming and not exists:
            item.setData(0, _IS_NEW, True)
            words = f"a new folder, {words}"
        item.setToolTip(0, tip_text(f"{path}: {words}"))
        item.setData(0, Qt.ItemDataRole.AccessibleTextRole, f"{name}, {words}")
        parent = self._items.get(above)
        if parent is None:
            self.addTopLevelItem(item)
        else:
            parent.addChild(item)
        self._items[path] = item

    def anchor(self, path: str) -> int | None:
        """The height of a folder's middle in this widget, or None where it cannot be seen."""
        item = self._items.get(path)
        box = self.visualItemRect(item) if item is not None else QRect()
        # Without frame and header, the tree and what it shows begin at the same height.
        middle = box.center().y()
        return middle if box.height() > 0 and 0 <= middle <= self.height() else None

    def mark(self, path: str) -> None:
        """Mark the folder of the chosen capture; an empty path marks none."""
        item = self._items.get(path)
        self.clearSelection()
        if item is not None and path:
            item.setSelected(True)
            self.scrollToItem(item)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH - 20, 25 * min(_MOST_SHOWN, max(1, len(self._items))) + 6)

    def _on_pressed(self, item: QTreeWidgetItem) -> None:
        self.narrowed.emit(os.fsdecode(bytes(item.data(0, _PATH))))


class Panel(QWidget):
    """A card that draws its own lines."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        paint.card(painter, self.rect(), self._theme.card, self._theme.line)
        self.draw(painter, QRect(14, 10, self.width() - 28, 18))

    @abstractmethod
    def draw(self, painter: QPainter, line: QRect) -> None:
        """Draw the lines; the first one is given."""


class ProvenPanel(Panel):
    """While a run is at work: the files that were proven last."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self._names: tuple[str, ...] = ()
        self._words = ""
        self.setFixedHeight(140)

    def show_names(self, names: tuple[str, ...], places: int) -> None:
        """Show paths in the library, newest first, that were read back in a number of places."""
        self._names = names
        self._words = "read back" if places == 1 else "read back in both" if places == 2 else "read back in all"
        self.update()

    def draw(self, painter: QPainter, line: QRect) -> None:
        theme = self._theme
        paint.text(painter, line, "Just read back", font(12.5, SEMIBOLD), theme.soft)
        for number, name in enumerate(self._names[:4]):
            row = line.translated(0, 26 + 22 * number)
            used = paint.text(painter, row, self._words, font(12), theme.accent, align=paint.RIGHT)
            words = name.rpartition("/")[2]
            paint.text(painter, row.adjusted(0, 0, -used - 10, 0), words, font(13), theme.ink)


def gathered_folders(view: DayView) -> dict[str, int]:
    """A row's captures by folder; of months and years by the folder above, since single ones would tangle."""
    if not view.parts:
        return view.folders
    sums: dict[str, int] = {}
    for folder, count in view.folders.items():
        above = "/".join(folder.split("/")[: len(view.key) // 3])
        sums[above] = sums.get(above, 0) + count
    return sums
