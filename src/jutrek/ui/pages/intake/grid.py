"""The chosen day opened: a grid of thumbnails, and below the chosen one what it is called on arrival.

Cells lie by arithmetic: all are alike, and the strip parts two lines of them. It is a `QListView` for what screen
readers hear of one; the layout of its own is never asked.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

from PySide6.QtCore import (
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QRect,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QRegion, QWheelEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFrame,
    QListView,
    QStyle,
    QStyleOptionViewItem,
    QWidget,
)

from jutrek.desk.board_captures import CaptureView
from jutrek.ui import paint
from jutrek.ui.pages.intake.arrival import ArrivalStrip
from jutrek.ui.pages.intake.capture_cell import CaptureDelegate
from jutrek.ui.pages.intake.capture_model import CaptureModel
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme

_PAINTED_AT_ONCE = 1
"""Lines of cells that are painted at once where nothing was painted before."""
_FEW = 40
Index = QModelIndex | QPersistentModelIndex
_Cursor = QAbstractItemView.CursorAction


class CaptureGrid(QListView):
    """The captures of the open day. It is as tall as its content: the column around it scrolls."""

    chosen = Signal(object)
    selected = Signal()
    looked = Signal()
    discarded = Signal()
    left = Signal()
    resized = Signal()
    slid = Signal(int)
    """By how many pixels the chosen capture went down as the strip moved."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._model = CaptureModel(self)
        self.setModel(self._model)
        self._cells = CaptureDelegate(theme, pictures, self)
        self.setItemDelegate(self._cells)
        self._columns, self._cell = self._cells.fit(0)
        self._parted, self._gap = -1, 0
        """After which line the strip stands, and how tall it is; no strip after -1."""
        self._band = QRect()
        """What a pointer spans that draws a frame around captures."""
        self.strip = ArrivalStrip(theme, self.viewport())
        self.strip.looked.connect(self.looked)
        self.strip.hide()
        self.setUniformItemSizes(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMouseTracking(True)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setDragDropMode(QListView.DragDropMode.DragOnly)
        self.setAccessibleName("Captures of this day")
        self.selectionModel().currentChanged.connect(self._on_current)
        self._is_new = False
        """Whether other captures came than were painted last."""
        self._picked: tuple[str, ...] | None = ()
        """What is picked, once it was asked for; None where that may be out of date."""
        self.selectionModel().selectionChanged.connect(self._on_selected)
        # Qt tells of no change when rows that were selected are gone.
        self._model.modelReset.connect(self._forget_all)
        pictures.ready.connect(self._on_ready)

    # ---- what is shown

    def show_captures(self, views: tuple[CaptureView, ...], words: str = "") -> None:
        """Show a day's captures; the chosen one stays chosen where it is among them.

        Args:
            words: what it was, which need not be repeated below every picture.
        """
        self._model.words = words
        current, picked = self.currentIndex(), self.picked()
        chosen = self._model.views[current.row()].id if current.isValid() else ""
        self._model.show(views)
        self._forget_picked()
        if chosen and not self.currentIndex().isValid():
            self.choose(chosen)
            if len(picked) > 1:
                self.pick(picked)
        self._part()

    def show_size(self, step: int) -> None:
        """Show pictures in another size, the smallest for 0."""
        self._cells.show_size(step)
        self._is_new = True
        self.resized.emit()

    def picked(self) -> tuple[str, ...]:
        """The ids of the captures that are selected, with all frames of closed bursts, in the order of shooting."""
        if self._picked is None:
            ranges = self.selectionModel().selection()
            rows = sorted({row for one in ranges for row in range(one.top(), one.bottom() + 1)})
            self._picked = self._model.with_stacks(rows)
        return self._picked

    def pick(self, ids: Iterable[str]) -> None:
        """Select captures by their ids."""
        rows = sorted({row for key in ids if (row := self._model.row_of(key)) is not None})
        self.selectionModel().select(self._selection(rows), QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def pick_like(self, fits: Callable[[CaptureView], bool]) -> None:
        """Select all captures of the day that fit a condition."""
        self.pick(view.id for view in self._model.all if fits(view))

    def choose(self, capture: str) -> None:
        """Choose a capture by its id, if it is here; the burst that it lies in is opened."""
        if self._model.uncover(capture):
            self.resized.emit()
        row = self._model.row_of(capture)
        if row is not None:
            self.setCurrentIndex(self._model.index(row))

    def _selection(self, rows: Sequence[int]) -> QItemSelection:
        """Rows that ascend, as ranges."""
        chosen, index = QItemSelection(), self._model.index
        begin = 0
        for at in range(1, len(rows) + 1):
            if at == len(rows) or rows[at] != rows[at - 1] + 1:
                chosen.select(index(rows[begin]), index(rows[at - 1]))
                begin = at
        return chosen

    # ---- where things lie

    def height_for(self, width: int) -> int:
        """The height that shows all captures at a width, in pixels."""
        self._columns, self._cell = self._cells.fit(width - 1)
        self._place_strip()
        return -(-len(self._model.views) // self._columns) * self._cell.height() + self._gap + 2

    @property
    def chosen_box(self) -> QRect:
        """Where the chosen capture and its strip lie, in pixels."""
        box = self.visualRect(self.currentIndex())
        return box.united(self.strip.geometry()) if self._gap else box

    def _box(self, row: int) -> QRect:
        """Where a row's cell lies, in pixels."""
        line, column = divmod(row, self._columns)
        top = line * self._cell.height() + (self._gap if line > self._parted else 0)
        return QRect(QPoint(column * self._cell.width(), top), self._cell)

    def _lines(self, top: int, bottom: int) -> range:
        """The lines of cells that touch a stretch of height, in pixels."""

        def line_at(y: int) -> int:
            under = (self._parted + 1) * self._cell.height()
            return max(0, y if not self._gap or y < under else max(under, y - self._gap)) // self._cell.height()

        return range(line_at(top), line_at(bottom) + 1)

    def _rows_in(self, area: QRect) -> Iterator[int]:
        """The rows whose cells touch an area, in pixels."""
        wide, count = self._cell.width(), len(self._model.views)
        for line in self._lines(area.top(), area.bottom()):
            first, last = max(0, area.left()) // wide, min(self._columns - 1, area.right() // wide)
            for row in range(line * self._columns + first, min(count, line * self._columns + last + 1)):
                if self._box(row).intersects(area):
                    yield row

    def _part(self) -> None:
        """Let the strip stand below the chosen capture."""
        index = self.currentIndex()
        was = self.visualRect(index).top()
        view = self._model.views[index.row()] if index.isValid() else None
        self.strip.show_capture(view)
        before = self._parted, self._gap
        self._place_strip()
        if before != (self._parted, self._gap):
            self.resized.emit()
            self.viewport().update()
            if view is not None and (by := self.visualRect(index).top() - was):
                self.slid.emit(by)

    def _place_strip(self) -> None:
        index = self.currentIndex()
        if not index.isValid():
            self._parted, self._gap = -1, 0
            self.strip.hide()
            return
        wide = self._columns * self._cell.width() - 4
        self._parted, self._gap = index.row() // self._columns, self.strip.height_for(wide) + 8
        cell = self._box(index.row())
        self.strip.setGeometry(2, cell.bottom() + 1, wide, self._gap - 8)
        self.strip.point_at(cell.left() + 1 + self._cells.size.width() // 2)
        self.strip.show()

    # ---- what a view of items is asked

    def visualRect(self, index: Index) -> QRect:
        return self._box(index.row()) if index.isValid() else QRect()

    def indexAt(self, at: QPoint) -> QModelIndex:
        row = next(self._rows_in(QRect(at, QSize(1, 1))), None)
        return QModelIndex() if row is None else self._model.index(row)

    def moveCursor(self, action: _Cursor, held: Qt.KeyboardModifier) -> QModelIndex:
        last, row = len(self._model.views) - 1, max(0, self.currentIndex().row())
        page = self._columns * max(1, self.viewport().visibleRegion().boundingRect().height() // self._cell.height())
        by = {
            _Cursor.MoveUp: -self._columns, _Cursor.MoveDown: self._columns, _Cursor.MovePageUp: -page,
            _Cursor.MovePageDown: page, _Cursor.MoveLeft: -1, _Cursor.MovePrevious: -1, _Cursor.MoveRight: 1,
            _Cursor.MoveNext: 1, _Cursor.MoveHome: -row, _Cursor.MoveEnd: last - row,
        }[action]  # fmt: skip
        to = row + by
        if abs(by) == self._columns and not 0 <= to <= last:
            # There is none above or below it.
            to = row
        return self._model.index(max(0, min(to, last)))

    def setSelection(self, area: QRect, command: QItemSelectionModel.SelectionFlag) -> None:
        if self.state() is QAbstractItemView.State.DragSelectingState:
            rows: Sequence[int] = list(self._rows_in(area.normalized()))
        else:
            ends = sorted(
                index.row() for at in (area.topLeft(), area.bottomRight()) if (index := self.indexAt(at)).isValid()
            )
            rows = range(ends[0], ends[-1] + 1) if ends else ()
        self.selectionModel().select(self._selection(rows), command)

    def visualRegionForSelection(self, selection: QItemSelection) -> QRegion:
        rows = [row for one in selection for row in range(one.top(), min(one.bottom() + 1, one.top() + _FEW))]
        region = QRegion()
        if len(rows) >= _FEW:
            return QRegion(self.viewport().visibleRegion().boundingRect())
        for row in rows:
            region += self._box(row)
        return region

    def scrollTo(
        self, index: Index, hint: QAbstractItemView.ScrollHint = QAbstractItemView.ScrollHint.EnsureVisible
    ) -> None:
        """The column around it scrolls."""

    def updateGeometries(self) -> None:
        """There is nothing that scrolls in it."""

    def doItemsLayout(self) -> None:
        QAbstractItemView.doItemsLayout(self)

    # ---- keys and the pointer

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Space):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        if event.key() == Qt.Key.Key_Space:
            self.looked.emit()
            return
        if event.key() == Qt.Key.Key_Delete:
            self.discarded.emit()
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._turn_stack(self.currentIndex()):
            return
        super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        plain = event.button() is Qt.MouseButton.LeftButton and not event.modifiers()
        self._band = QRect(event.position().toPoint(), QSize())
        super().mousePressEvent(event)
        at = event.position().toPoint() - self.visualRect(index).topLeft()
        if plain and index.isValid() and self._cells.on_badge(at):
            self._turn_stack(index)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        super().mouseMoveEvent(event)
        if self.state() is QAbstractItemView.State.DragSelectingState:
            self._band.setBottomRight(event.position().toPoint())
            self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        self._band = QRect()
        self.viewport().update()
        # Not while a button is down: what is dragged, or clicked twice, stays where it is.
        self._part()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.indexAt(event.position().toPoint()).isValid():
            self.looked.emit()

    def startDrag(self, actions: Qt.DropAction) -> None:
        super().startDrag(actions)
        # A drag takes the release of the button.
        self._part()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    def _turn_stack(self, index: QModelIndex) -> bool:
        if not index.isValid():
            return False
        view = self._model.views[index.row()]
        turned = self._model.turn_stack(view)
        if turned:
            self.choose(view.stack)
            self.resized.emit()
        return turned

    # ---- painting

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint; what is new in parts, each of its own: pictures and words that come for the first time take long."""
        area, at_once = event.rect(), _PAINTED_AT_ONCE * self._cell.height()
        if self._is_new and area.height() > at_once:
            self.viewport().update(area.adjusted(0, at_once, 0, 0))
            area.setHeight(at_once)
        else:
            self._is_new = False
        painter, option, chosen = QPainter(self.viewport()), QStyleOptionViewItem(), self.selectionModel()
        painter.setClipRect(area)
        self.initViewItemOption(option)
        for row in self._rows_in(area):
            index = self._model.index(row)
            option.rect = self._box(row)
            option.state = QStyle.StateFlag.State_Selected if chosen.isSelected(index) else QStyle.StateFlag.State_None
            self._cells.paint(painter, option, index)
        if self._band.width() and self.state() is QAbstractItemView.State.DragSelectingState:
            wash = QColor(self._theme.accent)
            wash.setAlpha(40)
            painter.setPen(self._theme.accent)
            painter.setBrush(wash)
            painter.drawRect(self._band.normalized())

    # ---- what it hears

    def _forget_all(self) -> None:
        self._is_new = True
        self._forget_picked()

    def _forget_picked(self) -> None:
        self._picked = None

    def _on_selected(self) -> None:
        self._forget_picked()
        self.selected.emit()

    def _on_current(self, index: QModelIndex) -> None:
        if not QApplication.mouseButtons():
            self._part()
        if index.isValid():
            self.chosen.emit(self._model.views[index.row()].id)

    def _on_ready(self, capture: str) -> None:
        row = self._model.row_of(capture)
        if row is not None:
            self.viewport().update(self._box(row))
