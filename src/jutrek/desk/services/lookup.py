"""What of a library can be looked up while it is at work: nothing here changes it, or waits for who does."""

from __future__ import annotations

from jutrek.desk import events
from jutrek.desk.doubles import FileFacts, facts_of
from jutrek.desk.hub import Teller
from jutrek.desk.records import FileRecord, every_mark, files_of, records_of
from jutrek.doubles.degrees import Group
from jutrek.errors import NotPossible, reason
from jutrek.library import Library
from jutrek.library.ledger import Ledger


class LookupService:
    """Reads the journal, and what tells doubles apart, with a ledger of its own."""

    def __init__(self, library: Library, teller: Teller) -> None:
        self._library, self._teller = library, teller
        self._ledger = Ledger(library.ledger_path)

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

    def close(self) -> None:
        """Close the ledger."""
        self._ledger.close()
