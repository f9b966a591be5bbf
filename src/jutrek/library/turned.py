"""Files that were turned in place since they came: what they were before, so that their originals count as home still.

A turned file is its original but for a few bytes, which are known. So it can be told, and proven by reading it with
these put back, that what a card holds is here.
"""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager
from typing import NamedTuple

from jutrek.library.rows import put_rows

_COLUMNS = "turned.path, turned.size, turned.quick, turned.was, turned.now, turned.patches"


class Turned(NamedTuple):
    """A file that was turned.

    Attributes:
        path: relative to the library.
        size: in bytes, before and since.
        quick, was: fingerprints of what it was.
        now: the fingerprint of what it is.
        patches: by offset what stood there, and what stands there now.
    """

    path: str
    size: int
    quick: bytes
    was: bytes
    now: bytes
    patches: Mapping[int, tuple[bytes, bytes]]

    def after(self, before: Turned | None) -> Turned | None:
        """The same of what it was before it was turned the first time; None where it is that again."""
        if before is None or before.now != self.was or before.size != self.size:
            return self
        patches = {**before.patches}
        for offset, (old, new) in self.patches.items():
            patches[offset] = (patches[offset][0] if offset in patches else old, new)
        patches = {offset: (old, new) for offset, (old, new) in patches.items() if old != new}
        return self._replace(quick=before.quick, was=before.was, patches=patches) if self.now != before.was else None


class TurnedFiles:
    """The table of turned files."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def put(self, files: Iterable[Turned]) -> None:
        """Files were turned; of one that was turned before it is kept what it was at first."""
        for one in files:
            known = one.after(self.of(one.path))
            with self._transaction() as connection:
                connection.execute("DELETE FROM turned WHERE path = ?", (os.fsencode(one.path),))
                if known is not None:
                    patches = [[offset, old.hex(), new.hex()] for offset, (old, new) in known.patches.items()]
                    row = os.fsencode(one.path), known.size, known.quick, known.was, known.now, json.dumps(patches)
                    put_rows(connection, "turned", [row])

    def of(self, path: str) -> Turned | None:
        """What is known of a file; None where it was not turned."""
        with self._transaction() as connection:
            query = f"SELECT {_COLUMNS} FROM turned WHERE path = ?"
            row = connection.execute(query, (os.fsencode(path),)).fetchone()
        return _told(row) if row is not None else None

    def standing(self) -> list[Turned]:
        """Those that are as they were left, as far as the ledger knows."""
        query = f'SELECT {_COLUMNS} FROM turned JOIN files ON files.path = turned.path AND files."full" = turned.now'
        with self._transaction() as connection:
            rows = connection.execute(query).fetchall()
        return [one for one in map(_told, rows) if one is not None]


def _told(row: tuple[bytes, int, bytes, bytes, bytes, str]) -> Turned | None:
    path, size, quick, was, now, text = row
    try:
        patches = {int(at): (bytes.fromhex(old), bytes.fromhex(new)) for at, old, new in json.loads(text)}
    except (ValueError, TypeError):
        return None
    return Turned(os.fsdecode(path), size, quick, was, now, patches)
