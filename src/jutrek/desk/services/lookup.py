"""What of a library can be looked up while it is at work: nothing here changes it, or waits for who does."""

from __future__ import annotations

import threading
import time
from collections.abc import Mapping, Sequence

from jutrek.desk import events
from jutrek.desk.doubles import FileFacts, facts_of
from jutrek.desk.hub import Teller
from jutrek.desk.jobs import Ahead, JobsSeen, Said, all_seen, seen_ahead
from jutrek.desk.outbox_keeper import OutboxKeeper
from jutrek.desk.outbox_run import remove_with_copies
from jutrek.desk.outboxes import add_outbox, remove_outbox
from jutrek.desk.outlines import Tried, tried
from jutrek.desk.outside_watch import OutsideWatch
from jutrek.desk.records import FileRecord, every_mark, files_of, records_of
from jutrek.desk.services.sorting import Sortings
from jutrek.desk.viewing import Views
from jutrek.doubles.degrees import Group
from jutrek.errors import NotPossible, OutboxBusy, reason
from jutrek.filing.rulebook import load_rules
from jutrek.jobs.job import Placed
from jutrek.jobs.listed import placed_jobs
from jutrek.jobs.shelf import Kept, read
from jutrek.library import Library, drives_here
from jutrek.library.ledger import Ledger
from jutrek.outboxes.asked import Asked
from jutrek.views.conditions import Sort, Value
from jutrek.views.kept import KeptView, keep_view, kept_views, remove_view
from jutrek.views.shelves import Thing

_GIVEN_UP = 10.0
"""Seconds after which a copy that is being made is given up at the latest; else somebody else makes it."""


class LookupService:
    """Reads the journal, and what tells doubles apart, with a ledger of its own."""

    def __init__(self, library: Library, teller: Teller, stop: threading.Event) -> None:
        self._library, self._teller, self._stop = library, teller, stop
        self._ledger = Ledger(library.ledger_path)
        self.views = Views(library, self._ledger)
        self.sortings = Sortings(library, self.views, teller.working)
        self._watch: OutsideWatch | None = None
        self.outboxes = OutboxKeeper(library.root, lambda found: teller.tell(events.OutboxesKnown(found)))

    def tell_records(self) -> None:
        """Read the journal; `RecordsKnown` follows."""
        self._teller.working("Reading the journal")
        records = records_of(self._library)
        self._teller.tell(events.RecordsKnown(tuple(records)))

    def files_of(self, run: str) -> tuple[FileRecord, ...]:
        """The files of a run.

        Raises:
            NotPossible: when its record cannot be read.
        """
        try:
            return tuple(files_of(self._library, run, every_mark(self._library, self._ledger)))
        except OSError as error:
            raise NotPossible(self._library.root, f"the record of {run} can't be read: {reason(error)}") from error

    def facts_of(self, group: Group) -> tuple[FileFacts, ...]:
        """What tells the files of a group of doubles apart."""
        return facts_of(group, self._library, self._ledger)

    def watch(self) -> None:
        """From now on `ChangedOutside` tells when another program may have changed the library, and `OutboxesKnown`
        how outboxes stand, which are kept in step."""
        if self._watch is None:
            library = self._library
            self._watch = OutsideWatch(
                library.root, lambda: self._teller.tell(events.ChangedOutside()),
                lambda: [drive.root for drive in drives_here(library)],
            )  # fmt: skip
            self._watch.start()
        self.outboxes.start()

    def forgive(self) -> None:
        """What changed in this moment Jutrek itself did."""
        if self._watch is not None:
            self._watch.forgive()

    def catch_up(self, *, look: bool = False) -> int:
        """Look whether other files are at home than before. Returns how many are to be read for what they say.

        Args:
            look: whether to look through it in any case.

        Raises:
            LibraryTrouble: when the library cannot be listed.
            Stopped: when it was stopped.
        """
        return self.views.catch_up(self._stop, self._teller.working, look=look)

    def read_some(self) -> int:
        """Read some of them. Returns how many are left. Raises `Stopped` when it was stopped."""
        return self.views.read_some(self._stop)

    def jobs(self) -> JobsSeen:
        """All that is shown of the library's jobs.

        Raises:
            LibraryTrouble: when the library cannot be listed.
            Stopped: when it was stopped.
        """
        self.catch_up()
        seen = all_seen(self._library, self._ledger)
        self._teller.tell(events.JobsKnown(len(seen.jobs)))
        return seen

    def placed_jobs(self) -> list[Placed]:
        """The jobs of the library, where each lies, the newest first."""
        return placed_jobs(self._library, self._ledger)[0]

    def what_it_makes(self, said: Said, kept: Kept) -> Ahead:
        """What a start by an outline would make, and the job's number, as far as that can be told by now.

        Args:
            said: what was filled in.
            kept: the outline, also one that is being written.

        Raises:
            LibraryTrouble: where the outline can't be used, or a number that is wanted can't be had.
            CantStart: where not even that can be told.
        """
        return seen_ahead(self._library, said, load_rules(self._library).rules, kept)

    def try_outline(self, name: str, text: str, starters: Mapping[str, int]) -> Tried:
        """An outline as it is written by now, with what it would make."""
        kept = read(self._library, name, text, starters)
        return tried(self._library, kept, load_rules(self._library).rules)

    def kept_views(self) -> tuple[list[KeptView], list[str]]:
        """The views that are kept, and a sentence for every damaged entry of their page."""
        return kept_views(self._library)

    def keep_view(self, name: str, text: str) -> KeptView | None:
        """Keep a view.

        Args:
            name: what it is called.
            text: its sentence.

        Returns:
            What was kept under that name before.

        Raises:
            LibraryTrouble: when it cannot be kept.
        """
        return keep_view(self._library, name, text)

    def remove_view(self, name: str) -> KeptView:
        """Keep a view no longer. Raises `LibraryTrouble` when that cannot be."""
        return remove_view(self._library, name)

    def add_outbox(self, folder: str, text: str, like: Asked) -> None:
        """Keep small copies of a view in a folder from now on; `OutboxesKnown` tells how far that is.

        Raises:
            LibraryTrouble: when they can't be kept there.
        """
        add_outbox(folder, self._library.root, text, like)
        self.outboxes.look()

    def remove_outbox(self, folder: str, *, copies: bool) -> int:
        """Keep a folder in step no longer. Returns how many copies were removed.

        Args:
            folder: of the outbox.
            copies: whether the copies that were made in it are to go.

        Raises:
            LibraryTrouble: when it is being filled just now, or can't be written.
        """
        self.outboxes.leave(folder)
        try:
            if copies:
                return self._removed_with_copies(folder)
            remove_outbox(folder)
            return 0
        finally:
            self.outboxes.look()

    def _removed_with_copies(self, folder: str) -> int:
        """Remove an outbox with its copies, as soon as the one that is being made is given up."""
        until = time.monotonic() + _GIVEN_UP
        while True:
            try:
                return remove_with_copies(folder, stop=self._stop)
            except OutboxBusy:
                if time.monotonic() > until or self._stop.wait(0.05):
                    raise

    def put_on(self, name: str, paths: Sequence[str], before: Thing | None = None) -> int:
        """Put captures on a shelf: `Views.put_on`, which is told of and can be stopped."""
        return self.views.put_on(name, paths, before, stop=self._stop, report=self._teller.working)

    def sort_came(self, name: str, paths: Sequence[str]) -> str:
        """Put captures that just came home on a shelf, and sort that by hand from now on.

        Args:
            name: of the shelf; what stands on it already stays.
            paths: of their files.

        Returns:
            The id of the sorting.

        Raises:
            LibraryTrouble: when they can't be put on a shelf, or none of them is at home.
            Stopped: when it was stopped.
        """
        self.views.catch_up(self._stop, self._teller.working, look=True)
        while self.views.read_some(self._stop):
            continue
        self.views.renew(soon=False)
        self.put_on(name, paths)
        return self.sortings.begin(Value(Sort.SHELF, name), name)

    def arrange(self, paths: Sequence[str], before: str) -> None:
        """Put captures in another place in their folder: `Views.arrange`, likewise."""
        self.views.arrange(paths, before, stop=self._stop, report=self._teller.working)

    def close(self) -> None:
        """Close the ledger."""
        if self._watch is not None:
            self._watch.stop()
        self.outboxes.stop()
        self._ledger.close()
