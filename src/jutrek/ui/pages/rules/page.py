"""Ties the House rules page to the library whose rules they are."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from jutrek.desk import events
from jutrek.desk.board import Board
from jutrek.filing.starting import STARTS
from jutrek.ui.pages.rules.menu import SECTIONS
from jutrek.ui.pages.rules.view import RulesView
from jutrek.ui.shell.offers import Offer
from jutrek.ui.shell.page import Page

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.desk.answers import HomeRead, Refiled
    from jutrek.desk.inboxes import WatchedFolder
    from jutrek.errors import JutrekError
    from jutrek.filing import HouseRules
    from jutrek.filing.refiling import Scope
    from jutrek.transfer.saying import Words
    from jutrek.ui.shell.context import Context


class RulesPage(Page):
    """The House rules page."""

    keys = (
        ("Up, Down", "another section, or another start"), ("Enter, Space", "open it; put a piece into the pattern"),
    )  # fmt: skip

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        view = self.view = self.widget = RulesView(context.theme, context.pictures.pool)
        self._home: HomeRead | None = None
        self._board = Board()
        view.kept.connect(self._keep)
        view.wanted_refiling.connect(self._plan_refiling)
        view.wanted_back.connect(self._plan_taking_back)
        view.refiled.connect(self._refile)
        view.said.connect(self._say)
        view.stopped.connect(self.stop)
        view.wanted_others.connect(self.choose_rules)
        view.wanted_export.connect(self.choose_file)
        view.forms.watched.connect(self._watch)
        view.forms.unwatched.connect(self._unwatch)
        context.client.on(events.RulesKnown, view.show_house)
        context.client.on(events.BoardChanged, self._show_board)

    def activated(self) -> None:
        self._try_on()
        self.view.menu.list.setFocus()
        self.ask_intake(lambda intake: intake.inboxes(), self._show_inboxes, quiet=True)

    def _try_on(self) -> None:
        """Have rules tried on the captures at hand: of the intake, else of the library, else made-up ones."""
        session = self.context.client.session
        if session is None:
            return
        if self._board.captures:
            self.view.try_on("the captures of this intake", session.facts)
        elif self._home is not None and self._home.home.facts:
            facts = self._home.home.facts
            self.view.try_on("what is home", lambda: facts)
        else:
            from jutrek.desk.examples import example_facts

            self.view.try_on("made-up captures, until some come in", example_facts)
            if self._board.place is not None and self._home is None:
                self.ask_library(lambda library: library.refiling.look_home(), self._show_home, quiet=True)

    def _show_board(self, event: events.BoardChanged) -> None:
        """Learn of a new board: rules are tried on its captures."""
        had, place = self._board.place, event.board.place
        self._board = event.board
        if (had.root if had else "") != (place.root if place else ""):
            self._home = None
        self.view.show_library(place.name if place else "")
        if self.shown and self._board.captures:
            self._try_on()

    def _show_home(self, home: HomeRead) -> None:
        self._home = home
        self.view.show_home(home)
        if self.shown and not self._board.captures:
            self._try_on()

    # ---- inboxes

    def _watch(self) -> None:
        """Ask for a folder, and watch it from now on."""
        if path := self.ask_folder("A folder that a phone or a sync program fills"):
            self.ask_intake(lambda intake: intake.add_inbox(path), self._show_inboxes)

    def _unwatch(self, root: str) -> None:
        self.ask_intake(lambda intake: intake.remove_inbox(root), self._show_inboxes)

    def _show_inboxes(self, inboxes: tuple[WatchedFolder, ...]) -> None:
        self.view.forms.show_inboxes(inboxes)

    # ---- rules

    def _keep(self, rules: HouseRules, devices: Sequence[Device]) -> None:
        def kept(_: None) -> None:
            self.notify("Kept.", "The Intake page goes by them; what is home stays where it is.")

        self.ask_library(lambda library: library.rules.keep(rules, devices), kept)

    def choose_rules(self) -> None:
        """Ask for another library, and show its rules."""
        path = self.ask_folder("The library to copy the rules from")
        if path:
            self.read_rules(path)

    def read_rules(self, path: str) -> None:
        """Show the rules of another library, or of a file."""
        from jutrek.filing.rulebook import rules_at

        def show(rules: HouseRules) -> None:
            self.view.edit(rules)
            self.notify("These are the other rules.", f"From {path}. Keep them, or drop these changes.")

        self.ask_aside(lambda: rules_at(path), show)

    def choose_file(self) -> None:
        """Ask for a file, and write the rules into it."""
        path, rules = self.ask_file("Write the rules", "house-rules.toml", "Rules (*.toml)"), self.view.rules
        if path:
            from jutrek.desk.saving import save_text
            from jutrek.filing.rulebook import rules_text

            self.ask_aside(
                lambda: save_text(path, rules_text(rules)),
                lambda _: self.notify("The rules are written.", os.path.basename(path)),
            )

    # ---- what is home

    def _plan_refiling(self, scope: Scope) -> None:
        if self._home is None:
            self.ask_library(lambda library: library.refiling.look_home(), self._show_home)
        self.ask_library(lambda library: library.refiling.plan(scope), self.view.show_planned)

    def _plan_taking_back(self) -> None:
        self.ask_library(lambda library: library.refiling.plan_taking_back(), self.view.show_planned)

    def _refile(self, only: frozenset[str]) -> None:
        def show(refiled: Refiled) -> None:
            self._home = None
            self.view.show_refiled(refiled)

        self.ask_library(lambda library: library.refiling.carry_out(only), show)

    def _say(self, captures: frozenset[str], words: Words) -> None:
        self.ask_library(lambda library: library.refiling.say(captures, words), self.view.show_said)

    # ---- what it is told

    def seek(self) -> bool:
        return self.view.forms.make_next()

    def offers(self, typed: str) -> Iterator[Offer]:
        for number, title in enumerate(SECTIONS):
            yield self._offer(title, partial(self.view.open_section, number), "section of the house rules")
            for field, words in self.view.forms.fields(number):
                yield self._offer(words, partial(self._go_to, number, field), title)
        for start in STARTS:
            yield self._offer(f"Start from: {start.words}", partial(self.view.start_from, start))

    def _offer(self, words: str, do: Callable[[], object], about: str = "") -> Offer:
        def go() -> None:
            self.context.go_to("rules")
            do()

        return Offer("rule", words, go, about)

    def _go_to(self, section: int, field: QWidget) -> None:
        self.view.open_section(section)
        field.setFocus()

    def save(self) -> None:
        self.view.keep_or_refile()

    def undo(self) -> None:
        self.view.undo()

    def redo(self) -> None:
        self.view.redo()

    def back(self) -> None:
        if self.view.refiling_open:
            self.view.open_section(0)

    def say_trouble(self, error: JutrekError) -> None:
        self.working("", "")
        super().say_trouble(error)

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        self.view.notify(state, more, brick=brick)

    def working(self, words: str, figures: str) -> None:
        self.view.show_working(words, figures)
