"""Captures that are gone from a library, as they were known last: until they are back, or missed no more."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager

from jutrek.formats import Kind, kind_by_suffix
from jutrek.library.knowledge import OWN_COLUMNS, USUAL, KnownFile, known_of, lost_in

_CAPTURES = frozenset({Kind.STILL.value, Kind.CLIP.value, Kind.SOUND.value})


class Lost:
    """The table of captures that are gone."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def keep(self, paths: Iterable[str]) -> None:
        """Files are gone that the ledger knows still; of sidecars and the like nothing is kept."""
        with self._transaction() as connection:
            for path in paths:
                known = known_of(connection, path)
                if known is not None and (known.kind or kind_by_suffix(os.path.splitext(path)[1]).value) in _CAPTURES:
                    self._put(connection, known)

    def put(self, files: Iterable[KnownFile]) -> None:
        """Files are missed again."""
        with self._transaction() as connection:
            for one in files:
                self._put(connection, one)

    @staticmethod
    def _put(connection: sqlite3.Connection, known: KnownFile) -> None:
        told = known._asdict().items()
        said = {name: value for name, value in told if name not in OWN_COLUMNS and value != USUAL[name]}
        row = os.fsencode(known.path), known.size, known.mtime_ns, known.quick, json.dumps(said)
        connection.execute("INSERT OR REPLACE INTO lost VALUES (?, ?, ?, ?, ?)", row)

    def forget(self, paths: Iterable[str]) -> list[KnownFile]:
        """Miss files no more. Returns what was known of those that were missed."""
        wanted = set(paths)
        gone = [one for one in self.all() if one.path in wanted]
        with self._transaction() as connection:
            connection.executemany("DELETE FROM lost WHERE path = ?", [(os.fsencode(one.path),) for one in gone])
        return gone

    def all(self) -> list[KnownFile]:
        """All of them, by path. A line that is damaged tells only where a file lay, and how large it was."""
        with self._transaction() as connection:
            return list(lost_in(connection))
