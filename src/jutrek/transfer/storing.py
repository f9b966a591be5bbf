"""Storing whole folders away on an archive drive, and fetching them back: a proven move from one disk to another.

    1. every file is carried to the same path on the other side, read back there, and named, as on an intake;
    2. the journal tells that it is proven there, and is synced;
    3. only then, and only if it is what was read still and as many copies are left as the house wants, it goes from
       where it was; its folder is synced, the journal tells that, and then the ledger.

So a kill, a pulled drive or a full disk leaves each file where it was, or on both sides with the proof written down;
the next start that has both sides goes on at step 3 (`settle_stored`). Doing it again goes on with what is left.
"""

from __future__ import annotations

import contextlib
import os
from collections import Counter
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import Inside, Outside, folded, inside
from jutrek.errors import NotPossible, PlaceFull, PlaceLost, PlaceUnusable, reason, shown
from jutrek.filing import Action, HouseRules, Row
from jutrek.library import LIBRARY, Library, Place, as_place
from jutrek.library.fingerprint import quick_of
from jutrek.transfer.at_work import begin_in, end_in
from jutrek.transfer.capacity import hindrances
from jutrek.transfer.control import Control
from jutrek.transfer.copies import Target, unchanged
from jutrek.transfer.flight import Proof
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.learning_stored import learn_stored
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import open_regular
from jutrek.transfer.outcome import Done, Listener, Outcome
from jutrek.transfer.renaming import remove_emptied
from jutrek.transfer.running import Run, Task

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE = 6
"""Files that are let go at once."""
GONE = "original gone"
"""The entry of a journal that says that a file went from where it was."""


class Copies:
    """Tells whether as many proven copies of a file are left as the house wants, when it goes from the root."""

    def __init__(self, ledger: Ledger, places: Sequence[Place], away: Sequence[Place], least: int) -> None:
        """
        Args:
            ledger: of the library.
            places: its backups that are connected; `away` those that are not, whose last proofs count.
            least: how many copies there must be, that on the drive among them.
        """
        self._ledger, self._here, self._away, self.least = ledger, places, away, least

    def of(self, path: str, full: bytes | None) -> int:
        """How many there will be: that on the drive, and one in each backup that has a proven one, as far as seen."""
        found = 1
        for place in (*self._here, *self._away):
            mark = self._ledger.mark_of(path, place.id)
            if mark is not None and mark.stands and full in (None, mark.full):
                found += place in self._away or unchanged(place.tree, mark)
        return found

    def lack(self, path: str, full: bytes | None) -> str:
        """Why a file must stay in the root; empty where it may go."""
        if self.least <= 1 or (there := self.of(path, full)) >= self.least:
            return ""
        return f"The house wants {self.least} proven copies of what leaves the library, and there would be {there}."


def store(
    paths: Sequence[str],
    library: Library,
    ledger: Ledger,
    drive: Place,
    copies: Copies,
    *,
    control: Control,
    listener: Listener | None = None,
    about: Mapping[str, Any] | None = None,
) -> Outcome:
    """Move files of a library to an archive drive. The ledger must have been surveyed.

    Args:
        paths: relative to the library.
        library: the library.
        ledger: its ledger, open.
        drive: the archive drive, connected.
        copies: tells what may leave the library.
        control: steers it: pause, stop, answers.
        listener: hears how it goes on.
        about: what else the journal's first line tells.

    Returns:
        The outcome: `home` counts what is stored. A full or lost drive, or a stop, is its `trouble`.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        NotPossible: when nothing may leave the library by house rule.
        PlaceFull, PlaceUnusable: when the drive can't take them.
    """
    marks, files = ledger.marks(LIBRARY), ledger.all_files()
    full = {path: mark.full for path in paths if (mark := marks.get(path)) and mark[2:4] == files.get(path)}
    lacks = {path: why for path in paths if (why := copies.lack(path, full.get(path)))}
    if lacks and len(lacks) == len(paths):
        raise NotPossible(library.root, next(iter(lacks.values())).rstrip("."))
    rows = [
        Row(os.path.join(library.root, path), library.root, Action.BRING, path, f"To {drive.name}.", *files[path])
        for path in paths
        if path not in lacks and path in files
    ]
    expected = {row.source: full[path] for row in rows if (path := row.destination or "") in full}
    with locked(library):
        head = {"place": drive.id, "drive": drive.id, **_told(drive), **(about or {})}
        task = Task(rows, HouseRules(), _targets(drive, rows), Kind.STORE, head, expected=expected)
        run = _Crossing(task, library, ledger, control, listener or Listener())
        learn_stored(library, ledger)
        outcome = run.cross(as_place(library), drive, copies)
        ledger.stored.keep_run(outcome.run or ledger.stored.last_run())
        for path, why in lacks.items():
            left = Row(os.path.join(library.root, path), library.root, Action.STAY, path, why, *files[path])
            outcome.done.append(Done(left, False, why))
        outcome.remarks += lists_follow(library, ledger, [drive], process="transfer", begin=True)
        return outcome


def fetch(
    paths: Sequence[str],
    library: Library,
    ledger: Ledger,
    drive: Place,
    *,
    control: Control,
    listener: Listener | None = None,
    about: Mapping[str, Any] | None = None,
) -> Outcome:
    """Move stored files back into the root of a library. The ledger must have been surveyed.

    What cannot go from a drive that is read-only is home all the same, and told.

    Args:
        paths: relative to the library.
        library: the library.
        ledger: its ledger, open.
        drive: the archive drive that has them, connected.
        control: steers it: pause, stop, answers.
        listener: hears how it goes on.
        about: what else the journal's first line tells.

    Returns:
        The outcome: `home` counts what is in the root again.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        PlaceFull, PlaceUnusable: when the library can't take them.
    """
    marks, files = ledger.proofs(drive.id), ledger.all_files()
    rows = [
        Row(drive.tree.at(inside(path)), drive.root, Action.BRING, path, f"From {drive.name}.", *files[path])
        for path in paths
        if path in files
    ]
    expected = {
        row.source: mark.full
        for row in rows
        if (mark := marks.get(row.destination or "")) and (mark.size, mark.mtime_ns) == (row.size, row.mtime_ns)
    }
    home = as_place(library)
    with locked(library):
        head = {"place": LIBRARY, "drive": drive.id, **_told(drive), **(about or {})}
        task = Task(rows, HouseRules(), _targets(home, rows), Kind.FETCH, head, expected=expected)
        learn_stored(library, ledger)
        outcome = _Crossing(task, library, ledger, control, listener or Listener()).cross(drive, home)
        ledger.stored.keep_run(outcome.run or ledger.stored.last_run())
        outcome.remarks += lists_follow(library, ledger, [drive])
        return outcome


def _told(drive: Place) -> dict[str, str]:
    return {"name": drive.name, "root": drive.root}


def _targets(place: Place, rows: Sequence[Row]) -> tuple[Target, ...]:
    """The side that files come to.

    Raises:
        PlaceFull: when it has no room.
        PlaceUnusable: when it can't take them otherwise.
    """
    try:
        for hindrance in hindrances(place, rows):
            if hindrance.whole and hindrance.lacking:
                raise PlaceFull(place.root)
            if hindrance.whole:
                raise PlaceUnusable(place.root, hindrance.what.rstrip("."))
        return (Target(place, main=True),)
    except OSError as error:
        raise PlaceLost(place.root, error) from error


class _Crossing(Run):
    """A run from one side to the other, from which files go once they are proven on the other."""

    def cross(self, origin: Place, main: Place, copies: Copies | None = None) -> Outcome:
        """Do it."""
        self._origin, self._main, self._copies = origin, main, copies
        self._left: set[Inside] = set()
        self._stays = False
        there = (path for path, drive in self._ledger.stored.all().items() if drive == main.id)
        names = Counter(folded(path) for path in (*there, *(row.destination or "" for row in self._rows)))
        self._alike = {name for name, count in names.items() if count > 1} if main.archive else set[str]()
        return self.go() if self._rows else Outcome()

    def _begin(self) -> None:
        begin_in([self._origin], self._journal.run)

    def _part(self, journal: Journal) -> dict[int, str]:
        waiting = self._waiting
        known = self._ledger.of_paths(proof.row.destination or "" for _, proof in waiting)
        lacks = {number: self._lack(proof) for number, proof in waiting}

        def go(one: tuple[int, Proof]) -> tuple[str, bytes | None]:
            """Let one file go. Returns why it stays, and its quick fingerprint."""
            number, proof = one
            try:
                why = lacks[number] or self._keeps(proof)
            except OSError as error:
                why = f"It could not be looked at any more: {reason(error)}."
            if why:
                return why, None
            self._listener.step("proven there", proof.row)
            path = proof.row.destination or ""
            home = known.get(path)
            quick = home.quick if home is not None and home.quick is not None else quick_print(self._main, path)
            why = remove(self._origin, proof.row)
            self._listener.step("original gone", proof.row)
            return why, quick

        # To look, to read a little and to remove are waits for disks: several at once take less time.
        with ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="parts") as pool:
            went = dict(zip(waiting, pool.map(go, waiting), strict=True))
        stays = {number: why for (number, _), (why, _) in went.items() if why}
        gone = [(number, proof.row) for number, proof in waiting if number not in stays]
        folders = {inside(row.destination).folder for _, row in gone}
        self._left |= {folder for folder in folders if folder is not None}
        self._stays |= bool(stays)
        quick = {one.row.destination or "": mark for (_, one), (_, mark) in went.items() if mark is not None}
        full = {proof.row.destination or "": proof.full for _, proof in waiting}
        part_from(journal, self._ledger, self._origin, self._main, gone, Prints(quick, full))
        return self._at_home(stays) if self._origin.archive else stays

    def _at_home(self, stays: Mapping[int, str]) -> dict[int, str]:
        """What was fetched is in the root, whatever became of what is on the drive; that is told."""
        rows = {number: proof.row for number, proof in self._waiting}
        self._ledger.stored.forget(row.destination or "" for row in rows.values())
        self._outcome.remarks += [
            f"{shown(str(rows[number].destination))} is in the library, and on {shown(self._origin.name)}, too: {why}"
            for number, why in stays.items()
        ]
        return {}

    def _lack(self, proof: Proof) -> str:
        return self._copies.lack(proof.row.destination or "", proof.full) if self._copies is not None else ""

    def _keeps(self, proof: Proof) -> str:
        """Why a file has to stay where it is; empty where it may go."""
        path = inside(proof.row.destination)
        there = self._main.tree.found(path)
        if there is None or (there.st_size, there.st_mtime_ns) != (proof.row.size, proof.mtime_ns):
            return "What was proven is not there any more."
        # A drive that does not tell case takes two names for one: then a file that is there may be another one's.
        if folded(str(path)) in self._alike and path.name not in self._main.tree.names(path.folder):
            return f"{shown(self._main.name)} takes its name for that of another file."
        return ""

    def _close_books(self, journal: Journal) -> None:
        with contextlib.suppress(OSError):
            for folder in sorted(self._left, key=lambda one: len(one.parts), reverse=True):
                for gone in remove_emptied(self._origin.tree, folder):
                    if not self._origin.archive:
                        journal.removed_folder(str(gone))
        trouble, drive = self._outcome.trouble, self._main if self._main.archive else self._origin
        if isinstance(trouble, PlaceLost) and trouble.place == drive.root:
            # The library is here, and its record whole; the drive's page of what is at work there waits for it.
            with contextlib.suppress(OSError):
                journal.end("stopped", self._outcome.home, len(self._rows) - self._outcome.home)
            return
        super()._close_books(journal)
        if not self._stays:
            end_in([self._origin], journal.run)


def remove(origin: Place, row: Row) -> str:
    """Let a file go from where it was. Returns why it could not. One that is not there any more has gone."""
    try:
        path = inside(row.destination)
        status = origin.tree.found(path)
        if status is None:
            return ""
        if not row.stamp.unchanged(status):
            return "It changed since it was copied."
        origin.tree.remove(path, still=status)
    except (OSError, Outside) as error:
        why = reason(error) if isinstance(error, OSError) else str(error)
        return f"It could not go from where it was: {why}."
    return ""


def quick_print(place: Place, path: str) -> bytes | None:
    """The quick fingerprint of a file, by which it is known while its drive is away; None where it can't be read."""
    with contextlib.suppress(OSError, Outside):
        fd, _ = open_regular(place.tree, inside(path))
        try:
            return quick_of(fd)
        finally:
            os.close(fd)
    return None


class Prints(NamedTuple):
    """Quick and full fingerprints of files, by path."""

    quick: Mapping[str, bytes]
    full: Mapping[str, bytes]


def part_from(
    journal: Journal, ledger: Ledger, origin: Place, main: Place, gone: Sequence[tuple[int, Row]], prints: Prints
) -> None:
    """Make durable that files went from where they were, and have the journal and the ledger know it."""
    # What comes again on a drive that was pulled right then lies in the root all the same.
    harmless = OSError if origin.archive else FileNotFoundError
    for folder in {inside(row.destination).folder for _, row in gone}:
        with contextlib.suppress(harmless):
            origin.tree.sync_folder(folder)
    journal.note(*({"entry": GONE, "row": number} for number, _ in gone))
    journal.sync()
    paths = [row.destination or "" for _, row in gone]
    ledger.drop_proofs(origin.id, paths)
    marks = {path: ledger.mark_of(path, main.id) for path in paths}
    ledger.stored.came(main.id, [
        (path, mark.mtime_ns if mark is not None else row.mtime_ns, prints.quick.get(path), prints.full.get(path))
        for (path, mark), (_, row) in zip(marks.items(), gone, strict=True)
    ])  # fmt: skip
