"""Ties the Intake page to the intake that it shows."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from datetime import date
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from jutrek.desk import events
from jutrek.desk.events import Who
from jutrek.desk.settings import last_size, remember_size
from jutrek.errors import JutrekError, LibraryBusy
from jutrek.ui.pages.intake.capture_cell import STEPS
from jutrek.ui.pages.intake.cards import Cards
from jutrek.ui.pages.intake.jobs import IntakeJobs
from jutrek.ui.pages.intake.offers import IntakeOffers
from jutrek.ui.pages.intake.runs import Runs
from jutrek.ui.pages.intake.view import IntakeView
from jutrek.ui.plainly import plain
from jutrek.ui.shell.page import Page

if TYPE_CHECKING:
    from jutrek.captures import Change
    from jutrek.desk.details import CaptureDetails
    from jutrek.desk.questions import Effect
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.offers import Offer


class IntakePage(Page):
    """The Intake page.

    Attributes:
        view: what is shown.
        runs: what runs have to do with it.
        cards: what cards and drives have to do with it.
    """

    keys = (
        ("Up, Down, Left, Right", "walk days, captures and shares"),
        ("Enter", "open a day or a burst, show a share alone; prove or eject a card, bring a backup what it lacks"),
        ("Space", "the chosen capture up close; again closes"), ("F2", "say what a shoot was; name a device"),
        ("Delete", "set captures aside; leave a source out"), ("Ctrl++, Ctrl+-", "larger or smaller pictures"),
        ("Menu", "all that can be done with a card or a backup"),
    )  # fmt: skip

    minds = (Who.INTAKE, Who.LIBRARY)

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._awaits = False
        """Whether what is said is that another Jutrek has the library."""
        view = self.view = self.widget = IntakeView(context.theme, context.pictures)
        view.details = self._details
        self.runs = Runs(self, view)
        self.cards = Cards(self, view)
        self._offers = IntakeOffers(view, context.go_to, self.size_pictures)
        self._size = last_size()
        view.show_size(self._size)
        for by, keys in ((1, ("Ctrl++", "Ctrl+=")), (-1, ("Ctrl+-",))):
            for one in keys:
                shortcut = QShortcut(QKeySequence(one), view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
                shortcut.activated.connect(partial(self.size_pictures, by))
        view.wanted_source.connect(self.add)
        view.wanted_library.connect(self.choose_library)
        view.wanted_demo.connect(self.look_at_demo)
        view.removed_source.connect(self.remove_source)
        view.decided.connect(self.decide)
        view.answered.connect(self._answer)
        view.accepted_certain.connect(self._accept_certain)
        view.wondered.connect(self._wonder)
        view.set_days.connect(self._set_days)
        view.saved.connect(self.choose_plan_file)
        view.stopped.connect(self._stop)
        self._jobs = IntakeJobs(context, view, self.ask_lookup, self.ask_intake, self)
        view.copies.added.connect(self.choose_place)
        view.copies.forgotten.connect(self._forget_place)
        view.copies.caught_up.connect(self._catch_up)
        for kind, hear in (
            (events.BoardChanged, self._show_board),
            (events.Reading, lambda event: view.show_reading(event.root, event.files, event.all_files)),
            (events.Silent, lambda event: view.show_silent(event.root, event.seconds)),
            (events.Looking, lambda event: view.show_meanwhile("comparing pictures", event.done, event.total)),
            (events.Hearing, lambda event: view.show_meanwhile("listening to recordings", event.done, event.total)),
            (events.TakenUp, self._say_taken_up),
            (events.InboxTold, self._say_inbox),
            (events.RulesKnown, self._see_rules),
            (events.PlacesKnown, lambda event: view.copies.show_states(event.places)),
            (events.Trouble, lambda event: self.say_trouble(event.error)),
        ):
            context.client.on(kind, hear)

    @property
    def last_stop(self) -> QWidget:
        return self.view.action_bar.main

    def size_pictures(self, by: int) -> None:
        """Show pictures by so many steps larger, or smaller; it is remembered."""
        size = max(0, min(self._size + by, len(STEPS) - 1))
        if size != self._size and (session := self.context.client.session) is not None:
            self._size = size
            self.view.show_size(size)
            session.ask_aside(lambda: remember_size(size), None, self.say_trouble)

    # ---- sources and the library

    def make_ahead(self) -> None:
        self.view.when.make_ahead()

    def add(self) -> None:
        """Ask for a folder, and add it."""
        if path := self.ask_folder("Add a card or folder"):
            self.add_source(path)

    def add_source(self, path: str) -> None:
        """Add a card or folder."""
        self.ask_intake(lambda intake: intake.add_source(path))

    def take(self, paths: Sequence[str]) -> None:
        for path in paths:
            self.add_source(path)

    def hover(self, over: bool) -> None:
        self.view.from_column.drop.show_over(over)

    def remove_source(self, root: str) -> None:
        """Leave a source out of this intake."""
        self.ask_intake(lambda intake: intake.remove_source(root))

    def look_at_demo(self) -> None:
        """Make the demo where this person's data lie, and open it."""
        import platformdirs

        self.notify("")
        if (session := self.context.client.session) is not None:
            path = os.path.join(platformdirs.user_data_dir("jutrek"), "demo")
            session.open_demo(path, trouble=self.say_trouble)

    def _forget_place(self, id_: str) -> None:
        self.ask_library(lambda library: library.places.forget(id_))

    def _catch_up(self, id_: str) -> None:
        self.ask_library(lambda library: library.places.catch_up(id_), self.runs.say_caught_up)

    # ---- what is decided

    def decide(self, changes: Sequence[Change]) -> None:
        """Decide something. It can be taken back."""
        self.ask_intake(lambda intake: intake.change(*changes), soon=True)

    def _answer(self, question: str, number: int) -> None:
        self.ask_intake(lambda intake: intake.answer(question, number), soon=True)

    def _accept_certain(self) -> None:
        self.ask_intake(lambda intake: intake.accept_certain(), soon=True)

    def _wonder(self, question: str) -> None:
        self.ask_intake(lambda intake: intake.preview(question), self._show_effect, soon=True, quiet=True)

    def _show_effect(self, effect: Effect | None) -> None:
        if effect is not None and self.view.settling:
            self.view.settle.show_effect(effect)

    def _set_days(self, starts: int, gap: int, zone: int | None, journeys: tuple[tuple[date, int], ...]) -> None:
        self.ask_intake(
            lambda intake: intake.set_days(day_starts=starts, gap=gap, zone=zone, journeys=journeys), soon=True
        )

    def undo(self) -> None:
        words = self.view.board.can_undo
        if words and not self.context.runs.running:
            self.ask_intake(lambda intake: intake.undo(), soon=True)
            self.notify(f"Taken back: {words}.", "Ctrl+Shift+Z does it again.")

    def redo(self) -> None:
        words = self.view.board.can_redo
        if words and not self.context.runs.running:
            self.ask_intake(lambda intake: intake.redo(), soon=True)
            self.notify(f"Done again: {words}.", "Ctrl+Z takes it back.")

    # ---- the plan, and the run

    def choose_plan_file(self) -> None:
        """Ask for a file, and write the plan into it."""
        if self.view.board.plan is None or self.context.runs.running:
            return
        if path := self.ask_file("Save the plan", "intake.plan.json", "Plans (*.plan.json)"):
            self.ask_intake(
                lambda intake: intake.save_plan(path),
                lambda path: self.notify("The plan is saved.", os.path.basename(path)),
            )

    def save(self) -> None:
        self.choose_plan_file()

    def go(self) -> None:
        self.runs.bring_home()

    def _stop(self) -> None:
        if self.context.runs.running:
            self.runs.stop()
        else:
            self.view.action_bar.say("Stopping.", "")
            self.stop()

    # ---- what it is told

    def say_trouble(self, error: JutrekError) -> None:
        super().say_trouble(error)
        self._awaits = isinstance(error, LibraryBusy)

    def _show_board(self, event: events.BoardChanged) -> None:
        self.view.show_board(event.board)
        self.say_figure(f"{event.board.to_settle:,} to settle" if event.board.to_settle else "")
        if self._awaits and event.board.place is not None:
            # Another Jutrek has left it.
            self._awaits = False
            self.notify("")

    def _details(self, capture: str) -> CaptureDetails | None:
        session = self.context.client.session
        return session.details(capture) if session is not None else None

    def _say_taken_up(self, _: events.TakenUp) -> None:
        more = "What you had decided holds again; Ctrl+Z takes it back."
        self.notify("Taken up where you left off.", more)

    def _say_inbox(self, told: events.InboxTold) -> None:
        if not self.context.runs.running:
            self.notify(plain(told.words), brick=told.is_trouble)

    def _see_rules(self, known: events.RulesKnown) -> None:
        if known.trouble:
            self.notify("The rules file is broken.", known.trouble, brick=True)

    def seek(self) -> bool:
        return self._offers.prepare()

    def offers(self, typed: str) -> Iterator[Offer]:
        return self._offers.all(typed)

    def narrowings(self) -> Iterator[Offer]:
        return self._offers.narrowings()

    def back(self) -> None:
        self.view.show_all()

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        self.view.notify(state, more, under, brick=brick)

    def working(self, words: str, figures: str) -> None:
        self.view.show_working(words, figures)
