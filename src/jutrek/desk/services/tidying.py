"""Tidying of a library: what was asked for is looked at, done, and taken back."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from jutrek.desk.jobs import into_job, job_at
from jutrek.desk.naming_anew import named_by, placed_by
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.desk.taking_back import take_back, told_of
from jutrek.desk.tidying import Tidied, Tidying, going, numbering, tidy
from jutrek.errors import NotPossible, shown
from jutrek.filing import HouseRules
from jutrek.filing.tidying import Whole
from jutrek.library import Library
from jutrek.transfer import Listener
from jutrek.transfer.empty_folders import empty_folders, remove_empty

Gather = Callable[[Library], tuple[Sequence[Whole], Sequence[str]]]
"""Gives captures with all that goes along, and sentences about those that are gone."""


class TidyingService:
    """Moves what is home, by a person's hand."""

    def __init__(self, opened: Opened, places: PlacesService, rules: Callable[[], HouseRules]) -> None:
        self._at, self._places, self._rules = opened, places, rules

    def go(self, look: Callable[[Library], Tidying]) -> tuple[Tidying, Tidied | None]:
        """Do what is asked for, unless something is to be decided before, or there is nothing to do.

        Args:
            look: gives what is asked for, and what it would do.

        Returns:
            That, and what was done; None for nothing.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        at = self._at
        at.teller.working("Looking what moves")
        wanted = look(at.library)
        if wanted.clashes or wanted.is_nothing:
            return wanted, None
        return wanted, self.carry_out(wanted)

    def carry_out(self, wanted: Tidying) -> Tidied:
        """Do what was looked at, and is decided.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        at = self._at
        try:
            return tidy(
                wanted, at.library, at.ledger, self._places.look(), stop=at.stop, listener=self._listener("Moving")
            )
        finally:
            at.changed()

    def remove_empty(self, folder: str) -> tuple[str, int]:
        """Remove the empty folders below one, itself included. Returns the run, and how many.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        library = self._at.library
        return remove_empty(library, empty_folders(library, folder))

    def named_by(self, gather: Callable[[Library], Sequence[Whole]], pattern: str) -> Tidying:
        """What captures would be called by a pattern, or by the house's where it is empty. Nothing moves.

        Raises:
            NotPossible: when the pattern can't be used.
            Stopped: when it was stopped.
        """
        at = self._at
        wishes = named_by(
            at.library, at.ledger, self._rules(), gather(at.library), pattern, stop=at.stop,
            report=lambda done, total: at.teller.working("Reading the library", done, total),
        )  # fmt: skip
        return numbering(at.library, wishes, f"by {pattern or 'the house'}")

    def into_job(self, gather: Gather, folder: str, *, copies: bool) -> Tidying:
        """Captures taken along into a job, or copies of them. Nothing moves.

        Args:
            gather: gives the captures, and sentences about those that are gone.
            folder: of the job, relative to the library.
            copies: whether they stay where they are, too.

        Raises:
            NotPossible: when the folder is of no job, or no captures go into that.
            Stopped: when it was stopped.
        """
        at = self._at
        placed = job_at(at.library, folder)
        if placed is None:
            raise NotPossible(at.library.root, f"{shown(folder)} is not the folder of a job")
        rules, (wholes, left) = into_job(at.library, placed, self._rules()), gather(at.library)
        wishes = placed_by(
            at.library, at.ledger, rules, wholes, stop=at.stop,
            report=lambda done, total: at.teller.working("Reading the library", done, total),
        )  # fmt: skip
        return going(at.library, wishes, f"into job {placed.job.number}", left, copies=copies)

    def take_back(self, runs: Sequence[str]) -> tuple[int, str]:
        """Take runs back, the last first.

        Returns:
            How many files or folders are where they were, and what stays, in a sentence; empty for nothing.

        Raises:
            NotPossible: when one of them can't be taken back.
        """
        at, moved, stays = self._at, 0, ""
        try:
            for run in reversed(runs):
                outcome, left = take_back(
                    at.library,
                    at.ledger,
                    run,
                    self._places.look(),
                    stop=at.stop,
                    listener=self._listener("Taking back"),
                )
                # What only told something of files moves none of them, and says in words what is so again.
                told = told_of(at.library, run)
                moved += told or outcome.home
                stays = stays or " ".join(left) or ("" if told else outcome.why)
        finally:
            at.changed()
        return moved, stays

    def _listener(self, what: str) -> Listener:
        teller = self._at.teller
        return Listener(progress=lambda run: teller.working(what, run.files, run.all_files, changes=True))
