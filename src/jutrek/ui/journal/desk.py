"""Brings the Journal page to the window: makes it when it is first opened, and ties it to the session."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices

from jutrek.filing import OnChanged
from jutrek.ui import paint
from jutrek.ui.pagedesk import PageDesk
from jutrek.ui.theme import current

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.ui.journal.page import JournalPage
    from jutrek.ui.window import MainWindow


class JournalDesk(PageDesk):
    """The Journal page of a window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._page: JournalPage | None = None

    @property
    def page(self) -> JournalPage:
        """The page; made when it is opened for the first time."""
        if self._page is None:
            from jutrek.ui.journal.page import JournalPage

            page = self._page = JournalPage(current())
            self._window.pages.addWidget(page)
            page.opened.connect(lambda run: self._errand(lambda errands: errands.open_run(run), quiet=True))
            page.taken_back.connect(lambda run, only: self._errand(lambda errands: errands.take_back(run, only)))
            page.finished.connect(self._finish)
            page.reported.connect(lambda run: self._errand(lambda errands: errands.report(run)))
            page.certified.connect(self._show_certificate)
            page.emptied.connect(lambda: self._errand(lambda errands: errands.empty_taken_back()))
            page.stopped.connect(self._window.runs.stop)
            page.places.wanted.connect(self._do_at)
            page.places.added.connect(self._window.runs.choose_place)
        return self._page

    def open(self) -> None:
        """Show the page, and read the journal anew."""
        self._window.pages.setCurrentWidget(self.page)
        self.page.list.setFocus()
        self._errand(lambda errands: errands.tell_records())
        self._errand(lambda errands: errands.tell_places())

    def _finish(self, run: str) -> None:
        self._window.open_page(0)
        self._window.runs.finish(run)

    def _do_at(self, what: str, place: str) -> None:
        if what == "check":
            self._errand(lambda errands: errands.check(place))
        elif what == "mend":
            self._errand(lambda errands: errands.mend(place))
        elif what == "let go":
            self._errand(lambda errands: errands.let_go(place))
        else:
            right = OnChanged(what) if what in tuple(OnChanged) else None
            self._errand(lambda errands: errands.catch_up(place, right))

    def _show_certificate(self, path: str) -> None:
        place = self._window.page.board.place
        if place is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(os.path.join(place.root, path)))

    def hear(self, event: events.Event, *, running: bool) -> bool:
        """Hear what the session tells. Returns whether that is nobody else's matter.

        Args:
            running: whether files are being brought home; else what runs was begun here.
        """
        if self._page is None:
            return False
        from jutrek.desk import events

        page = self._page
        match event:
            case events.RecordsKnown(records):
                page.show_records(records)
            case events.RunOpened(run, files):
                page.show_files(run, files)
            case events.PlacesKnown(places):
                page.places.show_places(places)
                return False
            case events.TakenBack(outcome, left, became):
                told = outcome.remarks[0] if outcome.remarks and not outcome.home else ""
                words = told or f"{paint.counted(outcome.home, 'file')} {became}."
                stay = f"{paint.counted(len(left), 'file')} stay: {left[0]}" if left else ""
                trouble = str(outcome.trouble) if outcome.trouble else ""
                page.notify(words, stay, trouble, brick=bool(left or trouble))
            case events.TakenBackEmptied(runs):
                page.notify("Emptied.", f"What {paint.counted(runs, 'run')} had brought is in the trash of its drive.")
            case events.CheckEnded(name, checked):
                read = f"{paint.counted(checked.good + checked.first, 'file')} of {name} read back as proven."
                bad = f"{paint.counted(len(checked.bad), 'file')} rotted or gone." if checked.bad else ""
                page.notify(read, bad, checked.bad[0].mark.path if checked.bad else "", brick=bool(bad))
            case events.Mended(name, mended, left):
                more = f"{left:,} have no good copy anywhere." if left else "The bad ones are put aside."
                page.notify(f"{paint.counted(mended, 'file')} of {name} mended.", more, brick=bool(left))
            case events.CaughtUp(name, outcome):
                page.show_working("")
                words = f"{paint.counted(outcome.home + outcome.moved, 'file')} brought to {name}."
                page.notify(words, outcome.why, brick=bool(outcome.why))
            case events.Running(progress) if self.shown and not running:
                figures = f"{progress.files:,} of {progress.all_files:,} · {paint.size_words(progress.speed)}/s"
                page.show_working("Copying and proving.", figures)
            case events.Trouble(root, error) if self.shown and not root:
                self._say_trouble(error)
            case _:
                return False
        return True
