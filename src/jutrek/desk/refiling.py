"""Re-filing for a face: reading the library, planning, carrying out, taking back. One thread owns it."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from jutrek.desk.answers import RefilingPlanned
from jutrek.desk.library_captures import LibraryCaptures, read_library
from jutrek.desk.places import places_of
from jutrek.disk import Outside, inside
from jutrek.errors import NotPossible, shown
from jutrek.filing import HouseRules, Plan
from jutrek.filing.facts import Facts, below
from jutrek.filing.refiling import Scope, kept_by_hand, plan_refiling
from jutrek.jobs.listed import in_a_job, job_folders
from jutrek.library import Library, survey
from jutrek.transfer import Listener, Outcome, last_refiling, plan_taking_back, refile
from jutrek.transfer.saying import Words, say

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[str, int, int], None]
"""Told what is going on, how far it is, and how far it goes (0 where that is not known yet)."""


class Refiler:
    """The captures of one library, and the plan of their re-filing."""

    def __init__(self, library: Library, ledger: Ledger) -> None:
        self._library, self._ledger = library, ledger
        self.home: LibraryCaptures | None = None
        self.planned: RefilingPlanned | None = None

    def look(self, rules: HouseRules, stop: threading.Event, report: Report) -> LibraryCaptures:
        """Read the library, unless it was read and nothing was moved or brought since.

        Raises:
            LibraryMissing: when it cannot be listed.
            Stopped: when `stop` was set.
        """
        if self.home is None:
            survey(
                self._library,
                self._ledger,
                stop=stop,
                report=lambda seen: report("Looking through the library", seen, 0),
            )
            words = "Reading the library"
            self.home = read_library(
                self._library, self._ledger, rules, stop=stop, report=lambda done, total: report(words, done, total)
            )
        return self.home

    def forget(self) -> None:
        """What was read may be old now."""
        self.home = self.planned = None

    @property
    def last(self) -> str:
        """The newest re-filing that can be taken back; empty where there is none."""
        return last_refiling(self._library)

    def plan(self, rules: HouseRules, scope: Scope, stop: threading.Event, report: Report) -> RefilingPlanned:
        """Make the plan of a re-filing.

        Args:
            rules: the house rules.
            scope: what of the library is meant.
            stop: ends the work when it is set.
            report: is told how much is done, and of how much.

        Raises:
            NotPossible: when a folder or file that it names is not there.
        """
        for path in filter(None, (one.strip("/") for one in (scope.folder, *scope.without))):
            if not self._holds(path):
                raise NotPossible(self._library.root, f"there is no {shown(path)} in it")
        home = self.look(rules, stop, report)
        facts = self._outside_jobs(home.facts)
        plan = plan_refiling(self._library, rules, facts, home.known, scope, home.given)
        kept = kept_by_hand(facts, home.known, scope, home.given)
        ours = tuple(one for one in facts if one.capture.id in home.known and scope.holds(one, known=True))
        self.planned = RefilingPlanned(plan, len(home.known), kept=kept, home=ours)
        return self.planned

    def _outside_jobs(self, facts: Sequence[Facts]) -> list[Facts]:
        """Captures but for those in the folders of jobs, which lie as their outlines say."""
        jobs = job_folders(self._ledger)
        return [one for one in facts if not in_a_job(below(one.capture.id, one.capture.root), jobs)]

    def say(self, captures: frozenset[str], words: Words) -> int:
        """Say anew what captures are that `look` found, by their ids. What was read is old afterwards.

        Returns:
            For how many files that is new.

        Raises:
            LibraryBusy: when another Jutrek is at work in the library.
        """
        facts = self.home.facts if self.home is not None else ()
        wanted = (one.capture for one in facts if one.capture.id in captures)
        own = [below(read.file.path, capture.root) for capture in wanted for read in capture.files]
        count = say(self._library, self._ledger, list(self._ledger.catalogue.filed_at(own)), words)
        self.forget()
        return count

    def _holds(self, path: str) -> bool:
        try:
            return self._library.tree.found(inside(path)) is not None
        except Outside:
            return False

    def plan_taking_back(self) -> RefilingPlanned:
        """Make the plan that takes the newest re-filing back.

        Raises:
            NotPossible: when there is none.
        """
        last = self.last
        if not last:
            raise NotPossible(self._library.root, "there is no re-filing to take back")
        plan, left = plan_taking_back(self._library, last)
        self.planned = RefilingPlanned(plan, len(plan.rows), last, tuple(left))
        return self.planned

    def use(self, plan: Plan) -> RefilingPlanned:
        """Use a plan that was made before. It names only what the ledger knows, so that is brought up to date."""
        survey(self._library, self._ledger)
        self.planned = RefilingPlanned(plan, len(plan.rows))
        return self.planned

    def go(self, stop: threading.Event, listener: Listener, only: frozenset[str] = frozenset()) -> Outcome:
        """Carry out the plan that was made last.

        Args:
            only: captures that it is carried out for; empty for all.

        Raises:
            NotPossible: when there is none.
            LibraryBusy: when another Jutrek is at work in the library.
        """
        if self.planned is None:
            raise NotPossible(self._library.root, "no re-filing is planned")
        planned, plan = self.planned, self.planned.plan
        if only:
            plan = replace(plan, rows=tuple(row for row in plan.rows if row.capture in only))
        self.forget()
        return refile(
            plan, self._library, self._ledger, stop=stop, listener=listener, takes_back=planned.takes_back,
            places=places_of(self._library).here,
        )  # fmt: skip


def shown_move(plan: Plan, number: int) -> tuple[str, str]:
    """Where a file of a plan of moves lies, and where it goes, relative to the library."""
    row = plan.rows[number]
    return os.path.relpath(row.source, plan.library), row.destination or ""
