"""A session: an intake, a library, and what is looked up, each on a thread of its own. No Qt.

- The **intake's** thread owns the captures, what is decided about them, the plan and the board; it reads sources and
  compares them.
- The **library's** thread owns the library: everything that moves, proves, checks or removes files of it.
- The **lookup's** thread reads the journal and what tells doubles apart, whatever the others do.

Each has a connection of its own to the ledger, which can be read while it is written. A face asks for jobs from its own
thread and hears there what comes of them; what concerns everybody it hears as events.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Mapping
from functools import partial
from typing import TYPE_CHECKING, TypeVar

from jutrek.desk import events
from jutrek.desk.answers import AfterRun
from jutrek.desk.events import Who
from jutrek.desk.hub import Hub, Teller
from jutrek.desk.services.opened import IntakeSide
from jutrek.desk.services.side import LibrarySide
from jutrek.desk.watchman import Watchman
from jutrek.desk.worker import LATE, Ticket, Urgency, Worker
from jutrek.errors import JutrekError, LibraryMissing, NoAnswer, reason, shown

if TYPE_CHECKING:
    from jutrek.desk.details import CaptureDetails
    from jutrek.desk.services.intake import IntakeService
    from jutrek.desk.services.library import LibraryServices
    from jutrek.desk.services.lookup import LookupService
    from jutrek.filing.facts import Facts
    from jutrek.library import Library
    from jutrek.sources import Drive, Watch
    from jutrek.transfer import Control, Outcome

_T = TypeVar("_T")
_Answer = Callable[[_T], None] | None
_Trouble = Callable[[JutrekError], None] | None


class Session:
    """What a face talks to.

    Attributes:
        hub: where events are heard.
    """

    def __init__(self, hub: Hub) -> None:
        """
        Args:
            hub: passes events on; whatever is heard is brought to the face's thread by its `post`.
        """
        self.hub = hub
        self._watchman = Watchman(lambda: self._workers, self._disks, self._let_go, self._tell_late)
        self._intake_worker, self._lookup_worker = self._worker(Who.INTAKE), self._worker(Who.LOOKUP)
        self._library = self._library_side()
        self._intake: IntakeService | None = None
        self._left: IntakeService | None = None
        self._lookup: LookupService | None = None
        self._looks_in: Library | None = None
        self._late_for: dict[str, int] = {}
        self._over = threading.Event()
        self._watch: Watch | None = None
        self._begin_work()
        self._watchman.start()

    @property
    def _workers(self) -> tuple[Worker, Worker, Worker]:
        return self._library.worker, self._intake_worker, self._lookup_worker

    def _worker(self, who: Who) -> Worker:
        worker = Worker(Teller(self.hub, who), self.hub.post, lambda error: self.hub.tell(events.Trouble("", error)))
        worker.begins = self._watchman.nudge
        return worker

    def _begin_work(self) -> None:
        """Start the workers that do not run yet. When intake or library rests, the other looks what it can do."""
        library = self._library.worker
        self._intake_worker.rests, library.rests = library.nudge, self._intake_worker.nudge
        for worker in self._workers:
            if not worker.alive:
                worker.start()

    def _library_side(self) -> LibrarySide:
        worker = self._worker(Who.LIBRARY)
        return LibrarySide(worker, self._intake_side(worker), self._look_up_in)

    def _intake_side(self, library: Worker) -> IntakeSide:
        def told(what: Callable[[IntakeService], None]) -> None:
            # Of one that was left behind nothing is heard.
            if not library.closing:
                self._intake_worker.ask(lambda: what(self._intake_here()), urgency=Urgency.NOW)

        return IntakeSide(
            done=lambda done: told(lambda intake: intake.take(done)),
            places=lambda places: told(lambda intake: intake.know_places(places)),
            released=lambda released: told(lambda intake: intake.know_released(released)),
            redraw=lambda always: told(lambda intake: intake.redraw(always)),
            changed=lambda: told(lambda intake: intake.learn_changes()),
            reread=lambda root: told(lambda intake: intake.reread(root)),
            rules=lambda rules, devices: told(lambda intake: intake.use_rules(rules, devices)),
            knows=lambda content, looks, learnt: told(lambda intake: intake.know_library(content, looks, learnt)),
            busy=lambda: self._intake_worker.busy,
        )

    def _intake_here(self) -> IntakeService:
        """The intake; made on its own thread, where importing what it needs holds up nobody."""
        if self._intake is None:
            from jutrek.desk.services.intake import IntakeService

            self._intake = self._intake_worker.idle = IntakeService(self._intake_worker, self._library)
            self._intake.paused = not self._library.learns
            left, self._left = self._left, None
            if left is not None:
                self._intake.take_over(left)
        return self._intake

    # ---- asking

    def ask_intake(
        self,
        job: Callable[[IntakeService], _T],
        answer: _Answer[_T] = None,
        trouble: _Trouble = None,
        *,
        soon: bool = False,
    ) -> Ticket[_T]:
        """Ask for something of the intake.

        Args:
            job: what is to be done, on the intake's thread.
            answer, trouble: hear what came of it, on the face's thread.
            soon: before what else waits, and also while a source is being read.
        """
        urgency = Urgency.SOON if soon else Urgency.TURN
        return self._intake_worker.ask(lambda: job(self._intake_here()), answer, trouble, urgency=urgency)

    def ask_library(
        self, job: Callable[[LibraryServices], _T], answer: _Answer[_T] = None, trouble: _Trouble = None
    ) -> Ticket[_T]:
        """Ask for something of the library; `LibraryMissing` is the trouble where there is none."""
        return self._library.worker.ask(self._library.job(job), answer, trouble)

    def ask_lookup(
        self, job: Callable[[LookupService], _T], answer: _Answer[_T] = None, trouble: _Trouble = None
    ) -> Ticket[_T]:
        """Look something up; `LibraryMissing` is the trouble where there is no library."""
        return self._lookup_worker.ask(lambda: job(self._looked_up_in()), answer, trouble)

    def ask_aside(self, job: Callable[[], _T], answer: _Answer[_T] = None, trouble: _Trouble = None) -> Ticket[_T]:
        """Have something done that needs neither, such as reading a file."""
        return self._lookup_worker.ask(job, answer, trouble)

    def bring_home(
        self, after: AfterRun | None = None, answer: _Answer[Outcome] = None, trouble: _Trouble = None
    ) -> Ticket[Outcome]:
        """Carry out the plan of the intake; `after` says what is done behind it, where that is not as usual."""
        return self._begin(lambda intake, over: intake.bring(after or AfterRun(), over), answer, trouble)

    def finish(
        self, run: str, after: AfterRun | None = None, answer: _Answer[Outcome] = None, trouble: _Trouble = None
    ) -> Ticket[Outcome]:
        """Bring home what a run left.

        Args:
            run: its id.
            after: what comes when it has ended.
            answer: hears the outcome.
            trouble: hears what kept it from that.
        """
        return self._begin(lambda intake, over: intake.finish(run, after or AfterRun(), over), answer, trouble)

    def _begin(
        self,
        job: Callable[[IntakeService, threading.Event], Outcome],
        answer: _Answer[Outcome],
        trouble: _Trouble,
    ) -> Ticket[Outcome]:
        over = self._over = threading.Event()
        return self._intake_worker.ask(lambda: job(self._intake_here(), over), answer, trouble)

    @property
    def control(self) -> Control | None:
        """What steers the run that is at work; None without a library."""
        services = self._library.services
        return services.runs.control if services is not None else None

    def facts(self) -> list[Facts]:
        """The facts of the intake's captures as they stand."""
        return self._intake.facts() if self._intake is not None else []

    def details(self, capture: str) -> CaptureDetails | None:
        """Everything that is known of a capture, at once."""
        return self._intake.details(capture) if self._intake is not None else None

    # ---- what is beside it

    @property
    def learns(self) -> bool:
        """Whether doubles are looked for, and recordings listened to, while nothing else is to be done."""
        return self._library.learns

    @learns.setter
    def learns(self, learns: bool) -> None:
        self._library.learns = learns
        if self._intake is not None:
            self._intake.paused = not learns

    def pause_learning(self, paused: bool) -> None:
        """Pause looking at the library's files, or go on; the event `Learning` follows."""
        self.ask_library(lambda at: at.learner.pause(paused))
        self.ask_intake(lambda intake: intake.pause(paused), soon=True)

    def open_demo(self, path: str, answer: _Answer[tuple[str, ...]] = None, trouble: _Trouble = None) -> None:
        """Make the demo at `path` if it is not there, and use its library and sources."""
        self.ask_intake(partial(self._make_demo, path), answer, trouble)

    def _make_demo(self, path: str, intake: IntakeService) -> tuple[str, ...]:
        from jutrek.demo import build as build_demo
        from jutrek.desk.furnishing import furnish

        teller = self._intake_worker.teller
        try:
            scenario = build_demo(path, lambda what: teller.working(f"Making the demo: {what}"))
        except OSError as error:
            raise LibraryMissing(path, reason(error)) from error
        furnish(scenario.library, scenario.place)
        intake.open_library(scenario.library)
        for source in scenario.sources:
            self.ask_intake(lambda intake, source=source: intake.add_source(source))  # type: ignore[misc]
        return tuple(scenario.sources)

    def watch_drives(self) -> None:
        """Tell from now on when cards and drives come and go."""
        from jutrek.sources import Watch

        self._watch = Watch(self._on_drives)

    def _on_drives(self, drives: list[Drive]) -> None:
        """Called by the thread that watches."""
        from jutrek.sources import is_card

        self.hub.tell(events.DrivesChanged(tuple((drive, is_card(drive)) for drive in drives)))
        if self._library.services is not None:
            self.ask_library(lambda at: at.places.look())

    def _look_up_in(self, library: Library | None) -> None:
        self._looks_in = library
        self._lookup_worker.ask(self._close_lookup)

    def _looked_up_in(self) -> LookupService:
        """What looks things up in the library that is open; made when something is asked for the first time."""
        if self._lookup is None:
            if self._looks_in is None:
                raise LibraryMissing("", "there is none yet: choose one first")
            from jutrek.desk.services.lookup import LookupService

            self._lookup_worker.about = shown(self._looks_in.name)
            self._lookup = LookupService(self._looks_in, self._lookup_worker.teller, self._lookup_worker.stop)
        return self._lookup

    def _close_lookup(self) -> None:
        lookup, self._lookup = self._lookup, None
        if lookup is not None:
            lookup.close()

    # ---- disks that hang

    def _disks(self) -> dict[str, str]:
        """The roots of the library, its places and the sources, with their names."""
        services, intake, opening = self._library.services, self._intake, self._library.opening
        found = {opening: os.path.basename(opening)} if opening else {}
        if services is not None:
            found = {services.library.root: services.library.name}
            found |= {place.root: place.name for place in services.places.known.here}
        found |= intake.sources() if intake is not None else {}
        return {root: shown(name) for root, name in found.items()}

    def _tell_late(self, hanging: Callable[[], Mapping[str, str]]) -> bool:
        """Tell of sources that do not answer, once a second. Returns whether there are any."""
        late = self._intake.late if self._intake is not None else ()
        silent = {reader.root: reader.silence() for reader in late if not reader.over.is_set()}
        whole = {root: int(seconds) if seconds >= LATE else 0 for root, seconds in silent.items()}
        if whole != self._late_for:
            at_fault = hanging()
            for root, seconds in whole.items():
                # It may be the library that holds up who reads a source.
                if self._late_for.get(root) != seconds and (not at_fault or root in at_fault):
                    self.hub.tell(events.Silent(root, seconds))
            self._late_for = whole
        return bool(late)

    def _let_go(self, worker: Worker, error: NoAnswer) -> None:
        """Leave a worker behind that hangs, and what it has open. Called by the watchman.

        A library that hangs is let go, and so is one on which the intake hangs; what was read and decided stays.
        """
        if worker.who is Who.LOOKUP:
            self._leave_lookup()
        else:
            if worker.who is Who.INTAKE:
                self._leave_intake()
            self._leave_library(error)
        self._begin_work()
        worker.abandon(error)
        if worker.who is not Who.LOOKUP:
            self._intake_worker.ask(lambda: self._intake_here().use_side(self._library), urgency=Urgency.NOW)

    def _leave_lookup(self) -> None:
        left, self._lookup_worker = self._lookup_worker, self._worker(Who.LOOKUP)
        lookup, self._lookup = self._lookup, None
        if lookup is not None:
            left.left = lookup.close

    def _leave_intake(self) -> None:
        left, self._intake_worker = self._intake_worker, self._worker(Who.INTAKE)
        intake, self._intake = self._intake, None
        self._left = intake or self._left
        if intake is not None:
            left.left = intake.close

    def _leave_library(self, error: NoAnswer) -> None:
        left, self._library = self._library, self._library_side()
        self._library.learns, left.worker.left = left.learns, left.close
        self._look_up_in(None)
        left.worker.abandon(error)

    # ---- ending

    def stop(self, *who: Who) -> None:
        """End what is going on, safely, and a run that waits to begin.

        Args:
            who: is to stop; everybody where nobody is named.
        """
        if not who or Who.INTAKE in who:
            self._over.set()
        for worker in self._workers:
            if not who or worker.who in who:
                worker.stop.set()

    def end(self) -> None:
        """Stop, and tell nothing any more. It waits for nobody: the threads end as soon as they can."""
        self.hub.close()
        self._watchman.end()
        if self._watch is not None:
            self._watch.end()
        self._over.set()
        for worker in self._workers:
            worker.end()

    def close(self, patience: float | None = None) -> bool:
        """End, and wait for the threads; ledgers are closed behind them.

        Args:
            patience: seconds to wait at most. Whoever hangs on a disk then is left behind with what it has open: what
                its journal tells is cleared up the next time, and its lock ends with this process.

        Returns:
            Whether all have ended.
        """
        self.end()
        until = None if patience is None else time.monotonic() + patience
        for worker, close in zip(
            self._workers, (self._library.close, self._close_intake, self._close_lookup), strict=True
        ):
            if worker.join(None if until is None else max(0.0, until - time.monotonic())):
                close()
        return not any(worker.alive for worker in self._workers)

    def _close_intake(self) -> None:
        if self._intake is not None:
            self._intake.close()
