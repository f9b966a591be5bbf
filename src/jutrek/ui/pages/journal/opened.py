"""One run, opened: what it was, and its files."""

from __future__ import annotations

from PySide6.QtCore import QAbstractTableModel, QLocale, QModelIndex, QPersistentModelIndex, QRect, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QVBoxLayout, QWidget

from jutrek.desk.records import FileRecord, Record
from jutrek.errors import shown
from jutrek.ui import paint
from jutrek.ui.pages.journal.records import figures_of
from jutrek.ui.plainly import local, name_first, plain, tip_text
from jutrek.ui.theme import BOLD, Theme, font
from jutrek.ui.widgets.layout import plain_table

_Index = QModelIndex | QPersistentModelIndex
_HEADS = ("In the library", "On its source", "Size", "What became of it")


class _Files(QAbstractTableModel):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.files: tuple[FileRecord, ...] = ()

    def show_files(self, files: tuple[FileRecord, ...]) -> None:
        self.beginResetModel()
        self.files = files
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.files)

    def columnCount(self, parent: _Index | None = None) -> int:
        return len(_HEADS)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        one = self.files[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            size = paint.size_words(one.size) if one.size or one.source else ""
            return (name_first(one.path), name_first(one.source), size, plain(one.what))[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() == 2:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip_text("\n".join(filter(None, (shown(one.path), shown(one.source), one.what, one.full))))
        return None

    def headerData(self, number: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADS[number]
        return None


class RunHead(QWidget):
    """When, who, how much, where."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._record: Record | None = None
        self.setFixedHeight(96)

    def show_record(self, record: Record | None) -> None:
        """Show a run, or none."""
        self._record = record
        self.setAccessibleName(", ".join(self.lines()) if record else "No run is chosen")
        self.update()

    def lines(self) -> tuple[str, str, str]:
        """What is said of the run, line by line."""
        record = self._record
        if record is None:
            return ("", "", "")
        when, ended = local(record.at), local(record.ended)
        day = QLocale().toString(when, "dddd, d MMMM yyyy, HH:mm") if when else ""
        until = f" to {QLocale().toString(ended, 'HH:mm')}" if ended else ", at work"
        where = ", ".join(f"{name}: {paint.counted(count, 'file')}" for name, count in record.places)
        return f"{day}{until} · {record.who}", figures_of(record), record.broken or (where and f"Proven in {where}.")

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, record = QPainter(self), self._theme, self._record
        line = QRect(14, 10, self.width() - 28, 20)
        if record is None:
            paint.text(painter, line, "Nothing was done yet.", font(13), theme.soft)
            return
        title = f"{record.title} · {record.about}" if record.about else record.title
        paint.text(painter, line, title, font(15, BOLD), theme.ink)
        first, second, third = self.lines()
        paint.text(painter, line.translated(0, 22), first, font(12.5), theme.soft)
        paint.text(painter, line.translated(0, 41), second, font(13), theme.ink)
        colour = theme.brick if record.broken else theme.soft
        paint.text(painter, line.translated(0, 60), third, font(12.5), colour)


class _FromItsBeginning(QStyledItemDelegate):
    """Words of which the beginning matters most, where there is no room for all."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: _Index) -> None:
        super().initStyleOption(option, index)
        option.textElideMode = Qt.TextElideMode.ElideRight


class OpenedRun(QWidget):
    """The run that is chosen, with its files."""

    selected = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.head = RunHead(theme)
        self.model = _Files(self)
        table = self.table = plain_table(self.model, "Files of the run")
        table.verticalHeader().setDefaultSectionSize(25)
        table.setTextElideMode(Qt.TextElideMode.ElideRight)
        header = table.horizontalHeader()
        for number, mode in enumerate((
            QHeaderView.ResizeMode.Stretch, QHeaderView.ResizeMode.Stretch, QHeaderView.ResizeMode.Interactive,
            QHeaderView.ResizeMode.Interactive,
        )):  # fmt: skip
            header.setSectionResizeMode(number, mode)
        header.resizeSection(2, 72)
        header.resizeSection(3, 150)
        table.setItemDelegateForColumn(3, _FromItsBeginning(table))
        table.selectionModel().selectionChanged.connect(lambda *_: self.selected.emit())
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 8)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(table, 1)
        column.addStretch()

    def show_files(self, files: tuple[FileRecord, ...]) -> None:
        """Show the files of the run."""
        self.model.show_files(files)
        self.table.setVisible(bool(files))

    def show_sources(self, shown: bool) -> None:
        """Show where files came from, or leave that to what is told when the pointer rests on them."""
        self.table.setColumnHidden(1, not shown)

    def chosen_paths(self) -> frozenset[str]:
        """Paths in the library of the files that are selected."""
        rows = {index.row() for index in self.table.selectionModel().selectedRows()}
        return frozenset(self.model.files[row].path for row in rows)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        paint.card(QPainter(self), self.rect(), self._theme.card, self._theme.line)
