"""Brings the House rules page to the window: makes it when it is first opened, and ties it to the session."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from jutrek.desk.board import Board
from jutrek.ui.pagedesk import PageDesk
from jutrek.ui.theme import current

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.ui.rules.page import RulesPage
    from jutrek.ui.window import MainWindow


class RulesDesk(PageDesk):
    """The House rules page of a window, and what is known of rules before it is opened."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._page: RulesPage | None = None
        self._known: events.RulesKnown | None = None
        self._home: events.HomeRead | None = None
        self._board = Board()

    @property
    def page(self) -> RulesPage:
        """The page; made when it is opened for the first time."""
        if self._page is None:
            from jutrek.ui.rules.page import RulesPage

            page = self._page = RulesPage(current())
            wish = self._window.wish
            self._window.pages.addWidget(page)
            page.kept.connect(lambda rules, devices: wish(lambda session: session.keep_rules(rules, devices)))
            page.wanted_refiling.connect(lambda scope: wish(lambda session: session.plan_refiling(scope)))
            page.wanted_back.connect(lambda: wish(lambda session: session.plan_taking_back()))
            page.refiled.connect(lambda only: wish(lambda session: session.refile(only)))
            page.refiling.said.connect(lambda captures, words: wish(lambda session: session.say(captures, words)))
            page.stopped.connect(self._window.runs.stop)
            page.wanted_others.connect(self.choose_rules)
            page.wanted_export.connect(self.choose_file)
            if self._known is not None:
                page.show_house(self._known)
            page.show_library(self._board.place.name if self._board.place else "")
        return self._page

    def open(self) -> None:
        """Show the page."""
        self._window.pages.setCurrentWidget(self.page)
        self._try_on()
        self.page.menu.list.setFocus()

    def _try_on(self) -> None:
        """Have rules tried on the captures at hand: of the intake, else of the library, else made-up ones."""
        session = self._window.session
        if session is None:
            return
        if self._board.captures:
            self.page.try_on("the captures of this intake", session.facts)
        elif self._home is not None and self._home.home.facts:
            facts = self._home.home.facts
            self.page.try_on("what is home", lambda: facts)
        else:
            from jutrek.desk.examples import example_facts

            self.page.try_on("made-up captures, until some come in", example_facts)
            if self._board.place is not None and self._home is None:
                session.look_home()

    def choose_rules(self) -> None:
        """Ask for another library, and show its rules."""
        from PySide6.QtWidgets import QFileDialog

        path = QFileDialog.getExistingDirectory(self._window, "The library to copy the rules from")
        if path:
            self._window.wish(lambda session: session.read_rules(path))

    def choose_file(self) -> None:
        """Ask for a file, and write the rules into it."""
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getSaveFileName(self._window, "Write the rules", "house-rules.toml", "Rules (*.toml)")
        if path:
            rules = self.page.rules
            self._window.wish(lambda session: session.export_rules(rules, path))

    def show_board(self, board: Board) -> None:
        """Learn of a new board: rules are tried on its captures."""
        had, place = self._board.place, board.place
        self._board = board
        if (had.root if had else "") != (place.root if place else ""):
            self._home = None
        if self._page is not None:
            self._page.show_library(place.name if place else "")
            if self.shown and board.captures:
                self._try_on()

    def hear(self, event: events.Event, *, running: bool) -> bool:
        """Hear what the session tells. Returns whether that is nobody else's matter.

        Args:
            running: whether files are being brought home; else what runs is a re-filing.
        """
        from jutrek.desk import events

        match event:
            case events.RulesKnown():
                self._hear_rules(event)
            case events.RulesRead(rules, path):
                self.page.edit(rules)
                self.page.notify("These are the other rules.", f"From {path}. Keep them, or put yours back.")
            case events.HomeRead():
                self._home = event
                if self._page is not None:
                    self._page.show_home(event)
                    if self.shown and not self._board.captures:
                        self._try_on()
            case events.RefilingPlanned():
                self.page.show_planned(event)
            case events.WordsSaid():
                self.page.show_said(event)
            case events.Refiled():
                self._home = None
                self.page.show_refiled(event)
            case events.Running(progress) if self.shown and not running:
                self.page.show_working("Moving.", f"{progress.files:,} of {progress.all_files:,}")
            case events.Saved(path) if self.shown:
                self.page.notify("The rules are written.", os.path.basename(path))
            case events.Trouble(root, error) if self.shown and not root:
                self._say_trouble(error)
            case _:
                return False
        return True

    def _hear_rules(self, known: events.RulesKnown) -> None:
        was_known, self._known = self._known, known
        if self._page is not None:
            self._page.show_house(known)
            if self.shown and was_known is not None and not known.trouble:
                self._page.notify("Kept.", "The Intake page goes by them; what is home stays where it is.")
        if known.trouble:
            self._window.page.notify("The rules file is broken.", known.trouble, brick=True)

    def end(self) -> None:
        """End the page's thread."""
        if self._page is not None:
            self._page.end()
            self._page = None
