"""Find or do: type, and whatever the window holds or can do is there, with the key that does it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QApplication,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from jutrek.desk.finding import ranked
from jutrek.ui import paint
from jutrek.ui.plainly import plain
from jutrek.ui.shell.offers import Offer
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.askbar import keeps_escape

_WIDTH, _ROW, _SHOWN = 620, 30, 12
_KIND = 74
_Index = QModelIndex | QPersistentModelIndex


class _Offers(QAbstractListModel):
    """What fits, the best first."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.offers: Sequence[Offer] = ()

    def show(self, offers: Sequence[Offer]) -> None:
        self.beginResetModel()
        self.offers = offers
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.offers)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        offer = self.offers[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return offer
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            parts = (offer.words, offer.about, offer.kind, offer.keys)
            return plain(", ".join(part for part in parts if part))
        return None


class _Row(QStyledItemDelegate):
    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        return QSize(_WIDTH - 20, _ROW)

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        offer, theme, box = index.data(Qt.ItemDataRole.UserRole), self._theme, option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, theme.accent_wash)
            painter.fillRect(QRect(box.left(), box.top(), 3, box.height()), theme.accent)
        line = box.adjusted(14, 0, -12, 0)
        paint.text(painter, line, offer.kind, font(12), theme.soft)
        used = paint.text(painter, line, offer.keys, font(12, SEMIBOLD), theme.soft, align=paint.RIGHT)
        line = line.adjusted(_KIND, 0, -used - 12, 0)
        wide = paint.text(painter, line, offer.words, font(13, SEMIBOLD), theme.ink)
        paint.text(painter, line.adjusted(wide + 10, 0, 0, 0), offer.about.partition("\n")[0], font(12), theme.soft)


class Finder(QWidget):
    """A line to type into, and below it what fits. Enter does the first, or the one that arrows went to."""

    done = Signal(object)
    """An offer that was taken."""

    def __init__(self, theme: Theme, offers: Callable[[str], Iterable[Offer]], parent: QWidget) -> None:
        """
        Args:
            offers: gives what there is, as far as it may fit what was typed.
        """
        super().__init__(parent)
        self._theme, self._offers = theme, offers
        self._before: QWidget | None = None
        self.uses: dict[str, float] = {}
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find or do…")
        self.field.setAccessibleName("Find or do")
        self.field.textChanged.connect(self._search)
        self.field.installEventFilter(self)
        self.model = _Offers(self)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(_Row(theme, self.list))
        self.list.setFrameShape(QListView.Shape.NoFrame)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("What fits")
        self.list.clicked.connect(self._take)
        self.list.selectionModel().currentChanged.connect(self._say)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 10, 8)
        column.setSpacing(6)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.hide()

    def open(self, right: int, top: int) -> None:
        """Open it below the head of the window; what has the focus gets it back.

        Args:
            right, top: where its corner goes, in pixels of the window.
        """
        if not self.isVisible():
            self._before = QApplication.focusWidget()
        self._place = max(8, right - _WIDTH), top
        self.field.clear()
        self._search("")
        self.show()
        self.raise_()
        self.field.setFocus()

    _place = (0, 0)

    def leave(self) -> None:
        """Close it."""
        before, self._before = self._before, None
        self.hide()
        # What had the focus may be gone by now, with its card or its menu.
        if before is not None and isValid(before):
            before.setFocus()

    def search_again(self) -> None:
        """There may be more to be found by now. What arrows went to stays chosen, wherever it stands then."""
        if not self.isVisible():
            return
        index = self.list.currentIndex()
        chosen = self.model.offers[index.row()][:2] if index.isValid() else None
        self._search(self.field.text())
        row = next((row for row, one in enumerate(self.model.offers) if one[:2] == chosen), 0)
        self.list.setCurrentIndex(self.model.index(row))

    def _search(self, typed: str) -> None:
        self.model.show(ranked(typed, self._offers(typed), self.uses, _SHOWN))
        self.list.setCurrentIndex(self.model.index(0))
        self._say(self.list.currentIndex())
        rows = max(1, len(self.model.offers))
        self.list.setFixedHeight(rows * _ROW)
        self.setGeometry(*self._place, _WIDTH, 10 + self.field.sizeHint().height() + 6 + rows * _ROW + 8)
        self.update()

    def _say(self, index: _Index) -> None:
        """Tell readers of the screen, which follow the focus, what Enter does now."""
        self.field.setAccessibleDescription(str(index.data() or "") if index.isValid() else "Nothing here fits that.")

    def _take(self, index: _Index) -> None:
        if index.isValid():
            offer = self.model.offers[index.row()]
            self.leave()
            # Once the focus is back: what is done may go by it.
            QTimer.singleShot(0, self, lambda: self.done.emit(offer))

    def eventFilter(self, watched: object, event: QEvent) -> bool:
        """The line keeps the focus: arrows and Enter are for the list."""
        if keeps_escape(event):
            return True
        if (
            isinstance(event, QFocusEvent)
            and event.lostFocus()
            and event.reason() is not Qt.FocusReason.PopupFocusReason
        ):
            self._before = None
            self.hide()
        if event.type() != QEvent.Type.KeyPress or not isinstance(event, QKeyEvent):
            return False
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Tab: 1, Qt.Key.Key_Backtab: -1}
        if event.key() in steps and self.model.offers:
            row = (self.list.currentIndex().row() + steps[Qt.Key(event.key())]) % len(self.model.offers)
            self.list.setCurrentIndex(self.model.index(row))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take(self.list.currentIndex())
        elif event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            return False
        return True

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.accent)
        if not self.model.offers:
            box = self.list.geometry().adjusted(14, 0, 0, 0)
            paint.text(painter, box, "Nothing here fits that.", font(13), theme.soft)
