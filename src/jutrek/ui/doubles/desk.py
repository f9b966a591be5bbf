"""Brings the Doubles page to the window: makes it when it is first opened, and ties it to the session."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from jutrek.ui import paint
from jutrek.ui.pagedesk import PageDesk
from jutrek.ui.theme import current

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.desk.board import Board
    from jutrek.desk.errands import Errands
    from jutrek.transfer import Outcome
    from jutrek.transfer.tray import Trayed
    from jutrek.ui.doubles.page import DoublesPage
    from jutrek.ui.window import MainWindow


_NOTHING = (0, False, False)
"""What is known at the beginning, as `Learning` counts it: round, content, all."""


class DoublesDesk(PageDesk):
    """The Doubles page of a window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._page: DoublesPage | None = None
        self._learning: events.Learning | None = None
        self._fresh = _NOTHING
        self._library = ("", "")

    @property
    def page(self) -> DoublesPage:
        """The page; made when it is opened for the first time."""
        if self._page is None:
            from jutrek.ui.doubles.page import DoublesPage

            page = self._page = DoublesPage(current(), self._window.thumbnails)
            self._window.pages.addWidget(page)
            page.opened.connect(lambda key: self._errand(lambda errands: errands.open_group(key), quiet=True))
            page.carried_out.connect(lambda made: self._errand(lambda errands: errands.settle_doubles(made)))
            page.emptied.connect(lambda items: self._errand(lambda errands: errands.empty_tray(items)))
            page.taken_back.connect(self._take_back)
            page.paused.connect(lambda on: self._window.wish(lambda session: session.pause_learning(on)))
            page.stopped.connect(self._stop)
            page.show_library(self._library[1])
            if self._learning is not None:
                page.show_learning(self._learning)
        return self._page

    def open(self) -> None:
        """Show the page; doubles are looked for once all of the library is known."""
        self._window.pages.setCurrentWidget(self.page)
        self.page.focus_first()
        self._find_if_due()

    def show_board(self, board: Board) -> None:
        """Learn of a new board: of another library nothing is known yet."""
        library = (board.place.root, board.place.name) if board.place is not None else ("", "")
        if library != self._library:
            self._library, self._fresh = library, _NOTHING
            if self._page is not None:
                learning = self._learning
                self._page.show_library(library[1])
                if learning is not None:
                    self._page.show_learning(learning)
                self._find_if_due()

    def _stop(self) -> None:
        """End what is going on; when the page is opened again, doubles are looked for again."""
        self._fresh = _NOTHING
        self._window.runs.stop()
        self.page.notify("Stopped.", "What was compared is kept; open the page again to go on.")

    def _find_if_due(self) -> None:
        """Look for doubles, if more is known than when they were looked for."""
        now = self._learning
        known = (now.round, now.content, now.complete) if now is not None else _NOTHING
        if self.shown and now is not None and now.content and known > self._fresh:
            self._fresh = known
            self._errand(lambda errands: errands.find_doubles(), quiet=True)

    def _take_back(self, items: tuple[Trayed, ...]) -> None:
        """Take files of the tray back, run by run."""
        for run in dict.fromkeys(one.run for one in items):
            paths = frozenset(path for one in items if one.run == run for path in one.paths)
            whole = paths == {path for one in self.page.tray.items if one.run == run for path in one.paths}
            only = frozenset[str]() if whole else paths
            self._errand(partial(_taken_back, run=run, only=only))
        self._errand(lambda errands: errands.find_doubles(), quiet=True)

    def hear(self, event: events.Event, *, running: bool) -> bool:
        """Hear what the session tells. Returns whether that is nobody else's matter."""
        from jutrek.desk import events

        if isinstance(event, events.Learning):
            self._hear_learning(event)
            return True
        if self._page is None:
            return False
        page = self._page
        match event:
            case events.DoublesFound(groups, tray):
                page.show_doubles(groups, tray, self._library[0])
            case events.GroupOpened(key, files):
                page.show_facts(key, files)
            case events.SetAside(outcome):
                self._say_outcome(page, outcome)
            case events.TrayEmptied(emptied):
                why = next(iter(emptied.left.values()), "") or (str(emptied.trouble) if emptied.trouble else "")
                words = f"{paint.counted(emptied.files, 'file')} in the trash, {paint.size_words(emptied.size)}."
                more = why or "The Journal takes it back as long as the trash keeps it."
                page.notify(words, more, brick=bool(why))
            case events.TakenBack(outcome, left, _) if self.shown:
                stays = left[0] if left else outcome.failed[0].why if outcome.failed else ""
                page.notify(f"{paint.counted(outcome.home, 'file')} taken back.", stays, brick=bool(stays))
            case events.Trouble(root, error) if self.shown and not root:
                self._say_trouble(error)
            case _:
                return False
        return True

    def _say_outcome(self, page: DoublesPage, outcome: Outcome) -> None:
        words = f"{paint.counted(outcome.home, 'file')} set aside."
        stays = [done.why for done in outcome.failed] + ([str(outcome.trouble)] if outcome.trouble else [])
        stays += outcome.remarks
        more = stays[0] if stays else "They lie in the tray until you empty it."
        under = f"and {len(stays) - 1} more" if len(stays) > 1 else ""
        if outcome.run or stays:
            page.notify(words, more, under, brick=bool(stays))

    def _hear_learning(self, learning: events.Learning) -> None:
        """More is known: doubles are looked for, if somebody is there to see them."""
        self._learning = learning
        if self._page is not None:
            self._page.show_learning(learning)
        self._find_if_due()

    def end(self) -> None:
        """End the threads of the page."""
        if self._page is not None:
            self._page.end()


def _taken_back(errands: Errands, run: str, only: frozenset[str]) -> None:
    errands.take_back(run, only)
