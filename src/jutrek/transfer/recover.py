"""What a start finds after a kill or a power loss: own temporaries are cleared, unfinished runs are told.

A final name is only ever given to proven bytes, so a planned target that exists in full is home; its source need not
be believed. An empty target is a reservation (see `jutrek.disk`), and is removed, when its whole temporary still lies
beside it; any other empty file is somebody else's. What is durable of a large file is kept as a partial. Of a run of
moves each file lies at its old path or at its new one; where a name was being given in two steps, the first is taken
back or the second made. The ledger follows the disk.
"""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.disk import give_name
from jutrek.errors import LibraryMissing, reason
from jutrek.filing.rulebook import load_rules
from jutrek.library import HomeFile, Library, as_place, connected, keep_numbers, known_places
from jutrek.sources import mounts
from jutrek.transfer.accounts import Account, filed_by, known_of_files, unfinished
from jutrek.transfer.copies import temporary_name
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.moving import follow, restore
from jutrek.transfer.partials import keep_partial
from jutrek.transfer.sidecars import write_sidecar
from jutrek.transfer.taking_back import row_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


@dataclass(frozen=True, slots=True)
class Leftover:
    """A run that did not end.

    Attributes:
        run: its id.
        at: when it began (UTC, ISO 8601).
        home, left: how many files are home or moved, and how many are not.
        kind: what it was to do.
    """

    run: str
    at: str
    home: int
    left: int
    kind: Kind = Kind.INTAKE

    @property
    def moved(self) -> bool:
        """Whether it moved files within the library."""
        return self.kind in (Kind.REFILE, Kind.TAKE_BACK, Kind.SET_ASIDE)


def recover(library: Library, ledger: Ledger) -> list[Leftover]:
    """Clear what unfinished runs left on disk, close their journals, and let the ledger learn what it missed.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryMissing: when the library cannot be written.
    """
    with locked(library):
        try:
            leftovers = [_settle(library, ledger, account) for account in list(unfinished(library))]
            if ledger.is_new:
                _teach(library, ledger)
            return leftovers
        except OSError as error:
            raise LibraryMissing(library.root, f"its last run can't be cleared up: {reason(error)}") from error


def _teach(library: Library, ledger: Ledger) -> None:
    """A ledger that was lost, or never was, learns from the journals."""
    filed, proofs = known_of_files(library)
    ledger.put_filed(filed.items())
    ledger.put_proofs(proofs)
    ledger.put([HomeFile(one.path, one.size, one.mtime_ns, None, one.full) for one in proofs if not one.place])
    ledger.is_new = False


def _settle(library: Library, ledger: Ledger, account: Account) -> Leftover:
    journal = Journal(library, account.run)
    try:
        if account.moves:
            done = _settle_moves(library, ledger, account, journal)
        else:
            done = _settle_bringing(library, ledger, account, journal)
        numbers: dict[str, int] = {}
        for row in done:
            entry = account.to_do[row]
            if "counter" in entry:
                key, number = str(entry["counter"]), int(entry["number"])
                numbers[key] = max(number, numbers.get(key, 0))
        keep_numbers(library, numbers)
        left = len(account.to_do) - len(done)
        size = sum(int(account.to_do[row]["size"]) for row in done)
        copies = {place: len(rows) for place, rows in account.copied.items()}
        journal.end("found again", len(done), left, bytes=size, copies=copies)
    finally:
        journal.close()
    return Leftover(account.run, account.at, len(done), left, account.kind)


def _settle_bringing(library: Library, ledger: Ledger, account: Account, journal: Journal) -> list[int]:
    """Clear up after an intake, or after catching a place up. Returns the rows that are home."""
    others = [place for one in known_places(library) if (place := connected(one, _tops()))]
    main = str(account.head.get("place", ""))
    places = sorted([as_place(library), *others], key=lambda place: place.id != main)
    home: list[int] = []
    for row, entry in account.to_come.items():
        for number, place in enumerate(places):
            if _settle_file(place.root, account, row, entry) and number == 0 and place.id == main:
                home.append(row)
    journal.note(*({"entry": "found", "row": row} for row in home if row not in account.done))
    if account.kind is Kind.INTAKE:
        _write_sidecars(library, account, home, journal)
        ledger.put_filed((str(account.to_come[row]["to"]), filed_by(account.to_come[row])) for row in home)
    return home


def _write_sidecars(library: Library, account: Account, home: list[int], journal: Journal) -> None:
    """Write the sidecars that a kill kept from being written. One that bears the name already is left as it is."""
    wanted = [row for row in home if "sidecar" in account.to_come[row] and row not in account.sidecars]
    if wanted:
        rules = load_rules(library).rules
        for number in wanted:
            row = row_of(account.to_come[number])
            trouble, stamp = write_sidecar(library.root, row, rules)
            if not trouble:
                journal.sidecar(number, row, *stamp)


def _settle_file(root: str, account: Account, row: int, entry: dict[str, object]) -> bool:
    """Clear up after one file in one place. Returns whether it is there."""
    path = os.path.join(root, str(entry["to"]))
    if row in account.done and _size(path) == entry["size"]:
        return True
    temporary = os.path.join(os.path.dirname(path), temporary_name(account.run, row))
    size, whole = _size(path), int(str(entry["size"]))
    if size == 0 and whole and _size(temporary) == whole:
        os.unlink(path)
        size = None
    stamp = whole, int(str(entry["mtime_ns"]))
    if size is None and keep_partial(root, temporary, str(entry["source"]), stamp, account.parts.get(row, ())):
        return False
    with contextlib.suppress(FileNotFoundError, NotADirectoryError):
        os.unlink(temporary)
    return size == whole


def _settle_moves(library: Library, ledger: Ledger, account: Account, journal: Journal) -> list[int]:
    """Finish the account of a run of moves. Returns the rows that moved."""
    moved: list[int] = []
    _put_sidecars_back(library, account, journal)
    for row, entry in account.to_move.items():
        old, new = (os.path.join(library.root, str(entry[name])) for name in ("from", "to"))
        there, here = _size(new), _size(old)
        if there is not None and here is not None:
            if os.path.samefile(old, new):
                os.unlink(old)
                here = None
            elif there == 0 and here == entry["size"]:
                os.unlink(new)
                there = None
        if here is None and there == entry["size"]:
            moved.append(row)
    for row in moved:
        if row not in account.done:
            journal.moved(row)
    journal.sync()
    pairs = [(str(account.to_move[row]["from"]), str(account.to_move[row]["to"])) for row in moved]
    follow(ledger, pairs)
    restore(library, ledger, pairs)
    return moved


def _put_sidecars_back(library: Library, account: Account, journal: Journal) -> None:
    """Old versions of sidecars that a kill kept from being followed by new ones come back from the tray."""
    written = {str(entry["to"]) for entry in account.sidecars.values()}
    for entry in account.others:
        if entry["entry"] == "sidecar kept" and entry["from"] not in written:
            old, new = (os.path.join(library.root, str(entry[name])) for name in ("from", "to"))
            if _size(old) is None and _size(new) is not None:
                give_name(new, old)
            elif _size(new) is not None:
                status = os.lstat(old)
                journal.note({
                    "entry": "sidecar", "row": entry["row"], "to": entry["from"], "size": status.st_size,
                    "mtime_ns": status.st_mtime_ns,
                })  # fmt: skip


def _tops() -> list[str]:
    """The tops of what is mounted now."""
    return [mount.point for mount in mounts()]


def _size(path: str) -> int | None:
    """A file's size in bytes, or None where there is none."""
    try:
        return os.lstat(path).st_size
    except (FileNotFoundError, NotADirectoryError):
        return None
