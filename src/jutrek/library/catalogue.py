"""What is at home, asked in parts: counts, facets, steps of folders and pages of files, never a whole table.

All of it is answered by the ledger, as the survey left it. A page goes on behind the last file of the one before, so
that asking for the next costs the same wherever it begins.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager
from enum import StrEnum
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.library.home import Filed

if TYPE_CHECKING:
    import sqlite3

_AT_ONCE = 500
_PAGE = 1000
FILED = "SELECT moments.*, origins.* FROM moments LEFT JOIN origins ON origins.path = moments.path"
_NO_MOMENT = "coalesce(moments.local, '') = ''"
OF_HOME = "proofs.place = coalesce((SELECT drive FROM stored WHERE stored.path = proofs.path), '')"
"""The condition of proofs of files where they lie: in the root, or on the archive drive that they are stored on."""
_UNPROVEN = f"NOT EXISTS (SELECT 1 FROM proofs WHERE {OF_HOME} AND proofs.path = files.path AND state = 'proven')"


class Facet(StrEnum):
    """By what files are counted: a part of their moment, or what is known of them."""

    YEAR = "substr(moments.local, 1, 4)"
    MONTH = "substr(moments.local, 1, 7)"
    DAY = "substr(moments.local, 1, 10)"
    DEVICE = "moments.device"
    OPERATOR = "moments.operator"
    SHOOT = "moments.shoot"
    KIND = "contents.kind"
    FORMAT = "contents.format"


class Narrowed(NamedTuple):
    """Which files are meant. What is None narrows nothing.

    Attributes:
        folder: in which they lie, relative to the library; the empty one is its root.
        deeper: whether what lies in folders within it counts.
        since, before: their moment, local time as far as it is told: `2026-05` is from its first day on, and before it.
        words: what their path has, each of them, in capital or small letters of ASCII.
        device, operator: by which and by whom they were made.
        unproven: whether only those count that were not read back since they changed, or read otherwise.
    """

    folder: str | None = None
    deeper: bool = True
    since: str | None = None
    before: str | None = None
    words: tuple[str, ...] = ()
    device: str | None = None
    operator: str | None = None
    unproven: bool = False


ALL = Narrowed()


class Count(NamedTuple):
    """How many files, and their size in bytes."""

    files: int
    size: int


class AtHome(NamedTuple):
    """A file at home: its path, size in bytes and time of last change (ns), by what it was filed, and what it holds."""

    path: str
    size: int
    mtime_ns: int
    filed: Filed
    kind: str
    format: str


class Order(StrEnum):
    """In which order pages come. What has no moment comes last."""

    PATH = "files.path"
    TIME = f"{_NO_MOMENT}, coalesce(moments.local, ''), files.path"


class Catalogue:
    """What a ledger knows of the files at home."""

    def __init__(self, transaction: Callable[[], AbstractContextManager[sqlite3.Connection]]) -> None:
        self._transaction = transaction

    def count(self, of: Narrowed = ALL) -> Count:
        """How many files there are, and their size."""
        return Count(*self._files("count(*), coalesce(sum(files.size), 0)", *_where(of))[0])

    def called(self, name: str) -> list[str]:
        """The paths of all files that are called so, in a folder of any depth."""
        rows = self._files("files.path", "WHERE substr(files.path, ?) = ? ORDER BY files.path",
                           (-len(os.fsencode(name)) - 1, b"/" + os.fsencode(name)))  # fmt: skip
        return [os.fsdecode(path) for (path,) in rows]

    def facet(self, by: Facet, of: Narrowed = ALL) -> dict[str, int]:
        """How many files there are of each value, the values in order; empty for those of which it is not known."""
        where, values = _where(of)
        return dict(
            self._files(f"coalesce({by}, '') AS value, count(*)", f"{where} GROUP BY value ORDER BY value", values)
        )

    def step(self, folder: str = "", of: Narrowed = ALL) -> dict[str, int]:
        """The folders right within a folder, by name, and how many files lie in each and deeper."""
        where, values = _where(of._replace(folder=folder, deeper=True))
        rest = f"substr(files.path, {len(_inside(folder)) + 1})"
        name = f"substr({rest}, 1, instr({rest}, x'2f') - 1)"
        # What lies right within the folder has no separator, and so an empty name.
        grouped = f"{where} GROUP BY name HAVING length(name) > 0 ORDER BY name"
        return {os.fsdecode(one): files for one, files in self._files(f"{name} AS name, count(*)", grouped, values)}

    def page(self, of: Narrowed = ALL, order: Order = Order.PATH, after: AtHome | None = None) -> list[AtHome]:
        """The next thousand files behind `after`, or the first ones."""
        where, values = _where(of)
        if after is not None:
            behind, more = _behind(order, after)
            where, values = f"{where} {'AND' if where else 'WHERE'} {behind}", (*values, *more)
        columns = "files.path, files.size, files.mtime_ns, contents.kind, contents.format, moments.*, origins.*"
        rows = self._files(columns, f"{where} ORDER BY {order} LIMIT {_PAGE}", values)
        return [AtHome(os.fsdecode(row[0]), row[1], row[2], told(row[5:]), row[3] or "", row[4] or "") for row in rows]

    def all_of(self, of: Narrowed, order: Order = Order.PATH) -> Iterator[AtHome]:
        """All of them, page by page."""
        page = self.page(of, order)
        while page:
            yield from page
            page = self.page(of, order, page[-1]) if len(page) == _PAGE else []

    def filed_at(self, paths: Iterable[str]) -> dict[str, Filed]:
        """By what the files at some paths were filed; those of which it is not known are left out."""
        return self._filed("moments.path", [os.fsencode(path) for path in paths])

    def filed_in(self, folders: Iterable[str]) -> dict[str, Filed]:
        """By what the files right in some folders were filed."""
        found = {}
        for folder in dict.fromkeys(folders):
            found.update(self._within("moments.path", folder))
        return found

    def brought_from(self, folders: Iterable[str]) -> dict[str, Filed]:
        """By what the files were filed that lay right in some folders of their sources, by their paths now."""
        found = {}
        for folder in dict.fromkeys(folders):
            found.update(self._within("origins.original", folder))
        return found

    def _within(self, column: str, folder: str) -> dict[str, Filed]:
        start = _inside(folder)
        condition = f"instr(substr({column}, ?), x'2f') = 0"
        values: tuple[Any, ...] = (len(start) + 1,)
        if start:
            condition, values = f"{column} > ? AND {column} < ? AND {condition}", (start, start[:-1] + b"0", *values)
        return {os.fsdecode(row[0]): told(row) for row in self._rows(f"{FILED} WHERE {condition}", values)}

    def _filed(self, column: str, values: Sequence[bytes]) -> dict[str, Filed]:
        found = {}
        for start in range(0, len(values), _AT_ONCE):
            part = tuple(values[start : start + _AT_ONCE])
            rows = self._rows(f"{FILED} WHERE {column} IN ({','.join('?' * len(part))})", part)
            found.update({os.fsdecode(row[0]): told(row) for row in rows})
        return found

    def _files(self, columns: str, rest: str, values: Sequence[Any]) -> list[Any]:
        """Rows of files, joined with what the query names besides."""
        tables = (table for table in ("moments", "origins", "contents") if f"{table}." in columns + rest)
        joins = " ".join(f"LEFT JOIN {table} ON {table}.path = files.path" for table in tables)
        return self._rows(f"SELECT {columns} FROM files {joins} {rest}", values)

    def _rows(self, query: str, values: Sequence[Any]) -> list[Any]:
        with self._transaction() as connection:
            return connection.execute(query, tuple(values)).fetchall()


def told(row: Sequence[Any]) -> Filed:
    """By what a file was filed, of a row of `moments` and one of `origins`, where there are such."""
    moment, shift, device, operator, shoot = row[1:6]
    said = tuple(sorted(json.loads(row[9]).items())) if row[9] else ()
    original = os.fsdecode(row[7] or b"")
    return Filed(moment or "", shift or 0.0, device or "", operator or "", shoot or "", row[8] or "", said, original)


def _inside(folder: str) -> bytes:
    """What the paths of all files in a folder begin with."""
    return os.fsencode(folder) + b"/" if folder else b""


def _where(of: Narrowed) -> tuple[str, tuple[Any, ...]]:
    """The condition of a narrowing, and its values."""
    parts: list[tuple[str, tuple[Any, ...]]] = []
    if of.folder is not None:
        start = _inside(of.folder)
        if start:
            # `0` follows the separator.
            parts.append(("files.path > ? AND files.path < ?", (start, start[:-1] + b"0")))
        if not of.deeper:
            parts.append((f"instr(substr(files.path, {len(start) + 1}), x'2f') = 0", ()))
    if of.since is not None:
        parts.append(("moments.local >= ?", (of.since,)))
    if of.before is not None:
        parts.append(("moments.local < ? AND moments.local != ''", (of.before,)))
    parts += [("CAST(files.path AS TEXT) LIKE ? ESCAPE '\\'", (f"%{_escaped(word)}%",)) for word in of.words]
    parts += [("moments.device = ?", (of.device,))] if of.device is not None else []
    parts += [("moments.operator = ?", (of.operator,))] if of.operator is not None else []
    parts += [(_UNPROVEN, ())] if of.unproven else []
    condition = " AND ".join(part for part, _ in parts)
    return f"WHERE {condition}" if parts else "", tuple(value for _, values in parts for value in values)


def _escaped(word: str) -> str:
    """A word as `LIKE` takes it letter by letter. What is no Unicode is in no path that is looked through as text."""
    plain = word.encode("utf-8", "replace").decode()
    return plain.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def _behind(order: Order, last: AtHome) -> tuple[str, tuple[Any, ...]]:
    """The condition of what comes behind a file."""
    path, local = os.fsencode(last.path), last.filed.moment
    if order is Order.PATH:
        return "files.path > ?", (path,)
    if not local:
        return f"{_NO_MOMENT} AND files.path > ?", (path,)
    return f"({_NO_MOMENT} OR (moments.local, files.path) > (?, ?))", (local, path)
