"""The Library page: a sentence above; by time the wall, share bars, captures by day, folders; by folder the stairs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QKeySequence, QResizeEvent, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from jutrek.ui import paint
from jutrek.ui.pages.library.asking import Asking
from jutrek.ui.pages.library.attention import Attention
from jutrek.ui.pages.library.bars import ShareBars
from jutrek.ui.pages.library.caption_sheet import CaptionSheet
from jutrek.ui.pages.library.cell import STEPS, USUAL
from jutrek.ui.pages.library.chosen import ChosenPanel
from jutrek.ui.pages.library.clashes import ClashSheet
from jutrek.ui.pages.library.closely import Closely
from jutrek.ui.pages.library.drives import Drives
from jutrek.ui.pages.library.folders import FolderPanel, menu_of
from jutrek.ui.pages.library.grid import CaptureGrid
from jutrek.ui.pages.library.held import Held
from jutrek.ui.pages.library.pennants import colour_of
from jutrek.ui.pages.library.ribbons import Ribbons
from jutrek.ui.pages.library.sentence import SentenceBar
from jutrek.ui.pages.library.shelves import ShelfStrip
from jutrek.ui.pages.library.stairs import Stairs
from jutrek.ui.pages.library.titles import Title, link
from jutrek.ui.pages.library.wall import Wall
from jutrek.ui.pages.library.words import ORDERS
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.keyed import keyed
from jutrek.ui.widgets.layout import Card, column_of, scrolling
from jutrek.ui.widgets.statebar import StateBar
from jutrek.ui.widgets.teaching import Teaching
from jutrek.views.columns import bit_of, day_of
from jutrek.views.conditions import EVERYTHING, All, Condition, Sort, State, Value, both, sort_of
from jutrek.views.laying import Apart, keeping, leaving_out, timed
from jutrek.views.orders import Order
from jutrek.views.shelving import shelf_of

if TYPE_CHECKING:
    from PySide6.QtGui import QColor

    from jutrek.desk.laid_out import View

_T = TypeVar("_T")
_MARGIN, _LEFT, _RIGHT, _NARROW = 18, 262, 300, 232
_GONE = bit_of(State.GONE)
_ATTENTION = 0.42
"""The share of the width that what wants attention may have."""
_TAUGHT = (
    ("All that is home", "by time, on a wall of years and months; by folder, as stairs to walk."),
    ("Said as a sentence", "stills by Arlen in May 2026 without keywords; each part can be clicked or typed."),
    ("Narrowed by a click", "on a month, on a kind, a device, a lens, a keyword; Ctrl keeps several."),
    ("Nothing is moved", "by looking: what is shown stays where it is."),
)


class LibraryView(QWidget):
    """Draws views and passes on what is wanted as signals."""

    said = Signal(object)
    """Another view is wanted."""
    kept = Signal(object)
    wants_kept = Signal(object)
    shown_on_disk = Signal(object)
    """A file or folder, by its path in the library."""
    copied = Signal(object)
    checked = Signal()
    sized = Signal(object)
    """Pictures are shown in another size."""
    trunk_hidden = Signal(object)
    """Folders are hidden up to this one; the empty path hides none."""
    stopped = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.view: View | None = None
        self.wanted: Condition = EVERYTHING
        self.by_folder = False
        self._working, self._unread = "", 0
        self._notice: tuple[str, str, str, bool] | None = None
        self.step = USUAL
        self.sentence = SentenceBar(theme)
        self.attention = Attention()
        self.drives = Drives(theme)
        self.wall = Wall(theme)
        self.bars = ShareBars(theme)
        self.grid = CaptureGrid(theme, pictures)
        self.stairs = Stairs(theme, pictures)
        self.shelves = ShelfStrip(theme, pictures)
        self.folders = FolderPanel(theme)
        self.chosen = ChosenPanel(theme)
        self.closely = Closely(theme, pictures, self)
        self.clashes = ClashSheet(theme, pictures, self)
        self.captions = CaptionSheet(theme, self)
        self.held = Held(self)
        self.asking = Asking(theme, self, self.asked_at, self.take_focus)
        self.sorts = keyed(link("sort by hand…"), "F4")
        self.stop = QPushButton("Stop")
        self.on_disk = QPushButton("Show on disk")
        self.copy = keyed(QPushButton("Copy the path"), "Ctrl+C")
        self.main = keyed(QPushButton("Up close"), "Space")
        self.bar = StateBar(theme, (self.stop, self.copy, self.on_disk, self.main))
        self._lay_out()
        self._connect()
        self._refresh()

    # ---- how it is laid out

    def _head(self) -> QHBoxLayout:
        """The sentence, and what wants attention beside it."""
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.sentence, 1)
        head.addWidget(self.attention)
        return head

    def _lay_out(self) -> None:
        theme = self._theme
        self.weeks = link("by week")
        self.lined = link("apart by…")
        self.lined.setToolTip("What stands apart: days and shoots, folders, or nothing")
        self.apart, self.order = Apart.DAYS, Order.MOMENT
        self.ordered = link("in order…")
        self.ordered.setToolTip("In which order captures stand: by moment, name, kind, size … or by hand")
        self.ways = keyed(link("by folder"), "F3")
        self.all_open, self.all_shut = link("all open"), link("all shut")
        wall = scrolling(self.wall)
        wall.setMaximumHeight(300)
        wall.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._wall_area = wall
        self.another = link("another shelf…")
        shelves = scrolling(self.shelves)
        shelves.setMaximumHeight(152)
        shelves.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        self._shelf_area = shelves
        self.left = column_of(
            Title(theme, "WHEN", (self.weeks,)), (Card(theme, wall), 0), Title(theme, "WHAT", ()),
            (Card(theme, scrolling(self.bars), fills=True), 1), Title(theme, "SHELVES", (self.another,)),
            (shelves, 0),
        )  # fmt: skip
        self._middle_title = Title(theme, "BY DAY", (self.sorts, self.ordered, self.lined, self.ways))
        self.middle = column_of(self._middle_title, (self.stairs, 0), (self.grid, 1))
        self.right = column_of(
            Title(theme, "WHERE THEY ARE", (self.all_open, self.all_shut)),
            (Card(theme, self.folders, fills=True), 1), Title(theme, "DRIVES", ()), (Card(theme, self.drives), 0),
            Title(theme, "CHOSEN", ()), (Card(theme, self.chosen), 0),
        )  # fmt: skip
        self.stairs.hide()
        self.ribbons = Ribbons(theme, self.grid, self.folders.list)
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.left)
        row.addSpacing(16)
        row.addWidget(self.middle, 1)
        row.addWidget(self.ribbons)
        row.addWidget(self.right)
        library = QWidget()
        inner = QVBoxLayout(library)
        inner.setContentsMargins(_MARGIN, 0, _MARGIN, 10)
        inner.setSpacing(0)
        inner.addLayout(self._head())
        inner.addLayout(row, 1)
        taught = QWidget()
        column = QVBoxLayout(taught)
        column.setContentsMargins(_MARGIN, 16, _MARGIN, 0)
        column.addWidget(Teaching(theme, "Your library will stand here, to look through", _TAUGHT))
        column.addStretch()
        self.stack = QStackedWidget()
        self.stack.addWidget(taught)
        self.stack.addWidget(library)
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(0)
        page.addWidget(self.stack, 1)
        page.addWidget(self.bar)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        wide = self.width() >= 1180
        self.attention.fit(round(self.width() * _ATTENTION))
        self.left.setFixedWidth(_LEFT if wide else _NARROW)
        self.right.setFixedWidth(_RIGHT if wide else _NARROW)
        above = QRect(0, 0, self.width(), self.bar.y() or self.height())
        self.closely.place(above)
        self.clashes.setGeometry(above)
        self.captions.place(above)

    def asked_at(self) -> QRect:
        """Where something is asked, over the sentence."""
        return QRect(_MARGIN, 0, self.width() - 2 * _MARGIN, self.sentence.height())

    def _connect(self) -> None:
        self.sentence.said.connect(self._say)
        self.attention.said.connect(self._say)
        self.attention.checked.connect(self.checked)
        self.sentence.kept.connect(self.kept)
        self.sentence.left.connect(self.take_focus)
        self.sentence.wants_kept.connect(self.wants_kept)
        self.wall.fitted.connect(lambda: self._wall_area.setFixedHeight(min(300, self.wall.height() + 2)))
        self.wall.spanned.connect(lambda span: self._say(timed(self.wanted, span)))
        self.bars.kept.connect(lambda one, more: self._say(keeping(self.wanted, one, more=more)))
        self.bars.denied.connect(lambda one: self._say(leaving_out(self.wanted, one)))
        self.folders.list.chosen.connect(self._in_folder)
        self.grid.chosen.connect(self._refresh)
        self.grid.looked.connect(self.look)
        self.grid.left.connect(self.back)
        self.grid.above.connect(lambda: self.stairs.setFocus() if self.by_folder else None)
        self.stairs.chosen.connect(self._on_step)
        self.stairs.entered.connect(self._into_pictures)
        self.closely.walked.connect(self.grid.choose)
        self.closely.closed.connect(self.grid.setFocus)
        self.weeks.clicked.connect(self._turn_wall)
        self.ways.clicked.connect(self.turn)
        apart = {what: what.value for what in Apart}
        self.lined.clicked.connect(lambda: self._offer(self.lined, apart, self.apart, self.set_apart))
        self.ordered.clicked.connect(lambda: self._offer(self.ordered, ORDERS, self.order, self.set_order))
        self.all_open.clicked.connect(lambda: self.folders.list.rows.open_all(True))
        self.all_shut.clicked.connect(lambda: self.folders.list.rows.open_all(False))
        self.stop.clicked.connect(self.stopped)
        self.main.clicked.connect(self.look)
        self.on_disk.clicked.connect(lambda: self.shown_on_disk.emit(self.path()))
        self.copy.clicked.connect(lambda: self.copied.emit(self.path()))
        for keys, do in (
            ("Ctrl+E", self.sentence.type_it), ("F3", self.turn), ("F4", self.sorts.click),
            ("Ctrl++", partial(self.size_pictures, 1)), ("Ctrl+=", partial(self.size_pictures, 1)),
            ("Ctrl+-", partial(self.size_pictures, -1)), ("Ctrl+C", self.copy.click),
        ):  # fmt: skip
            shortcut = QShortcut(QKeySequence(keys), self, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(do)

    # ---- what is shown

    def show_nothing(self) -> None:
        """Another library is open, of which nothing is known yet."""
        self.view, self.wanted, self._unread, self._notice = None, EVERYTHING, 0, None
        self.clashes.hide()
        self.closely.leave()
        self.closely.forget()
        self.stack.setCurrentIndex(0)
        self._refresh()

    def show_view(self, view: View) -> None:
        """Show a view that was laid out."""
        self.view = view
        self.stack.setCurrentIndex(1)
        laid = view.laid
        if not self.sentence.typing:
            self.wanted = laid.view
            self.sentence.show_view(laid.view, len(laid.rows), self._span(view), view.names)
        else:
            self.sentence.names = view.names
        parts = laid.view.parts if isinstance(laid.view, All) else (laid.view,)
        self.wall.show_counts(laid.months, laid.by_day, next((one for one in parts if sort_of(one) is Sort.TIME), None))
        marks = partial(colour_of, view.marks)
        self.bars.show_bars(laid.bars, {Sort.DEVICE: self._colour_of, Sort.MARK: marks})
        self.folders.list.rows.show_view(view)
        folder = next((one.text for one in parts if isinstance(one, Value) and one.sort is Sort.FOLDER), None)
        if folder is not None and folder.startswith("/"):
            self.folders.list.mark(folder.strip("/"))
        self.attention.show_laid(laid)
        self.stairs.show_view(view)
        self.shelves.show_view(view, shelf_of(view.laid.view))
        self._shelf_area.setFixedHeight(min(152, self.shelves.height() + 2))
        self._show_captures()
        self.closely.renew(view, self.grid.rows)

    def _span(self, view: View) -> str:
        """From when to when, and how large."""
        if view.laid.days is None:
            return paint.size_words(view.laid.size)
        first, last = map(day_of, view.laid.days)
        span = str(first.year) if first.year == last.year else f"{first.year} – {last.year}"
        return f"{span} · {paint.size_words(view.laid.size)}"

    def _show_captures(self) -> None:
        if self.view is None:
            return
        self.ordered.setVisible(self.view.apart is not None)
        self.lined.setVisible(not self.by_folder and self.view.apart is not None)
        if self.by_folder:
            self.grid.show_view(self.view, self.stairs.rows())
            size = paint.size_words(int(self.view.columns.size[self.grid.rows].sum()))
            here = f"{paint.counted(len(self.grid.rows), 'capture')} in {self.stairs.path or 'all of it'} · {size}"
            self._middle_title.say("BY FOLDER", here)
        else:
            self.grid.show_view(self.view)
            apart = self.view.apart
            words = apart.value if apart is not None else "in the order of the shelf"
            if apart is not None and self.order is not Order.MOMENT:
                own = ORDERS[self.order]
                words = own if apart is Apart.NOTHING else f"{words}, {own}"
            self._middle_title.say(words.upper())
        self._refresh()

    def _colour_of(self, device: str) -> QColor | None:
        if self.view is None or device not in self.view.colours:
            return None
        return self._theme.device(self.view.colours[device])

    def _say(self, view: Condition) -> None:
        self._notice = None
        self.wanted = view
        self.said.emit(view)

    def _in_folder(self, path: str) -> None:
        """Narrow to a folder, or no longer."""
        parts = self.wanted.parts if isinstance(self.wanted, All) else (self.wanted,)
        others = [one for one in parts if not (isinstance(one, Value) and one.sort is Sort.FOLDER)]
        here = Value(Sort.FOLDER, f"/{path}")
        if self.by_folder:
            self.stairs.go(path)
        self._say(both(*others) if here in parts or not path else both(*others, here))

    # ---- ways to look

    def turn(self) -> None:
        """Look by folder, or by time again; the folder of the current capture is where one is then."""
        self.by_folder = not self.by_folder
        if self.by_folder and self.view is not None and self.grid.row >= 0:
            self.stairs.go(self.view.columns.path(self.grid.row).rpartition("/")[0])
        self.stairs.setVisible(self.by_folder)
        self.left.setVisible(not self.by_folder)
        self.right.setVisible(not self.by_folder)
        self.ribbons.setVisible(not self.by_folder)
        self.ways.setText("by time" if self.by_folder else "by folder")
        self._show_captures()
        self.take_focus()

    def _offer(self, link: QPushButton, offers: Mapping[_T, str], now: _T, then: Callable[[_T], None]) -> None:
        """Ask for one of several, of which one holds now."""
        menu = menu_of(self)
        for one, words in offers.items():
            action = menu.addAction(words, partial(then, one))
            action.setCheckable(True)
            action.setChecked(one is now)
        menu.popup(link.mapToGlobal(QPoint(0, link.height())))

    @property
    def by_hand(self) -> bool:
        """Whether captures stand in an order by hand, which may be changed."""
        return self.order is Order.HAND and self.view is not None and self.view.apart is not None

    def set_order(self, order: Order) -> None:
        """Have captures stand in another order."""
        self.order = order
        self.said.emit(self.wanted)

    def set_apart(self, what: Apart) -> None:
        """Have days and shoots, folders or nothing stand apart. Days do so by moment alone."""
        self.apart = what
        self.order = Order.MOMENT if what is Apart.DAYS else self.order
        self.said.emit(self.wanted)

    def take_focus(self) -> None:
        """Give the focus to what is looked at."""
        (self.stairs if self.by_folder else self.grid).setFocus()

    def _on_step(self, path: str) -> None:
        self._show_captures()

    def _into_pictures(self) -> None:
        if len(self.grid.rows):
            self.grid.setFocus()
            self.grid.choose(max(0, self.grid.at))

    def _turn_wall(self) -> None:
        self.wall.show_weeks(not self.wall.by_weeks)
        self.weeks.setText("by month" if self.wall.by_weeks else "by week")

    def hide_trunk(self, path: str) -> None:
        """Hide the folders above one that says more, or show them again. On the disk nothing changes.

        Args:
            path: the first one that is shown; the empty one shows all.
        """
        rows = self.folders.list.rows
        self.show_trunk(path.rpartition("/")[0])
        self.trunk_hidden.emit(rows.trunk)

    def show_trunk(self, trunk: str) -> None:
        """Hide folders up to this one; where there is none of the name, none are."""
        rows = self.folders.list.rows
        rows.trunk = trunk
        rows.open |= {trunk}
        rows.renew()

    def size_pictures(self, by: int) -> None:
        """Show pictures by so many steps larger, or smaller."""
        step = max(0, min(self.step + by, len(STEPS) - 1))
        if step != self.step:
            self.show_size(step)
            self.sized.emit(step)

    def show_size(self, step: int) -> None:
        """Show pictures in a size, the smallest for 0."""
        self.step = max(0, min(step, len(STEPS) - 1))
        self.grid.show_size(self.step)

    def look(self) -> None:
        """Look closely at the current capture."""
        if self.view is not None and len(self.grid.rows):
            self.closely.open(self.view, self.grid.rows, max(0, self.grid.at))
            self.closely.place(QRect(0, 0, self.width(), self.bar.y()))

    def back(self) -> None:
        """One step back: out of what is typed, up close, out of the pictures."""
        if self.asking.bar is not None:
            self.asking.end()
        elif self.clashes.isVisible():
            self.clashes.nothing.click()
        elif self.captions.isVisible():
            self.captions.close_it()
        elif self.closely.is_open:
            self.closely.leave()
        elif self.sentence.typing:
            self.sentence.leave()
        elif self.by_folder:
            self.stairs.setFocus()

    def path(self) -> str:
        """The path in the library of what is current; of no capture its folder."""
        if self.view is not None and self.grid.row >= 0:
            return self.view.columns.path(self.grid.row)
        return self.stairs.path if self.by_folder else self.folders.list.folder() or ""

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

    def show_working(self, words: str, figures: str) -> None:
        """Show that something longer is going on; no words end it."""
        self._working = f"{words} {figures}".strip()
        self._refresh()

    def show_reading(self, left: int) -> None:
        """Show that so many files are to be read yet for what they say."""
        self._unread = left
        self._refresh()

    def _refresh(self) -> None:
        view, picked = self.view, self.grid.picked()
        self.chosen.show_rows(view, picked)
        self.stop.setVisible(bool(self._working or self._unread))
        for button in (self.main, self.copy, self.on_disk):
            button.setVisible(view is not None and not self.clashes.isVisible())
        self.main.setEnabled(view is not None and len(self.grid.rows) > 0)
        if self._notice is not None:
            state, more, under, brick = self._notice
            self.bar.say(state, more, under, brick=brick)
        elif self._working:
            self.bar.say(self._working)
        elif self._unread:
            self.bar.say("Reading what files say.", f"{self._unread:,} left", self._hint())
        elif view is None:
            self.bar.say("No library is looked at yet.")
        elif len(picked):
            size = paint.size_words(int(view.columns.size[picked].sum()))
            self.bar.say(f"{len(picked):,} chosen.", size, self._hint())
        else:
            self.bar.say("Nothing is chosen.", "", self._hint())

    def _hint(self) -> str:
        if self.view is not None and (self.view.apart is None or self.by_hand):
            return "Drag the chosen to another place, or Ctrl+Shift with an arrow · Ctrl+H on another shelf"
        if self.by_folder:
            return "Arrows walk along a step and down · type to jump · Space up close · F3 by time"
        if self.view is not None and len(self.grid.rows) and self.view.columns.state[self.grid.rows[0]] & _GONE:
            return "Their menu brings back what a backup has of them, or misses them no more"
        return "Shift, Ctrl choose several · Space up close · M marks · K words · Ctrl+M moves · Ctrl+H on a shelf"
