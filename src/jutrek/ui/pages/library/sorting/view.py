"""Sorting by hand as it is looked at: the bar above, piles, pictures, folders, and what can be done below."""

from __future__ import annotations

from itertools import pairwise

from PySide6.QtCore import QRect, Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from jutrek.sorting.piles import By
from jutrek.ui.pages.library.caption_sheet import CaptionSheet
from jutrek.ui.pages.library.clashes import ClashSheet
from jutrek.ui.pages.library.closely import Closely
from jutrek.ui.pages.library.held import Held
from jutrek.ui.pages.library.sorting.destination import Destination
from jutrek.ui.pages.library.sorting.flow import Flow
from jutrek.ui.pages.library.sorting.folders import FolderCards
from jutrek.ui.pages.library.sorting.pictures import SIZES, USUAL, PileGrid
from jutrek.ui.pages.library.sorting.piles import PileList
from jutrek.ui.pages.library.sorting.progress import Progress
from jutrek.ui.pages.library.sorting.words import BY, pile_words
from jutrek.ui.pages.library.titles import Title
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.keyed import keyed
from jutrek.ui.widgets.layout import Card
from jutrek.ui.widgets.statebar import StateBar

_MARGIN, _LEFT, _RIGHT, _NARROW = 18, 250, 424, 210
_LONGER = 700
"""Milliseconds after which it is said that something is going on."""


class SortingView(QWidget):
    """Draws a sorting and passes on what is wanted as signals."""

    stepped = Signal(int)
    """To the next pile, or the one before."""
    stopped = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._notice: tuple[str, str, str, bool] | None = None
        self._state = ("", "")
        self._working = ""
        self.step = USUAL
        self.progress = Progress(theme)
        self.piles = PileList(theme)
        self.grid = PileGrid(theme, pictures)
        self.cards = FolderCards(theme, pictures)
        self.destination = Destination(theme)
        self.flow = Flow(theme, self.grid, self.cards)
        self.closely = Closely(theme, pictures, self)
        self.clashes = ClashSheet(theme, pictures, self)
        self.captions = CaptionSheet(theme, self)
        self.held = Held(self)
        self.stop = QPushButton("Stop")
        self.decide = QPushButton("Decide…")
        self.leave_there = keyed(QPushButton("Leave it there"), "L")
        self.aside = keyed(QPushButton("Set aside"), "Del")
        self.main = keyed(QPushButton("File it there"), "Enter")
        self.bar = StateBar(theme, (self.stop, self.decide, self.leave_there, self.aside, self.main))
        self.by = _link("by month…")
        self.smaller, self.larger = _link("smaller"), _link("larger")
        self.end, self.back = _link("end this sorting"), keyed(_link("back to the library"), "Esc")
        self._lay_out()
        self._longer = QTimer(self, singleShot=True, interval=_LONGER)
        self._longer.timeout.connect(self._refresh)
        for keys, do in (
            ("Alt+Down", lambda: self.stepped.emit(1)), ("Alt+Up", lambda: self.stepped.emit(-1)),
            ("Ctrl++", lambda: self.size_pictures(1)), ("Ctrl+=", lambda: self.size_pictures(1)),
            ("Ctrl+-", lambda: self.size_pictures(-1)),
        ):  # fmt: skip
            shortcut = QShortcut(QKeySequence(keys), self, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(do)
        self.smaller.clicked.connect(lambda: self.size_pictures(-1))
        self.larger.clicked.connect(lambda: self.size_pictures(1))
        self.stop.clicked.connect(self.stopped)
        self.grid.show_size(self.step)
        self._refresh()

    def _lay_out(self) -> None:
        theme = self._theme
        head = QWidget(self.progress)
        row = QHBoxLayout(head)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(self.end)
        row.addWidget(self.back)
        self._head = head
        self._pile_title = Title(theme, "", (self.smaller, self.larger))
        self.left = _column(Title(theme, "PILES", (self.by,)), Card(theme, self.piles, fills=True))
        middle = _column(self._pile_title, self.grid)
        self.right = _column(Title(theme, "FOLDERS", ()), self.cards, self.destination)
        columns = QHBoxLayout()
        columns.setSpacing(0)
        columns.addWidget(self.left)
        columns.addSpacing(16)
        columns.addWidget(middle, 1)
        columns.addWidget(self.flow)
        columns.addWidget(self.right)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        inner = QVBoxLayout()
        inner.setContentsMargins(_MARGIN, 4, _MARGIN, 10)
        inner.setSpacing(2)
        inner.addWidget(self.progress)
        inner.addLayout(columns, 1)
        page.addLayout(inner, 1)
        page.addWidget(self.bar)
        order = (self.piles, self.grid, self.cards, self.destination.field)
        for first, second in pairwise(order):
            QWidget.setTabOrder(first, second)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        wide = self.width() >= 1180
        self.left.setFixedWidth(_LEFT if wide else _NARROW)
        self.right.setFixedWidth(_RIGHT if wide else _RIGHT - 64)
        above = QRect(0, 0, self.width(), self.bar.y() or self.height())
        self.closely.place(above)
        self.clashes.setGeometry(above)
        self.captions.place(above)
        self._place_head()

    def _place_head(self) -> None:
        size = self._head.sizeHint()
        self.progress.right = size.width() + 12
        self._head.setGeometry(self.width() - 2 * _MARGIN - size.width(), 0, size.width(), 28)

    # ---- what is shown

    def show_pile(self, by: By, key: str | None, to_go: int) -> None:
        """Say which pile is looked at, and how much of it is to go."""
        self.by.setText(f"{BY[by]}…")
        if key is None:
            self._pile_title.say("NOTHING IS TO GO")
        else:
            self._pile_title.say(pile_words(by, key).upper(), f"{to_go:,} to go")

    def size_pictures(self, by: int) -> None:
        """Show pictures by so many steps larger, or smaller."""
        self.step = max(0, min(self.step + by, len(SIZES) - 1))
        self.grid.show_size(self.step)
        self.smaller.setEnabled(self.step > 0)
        self.larger.setEnabled(self.step < len(SIZES) - 1)

    # ---- what it says

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        """Say something that stays until the person does something else; no words end it.

        Args:
            state: a few words.
            more: what else there is to know, beside them.
            under: a line below.
            brick: whether it is trouble.
        """
        self._notice = (state, more, under, brick) if state else None
        self._refresh()

    def say(self, state: str, more: str) -> None:
        """Say what is chosen, and what goes along with it."""
        self._state = (state, more)
        self._refresh()

    def show_working(self, words: str, figures: str) -> None:
        """Show that something longer is going on; no words end it. What is done in a moment is not told."""
        working = f"{words} {figures}".strip()
        if working and not self._working:
            self._longer.start()
        elif not working:
            self._longer.stop()
        self._working = working
        self._refresh()

    def _refresh(self) -> None:
        long = bool(self._working) and not self._longer.isActive()
        self.stop.setVisible(long)
        if self._notice is not None:
            state, more, under, brick = self._notice
            self.bar.say(state, more, under or _HINT, brick=brick)
        elif long:
            self.bar.say(*self._state, f"{self._working} · {_HINT}")
        else:
            self.bar.say(*self._state, _HINT)

    def ask_less(self, chosen: int, *, ready: bool, clashing: bool) -> None:
        """Offer what can be done.

        Args:
            chosen: how many captures are chosen.
            ready: whether there is a folder that takes them.
            clashing: whether names are taken about which is to be decided.
        """
        them = f"File {chosen:,} there" if chosen > 1 else "File it there"
        self.main.setText(them)
        self.main.setEnabled(chosen > 0 and ready)
        self.aside.setEnabled(chosen > 0)
        self.leave_there.setText("Leave them there" if chosen > 1 else "Leave it there")
        self.leave_there.setEnabled(chosen > 0)
        self.decide.setVisible(clashing)


_HINT = (
    "A number and Enter files · Tab to folders, or type one · Del sets aside · L leaves · K words · Ctrl+Z takes back"
)


def _link(words: str) -> QPushButton:
    link = QPushButton(words)
    link.setProperty("link", True)
    return link


def _column(*parts: QWidget) -> QWidget:
    column = QWidget()
    lines = QVBoxLayout(column)
    lines.setContentsMargins(0, 0, 0, 0)
    lines.setSpacing(4)
    for part in parts:
        grows = not isinstance(part, Title | Destination)
        lines.addWidget(part, 1 if grows else 0)
    return column
