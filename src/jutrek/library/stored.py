"""Which files of a library lie on an archive drive instead of in its root.

A stored file keeps its path: on its drive it lies under the same one. What else is known of it stays as it was.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, NamedTuple

from jutrek.library.rows import put_rows

if TYPE_CHECKING:
    from jutrek.library.places import Place

_AT_ONCE = 500


class Lying(NamedTuple):
    """Where the files of a library lie, as it is known now.

    Attributes:
        root: of the library.
        drives: of stored files, by path.
        here: the roots of the archive drives that are connected, by id.
    """

    root: str
    drives: Mapping[str, str]
    here: Mapping[str, str]

    def at(self, path: str) -> str:
        """The absolute path of a file; of one whose drive is away, the one that it would have in the root."""
        return os.path.join(self.root_of(path), path)

    def root_of(self, path: str) -> str:
        """The root that a file lies in: the library's, or that of its drive."""
        return self.here.get(self.drives.get(path, ""), self.root)

    def is_away(self, path: str) -> bool:
        """Whether a file is stored on a drive that is not connected."""
        drive = self.drives.get(path)
        return drive is not None and drive not in self.here


class Stored:
    """The table of stored files."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction
        self.here: Mapping[str, str] = {}
        """The roots of the archive drives that were connected at the last survey, by id."""

    def lying(self, root: str) -> Lying:
        """Where the files of the library in `root` lie, as the last survey saw it."""
        return Lying(root, self.all() if self.here else {}, self.here)

    def at(self, root: str, path: str) -> str:
        """The absolute path of one of its files; of one whose drive is away, the one that it would have in the root."""
        drive = self.of([path]).get(path, "") if self.here else ""
        return os.path.join(self.here.get(drive, root), path)

    def all(self) -> dict[str, str]:
        """The drives of all stored files, by path."""
        with self._transaction() as connection:
            return {os.fsdecode(path): drive for path, drive in connection.execute("SELECT path, drive FROM stored")}

    def of(self, paths: Iterable[str]) -> dict[str, str]:
        """The drives of those among some files that are stored, by path."""
        wanted = [os.fsencode(path) for path in paths]
        found: dict[str, str] = {}
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                query = f"SELECT path, drive FROM stored WHERE path IN ({','.join('?' * len(part))})"
                found.update((os.fsdecode(path), drive) for path, drive in connection.execute(query, part))
        return found

    def below(self, folder: str) -> dict[str, str]:
        """The drives of the stored files in a folder and deeper, by path; of all for the root."""
        if not folder:
            return self.all()
        start = os.fsencode(folder) + b"/"
        with self._transaction() as connection:
            # `0` follows the separator.
            rows = connection.execute(
                "SELECT path, drive FROM stored WHERE path > ? AND path < ?", (start, start[:-1] + b"0")
            )
            return {os.fsdecode(path): drive for path, drive in rows}

    def sizes(self) -> dict[str, tuple[int, int]]:
        """How many files lie on each drive, and their bytes."""
        query = "SELECT drive, count(*), sum(size) FROM stored JOIN files ON files.path = stored.path GROUP BY drive"
        with self._transaction() as connection:
            return {drive: (count, size) for drive, count, size in connection.execute(query)}

    def proven(self) -> dict[str, tuple[int, int, str]]:
        """By the ids of places how many files are proven there, their bytes, and when the oldest proof was made."""
        query = "SELECT place, count(*), sum(size), min(at) FROM proofs WHERE state = 'proven' GROUP BY place"
        with self._transaction() as connection:
            return {place: (count, size, at) for place, count, size, at in connection.execute(query)}

    def came(self, drive: str, files: Sequence[tuple[str, int, bytes | None, bytes | None]]) -> None:
        """Files came to a drive, or back into the root, with all that is known of them. Durable on return.

        Args:
            drive: its id; empty for the root.
            files: path, time of last change as it is there (ns), quick and full fingerprint where known.
        """
        rows = [(os.fsencode(path), *rest) for path, *rest in files]
        with self._transaction() as connection:
            for path, mtime_ns, quick, full in rows:
                before = connection.execute("SELECT mtime_ns FROM files WHERE path = ?", (path,)).fetchone()
                query = "UPDATE files SET mtime_ns = ?, quick = coalesce(?, quick), full = coalesce(?, full)"
                connection.execute(f"{query} WHERE path = ?", (mtime_ns, quick, full, path))
                if before is not None and before[0] != mtime_ns:
                    # The file system there rounds times; what was read of the file holds all the same.
                    for table in ("contents", "descriptions"):
                        query = f"UPDATE {table} SET mtime_ns = ? WHERE path = ? AND mtime_ns = ?"
                        connection.execute(query, (mtime_ns, path, before[0]))
            if drive:
                put_rows(connection, "stored", [(row[0], drive) for row in rows])
            else:
                connection.executemany("DELETE FROM stored WHERE path = ?", [(row[0],) for row in rows])

    def put(self, files: Mapping[str, str]) -> None:
        """Files lie on a drive from now on, by path. Durable on return."""
        if files:
            with self._transaction() as connection:
                put_rows(connection, "stored", [(os.fsencode(path), drive) for path, drive in files.items()])

    def last_run(self) -> str:
        """The last run of the journal of which it is known what it stored or fetched; empty for none."""
        with self._transaction() as connection:
            row = connection.execute("SELECT value FROM about WHERE key = 'stored up to'").fetchone()
        return str(row[0]) if row else ""

    def keep_run(self, run: str) -> None:
        """It is known what was stored and fetched up to a run."""
        with self._transaction() as connection:
            connection.execute("INSERT OR REPLACE INTO about VALUES ('stored up to', ?)", (run,))

    def forget(self, paths: Iterable[str]) -> None:
        """Files lie in the root from now on. Durable on return."""
        rows = [(os.fsencode(path),) for path in paths]
        if rows:
            with self._transaction() as connection:
                connection.executemany("DELETE FROM stored WHERE path = ?", rows)


def lying(root: str, stored: Stored, drives: Iterable[Place]) -> Lying:
    """Where the files of the library in `root` lie, with these archive drives connected."""
    return Lying(root, stored.all(), {drive.id: drive.root for drive in drives})
