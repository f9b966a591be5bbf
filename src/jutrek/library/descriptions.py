"""What the ledger keeps of what files say about themselves: what views are narrowed by. It can be read again from them.

Rows are of the library's files, under their relative paths.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, NamedTuple

from jutrek.library.rows import put_rows

if TYPE_CHECKING:
    import sqlite3


_MISSING = (
    "SELECT files.path, files.size, files.mtime_ns FROM files LEFT JOIN descriptions AS known"
    " ON known.path = files.path AND known.size = files.size AND known.mtime_ns = files.mtime_ns"
    " WHERE known.path IS NULL"
)


class Description(NamedTuple):
    """What a file says.

    Attributes:
        path: relative to the library.
        size, mtime_ns: as they were when it was read; a file that has others now was changed since.
        kind: still, clip, sound, sidecar or other.
        format: the container's name.
        taken: its own best date, local time, ISO 8601 as far as it is told; empty where there is none.
        offset: of that date from UTC in minutes; None where unknown.
        trust: how far that date can be relied on; empty where there is none.
        device: its key (`captures.device_key`); empty where unknown.
        model: make and model as they are written.
        lens: what was mounted; empty where unknown.
        title, place, creator: what a person wrote; empty where nobody did.
        keywords: likewise. One with a blank before is one of the capture that does not count any more.
        label: the mark that somebody gave it (`xmp:Label`); empty where nothing is said, `formats.TAKEN_OFF` where it
            is said that it has none.
        rating: 1 to 5 (`xmp:Rating`); None where it has none.
        latitude, longitude: in degrees (WGS 84); None where unknown.
        width, height: in pixels, upright; 0 where unknown.
        duration: in seconds.
    """

    path: str
    size: int
    mtime_ns: int
    kind: str = ""
    format: str = ""
    taken: str = ""
    offset: int | None = None
    trust: str = ""
    device: str = ""
    model: str = ""
    lens: str = ""
    title: str = ""
    place: str = ""
    creator: str = ""
    keywords: tuple[str, ...] = ()
    label: str = ""
    rating: int | None = None
    latitude: float | None = None
    longitude: float | None = None
    width: int = 0
    height: int = 0
    duration: float = 0.0


class Dated(NamedTuple):
    """Of what kind a file is, when it was shot and by which device, and how it was when it was read."""

    size: int
    mtime_ns: int
    kind: str
    taken: str
    device: str


class Descriptions:
    """The table of descriptions of a ledger."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def put(self, descriptions: Iterable[Description]) -> None:
        """Write rows, replacing those of the same paths."""
        rows = [
            one._replace(path=os.fsencode(one.path), keywords=json.dumps(one.keywords) if one.keywords else "")  # type: ignore[arg-type]
            for one in descriptions
        ]
        if rows:
            with self._transaction() as connection:
                put_rows(connection, "descriptions", rows)

    def dated_of(self, path: str) -> Dated | None:
        """What tells a file from another one that bears its name by now; None where it was not read."""
        query = "SELECT size, mtime_ns, kind, taken, device FROM descriptions WHERE path = ?"
        with self._transaction() as connection:
            row = connection.execute(query, (os.fsencode(path),)).fetchone()
        return Dated(*row) if row is not None else None

    def missing(self, only: Iterable[str] | None = None) -> list[tuple[str, int, int]]:
        """Path, size and mtime_ns of the library's files that were not read yet, or changed since.

        Args:
            only: paths of those that are meant; None for all.
        """
        with self._transaction() as connection:
            if only is None:
                rows = connection.execute(f"{_MISSING} ORDER BY files.path").fetchall()
            else:
                one = f"{_MISSING} AND files.path = ?"
                rows = [row for path in only for row in connection.execute(one, (os.fsencode(path),))]
        return [(os.fsdecode(path), size, mtime_ns) for path, size, mtime_ns in rows]
