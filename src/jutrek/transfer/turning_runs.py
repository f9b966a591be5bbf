"""Turning files in place: a few bytes of each are replaced by as many others, in one run of the journal.

    1. what every file is and is to be (fingerprints, the bytes that differ) is written into the journal, and synced;
    2. the bytes are written and synced; the file is read back whole, and the journal tells.

A file that another program changed meanwhile, or that has a second name, stays as it is. A kill leaves the old bytes or
the new ones, or, where there are several, some of each: the next start puts the old ones back, if that gives the file
which the journal announced, and nothing else.
"""

from __future__ import annotations

import contextlib
import os
import stat
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import FileStamp, Inside, Outside, Tree, inside
from jutrek.errors import CopyRefused, FileTrouble, SourceUnreadable, Stopped, of_place, reason, shown
from jutrek.formats import read
from jutrek.library import LIBRARY, HomeFile, Library, ProofMark
from jutrek.library.fingerprint import quick_of
from jutrek.library.turned import Turned
from jutrek.transfer.journal import Journal, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, new_hash, open_to_read, read_back
from jutrek.transfer.outcome import Listener, Progress
from jutrek.transfer.sidecar_runs import Written, in_one_run
from jutrek.transfer.turn_lines import is_turn, patches_in, turned_by
from jutrek.turning.patching import CannotTurn, Patch, check

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog

_BLOCK = 1 << 20


class Back(NamedTuple):
    """What a file must be to be turned back, and when it was changed last before it was turned.

    Attributes:
        full: its fingerprint; one that has another was changed since, and stays.
        mtime_ns: nanoseconds since 1970, UTC: it has the bytes of then again, and the time.
    """

    full: bytes
    mtime_ns: int


class _Step(NamedTuple):
    """A file to be turned: where, by which bytes, how it is, and its fingerprints before and after."""

    number: int
    at: Inside
    patches: tuple[Patch, ...]
    stamp: FileStamp
    quick: bytes
    was: bytes
    now: bytes
    mtime_ns: int | None = None


def turn_files(
    paths: Sequence[str],
    patches: Callable[[str], Sequence[Patch]],
    act: str,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    takes_back: str = "",
    back: Mapping[str, Back] = MappingProxyType({}),
) -> Written:
    """Turn files of the library. Hash lists, and places, follow when `lists_follow` is called.

    Args:
        paths: relative to the library, each once.
        patches: gives the bytes that are to be others, of a file by its path relative to the library; none where it is
            as wanted. Raises CannotTurn.
        act: tells the journal what is done, in a few words.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set; what was begun is finished.
        listener: hears how it goes on.
        takes_back: the run that is taken back.
        back: what its files must be, by path.

    Returns:
        What came of it; `sidecars` are the files that were turned.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
        Stopped: when it was stopped before anything was turned.
    """
    with locked(library):
        written, listener = Written(), listener or Listener()
        steps = list(_steps(paths, patches, back, library.tree, stop, written.left))
        if steps:
            _Turning(steps, library, ledger, stop, listener, written).go(act, takes_back)
        return written


def _steps(
    paths: Sequence[str], patches: Callable[[str], Sequence[Patch]], back: Mapping[str, Back], tree: Tree,
    stop: threading.Event, left: list[str],
) -> Iterator[_Step]:  # fmt: skip
    number = 0
    for path in paths:
        if stop.is_set():
            raise Stopped
        try:
            at = inside(path)
            found = tuple(patches(path))
            step = _looked_at(tree, at, found, number) if found else None
            if step is not None and path in back:
                if step.was != back[path].full:
                    raise CannotTurn("It was changed since.")
                step = step._replace(mtime_ns=back[path].mtime_ns)
        except OSError as error:
            left.append(f"{shown(path)} can't be read: {reason(error)}.")
        except Outside as error:
            left.append(f"{shown(path)} has {error}.")
        except (CannotTurn, FileTrouble) as error:
            left.append(f"{shown(path)} can't be turned: {error}")
        else:
            if step is not None:
                yield step
                number += 1


def _looked_at(tree: Tree, at: Inside, patches: tuple[Patch, ...], number: int) -> _Step:
    """A file as it is, and as it would be.

    Raises:
        CannotTurn: when it has another name, or does not hold what is to be replaced.
        OSError: when it can't be read.
    """
    fd = open_to_read(tree, at)
    try:
        status = os.fstat(fd)
        if status.st_nlink > 1:
            raise CannotTurn("It has another name on the disk, which would be turned, too.")
        if _bytes_at(fd, patches) != [one.old for one in patches]:
            raise CannotTurn("It was changed meanwhile.")
        was, after = _prints(fd, {one.offset: one.new for one in patches})
        stamp = FileStamp(status.st_size, status.st_mtime_ns, status.st_ino)
        return _Step(number, at, patches, stamp, quick_of(fd), was, after)
    finally:
        os.close(fd)


def _bytes_at(fd: int, patches: Iterable[Patch]) -> list[bytes]:
    return [os.pread(fd, len(one.old), one.offset) for one in patches]


def _prints(fd: int, instead: Mapping[int, bytes]) -> tuple[bytes, bytes]:
    """The fingerprint of a file, and the one that it would have with other bytes in some places."""
    is_, would = new_hash(), new_hash()
    at = 0
    while block := os.pread(fd, _BLOCK, at):
        is_.update(memoryview(block))
        would.update(memoryview(with_bytes(block, at, instead)))
        at += len(block)
    return is_.digest(), would.digest()


def with_bytes(block: bytes, at: int, instead: Mapping[int, bytes]) -> bytes:
    """A block of a file with other bytes in some places.

    Args:
        block: of the file.
        at: where in the file it begins.
        instead: the other bytes, by where in the file they stand.
    """
    made: bytearray | None = None
    for offset, new in instead.items():
        first, last = max(offset, at), min(offset + len(new), at + len(block))
        if first < last:
            made = made if made is not None else bytearray(block)
            made[first - at : last - at] = new[first - offset : last - offset]
    return block if made is None else bytes(made)


class _Turning:
    """One run. Whoever makes it holds the library's lock."""

    def __init__(
        self, steps: Sequence[_Step], library: Library, ledger: Ledger, stop: threading.Event, listener: Listener,
        written: Written,
    ) -> None:  # fmt: skip
        self._steps, self._library, self._ledger = steps, library, ledger
        self._tree, self._stop, self._listener, self._written = library.tree, stop, listener, written
        self._buffer = aligned_buffer()

    def go(self, act: str, takes_back: str) -> None:
        about = {"act": act, **({"takes_back": takes_back} if takes_back else {})}
        in_one_run(self._library, about, self._steps, self._turn_some, self._written, self._stop)

    def _turn_some(self, journal: Journal, steps: Sequence[_Step]) -> None:
        """Turn files that share the syncs of the journal."""
        journal.note(*map(_announced, steps))
        journal.sync()
        done: list[tuple[_Step, os.stat_result]] = []
        for step in steps:
            if self._written.trouble is not None:
                break
            if (status := self._turn(step)) is not None:
                done.append((step, status))
                journal.note(_told(step.number, step.at, status))
        journal.sync()
        _learn(self._ledger, done)
        self._written.sidecars += [str(step.at) for step, _ in done]
        self._listener.progress(Progress(len(self._written.sidecars), 0, len(self._steps), 0, 0, "", 0.0))

    def _turn(self, step: _Step) -> os.stat_result | None:
        """Turn one file. Returns what the system tells of it; None where it is as it was."""
        try:
            fd = self._tree.open(step.at, os.O_RDWR | os.O_NONBLOCK)
        except OSError as error:
            self._fail(step, error)
            return None
        try:
            status = os.fstat(fd)
            is_same = stat.S_ISREG(status.st_mode) and step.stamp.unchanged(status) and status.st_nlink == 1
            if not is_same or _bytes_at(fd, step.patches) != [one.old for one in step.patches]:
                self._written.left.append(f"{shown(str(step.at))} was not turned: it was changed meanwhile.")
                return None
            try:
                _write(fd, step.patches)
                if step.mtime_ns is not None:
                    os.utime(fd, ns=(status.st_atime_ns, step.mtime_ns))
                full, _ = read_back(self._tree, step.at, self._buffer)
            except OSError as error:
                _put_back(fd, step.patches, status.st_mtime_ns)
                self._fail(step, error)
                return None
            if full != step.now:
                _put_back(fd, step.patches, status.st_mtime_ns)
                self._written.left.append(f"{shown(str(step.at))} was not turned: it did not read back as written.")
                return None
            return os.fstat(fd)
        finally:
            os.close(fd)

    def _fail(self, step: _Step, error: OSError) -> None:
        trouble = of_place(self._library.root, str(step.at), error)
        if isinstance(trouble, CopyRefused):
            self._written.left.append(f"{shown(str(step.at))} was not turned: {reason(error)}.")
        else:
            self._written.trouble = self._written.trouble or trouble


def _write(fd: int, patches: Iterable[Patch]) -> None:
    for one in patches:
        os.pwrite(fd, one.new, one.offset)
    os.fsync(fd)


def _put_back(fd: int, patches: Iterable[Patch], mtime_ns: int) -> None:
    with contextlib.suppress(OSError):
        _write(fd, [one.back for one in patches])
        os.utime(fd, ns=(os.fstat(fd).st_atime_ns, mtime_ns))


def _announced(step: _Step) -> dict[str, object]:
    return {
        "entry": "to say", "row": step.number, "to": str(step.at), "size": step.stamp.size, "xxh3_128": step.now.hex(),
        "was": step.was.hex(), "quick": step.quick.hex(), "mtime_ns": step.stamp.mtime_ns,
        "at": [[one.offset, one.old.hex(), one.new.hex()] for one in step.patches],
    }  # fmt: skip


def _told(number: int, at: Inside, status: os.stat_result) -> dict[str, object]:
    return {"entry": "turned", "row": number, "to": str(at), "size": status.st_size, "mtime_ns": status.st_mtime_ns}


def _learn(ledger: Ledger, done: Sequence[tuple[_Step, os.stat_result]]) -> None:
    at = now()
    marks = [ProofMark(LIBRARY, str(step.at), 0, 0, step.now, at).seen(status) for step, status in done]
    ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for mark in marks])
    ledger.put_proofs(marks)
    ledger.turned.put(
        Turned(
            str(step.at), step.stamp.size, step.quick, step.was, step.now,
            {one.offset: (one.old, one.new) for one in step.patches},
        )
        for step, _ in done
    )  # fmt: skip


def settle_turns(library: Library, ledger: Ledger, run_log: RunLog, journal: Journal) -> None:
    """Finish what a kill cut off of a run that turned files.

    Raises:
        OSError: when the journal can't be written.
    """
    for row, one in run_log.to_say.items():
        if row in run_log.sidecars or not is_turn(one):
            continue
        with contextlib.suppress(Outside):
            status = _settled(library.tree, one)
            if status is not None:
                run_log.sidecars[row] = line = _known(ledger, one, status)
                journal.note(line)
    journal.sync()


def _settled(tree: Tree, entry: Mapping[str, Any]) -> os.stat_result | None:
    """Finish what a kill cut off of one file: it is turned whole, or not at all.

    Returns:
        What the system tells of it where it is turned; None where it is not, or is another file by now.

    Raises:
        OSError: when it can't be read or written.
    """
    at, patches = inside(entry["to"]), patches_in(entry)
    if tree.found(at) is None:
        return None
    try:
        check(patches, read(tree.at(at)).payload)
    except (CannotTurn, SourceUnreadable):
        return None
    fd = tree.open(at, os.O_RDWR | os.O_NONBLOCK)
    try:
        status = os.fstat(fd)
        if not stat.S_ISREG(status.st_mode) or status.st_size != int(entry["size"]) or status.st_nlink > 1:
            return None
        is_, would = _prints(fd, {one.offset: one.old for one in patches})
        if is_.hex() == entry["xxh3_128"]:
            os.fsync(fd)
            full, _ = read_back(tree, at, aligned_buffer())
            return os.fstat(fd) if full == is_ else None
        if is_.hex() != entry["was"] and would.hex() == entry["was"]:
            _put_back(fd, patches, entry.get("mtime_ns", status.st_mtime_ns))
        return None
    finally:
        os.close(fd)


def _known(ledger: Ledger, entry: Mapping[str, Any], status: os.stat_result) -> dict[str, object]:
    """Let the ledger know a file that a run turned which a kill cut off. Returns the line that tells of it."""
    told = turned_by(entry)
    mark = ProofMark(LIBRARY, told.path, 0, 0, told.now, now()).seen(status)
    ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full)])
    ledger.put_proofs([mark])
    ledger.turned.put([told])
    return _told(int(entry["row"]), inside(told.path), status)
