"""Where they are: the folders as on disk, with how many of the view and of all are in each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListView,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from jutrek.ui import paint
from jutrek.ui.pages.library.held import FAR
from jutrek.ui.pages.library.pennants import colour_of, paint_pennant
from jutrek.ui.plainly import plain, tip_text
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.views.narrowing import folded

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View

_ROW, _STEP, _NUMBER, _EDGE = 25, 14, 46, 18
_FOLDER = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex
_NONE = QModelIndex()


class FolderRows(QAbstractListModel):
    """The folders that are shown, as rows; what lies below a folder is shown once that is open."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.view: View | None = None
        self.open: set[str] = set()
        self.trunk = ""
        """What is hidden above the first folders that say anything."""
        self._sought: tuple[tuple[str, bool], ...] = ()
        self.rows: list[int] = []
        self.over = -1
        """The row over which something hangs."""

    def show_view(self, view: View) -> None:
        """Show the folders of a view."""
        first = self.view is None or self.view.root != view.root
        self.view = view
        if first:
            self.open = {""}
            tree = view.tree
            # As long as there is one way down only, it is open.
            at = 0
            while len(children := tree.children(at)) == 1:
                at = children[0]
                self.open.add(tree.paths[at])
        if view.tree.number(self.trunk) is None:
            self.trunk = ""
        self.renew()

    def seek(self, text: str) -> None:
        """Show only folders in whose path all of some words are; those behind a minus are not."""
        words = folded(text).split()
        self._sought = tuple((word.lstrip("-"), not word.startswith("-")) for word in words if word.strip("-"))
        self.renew()

    def renew(self) -> None:
        """Lay the rows out anew."""
        view = self.view
        rows: list[int] = []
        if view is not None:
            tree, at = view.tree, 0
            fits = self._fitting() if self._sought else None
            while at < len(tree.paths):
                if fits is None:
                    rows.append(at)
                    at = at + 1 if tree.paths[at] in self.open else int(tree.ends[at])
                else:
                    if at in fits:
                        rows.append(at)
                    at += 1
            if self.trunk:
                hidden = set(tree.parents(number)) if (number := tree.number(self.trunk)) is not None else set()
                rows = [row for row in rows if row not in hidden]
        if rows != self.rows:
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        elif rows:
            self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))

    def _fitting(self) -> set[int]:
        """The folders that fit, with all above them."""
        assert self.view is not None
        tree, found = self.view.tree, set[int]()
        for number, path in enumerate(tree.paths):
            words = folded(path)
            if path and all((word in words) is wanted for word, wanted in self._sought):
                found.update(tree.parents(number))
        return found

    def turn(self, number: int, *, wanted: bool | None = None) -> None:
        """Open or shut a folder."""
        assert self.view is not None
        path = self.view.tree.paths[number]
        if (path in self.open) is not wanted:
            self.open ^= {path}
            self.renew()

    def open_all(self, wanted: bool) -> None:
        """Open all folders, or shut all but the first."""
        if self.view is not None:
            self.open = set(self.view.tree.paths) if wanted else {""}
            self.renew()

    def rowCount(self, parent: Index = _NONE) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def name(self, number: int) -> str:
        """What a folder is called; the root by its library's name."""
        assert self.view is not None
        return self.view.tree.paths[number].rpartition("/")[2] or self.view.name

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid() or self.view is None:
            return None
        number = self.rows[index.row()]
        if role == _FOLDER:
            return number
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            laid, path = self.view.laid, self.view.tree.paths[number]
            depth = int(self.view.tree.depths[number])
            shown, whole = int(laid.folders[number]), int(laid.all_folders[number])
            state = ", open" if path in self.open else ""
            mark = f", marked {one}" if (one := self.view.mark_of(path)) else ""
            drive = self.view.drive(self.view.folder_drives.get(path, ""))
            lies = f", {drive.words}" if drive is not None else ""
            words = f"{self.name(number)}, level {depth + 1}, {shown:,} of {whole:,} captures{mark}{lies}{state}"
            return plain(words)
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip_text(self.view.tree.paths[number] or self.view.root)
        return None


class _Drawing(QStyledItemDelegate):
    def __init__(self, theme: Theme, model: FolderRows, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme, self._model = theme, model

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(120, _ROW)

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, model = self._theme, self._model
        view = model.view
        if view is None:
            return
        number, box = model.rows[index.row()], QRect(option.rect)
        tree, laid = view.tree, view.laid
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box.adjusted(0, 1, 0, -1), theme.accent_wash)
        if index.row() == model.over:
            painter.setPen(QPen(theme.accent, 2))
            painter.drawRect(box.adjusted(1, 2, -2, -3))
        shown, whole = int(laid.folders[number]), int(laid.all_folders[number])
        hidden = model.trunk.count("/") + 2 if model.trunk else 0
        left = box.left() + 6 + _STEP * max(0, int(tree.depths[number]) - hidden)
        has_more = int(tree.ends[number]) > number + 1
        sign = ("▾" if tree.paths[number] in model.open else "▸") if has_more else ""
        paint.text(painter, QRect(left, box.top(), 14, box.height()), sign, font(11), theme.soft)
        right = box.right() - 4
        numbers = f"{whole:,}"
        paint.text(painter, QRect(right - _NUMBER, box.top(), _NUMBER, box.height()), numbers, font(12), theme.soft,
                   align=paint.RIGHT)  # fmt: skip
        right -= _NUMBER
        if shown != whole:
            words = f"{shown:,}" if shown else ""
            place = QRect(right - _NUMBER, box.top(), _NUMBER - 6, box.height())
            paint.text(painter, place, words, font(12, SEMIBOLD), theme.accent, align=paint.RIGHT)
            right -= _NUMBER
        face = font(13, SEMIBOLD) if tree.depths[number] == 0 else font(13)
        room = QRect(left + 14, box.top(), right - left - 18, box.height())
        if drive := view.drive(view.folder_drives.get(tree.paths[number], "")):
            used = paint.text(painter, room, drive.words, font(11.5), theme.soft, align=paint.RIGHT)
            room.adjust(0, 0, -used - 8, 0)
        if mark := view.mark_of(tree.paths[number]):
            paint_pennant(painter, room.topLeft() + QPoint(0, 4), mark, colour_of(view.marks, mark), scale=0.72)
            room.adjust(20, 0, 0, 0)
        paint.text(painter, room, model.name(number), face, theme.ink if shown else theme.soft)


class FolderList(QListView):
    """The folders, walked by keys: left and right shut and open."""

    chosen = Signal(object)
    """A folder by its path, narrowing the view to it."""
    asked = Signal(object, object)
    """What may be done with a folder: its path, and where a menu opens."""
    carried = Signal(object, object)
    """A folder hangs at a point of the screen; None once it does no longer."""
    dropped = Signal(object, object)
    """A folder was let go of at a point of the screen."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows = FolderRows(self)
        self.setModel(self.rows)
        self.setItemDelegate(_Drawing(theme, self.rows, self))
        self.setUniformItemSizes(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Folders")
        self._pressed: tuple[QPoint, str] | None = None
        self._carries = False

    def hang_over(self, place: QPoint | None) -> None:
        """Show into which folder would go what hangs at a point of the screen; None for no longer."""
        if place is not None:
            self._scroll_along(self.viewport().mapFromGlobal(place))
        index = self._index_at(place) if place is not None else QModelIndex()
        if index.row() != self.rows.over:
            self.rows.over = index.row()
            self.viewport().update()

    def _scroll_along(self, point: QPoint) -> None:
        """Go on where something is held at the upper or lower edge of what can be seen."""
        area = self.viewport().rect()
        if area.contains(point) and not area.adjusted(0, _EDGE, 0, -_EDGE).contains(point):
            bar = self.verticalScrollBar()
            bar.setValue(bar.value() + (-_EDGE if point.y() < area.center().y() else _EDGE))

    def folder_at(self, place: QPoint) -> str | None:
        """The path of the folder at a point of the screen; None for none."""
        index, view = self._index_at(place), self.rows.view
        return view.tree.paths[self.rows.rows[index.row()]] if index.isValid() and view is not None else None

    def _index_at(self, place: QPoint) -> QModelIndex:
        point = self.viewport().mapFromGlobal(place)
        seen = self.isVisible() and self.viewport().rect().contains(point)
        return self.indexAt(point) if seen else QModelIndex()

    def folder(self) -> str | None:
        """The path of the folder that is current; None for none."""
        index, view = self.currentIndex(), self.rows.view
        return view.tree.paths[self.rows.rows[index.row()]] if index.isValid() and view is not None else None

    def seen_row(self, number: int) -> int | None:
        """The row that is seen of a folder, or of the nearest one above it; None where none is."""
        view = self.rows.view
        if view is None or number < 0:
            return None
        first = self.indexAt(self.viewport().rect().topLeft()).row()
        last = self.indexAt(self.viewport().rect().bottomLeft()).row()
        seen = self.rows.rows[max(0, first) : last + 1 if last >= 0 else None]
        above = next((one for one in reversed(view.tree.parents(number)) if one in seen), None)
        return None if above is None else max(0, first) + seen.index(above)

    def mark(self, path: str | None) -> None:
        """Make a folder the current one, and open what is above it."""
        view = self.rows.view
        number = view.tree.number(path) if view is not None and path is not None else None
        if view is None or number is None:
            self.clearSelection()
            return
        above = {view.tree.paths[one] for one in view.tree.parents(number)[:-1]}
        if not above <= self.rows.open:
            self.rows.open |= above
            self.rows.renew()
        if number in self.rows.rows:
            self.setCurrentIndex(self.rows.index(self.rows.rows.index(number)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index, view = self.currentIndex(), self.rows.view
        key = event.key()
        if index.isValid() and view is not None:
            number = self.rows.rows[index.row()]
            is_open = view.tree.paths[number] in self.rows.open
            if key == Qt.Key.Key_Right and not is_open:
                self._turn(number)
                return
            if key == Qt.Key.Key_Left:
                if is_open and int(view.tree.ends[number]) > number + 1:
                    self._turn(number)
                else:
                    self.mark(view.tree.paths[number].rpartition("/")[0])
                return
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
                self.chosen.emit(view.tree.paths[number])
                return
        super().keyPressEvent(event)

    def _turn(self, number: int) -> None:
        self.rows.turn(number)
        if number in self.rows.rows:
            self.setCurrentIndex(self.rows.index(self.rows.rows.index(number)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        place = event.globalPosition().toPoint()
        path = self.folder_at(place)
        self._pressed = (place, path) if path and event.button() is Qt.MouseButton.LeftButton else None
        self._carries = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = event.globalPosition().toPoint()
        if self._pressed is not None and ((place - self._pressed[0]).manhattanLength() >= FAR or self._carries):
            self._carries = True
            self.carried.emit(self._pressed[1], place)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        pressed, carries = self._pressed, self._carries
        self._pressed, self._carries = None, False
        if pressed is not None and carries:
            self.dropped.emit(pressed[1], event.globalPosition().toPoint())
            return
        index, view = self.indexAt(event.position().toPoint()), self.rows.view
        if not index.isValid() or view is None or event.button() is not Qt.MouseButton.LeftButton:
            return
        number = self.rows.rows[index.row()]
        sign = 6 + _STEP * int(view.tree.depths[number]) + 14
        if event.position().x() < sign and int(view.tree.ends[number]) > number + 1:
            self._turn(number)
        else:
            self.chosen.emit(view.tree.paths[number])

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self.indexAt(event.pos()) if event.reason() is QContextMenuEvent.Reason.Mouse else self.currentIndex()
        view = self.rows.view
        if index.isValid() and view is not None:
            place = self.viewport().mapToGlobal(self.visualRect(index).bottomLeft())
            self.asked.emit(view.tree.paths[self.rows.rows[index.row()]], place)


class FolderPanel(QWidget):
    """The folders below a field that seeks among them."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Folders with…")
        self.field.setClearButtonEnabled(True)
        self.field.setAccessibleName("Folders with these words; a minus before a word leaves out")
        self.list = FolderList(theme)
        self.field.textChanged.connect(self.list.rows.seek)
        self.field.returnPressed.connect(self.list.setFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.field)
        column.addWidget(self.list, 1)


def menu_of(parent: QWidget) -> QMenu:
    """A menu over a widget, gone once it is closed."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu
