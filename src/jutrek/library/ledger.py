"""The ledger: an index of what a library holds. A cache with a history; the files themselves are the truth.

SQLite, WAL, full synchronisation at every commit; its tables are made through SQLAlchemy Core (`schema`). Paths are
stored as the bytes of the file system, relative to the library. A ledger that is damaged is put beside and begun anew:
a survey fills it again.
"""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import sys
from collections.abc import Iterable, Iterator, Sequence
from itertools import count
from types import TracebackType
from typing import Any, Self

from jutrek.disk import FileStamp, chosen, have_folder
from jutrek.errors import LedgerUnusable
from jutrek.library.amended import AmendedFiles
from jutrek.library.catalogue import FILED, OF_HOME, Catalogue, told
from jutrek.library.contents import Contents
from jutrek.library.descriptions import Descriptions
from jutrek.library.home import Filed, GivenNumber, HomeFile, ProofMark, State
from jutrek.library.knowledge import Knowledge, knowledge
from jutrek.library.lost import Lost
from jutrek.library.rows import put_rows
from jutrek.library.stored import Stored
from jutrek.library.waiting import Waiting

VERSION = 13
"""Of its tables."""
_FILLED = 7
"""The last version that added a table which journals fill."""
_AT_ONCE = 500
_CODE = sys.getfilesystemencoding(), sys.getfilesystemencodeerrors()
_NOWHERE = b"\0"
"""No path begins with it."""
_MOVED = dict.fromkeys(("files", "moments", "origins", "contents", "descriptions", "stored", "amended"), "") | {
    "proofs": " AND proofs.place = ''"
}
"""The tables of what is known of files by their paths, and which of their rows are of the library."""
_WAIT = 10.0
"""Seconds that another process may hold it."""
_CHANGED = (
    "INSERT INTO about VALUES ('changes', '1') ON CONFLICT (key) DO UPDATE SET value = CAST(value AS INTEGER) + 1"
)
_MARKS = 'SELECT place, path, size, mtime_ns, "full", at, state, inode, ctime_ns FROM proofs'


def _mark(row: Sequence[Any]) -> ProofMark:
    place, path, size, mtime_ns, full, at, state, inode, ctime_ns = row
    return ProofMark(place, os.fsdecode(path), size, mtime_ns, full, at, State(state), inode, ctime_ns)


_GIVEN = (
    "SELECT went.new, went.old, coalesce(by_hand.given, moments.path), by_hand.given IS NOT NULL FROM went"
    " JOIN moments ON moments.path = went.old LEFT JOIN by_hand ON by_hand.path = moments.path"
)
"""Of moved files that Jutrek filed: where to, from where, which path it gave them, and whether that was kept."""


def _tell_went(connection: sqlite3.Connection, moves: Sequence[tuple[bytes, bytes]]) -> None:
    """Have moves, from one path to another, in a table of their own: many are then followed at once."""
    connection.execute(
        "CREATE TEMP TABLE IF NOT EXISTS went (old BLOB PRIMARY KEY, new BLOB NOT NULL) WITHOUT ROWID"
    )  # fmt: skip
    connection.execute("DELETE FROM went")
    put_rows(connection, "went", moves)


def _follow_folder(connection: sqlite3.Connection, old: str, new: str, place: str) -> None:
    """Let all that is known of what lies in a folder follow it."""
    before, after = os.fsencode(old) + b"/", os.fsencode(new) + b"/"
    # `0` follows the separator.
    values = (after, len(before) + 1, before, before[:-1] + b"0")
    moved = "= CAST(? || substr({0}, ?) AS BLOB) WHERE {0} > ? AND {0} < ?"
    query = f"UPDATE OR REPLACE proofs SET path {moved.format('path')} AND place = ?"
    connection.execute(query, (*values, place))
    if place:
        return
    for table in ("numbered", "by_hand", *(one for one in _MOVED if one != "proofs")):
        connection.execute(f"UPDATE OR REPLACE {table} SET path {moved.format('path')}", values)
    connection.execute(f"UPDATE waits SET equal {moved.format('equal')}", values)


def _stem(path: bytes) -> bytes:
    return os.path.splitext(os.path.basename(path))[0]


def _connected(path: str) -> sqlite3.Connection:
    """A connection, handed from one owning thread to the next."""
    return sqlite3.connect(path, timeout=_WAIT, isolation_level=None, check_same_thread=False)


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
        self.descriptions = Descriptions(self._transaction)
        """What files say."""
        self.lost, self.stored = Lost(self._transaction), Stored(self._transaction)
        self.amended = AmendedFiles(self._transaction)
        self.catalogue = Catalogue(self._transaction)
        """What is at home, asked in parts."""
        self.waiting = Waiting(self._transaction)
        """What waits for a person."""
        try:
            have_folder(os.path.dirname(path))
            try:
                self._open()
            except sqlite3.DatabaseError as error:
                if isinstance(error, sqlite3.OperationalError):
                    raise
                self._put_beside()
                self._open()
        except (OSError, sqlite3.Error) as error:
            raise LedgerUnusable(path, str(error)) from error

    def _open(self) -> None:
        self._connection = _connected(self.path)
        self._prepare()
        version = self._version()
        if version == VERSION:
            return
        if version > VERSION:
            raise LedgerUnusable(self.path, "a newer Jutrek wrote it")
        # Loading what makes tables takes longer than most commands do.
        from jutrek.library.schema import bring_up_to_date

        self._connection.close()
        bring_up_to_date(self.path, version, VERSION)
        self._connection = _connected(self.path)
        self._prepare()
        # Whole tables that later versions added were made just now. What journals fill is filled from them; else what
        # they tell is older than what is known.
        self.is_new = version < _FILLED

    def _prepare(self) -> None:
        self._connection.execute("PRAGMA journal_mode = WAL")
        self._connection.execute("PRAGMA synchronous = FULL")

    def _version(self) -> int:
        """By which version its tables were made; 0 where there are none yet."""
        if self._connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'about'").fetchone() is None:
            return 0
        row = self._connection.execute("SELECT value FROM about WHERE key = 'version'").fetchone()
        return int(row[0]) if row else 0

    def _put_beside(self) -> None:
        """Put a damaged ledger beside, under a name that is free; what belongs to it goes with it."""
        self._connection.close()
        tree, name = chosen(self.path)
        names = set(tree.names())
        number = next(n for n in count(1) if f"{name.name}.damaged-{n}" not in names)
        for tail in ("-wal", "-shm", ""):
            if name.name + tail in names:
                tree.give_name(name.beside(name.name + tail), name.beside(f"{name.name}.damaged-{number}{tail}"))

    def close(self) -> None:
        """Close the ledger."""
        self._connection.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: type[BaseException] | BaseException | TracebackType | None) -> None:
        self.close()

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        connection = self._connection
        try:
            self._follow_folders()
            connection.execute("BEGIN")
            before = connection.total_changes
            try:
                yield connection
                if connection.total_changes != before:
                    connection.execute(_CHANGED)
            except BaseException:
                if connection.in_transaction:
                    connection.execute("ROLLBACK")
                raise
            connection.execute("COMMIT")
        except sqlite3.Error as error:
            raise LedgerUnusable(self.path, str(error)) from error

    def knowledge(self, aside: Iterable[tuple[str, int]] = ()) -> Knowledge:
        """All that is known of the files at home.

        Args:
            aside: path and size of files that were set aside, of which it knows nothing.
        """
        return knowledge(self._transaction, aside)

    def changes(self) -> int:
        """A number that grows with every change of what is known; what was made of it is current while it stays."""
        with self._transaction() as connection:
            row = connection.execute("SELECT value FROM about WHERE key = 'changes'").fetchone()
        return int(row[0]) if row else 0

    def all_files(self) -> dict[str, tuple[int, int]]:
        """Size and time of every file, by path relative to the library."""
        with self._transaction() as connection:
            rows = connection.execute("SELECT path, size, mtime_ns FROM files")
            # As `os.fsdecode` does it, which takes longer than all the rest.
            return {path.decode(*_CODE): (size, mtime) for path, size, mtime in rows}

    @property
    def is_empty(self) -> bool:
        """Whether the library holds no file that the ledger knows."""
        with self._transaction() as connection:
            return connection.execute("SELECT 1 FROM files LIMIT 1").fetchone() is None

    def of_paths(self, paths: Iterable[str]) -> dict[str, HomeFile]:
        """Files by their paths."""
        wanted, found = [os.fsencode(path) for path in paths], {}
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                marks = ",".join("?" * len(part))
                query = f"SELECT path, size, mtime_ns, quick, full FROM files WHERE path IN ({marks})"
                for row in connection.execute(query, tuple(part)):
                    path = os.fsdecode(row[0])
                    found[path] = HomeFile(path, *row[1:])
        return found

    def of_sizes(self, sizes: Iterable[int]) -> list[HomeFile]:
        """The library's files that have one of these sizes, ordered by path; those known to be damaged are left out."""
        damaged = self.damaged()
        wanted, found = sorted(set(sizes)), []
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                marks = ",".join("?" * len(part))
                query = f"SELECT path, size, mtime_ns, quick, full FROM files WHERE size IN ({marks})"
                rows = connection.execute(query, tuple(part))
                found += [HomeFile(os.fsdecode(row[0]), *row[1:]) for row in rows]
        return sorted((home for home in found if home.path not in damaged), key=lambda home: home.path)

    def damaged(self) -> frozenset[str]:
        """Paths of the library's files that were found rotted or unreadable, and not proven again since.

        What their bytes were is no help to anybody: they count as home nowhere.
        """
        query = f"SELECT path FROM proofs WHERE {OF_HOME} AND state IN ('{State.ROTTED}', '{State.UNREADABLE}')"
        with self._transaction() as connection:
            return frozenset(os.fsdecode(row[0]) for row in connection.execute(query))

    def put(self, files: Sequence[HomeFile]) -> None:
        """Write files into the ledger, replacing what it knew under their paths. Durable on return."""
        if not files:
            return
        rows = [(os.fsencode(file.path), file.size, file.mtime_ns, file.quick, file.full) for file in files]
        with self._transaction() as connection:
            put_rows(connection, "files", rows)

    def put_quick(self, made: Iterable[tuple[str, FileStamp, bytes]]) -> None:
        """Keep quick fingerprints of files, of those that are still as they were when these were made."""
        rows = [(quick, os.fsencode(path), stamp.size, stamp.mtime_ns) for path, stamp, quick in made]
        if rows:
            with self._transaction() as connection:
                connection.executemany("UPDATE files SET quick = ? WHERE path = ? AND size = ? AND mtime_ns = ?", rows)

    def put_filed(self, filed: Iterable[tuple[str, Filed]]) -> None:
        """Keep by what files were filed, with their paths. Durable on return."""
        moments, origins = [], []
        for path, one in filed:
            key = os.fsencode(path)
            moments.append((key, one.moment, one.shift, one.device, one.operator, one.shoot))
            origins.append((key, os.fsencode(one.original), one.day, json.dumps(dict(one.said)) if one.said else ""))
        if moments:
            with self._transaction() as connection:
                put_rows(connection, "moments", moments)
                put_rows(connection, "origins", origins)

    def put_numbers(self, given: Iterable[tuple[str, GivenNumber]]) -> None:
        """Keep which numbers names were given, by their paths. Durable on return."""
        rows = [(os.fsencode(path), one.counter, one.number) for path, one in given]
        if rows:
            with self._transaction() as connection:
                put_rows(connection, "numbered", rows)

    def numbers(self) -> dict[str, GivenNumber]:
        """Which numbers names were given, by path relative to the library, whatever bears them now."""
        with self._transaction() as connection:
            rows = connection.execute("SELECT path, counter, number FROM numbered")
            return {os.fsdecode(path): GivenNumber(counter, number) for path, counter, number in rows}

    def filed(self, path: str) -> Filed | None:
        """By what a file was filed; None where it is not known."""
        return self.catalogue.filed_at([path]).get(path)

    def all_filed(self) -> dict[str, Filed]:
        """By what all files were filed, as far as it is known, by path relative to the library."""
        with self._transaction() as connection:
            return {os.fsdecode(row[0]): told(row) for row in connection.execute(FILED)}

    def move(self, moves: Iterable[tuple[str, str]], *, by_hand: bool = False, once: str = "") -> None:
        """Follow files that were moved within the library, from one path to another. Durable on return.

        Args:
            once: names these moves, where following them twice would be wrong; if they were followed last under that
                name, nothing is done.
            by_hand: whether somebody else moved them: then it is kept which path they were given. It is kept on where
                Jutrek moves such a file, and not where it gives it another name.
        """
        rows = [(os.fsencode(path), os.fsencode(to)) for path, to in moves]
        if not rows:
            return
        crossed = not {to for _, to in rows}.isdisjoint(path for path, _ in rows)
        with self._transaction() as connection:
            if once:
                last = connection.execute("SELECT value FROM about WHERE key = 'followed'").fetchone()
                if last is not None and last[0] == once:
                    return
                connection.execute("INSERT OR REPLACE INTO about VALUES ('followed', ?)", (once,))
            _tell_went(connection, rows)
            given = [
                (to, before)
                for to, path, before, was_known in connection.execute(_GIVEN).fetchall()
                if before != to and (by_hand or (was_known and _stem(to) == _stem(path)))
            ]
            connection.execute("DELETE FROM by_hand WHERE path IN (SELECT old FROM went UNION SELECT new FROM went)")
            put_rows(connection, "by_hand", given)
            # Where one file goes to another's old path, all go through paths that no file can have.
            steps = [[(path, _NOWHERE + path) for path, _ in rows]] if crossed else []
            steps.append([(_NOWHERE + path, to) for path, to in rows] if crossed else rows)
            for step in steps:
                if crossed:
                    _tell_went(connection, step)
                for table, own in _MOVED.items():
                    connection.execute(
                        f"UPDATE OR REPLACE {table} SET path = went.new FROM went WHERE {table}.path = went.old{own}"
                    )
                connection.execute("UPDATE waits SET equal = went.new FROM went WHERE waits.equal = went.old")

    def move_folder(self, old: str, new: str, place: str = "") -> None:
        """Follow a folder that was moved whole, in the library or in another place. Durable on return.

        It is only taken down here: of very many files following takes longer than moving. Whoever asks next follows.
        """
        with self._writing() as connection:
            waiting = [*self._moved_folders(), [old, new, place]]
            connection.execute("INSERT OR REPLACE INTO about VALUES ('moved folders', ?)", (json.dumps(waiting),))
            connection.execute(_CHANGED)

    def _follow_folders(self) -> None:
        """Follow folders that were moved since somebody asked last."""
        if not self._moved_folders():
            return
        with self._writing() as connection:
            for old, new, place in self._moved_folders():
                _follow_folder(connection, old, new, place)
            connection.execute("DELETE FROM about WHERE key = 'moved folders'")

    def _moved_folders(self) -> list[list[str]]:
        row = self._connection.execute("SELECT value FROM about WHERE key = 'moved folders'").fetchone()
        return [] if row is None else json.loads(row[0])

    @contextlib.contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction that writes, and follows nothing before."""
        try:
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield self._connection
            except BaseException:
                self._connection.execute("ROLLBACK")
                raise
            self._connection.execute("COMMIT")
        except sqlite3.Error as error:
            raise LedgerUnusable(self.path, str(error)) from error

    def given(self) -> dict[str, str]:
        """Which paths Jutrek gave to files that somebody moved or renamed since, by their paths now."""
        with self._transaction() as connection:
            rows = connection.execute("SELECT path, given FROM by_hand")
            return {os.fsdecode(path): os.fsdecode(given) for path, given in rows}

    def put_proofs(self, marks: Iterable[ProofMark]) -> None:
        """Keep what was found of files, replacing what was known of the same paths. Durable on return."""
        rows = [mark._replace(path=os.fsencode(mark.path), state=str(mark.state)) for mark in marks]  # type: ignore[arg-type]
        if rows:
            with self._transaction() as connection:
                put_rows(connection, "proofs", rows)

    def marks(self, place: str) -> dict[str, ProofMark]:
        """What is known of the files of a place, by path, those read longest ago first: proofs, and what was found bad,
        changed or gone."""
        with self._transaction() as connection:
            rows = connection.execute(f"{_MARKS} WHERE place = ? ORDER BY at, path", (place,))
            return {mark.path: mark for mark in map(_mark, rows)}

    def marks_at_home(self) -> dict[str, ProofMark]:
        """What is known of the library's files where they lie, in the root or stored away, by path."""
        with self._transaction() as connection:
            rows = connection.execute(f"{_MARKS} WHERE {OF_HOME} ORDER BY at, path")
            return {mark.path: mark for mark in map(_mark, rows)}

    def proofs(self, place: str) -> dict[str, ProofMark]:
        """What is proven in a place, by path, the oldest proof first. What was found otherwise is no proof."""
        return {path: mark for path, mark in self.marks(place).items() if mark.stands}

    def mark_of(self, path: str, place: str = "") -> ProofMark | None:
        """What is known of a file of the library, or of another place; None where nothing is."""
        with self._transaction() as connection:
            query = f"{_MARKS} WHERE place = ? AND path = ?"
            row = connection.execute(query, (place, os.fsencode(path))).fetchone()
        return _mark(row) if row else None

    def see_renamed(self, seen: Iterable[tuple[str, os.stat_result, os.stat_result]]) -> None:
        """Renaming changes a file's `ctime`: the marks of those that were the very ones until then tell the new one.

        Args:
            seen: paths now, and how the files were right before and after.
        """
        rows = [
            (now.st_ino, before.st_size, before.st_mtime_ns, before.st_ino, before.st_ctime_ns, now.st_ctime_ns,
             os.fsencode(path))
            for path, before, now in seen
        ]  # fmt: skip
        same = "size = ?2 AND mtime_ns = ?3 AND inode = ?4 AND ctime_ns = ?5"
        query = f"UPDATE proofs SET inode = iif({same}, ?1, 0), ctime_ns = iif({same}, ?6, 0)"
        with self._transaction() as connection:
            connection.executemany(f"{query} WHERE place = '' AND path = ?7 AND inode != 0", rows)

    def drop_proofs(self, place: str, paths: Iterable[str]) -> None:
        """Forget what was known of files of a place: they lie elsewhere, or a person let them go."""
        rows = [(place, os.fsencode(path)) for path in paths]
        if rows:
            with self._transaction() as connection:
                connection.executemany("DELETE FROM proofs WHERE place = ? AND path = ?", rows)

    def root_of(self, place: str) -> str:
        """What told the root of a place from others when it was seen last; empty where it was not seen yet."""
        with self._transaction() as connection:
            row = connection.execute("SELECT value FROM about WHERE key = ?", (f"root:{place}",)).fetchone()
        return str(row[0]) if row else ""

    def keep_root(self, place: str, told_by: str) -> None:
        """Keep what tells the root of a place. Where another root was known, its proofs do not hold here."""
        with self._transaction() as connection:
            known = "SELECT value FROM about WHERE key = ?"
            before = connection.execute(known, (f"root:{place}",)).fetchone()
            if before is not None and before[0] != told_by:
                query = "UPDATE proofs SET state = ?, inode = 0, ctime_ns = 0 WHERE place = ? AND state = ?"
                connection.execute(query, (State.COPIED.value, place, State.PROVEN.value))
            connection.execute("INSERT OR REPLACE INTO about VALUES (?, ?)", (f"root:{place}", told_by))

    def shoot_words(self) -> list[str]:
        """What shoots were, those described last first."""
        with self._transaction() as connection:
            query = "SELECT shoot, max(local) AS last FROM moments WHERE shoot != '' GROUP BY shoot ORDER BY last DESC"
            return [str(row[0]) for row in connection.execute(f"{query} LIMIT {_AT_ONCE}")]

    def drop(self, paths: Iterable[str]) -> None:
        """Forget files that are no longer in the library. What was proven of them stays: a check shall miss them."""
        rows = [(os.fsencode(path),) for path in paths]
        if rows:
            with self._transaction() as connection:
                for table in (*_MOVED.keys() - {"proofs"}, "by_hand"):
                    connection.executemany(f"DELETE FROM {table} WHERE path = ?", rows)

    def source_prints(self, paths: Iterable[str]) -> dict[str, tuple[int, int, bytes, bytes]]:
        """What is kept of source files: size, mtime_ns, quick and full fingerprint, by path."""
        wanted, found = [os.fsencode(path) for path in paths], {}
        with self._transaction() as connection:
            for start in range(0, len(wanted), _AT_ONCE):
                part = wanted[start : start + _AT_ONCE]
                marks = ",".join("?" * len(part))
                rows = connection.execute(f"SELECT * FROM source_prints WHERE path IN ({marks})", tuple(part))
                found.update({os.fsdecode(row[0]): tuple(row[1:]) for row in rows})
        return found

    def put_source_prints(self, prints: Sequence[tuple[str, int, int, bytes, bytes]]) -> None:
        """Keep full fingerprints of source files: path, size, mtime_ns, quick, full."""
        rows = [(os.fsencode(path), *rest) for path, *rest in prints]
        if rows:
            with self._transaction() as connection:
                put_rows(connection, "source_prints", rows)
