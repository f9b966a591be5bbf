"""What a start finds after a kill or a power loss: own temporaries are cleared, unfinished intakes are told.

A final name is only ever given to proven bytes, so a planned target that exists in full is home; its source need not
be believed. An empty target of a file that is not empty is a reservation (see `jutrek.disk`) and is removed.
"""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass

from jutrek.disk import TEMPORARY
from jutrek.library import Library
from jutrek.transfer.journal import Account, Journal, accounts
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
        return [_settle(library, account) for account in accounts(library) if not account.ended]


def _settle(library: Library, account: Account) -> Leftover:
    folders = {os.path.dirname(str(entry["to"])) for entry in account.to_come.values()}
    for folder in folders:
        _clear_temporaries(os.path.join(library.root, folder), account.intake)
    home = 0
    for entry in account.to_come.values():
        path = os.path.join(library.root, str(entry["to"]))
        with contextlib.suppress(OSError):
            size = os.lstat(path).st_size
            if size == entry["size"]:
                home += 1
            elif size == 0:
                os.unlink(path)
    left = len(account.to_come) - home
    journal = Journal(library, account.intake)
    try:
        journal.end("found again", home, left)
    finally:
        journal.close()
    return Leftover(account.intake, account.at, home, left)


def _clear_temporaries(folder: str, intake: str) -> None:
    with contextlib.suppress(FileNotFoundError, NotADirectoryError):
        for name in os.listdir(folder):
            if name.startswith(f"{TEMPORARY}{intake}-") and name.endswith(".part"):
                os.unlink(os.path.join(folder, name))
