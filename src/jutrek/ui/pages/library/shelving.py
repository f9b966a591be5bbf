"""What the Library page does with shelves: captures are put on them, taken off, put in another order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu

from jutrek.ui import paint
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.plainly import caption, plain
from jutrek.views.conditions import EVERYTHING, Condition, Sort, Value
from jutrek.views.shelves import Shelves, put_on, removed, renamed, take_off
from jutrek.views.shelving import shelf_among, shelf_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.services.lookup import LookupService
    from jutrek.ui.pages.library.view import LibraryView
    from jutrek.views.shelves import Thing

_T = TypeVar("_T")
_BACK = "Ctrl+Z takes it back. Files stay where they are."


class Shelving(QObject):
    """Ties the shelves of a view to those of its library."""

    def __init__(
        self,
        view: LibraryView,
        ask: Callable[..., object],
        show: Callable[[Condition], None],
        renew: Callable[[], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            view: shows them.
            ask: has a job done by the lookup service, and its answer heard.
            show: shows another view.
            renew: shows what was learnt since.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._ask_lookup, self._show_other, self._renew = view, ask, show, renew
        grid, strip = self._view.grid, self._view.shelves
        self.takes: Callable[[QPoint], bool] = lambda place: False
        """Asked whether something else takes what is let go of at a point of the screen."""
        grid.carried.connect(self._carry)
        grid.dropped.connect(self._drop)
        strip.chosen.connect(self._show)
        strip.asked.connect(self._ask_shelf)
        self._view.another.clicked.connect(self.another)
        self._orders = [self._key(keys, partial(self.move, by)) for _, keys, by in _STEPS]
        self._key("Ctrl+H", self.open_menu)

    def _key(self, keys: str, do: Callable[[], None]) -> QShortcut:
        shortcut = QShortcut(QKeySequence(keys), self._view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(do)
        return shortcut

    def renew(self) -> None:
        """Another view is shown: keys move captures only on a shelf."""
        for shortcut in self._orders:
            shortcut.setEnabled(bool(self.shelf) or self._view.by_hand)

    # ---- what is shown and chosen

    @property
    def shelf(self) -> str:
        """The shelf whose captures are shown in its order; empty where those of none are."""
        view = self._view.view
        found = shelf_among(view.shelves, shelf_of(view.laid.view)) if view is not None else None
        return found.name if found is not None else ""

    def _show(self, name: str) -> None:
        """Show what stands on a shelf, or everything again."""
        this = Value(Sort.SHELF, name)
        self._view.notify("")
        is_shown = self._view.view is not None and self._view.view.laid.view == this
        self._show_other(EVERYTHING if is_shown else this)

    def _rows(self) -> NDArray[np.int64]:
        """The rows of what is chosen, else of what is current."""
        picked, row = self._view.grid.picked(), self._view.grid.row
        return picked if len(picked) or row < 0 else np.array([row], np.int64)

    # ---- acts

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer what may be done with what is chosen."""
        view = self._view.view
        if view is None or not len(self._rows()):
            return
        onto = menu.addMenu("Put on a shelf")
        for one in view.shelves:
            onto.addAction(caption(one.name), partial(self.put, one.name))
        if view.shelves:
            onto.addSeparator()
        onto.addAction("Another…", self.another)
        if self.shelf:
            menu.addAction(caption(f"Take off “{self.shelf}”"), self.take_off)
        if self.shelf or self._view.by_hand:
            order = menu.addMenu("In the order of the shelf" if self.shelf else "In the order by hand")
            for words, keys, by in _STEPS:
                order.addAction(f"{words}\t{keys}", partial(self.move, by))
            if not self.shelf:
                order.addAction("This folder by moment again", self._by_moment)

    def open_menu(self) -> None:
        """Ask which shelf what is chosen is to be put on."""
        grid = self._view.grid
        if not len(self._rows()):
            self._view.notify("Nothing is chosen.", "Choose captures first: a click, Space, a frame.")
            return
        menu = menu_of(self._view)
        self.add_to_menu(menu)
        menu.popup(grid.viewport().mapToGlobal(grid.viewport().rect().center()))

    def put(self, name: str, before: Thing | None = None) -> None:
        """Put what is chosen on a shelf."""
        view, rows = self._view.view, self._rows()
        if view is None:
            return
        columns, words = view.columns, f"put on “{name}”"
        self._ask(
            # Of very many captures paths take a while: they are made where nobody waits for them.
            lambda lookup: lookup.put_on(name, columns.paths(rows.tolist()), before),
            lambda count: self._say(f"{paint.counted(count, 'capture')} {words}.", count < len(rows)),
        )

    def _say(self, words: str, some_left: bool) -> None:
        self._view.notify(words, "What is not at home can't be put there." if some_left else _BACK)

    def another(self) -> None:
        """Ask for the name of another shelf; what is chosen is put on it."""
        count = len(self._view.grid.picked())
        question = f"Put {paint.counted(count, 'capture')} on a shelf called:" if count else "A shelf called:"
        self._view.asking.ask(question, "Put them there" if count else "Make it", self._make)

    def _make(self, name: str) -> None:
        # Without captures chosen the shelf is empty to begin with.
        if len(self._view.grid.picked()):
            self.put(name)
        else:
            self._ask(
                lambda lookup: lookup.put_on(name, ()),
                lambda _: self._view.notify(f"“{name}” is a shelf.", "Choose captures; Ctrl+H puts them on it."),
            )

    def take_off(self) -> None:
        """Take what is chosen off the shelf that is shown."""
        name, things = self.shelf, self._things()
        if name and things:
            words = f"{paint.counted(len(things), 'capture')} taken off “{name}”."
            self._change(lambda shelves: take_off(shelves, name, things), words, _BACK)

    def _things(self) -> list[Thing]:
        """What is chosen, as it stands on the shelf that is shown."""
        view = self._view.view
        found = shelf_among(view.shelves, self.shelf) if view is not None else None
        if found is None:
            return []
        picked = set(self._view.grid.picked().tolist())
        return [one for row, one in zip(found.rows.tolist(), found.things, strict=True) if row in picked]

    def move(self, by: int) -> None:
        """Move what is chosen on the shelf that is shown: by so many places, or to an end."""
        grid = self._view.grid
        places = np.flatnonzero(np.isin(grid.rows, grid.picked()))
        if not (self.shelf or self._view.by_hand) or not len(places):
            return
        to = int(places[0]) + by if by < 0 else int(places[-1]) + by + 1
        self.move_before(max(0, min(to, len(grid.rows))))

    def move_before(self, at: int) -> None:
        """Move what is chosen in the order that is shown, in front of one of what is shown; behind all for the last."""
        if self._view.by_hand:
            self._arrange(at)
            return
        view, grid, things = self._view.view, self._view.grid, self._things()
        found = shelf_among(view.shelves, self.shelf) if view is not None else None
        if found is None or not things:
            return
        known = dict(zip(found.rows.tolist(), found.things, strict=True))
        before = known[int(grid.rows[at])] if at < len(grid.rows) else None
        name = found.name
        self._change(lambda shelves: put_on(shelves, name, things, before), "", "")

    def _arrange(self, at: int) -> None:
        """Put what is chosen in front of one of what is shown in its folder, or at the folder's end."""
        view, grid, rows = self._view.view, self._view.grid, self._rows()
        if view is None or not len(rows):
            return
        columns, shown = view.columns, grid.rows
        own = columns.folder[shown] == columns.folder[rows[0]]
        if (columns.folder[rows] != columns.folder[rows[0]]).any() or not own[max(0, at - 1) : at + 1].any():
            self._view.notify("Nothing was put elsewhere.", "An order by hand is one within a folder.")
            return
        behind = shown[at:][own[at:] & ~np.isin(shown[at:], rows)]
        paths, before = columns.paths(rows.tolist()), columns.path(int(behind[0])) if len(behind) else ""
        self._ask(lambda lookup: lookup.arrange(paths, before), lambda _: self._view.notify(""))

    def _by_moment(self) -> None:
        view, rows = self._view.view, self._rows()
        if view is not None and len(rows):
            folder = view.columns.path(int(rows[0])).rpartition("/")[0]
            self._ask(
                lambda lookup: lookup.views.by_moment(folder),
                lambda _: self._view.notify(
                    f"{plain(folder) or 'The root'} is by moment again.", "Ctrl+Z takes it back."
                ),
            )

    def take_back(self) -> None:
        """Take back what was done last."""
        self._ask(lambda lookup: lookup.views.take_back(), self._taken_back)

    def _taken_back(self, done: str) -> None:
        self._view.notify(done or "There is nothing to take back.")
        if done:
            self._renew()

    # ---- shelves themselves

    def _ask_shelf(self, name: str, at: QPoint) -> None:
        menu = menu_of(self._view)
        menu.addAction("Show what stands on it", lambda: self._show_other(Value(Sort.SHELF, name)))
        if len(self._view.grid.picked()):
            menu.addAction("Put the chosen on it", lambda: self.put(name))
        menu.addAction("Call it otherwise…", lambda: self._rename(name))
        menu.addAction("No shelf any more", lambda: self._remove(name))
        menu.popup(at)

    def _rename(self, name: str) -> None:
        self._view.asking.ask(
            f"Call “{plain(name)}”:", "Call it so",
            lambda new: self._change(
                lambda shelves: renamed(shelves, name, new), f"The shelf is called “{new}”.", "Ctrl+Z takes it back."
            ),
            name=name,
        )  # fmt: skip

    def _remove(self, name: str) -> None:
        self._change(lambda shelves: removed(shelves, name), f"“{name}” is no shelf any more.", _BACK)

    def _change(self, how: Callable[[Shelves], Shelves], words: str, more: str) -> None:
        self._ask(lambda lookup: lookup.views.change_shelves(how), lambda _: self._view.notify(words, more))

    def _ask(self, job: Callable[[LookupService], _T], then: Callable[[_T], None]) -> None:
        def done(answer: _T) -> None:
            then(answer)
            self._show_other(self._view.wanted)

        self._ask_lookup(job, done)

    # ---- carried by the pointer

    def _carry(self, place: QPoint | None) -> None:
        """Show what is carried, and where it would go."""
        strip, grid = self._view.shelves, self._view.grid
        self._view.held.show_at(paint.counted(len(grid.picked()), "capture"), place)
        if place is None:
            strip.hang_over(None)
            grid.show_gap(-1)
            return
        strip.hang_over(strip.mapFromGlobal(place) if strip.isVisible() else None)
        grid.show_gap(grid.gap_at(place) if self.shelf or self._view.by_hand else -1)

    def _drop(self, place: QPoint) -> None:
        strip, grid = self._view.shelves, self._view.grid
        name = strip.at(strip.mapFromGlobal(place)) if strip.isVisible() else ""
        if name:
            self.put(name)
        elif not self.takes(place) and (self.shelf or self._view.by_hand) and (at := grid.gap_at(place)) >= 0:
            self.move_before(at)


_STEPS: Sequence[tuple[str, str, int]] = (
    ("Earlier", "Ctrl+Shift+Left", -1), ("Later", "Ctrl+Shift+Right", 1), ("To the front", "Ctrl+Shift+Home", -(10**6)),
    ("To the end", "Ctrl+Shift+End", 10**6),
)  # fmt: skip
"""How what is chosen is moved on a shelf: words, keys, by how many places."""
