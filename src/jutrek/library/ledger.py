"""The ledger: an index of what a library holds. A cache with a history; the files themselves are the truth.

SQLite through SQLAlchemy Core, WAL, full synchronisation at every commit. Paths are stored as the bytes of the file
system, relative to the library. A ledger that is damaged is put beside and begun anew: a survey fills it again.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from types import TracebackType
from typing import Self

import sqlalchemy as sa

from jutrek.errors import LedgerUnusable

VERSION = 1
_AT_ONCE = 500

_meta = sa.MetaData()
_about = sa.Table("about", _meta, sa.Column("key", sa.Text, primary_key=True), sa.Column("value", sa.Text))
_files = sa.Table(
    "files",
    _meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False, index=True),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("quick", sa.LargeBinary),
    sa.Column("full", sa.LargeBinary),
)
_source_prints = sa.Table(
    "source_prints",
    _meta,
    sa.Column("path", sa.LargeBinary, primary_key=True),
    sa.Column("size", sa.BigInteger, nullable=False),
    sa.Column("mtime_ns", sa.BigInteger, nullable=False),
    sa.Column("quick", sa.LargeBinary, nullable=False),
    sa.Column("full", sa.LargeBinary, nullable=False),
)


@dataclass(frozen=True, slots=True)
class HomeFile:
    """A file in the library.

    Attributes:
        path: relative to the library.
        size: in bytes.
        mtime_ns: time of last change, nanoseconds since 1970, UTC.
        quick, full: fingerprints of 16 bytes (XXH3-128), or None where not made yet.
    """

    path: str
    size: int
    mtime_ns: int
    quick: bytes | None = None
    full: bytes | None = None


class Ledger:
    """An open ledger. One thread at a time owns it."""

    def __init__(self, path: str) -> None:
        """Open the ledger at `path`, making it where it is missing.

        Raises:
            LedgerUnusable: when it cannot be made, or a newer Jutrek wrote it.
        """
        self.path = path
        try:
            os.makedirs(os.path.dirname(path), exist_ok=True)
            try:
                self._open()
            except sa.exc.DatabaseError:
                self._put_beside()
                self._open()
        except (OSError, sa.exc.SQLAlchemyError) as error:
            raise LedgerUnusable(path, str(error).splitlines()[0]) from error

    def _open(self) -> None:
        # One connection, handed from one owning thread to the next.
        options = {"check_same_thread": False}
        self._engine = sa.create_engine(f"sqlite:///{self.path}", poolclass=sa.pool.StaticPool, connect_args=options)
        sa.event.listen(self._engine, "connect", _prepare)
        with self._engine.begin() as connection:
            _meta.create_all(connection)
            row = connection.execute(sa.select(_about.c.value).where(_about.c.key == "version")).first()
            if row is None:
                connection.execute(_about.insert(), {"key": "version", "value": str(VERSION)})
            elif int(row[0]) > VERSION:
                raise LedgerUnusable(self.path, "a newer Jutrek wrote it")
            connection.exec_driver_sql("PRAGMA quick_check(1)")

    def _put_beside(self) -> None:
        self._engine.dispose()
        for tail in ("-wal", "-shm"):
            with contextlib.suppress(FileNotFoundError):
                os.unlink(self.path + tail)
        os.replace(self.path, self.path + ".damaged")

    def close(self) -> None:
        """Close the ledger."""
        self._engine.dispose()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: type[BaseException] | BaseException | TracebackType | None) -> None:
        self.close()

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[sa.Connection]:
        try:
            with self._engine.begin() as connection:
                yield connection
        except sa.exc.SQLAlchemyError as error:
            raise LedgerUnusable(self.path, str(error).splitlines()[0]) from error

    def all_files(self) -> dict[str, tuple[int, int]]:
        """Size and time of every file, by path relative to the library."""
        with self._transaction() as connection:
            rows = connection.exec_driver_sql("SELECT path, size, mtime_ns FROM files")
            return {os.fsdecode(path): (size, mtime) for path, size, mtime in rows}

    def of_sizes(self, sizes: Iterable[int]) -> list[HomeFile]:
        """The library's files that have one of these sizes, ordered by path."""
        wanted, found = sorted(set(sizes)), []
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                marks = ",".join("?" * len(part))
                query = f"SELECT path, size, mtime_ns, quick, full FROM files WHERE size IN ({marks})"
                rows = connection.exec_driver_sql(query, tuple(part))
                found += [HomeFile(os.fsdecode(row[0]), *row[1:]) for row in rows]
        return sorted(found, key=lambda home: home.path)

    def put(self, files: Sequence[HomeFile]) -> None:
        """Write files into the ledger, replacing what it knew under their paths. Durable on return."""
        if not files:
            return
        rows = [(os.fsencode(file.path), file.size, file.mtime_ns, file.quick, file.full) for file in files]
        with self._transaction() as connection:
            connection.exec_driver_sql("INSERT OR REPLACE INTO files VALUES (?, ?, ?, ?, ?)", rows)

    def drop(self, paths: Iterable[str]) -> None:
        """Forget files that are no longer in the library."""
        rows = [(os.fsencode(path),) for path in paths]
        if rows:
            with self._transaction() as connection:
                connection.exec_driver_sql("DELETE FROM files WHERE path = ?", rows)

    def source_print(self, path: str, size: int, mtime_ns: int, quick: bytes) -> bytes | None:
        """The full fingerprint of a source file that was made before, if it still is the same file."""
        query = "SELECT full FROM source_prints WHERE path = ? AND size = ? AND mtime_ns = ? AND quick = ?"
        with self._transaction() as connection:
            row = connection.exec_driver_sql(query, (os.fsencode(path), size, mtime_ns, quick)).first()
            return None if row is None else row[0]

    def put_source_prints(self, prints: Sequence[tuple[str, int, int, bytes, bytes]]) -> None:
        """Keep full fingerprints of source files: path, size, mtime_ns, quick, full."""
        rows = [(os.fsencode(path), *rest) for path, *rest in prints]
        if rows:
            with self._transaction() as connection:
                connection.exec_driver_sql("INSERT OR REPLACE INTO source_prints VALUES (?, ?, ?, ?, ?)", rows)


def _prepare(connection: sa.engine.interfaces.DBAPIConnection, _: object) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode = WAL")
    cursor.execute("PRAGMA synchronous = FULL")
    cursor.execute("PRAGMA busy_timeout = 10000")
    cursor.close()
