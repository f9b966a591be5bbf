"""An intake: its sources, what is decided about them, its plan, its run. One thread owns it.

What is done with the library itself is asked of the thread that owns that; what comes of it is told back here.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date
from functools import partial
from typing import TYPE_CHECKING

from jutrek.captures import Change, Heard
from jutrek.desk import drafts, events
from jutrek.desk.answers import AfterRun
from jutrek.desk.board import Storage
from jutrek.desk.details import CaptureDetails, details_of
from jutrek.desk.history import Step
from jutrek.desk.inboxes import WatchedFolder
from jutrek.desk.listening import Ears
from jutrek.desk.questions import Effect
from jutrek.desk.saving import save_text
from jutrek.desk.services.side import LibrarySide
from jutrek.desk.services.sources import SourcesService
from jutrek.desk.storage import storage_at
from jutrek.desk.story import as_objects
from jutrek.desk.workbench import Workbench
from jutrek.desk.worker import Worker
from jutrek.errors import LibraryBusy, PlanUnusable, Stopped, shown
from jutrek.filing import HouseRules
from jutrek.filing.planner import all_facts
from jutrek.library import keep_devices
from jutrek.sources import Drive, mount
from jutrek.transfer import Done, Outcome

if TYPE_CHECKING:
    from jutrek.desk.reader import Reader
    from jutrek.desk.services.library import LibraryServices
    from jutrek.filing.facts import Facts
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.certificate import Certificate

_MANY = 5000
"""Captures from which on a change takes longer than a blink."""
_BOARD_EVERY = 0.4
_ASK_AGAIN = 2.0
"""Seconds after which a library is asked for again in which another Jutrek is at work."""


class IntakeService:
    """One intake. All of it runs on its worker's thread, but for `facts` and `details`, which only look."""

    def __init__(self, worker: Worker, library: LibrarySide) -> None:
        self._worker, self._library = worker, library
        self._tell = worker.teller.tell
        self._bench = Workbench()
        self._sources = SourcesService(
            self._bench, worker, self._publish, lambda: self.redraw(False), self._listen, self._want_plan
        )
        self._ears = Ears(self._tell, self._on_heard)
        self._ledger: Ledger | None = None
        self._plans_wanted = 0
        self._plan_due = self._looks_due = False
        self._knows = (False, False)
        self._drawn = self._drawing_took = 0.0
        self._redraws = False
        self._awaited: tuple[str, bool, float] | None = None
        """A library in which another Jutrek is at work, whether it was chosen, and when it is asked for again."""
        self.paused = True
        """Whether recordings are listened to, and pictures compared, while nothing else is to be done."""

    # ---- the library, and the sources

    def open_library(self, path: str, *, chosen: bool = False) -> None:
        """Use the library at `path`, and go on with the intake that was in work there.

        Args:
            path: of its folder.
            chosen: whether a person chose the folder just now.

        Raises:
            LibraryTrouble: when it cannot be used; then there is none. One in which another Jutrek is at work is
                opened as soon as that has ended.
        """
        self.close()
        self._bench.use_library(None, None)
        self._awaited = None
        try:
            services = self._worker.have_done(
                self._library.worker, lambda: self._library.open(path, chosen=chosen), to_the_end=True
            )
        except LibraryBusy:
            self._awaited = path, chosen, time.monotonic() + _ASK_AGAIN
            raise
        from jutrek.library.ledger import Ledger

        library = services.library
        self._worker.about = shown(library.name)
        self._ledger = Ledger(library.ledger_path)
        self._bench.use_house(services.rules.now)
        self._bench.use_library(library, self._ledger)
        self._publish()
        self._sources.take_up(library)
        self._sources.keep_inboxes(services.rules.now)
        self._want_plan()
        if services.leftovers:
            self._tell(events.Found(services.leftovers))

    def use_side(self, library: LibrarySide) -> None:
        """The library was let go, as it does not answer: another one is asked from now on, once it is chosen."""
        self._library, self._awaited = library, None
        self.close()
        self._plan_due = self._looks_due = False
        self._bench.use_library(None, None)
        self._publish()

    def take_over(self, left: IntakeService) -> None:
        """Go on with what one read and decided that was left behind."""
        late = [reader.root for reader in left.late]
        for root in late:
            left.give_up(root)
        self._bench.take_over(left._bench)
        for root in late:
            # What kept it may have been the library that was let go.
            self._worker.ask(partial(self.add_source, root))

    def give_up(self, root: str) -> None:
        """Wait no longer for a source that does not answer."""
        self._sources.give_up(root)

    @property
    def late(self) -> tuple[Reader, ...]:
        """What reads sources that do not answer."""
        return self._sources.late

    def sources(self) -> dict[str, str]:
        """The roots of its sources, with their names."""
        return {root: found.source.name for root, found in dict(self._bench.founds).items()}

    def close(self) -> None:
        """Close the ledger."""
        if self._ledger is not None:
            self._ledger.close()
        self._sources.leave_inboxes()
        self._ledger = self._sources.library = None

    def add_source(self, path: str) -> None:
        """Read a card or folder, and plan anew."""
        try:
            self._sources.read(path)
        finally:
            self._want_plan()

    def add_drive(self, drive: Drive) -> None:
        """Read a card that appeared, mounting it first if need be, and plan anew."""
        self.add_source(drive.mount or mount(drive))

    def remove_source(self, root: str) -> None:
        """Leave a source out of this intake."""
        self._sources.remove(root)
        self._want_plan()

    def inboxes(self) -> tuple[WatchedFolder, ...]:
        """This person's inboxes of the library."""
        return self._sources.inboxes()

    def add_inbox(self, path: str) -> tuple[WatchedFolder, ...]:
        """Watch a folder from now on. Returns this person's inboxes of the library.

        Raises:
            LibraryTrouble: when it can't be one, or no library is open.
        """
        return self._sources.add_inbox(path)

    def remove_inbox(self, root: str) -> tuple[WatchedFolder, ...]:
        """Watch a folder no longer; nothing in it changes. Returns and raises as `add_inbox`."""
        found = self._sources.remove_inbox(root)
        self._want_plan()
        return found

    def reread(self, root: str) -> None:
        """A source has other files on it than before."""
        if self._sources.read_again(root):
            self._make_plan()

    # ---- what is decided

    def change(self, *changes: Change) -> None:
        """Decide something. It can be taken back."""
        if not changes:
            return
        self._say_busy()
        if self._bench.decide(changes):
            self._publish()
            self._sources.keep_draft()

    def answer(self, question: str, number: int) -> None:
        """Give a question one of its answers."""
        doubt = self._bench.doubt(question)
        if doubt is not None and number < len(doubt.answers):
            self.change(doubt.answers[number].change)

    def accept_certain(self) -> None:
        """Give every question whose proposal is certain that answer, in one step."""
        self.change(*self._bench.certain_answers())

    def preview(self, question: str, number: int = 0) -> Effect | None:
        """What an answer would change; None where that cannot be told now."""
        return self._bench.effect(question, number)

    def undo(self) -> None:
        """Take back what was decided last."""
        if self._bench.history.undo():
            self._refresh()

    def redo(self) -> None:
        """Decide again what was taken back last."""
        if self._bench.history.redo():
            self._refresh()

    def set_job(self, folder: str) -> None:
        """Let all that comes land in a job, and be said of it; in none where the folder is empty.

        Args:
            folder: of the job, relative to the library.

        Raises:
            NotPossible: when the folder is of no job, or no captures land in it.
        """
        from jutrek.desk.jobs import step_into

        bench, library = self._bench, self._sources.library
        if library is not None:
            bench.history.take(step_into(library, bench.history.now, bench.house, folder))
            self._refresh()

    def set_days(self, *, day_starts: int, gap: int, zone: int | None, journeys: tuple[tuple[date, int], ...]) -> None:
        """Let days start at another time, shoots part at another gap, and other zones hold; all in minutes.

        Args:
            day_starts: minutes behind midnight.
            gap: between two shoots.
            zone: the house's distance from UTC; None: this machine's zone.
            journeys: days, each with the distance from UTC that holds from then on.
        """
        now = self._bench.history.now
        rules = replace(now.rules, day_starts=day_starts, gap=gap, zone=zone, journeys=journeys)
        self._bench.history.take(Step(now.decisions, rules, "days and zones"))
        self._refresh()

    def use_rules(self, rules: HouseRules, devices: bool) -> None:
        """Other house rules hold; and devices are called otherwise, where that is said."""
        self._bench.use_house(rules)
        self._sources.keep_inboxes(rules)
        if devices:
            self._bench.learn_devices()
        self._refresh()

    def _say_busy(self) -> None:
        """Beyond a few thousand captures a change takes longer than a blink."""
        if len(self._bench.story.captures) > _MANY:
            self._worker.teller.working("Drawing the board up anew")

    def _refresh(self) -> None:
        self._say_busy()
        self._bench.refresh()
        self._publish()
        self._sources.keep_draft()

    # ---- the plan, and the board

    def _want_plan(self) -> None:
        """Queue a plan; of several that wait only the last is made."""
        self._plans_wanted += 1
        self._plan_due = True
        number = self._plans_wanted
        self._worker.ask(lambda: self._make_plan() if number == self._plans_wanted else None)

    def _make_plan(self) -> None:
        self._plan_due = False
        self._sources.sort()
        if self._ledger is None:
            self._publish()
            return
        with self._worker.holding(self._library.lock):
            self._bench.make_plan(self._ledger, stop=self._worker.stop, report=self._worker.teller.working)
        self._publish()
        self._looks_due = True

    def save_plan(self, path: str) -> str:
        """Write the plan as it stands to a file.

        Returns:
            Its path.

        Raises:
            PlanUnusable: when there is none yet.
            NotPossible: when it cannot be written.
        """
        if self._bench.plan is None:
            raise PlanUnusable("", "it is not made yet")
        save_text(path, self._bench.plan.as_json(as_objects(self._bench.story)) + "\n")
        return path

    def _publish(self) -> None:
        bench = self._bench
        bench.places = tuple(storage_at(one.name, one.root, one.id, here=one.here) for one in bench.places)
        if self._ledger is not None:
            bench.nothing_home = self._ledger.is_empty
            bench.knows_content, bench.knows_looks = (True, True) if bench.nothing_home else self._knows
        began = time.monotonic()
        board = bench.board()
        self._drawn = time.monotonic()
        self._drawing_took = self._drawn - began
        self._tell(events.BoardChanged(board))

    def facts(self) -> list[Facts]:
        """The facts of the intake's captures as they stand, those without a date to trust last."""
        story = self._bench.story
        return sorted(all_facts(story.captures, story.wishes), key=lambda one: not one.capture.trusted)

    def details(self, capture: str) -> CaptureDetails | None:
        """Everything that is known of a capture, at once: it is put together from the captures as they stand."""
        found = next((one for one in self._bench.story.captures if one.id == capture), None)
        return details_of(found) if found is not None else None

    # ---- the run

    def bring(self, after: AfterRun, over: threading.Event) -> Outcome:
        """Carry out the plan.

        Args:
            after: what is done behind it.
            over: set when it need not begin any more.

        Raises:
            PlanUnusable: when there is none.
            LibraryTrouble: when the run cannot begin.
        """
        # What is at work in the library ends first; the plan follows what it changed.
        self._worker.have_done(self._library.worker, lambda: None)
        if self._plan_due:
            self._make_plan()
        plan, bench = self._bench.plan, self._bench
        if plan is None:
            raise PlanUnusable("", "it is not made yet")
        if (library := self._sources.library) is not None:
            from jutrek.desk.jobs import job_of_intake

            job_of_intake(library, bench.history.now.rules)
        if over.is_set():
            raise Stopped
        for path in [path for path, done in bench.results.items() if not done.home]:
            del bench.results[path]
        if library is not None:
            with contextlib.suppress(OSError):
                # A list that cannot be written now is written the next time; the files say whether they can be.
                keep_devices(library, bench.story.devices.values())
        settled = [step.words for step in bench.history.steps[1:] if step.words]
        outcome = self._carried_out(lambda at: at.runs.bring(plan, settled, after), over)
        if outcome.trouble is None and not outcome.gone and bench.plan is not None and not bench.plan.to_bring():
            # An intake ends with its run. What waits for an answer asks again the next time.
            self._forget_intake()
            if bench.history.now.rules.within:
                # What comes next is for this job only if somebody says so.
                self.set_job("")
        return outcome

    def finish(self, run: str, after: AfterRun, over: threading.Event) -> Outcome:
        """Bring home what a run left.

        Raises:
            NotPossible: when it cannot be finished.
            LibraryTrouble: when the run cannot begin.
        """
        return self._carried_out(lambda at: at.runs.finish(run, after), over)

    def _carried_out(self, run: Callable[[LibraryServices], Outcome], over: threading.Event) -> Outcome:
        """Have a run carried out by the library, and learn what it changed."""

        def go(at: LibraryServices) -> Outcome:
            if over.is_set():
                raise Stopped
            return run(at)

        outcome = self._worker.have_done(self._library.worker, self._library.job(go))
        self.learn_changes()
        return outcome

    def _forget_intake(self) -> None:
        if self._sources.library is not None:
            drafts.forget(self._sources.library.id)
        if self._ledger is not None and not self._bench.story.wishes.waits:
            with self._worker.holding(self._library.lock):
                self._ledger.contents.forget_sources()

    # ---- what the library tells

    def learn_changes(self) -> None:
        """Files came into the library, or left it."""
        if not self._worker.closing and self._ledger is not None:
            self._worker.stop.clear()
            self._bench.learn(self._ledger)
            self._make_plan()
            self._sources.look_into_inboxes()

    def take(self, done: Done) -> None:
        """A file of a run ended."""
        if not done.untouched:
            self._bench.results[done.row.source] = done

    def know_places(self, places: tuple[Storage, ...]) -> None:
        """Other places are connected, or have other room."""
        if self._bench.places != places:
            self._bench.places = places
            self.redraw(True)

    def know_released(self, released: Mapping[str, Certificate]) -> None:
        """Other sources are proven."""
        self._bench.released = released
        self.redraw(True)

    def know_library(self, content: bool, looks: bool, learnt: bool | None) -> None:
        """More is known of what the library holds, or less."""
        self._knows = content, looks
        if learnt is None:
            return
        self._looks_due = self._looks_due or looks
        if self._bench.founds:
            self._want_plan() if learnt else self._publish()

    def redraw(self, always: bool) -> None:
        """Draw the board up anew now and then: one of very many captures takes a while, and has it less often."""
        if always or time.monotonic() - self._drawn > max(_BOARD_EVERY, 10 * self._drawing_took):
            self._publish()

    # ---- while nothing else is to be done

    def pause(self, paused: bool) -> None:
        """Pause what is done while nothing else is to be done, or go on."""
        self.paused = paused

    @property
    def has_work(self) -> bool:
        """Whether something can be listened to, or compared."""
        if self._awaited is not None and time.monotonic() >= self._awaited[2]:
            return True
        self._ears.paused = self.paused
        compares = self._looks_due and self._knows[1] and not self.paused and not self._library.worker.busy
        return compares or self._ears.has_work

    def go_on(self) -> None:
        """Ask again for a library that is awaited; listen, or compare, a little."""
        if self._awaited is not None:
            path, chosen, _ = self._awaited
            with contextlib.suppress(LibraryBusy):
                self.open_library(path, chosen=chosen)
            return
        # What tells whose clock is right comes first: it concerns what is about to come home.
        if self._ears.has_work:
            self._ears.go_on()
            return
        with contextlib.suppress(Stopped):
            self._look()

    def _look(self) -> None:
        """Compare the intake by looks. Whatever a person wants meanwhile comes first."""

        def report(what: str, done: int, total: int) -> None:
            if self._worker.wanted or self._library.worker.wanted:
                raise Stopped
            self._worker.teller.often(events.Looking(done, total))

        if self._ledger is not None:
            with self._worker.holding(self._library.lock, idly=True):
                self._bench.look(self._ledger, stop=self._worker.stop, report=report)
            self._publish()
        self._looks_due = False
        self._tell(events.Looking(0, 0))

    def _listen(self) -> None:
        self._ears.listen_to(*self._bench.to_listen_to)

    def _on_heard(self, heard: tuple[Heard, ...]) -> None:
        """Devices heard something together, or nothing any more."""
        if heard or self._bench.has_heard:
            self._bench.hear(heard)
            self._publish()
