"""What the ledger keeps of the content of files: what doubles are found by. All of it can be read from the files again.

Rows are of the library's files, under their relative paths, and of files of sources that were looked at, under their
absolute ones.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import FileStamp
from jutrek.library.rows import put_rows

if TYPE_CHECKING:
    import sqlite3

_AT_ONCE = 500
_OF_LIBRARY = "substr(path, 1, 1) != x'2f'"


class Content(NamedTuple):
    """What a file holds.

    Attributes:
        path: relative to the library; absolute for a file of a source.
        size, mtime_ns: as they were when it was looked at; a file that has others now was changed since.
        kind: still, clip, sound, sidecar or other.
        format: the container's name.
        width, height: in pixels, upright; 0 where unknown.
        duration: in seconds.
        payload: bytes of the picture or sound itself, without its metadata; 0 where these cannot be told apart.
        mark: quick fingerprint of the payload; empty where there is none.
        print: full fingerprint of the payload, None where not made yet.
        looks: perceptual fingerprints as `doubles` lays them out; empty where there are none, None where not made yet.
        taken: when it was shot by what stands inside, ISO 8601 with offset where stated; empty where nothing does.
        device: make, model and serial; empty where unknown.
        worded: how much is said about it by a person: title, place, job and keywords counted together.
    """

    path: str
    size: int
    mtime_ns: int
    kind: str = ""
    format: str = ""
    width: int = 0
    height: int = 0
    duration: float = 0.0
    payload: int = 0
    mark: bytes = b""
    print: bytes | None = None
    looks: bytes | None = None
    taken: str = ""
    device: str = ""
    worded: int = 0

    @property
    def stamp(self) -> FileStamp:
        """How it was when it was looked at."""
        return FileStamp(self.size, self.mtime_ns)


class Contents:
    """The contents table of a ledger."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def put(self, contents: Iterable[Content]) -> None:
        """Write rows, replacing those of the same paths."""
        rows = [one._replace(path=os.fsencode(one.path)) for one in contents]  # type: ignore[arg-type]
        if rows:
            with self._transaction() as connection:
                put_rows(connection, "contents", rows)

    def of_library(self) -> list[Content]:
        """The rows of all files that the library has as they were looked at, ordered by path."""
        return self._of_library("")

    def _of_library(self, where: str) -> list[Content]:
        query = (
            "SELECT contents.* FROM contents JOIN files ON files.path = contents.path"
            f" AND files.size = contents.size AND files.mtime_ns = contents.mtime_ns {where} ORDER BY contents.path"
        )
        with self._transaction() as connection:
            return [_content(row) for row in connection.execute(query)]

    def of_payloads(self, sizes: Iterable[int]) -> list[Content]:
        """The library's rows whose payload has one of these sizes."""
        return [one for one in self._with("payload", sorted(set(sizes))) if not one.path.startswith("/")]

    def of_paths(self, paths: Iterable[str]) -> dict[str, Content]:
        """Rows by path."""
        return {one.path: one for one in self._with("path", [os.fsencode(path) for path in paths])}

    def to_look_at(self) -> list[tuple[str, int, int]]:
        """Path, size and mtime_ns of the library's files that were not looked at yet, or changed since."""
        query = (
            "SELECT files.path, files.size, files.mtime_ns FROM files LEFT JOIN contents ON contents.path = files.path"
            " AND contents.size = files.size AND contents.mtime_ns = files.mtime_ns"
            " WHERE contents.path IS NULL ORDER BY files.path"
        )
        with self._transaction() as connection:
            return [(os.fsdecode(path), size, mtime) for path, size, mtime in connection.execute(query)]

    def unseen(self) -> list[Content]:
        """The rows of the library's files whose looks were not made yet."""
        return self._of_library("WHERE contents.looks IS NULL")

    def put_agreements(self, rows: Iterable[tuple[bytes, bytes, float]]) -> None:
        """Keep how far pictures agree, by the quick fingerprints of their files, the lesser one first."""
        wanted = list(rows)
        if wanted:
            with self._transaction() as connection:
                put_rows(connection, "agreements", wanted)

    def agreements(self) -> dict[tuple[bytes, bytes], float]:
        """How far pictures agree, as kept."""
        with self._transaction() as connection:
            rows = connection.execute("SELECT one, other, share FROM agreements")
            return {(one, other): share for one, other, share in rows}

    def forget_sources(self) -> None:
        """Forget what was kept of files of sources."""
        with self._transaction() as connection:
            connection.execute(f"DELETE FROM contents WHERE NOT {_OF_LIBRARY}")

    def _with(self, column: str, values: list[int] | list[bytes]) -> list[Content]:
        found = []
        with self._transaction() as connection:
            for start in range(0, len(values), _AT_ONCE):
                part = tuple(values[start : start + _AT_ONCE])
                marks = ",".join("?" * len(part))
                rows = connection.execute(f"SELECT * FROM contents WHERE {column} IN ({marks})", part)
                found += [_content(row) for row in rows]
        return found


def _content(values: tuple[Any, ...]) -> Content:
    return Content(os.fsdecode(values[0]), *values[1:])
