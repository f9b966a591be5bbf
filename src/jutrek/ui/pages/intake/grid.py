"""The chosen day opened: a grid of thumbnails with new name, old name, device and standing."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QMimeData,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QFrame, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from jutrek.desk.board_captures import SIDECAR, CaptureView, State
from jutrek.ui import paint
from jutrek.ui.pages.intake.dragging import CAPTURES
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

CELL = QSize(89, 94)
"""The least room of a capture, in pixels; cells grow to fill the row."""
_VIEW = Qt.ItemDataRole.UserRole
_STACK, _NAME, _ALL_HOME = (Qt.ItemDataRole(Qt.ItemDataRole.UserRole + more) for more in (1, 2, 3))
_WORDS = {
    State.BRING: "to bring home",
    State.HOME: "home already",
    State.TWIN: "here twice",
    State.LOOK: "needs a look",
    State.ASIDE: "set aside",
    State.BROUGHT: "came home",
    State.FAILED: "did not come home",
}
_ELSEWHERE = frozenset({State.HOME, State.TWIN})
"""Captures whose bytes are somewhere else, so that they are not brought."""
_AT_HOME = frozenset({State.HOME, State.BROUGHT})
_THERE = {"retagged": "other notes", "re-encoded": "saved another way"}
"""What is said of captures that wait since they are there already."""
_BADGE, _ON_BADGE = QColor(24, 38, 44, 205), QColor("#FFFFFF")
_BADGE_HEIGHT = 24
_AT_ONCE = 2 * CELL.height()
"""Pixels of height that are painted at once where nothing was painted before."""
Index = QModelIndex | QPersistentModelIndex


class CaptureModel(QAbstractListModel):
    """The captures of one day."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.all: tuple[CaptureView, ...] = ()
        self.words = ""
        self.views: tuple[CaptureView, ...] = ()
        self._stacks: dict[str, int] = {}
        self._fates: dict[str, State] = {}
        self._unstacked: set[str] = set()
        self._rows: dict[str, int] = {}
        self._places: list[int] = []
        """Of each row, which of all captures it shows."""
        self._is_all_home = False
        self._place_of: dict[str, int] = {}
        """Of each capture by its id, which of all it is."""
        self._below: dict[str, list[int]] = {}
        """Of each first frame of a closed burst, which captures lie below it."""

    def show(self, views: tuple[CaptureView, ...]) -> None:
        """Show other captures, bursts as one stack each unless they were opened."""
        self.all = views
        # A frame that fares otherwise than the first one is shown beside it.
        self._fates = {view.id: view.state for view in views if view.stack == view.id}
        below = (view.stack for view in views if view.stack and self._fates.get(view.stack) is view.state)
        self._stacks = dict(Counter(below))
        self._below, self._places = {}, []
        self._place_of = {view.id: at for at, view in enumerate(views)}
        for at, view in enumerate(views):
            if self._is_hidden(view):
                self._below.setdefault(view.stack, []).append(at)
            else:
                self._places.append(at)
        self._is_all_home = all(view.state in _AT_HOME for view in views)
        self._show(tuple(views[at] for at in self._places))

    def _is_hidden(self, view: CaptureView) -> bool:
        """Whether a capture lies below the first frame of its burst."""
        if not view.stack or view.stack == view.id or view.stack in self._unstacked:
            return False
        return self._fates.get(view.stack) is view.state

    def stack_of(self, view: CaptureView) -> int:
        """How many frames lie below a capture that is shown for its burst; 0 where it stands for itself."""
        closed = view.stack == view.id and view.stack not in self._unstacked
        count = self._stacks.get(view.stack, 0) if closed else 0
        return count if count > 1 else 0

    def turn_stack(self, view: CaptureView) -> bool:
        """Open the burst of a capture, or close it. Returns whether it is in one."""
        if self._stacks.get(view.stack, 0) < 2:
            return False
        self._unstacked ^= {view.stack}
        self.show(self.all)
        return True

    def uncover(self, capture: str) -> bool:
        """Open the burst that a capture lies below in. Returns whether there was one to open."""
        at = self._place_of.get(capture)
        return at is not None and self._is_hidden(self.all[at]) and self.turn_stack(self.all[at])

    def with_stacks(self, rows: Sequence[int]) -> tuple[str, ...]:
        """The ids of rows with those of the frames that lie below them, in the order of shooting."""
        places = [self._places[row] for row in rows]
        if self._below:
            places += [at for row in rows for at in self._below.get(self.views[row].id, ())]
        return tuple(self.all[at].id for at in sorted(places))

    def _show(self, views: tuple[CaptureView, ...]) -> None:
        """Where they are the same ones, only their looks change; that is told once, as one row costs what all do."""
        if [view.id for view in views] == [view.id for view in self.views]:
            old, self.views = self.views, views
            changed = [row for row, view in enumerate(views) if view is not old[row] and view != old[row]]
            if changed:
                self.dataChanged.emit(self.index(changed[0]), self.index(changed[-1]))
            return
        self.beginResetModel()
        self.views = views
        self._rows = {view.id: row for row, view in enumerate(views)}
        self.endResetModel()

    def row_of(self, capture: str) -> int | None:
        """The row of a capture, or of the stack that it lies in, or None."""
        row = self._rows.get(capture)
        if row is None:
            at = self._place_of.get(capture)
            row = self._rows.get(self.all[at].stack) if at is not None else None
        return row

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return [CAPTURES]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        ids = self.with_stacks([index.row() for index in indexes])
        data = QMimeData()
        data.setData(CAPTURES, "\0".join(ids).encode("utf-8", "surrogateescape"))
        return data

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.views)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        view = self.views[index.row()]
        if role == _VIEW:
            return view
        if role == _STACK:
            return self.stack_of(view)
        if role == _ALL_HOME:
            return self._is_all_home
        if role == _NAME:
            # What all of them bear would leave no room for what tells them apart.
            return view.new_name.rpartition(".")[0].replace(self.words, "").strip("_- ") if self.words else ""
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.DisplayRole):
            return spoken(view)
        if role == Qt.ItemDataRole.ToolTipRole:
            return "\n".join([view.name, view.why, *view.notes])
        return None


def spoken(view: CaptureView) -> str:
    """What a screen reader says of a capture."""
    when = f"{view.when:%H:%M:%S}, " if view.when else ""
    new = f", as {view.new_name}" if view.new_name else ""
    return f"{view.name}, {when}device {view.device.letter}, {_WORDS[view.state]}{new}"


class CaptureDelegate(QStyledItemDelegate):
    """Draws one capture."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._pictures = pictures

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return CELL

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        view: CaptureView = index.data(_VIEW)
        theme, origin = self._theme, option.rect.topLeft()
        frame = QRect(origin.x() + 3, origin.y() + 3, SIZE.width(), SIZE.height())
        painter.save()
        stack: int = index.data(_STACK)
        if stack:
            self._below(painter, frame)
        if view.state in _ELSEWHERE:
            self._at_home(painter, view, frame)
        else:
            self._picture(painter, view, frame)
        self._edge(
            painter,
            view,
            frame,
            chosen=bool(option.state & QStyle.StateFlag.State_Selected),
            all_home=index.data(_ALL_HOME),
        )
        if stack:
            self._badge(painter, frame.left() + 4, frame.top() + 4, f"{stack} frames")
        line = QRect(frame.left(), frame.bottom() + 3, frame.width(), 16)
        new = index.data(_NAME) or view.new_name.rpartition(".")[0] or view.name
        middle = Qt.TextElideMode.ElideMiddle
        colour = theme.soft if view.state in _ELSEWHERE else theme.ink
        words = f"in {view.folder or 'the library'}" if view.state is State.HOME else new
        if view.state is State.TWIN:
            words = "same as another"
        if view.state is State.LOOK:
            waits = _THERE.get(view.standing, "to settle")
            words, colour = (waits if view.dated else "no trusted date"), theme.amber
        if view.state is State.ASIDE:
            words, colour = "set aside", theme.soft
        if view.state is State.FAILED:
            words, colour = "not home", theme.brick
        paint.text(painter, line, words, font(11), colour, cut=middle)
        paint.text(
            painter,
            line.translated(0, 14),
            f"from {view.name.rpartition('.')[0] or view.name}",
            font(11),
            theme.soft,
            cut=middle,
        )
        painter.restore()

    def _picture(self, painter: QPainter, view: CaptureView, frame: QRect) -> None:
        pixmap = self._pictures.of(view, view.source)
        if pixmap is not None:
            painter.drawPixmap(frame, pixmap)
        else:
            painter.fillRect(frame, self._theme.track)
            if view.kind == SIDECAR:
                paint.text(painter, frame, "data only", font(11), self._theme.soft, align=paint.CENTRE)

    def _at_home(self, painter: QPainter, view: CaptureView, frame: QRect) -> None:
        theme = self._theme
        pixmap = self._pictures.of(view, view.source)
        small = QRect(frame.center().x() - 24, frame.top() + 5, 48, 32)
        if pixmap is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(small, pixmap)
        painter.setPen(QPen(theme.home, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawRoundedRect(QRectF(frame).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        words = QRect(frame.left(), frame.bottom() - 18, frame.width(), 16)
        paint.text(
            painter,
            words,
            "here twice" if view.state is State.TWIN else "at home",
            font(11, SEMIBOLD),
            theme.soft,
            align=paint.CENTRE,
        )

    def _edge(self, painter: QPainter, view: CaptureView, frame: QRect, *, chosen: bool, all_home: bool) -> None:
        theme, colour = self._theme, self._theme.device(view.device.colour)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if view.state not in _ELSEWHERE:
            painter.fillRect(QRect(frame.left(), frame.bottom() - 2, frame.width(), 3), colour)
            chip = QRect(frame.right() - 15, frame.bottom() - 15, 16, 16)
            painter.fillRect(chip, colour)
            paint.text(painter, chip, view.device.letter, font(11, BOLD), theme.card, align=paint.CENTRE)
        if view.duration:
            self._badge(painter, frame.left() + 4, frame.top() + 4, paint.length_words(view.duration))
        if view.state is State.BROUGHT and not all_home:
            self._badge(painter, frame.left() + 4, frame.bottom() - 20, "home")
        elif view.standing == "look-alike" and view.state is State.BRING:
            self._badge(painter, frame.left() + 4, frame.bottom() - 20, "like another")
        edge = theme.accent if chosen else {State.LOOK: theme.amber, State.FAILED: theme.brick}.get(view.state)
        if edge is not None:
            painter.setPen(QPen(edge, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(frame.adjusted(-2, -2, 2, 2), 3, 3)

    def _below(self, painter: QPainter, frame: QRect) -> None:
        """The edges of the frames that lie below a burst's first one."""
        theme = self._theme
        for step in (4, 2):
            painter.setPen(theme.soft)
            painter.setBrush(theme.card)
            painter.drawRect(frame.translated(step, -step).adjusted(0, 0, -1, -1))

    def _badge(self, painter: QPainter, left: int, top: int, words: str) -> None:
        face = font(11, SEMIBOLD)
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        box = QRect(left, top, width, 15)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_BADGE)
        painter.drawRoundedRect(box, 3, 3)
        paint.text(painter, box, words, face, _ON_BADGE, align=paint.CENTRE)


class CaptureGrid(QListView):
    """The captures of the open day. It is as tall as its content: the column around it scrolls."""

    chosen = Signal(object)
    selected = Signal()
    looked = Signal()
    discarded = Signal()
    left = Signal()
    resized = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model = CaptureModel(self)
        self.setModel(self._model)
        self.setItemDelegate(CaptureDelegate(theme, pictures, self))
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setLayoutMode(QListView.LayoutMode.Batched)
        self.setBatchSize(500)
        self.setUniformItemSizes(True)
        self.setGridSize(CELL)
        self.setSpacing(0)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMouseTracking(True)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setSelectionRectVisible(True)
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
        chosen, index = QItemSelection(), self._model.index
        begin = 0
        for at in range(1, len(rows) + 1):
            if at == len(rows) or rows[at] != rows[at - 1] + 1:
                chosen.select(index(rows[begin]), index(rows[at - 1]))
                begin = at
        self.selectionModel().select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)

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

    def height_for(self, width: int) -> int:
        """The height that shows all captures at a width, in pixels."""
        columns = max(1, (width - 1) // CELL.width())
        self.setGridSize(QSize((width - 1) // columns, CELL.height()))
        return -(-len(self._model.views) // columns) * CELL.height() + 2

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
        super().mousePressEvent(event)
        if plain and index.isValid():
            at = event.position().toPoint() - self.visualRect(index).topLeft()
            if at.y() < _BADGE_HEIGHT and at.x() < SIZE.width():
                self._turn_stack(index)

    def _turn_stack(self, index: QModelIndex) -> bool:
        if not index.isValid():
            return False
        view = self._model.views[index.row()]
        turned = self._model.turn_stack(view)
        if turned:
            self.choose(view.stack)
            self.resized.emit()
        return turned

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.indexAt(event.position().toPoint()).isValid():
            self.looked.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint; what is new in parts, each of its own: pictures and words that come for the first time take long."""
        area = event.rect()
        if self._is_new and area.height() > _AT_ONCE:
            event = QPaintEvent(QRect(area.left(), area.top(), area.width(), _AT_ONCE))
            self.viewport().update(area.adjusted(0, _AT_ONCE, 0, 0))
        else:
            self._is_new = False
        super().paintEvent(event)

    def _forget_all(self) -> None:
        self._is_new = True
        self._forget_picked()

    def _forget_picked(self) -> None:
        self._picked = None

    def _on_selected(self) -> None:
        self._forget_picked()
        self.selected.emit()

    def _on_current(self, index: QModelIndex) -> None:
        if index.isValid():
            self.chosen.emit(self._model.views[index.row()].id)

    def _on_ready(self, capture: str) -> None:
        row = self._model.row_of(capture)
        if row is not None:
            self.viewport().update(self.visualRect(self._model.index(row)))
