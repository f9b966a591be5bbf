"""What a start finds after a kill or a power loss: own temporaries are cleared, unfinished runs are told.

A final name is only ever given to proven bytes, so a planned target that exists in full is home; its source need not
be believed. An empty target is a reservation (see `jutrek.disk`), and is removed, when its whole temporary still lies
beside it; any other empty file is somebody else's. Of a re-filing each file lies at its old path or at its new one;
where a name was being given in two steps, the first is taken back or the second made. The ledger follows the disk.
"""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.disk import TEMPORARY
from jutrek.errors import LibraryMissing, reason
from jutrek.library import Library, keep_numbers
from jutrek.transfer.accounts import Account, filed_by, known_of_files, unfinished
from jutrek.transfer.journal import Journal
from jutrek.transfer.lock import locked

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


@dataclass(frozen=True, slots=True)
class Leftover:
    """A run that did not end: when it began (UTC, ISO 8601), how many files are home or moved, how many are left.

    Attributes:
        refiling: whether it moved files within the library.
    """

    intake: str
    at: str
    home: int
    left: int
    refiling: bool = False


def recover(library: Library, ledger: Ledger) -> list[Leftover]:
    """Clear what unfinished runs left on disk, close their journals, and let the ledger learn what it missed.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryMissing: when the library cannot be written.
    """
    with locked(library):
        try:
            leftovers = [_settle(library, ledger, account) for account in unfinished(library)]
            if ledger.is_new:
                ledger.put_filed(known_of_files(library).items())
                ledger.is_new = False
            return leftovers
        except OSError as error:
            raise LibraryMissing(library.root, f"its last run can't be cleared up: {reason(error)}") from error


def _settle(library: Library, ledger: Ledger, account: Account) -> Leftover:
    done = (
        _settle_moves(library, ledger, account) if account.is_refiling else _settle_bringing(library, ledger, account)
    )
    entries = account.to_move if account.is_refiling else account.to_come
    numbers: dict[str, int] = {}
    for row in done:
        if "counter" in entries[row]:
            key, number = str(entries[row]["counter"]), int(entries[row]["number"])
            numbers[key] = max(number, numbers.get(key, 0))
    keep_numbers(library, numbers)
    left = len(entries) - len(done)
    journal = Journal(library, account.intake)
    try:
        journal.end("found again", len(done), left)
    finally:
        journal.close()
    return Leftover(account.intake, account.at, len(done), left, account.is_refiling)


def _settle_bringing(library: Library, ledger: Ledger, account: Account) -> list[int]:
    """Clear up after an intake. Returns the rows that are home."""
    home: list[int] = []
    for row, entry in account.to_come.items():
        path = os.path.join(library.root, str(entry["to"]))
        temporary = os.path.join(os.path.dirname(path), f"{TEMPORARY}{account.intake}-{row}.part")
        size = _size(path)
        if size == entry["size"]:
            home.append(row)
        elif size == 0 and _size(temporary) == entry["size"]:
            os.unlink(path)
        with contextlib.suppress(FileNotFoundError, NotADirectoryError):
            os.unlink(temporary)
    ledger.put_filed((str(account.to_come[row]["to"]), filed_by(account.to_come[row])) for row in home)
    return home


def _settle_moves(library: Library, ledger: Ledger, account: Account) -> list[int]:
    """Finish the account of a re-filing. Returns the rows that moved."""
    moved: list[int] = []
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
    journal = Journal(library, account.intake)
    try:
        for row in moved:
            if row not in account.done:
                journal.moved(row)
        journal.sync()
    finally:
        journal.close()
    ledger.move([(str(account.to_move[row]["from"]), str(account.to_move[row]["to"])) for row in moved])
    return moved


def _size(path: str) -> int | None:
    """A file's size in bytes, or None where there is none."""
    try:
        return os.lstat(path).st_size
    except (FileNotFoundError, NotADirectoryError):
        return None
