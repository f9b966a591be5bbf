"""The intake session: what a face needs of an intake, kept by one thread of its own. No Qt.

All work (reading, comparing, planning, bringing home) is done one job after the other by the session's thread, which
alone owns the captures, the plan and the ledger. A face calls the public methods from any thread, which only queue a
job, set a flag or look at what cannot change, and hears of everything through events.
"""

from __future__ import annotations

import errno
import logging
import os
import queue
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from jutrek.captures import Capture, assign
from jutrek.desk import events
from jutrek.desk.board import Board, Place
from jutrek.desk.closer import CloseView, close_view
from jutrek.desk.drawing_up import build
from jutrek.desk.intake import Found, make_captures, plan_of, read_source
from jutrek.desk.settings import remember_library
from jutrek.errors import (
    JutrekError,
    LibraryMissing,
    OurFault,
    PlanUnusable,
    SourceRefused,
    SourceUnreadable,
    Stopped,
    reason,
)
from jutrek.filing import Action, HouseRules, Plan
from jutrek.library import Library, apart, open_library
from jutrek.sources import Source, known_source
from jutrek.transfer import Done, Listener, Outcome, Progress, bring, recover

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_EVENT_EVERY = 0.05
_BOARD_EVERY = 0.4
_JUST_PROVEN = 6

_log = logging.getLogger(__name__)

Job = Callable[[], None]


class IntakeSession:
    """One intake: its sources, its library, its board, its run."""

    def __init__(self, tell: Callable[[events.Event], None], rules: HouseRules | None = None) -> None:
        """
        Args:
            tell: hears every event, on the session's thread.
        """
        self._tell = tell
        self._rules = rules or HouseRules()
        self._jobs: queue.SimpleQueue[Job | None] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._closed = False
        self._library: Library | None = None
        self._ledger: Ledger | None = None
        self._founds: dict[str, Found] = {}
        self._captures: list[Capture] = []
        self._plan: Plan | None = None
        self._results: dict[str, Done] = {}
        self._last: dict[type, float] = {}
        self._plans_wanted = self._stops = 0
        self._drawing_took = 0.0
        self._thread = threading.Thread(target=self._work, name="intake", daemon=True)
        self._thread.start()

    def open_library(self, path: str, *, remember: bool = False) -> None:
        """Use the folder at `path` as the library; clears up after a run that did not end.

        Args:
            remember: whether the next start shall begin with it.
        """
        self._jobs.put(lambda: self._open(path, remember=remember))
        self._want_plan()

    def open_demo(self, path: str) -> None:
        """Make the demo at `path` if it is not there, and use its library and sources."""
        self._jobs.put(lambda: self._make_demo(path))

    def add_source(self, path: str) -> None:
        """Read a card or folder, and plan anew."""
        self._jobs.put(lambda: self._read(path))
        self._want_plan()

    def remove_source(self, root: str) -> None:
        """Leave a source out of this intake."""
        self._jobs.put(lambda: self._remove(root))
        self._want_plan()

    def use_rules(self, rules: HouseRules) -> None:
        """Plan by other rules."""
        self._jobs.put(lambda: setattr(self, "_rules", rules))
        self._want_plan()

    def save_plan(self, path: str) -> None:
        """Write the plan as it stands to a file; the event `Saved` follows."""
        self._jobs.put(lambda: self._save(path))

    def bring_home(self) -> None:
        """Carry out the plan."""
        number = self._stops
        self._jobs.put(lambda: self._bring(number))

    def close_view(self, capture: str) -> CloseView | None:
        """Everything that is known of a capture, at once: it is put together from the captures as they stand."""
        found = next((one for one in self._captures if one.id == capture), None)
        return close_view(found) if found is not None else None

    def stop(self) -> None:
        """End what is going on, safely, and a run that waits to begin. The event that it ended follows."""
        self._stops += 1
        self._stop.set()

    def close(self) -> None:
        """Stop, and wait for the thread to end."""
        self._closed = True
        self._stop.set()
        self._jobs.put(None)
        self._thread.join()

    def _work(self) -> None:
        while (job := self._jobs.get()) is not None:
            if self._closed:
                continue
            self._stop.clear()
            try:
                job()
            except Stopped:
                self._tell(events.Working(""))
            except JutrekError as error:
                self._tell(events.Working(""))
                self._tell(events.Trouble("", error))
            # The session must outlive an error of our own: the person sees it, and can go on or close the window.
            except Exception as error:  # noqa: BLE001
                _log.exception("A job of the intake session failed.")
                self._tell(events.Working(""))
                self._tell(events.Trouble("", OurFault(error)))
        if self._ledger is not None:
            self._ledger.close()

    def _open(self, path: str, *, remember: bool) -> None:
        if self._ledger is not None:
            self._ledger.close()
            self._ledger = self._library = self._plan = None
        library = open_library(path)
        # Here, on the session's own thread: importing the database takes longer than showing a window.
        from jutrek.library.ledger import Ledger

        self._ledger = Ledger(library.ledger_path)
        self._library = library
        if remember:
            remember_library(library.root)
        self._results.clear()
        self._read_again_what_overlaps(library)
        leftovers = recover(library)
        if leftovers:
            self._tell(events.Found(tuple(leftovers)))

    def _read_again_what_overlaps(self, library: Library) -> None:
        """A source that was read before the library was chosen may hold it, or lie in it."""
        for root in list(self._founds):
            try:
                overlaps = bool(apart(root, library))
            except SourceRefused:
                overlaps = True
            if overlaps:
                del self._founds[root]
                self._read(root)

    def _make_demo(self, path: str) -> None:
        from jutrek.demo import build as build_demo

        try:
            scenario = build_demo(path, lambda what: self._tell(events.Working(f"Making the demo: {what}")))
        except OSError as error:
            raise LibraryMissing(path, reason(error)) from error
        self.open_library(scenario.library)
        for source in scenario.sources:
            self.add_source(source)

    def _read(self, path: str) -> None:
        root = os.path.abspath(path)
        if root in self._founds:
            return
        try:
            if not os.path.isdir(root):
                raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR))
            source = known_source(root)
        except OSError as error:
            self._tell(events.Trouble(root, SourceUnreadable(root, error)))
            return
        self._founds[root] = Found(source)
        self._publish()
        try:
            self._founds[root] = read_source(
                source,
                self._library,
                stop=self._stop,
                report=lambda done, total: self._often(events.Reading(root, done, total), last=done == total),
            )
        except Stopped:
            del self._founds[root]
            self._publish()
            raise
        except JutrekError as error:
            del self._founds[root]
            self._tell(events.Trouble(root, error))
        self._captures = make_captures(list(self._founds.values()))
        self._publish()

    def _remove(self, root: str) -> None:
        if self._founds.pop(root, None) is not None:
            self._captures = make_captures(list(self._founds.values()))
            self._plan = None
            self._publish()

    def _want_plan(self) -> None:
        """Queue a plan; of several that wait only the last is made."""
        self._plans_wanted += 1
        number = self._plans_wanted
        self._jobs.put(lambda: self._make_plan() if number == self._plans_wanted else None)

    def _make_plan(self) -> None:
        if self._library is None or self._ledger is None:
            self._publish()
            return
        self._plan = plan_of(
            list(self._founds.values()),
            self._captures,
            self._library,
            self._ledger,
            self._rules,
            stop=self._stop,
            report=lambda what, done, total: self._often(events.Working(what, done, total)),
        )
        self._tell(events.Working(""))
        self._publish()

    def _save(self, path: str) -> None:
        if self._plan is None:
            return
        try:
            with open(path, "w", encoding="utf-8") as file:
                file.write(self._plan.as_json() + "\n")
        except OSError as error:
            raise PlanUnusable(path, f"it could not be written: {reason(error)}") from error
        self._tell(events.Saved(path))

    def _bring(self, number: int) -> None:
        if number != self._stops:
            self._tell(events.Ended(Outcome(trouble=Stopped())))
            return
        if self._plan is None or self._library is None or self._ledger is None:
            raise PlanUnusable("", "it is not made yet")
        failed = [path for path, done in self._results.items() if not done.home]
        for path in failed:
            del self._results[path]
        just: list[str] = []

        def on_done(done: Done) -> None:
            if not done.untouched:
                self._results[done.row.source] = done
            if done.home:
                just.insert(0, done.row.destination or "")
                del just[_JUST_PROVEN:]

        def on_progress(progress: Progress) -> None:
            self._tell(events.Running(progress, tuple(just)))
            # A board of very many captures takes a while to draw up: then it is drawn up less often.
            if time.monotonic() - self._last.get(Board, 0.0) > max(_BOARD_EVERY, 10 * self._drawing_took):
                self._publish()

        outcome = bring(
            self._plan, self._library, self._ledger, stop=self._stop, listener=Listener(on_done, on_progress)
        )
        try:
            if not self._closed:
                self._stop.clear()
                self._make_plan()
        finally:
            self._tell(events.Ended(outcome))

    def _often(self, event: events.Event, *, last: bool = False) -> None:
        """Tell an event unless one of its kind was told just now."""
        now = time.monotonic()
        if last or now - self._last.get(type(event), 0.0) > _EVENT_EVERY:
            self._last[type(event)] = now
            self._tell(event)

    def _publish(self) -> None:
        began = time.monotonic()
        by_root: dict[str, list[Capture]] = {root: [] for root in self._founds}
        for capture in self._captures:
            if capture.primary.file.root in by_root:
                by_root[capture.primary.file.root].append(capture)
        sources: list[Source] = [found.source for found in self._founds.values()]
        plan = self._plan
        planned = {row.source for row in plan.rows} if plan else set[str]()
        if plan and any(capture.id not in planned for capture in self._captures):
            plan = None
        board = build(
            sources, self._captures, assign(sources, by_root), plan, self._results, self._existing(plan), self._place()
        )
        self._last[Board] = time.monotonic()
        self._drawing_took = self._last[Board] - began
        self._tell(events.BoardChanged(board))

    def _place(self) -> Place | None:
        if self._library is None:
            return None
        try:
            room = os.statvfs(self._library.root)
        except OSError:
            return Place(self._library.name, self._library.root, 0, 0)
        return Place(
            self._library.name, self._library.root, room.f_bavail * room.f_frsize, room.f_blocks * room.f_frsize
        )

    def _existing(self, plan: Plan | None) -> frozenset[str]:
        if plan is None:
            return frozenset()
        homes = {os.path.dirname(row.destination) for row in plan.rows if row.destination and row.action is Action.HOME}
        folders = {os.path.dirname(row.destination) for row in plan.rows if row.destination}
        return frozenset(homes | {path for path in folders if os.path.isdir(os.path.join(plan.library, path))})
