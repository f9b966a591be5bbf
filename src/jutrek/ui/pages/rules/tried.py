"""The trial: from where, into which folder, under what name; and the tree that the rules would make."""

from __future__ import annotations

import os
from collections.abc import Sequence

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from jutrek.desk.trying import SAME_SHOT, Tally, Trial, TriedRow
from jutrek.filing.rules import UNFILED_FOLDER
from jutrek.ui import paint
from jutrek.ui.plainly import plain
from jutrek.ui.theme import SEMIBOLD, Theme, font, section

_ROW = 29
_NARROW, _LEAST = 520, 60
"""Widths below which figures, or what was tried on, are left out of the title."""
_MOST_FOLDERS = 1000
"""That are shown in one folder."""
_OPEN_FOLDERS = 200
"""Up to so many folders are shown at once; of more the topmost, until one is opened."""
_PATH = Qt.ItemDataRole.UserRole
_Index = QModelIndex | QPersistentModelIndex


class TriedModel(QAbstractTableModel):
    """The rows of a trial, made when they are looked at."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.trial: Trial | None = None
        self._shown: Sequence[int] = ()
        self._made: dict[int, TriedRow] = {}

    def show_trial(self, trial: Trial, *, standing_out: bool) -> None:
        """Show all rows of a trial, or those that ask to be looked at."""
        self.beginResetModel()
        self.trial = trial
        self._shown = trial.standing_out if standing_out else range(len(trial.rows))
        self._made.clear()
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._shown)

    def columnCount(self, parent: _Index | None = None) -> int:
        return 3

    def row(self, number: int) -> TriedRow | None:
        """A row as it is shown: each of its columns asks for it."""
        if number not in self._made and self.trial is not None:
            self._made[number] = self.trial.row(self._shown[number])
        return self._made.get(number)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.row(index.row())
        if row is None or role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return row if role == Qt.ItemDataRole.UserRole else None
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{row.source} to {row.folder or 'the library'}, {row.name} {row.note}".strip()
        return plain((row.source, row.folder, row.name)[index.column()])

    def headerData(self, number: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return ("On its source", "Folder", "Name")[number]
        return None


class _RowPainter(QStyledItemDelegate):
    """Paints cells: the name stands out, and what is to be said about it stands at its right."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        theme, box, row = self._theme, option.rect, index.data(Qt.ItemDataRole.UserRole)
        if not isinstance(row, TriedRow):
            return
        if index.row() % 2 == 0:
            painter.fillRect(box, theme.paper)
        inner = box.adjusted(8, 0, -8, 0)
        if index.column() == 0:
            paint.text(painter, inner, row.source, font(12.5), theme.soft, cut=Qt.TextElideMode.ElideMiddle)
        elif index.column() == 1:
            paint.text(painter, inner, row.folder or "·", font(12.5), theme.ink, cut=Qt.TextElideMode.ElideMiddle)
        else:
            colour = theme.amber if row.loud else theme.soft
            used = paint.width_of(row.note, font(12)) + 8 if row.note else 0
            paint.text(painter, inner, row.note, font(12), colour, align=paint.RIGHT)
            room = inner.adjusted(0, 0, -used, 0)
            ink = theme.soft if row.note == SAME_SHOT else theme.ink
            paint.name(painter, room, row.name, font(12.5, SEMIBOLD), ink)

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        return QSize(100, _ROW)


class TriedTable(QTableView):
    """The rows of a trial."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = TriedModel(self)
        self.setModel(self.rows)
        self.setItemDelegate(_RowPainter(theme, self))
        self.setShowGrid(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_ROW)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header = self.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setHighlightSections(False)
        header.setStretchLastSection(True)
        self.setAccessibleName("Tried on the captures at hand")
        self.setFrameShape(QTableView.Shape.NoFrame)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for column, share in enumerate((0.25, 0.36)):
            self.setColumnWidth(column, int(self.viewport().width() * share))


class TriedTitle(QWidget):
    """What the rules were tried on, and the figures."""

    narrowed = Signal(bool)
    """Whether only what stands out is to be shown."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._on = ""
        self._tally: Tally | None = None
        self.setFixedHeight(26)
        self.only = QPushButton("", self)
        self.only.setCheckable(True)
        self.only.setProperty("link", True)
        self.only.toggled.connect(self.narrowed)
        self.only.hide()

    def show_tally(self, on: str, tally: Tally | None, standing_out: int) -> None:
        """Show figures; None while they are not known yet."""
        self._on, self._tally = on, tally
        if tally is not None:
            words = "show all" if self.only.isChecked() else f"show those {standing_out:,}"
            self.only.setText(words)
            self.only.setVisible(standing_out > 0 or self.only.isChecked())
        self._place()
        self.setAccessibleName(f"Tried on {on}: {self.words()}")
        self.update()

    def words(self) -> str:
        """The figures in words."""
        tally = self._tally
        if tally is None:
            return ""
        parts = [tally.fit_words]
        parts += [f"{tally.clash:,} got a suffix"] if tally.clash else []
        parts += [f"{tally.odd:,} changed"] if tally.odd else []
        parts += [f"longest path {tally.longest}"] if self.width() > _NARROW else []
        return " · ".join(parts)

    def _place(self) -> None:
        wide = self.only.sizeHint().width()
        self.only.setGeometry(self.width() - wide, 0, wide, 24)

    @property
    def _right(self) -> int:
        """Where the figures end, in pixels."""
        return self.only.x() - 6 if self.only.isVisible() else self.width()

    def resizeEvent(self, event: object) -> None:
        self._place()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        used = paint.text(painter, QRect(0, 2, 300, 22), "TRIED ON", section(), theme.soft)
        room = self._right - paint.width_of(self.words(), font(12, SEMIBOLD)) - used - 28
        if room > _LEAST:
            paint.text(painter, QRect(used + 12, 2, room, 22), self._on, font(12.5), theme.soft)
        colour = theme.amber if self._tally is not None and self._tally.odd else theme.accent
        paint.text(painter, QRect(0, 2, self._right, 22), self.words(), font(12, SEMIBOLD), colour, align=paint.RIGHT)


class MadeTree(QTreeWidget):
    """The folders that rules would make, with the captures in them."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._shown: tuple[tuple[str, int], ...] = ()
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.setIndentation(14)
        self.header().setStretchLastSection(False)
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.setAccessibleName("The library that these rules make")
        self._below: dict[str, list[tuple[str, int]]] = {}
        """Of each folder those in it, with their captures; of none the topmost."""
        self.itemExpanded.connect(self._on_expanded)

    def show_folders(self, folders: tuple[tuple[str, int], ...]) -> None:
        """Show folders with their captures, each behind the one that it is in; those below are counted in."""
        if folders == self._shown:
            return
        self._shown = folders
        self.setUpdatesEnabled(False)
        self.clear()
        self._below = {}
        for path, count in folders:
            self._below.setdefault(path.rpartition("/")[0], []).append((path, count))
        self._fill("", self.invisibleRootItem())
        if len(folders) <= _OPEN_FOLDERS:
            self.expandAll()
        self.setUpdatesEnabled(True)

    def _fill(self, path: str, item: QTreeWidgetItem) -> None:
        """Put what is in a folder below its item; what is in that is put there when somebody looks."""
        inside = self._below.get(path, [])
        item.addChildren([self._item(path, count) for path, count in inside[:_MOST_FOLDERS]])
        if len(inside) > _MOST_FOLDERS:
            item.addChild(QTreeWidgetItem([f"… and {len(inside) - _MOST_FOLDERS:,} more folders"]))

    def _item(self, path: str, count: int) -> QTreeWidgetItem:
        parent, _, name = path.rpartition("/")
        item = QTreeWidgetItem([name or "(the library itself)", f"{count:,}"])
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setForeground(1, self._theme.soft)
        if path == UNFILED_FOLDER:
            item.setForeground(0, self._theme.amber)
        if not parent:
            item.setFont(0, font(13, SEMIBOLD))
        if path in self._below and path:
            item.setData(0, _PATH, os.fsencode(path))
            item.setChildIndicatorPolicy(QTreeWidgetItem.ChildIndicatorPolicy.ShowIndicator)
        return item

    def _on_expanded(self, item: QTreeWidgetItem) -> None:
        path = item.data(0, _PATH)
        if path is not None and not item.childCount():
            self._fill(os.fsdecode(bytes(path)), item)


class Title(QWidget):
    """Small spaced capitals above a column."""

    def __init__(self, theme: Theme, words: str) -> None:
        super().__init__()
        self._theme, self.words = theme, words
        self.setFixedHeight(26)

    def say(self, words: str) -> None:
        """Say something else."""
        self.words = words
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        box = QRect(0, 2, self.width(), 22)
        paint.text(QPainter(self), box, self.words.upper(), section(), self._theme.soft)
