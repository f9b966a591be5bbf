"""Amending files: some bytes of each are replaced by others, in one run of the journal.

    1. what every file is and is to be (fingerprints, the bytes that differ) is written into the journal, and synced;
    2. where as many bytes stand as before, they are written in place and synced; else the file is written anew beside
       itself (`writing_anew`), and takes its name;
    3. the file is read back whole, and the journal tells.

A file that another program changed meanwhile, or that has a second name, stays as it is. A kill leaves the old bytes or
the new ones, or, where several were written in place, some of each: the next start puts the old ones back, if that
gives the file which the journal announced, and nothing else.
"""

from __future__ import annotations

import contextlib
import os
import stat
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import FileStamp, Inside, Outside, Tree, inside
from jutrek.errors import CopyRefused, FileTrouble, SourceUnreadable, Stopped, of_place, reason, shown
from jutrek.formats import read
from jutrek.formats.splices import Splice, Spliced, grown, in_place, trouble_with, undone
from jutrek.library import LIBRARY, HomeFile, Library, ProofMark
from jutrek.library.amended import Amended
from jutrek.library.fingerprint import quick_of
from jutrek.transfer.amend_lines import amended_by, is_amended, splices_in
from jutrek.transfer.journal import Journal, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, new_hash, open_to_read, read_back
from jutrek.transfer.one_run import Written, in_one_run
from jutrek.transfer.outcome import Listener, Progress
from jutrek.transfer.writing_anew import NotProven, new_name, put_scrap_away, write_anew

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog

_BLOCK = 1 << 20


class ToAmend(NamedTuple):
    """A file that is to be amended.

    Attributes:
        path: relative to the library.
        how: gives what is to be replaced in it, counted in the file as it is; nothing where it is as wanted. Raises
            ValueError with a sentence where that can't be.
        proven: tells of the file, and of the new one beside it (both by their whole paths), why the new one can't take
            its place; empty where it can. It is asked where the file is written anew.
        anew: whether it is written anew in any case, and not only where it grows.
        full: the fingerprint that it must have; one that has another was changed since, and stays.
        mtime_ns: when it is to have been changed last, nanoseconds since 1970, UTC; None for now.
    """

    path: str
    how: Callable[[str], Sequence[Splice]]
    proven: Callable[[str, str], str] | None = None
    anew: bool = False
    full: bytes | None = None
    mtime_ns: int | None = None


class Step(NamedTuple):
    """A file that is amended: where, by which bytes, how it is, and its fingerprints before and after.

    `name` is that of the new one while it is written; None where it is written in place.
    """

    number: int
    at: Inside
    splices: tuple[Splice, ...]
    stamp: FileStamp
    quick: bytes
    was: bytes
    now: bytes
    name: Inside | None
    proven: Callable[[str, str], str] | None
    mtime_ns: int | None


def amend_files(
    files: Sequence[ToAmend],
    act: str,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    takes_back: str = "",
) -> Written:
    """Amend files of the library. Hash lists, and places, follow when `lists_follow` is called.

    Args:
        files: each once.
        act: tells the journal what is done, in a few words.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set; what was begun is finished.
        listener: hears how it goes on.
        takes_back: the run that is taken back.

    Returns:
        What came of it.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
        Stopped: when it was stopped before anything was written.
    """
    with locked(library):
        written = Written()
        steps = list(steps_of(files, library.tree, stop, written.left))
        if steps:
            about = {"act": act, **({"takes_back": takes_back} if takes_back else {})}
            amending = Amending(len(steps), library, ledger, stop, listener or Listener(), written)
            in_one_run(library, about, steps, amending.some, written, stop)
        return written


def steps_of(
    files: Iterable[ToAmend], tree: Tree, stop: threading.Event, left: list[str], first: int = 0
) -> Iterator[Step]:
    """What there is to do; sentences about what can't be done go to `left`.

    Args:
        first: the number of the first one.

    Raises:
        Stopped: when that is wanted.
    """
    number = first
    for one in files:
        if stop.is_set():
            raise Stopped
        try:
            at = inside(one.path)
            splices = tuple(one.how(tree.at(at)))
            step = _looked_at(tree, at, splices, one, number, stop) if splices else None
        except OSError as error:
            left.append(f"{shown(one.path)} can't be read: {reason(error)}.")
        except Outside as error:
            left.append(f"{shown(one.path)} has {error}.")
        except (ValueError, FileTrouble) as error:
            left.append(f"{shown(one.path)} stays as it is: {error}")
        else:
            if step is not None:
                yield step
                number += 1


def _looked_at(
    tree: Tree, at: Inside, splices: tuple[Splice, ...], wanted: ToAmend, number: int, stop: threading.Event
) -> Step:
    """A file as it is, and as it would be.

    Raises:
        ValueError: when it has another name, or does not hold what is to be replaced.
        OSError: when it can't be read.
        Stopped: when that is wanted.
    """
    fd = open_to_read(tree, at)
    try:
        status = os.fstat(fd)
        if status.st_nlink > 1:
            raise ValueError("It has another name on the disk, which would be changed, too.")
        if not _holds(fd, splices):
            raise ValueError("It was changed meanwhile.")
        was, after = _prints(fd, splices, stop)
        if wanted.full is not None and was != wanted.full:
            raise ValueError("It was changed since.")
        stamp = FileStamp(status.st_size, status.st_mtime_ns, status.st_ino)
        name = new_name(at) if wanted.anew or not in_place(splices) else None
        return Step(number, at, splices, stamp, quick_of(fd), was, after, name, wanted.proven, wanted.mtime_ns)
    finally:
        os.close(fd)


def _holds(fd: int, splices: Iterable[Splice]) -> bool:
    return all(os.pread(fd, len(one.old), one.offset) == one.old for one in splices)


def _prints(fd: int, splices: Sequence[Splice], stop: threading.Event | None = None) -> tuple[bytes, bytes]:
    """The fingerprint of a file, and the one that it would have with other bytes in some places."""
    is_, would, other = new_hash(), new_hash(), Spliced(splices)
    at = 0
    while block := os.pread(fd, _BLOCK, at):
        if stop is not None and stop.is_set():
            raise Stopped
        is_.update(memoryview(block))
        for part in other.take(block):
            would.update(memoryview(part))
        at += len(block)
    for part in other.rest():
        would.update(memoryview(part))
    return is_.digest(), would.digest()


class Amending:
    """Amends files in a run. Whoever makes it holds the library's lock."""

    def __init__(
        self, count: int, library: Library, ledger: Ledger, stop: threading.Event, listener: Listener, written: Written
    ) -> None:
        """
        Args:
            count: how many steps the run has.
        """
        self._count, self._library, self._ledger = count, library, ledger
        self._tree, self._stop, self._listener, self._written = library.tree, stop, listener, written
        self._buffer = aligned_buffer()

    def some(self, journal: Journal, steps: Sequence[Step]) -> None:
        """Amend files that share the syncs of the journal."""
        journal.note(*map(_announced, steps))
        journal.sync()
        done: list[tuple[Step, os.stat_result]] = []
        for step in steps:
            if self._written.trouble is not None:
                break
            if (status := self._amend(step)) is not None:
                done.append((step, status))
                journal.note(_told(step.number, step.at, status))
        journal.sync()
        _learn(self._ledger, done)
        self._written.files += [str(step.at) for step, _ in done]
        self._listener.progress(Progress(self._written.count, 0, self._count, 0, 0, "", 0.0))

    def _amend(self, step: Step) -> os.stat_result | None:
        """Amend one file. Returns what the system tells of it; None where it is as it was."""
        try:
            if step.name is None:
                return self._write_in_place(step)
            return write_anew(
                self._tree, step.at, step.name, step.splices, step.stamp, step.now, self._stop,
                proven=step.proven, mtime_ns=step.mtime_ns, buffer=self._buffer,
            )  # fmt: skip
        except NotProven:
            self._written.unproven.append(str(step.at))
        except ValueError as error:
            self._written.left.append(f"{shown(str(step.at))} stays as it was: {error}")
        except Stopped as error:
            self._written.trouble = self._written.trouble or error
        except OSError as error:
            self._fail(step, error)
        return None

    def _write_in_place(self, step: Step) -> os.stat_result:
        """Write bytes where as many stand.

        Raises:
            ValueError: when the file is another one by now, or does not read back.
            OSError: when it can't be written; it is as it was.
        """
        fd = self._tree.open(step.at, os.O_RDWR | os.O_NONBLOCK)
        try:
            status = os.fstat(fd)
            is_same = stat.S_ISREG(status.st_mode) and step.stamp.unchanged(status) and status.st_nlink == 1
            if not is_same or not _holds(fd, step.splices):
                raise ValueError("It was changed meanwhile.")
            try:
                _write(fd, step.splices)
                if step.mtime_ns is not None:
                    os.utime(fd, ns=(status.st_atime_ns, step.mtime_ns))
                full, _ = read_back(self._tree, step.at, self._buffer)
            except OSError:
                _put_back(fd, step.splices, status.st_mtime_ns)
                raise
            if full != step.now:
                _put_back(fd, step.splices, status.st_mtime_ns)
                raise ValueError("It did not read back as it was written.")
            return os.fstat(fd)
        finally:
            os.close(fd)

    def _fail(self, step: Step, error: OSError) -> None:
        trouble = of_place(self._library.root, str(step.at), error)
        if isinstance(trouble, CopyRefused):
            self._written.left.append(f"{shown(str(step.at))} stays as it was: {reason(error)}.")
        else:
            self._written.trouble = self._written.trouble or trouble


def _write(fd: int, splices: Iterable[Splice]) -> None:
    for one in splices:
        os.pwrite(fd, one.new, one.offset)
    os.fsync(fd)


def _put_back(fd: int, splices: Sequence[Splice], mtime_ns: int) -> None:
    with contextlib.suppress(OSError):
        _write(fd, undone(splices))
        os.utime(fd, ns=(os.fstat(fd).st_atime_ns, mtime_ns))


def _announced(step: Step) -> dict[str, object]:
    name = {"name": str(step.name)} if step.name is not None else {}
    return {
        "entry": "to say", "row": step.number, "to": str(step.at), "size": step.stamp.size + grown(step.splices),
        "xxh3_128": step.now.hex(), "was": step.was.hex(), "quick": step.quick.hex(), "mtime_ns": step.stamp.mtime_ns,
        "at": [[one.offset, one.old.hex(), one.new.hex()] for one in step.splices], **name,
    }  # fmt: skip


def _told(number: int, at: Inside, status: os.stat_result) -> dict[str, object]:
    return {"entry": "amended", "row": number, "to": str(at), "size": status.st_size, "mtime_ns": status.st_mtime_ns}


def _learn(ledger: Ledger, done: Sequence[tuple[Step, os.stat_result]]) -> None:
    at = now()
    marks = [ProofMark(LIBRARY, str(step.at), 0, 0, step.now, at).seen(status) for step, status in done]
    ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for mark in marks])
    ledger.put_proofs(marks)
    ledger.amended.put(
        Amended(str(step.at), step.stamp.size, step.quick, step.was, step.now, step.splices) for step, _ in done
    )


def settle_amended(library: Library, ledger: Ledger, run_log: RunLog, journal: Journal) -> None:
    """Finish what a kill cut off of a run that amended files.

    Raises:
        OSError: when the journal can't be written.
    """
    for row, one in run_log.to_say.items():
        if row in run_log.sidecars or not is_amended(one):
            continue
        with contextlib.suppress(Outside):
            status = _settled_anew(library.tree, one) if "name" in one else _settled(library.tree, one)
            if status is not None:
                run_log.sidecars[row] = line = _known(ledger, one, status)
                journal.note(line)
    journal.sync()


def _settled_anew(tree: Tree, entry: Mapping[str, Any]) -> os.stat_result | None:
    """Finish what a kill cut off of a file that was written anew: it is the old one, or the new one.

    Returns:
        What the system tells of it where it is the new one.
    """
    at = inside(entry["to"])
    if tree.found(at) is None:
        return None
    full, _ = read_back(tree, at, aligned_buffer())
    if full.hex() not in (entry["xxh3_128"], entry["was"]):
        # Somebody changed it since. What still lies beside it is not cleared away then, whatever it is.
        put_scrap_away(tree, at, entry["name"])
        return None
    return tree.lstat(at) if full.hex() == entry["xxh3_128"] else None


def _settled(tree: Tree, entry: Mapping[str, Any]) -> os.stat_result | None:
    """Finish what a kill cut off of one file: it is amended whole, or not at all.

    Returns:
        What the system tells of it where it is amended; None where it is not, or is another file by now.

    Raises:
        OSError: when it can't be read or written.
    """
    at, splices = inside(entry["to"]), splices_in(entry)
    if tree.found(at) is None or not in_place(splices):
        return None
    try:
        if trouble_with(splices, read(tree.at(at)).payload):
            return None
    except SourceUnreadable:
        return None
    fd = tree.open(at, os.O_RDWR | os.O_NONBLOCK)
    try:
        status = os.fstat(fd)
        if not stat.S_ISREG(status.st_mode) or status.st_size != int(entry["size"]) or status.st_nlink > 1:
            return None
        is_, would = _prints(fd, undone(splices))
        if is_.hex() == entry["xxh3_128"]:
            os.fsync(fd)
            full, _ = read_back(tree, at, aligned_buffer())
            return os.fstat(fd) if full == is_ else None
        if is_.hex() != entry["was"] and would.hex() == entry["was"]:
            _put_back(fd, splices, entry.get("mtime_ns", status.st_mtime_ns))
        return None
    finally:
        os.close(fd)


def _known(ledger: Ledger, entry: Mapping[str, Any], status: os.stat_result) -> dict[str, object]:
    """Let the ledger know a file that a run amended which a kill cut off. Returns the line that tells of it."""
    told = amended_by(entry)
    mark = ProofMark(LIBRARY, told.path, 0, 0, told.now, now()).seen(status)
    ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full)])
    ledger.put_proofs([mark])
    ledger.amended.put([told])
    return _told(int(entry["row"]), inside(told.path), status)
