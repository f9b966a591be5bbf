"""Runs that bring files home, what is done behind them, and taking runs back."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterator, Sequence

from jutrek.desk import events
from jutrek.desk.answers import AfterRun, TakenBack
from jutrek.desk.finishing import finish, leave_papers
from jutrek.desk.services.cards import CardsService
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.desk.taking_back import done_words, take_back
from jutrek.errors import JutrekError, NotPossible, Stopped, reason
from jutrek.filing import HouseRules, Plan
from jutrek.transfer import Control, Done, Listener, Outcome, Progress, bring
from jutrek.transfer.run_log import run_log_of
from jutrek.transfer.taking_back import empty_taken_back

_JUST_PROVEN = 6


class RunsService:
    """Runs.

    Attributes:
        control: what steers the run that is at work; made anew for each, and read from any thread.
    """

    def __init__(
        self, opened: Opened, places: PlacesService, cards: CardsService, rules: Callable[[], HouseRules]
    ) -> None:
        """
        Args:
            opened: the library.
            places: told when a run has ended.
            cards: whose certificates a run makes old.
            rules: gives the house rules as they are now.
        """
        self._at, self._places, self._cards, self._rules = opened, places, cards, rules
        self.control = Control(opened.stop)

    def _steered(self) -> Control:
        self.control = Control(self._at.stop)
        self.control.may_ask = True
        return self.control

    @contextlib.contextmanager
    def _carrying(self) -> Iterator[None]:
        """While files are carried, it is by their bytes that a run is known to get on."""
        self._at.teller.moving = ()
        try:
            yield
        finally:
            self._at.teller.moving = None

    def _listener(self) -> Listener:
        just: list[str] = []
        ticks: list[tuple[float, str]] = []
        began = time.monotonic()

        def on_done(done: Done) -> None:
            self._at.intake.done(done)
            if done.home:
                just.insert(0, done.row.destination or "")
                del just[_JUST_PROVEN:]
                ticks.append((time.monotonic() - began, done.row.root))

        def on_progress(progress: Progress) -> None:
            nonlocal began
            if not ticks:
                began = time.monotonic() - progress.elapsed
            self._at.teller.moving = _moving(progress)
            self._at.teller.tell(events.Running(progress, tuple(just), ticks))
            self._at.intake.redraw(False)

        return Listener(on_done, on_progress)

    def bring(self, plan: Plan, settled: Sequence[str], after: AfterRun) -> Outcome:
        """Carry out the plan of an intake, and do what is to be done behind it.

        Args:
            plan: of this library.
            settled: what was decided about its dates, in words.
            after: what is done behind it.

        Returns:
            The outcome. A full or lost library, or a stop, is its `trouble`.

        Raises:
            PlanUnusable: when the plan is one of another library, or its numbers were given since.
            LibraryTrouble: when the run cannot begin.
        """
        at = self._at
        self._cards.forget()
        places = self._places.look()
        with self._carrying():
            outcome = bring(
                plan, at.library, at.ledger, stop=at.stop, listener=self._listener(), places=places.here,
                control=self._steered(), settled=settled,
            )  # fmt: skip
        self._behind(outcome, sorted({row.root for row in plan.rows}), after)
        at.moved()
        return outcome

    def finish(self, run: str, after: AfterRun) -> Outcome:
        """Bring home what an intake left.

        Raises:
            NotPossible: when it cannot be finished.
            LibraryTrouble: when the run cannot begin.
        """
        at = self._at
        with self._carrying():
            outcome = finish(
                at.library, at.ledger, run, self._rules(), self._places.look(), stop=at.stop,
                listener=self._listener(), control=self._steered(),
            )  # fmt: skip
        self._behind(outcome, sorted({done.row.root for done in outcome.done}), after)
        at.moved()
        return outcome

    def _behind(self, outcome: Outcome, roots: Sequence[str], after: AfterRun) -> None:
        """The papers of a run, and the release of its cards."""
        if isinstance(outcome.trouble, Stopped) or not outcome.run:
            return
        at = self._at
        with contextlib.suppress(Stopped):
            papers = leave_papers(
                at.library, at.ledger, outcome.run, self._rules(), self._places.known, stop=at.stop,
                report=lambda done, total: at.teller.working("Writing the report", done, total),
            )  # fmt: skip
            at.teller.tell(events.PapersLeft(papers.report, papers.trouble))
            if self._places.known.here:
                self._places.tell()
            if outcome.trouble is None and after.prove:
                for root in roots:
                    self._release_behind(root, eject=after.eject)

    def _release_behind(self, root: str, *, eject: bool) -> None:
        """Prove a source; trouble with it takes nothing from what came home."""
        try:
            self._cards.release(root, eject=eject)
        except Stopped:
            raise
        except JutrekError as error:
            self._at.teller.tell(events.Trouble(root, error))

    def take_back(self, run: str, only: frozenset[str] = frozenset()) -> TakenBack:
        """Take a run back, or only some of its files; `PlacesKnown` follows.

        Raises:
            NotPossible: when it cannot be taken back.
        """
        at = self._at
        became = done_words(at.library, run)
        listener = Listener(
            progress=lambda run: at.teller.working("Taking back", run.files, run.all_files, changes=True)
        )
        try:
            outcome, left = take_back(
                at.library, at.ledger, run, self._places.look(), stop=at.stop, listener=listener, only=only
            )
        finally:
            at.changed()
        self._places.tell()
        return TakenBack(outcome, tuple(left), became)

    def empty_taken_back(self) -> int:
        """Put what was taken back into the system's trash.

        Returns:
            Of how many runs.

        Raises:
            NotPossible: when the trash can't take it.
        """
        try:
            return empty_taken_back(self._at.library)
        except OSError as error:
            words = f"the trash of its drive can't take it: {reason(error)}"
            raise NotPossible(self._at.library.root, words) from error

    def report(self, run: str) -> str:
        """Write the report of an intake.

        Returns:
            Its path.

        Raises:
            NotPossible: when it cannot be written.
        """
        from jutrek.desk.report import write_report

        at = self._at
        try:
            return write_report(
                run_log_of(at.library, run), at.library, stop=at.stop,
                report=lambda done, total: at.teller.working("Writing the report", done, total),
            )  # fmt: skip
        except OSError as error:
            raise NotPossible(at.library.root, f"the report can't be written: {reason(error)}") from error


def _moving(progress: Progress) -> tuple[object, ...]:
    """What changes as long as a run gets on; empty where it waits for a person, or only its end is left."""
    waits = progress.paused or progress.asked or progress.bytes >= progress.all_bytes
    return () if waits else (progress.read_bytes, *(place.bytes for place in progress.places))
