"""Opens sortings over the Library page, and leaves them: each goes on where it was."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, QTimer
from PySide6.QtWidgets import QApplication, QStackedWidget, QWidget

from jutrek.ui import paint
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.plainly import caption, plain

if TYPE_CHECKING:
    from jutrek.desk.answers import DoublesFound
    from jutrek.desk.services.sorting import Standing
    from jutrek.desk.sorting import Sorted
    from jutrek.desk.viewing import LookedAt
    from jutrek.ui.pages.library.captioning import Captions
    from jutrek.ui.pages.library.sorting.answers import Answers
    from jutrek.ui.pages.library.sorting.shown import Asks, Shown
    from jutrek.ui.shell.context import Context
    from jutrek.views.conditions import Condition

_QUIET = 1500
"""Milliseconds after the last answer, in which nothing was asked for, when what moved is learnt anew."""


class LibrarySorting(QObject):
    """One sorting at a time."""

    def __init__(self, context: Context, stack: QStackedWidget, asks: Callable[[], Asks], parent: QObject) -> None:
        """
        Args:
            context: of the page.
            stack: shows the library, and a sorting in its place.
            asks: gives how it asks for things.
            parent: keeps it.
        """
        super().__init__(parent)
        self._context, self._stack, self._make_asks = context, stack, asks
        self.shown: Shown | None = None
        self.answers: Answers | None = None
        self.captions: Captions | None = None
        self._missed = False
        """Whether something was learnt that could not be shown yet."""
        self.quiet = QTimer(self, singleShot=True, interval=_QUIET)
        self.quiet.timeout.connect(self._learn)

    @property
    def is_open(self) -> bool:
        """Whether a sorting is shown."""
        return self.shown is not None and self.shown.found is not None

    # ---- which one

    def ask_which(self, link: QWidget, view: Condition, captures: int) -> None:
        """Ask which sorting is wanted: a new one of what is shown, or one that goes on.

        Args:
            link: under which a menu opens.
            view: what is shown.
            captures: how many are in it.
        """

        def offer(answer: tuple[list[Standing], list[str]]) -> None:
            menu = menu_of(self._stack)
            menu.addAction(f"Sort what is shown: {paint.counted(captures, 'capture')}", partial(self.begin, view))
            if answer[0]:
                menu.addSeparator()
            for one in answer[0]:
                left = one.trouble or f"{one.to_go:,} to go"
                action = menu.addAction(caption(f"Go on with {plain(one.name)}: {left}"), partial(self.open, one.id))
                action.setEnabled(not one.trouble)
            for bad in answer[1]:
                menu.addAction(caption(bad)).setEnabled(False)
            menu.popup(link.mapToGlobal(QPoint(0, link.height())))

        self._asks.lookup(lambda lookup: lookup.sortings.all(), offer)

    @property
    def _asks(self) -> Asks:
        return self._make_asks()

    def begin(self, view: Condition) -> None:
        """Sort a view by hand: a new sorting, or the one of that view that was begun."""
        self._asks.lookup(lambda lookup: lookup.sortings.begin(view), self.open)

    def open(self, id_: str) -> None:
        """Show a sorting."""
        self._asks.lookup(lambda lookup: lookup.sortings.open(id_), self._opened)

    def _opened(self, found: Sorted) -> None:
        shown, answers = self._made()
        record = found.bench.record
        shown.in_use, shown.by, shown.pile = list(record.folders), record.by, record.pile
        shown.twins = {}
        answers.forget()
        shown.take(found)
        shown.view.notify("")
        shown.to_pictures()
        self._stack.setCurrentWidget(shown.view)
        shown.view.grid.setFocus()
        if found.bad:
            shown.view.notify("Some of what was written down can't be read.", plain(found.bad[0]), brick=True)
        elif found.bench.stored:
            some = paint.counted(found.bench.stored, "capture is", "captures are")
            shown.view.notify(f"{some} stored away, and left out.", "Fetch them first to sort them, too.")
        self._ask_doubles()

    def _made(self) -> tuple[Shown, Answers]:
        if self.shown is None or self.answers is None:
            from jutrek.ui.pages.library.captioning import Captions
            from jutrek.ui.pages.library.sorting.answers import Answers, over_sorting
            from jutrek.ui.pages.library.sorting.shown import Shown
            from jutrek.ui.pages.library.sorting.view import SortingView
            from jutrek.ui.pages.library.turning import Turning

            view = SortingView(self._context.theme, self._context.pictures)
            self._stack.addWidget(view)
            self.shown = Shown(view, self)
            self.answers = Answers(self.shown, self._asks, self)
            surface = over_sorting(self.shown, self.answers, self._asks)
            self.captions = Captions(surface, self)
            turning = Turning(surface, view.closely, self._context.pictures, self)
            self.answers.restored.connect(turning.show_all_anew)
            self.answers.settled.connect(self._on_settled)
            self.answers.told.connect(self.renew)
            view.back.clicked.connect(self.leave)
            view.grid.left.connect(self.leave)
            view.end.clicked.connect(self._end)
            view.closely.wanted.connect(self._look_at)
        return self.shown, self.answers

    # ---- leaving

    def leave(self) -> None:
        """Back to the library: the sorting goes on whenever it is opened again."""
        if self.shown is None or self.shown.found is None:
            return
        id_, by, pile = self.shown.id, self.shown.by, self.shown.pile or ""
        self._asks.lookup(lambda lookup: lookup.sortings.look_at(id_, by, pile))
        self.forget()
        self._asks.shown()

    def forget(self) -> None:
        """No sorting is shown any more."""
        self.quiet.stop()
        self._stack.setCurrentIndex(0)
        if self.shown is not None:
            self.shown.found = None
            self.shown.view.closely.leave()
            self.shown.view.closely.forget()
            self.shown.view.clashes.hide()
        if self.captions is not None:
            self.captions.forget()

    def _end(self) -> None:
        """Be done with it; what was filed stays where it is."""
        if self.shown is not None and (id_ := self.shown.id):
            self.leave()
            self._asks.lookup(lambda lookup: lookup.sortings.end(id_))

    def back(self) -> None:
        """One step back: out of what is asked, up close, out of the folders, out of the sorting."""
        if self.shown is None:
            return
        view = self.shown.view
        if view.clashes.isVisible():
            view.clashes.nothing.click()
        elif view.captions.isVisible():
            view.captions.close_it()
        elif view.closely.is_open:
            view.closely.leave()
        elif QApplication.focusWidget() in (view.destination.field, view.cards):
            self.shown.to_pictures()
        else:
            self.leave()

    # ---- learning what changed

    def renew(self) -> None:
        """Show what was learnt since."""
        if self.shown is not None and self.shown.found is not None and self.answers is not None:
            id_, given = self.shown.id, self.answers.given
            self._asks.lookup(lambda lookup: lookup.sortings.open(id_), lambda found: self._renewed(found, given))

    def _renewed(self, found: Sorted, given: int) -> None:
        shown, answers = self.shown, self.answers
        if shown is None or answers is None or shown.found is None or found.bench.record.head.id != shown.id:
            return
        if shown.found.bench.under_way or answers.given != given:
            # What was answered meanwhile is not in it: it is opened anew when nothing is asked for.
            self._missed = True
            self.quiet.start()
            return
        shown.take(found)
        self._ask_doubles()

    def _on_settled(self) -> None:
        self._asks.lookup(lambda lookup: lookup.forgive())
        if self.is_open:
            self.quiet.start()
        else:
            self._asks.renew()

    def _learn(self) -> None:
        """Nothing was answered for a while: folders and piles are shown as they are on the disk."""
        missed, self._missed = self._missed, False
        if missed:
            self.renew()
        elif self.is_open:
            self._asks.renew()

    def _ask_doubles(self) -> None:
        self._asks.library(lambda at: at.doubles.known(), self._know_doubles, quiet=True)

    def _know_doubles(self, found: DoublesFound) -> None:
        from jutrek.sorting.pairs import twins_of

        if self.shown is not None and self.shown.found is not None:
            self.shown.twins = twins_of(self.shown.found.bench.columns, found.groups)
            self.shown.show()

    def _look_at(self, path: str) -> None:
        """Read what a file says that is looked at up close."""

        def looked(found: LookedAt) -> None:
            if self.shown is not None:
                self.shown.view.closely.take(path, found)

        self._asks.lookup(lambda lookup: lookup.views.details(path), looked)
