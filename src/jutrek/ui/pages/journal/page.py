"""Ties the Journal page to the library whose journal it is."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING

from jutrek.desk import events
from jutrek.filing import OnChanged
from jutrek.ui import paint
from jutrek.ui.pages.journal.records import figures_of
from jutrek.ui.pages.journal.view import JournalView
from jutrek.ui.shell.offers import Offer
from jutrek.ui.shell.page import Page

if TYPE_CHECKING:
    from jutrek.desk.answers import CaughtUp, CheckEnded, Mended, TakenBack
    from jutrek.desk.records import FileRecord, Record
    from jutrek.desk.worker import Ticket
    from jutrek.ui.shell.context import Context


class JournalPage(Page):
    """The Journal page."""

    keys = (("Up, Down", "another run"), ("Shift+Up, Shift+Down", "choose several of its files"))

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        view = self.view = self.widget = JournalView(context.theme)
        self._root = ""
        self._offered: tuple[Record, ...] = ()
        """The runs that offers were made of."""
        self._offers: list[Offer] = []
        self._opening: Ticket[tuple[FileRecord, ...]] | None = None
        view.opened.connect(self._open)
        view.taken_back.connect(self._take_back)
        view.finished.connect(self._finish)
        view.reported.connect(self._report)
        view.certified.connect(self._show_certificate)
        view.emptied.connect(self._empty)
        view.stopped.connect(self.stop)
        view.places.wanted.connect(self._do_at)
        view.places.added.connect(self.choose_place)
        context.client.on(events.RecordsKnown, lambda event: view.show_records(event.records))
        context.client.on(events.PlacesKnown, lambda event: view.places.show_places(event.places))
        context.client.on(events.BoardChanged, self._see_board)
        context.runs.ended.connect(self._see_ended)

    def activated(self) -> None:
        self.view.list.setFocus()
        self._read()
        self.ask_library(lambda library: library.places.tell())

    def seek(self) -> bool:
        if not self.view.list.rows.records and self._root:
            self._read()
        return False

    def offers(self, typed: str) -> Iterable[Offer]:
        rows = self.view.list.rows
        if self._offered is not rows.records:
            self._offered, self._offers = rows.records, [self._offer(number) for number in range(len(rows.records))]
        return self._offers

    def _offer(self, number: int) -> Offer:
        rows = self.view.list.rows
        record = rows.records[number]
        about = f"{rows.moment_words(number)} · {figures_of(record)}"
        return Offer("run", f"{record.title} {record.about}".strip(), partial(self._go_to, record.run), about)

    def _go_to(self, run: str) -> None:
        self.context.go_to("journal")
        self.view.list.choose(run)

    def _read(self) -> None:
        """Read the journal anew."""
        self.ask_lookup(lambda lookup: lookup.tell_records())

    def _see_ended(self, _: object) -> None:
        if self.shown:
            self._read()

    def _see_board(self, event: events.BoardChanged) -> None:
        place = event.board.place
        before, self._root = self._root, place.root if place is not None else ""
        if self.shown and before != self._root:
            self._read()

    def _open(self, run: str) -> None:
        """Show the files of a run; one that was chosen before, and is waited for, is wanted no more."""
        if self._opening is not None:
            self._opening.give_up()
        self._opening = self.ask_lookup(
            lambda lookup: lookup.files_of(run), lambda files: self.view.show_files(run, files)
        )

    def _finish(self, run: str) -> None:
        self.context.go_to("intake")
        self.context.runs.finish(run)

    def _take_back(self, run: str, only: frozenset[str]) -> None:
        self.ask_library(lambda library: library.runs.take_back(run, only), self._say_taken_back)

    def _say_taken_back(self, back: TakenBack) -> None:
        outcome, left = back.outcome, back.left
        told = outcome.remarks[0] if outcome.remarks and not outcome.home else ""
        words = told or f"{paint.counted(outcome.home, 'file')} {back.became}."
        stay = f"{paint.counted(len(left), 'file stays', 'files stay')}: {left[0]}" if left else ""
        trouble = str(outcome.trouble) if outcome.trouble else ""
        self.notify(words, stay, trouble, brick=bool(left or trouble))
        self._read()

    def _empty(self) -> None:
        def say(runs: int) -> None:
            self.notify("Emptied.", f"What {paint.counted(runs, 'run')} had brought is in the trash of its drive.")

        self.ask_library(lambda library: library.runs.empty_taken_back(), say)

    def _report(self, run: str) -> None:
        self.ask_library(
            lambda library: library.runs.report(run),
            self.context.show_file,
        )

    def _show_certificate(self, path: str) -> None:
        if self._root:
            self.context.show_file(os.path.join(self._root, path))

    # ---- places

    def _do_at(self, what: str, place: str) -> None:
        do: dict[str, Callable[[str], None]] = {"check": self._check, "mend": self._mend, "let go": self._let_go}
        if what in do:
            do[what](place)
            return
        right = OnChanged(what) if what in tuple(OnChanged) else None
        self.ask_library(lambda library: library.places.catch_up(place, right), self._say_caught_up)

    def _check(self, place: str) -> None:
        def say(ended: CheckEnded) -> None:
            checked = ended.checked
            read = f"{paint.counted(checked.good + checked.first, 'file')} of {ended.name} read back, as they were."
            bad = f"{paint.counted(len(checked.bad), 'file')} rotted or gone." if checked.bad else ""
            self.notify(read, bad, checked.bad[0].mark.path if checked.bad else "", brick=bool(bad))

        self.ask_library(lambda library: library.checks.check(place), say)

    def _mend(self, place: str) -> None:
        def say(ended: Mended) -> None:
            more = f"{ended.left:,} have no good copy anywhere." if ended.left else "The bad ones are put aside."
            self.notify(f"{paint.counted(ended.mended, 'file')} of {ended.name} mended.", more, brick=bool(ended.left))

        self.ask_library(lambda library: library.checks.mend(place), say)

    def _let_go(self, place: str) -> None:
        self.ask_library(lambda library: library.checks.let_go(place), lambda _: self._read())

    def _say_caught_up(self, caught_up: CaughtUp) -> None:
        outcome = caught_up.outcome
        words = f"{paint.counted(outcome.home + outcome.moved, 'file')} brought to {caught_up.name}."
        self.notify(words, outcome.why, brick=bool(outcome.why))
        self._read()

    # ---- what it is told

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        self.view.notify(state, more, under, brick=brick)

    def working(self, words: str, figures: str) -> None:
        self.view.show_working(words, figures)
