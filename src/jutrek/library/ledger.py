"""The ledger: an index of what a library holds. A cache with a history; the files themselves are the truth.

SQLite through SQLAlchemy Core, WAL, full synchronisation at every commit. Paths are stored as the bytes of the file
system, relative to the library. A ledger that is damaged is put beside and begun anew: a survey fills it again.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterable, Iterator, Sequence
from types import TracebackType
from typing import Any, Self

import sqlalchemy as sa

from jutrek.errors import LedgerUnusable
from jutrek.library import schema
from jutrek.library.contents import Contents
from jutrek.library.home import Filed, HomeFile, ProofMark

_AT_ONCE = 500
_FILED = "SELECT moments.*, origins.* FROM moments LEFT JOIN origins ON origins.path = moments.path"


def _filed(row: Sequence[Any]) -> Filed:
    said = tuple(sorted(json.loads(row[9]).items())) if row[9] else ()
    moment, shift, device, operator, shoot = row[1:6]
    return Filed(moment, shift, device, operator, shoot, row[8] or "", said, os.fsdecode(row[7] or b""))


class Ledger:
    """An open ledger. One thread at a time owns it."""

    def __init__(self, path: str) -> None:
        """Open the ledger at `path`, making it where it is missing.

        Raises:
            LedgerUnusable: when it cannot be made, or a newer Jutrek wrote it.
        """
        self.path = path
        self.is_new = False
        """Whether it was made just now, so that it knows less than the library's journals."""
        self.contents = Contents(self._transaction)
        """What files hold."""
        try:
            os.makedirs(os.path.dirname(path), exist_ok=True)
            try:
                self._open()
            except sa.exc.DatabaseError as error:
                if isinstance(error, sa.exc.OperationalError):
                    raise
                self._put_beside()
                self._open()
        except (OSError, sa.exc.SQLAlchemyError) as error:
            raise LedgerUnusable(path, str(error).splitlines()[0]) from error

    def _open(self) -> None:
        self._engine = schema.connect(self.path)
        with self._engine.begin() as connection:
            schema.meta.create_all(connection)
            row = connection.execute(sa.select(schema.about.c.value).where(schema.about.c.key == "version")).first()
            self.is_new = row is None
            if row is None:
                connection.execute(schema.about.insert(), {"key": "version", "value": str(schema.VERSION)})
            elif int(row[0]) > schema.VERSION:
                raise LedgerUnusable(self.path, "a newer Jutrek wrote it")
            elif int(row[0]) < schema.VERSION:
                # What later versions added are tables of their own, which were made just now; journals fill them.
                self.is_new = True
                connection.execute(schema.about.update(), {"value": str(schema.VERSION)})

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

    def of_paths(self, paths: Iterable[str]) -> dict[str, HomeFile]:
        """Files by their paths."""
        wanted, found = [os.fsencode(path) for path in paths], {}
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                marks = ",".join("?" * len(part))
                query = f"SELECT path, size, mtime_ns, quick, full FROM files WHERE path IN ({marks})"
                for row in connection.exec_driver_sql(query, tuple(part)):
                    path = os.fsdecode(row[0])
                    found[path] = HomeFile(path, *row[1:])
        return found

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

    def put_filed(self, filed: Iterable[tuple[str, Filed]]) -> None:
        """Keep by what files were filed, with their paths. Durable on return."""
        moments, origins = [], []
        for path, one in filed:
            key = os.fsencode(path)
            moments.append((key, one.moment, one.shift, one.device, one.operator, one.shoot))
            origins.append((key, os.fsencode(one.original), one.day, json.dumps(dict(one.said)) if one.said else ""))
        if moments:
            with self._transaction() as connection:
                connection.exec_driver_sql("INSERT OR REPLACE INTO moments VALUES (?, ?, ?, ?, ?, ?)", moments)
                connection.exec_driver_sql("INSERT OR REPLACE INTO origins VALUES (?, ?, ?, ?)", origins)

    def filed(self, path: str) -> Filed | None:
        """By what a file was filed; None where it is not known."""
        with self._transaction() as connection:
            row = connection.exec_driver_sql(f"{_FILED} WHERE moments.path = ?", (os.fsencode(path),)).first()
        return _filed(row) if row else None

    def all_filed(self) -> dict[str, Filed]:
        """By what all files were filed, as far as it is known, by path relative to the library."""
        with self._transaction() as connection:
            return {os.fsdecode(row[0]): _filed(row) for row in connection.exec_driver_sql(_FILED)}

    def move(self, moves: Iterable[tuple[str, str]]) -> None:
        """Follow files that were moved within the library, from one path to another. Durable on return."""
        rows = [(os.fsencode(to), os.fsencode(path)) for path, to in moves]
        if rows:
            with self._transaction() as connection:
                for table in ("files", "moments", "origins", "contents"):
                    connection.exec_driver_sql(f"UPDATE OR REPLACE {table} SET path = ? WHERE path = ?", rows)
                connection.exec_driver_sql("UPDATE OR REPLACE proofs SET path = ? WHERE path = ? AND place = ''", rows)

    def put_proofs(self, marks: Iterable[ProofMark]) -> None:
        """Keep what was proven, replacing what was known of the same paths. Durable on return."""
        rows = [mark._replace(path=os.fsencode(mark.path)) for mark in marks]  # type: ignore[arg-type]
        if rows:
            with self._transaction() as connection:
                connection.exec_driver_sql("INSERT OR REPLACE INTO proofs VALUES (?, ?, ?, ?, ?, ?)", rows)

    def proofs(self, place: str) -> dict[str, ProofMark]:
        """What was proven in a place, by path, the oldest proof first."""
        with self._transaction() as connection:
            rows = connection.exec_driver_sql("SELECT * FROM proofs WHERE place = ? ORDER BY at, path", (place,))
            return {os.fsdecode(row[1]): ProofMark(row[0], os.fsdecode(row[1]), *row[2:]) for row in rows}

    def proof_of(self, path: str) -> ProofMark | None:
        """What was proven of a file of the library; None where nothing was."""
        with self._transaction() as connection:
            query = "SELECT * FROM proofs WHERE place = '' AND path = ?"
            row = connection.exec_driver_sql(query, (os.fsencode(path),)).first()
        return ProofMark(row[0], path, *row[2:]) if row else None

    def drop_proofs(self, place: str, paths: Iterable[str]) -> None:
        """Forget what was proven of files that a place has no more."""
        rows = [(place, os.fsencode(path)) for path in paths]
        if rows:
            with self._transaction() as connection:
                connection.exec_driver_sql("DELETE FROM proofs WHERE place = ? AND path = ?", rows)

    def shoot_words(self) -> list[str]:
        """What shoots were, those described last first."""
        with self._transaction() as connection:
            query = "SELECT shoot, max(local) AS last FROM moments WHERE shoot != '' GROUP BY shoot ORDER BY last DESC"
            return [str(row[0]) for row in connection.exec_driver_sql(f"{query} LIMIT {_AT_ONCE}")]

    def drop(self, paths: Iterable[str]) -> None:
        """Forget files that are no longer in the library. What was proven of them stays: a check shall miss them."""
        rows = [(os.fsencode(path),) for path in paths]
        if rows:
            with self._transaction() as connection:
                for table in ("files", "moments", "origins", "contents"):
                    connection.exec_driver_sql(f"DELETE FROM {table} WHERE path = ?", rows)

    def source_prints(self, paths: Iterable[str]) -> dict[str, tuple[int, int, bytes, bytes]]:
        """What is kept of source files: size, mtime_ns, quick and full fingerprint, by path."""
        wanted, found = [os.fsencode(path) for path in paths], {}
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                marks = ",".join("?" * len(part))
                rows = connection.exec_driver_sql(f"SELECT * FROM source_prints WHERE path IN ({marks})", tuple(part))
                found.update({os.fsdecode(row[0]): tuple(row[1:]) for row in rows})
        return found

    def put_source_prints(self, prints: Sequence[tuple[str, int, int, bytes, bytes]]) -> None:
        """Keep full fingerprints of source files: path, size, mtime_ns, quick, full."""
        rows = [(os.fsencode(path), *rest) for path, *rest in prints]
        if rows:
            with self._transaction() as connection:
                connection.exec_driver_sql("INSERT OR REPLACE INTO source_prints VALUES (?, ?, ?, ?, ?)", rows)
