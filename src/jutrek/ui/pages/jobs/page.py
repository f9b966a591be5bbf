"""Ties the Jobs page to the library whose jobs it shows."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QStackedWidget, QWidget

from jutrek.desk import events
from jutrek.desk.jobs import JobSeen, JobsSeen, Said
from jutrek.desk.working_files import working_files
from jutrek.errors import CantStart, JutrekError, Stopped
from jutrek.jobs.blanks import JOB, OPERATOR
from jutrek.jobs.shelf import Kept
from jutrek.ui.pages.jobs.view import JobsView
from jutrek.ui.plainly import caption, plain
from jutrek.ui.shell.offers import Offer
from jutrek.ui.shell.page import Page
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.answers import TakenBack
    from jutrek.desk.jobs import Ahead
    from jutrek.desk.services.storing import Crossed
    from jutrek.desk.worker import Ticket
    from jutrek.desk.working_files import Next
    from jutrek.transfer.making import MadeRun
    from jutrek.transfer.starting import Started
    from jutrek.ui.pages.jobs.outlining import Outlining
    from jutrek.ui.shell.context import Context

_PAUSE = 120
"""Milliseconds without another key after which it is looked what would be made."""


class JobsPage(Page):
    """The Jobs page."""

    keys = (
        ("Tab, Shift+Tab", "the next blank, or the one before; in an outline, move lines in, or out"),
        ("Enter", "start the job; open the folder of the chosen one"),
        ("Left, Right, Up, Down", "walk steps, jobs and versions; Down also offers all that a blank takes"),
        ("PageUp, PageDown", "some jobs further"), ("Space", "take an optional part in, or out; do what is marked"),
        ("N", "the next version of the chosen working file"),
        ("Alt+Up, Alt+Down", "in an outline, move a line up, or down, with all that lies in it"),
        ("Esc", "leave the text of an outline"),
    )  # fmt: skip

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        view = self.view = JobsView(context.theme, context.pictures)
        self.stack = self.widget = QStackedWidget()
        self.stack.addWidget(view)
        self._outlining: Outlining | None = None
        self._root, self._seen, self._kept = "", None, None  # type: tuple[str, JobsSeen | None, Kept | None]
        self._with: set[str] = set()
        self._without: set[str] = set()
        self._looking: Ticket[Ahead] | None = None
        self._last_run, self._starting = "", False
        self._wanted = ""
        """The folder of the job that was started just now."""
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PAUSE)
        self._later.timeout.connect(self._look)
        view.changed.connect(self._change)
        view.started.connect(self.go)
        view.stopped.connect(self.stop)
        view.cleared.connect(self._clear)
        view.sentence.outlines_asked.connect(self._offer_outlines)
        view.stairs.wished.connect(self._wish)
        view.rows.chosen.connect(self._show_work)
        view.rows.opened.connect(self._open_folder)
        view.rows.asked.connect(self._offer_acts)
        view.work.next_wanted.connect(self._next_version)
        view.work.opened.connect(self._open_file)
        view.work.renaming.connect(self._rename)
        view.narrow.textChanged.connect(lambda _: self._show_work(view.rows.job))
        view.edited.connect(self._edit)
        view.brought.connect(self._bring_into)
        view.in_library.connect(self._show_in_library)
        QShortcut(QKeySequence("N"), view.work, self._next_of_chosen)
        context.client.on(events.BoardChanged, self._see_board)
        context.client.on(events.ChangedOutside, lambda _: self._read_if_shown())
        context.runs.ended.connect(lambda _: self._read_if_shown())

    # ---- what it is told

    def activated(self) -> None:
        self._read()
        self.view.sentence.take_focus()

    def go(self) -> None:
        """Start the job; or keep the outline that is being written."""
        if self._writes:
            self.outlining.keep()
            return
        said = self._said()
        if said is None or self._starting or not self.view.main.isEnabled():
            return
        said = replace(said, into=self.view.there)
        self._starting = True
        self.ask_library(lambda library: library.jobs.start(said), self._say_started, self._say_not_started)

    def undo(self) -> None:
        """Take back what was made last; in an outline, what was written last."""
        if self._writes:
            self.outline_view.written.undo()
            return
        run, self._last_run = self._last_run, ""
        if run:
            self.ask_library(lambda library: library.runs.take_back(run, frozenset()), self._say_taken_back)

    def redo(self) -> None:
        if self._writes:
            self.outline_view.written.redo()

    def save(self) -> None:
        if self._writes:
            self.outlining.keep()

    @property
    def _writes(self) -> bool:
        """Whether an outline is being written."""
        return self.stack.currentIndex() == 1

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        if self._writes and state:
            self.outline_view.bar.say(state, more, under, brick=brick)
        else:
            self.view.notify(state, more, under, brick=brick)

    def working(self, words: str, figures: str) -> None:
        self.view.show_working(words, figures)

    def offers(self, typed: str) -> Iterable[Offer]:
        seen = self._seen
        if seen is None:
            return
        for kept in seen.outlines:
            yield Offer("do", f"Start a {kept.name}", partial(self._start_a, kept))
        for number, one in enumerate(seen.jobs):
            yield Offer("job", one.placed.job.called, partial(self._go_to, number), one.placed.folder)

    def _start_a(self, kept: Kept) -> None:
        self.context.go_to("jobs")
        self._use(kept)

    def _go_to(self, number: int) -> None:
        self.context.go_to("jobs")
        self.view.rows.choose(number)

    def _see_board(self, event: events.BoardChanged) -> None:
        place = event.board.place
        before, self._root = self._root, place.root if place is not None else ""
        if before != self._root:
            self._seen = self._kept = None
            if self.shown:
                self._read()

    # ---- what there is

    def _read(self) -> None:
        if self._root:
            self.ask_lookup(lambda lookup: lookup.jobs(), self._know)

    def _read_if_shown(self) -> None:
        if self.shown:
            self._read()

    def _know(self, seen: JobsSeen) -> None:
        is_first, self._seen = self._seen is None, seen
        self.view.show_jobs(seen, self._root)
        if self._wanted:
            self.view.choose(self._wanted)
            self._wanted = ""
        self.say_figure(f"{len(seen.jobs):,}" if seen.jobs else "")
        names = {kept.name: kept for kept in seen.outlines}
        kept = names.get(self._kept.name) if self._kept is not None else None
        if kept is None:
            last = seen.jobs[0].placed.job.outline if seen.jobs else ""
            kept = names.get(last) or next(iter(seen.outlines), None)
        if kept is not None:
            self._use(kept)
        self._show_work(self.view.rows.job)
        if is_first and self.shown and not self._writes:
            self.view.sentence.take_focus()

    def _use(self, kept: Kept) -> None:
        """Ask for the blanks of an outline."""
        if self._kept is None or self._kept.name != kept.name:
            self._with, self._without = set(), set()
        self._kept = kept
        if self._seen is not None:
            self.view.show_outline(kept, self._seen)
        self._look()

    def _edit(self) -> None:
        """Write the outline that is open."""
        outlining = self.outlining
        self.stack.setCurrentIndex(1)
        outlining.open(self._kept, self._seen)

    @property
    def outlining(self) -> Outlining:
        """Where outlines are written; made when it is asked for."""
        if self._outlining is None:
            from jutrek.ui.pages.jobs.outline_view import OutlineView
            from jutrek.ui.pages.jobs.outlining import Outlining

            self.outline_view = OutlineView(self.context.theme)
            self.stack.addWidget(self.outline_view)
            self._outlining = Outlining(self, self.outline_view, self.ask_folder)
            self._outlining.ended.connect(self._end_writing)
        return self._outlining

    def _end_writing(self, name: str) -> None:
        self.stack.setCurrentIndex(0)
        if self._seen is not None and name:
            kept = next((one for one in self._seen.outlines if one.name == name), None)
            self._kept = kept or self._kept
        self._read()
        self.view.sentence.take_focus()

    def _offer_outlines(self, at: QWidget) -> None:
        menu = QMenu(at)
        for kept in self._seen.outlines if self._seen is not None else ():
            about = f" · {kept.outline.about}" if kept.outline is not None and kept.outline.about else ""
            trouble = " · can't be used as it is" if kept.trouble is not None else ""
            menu.addAction(caption(f"{kept.name}{about}{trouble}"), partial(self._use, kept))
        menu.popup(at.mapToGlobal(QPoint(0, at.height())))

    # ---- what would be made

    def _said(self) -> Said | None:
        said = self.view.sentence.said()
        return replace(said, with_=frozenset(self._with), without=frozenset(self._without)) if said else None

    def _change(self) -> None:
        self.view.notify("")
        self._later.start()

    def _wish(self, name: str) -> None:
        """Take an optional part in, or leave it out."""
        outline = self._kept.outline if self._kept is not None else None
        node = next((one for one in outline.optional if one.name == name), None) if outline is not None else None
        if node is None:
            return
        own = self._with if node.wished else self._without
        own.symmetric_difference_update({name})
        self._look()

    def _look(self) -> None:
        """Look what would be made; nobody waits for what was asked before."""
        said, kept = self._said(), self._kept
        if self._looking is not None:
            self._looking.give_up()
            self._looking = None
        session = self.context.client.session
        if said is None or kept is None or session is None:
            self.view.show_whole(None, "")
            return
        self._looking = session.ask_lookup(
            lambda lookup: lookup.what_it_makes(said, kept), self._show_ahead, self._show_lack
        )

    def _show_ahead(self, found: Ahead) -> None:
        whole, number, lack, there = found
        sentence = self.view.sentence
        said = sentence.said()
        typed = said is not None and JOB in said.values
        sentence.show_number(number)
        blanks = self._kept.outline.blanks if self._kept and self._kept.outline else {}
        choices = [f"{name}: one of {len(blank.choices)}" for name, blank in blanks.items() if blank.choices]
        first = f"{number} is the number you chose" if typed else f"{number} is the next free number"
        if lack is not None:
            sentence.say(str(lack), blank=lack.blank, trouble=True)
        elif there:
            sentence.say(
                f"{there} is there already. What is missing in it can be added; nothing is replaced.", trouble=True
            )
        else:
            sentence.say(" · ".join([first, *choices]))
        self.view.show_whole(whole, number, can_start=lack is None, there=bool(there))

    def _show_lack(self, error: JutrekError) -> None:
        if isinstance(error, Stopped):
            return
        self.view.show_whole(None, "")
        blank = error.blank if isinstance(error, CantStart) else ""
        self.view.sentence.say(str(error), blank=blank, trouble=True)

    def _clear(self) -> None:
        self._with, self._without = set(), set()
        self.view.notify("")
        self.view.sentence.clear()
        self.view.sentence.take_focus()

    # ---- what was made

    def _say_started(self, done: Started) -> None:
        self._starting = False
        self._last_run, self._wanted = done.made.run, done.placed.folder
        job = done.placed.job
        self.view.sentence.clear()
        left = len(done.made.left)
        stays = f"{counted(left, 'file was', 'files were')} there already, as before." if left else ""
        files = f"{counted(done.whole.folders, 'folder')} and {counted(done.whole.files, 'starter file')}"
        self.notify(
            f"Job {job.number} is started.",
            f"{files} in {done.placed.folder}. {stays}".strip(),
            "Ctrl+Z takes it back while nothing else lies in it.",
        )
        self._read()

    def _say_not_started(self, error: JutrekError) -> None:
        self._starting = False
        self.say_trouble(error)

    def _say_taken_back(self, back: TakenBack) -> None:
        outcome, left = back.outcome, back.left
        trouble = str(outcome.trouble) if outcome.trouble else left[0] if left else ""
        self.notify("Taken back." if not trouble else "Not all of it was taken back.", trouble, brick=bool(trouble))
        self._read()

    # ---- what lies in a job

    def _show_work(self, one: JobSeen | None) -> None:
        if one is not None:
            known = {job.placed.job.blanks.get(OPERATOR, "") for job in self.view.rows.jobs}
            self.view.show_work(working_files(one, [who for who in known if who]))

    def _path(self, below: str) -> str:
        job = self.view.rows.job
        return f"{job.placed.folder}/{below}" if job is not None else ""

    def _next_of_chosen(self) -> None:
        if (line := self.view.work.chosen) is not None:
            self._next_version(line.newest.path)

    def _next_version(self, below: str) -> None:
        path = self._path(below)
        if path:
            who = self.view.sentence.initials
            self.ask_library(lambda library: library.jobs.next_version(path, who), self._say_next)

    def _say_next(self, done: tuple[Next, MadeRun]) -> None:
        found, made = done
        self._last_run = made.run
        before = os.path.basename(found.newest)
        self.notify(f"{found.name} is there.", f"A copy of {before}, proven.", "Ctrl+Z takes it back.")
        self._read()

    def _rename(self, below: str, name: str) -> None:
        """Give a file the name that was proposed for it."""
        path = self._path(below)

        def say(run: str) -> None:
            self._last_run = run
            self.notify(f"{os.path.basename(path)} is called {name} now.", "", "Ctrl+Z takes it back.")
            self._read()

        if path:
            self.ask_library(lambda library: library.jobs.rename(path, name), say)

    def _open_file(self, below: str) -> None:
        self.context.show_file(os.path.join(self._root, self._path(below)))

    def _open_folder(self, one: JobSeen) -> None:
        self.context.show_file(os.path.join(self._root, one.placed.folder))

    def _bring_into(self, one: JobSeen) -> None:
        """Let what comes next land in a job."""

        def go(_: object) -> None:
            intake = self.context.go_to("intake")
            if isinstance(intake, Page):
                intake.notify(
                    f"What comes now goes into {plain(one.placed.job.called)}.", "Put a card in, or drop it here."
                )

        self.ask_intake(lambda intake: intake.set_job(one.placed.folder), go)

    def _store(self, one: JobSeen, drive: str) -> None:
        """Store a job away: proven on its drive, and only then gone from the library's root."""
        drive = drive or self.ask_folder("A folder on the drive that the job goes to")
        if drive:
            folder = one.placed.folder
            self.ask_library(lambda library: library.storing.store([folder], drive), self._say_crossed)

    def _fetch(self, one: JobSeen) -> None:
        folder = one.placed.folder
        self.ask_library(lambda library: library.storing.fetch([folder]), self._say_crossed)

    def _say_crossed(self, crossed: Crossed) -> None:
        files = counted(crossed.files, "file")
        self._last_run = crossed.runs[-1] if crossed.runs else ""
        self.notify(f"{files} lie where they were to lie.", crossed.why, brick=bool(crossed.why))
        self._read()

    def _show_in_library(self, one: JobSeen) -> None:
        self.context.look_into(one.placed.folder)

    def _offer_acts(self, one: JobSeen, at: QPoint) -> None:
        menu = QMenu(self.view.rows)
        menu.addAction("Open its folder", partial(self._open_folder, one))
        if not one.is_away:
            menu.addAction("Bring a card into it…", partial(self._bring_into, one))
        menu.addAction("Show in the library", partial(self._show_in_library, one))
        menu.addSeparator()
        if one.is_away or one.placed.drive:
            menu.addAction("Fetch it back from its drive", partial(self._fetch, one)).setEnabled(not one.is_away)
        else:
            drives = menu.addMenu("Store it away on")
            for name in self._seen.drives if self._seen is not None else ():
                drives.addAction(caption(name), partial(self._store, one, name))
            drives.addAction("A folder on another drive…", partial(self._store, one, ""))
        menu.popup(at)
