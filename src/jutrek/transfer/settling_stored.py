"""The last step of storing and fetching, after a kill or a pulled drive: what lies on both sides goes from one.

A record may tell anything. So nothing goes that was not read on both sides now, and found equal.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Collection, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from jutrek.disk import Outside, inside
from jutrek.filing import Row
from jutrek.filing.rulebook import load_rules
from jutrek.library import LIBRARY, Library, Place, ProofMark, known_places
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.medium import aligned_buffer, read_back
from jutrek.transfer.renaming import remove_emptied
from jutrek.transfer.run_log import RunLog
from jutrek.transfer.storing import Copies, Prints, part_from, quick_print, remove
from jutrek.transfer.taking_back import row_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_ABOUT = ("place", "drive", "name", "root", "act")


def settle_stored(
    library: Library,
    ledger: Ledger,
    run_log: RunLog,
    journal: Journal,
    places: Sequence[Place],
    rows: Collection[int],
) -> None:
    """Go on with a run that was cut off, as far as both sides are here; and have the ledger know what went.

    Args:
        library: the library.
        ledger: its ledger, open.
        run_log: of the run.
        journal: of the same run, open.
        places: the library first, and what is connected of backups and drives.
        rows: those that are proven on the other side.
    """
    settling = _Settling(library, ledger, run_log, journal, places)
    told, is_store = run_log.originals_gone, run_log.kind is Kind.STORE
    # What is not in the root any more is where it was proven; a survey sees what is on neither side, or in the root.
    went = [row for row in rows if row in told or (is_store and settling.lacks(places[0], row))]
    settling.let_go([row for row in rows if row not in went], went)


def settle_late(library: Library, ledger: Ledger, run_log: RunLog, drive: Place, places: Sequence[Place]) -> None:
    """Go on with a run that ended while its drive was away, now that it is here again: in a run of its own.

    Arguments as of `settle_stored`; the drive is the one that came.
    """
    before = _Settling(library, ledger, run_log, None, places)
    both = [
        row
        for row in sorted(run_log.to_come.keys() - run_log.originals_gone)
        if not before.lacks(places[0], row) and not before.lacks(drive, row)
    ]
    if drive.id != run_log.head.get("drive") or not both:
        return
    about = {name: run_log.head[name] for name in _ABOUT if name in run_log.head} | {"continues": run_log.run}
    journal = Journal.begin(library, run_log.kind, about)
    try:
        journal.bring([row_of(run_log.to_come[row]) for row in both])
        again = RunLog(journal.run, run_log.kind, dict(run_log.head))
        again.to_come = {at: run_log.to_come[row] for at, row in enumerate(both)}
        gone = _Settling(library, ledger, again, journal, places).let_go(list(again.to_come), [])
        journal.end("found again", gone, len(both) - gone)
    finally:
        journal.close()


class _Settling:
    """A run that is gone on with.

    Attributes:
        main: the side that files came to; None where it is away.
    """

    def __init__(
        self, library: Library, ledger: Ledger, run_log: RunLog, journal: Journal | None, places: Sequence[Place]
    ) -> None:
        self._library, self._ledger, self._run, self._journal = library, ledger, run_log, journal
        drive = str(run_log.head.get("drive", ""))
        sides = {place.id: place for place in places if place.id == LIBRARY or place.archive}
        # The drive of a record may be none that is known.
        there = sides.get(drive) if drive else None
        self._drive = there or Place(drive, "", "", archive=True)
        is_store = run_log.kind is Kind.STORE
        self.main: Place | None = there if is_store else places[0]
        self._origin: Place | None = places[0] if is_store else there
        self._backups = [place for place in places if place.id != LIBRARY and not place.archive]

    def path(self, row: int) -> str:
        """The path of a row, the same on both sides."""
        return str(self._run.to_come[row]["to"])

    def lacks(self, place: Place, row: int) -> bool:
        """Whether a file is not on a side."""
        with contextlib.suppress(OSError, Outside):
            return place.tree.found(inside(self.path(row))) is None
        return True

    def let_go(self, left: Sequence[int], went: Sequence[int]) -> int:
        """Let those go that lie on both sides and are equal. Returns how many have gone.

        Args:
            left: rows of files that may be on both sides.
            went: rows of files that went before, and of which the ledger may know nothing.
        """
        gone, full = [(row, row_of(self._run.to_come[row])) for row in went], self._fulls(went)
        if self.main is not None and self._origin is not None:
            for row in left:
                mark = self._goes(self._origin, self.main, row)
                if mark is not None:
                    gone.append((row, row_of(self._run.to_come[row])))
                    full[mark.path] = mark.full
        if gone and self._journal is not None:
            main = self.main or self._drive
            prints = ((path, quick_print(main, path)) for row, _ in gone if self.main and (path := self.path(row)))
            quick = {path: mark for path, mark in prints if mark is not None}
            part_from(self._journal, self._ledger, self._origin or self._drive, main, gone, Prints(quick, full))
        if self._origin is not None:
            for folder in {inside(self.path(row)).folder for row, _ in gone}:
                for _ in remove_emptied(self._origin.tree, folder):
                    pass
        return len(gone)

    def _goes(self, origin: Place, main: Place, row: int) -> ProofMark | None:
        """Let one file go if it may. Returns the mark of it on the other side, None where it stays."""
        mark = _equal(origin, main, row_of(self._run.to_come[row]))
        if mark is None or self._journal is None or (main.archive and self._copies.lack(mark.path, mark.full)):
            return None
        if "xxh3_128" not in self._run.done.get(row, {}):
            stamp: Mapping[str, Any] = {"xxh3_128": mark.full.hex(), "mtime_ns": mark.mtime_ns}
            self._journal.note({"entry": "found", "row": row, **stamp})
        self._ledger.put_proofs([mark])
        self._journal.sync()
        return None if remove(origin, row_of(self._run.to_come[row])) else mark

    @property
    def _copies(self) -> Copies:
        here = {place.id for place in self._backups}
        away = [place for place in known_places(self._library) if place.id not in here]
        return Copies(self._ledger, self._backups, away, load_rules(self._library).rules.least_copies)

    def _fulls(self, rows: Collection[int]) -> dict[str, bytes]:
        """The full fingerprints that a record tells, by path."""
        told = {self.path(row): str(self._run.done.get(row, {}).get("xxh3_128", "")) for row in rows}
        return {path: bytes.fromhex(text) for path, text in told.items() if text}


def _equal(origin: Place, main: Place, row: Row) -> ProofMark | None:
    """The mark of a file that was read on both sides, and is the same to the byte."""
    buffer = aligned_buffer()
    try:
        path = inside(row.destination)
        here, there = origin.tree.lstat(path), main.tree.lstat(path)
        if os.path.samestat(here, there) or here.st_size != there.st_size:
            return None
        if path.name not in main.tree.names(path.folder):
            # A side that does not tell case: it is another file's.
            return None
        ours, _ = read_back(origin.tree, path, buffer)
        theirs, _ = read_back(main.tree, path, buffer)
    except (OSError, Outside):
        return None
    mark = ProofMark(main.id, str(path), there.st_size, there.st_mtime_ns, theirs, now())
    return mark.seen(there) if ours == theirs else None
