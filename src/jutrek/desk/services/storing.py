"""Storing folders of a library away on archive drives, and fetching them back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.desk.storing import drive_named, fetch_back, store_away, to_fetch, to_store
from jutrek.errors import PlaceFull
from jutrek.filing import HouseRules
from jutrek.transfer import Listener, Outcome, recover


class Crossed(NamedTuple):
    """What came of storing or fetching.

    Attributes:
        runs: in the journal.
        files: how many lie where they were to lie.
        left: how many do not.
        drive: the name of the archive drive.
        why: what did not work, in a sentence; empty for nothing.
    """

    runs: tuple[str, ...]
    files: int
    left: int
    drive: str
    why: str


class StoringService:
    """Moves folders between a library's root and its archive drives."""

    def __init__(self, opened: Opened, places: PlacesService, rules: Callable[[], HouseRules]) -> None:
        self._at, self._places, self._rules = opened, places, rules

    def store(self, folders: Sequence[str], on: str) -> Crossed:
        """Store folders away.

        Args:
            folders: relative to the library.
            on: a folder on the drive, or the name of one that is known.

        Raises:
            LibraryTrouble: when it can't be done.
            Stopped: when it was stopped before anything moved.
        """
        at = self._at
        drive = drive_named(at.library, on)
        self._clear_up()
        try:
            rules, places = self._rules(), self._places.look()
            wanted = to_store(at.library, at.ledger, folders, drive, rules, places)
            if wanted.is_short:
                raise PlaceFull(drive.root)
            outcome = store_away(
                wanted, at.library, at.ledger, rules, places, stop=at.stop, report=at.teller.working,
                listener=self._listener("Storing and proving"),
            )  # fmt: skip
        finally:
            at.changed()
        return _crossed([outcome], len(wanted.paths), drive.name)

    def fetch(self, paths: Sequence[str]) -> Crossed:
        """Fetch folders or files back.

        Args:
            paths: relative to the library.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        at = self._at
        self._clear_up()
        try:
            parts = to_fetch(at.library, at.ledger, paths)
            outcomes: list[Outcome] = []
            for wanted in parts:
                if not any(one.trouble for one in outcomes):
                    listener = self._listener(f"Fetching from {wanted.drive.name}")
                    outcomes.append(fetch_back(wanted, at.library, at.ledger, stop=at.stop, listener=listener))
        finally:
            at.changed()
        return _crossed(outcomes, sum(len(one.paths) for one in parts), parts[0].drive.name)

    def _clear_up(self) -> None:
        """Look through the library, and make up for what a run before could not end."""
        self._at.teller.working("Looking what moves")
        recover(self._at.library, self._at.ledger)
        self._at.survey()

    def _listener(self, what: str) -> Listener:
        teller = self._at.teller
        return Listener(
            progress=lambda run: teller.working(what, run.files, run.all_files, speed=run.proven_speed, changes=True)
        )


def _crossed(outcomes: Sequence[Outcome], files: int, drive: str) -> Crossed:
    done = sum(one.home for one in outcomes)
    runs = tuple(one.run for one in outcomes if one.run)
    return Crossed(runs, done, files - done, drive, next((one.why for one in outcomes if one.why), ""))
