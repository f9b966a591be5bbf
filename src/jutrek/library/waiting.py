"""Files of sources that were found to be there already in another way, and wait for a person."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager

from jutrek.library.home import Waits
from jutrek.library.rows import put_rows


class Waiting:
    """The table of what waits."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def all(self) -> dict[str, Waits]:
        """Files of sources that were found to be there already in another way, by their paths."""
        with self._transaction() as connection:
            rows = connection.execute("SELECT * FROM waits")
            return {
                os.fsdecode(path): Waits(size, mtime_ns, standing, os.fsdecode(equal), bool(better))
                for path, size, mtime_ns, standing, equal, better in rows
            }

    def put(self, waits: Mapping[str, Waits], over: Iterable[str] = ()) -> None:
        """Keep further ones, and forget those that are over."""
        rows = [(os.fsencode(path), *one[:3], os.fsencode(one.equal), int(one.better)) for path, one in waits.items()]
        gone = [(os.fsencode(path),) for path in over]
        with self._transaction() as connection:
            if gone:
                connection.executemany("DELETE FROM waits WHERE path = ?", gone)
            if rows:
                put_rows(connection, "waits", rows)
