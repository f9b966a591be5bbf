"""The journal: an append-only record of what Jutrek did on disk, one file of JSON lines per run.

Under `LIBRARY/.jutrek/journal/<number>-<local time>-<token>.jsonl`; runs are ordered by their numbers, whatever the
clock says. All entries stand in `docs/journal.md`. The first line tells what the run is and is chained to the journal
before it (see `chain`); what will be done is announced and synced before the first of it is done; the last line is
its `end`. A line that was torn by a power loss is ignored by readers. What a kill keeps from being written is told
from the disk by `recover`: a final name exists only for proven bytes.

`at` is UTC. Paths in a library or place are relative to its root.
"""

from __future__ import annotations

import errno
import getpass
import os
import re
import secrets
import socket
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from jutrek.disk import Inside, Outside, own, reserve
from jutrek.errors import LibraryMissing, reason
from jutrek.filing import Row
from jutrek.filing.facts import below
from jutrek.library import Filed, Library
from jutrek.transfer.chain import START, chained, last_chain, lines_of

if TYPE_CHECKING:
    from jutrek.library import Place
    from jutrek.transfer.flight import Proof

FOLDER = own("journal")
VERSION = 3
_LINES, _LEAST = 700, 100
"""Bytes that are kept for what is told of one file, and for how many files at least."""
_FILED_BY = Filed._fields
_NUMBERED = re.compile(r"(\d{6,18})-(?=\d{8}-)")
_NAME = re.compile(r"[0-9A-Za-z][0-9A-Za-z_-]*\.jsonl", re.ASCII)


class Kind(StrEnum):
    """What a run does; the `entry` of its first line."""

    INTAKE = "intake"
    REFILE = "refile"
    TIDY = "tidy"
    TAKE_BACK = "take back"
    CATCH_UP = "catch up"
    CHECK = "check"
    MEND = "mend"
    RELEASE = "release"
    CLEAR = "clear"
    SET_ASIDE = "set aside"
    EMPTY_TRAY = "empty tray"
    LET_GO = "let go"
    SAY = "say"
    DESCRIBE = "describe"
    STORE = "store"
    FETCH = "fetch"
    MAKE = "make"


def number_of(name: str) -> int:
    """The number of a journal by its name; 0 for those that an older Jutrek wrote."""
    found = _NUMBERED.match(name)
    return int(found[1]) if found else 0


def journal_names(library: Library) -> list[str]:
    """The files of all journals of a library, oldest first. What is no regular file is none.

    Raises:
        LibraryMissing: when they cannot be listed.
    """
    try:
        names = [name for name in library.tree.regular_names(FOLDER) if _NAME.fullmatch(name)]
    except FileNotFoundError:
        return []
    except OSError as error:
        raise LibraryMissing(library.root, f"its journal can't be read: {reason(error)}") from error
    return sorted(names, key=lambda name: (number_of(name), name))


def is_run(text: str) -> bool:
    """Whether a text may be the id of a run."""
    return bool(_NAME.fullmatch(f"{text}.jsonl"))


def path_of(run: str) -> Inside:
    """Where the journal of a run lies.

    Raises:
        FileNotFoundError: when no run can be called so.
    """
    try:
        return FOLDER.below(f"{run}.jsonl")
    except Outside as error:
        raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), run) from error


def _filed_by(row: Row) -> dict[str, Any]:
    filed = row.filed
    return {name: value for name in _FILED_BY if (value := getattr(filed, name))}


def _counted(row: Row) -> dict[str, Any]:
    return {"counter": row.counter, "number": row.number} if row.counter else {}


def _sided(row: Row) -> dict[str, Any]:
    says = {"says": row.says} if row.sidecar and row.says else {}
    return {"sidecar": row.sidecar, **says} if row.sidecar else {}


class Journal:
    """The journal of one run, open for appending. Its library's lock is held by whoever has it open."""

    def __init__(self, library: Library, run: str) -> None:
        """Open a journal that is there already, to go on with it.

        Raises:
            OSError: when it cannot be written.
        """
        self.run = run
        self._path, self._tree = path_of(run), library.tree
        self._chain = START
        self._fd = self._tree.open(self._path, os.O_APPEND | os.O_WRONLY)
        self._waiting = self._torn = False
        self._take_up()

    def _take_up(self) -> None:
        """Go on behind the last whole line; one that was torn is told as such."""
        chain, torn = last_chain(self._tree, self._path)
        self._chain = chain or START
        if torn:
            with self._tree.open_own(self._path) as file:
                lines = list(lines_of(file))
            # A whole line that is none of ours is somebody's, and stays told as such.
            if not lines[-1].endswith(b"\n"):
                self._append([{"entry": "torn", "line": len(lines)}], b"\n")

    @classmethod
    def begin(cls, library: Library, kind: Kind, about: Mapping[str, Any] | None = None) -> Journal:
        """Begin the journal of a new run.

        Args:
            about: what else its first line tells.

        Raises:
            OSError: when it cannot be written.
        """
        tree = library.tree
        tree.make_folders(FOLDER)
        names = journal_names(library)
        chain = last_chain(tree, FOLDER.below(names[-1]))[0] if names else None
        number = number_of(names[-1]) + 1 if names else 1
        run = f"{number:06d}-{datetime.now():%Y%m%d-%H%M%S}-{secrets.token_hex(3)}"
        os.close(tree.open(path_of(run), os.O_CREAT | os.O_EXCL | os.O_WRONLY))
        tree.sync_folder(FOLDER)
        journal = cls(library, run)
        journal._chain = chain or START
        journal._write({
            "entry": kind.value, "run": run, "number": number, "at": now(), "version": VERSION, "who": who(),
            "after": journal._chain, **(about or {}),
        })  # fmt: skip
        return journal

    def bring(self, rows: Sequence[Row]) -> None:
        """Write down everything that will be brought, and make it durable."""
        self._write(*(
            {
                "entry": "bring", "row": number, "source": row.source, "root": row.root, "to": row.destination,
                "size": row.size, "mtime_ns": row.mtime_ns, **_sided(row), **_filed_by(row), **_counted(row),
            }
            for number, row in enumerate(rows)
        ))  # fmt: skip
        # Room for what will be told of every file: a disk that is full must not keep the record from being written.
        reserve(self._fd, _LINES * (len(rows) + _LEAST))
        self.sync()

    def move(self, rows: Sequence[Row], about: Callable[[Row], dict[str, Any]] = lambda row: {}) -> None:
        """Write down every move within the library that will be made, and make it durable; `about` tells more."""
        self._write(*(
            {
                "entry": "move", "row": number, "from": below(row.source, row.root), "to": row.destination,
                "size": row.size, "mtime_ns": row.mtime_ns, **_counted(row), **about(row),
            }
            for number, row in enumerate(rows)
        ))  # fmt: skip
        self.sync()

    def moved(self, numbers: Sequence[int]) -> None:
        """Write down moves that are done, those of neighbouring rows in one line. Durable after the next `sync`."""
        spans: list[list[int]] = []
        for number in numbers:
            if spans and number == spans[-1][1] + 1:
                spans[-1][1] = number
            else:
                spans.append([number, number])
        self._write(*(
            {"entry": "moved", "row": first, **({"upto": last} if last > first else {})} for first, last in spans
        ))  # fmt: skip

    def turn(self, names: Mapping[int, tuple[Inside, int]], place: str = "") -> None:
        """Write down, durably, that files go to one another's names through others.

        Args:
            names: these others by row, with the inodes of the files.
            place: in which place; empty for the library.
        """
        more = {"place": place} if place else {}
        self._write(*(
            {"entry": "turn", "row": number, "name": str(name), "inode": inode, **more}
            for number, (name, inode) in names.items()
        ))  # fmt: skip
        self.sync()

    def parted(self, files: int) -> None:
        """Write down, durably, that all files that go to one another's names, so many, bear those in between."""
        self._write({"entry": "parted", "files": files})
        self.sync()

    def move_folders(self, moves: Mapping[int, tuple[str, str, int]]) -> None:
        """Write down every folder that will be moved whole, and make it durable.

        Args:
            moves: by row its path, the one that it is to have, and its inode.
        """
        self._write(*(
            {"entry": "move folder", "row": number, "from": old, "to": new, "inode": inode}
            for number, (old, new, inode) in moves.items()
        ))  # fmt: skip
        self.sync()

    def folder_moved(self, number: int) -> None:
        """Write down, durably, that a folder moved with all that lies in it."""
        self._write({"entry": "folder moved", "row": number})
        self.sync()

    def removed_folder(self, folder: str) -> None:
        """Write down that an emptied folder was removed."""
        self._write({"entry": "folder removed", "folder": folder})

    def part(self, number: int, upto: int, prints: bytes, quick: bytes) -> None:
        """Write down that a large file was copied durably up to a byte.

        Args:
            prints: that part's fingerprint.
            quick: the quick fingerprint of the whole file, by which what is kept of it is known.
        """
        self._write({"entry": "part", "row": number, "upto": upto, "xxh3_128": prints.hex(), "quick": quick.hex()})

    def across(self, number: int, full: bytes) -> None:
        """Write down, durably, that the copy of a file on another file system is proven, and gets its name now."""
        self._write({"entry": "across", "row": number, "xxh3_128": full.hex()})
        self.sync()

    def through(self, number: int, name: Inside, place: str = "") -> None:
        """Write down, durably, that a file goes through another name to one that differs by case or form only."""
        self._write({"entry": "through", "row": number, "name": str(name), **({"place": place} if place else {})})
        self.sync()

    def home(self, proofs: Iterable[tuple[int, Proof]]) -> None:
        """Write down proven files, and the other places that have them. Durable after the next `sync`."""
        self._write(*(entry for number, proof in proofs for entry in _proven(number, proof)))

    def lost(self, place: Place, why: str) -> None:
        """Write down that a place dropped out."""
        self._write({"entry": "place lost", "place": place.id, "why": why})

    def sidecar(self, number: int, row: Row, size: int, mtime_ns: int) -> None:
        """Write down that a sidecar was made beside a file.

        Args:
            number: of the file's row.
            row: the row itself.
            size: of the sidecar in bytes.
            mtime_ns: its time of last change.
        """
        self._write({"entry": "sidecar", "row": number, "to": row.sidecar, "size": size, "mtime_ns": mtime_ns})

    def failed(self, number: int, row: Row, why: str) -> None:
        """Write down a file that did not come home."""
        self._write({"entry": "failed", "row": number, "source": row.source, "why": why})

    def note(self, *entries: Mapping[str, Any]) -> None:
        """Write entries of a run that has words of its own. Durable after the next `sync`."""
        self._write(*entries)

    def end(self, how: str, home: int, left: int, **more: Any) -> None:
        """Write down the end of the run, durably."""
        self._write({"entry": "end", "at": now(), "how": how, "home": home, "left": left, **more})
        self.sync()

    def sync(self) -> None:
        """Make what was written durable."""
        if self._waiting:
            os.fsync(self._fd)
            self._waiting = False

    def close(self) -> None:
        """Close the journal's file, and give back what room was kept for it."""
        try:
            os.ftruncate(self._fd, os.fstat(self._fd).st_size)
        finally:
            os.close(self._fd)

    def _write(self, *entries: Mapping[str, Any]) -> None:
        if self._torn:
            self._take_up()
            self._torn = False
        self._append(entries)

    def _append(self, entries: Sequence[Mapping[str, Any]], before: bytes = b"") -> None:
        """Write entries, behind what ends a line that was torn."""
        lines, chain = [], self._chain
        for entry in entries:
            line, chain = chained(entry, chain)
            lines.append((before + line, chain))
            before = b""
        begin, written = os.fstat(self._fd).st_size, 0
        text = memoryview(b"".join(line for line, _ in lines))
        self._waiting = True
        try:
            while written < len(text):
                written += os.write(self._fd, text[written:])
            self._chain = chain
        except OSError:
            self._keep_whole(lines, begin, written)
            raise

    def _keep_whole(self, lines: Sequence[tuple[bytes, str]], begin: int, written: int) -> None:
        """After an error in the middle of a line, on a disk that is full above all: what is whole stays, and no more.

        The run may go on to its end all the same, as soon as there is room.
        """
        end = 0
        for line, chain in lines:
            if end + len(line) > written:
                break
            end += len(line)
            self._chain = chain
        try:
            os.ftruncate(self._fd, begin + end)
        except OSError:
            self._torn = True


def _proven(number: int, proof: Proof) -> Iterator[dict[str, Any]]:
    sums = {"blake3": proof.second.hex()} if proof.second else {}
    yield {
        "entry": "home", "row": number, "to": proof.row.destination, "xxh3_128": proof.full.hex(), **sums,
        "direct": proof.direct, "mtime_ns": proof.mtime_ns,
    }  # fmt: skip
    for copy in proof.copies:
        line = {"entry": "copied", "row": number, "place": copy.place, "direct": copy.direct}
        lack = {"entry": "not copied", "row": number, "place": copy.place, "why": copy.why}
        yield lack if copy.why else line | {"mtime_ns": copy.mtime_ns}


def places_named(places: Iterable[Place]) -> list[dict[str, str]]:
    """Places as a first line tells them."""
    return [{"id": place.id, "name": place.name, "root": place.root} for place in places]


def now() -> str:
    """This moment, UTC, as entries tell it."""
    return datetime.now(UTC).isoformat(timespec="seconds")


def who() -> str:
    """Who is at work, and on which machine."""
    try:
        user = getpass.getuser()
    except (KeyError, OSError):
        user = str(os.getuid())
    return f"{user}@{socket.gethostname()}"
