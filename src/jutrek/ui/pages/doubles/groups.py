"""The groups of one degree, each by two of its pictures and a few words; degrees as chips above."""

from __future__ import annotations

import os

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import (
    QFrame,
    QListView,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from jutrek.decoding import Shown
from jutrek.desk.doubles import Decided, summary_of
from jutrek.doubles.degrees import Degree, Group
from jutrek.formats import Kind
from jutrek.ui import paint
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.buttonflow import ButtonFlow

WORDS = {
    Degree.BYTES: "Exactly the same",
    Degree.PAYLOAD: "Same picture, other notes",
    Degree.PICTURE: "Same picture, saved another way",
    Degree.ALIKE: "Look alike",
}
"""What the degrees are called on the page."""
_ROW, _SMALL = 70, QSize(66, 44)
_GROUP = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex


class _Model(QAbstractListModel):
    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.groups: tuple[Group, ...] = ()
        self.decided = Decided()

    def show(self, groups: tuple[Group, ...]) -> None:
        self.beginResetModel()
        self.groups = groups
        self.endResetModel()

    def decide(self, decided: Decided) -> None:
        self.decided = decided
        if self.groups:
            self.dataChanged.emit(self.index(0), self.index(len(self.groups) - 1))

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.groups)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        group = self.groups[index.row()]
        if role == _GROUP:
            return group
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            about = summary_of(group)
            return ", ".join((about.files, about.when, self.fate(group) or about.differs))
        return None

    def fate(self, group: Group) -> str:
        """What was decided about a group, in words; empty for nothing."""
        verdict = self.decided.verdicts.get(group.key)
        if verdict is None:
            return ""
        return f"{len(verdict.dropped)} to set aside" if verdict.keeper else "all stay"


class _Drawing(QStyledItemDelegate):
    def __init__(self, theme: Theme, pictures: Pictures, model: _Model, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme, self._pictures, self._model = theme, pictures, model
        self.root = ""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(200, _ROW)

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        theme, group = self._theme, index.data(_GROUP)
        box = QRect(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.accent_wash)
            painter.drawRoundedRect(box.adjusted(2, 1, -2, -1), 4, 4)
        for at, one in enumerate(group.files[:2]):
            place = QRect(box.left() + 10 + 38 * at, box.top() + 6 + 12 * at, _SMALL.width(), _SMALL.height())
            self._picture(painter, Shown(os.path.join(self.root, one.path), Kind(one.kind)), place)
        about, left = summary_of(group), box.left() + 126
        fate = self._model.fate(group)
        room = box.width() - 134
        paint.text(painter, QRect(left, box.top() + 6, room, 19), about.files, font(13, SEMIBOLD), theme.ink)
        paint.text(painter, QRect(left, box.top() + 25, room, 18), about.when, font(12.5), theme.soft)
        colour = theme.accent if fate else theme.amber if about.dates_differ else theme.soft
        face = font(12.5, SEMIBOLD) if fate else font(12.5)
        paint.text(painter, QRect(left, box.top() + 43, room, 18), fate or about.differs, face, colour)

    def _picture(self, painter: QPainter, view: Shown, box: QRect) -> None:
        theme = self._theme
        painter.fillRect(box, theme.track)
        pixmap = self._pictures.of(view, self.root, at_home=view.id.startswith(f"{self.root}/"))
        if pixmap is not None:
            painter.drawPixmap(box, pixmap)
        painter.setPen(QPen(theme.card, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)


class GroupList(QWidget):
    """Degrees as chips, and the groups of the chosen one."""

    chosen = Signal(object)
    """A group; None where there is none."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.degree = Degree.BYTES
        self._groups: tuple[Group, ...] = ()
        self.chips: dict[Degree, QPushButton] = {}
        for degree, words in WORDS.items():
            chip = self.chips[degree] = QPushButton(words)
            chip.setProperty("tab", True)
            chip.setCheckable(True)
            chip.clicked.connect(lambda _=False, degree=degree: self.choose_degree(degree))
        self.model = _Model(self)
        self.view = QListView()
        self.view.setFrameShape(QFrame.Shape.NoFrame)
        self.view.setModel(self.model)
        self._drawing = _Drawing(theme, pictures, self.model, self.view)
        self.view.setItemDelegate(self._drawing)
        self.view.setUniformItemSizes(True)
        self.view.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.view.setAccessibleName("Groups of doubles")
        self.view.selectionModel().currentChanged.connect(lambda _: self.chosen.emit(self.group()))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._flow = ButtonFlow(tuple(self.chips.values()))
        column.addWidget(self._flow)
        column.addWidget(self.view, 1)
        pictures.ready.connect(self._on_ready)

    def _on_ready(self, path: str) -> None:
        if self.isVisible() and path.startswith(self._drawing.root):
            self.view.viewport().update()

    def show_groups(self, groups: tuple[Group, ...], root: str) -> None:
        """Show the doubles of a library; the degree and the row that were chosen stay, as far as they can."""
        self._groups, self._drawing.root = groups, root
        for degree, chip in self.chips.items():
            chip.setText(f"{WORDS[degree]} {sum(one.degree is degree for one in groups):,}")
        self._flow.arrange()
        if not self._of(self.degree) and groups:
            self.degree = groups[0].degree
        self._show(self.view.currentIndex().row())

    def show_decided(self, decided: Decided) -> None:
        """Show what was decided."""
        self.model.decide(decided)

    def choose_degree(self, degree: Degree) -> None:
        """Show the groups of another degree."""
        self.degree = degree
        self._show(0)
        self.view.setFocus()

    def group(self) -> Group | None:
        """The chosen group."""
        index = self.view.currentIndex()
        return index.data(_GROUP) if index.isValid() else None

    def groups(self) -> tuple[Group, ...]:
        """All groups of the chosen degree."""
        return self.model.groups

    def step(self, by: int, *, undecided: bool = False) -> None:
        """Choose the next group, or the next one that nothing was decided about; the last one stays chosen."""
        row = self.view.currentIndex().row() + by
        while undecided and 0 <= row < len(self.model.groups):
            if self.model.groups[row].key not in self.model.decided.verdicts:
                break
            row += by
        if 0 <= row < len(self.model.groups):
            self.view.setCurrentIndex(self.model.index(row))

    @property
    def row(self) -> int:
        """The number of the chosen group, from 0; -1 for none."""
        return int(self.view.currentIndex().row())

    def _of(self, degree: Degree) -> tuple[Group, ...]:
        return tuple(one for one in self._groups if one.degree is degree)

    def _show(self, row: int) -> None:
        for degree, chip in self.chips.items():
            chip.setChecked(degree is self.degree)
        self.model.show(self._of(self.degree))
        if self.model.groups:
            self.view.setCurrentIndex(self.model.index(min(max(row, 0), len(self.model.groups) - 1)))
        else:
            self.chosen.emit(None)
