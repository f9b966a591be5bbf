"""What a start finds after a kill or a power loss: own temporaries are cleared, unfinished intakes are told.

A final name is only ever given to proven bytes, so a planned target that exists in full is home; its source need not
be believed. An empty target is a reservation (see `jutrek.disk`), and is removed, when its whole temporary still lies
beside it; any other empty file is somebody else's.
"""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass

from jutrek.disk import TEMPORARY
from jutrek.errors import LibraryMissing, reason
from jutrek.library import Library, keep_numbers
from jutrek.transfer.journal import Account, Journal, unfinished
from jutrek.transfer.lock import locked


@dataclass(frozen=True, slots=True)
class Leftover:
    """An intake that did not end: when it began (UTC, ISO 8601), how many files are home, how many are left."""

    intake: str
    at: str
    home: int
    left: int


def recover(library: Library) -> list[Leftover]:
    """Clear what unfinished intakes left on disk and close their journals.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryMissing: when the library cannot be written.
    """
    with locked(library):
        try:
            return [_settle(library, account) for account in unfinished(library)]
        except OSError as error:
            raise LibraryMissing(library.root, f"its last run can't be cleared up: {reason(error)}") from error


def _settle(library: Library, account: Account) -> Leftover:
    home = 0
    numbers: dict[str, int] = {}
    for row, entry in account.to_come.items():
        path = os.path.join(library.root, str(entry["to"]))
        temporary = os.path.join(os.path.dirname(path), f"{TEMPORARY}{account.intake}-{row}.part")
        size = _size(path)
        if size == entry["size"]:
            home += 1
            if "counter" in entry:
                numbers[entry["counter"]] = max(entry["number"], numbers.get(entry["counter"], 0))
        elif size == 0 and _size(temporary) == entry["size"]:
            os.unlink(path)
        with contextlib.suppress(FileNotFoundError, NotADirectoryError):
            os.unlink(temporary)
    keep_numbers(library, numbers)
    left = len(account.to_come) - home
    journal = Journal(library, account.intake)
    try:
        journal.end("found again", home, left)
    finally:
        journal.close()
    return Leftover(account.intake, account.at, home, left)


def _size(path: str) -> int | None:
    """A file's size in bytes, or None where there is none."""
    try:
        return os.lstat(path).st_size
    except (FileNotFoundError, NotADirectoryError):
        return None
