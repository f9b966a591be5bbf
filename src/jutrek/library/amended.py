"""Files that were amended since they came (turned, or said something in): what they were before, so that their
originals count as home still.

An amended file is its original but for some bytes, which are known. So it can be told, and proven by reading it with
these put back, that what a card holds is here.
"""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager
from typing import NamedTuple

from jutrek.formats.splices import Splice, chained
from jutrek.library.rows import put_rows

_COLUMNS = "amended.path, amended.size, amended.quick, amended.was, amended.now, amended.splices"


class Amended(NamedTuple):
    """A file that was amended.

    Attributes:
        path: relative to the library.
        size: in bytes, before.
        quick, was: fingerprints of what it was.
        now: the fingerprint of what it is.
        splices: what made the one of the other, counted in what it was.
    """

    path: str
    size: int
    quick: bytes
    was: bytes
    now: bytes
    splices: tuple[Splice, ...]

    def after(self, before: Amended | None) -> Amended | None:
        """The same of what it was before it was amended the first time; None where it is that again."""
        if before is None or before.now != self.was:
            return self
        if self.now == before.was:
            return None
        return before._replace(
            path=self.path, now=self.now, splices=chained(before.splices, self.splices, before.size)
        )  # fmt: skip


class AmendedFiles:
    """The table of amended files."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def put(self, files: Iterable[Amended]) -> None:
        """Files were amended; of one that was amended before it is kept what it was at first."""
        files = list(files)
        with self._transaction() as connection:
            for one in files:
                known = one.after(_of(connection, one.path))
                connection.execute("DELETE FROM amended WHERE path = ?", (os.fsencode(one.path),))
                if known is not None:
                    splices = [[offset, old.hex(), new.hex()] for offset, old, new in known.splices]
                    row = os.fsencode(one.path), known.size, known.quick, known.was, known.now, json.dumps(splices)
                    put_rows(connection, "amended", [row])

    def of(self, path: str) -> Amended | None:
        """What is known of a file; None where it was not amended."""
        with self._transaction() as connection:
            return _of(connection, path)

    def standing(self) -> list[Amended]:
        """Those that are as they were left, as far as the ledger knows."""
        query = f'SELECT {_COLUMNS} FROM amended JOIN files ON files.path = amended.path AND files."full" = amended.now'
        with self._transaction() as connection:
            rows = connection.execute(query).fetchall()
        return [one for one in map(_told, rows) if one is not None]


def _of(connection: sqlite3.Connection, path: str) -> Amended | None:
    query = f"SELECT {_COLUMNS} FROM amended WHERE path = ?"
    row = connection.execute(query, (os.fsencode(path),)).fetchone()
    return _told(row) if row is not None else None


def _told(row: tuple[bytes, int, bytes, bytes, bytes, str]) -> Amended | None:
    path, size, quick, was, now, text = row
    try:
        splices = tuple(Splice(int(at), bytes.fromhex(old), bytes.fromhex(new)) for at, old, new in json.loads(text))
    except (ValueError, TypeError):
        return None
    return Amended(os.fsdecode(path), size, quick, was, now, splices)
