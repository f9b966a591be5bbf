"""The list of runs, the newest first, under their days."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QLocale, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from jutrek.desk.records import Record
from jutrek.ui import paint
from jutrek.ui.plainly import local
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

_Index = QModelIndex | QPersistentModelIndex
_ROW, _DAY = 50, 26


def figures_of(record: Record) -> str:
    """How many files, and how many bytes, in words."""
    parts = [record.counted]
    if record.size:
        parts.append(paint.size_words(record.size))
    if record.left:
        parts.append(f"{record.left:,} not")
    return " · ".join(parts)


def state_of(record: Record) -> str:
    """How a run ended, where that is worth a word."""
    if record.taken_back:
        return "taken back"
    if record.kind == "release":
        return "safe to clear" if record.safe else "not safe"
    return {"stopped": "stopped", "found again": "cut off", "": "at work"}.get(record.how, "")


class RecordModel(QAbstractListModel):
    """Runs as a list."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.records: tuple[Record, ...] = ()

    def show_records(self, records: tuple[Record, ...]) -> None:
        """Show these."""
        self.beginResetModel()
        self.records = records
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.records)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        record = self.records[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return record
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            parts = (
                record.title,
                record.about,
                self.moment_words(index.row()),
                figures_of(record),
                state_of(record),
                record.broken,
            )
            return ", ".join(part for part in parts if part)
        return None

    def moment_words(self, number: int) -> str:
        """When a run began, in words."""
        when = local(self.records[number].at)
        return str(QLocale().toString(when, "d MMMM yyyy HH:mm")) if when else ""

    def begins_day(self, number: int) -> str:
        """The day that a run is the first one of in the list, in words; empty for the others."""
        when = local(self.records[number].at)
        before = local(self.records[number - 1].at) if number else None
        if when is None or (before is not None and before.date() == when.date()):
            return ""
        return str(QLocale().toString(when, "dddd, d MMMM yyyy"))


class _Rows(QStyledItemDelegate):
    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        model = index.model()
        day = model.begins_day(index.row()) if isinstance(model, RecordModel) else ""
        return QSize(200, _ROW + (_DAY if day else 0))

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        model, theme, box = index.model(), self._theme, QRect(option.rect)
        record = index.data(Qt.ItemDataRole.UserRole)
        if day := model.begins_day(index.row()) if isinstance(model, RecordModel) else "":
            head = QRect(box.left() + 12, box.top() + 4, box.width() - 20, _DAY - 4)
            paint.text(painter, head, day, font(11.5, SEMIBOLD), theme.soft)
            box.setTop(box.top() + _DAY)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            painter.fillRect(box, theme.accent_wash)
            painter.fillRect(QRect(box.left(), box.top(), 3, box.height()), theme.accent)
        line = QRect(box.left() + 12, box.top() + 6, box.width() - 24, 18)
        when = local(record.at)
        clock = QLocale().toString(when.time(), QLocale.FormatType.ShortFormat) if when else ""
        used = paint.text(painter, line, clock, font(12), theme.soft, align=paint.RIGHT) + 10
        ink = theme.soft if record.taken_back else theme.ink
        wide = paint.text(painter, line.adjusted(0, 0, -used, 0), record.title, font(13, BOLD), ink)
        paint.text(painter, line.adjusted(wide + 8, 0, -used, 0), record.about, font(13), theme.soft)
        under = line.translated(0, 19)
        words, colour = state_of(record), theme.soft
        if record.broken:
            words, colour = "its record was changed", theme.brick
        elif record.how in ("stopped", "found again") and record.can_finish:
            colour = theme.amber
        used = paint.text(painter, under, words, font(12, SEMIBOLD), colour, align=paint.RIGHT) + 10
        paint.text(painter, under.adjusted(0, 0, -used, 0), figures_of(record), font(12), theme.soft)


class RecordList(QListView):
    """Runs; one is chosen."""

    chosen = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = RecordModel(self)
        self.setModel(self.rows)
        self.setItemDelegate(_Rows(theme, self))
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAccessibleName("Runs")

    def show_records(self, records: tuple[Record, ...], chosen: str) -> None:
        """Show runs; the one that was chosen stays so, else the newest one is."""
        self.rows.show_records(records)
        at = next((number for number, record in enumerate(records) if record.run == chosen), 0)
        if records:
            self.setCurrentIndex(self.rows.index(at))

    def choose(self, run: str) -> None:
        """Choose a run, if it is there."""
        at = next((number for number, record in enumerate(self.rows.records) if record.run == run), None)
        if at is not None:
            self.setCurrentIndex(self.rows.index(at))

    def record(self) -> Record | None:
        """The run that is chosen."""
        index = self.currentIndex()
        return self.rows.records[index.row()] if index.isValid() else None

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        if current.isValid():
            self.scrollTo(current)
            self.chosen.emit(self.rows.records[current.row()].run)
