"""The intake session: what a face needs of an intake, kept by one thread of its own. No Qt.

All work (reading, comparing, planning, bringing home) is done one job after the other by the session's thread, which
alone owns the captures, the plan and the ledger. A face calls the public methods from any thread, which only queue a
job, set a flag or look at what cannot change, and hears of everything through events.
"""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date
from typing import TYPE_CHECKING

from jutrek.captures import Change
from jutrek.desk import drafts, events
from jutrek.desk.board import Board
from jutrek.desk.closer import CloseView, close_view
from jutrek.desk.errands import Errand, Errands, Hooks
from jutrek.desk.history import Step
from jutrek.desk.idle import Idle
from jutrek.desk.keeping import furnish
from jutrek.desk.naming_devices import change_devices
from jutrek.desk.reading import MANY, ReadingThread
from jutrek.desk.refiling import Refiler
from jutrek.desk.saving import save_text
from jutrek.desk.settings import remember_library
from jutrek.desk.story import as_objects
from jutrek.desk.workbench import room_at
from jutrek.errors import LibraryMissing, PlanUnusable, Stopped, reason
from jutrek.filing import HouseRules
from jutrek.filing.planner import all_facts
from jutrek.library import keep_devices, new_library, open_library
from jutrek.sources import Drive, Watch, is_card, mount
from jutrek.transfer import Done, Listener, Outcome, Steering, recover

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.filing.facts import Facts
    from jutrek.filing.refiling import Scope
    from jutrek.transfer.saying import Words

_BOARD_EVERY = 0.4

_log = logging.getLogger(__name__)

Job = Callable[[], None]


class IntakeSession(ReadingThread):
    """One intake: its sources, its library, its board, its run."""

    def __init__(self, tell: Callable[[events.Event], None]) -> None:
        """
        Args:
            tell: hears every event, on the session's thread.
        """
        self._refiler: Refiler | None = None
        self._plans_wanted = self._stops = 0
        self._errands: Errands | None = None
        self._idle: Idle | None = None
        self._watch: Watch | None = None
        self.learns = False
        """Whether doubles are looked for, and recordings listened to, while nothing else is to be done."""
        self.after = events.AfterRun()
        """What is done behind the next run."""
        super().__init__(tell)

    def open_library(self, path: str, *, chosen: bool = False) -> None:
        """Use the library at `path`; clears up after a run that did not end.

        Args:
            chosen: whether a person chose the folder just now: then it becomes a library where it is none yet, and the
                next start begins with it.
        """
        self._jobs.put(lambda: self._open(path, chosen=chosen))
        self._want_plan()

    def open_demo(self, path: str) -> None:
        """Make the demo at `path` if it is not there, and use its library and sources."""
        self._jobs.put(lambda: self._make_demo(path))

    def add_source(self, path: str) -> None:
        """Read a card or folder, and plan anew."""
        self._jobs.put(lambda: self._read(path))
        self._want_plan()

    def add_drive(self, drive: Drive) -> None:
        """Read a card that appeared, mounting it first if need be, and plan anew."""
        self._jobs.put(lambda: self._read(drive.mount or mount(drive)))
        self._want_plan()

    def remove_source(self, root: str) -> None:
        """Leave a source out of this intake."""
        self._jobs.put(lambda: self._remove(root))
        self._want_plan()

    def keep_rules(self, rules: HouseRules, devices: Sequence[Device] = ()) -> None:
        """Keep house rules, and what devices are called, in the library, and plan by them."""
        self._soon(lambda: self._keep_rules(rules, devices))

    def read_rules(self, path: str) -> None:
        """Read the rules of another library or of a file; the event `RulesRead` follows."""
        self._soon(lambda: self._read_rules(path))

    def export_rules(self, rules: HouseRules, path: str) -> None:
        """Write rules to a file; the event `Saved` follows."""
        self._soon(lambda: self._export_rules(rules, path))

    def look_home(self) -> None:
        """Read the captures of the library; the event `HomeRead` follows."""
        self._jobs.put(self._look_home)

    def plan_refiling(self, scope: Scope) -> None:
        """Plan to file anew what lies in the library; the event `RefilingPlanned` follows."""
        self._jobs.put(lambda: self._plan_refiling(scope))

    def plan_taking_back(self) -> None:
        """Plan to take the newest re-filing back; the event `RefilingPlanned` follows."""
        self._jobs.put(self._plan_taking_back)

    def refile(self, only: frozenset[str] = frozenset()) -> None:
        """Carry out the re-filing that was planned last, for all captures or only some; `Refiled` follows."""
        self._jobs.put(lambda: self._refile(only))

    def say(self, captures: frozenset[str], words: Words) -> None:
        """Say anew what captures at home are, by their ids; the event `WordsSaid` follows."""
        self._jobs.put(lambda: self._say(captures, words))

    def facts(self) -> list[Facts]:
        """The facts of the intake's captures as they stand, those without a date to trust last."""
        story = self._bench.story
        return sorted(all_facts(story.captures, story.wishes), key=lambda one: not one.capture.trusted)

    def set_days(self, *, day_starts: int, gap: int, zone: int | None, journeys: tuple[tuple[date, int], ...]) -> None:
        """Let days start at another time, shoots part at another gap, and other zones hold; all in minutes."""

        def use() -> None:
            rules = self._bench.history.now.rules
            changed = replace(rules, day_starts=day_starts, gap=gap, zone=zone, journeys=journeys)
            self._use_rules(changed, "days and zones")

        self._soon(use)

    def change(self, *changes: Change) -> None:
        """Decide something. It can be taken back."""
        self._soon(lambda: self._decide(changes))

    def answer(self, question: str, number: int) -> None:
        """Give a question one of its answers."""
        self._soon(lambda: self._answer(question, number))

    def accept_certain(self) -> None:
        """Give every question whose proposal is certain that answer, in one step."""
        self._soon(lambda: self._decide(self._bench.certain_answers()))

    def preview(self, question: str, number: int = 0) -> None:
        """Find out what an answer would change; the event `Previewed` follows."""
        self._soon(lambda: self._preview(question, number))

    def undo(self) -> None:
        """Take back what was decided last."""
        self._soon(lambda: self._refresh() if self._bench.history.undo() else None)

    def redo(self) -> None:
        """Decide again what was taken back last."""
        self._soon(lambda: self._refresh() if self._bench.history.redo() else None)

    def save_plan(self, path: str) -> None:
        """Write the plan as it stands to a file; the event `Saved` follows."""
        self._jobs.put(lambda: self._save(path))

    def bring_home(self) -> None:
        """Carry out the plan."""
        number = self._stops
        self._jobs.put(lambda: self._bring(number))

    def errand(self, errand: Errand) -> None:
        """Do something with the library; what follows is told by the errand."""
        self._jobs.put(lambda: errand(self._errands) if self._errands is not None else None)

    @property
    def steering(self) -> Steering | None:
        """What steers the run that is at work; None without a library."""
        return self._errands.steering if self._errands is not None else None

    def close_view(self, capture: str) -> CloseView | None:
        """Everything that is known of a capture, at once: it is put together from the captures as they stand."""
        found = next((one for one in self._bench.story.captures if one.id == capture), None)
        return close_view(found) if found is not None else None

    def watch_drives(self) -> None:
        """Tell from now on when cards and drives come and go."""
        self._watch = Watch(self._on_drives)

    def _on_drives(self, drives: list[Drive]) -> None:
        """Called by the thread that watches."""
        self._tell(events.DrivesChanged(tuple((drive, is_card(drive)) for drive in drives)))
        self._jobs.put(self._look_for_places)

    def _look_for_places(self) -> None:
        if self._errands is not None:
            self._errands.look_for_places()
            self._redraw(always=True)

    def stop(self) -> None:
        """End what is going on, safely, and a run that waits to begin. The event that it ended follows."""
        self._stops += 1
        self._stop.set()

    def close(self) -> None:
        """Stop, and wait for the threads to end."""
        if self._watch is not None:
            self._watch.close()
        super().close()

    def _end(self) -> None:
        if self._idle is not None:
            self._idle.close()
        if self._ledger is not None:
            self._ledger.close()

    def _open(self, path: str, *, chosen: bool) -> None:
        if self._ledger is not None:
            self._end()
            self._ledger = self._library = self._refiler = self._errands = self._idle = None
            self._tell(events.Learning(0, 0, False, False, False, 0))
            self._bench.use_library(None, None)
        library = new_library(path) if chosen else open_library(path)
        # Here, on the session's own thread: importing database and validation takes longer than showing a window.
        from jutrek.filing.rulebook import load_rules
        from jutrek.library.ledger import Ledger

        self._ledger = Ledger(library.ledger_path)
        self._library = library
        if chosen:
            remember_library(library.root)
        self._refiler = Refiler(library, self._ledger)
        leftovers = recover(library, self._ledger)
        book = load_rules(library)
        self._bench.use_house(book.rules)
        self._bench.use_library(library, self._ledger)
        self._errands = Errands(library, self._ledger, self._hooks())
        self._idle = Idle(library, self._ledger, self._tell, self._on_learnt, self._look)
        self._idle.pause(not self.learns)
        self._redraw(always=False)
        self._tell(events.RulesKnown(book.rules, book.trouble, self._bench.known))
        if self._errands.places.here:
            self._jobs.put(self._errands.tell_places)
        self._take_up(library)
        self._read_again_what_overlaps(library)
        if leftovers:
            self._tell(events.Found(tuple(leftovers)))

    def _make_demo(self, path: str) -> None:
        from jutrek.demo import build as build_demo

        try:
            scenario = build_demo(path, lambda what: self._tell(events.Working(f"Making the demo: {what}")))
        except OSError as error:
            raise LibraryMissing(path, reason(error)) from error
        furnish(scenario.library, scenario.place)
        self.open_library(scenario.library)
        for source in scenario.sources:
            self.add_source(source)

    def _keep_rules(self, rules: HouseRules, devices: Sequence[Device]) -> None:
        if self._library is None:
            raise LibraryMissing("", "there is none yet: choose one first")
        from jutrek.filing.rulebook import keep_rules

        keep_rules(self._library, rules)
        if devices and self._ledger is not None:
            change_devices(self._library, self._ledger, devices)
            self._bench.learn_devices()
        self._bench.use_house(rules)
        if self._refiler is not None:
            self._refiler.forget()
        self._tell(events.RulesKnown(rules, "", self._bench.known))
        self._refresh()

    def _read_rules(self, path: str) -> None:
        from jutrek.filing.rulebook import rules_at

        self._tell(events.RulesRead(rules_at(path), path))

    def _export_rules(self, rules: HouseRules, path: str) -> None:
        from jutrek.filing.rulebook import rules_text

        save_text(path, rules_text(rules))
        self._tell(events.Saved(path))

    def _report(self, what: str, done: int, total: int, sizes: bool = False) -> None:
        self._serve()
        self._often(events.Working(what, done, total, sizes))

    def _look_home(self) -> None:
        if self._refiler is not None:
            home = self._refiler.look(self._bench.house, self._stop, self._report)
            self._tell(events.Working(""))
            self._tell(events.HomeRead(home, self._refiler.last))

    def _plan_refiling(self, scope: Scope) -> None:
        if self._refiler is not None:
            if self._refiler.home is None:
                self._look_home()
            planned = self._refiler.plan(self._bench.house, scope, self._stop, self._report)
            self._tell(events.Working(""))
            self._tell(planned)

    def _plan_taking_back(self) -> None:
        if self._refiler is not None:
            self._tell(self._refiler.plan_taking_back())

    def _say(self, captures: frozenset[str], words: Words) -> None:
        if self._refiler is not None:
            if self._refiler.home is None:
                self._look_home()
            self._tell(events.WordsSaid(self._refiler.say(captures, words)))

    def _refile(self, only: frozenset[str]) -> None:
        if self._refiler is None:
            return
        takes_back = self._refiler.planned.takes_back if self._refiler.planned else ""
        outcome = Outcome()
        try:
            listener = Listener(progress=lambda progress: self._tell(events.Running(progress, ())))
            outcome = self._refiler.go(self._stop, listener, only)
            if not self._closed:
                self._stop.clear()
                if self._idle is not None:
                    self._idle.begin_again()
                self._make_plan()
        finally:
            self._tell(events.Refiled(outcome, takes_back))

    def _use_rules(self, rules: HouseRules, words: str) -> None:
        self._bench.history.take(Step(self._bench.history.now.decisions, rules, words))
        self._refresh()

    def _decide(self, changes: Sequence[Change]) -> None:
        if not changes:
            return
        self._say_busy()
        if self._bench.decide(changes):
            self._publish()
            self._keep_draft()
        else:
            self._tell(events.Working(""))

    def _answer(self, question: str, number: int) -> None:
        doubt = self._bench.doubt(question)
        if doubt is not None and number < len(doubt.answers):
            self._decide([doubt.answers[number].change])

    def _preview(self, question: str, number: int) -> None:
        effect = self._bench.effect(question, number)
        if effect is not None:
            self._tell(events.Previewed(effect))

    def _say_busy(self) -> None:
        """Beyond a few thousand captures a change takes longer than a blink."""
        if len(self._bench.story.captures) > MANY:
            self._tell(events.Working("Drawing the board up anew"))

    def _refresh(self) -> None:
        self._say_busy()
        self._bench.refresh()
        self._publish()
        self._keep_draft()

    def _want_plan(self) -> None:
        """Queue a plan; of several that wait only the last is made."""
        self._plans_wanted += 1
        number = self._plans_wanted
        self._jobs.put(lambda: self._make_plan() if number == self._plans_wanted else None)

    def _make_plan(self) -> None:
        if self._library is None or self._ledger is None:
            self._publish()
            return
        self._bench.make_plan(
            self._ledger,
            stop=self._stop,
            report=lambda what, done, total: self._often(events.Working(what, done, total)),
        )
        self._tell(events.Working(""))
        self._publish()
        if self._idle is not None:
            self._idle.look_again()

    def _has_time_for(self) -> bool:
        self._ears.paused = not self.learns or (self._idle is not None and self._idle.paused)
        return self._ears.has_work or (self._idle is not None and self._idle.has_work)

    def _while_idle(self) -> None:
        # What tells whose clock is right comes first: it concerns what is about to come home.
        if self._ears.has_work:
            self._ears.go_on()
        elif self._idle is not None:
            self._idle.go_on(self._stop)

    def _publish(self) -> None:
        if self._idle is not None:
            self._bench.knows_content, self._bench.knows_looks = self._idle.knows
            self._bench.nothing_home = self._ledger is None or self._ledger.is_empty
        super()._publish()

    def _on_learnt(self, anything: bool) -> None:
        """The library is known as a whole: what is there already with other metadata is known now."""
        if self._bench.founds:
            self._want_plan() if anything else self._publish()

    def _look(self) -> None:
        """Compare the intake by looks. Whatever a person wants meanwhile comes first."""

        def report(what: str, done: int, total: int) -> None:
            if self._wanted_elsewhere:
                raise Stopped
            self._often(events.Looking(done, total))

        if self._ledger is not None:
            self._bench.look(self._ledger, stop=self._stop, report=report)
            self._publish()
        self._tell(events.Looking(0, 0))

    def pause_learning(self, paused: bool) -> None:
        """Pause looking at the library's files, or go on; the event `Learning` follows."""
        self._soon(lambda: self._idle.pause(paused) if self._idle is not None else None)

    def _save(self, path: str) -> None:
        if self._bench.plan is not None:
            save_text(path, self._bench.plan.as_json(as_objects(self._bench.story)) + "\n")
            self._tell(events.Saved(path))

    def _bring(self, number: int) -> None:
        if number != self._stops:
            self._tell(events.Ended(Outcome(trouble=Stopped())))
            return
        if self._bench.plan is None or self._library is None or self._errands is None:
            raise PlanUnusable("", "it is not made yet")
        for path in [path for path, done in self._bench.results.items() if not done.home]:
            del self._bench.results[path]
        with contextlib.suppress(OSError):
            # A list that cannot be written now is written the next time; the files themselves say whether they can be.
            keep_devices(self._library, self._bench.story.devices.values())
        settled = [step.words for step in self._bench.history.steps[1:] if step.words]
        outcome = Outcome()
        try:
            outcome = self._errands.bring(self._bench.plan, settled, self.after)
            self._changed()
            if outcome.trouble is None and not outcome.gone and not self._bench.plan.to_bring():
                # An intake ends with its run. What waits for an answer asks again the next time.
                drafts.forget(self._library.id)
                if self._ledger is not None and not self._bench.story.wishes.waits:
                    self._ledger.contents.forget_sources()
        finally:
            self._tell(events.Ended(outcome))

    def _hooks(self) -> Hooks:
        return Hooks(
            self._tell, self._stop, self._report, self._on_done, lambda always: self._redraw(always=always),
            self._changed, self._read_again, lambda: self._bench.house,
        )  # fmt: skip

    def _read_again(self, root: str) -> None:
        """A source has other files on it than before."""
        if self._bench.founds.pop(root, None) is not None:
            self._read(root)
            self._make_plan()

    def _on_done(self, done: Done) -> None:
        if not done.untouched:
            self._bench.results[done.row.source] = done

    def _redraw(self, *, always: bool) -> None:
        """Draw the board up anew now and then: one of very many captures takes a while, and has it less often."""
        if self._errands is not None:
            self._bench.released = self._errands.released
            places = self._errands.places
            self._bench.places = tuple(
                room_at(one.name, one.root, one.id, here=one in places.here) for one in (*places.here, *places.away)
            )
        if always or time.monotonic() - self._last.get(Board, 0.0) > max(_BOARD_EVERY, 10 * self._drawing_took):
            self._publish()

    def _changed(self) -> None:
        """Files came into the library, or left it."""
        if self._refiler is not None:
            self._refiler.forget()
        if not self._closed and self._ledger is not None:
            self._stop.clear()
            self._bench.learn(self._ledger)
            if self._idle is not None:
                self._idle.begin_again()
            self._make_plan()
