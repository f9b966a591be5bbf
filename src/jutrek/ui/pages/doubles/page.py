"""Ties the Doubles page to the library whose doubles they are."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from jutrek.desk import events
from jutrek.ui import paint
from jutrek.ui.pages.doubles.view import DoublesView
from jutrek.ui.shell.offers import Offer
from jutrek.ui.shell.page import Page

if TYPE_CHECKING:
    from jutrek.desk.answers import DoublesFound, TakenBack
    from jutrek.desk.doubles import Decided, FileFacts
    from jutrek.desk.worker import Ticket
    from jutrek.doubles.degrees import Degree, Group
    from jutrek.transfer import Outcome
    from jutrek.transfer.tray import Emptied, Trayed
    from jutrek.ui.shell.context import Context


_NOTHING = (0, False, False)
"""What is known at the beginning, as `Learning` counts it: round, content, all."""


class DoublesPage(Page):
    """The Doubles page."""

    keys = (
        ("Enter", "this one stays, and the others of its group are set aside"), ("A", "all of the group stay"),
        ("Left, Right", "move the frame"), ("Up, Down", "another group"), ("Backspace", "ask about the group again"),
        ("Space, held", "swap the framed picture with the others"), ("+, −", "nearer, farther"),
    )  # fmt: skip

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        view = self.view = self.widget = DoublesView(context.theme, context.pictures)
        self._learning: events.Learning | None = None
        self._fresh = _NOTHING
        self._library = ("", "")
        self._opening: Ticket[tuple[FileFacts, ...]] | None = None
        view.opened.connect(self._open)
        view.carried_out.connect(self._carry_out)
        view.emptied.connect(self._empty)
        view.taken_back.connect(self._take_back)
        view.paused.connect(self._pause)
        view.stopped.connect(self._stop)
        view.counted.connect(self._show_figure)
        context.client.on(events.BoardChanged, self._see_board)
        context.client.on(events.Learning, self._hear_learning)
        context.client.on(events.DoublesCounted, self._hear_counted)

    def activated(self) -> None:
        """Doubles are looked for once all of the library is known."""
        self.view.focus_first()
        self._find_if_due()

    def _see_board(self, event: events.BoardChanged) -> None:
        """Learn of a new board: of another library nothing is known yet."""
        place = event.board.place
        library = (place.root, place.name) if place is not None else ("", "")
        if library != self._library:
            self._library, self._fresh = library, _NOTHING
            self.view.show_library(library[1])
            if self._learning is not None:
                self.view.show_learning(self._learning)
            self._find_if_due()

    def _hear_learning(self, learning: events.Learning) -> None:
        """More is known: doubles are looked for, if somebody is there to see them."""
        self._learning = learning
        self.view.show_learning(learning)
        self._find_if_due()

    def _hear_counted(self, counted: events.DoublesCounted) -> None:
        if not self.shown:
            self._show_figure(counted.groups)

    def _show_figure(self, groups: int) -> None:
        self.say_figure(f"{groups:,}" if groups else "")

    def _find_if_due(self) -> None:
        """Look for doubles, if more is known than when they were looked for."""
        now = self._learning
        known = (now.round, now.content, now.complete) if now is not None else _NOTHING
        if self.shown and now is not None and now.content and known > self._fresh:
            self._fresh = known
            self._find()

    def _find(self) -> None:
        self.ask_library(lambda library: library.doubles.find(), self._show_doubles, quiet=True)

    def _show_doubles(self, found: DoublesFound) -> None:
        self.view.show_doubles(found.groups, found.tray, self._library[0])

    def _open(self, group: Group) -> None:
        """Show what tells the files of a group apart. One that was chosen before is no longer wanted."""
        if self._opening is not None:
            self._opening.give_up()
        self._opening = self.ask_lookup(
            lambda lookup: lookup.facts_of(group), lambda files: self.view.show_facts(group.key, files)
        )

    def _stop(self) -> None:
        """End what is going on; when the page is opened again, doubles are looked for again."""
        self._fresh = _NOTHING
        self.stop()
        self.notify("Stopped.", "What was compared is kept; open the page again to go on.")

    def _pause(self, paused: bool) -> None:
        self.notify("")
        if self.context.client.session is not None:
            self.context.client.session.pause_learning(paused)

    # ---- setting aside, and the tray

    def _carry_out(self, decided: Decided) -> None:
        self.ask_library(lambda library: library.doubles.settle(decided), self._say_set_aside)

    def _say_set_aside(self, outcome: Outcome) -> None:
        words = f"{paint.counted(outcome.home, 'file')} set aside."
        stays = [done.why for done in outcome.failed] + ([str(outcome.trouble)] if outcome.trouble else [])
        stays += outcome.remarks
        more = stays[0] if stays else "They are kept for a last look, at the top right."
        under = f"and {len(stays) - 1} more" if len(stays) > 1 else ""
        if outcome.run or stays:
            self.notify(words, more, under, brick=bool(stays))
        self._find()

    def _empty(self, items: tuple[Trayed, ...]) -> None:
        self.ask_library(lambda library: library.doubles.empty_tray(items), self._say_emptied)

    def _say_emptied(self, emptied: Emptied) -> None:
        why = next(iter(emptied.left.values()), "") or (str(emptied.trouble) if emptied.trouble else "")
        words = f"{paint.counted(emptied.files, 'file')} in the trash, {paint.size_words(emptied.size)}."
        more = why or "The Journal takes it back as long as the trash keeps it."
        self.notify(words, more, brick=bool(why))
        self.ask_library(lambda library: library.doubles.known(), self._show_doubles, quiet=True)

    def _take_back(self, items: tuple[Trayed, ...]) -> None:
        """Take files of the tray back, run by run."""
        for run in dict.fromkeys(one.run for one in items):
            paths = frozenset(path for one in items if one.run == run for path in one.paths)
            whole = paths == {path for one in self.view.tray.items if one.run == run for path in one.paths}
            self._take_run_back(run, frozenset() if whole else paths)
        self._find()

    def _take_run_back(self, run: str, only: frozenset[str]) -> None:
        self.ask_library(lambda library: library.runs.take_back(run, only), self._say_taken_back)

    def _say_taken_back(self, back: TakenBack) -> None:
        stays = back.left[0] if back.left else back.outcome.failed[0].why if back.outcome.failed else ""
        self.notify(f"{paint.counted(back.outcome.home, 'file')} taken back.", stays, brick=bool(stays))

    # ---- what it is told

    def narrowings(self) -> Iterator[Offer]:
        for degree, chip in self.view.list.chips.items():
            yield Offer("only", chip.text(), partial(self._choose, degree), "groups of doubles")

    def offers(self, typed: str) -> Iterator[Offer]:
        yield from self.narrowings()
        view = self.view
        if self.shown and not view.on_tray and view.list.group() is not None:
            yield Offer("do", "Ask about this group again", view.reopen, "", "Backspace")
            yield Offer("do", "Frame the next one", lambda: view.frame_file(view.frame + 1), "of the group", "Right")
            yield Offer("do", "Frame the one before", lambda: view.frame_file(view.frame - 1), "of the group", "Left")
            yield Offer("do", "Nearer", lambda: view.pair.magnify(1.25), "all pictures of the group", "+")
            yield Offer("do", "Farther", lambda: view.pair.magnify(1 / 1.25), "all pictures of the group", "−")

    def _choose(self, degree: Degree) -> None:
        self.context.go_to("doubles")
        self.view.list.choose_degree(degree)

    def go(self) -> None:
        self.view.go()

    def undo(self) -> None:
        self.view.undo()

    def back(self) -> None:
        if self.view.on_tray:
            self.view.open_tray(False)

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        self.view.notify(state, more, under, brick=brick)

    def working(self, words: str, figures: str) -> None:
        self.view.show_working(words, figures)
