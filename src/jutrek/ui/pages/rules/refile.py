"""A re-filing: what of the library, the moves it would make, and the way to make them or to take them back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QAbstractTableModel, QItemSelectionModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from jutrek.desk.refiling import shown_move
from jutrek.errors import shown
from jutrek.filing.facts import below
from jutrek.filing.refiling import Scope
from jutrek.ui import paint
from jutrek.ui.plainly import Label, name_first
from jutrek.ui.theme import Theme, font
from jutrek.ui.widgets.layout import plain_table

if TYPE_CHECKING:
    from jutrek.desk.answers import RefilingPlanned
    from jutrek.filing.facts import Facts

_Index = QModelIndex | QPersistentModelIndex


class _Moves(QAbstractTableModel):
    """The moves of a plan: from where to where. Below them, where it is wanted, what stays where it is."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.planned: RefilingPlanned | None = None
        self._stays: list[tuple[str, str]] = []

    def show_plan(self, planned: RefilingPlanned | None, *, all_files: bool = False) -> None:
        self.beginResetModel()
        self.planned = planned
        self._stays = list(_staying(planned)) if planned is not None and all_files else []
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        inside = parent is not None and parent.isValid()
        return len(self.planned.plan.rows) + len(self._stays) if self.planned is not None and not inside else 0

    def capture(self, row: int) -> str:
        """The id of the capture of a row."""
        moves = self.planned.plan.rows if self.planned is not None else ()
        return moves[row].capture if row < len(moves) else self._stays[row - len(moves)][0]

    def columnCount(self, parent: _Index | None = None) -> int:
        return 2

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role != Qt.ItemDataRole.DisplayRole or self.planned is None:
            return None
        moves = len(self.planned.plan.rows)
        if index.row() >= moves:
            return name_first(self._stays[index.row() - moves][1]) if index.column() == 0 else "stays"
        return name_first(shown_move(self.planned.plan, index.row())[index.column()])

    def headerData(self, number: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return ("Now", "Then")[number]
        return None


def _staying(planned: RefilingPlanned) -> Iterator[tuple[str, str]]:
    """Files at home that a plan moves nowhere: the ids of their captures, and where they lie."""
    moved = {row.source for row in planned.plan.rows}
    for facts in planned.home:
        capture = facts.capture
        for read in capture.files:
            if read.file.path not in moved:
                yield capture.id, below(read.file.path, capture.root)


class RefileView(QWidget):
    """Chooses what is filed anew, and shows the moves; what captures are can be said anew here."""

    wanted = Signal(object)
    """A plan of a scope."""
    said = Signal(object, object)
    """Words (`Words`) of captures, by their ids."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.years = QComboBox()
        self.years.setAccessibleName("What of the library")
        self.what = QComboBox()
        self.what.setAccessibleName("Folders, names, or both")
        for words, scope in (
            ("folders and names", Scope()),
            ("folders only", Scope(names=False)),
            ("names only", Scope(folders=False)),
        ):
            self.what.addItem(words, scope)
        self.strangers = QCheckBox("also what Jutrek did not file")
        self.strangers.setToolTip("Its folders may say more about it than Jutrek knows")
        self.by_hand = QCheckBox("also names given by hand")
        self.by_hand.setToolTip("A name that somebody gave to a file at home is kept otherwise")
        self.staying = QCheckBox("show what stays, too")
        self.staying.setToolTip("To look at it, or to say anew what it is")
        self.say = QPushButton("Say what they are…")
        self.say.setToolTip("Shoot, place, person, job, client and title of the chosen captures")
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(Label("File anew"))
        row.addWidget(self.years)
        row.addWidget(self.what)
        row.addStretch()
        row.addWidget(self.say)
        ticks = QHBoxLayout()
        ticks.setSpacing(18)
        ticks.addWidget(self.strangers)
        ticks.addWidget(self.by_hand)
        ticks.addWidget(self.staying)
        ticks.addStretch()
        self.words = Label()
        self.words.setWordWrap(True)
        self.words.setFont(font(13))
        self.model = _Moves(self)
        self.table = plain_table(self.model, "Moves")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.setTextElideMode(Qt.TextElideMode.ElideRight)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(8)
        column.addLayout(row)
        column.addLayout(ticks)
        column.addWidget(self.words)
        column.addWidget(self.table, 1)
        self.years.activated.connect(self._want)
        self.what.activated.connect(self._want)
        self.strangers.clicked.connect(self._want)
        self.by_hand.clicked.connect(self._want)
        self.staying.clicked.connect(self._show_rows)
        self.say.clicked.connect(self.ask)
        self.selection().selectionChanged.connect(lambda *_: self._look())
        self._years: list[int] = []

    def open(self, years: list[int]) -> None:
        """Begin with a plan of the whole library."""
        self.fill_years(years)
        self._want()
        self.years.setFocus()

    def show_nothing(self) -> None:
        """Show that the plan is being made: an old one must not be carried out."""
        self.words.setText("Looking at what is home…")
        self.model.show_plan(None)
        self._look()

    def fill_years(self, years: list[int]) -> None:
        """Offer years to choose from."""
        if years != self._years or not self.years.count():
            self._years = years
            self.years.clear()
            self.years.addItem("the whole library", 0)
            for year in years:
                self.years.addItem(str(year), year)

    def _want(self) -> None:
        chosen: Scope = self.what.currentData()
        self.show_nothing()
        more = {"strangers": self.strangers.isChecked(), "by_hand": self.by_hand.isChecked()}
        self.wanted.emit(replace(chosen, year=self.years.currentData() or 0, **more))

    def want_again(self) -> None:
        """Have the plan made anew, of what is known now."""
        self._want()

    def _show_rows(self) -> None:
        self.model.show_plan(self.model.planned, all_files=self.staying.isChecked())
        self._look()

    def _look(self) -> None:
        self.say.setEnabled(bool(self._to_say()))

    def _to_say(self) -> list[Facts]:
        """The chosen captures, as far as Jutrek filed them."""
        planned, chosen = self.model.planned, self._chosen()
        return [one for one in planned.home if one.capture.id in chosen] if planned is not None else []

    def ask(self) -> None:
        """Ask what the chosen captures are, and say it."""
        from jutrek.ui.pages.rules.saying import SayDialog

        captures, planned = self._to_say(), self.model.planned
        if not captures or planned is None:
            return
        dialog = SayDialog(captures, planned.home, self.window())
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.show_nothing()
            self.said.emit(frozenset(one.capture.id for one in captures), dialog.words)
        dialog.deleteLater()

    def show_plan(self, planned: RefilingPlanned) -> None:
        """Show a plan."""
        self.model.show_plan(planned, all_files=self.staying.isChecked())
        self._look()
        count = len(planned.plan.rows)
        is_back = bool(planned.takes_back)
        for part in (self.years, self.what, self.strangers, self.by_hand, self.staying):
            part.setEnabled(not is_back)
        if is_back:
            words = f"{paint.counted(count, 'file')} would go back to where the last re-filing took them from."
            words += f" {len(planned.left):,} have to stay: {planned.left[0]}" if planned.left else ""
        elif count:
            words = f"{paint.counted(count, 'file')} would move. Choose rows to move only those captures."
        elif not planned.captures:
            words = "Nothing here was filed by Jutrek yet, so it knows too little of it to move it."
        else:
            words = "Everything lies where the rules would have it. Show what stays to say anew what it is."
        if planned.kept:
            several = len(planned.kept) > 1
            words += f" {paint.counted(len(planned.kept), 'file')} keep{'' if several else 's'} a name given by hand: "
            words += shown(planned.kept[0]) + (", …" if several else ".")
        self.words.setText(words)

    def chosen(self) -> frozenset[str]:
        """The captures of the chosen rows."""
        planned = self.model.planned
        return frozenset() if planned is None or planned.takes_back else self._chosen()

    def _chosen(self) -> frozenset[str]:
        return frozenset(self.model.capture(index.row()) for index in self.selection().selectedRows())

    def selection(self) -> QItemSelectionModel:
        """The selection of rows."""
        return self.table.selectionModel()
