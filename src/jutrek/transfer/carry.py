"""Carrying one file home: the states on disk, and their order.

    1. the source is opened read-only and compared with the plan (size and time);
    2. a hidden temporary `.jutrek-<intake>-<row>.part` is made beside the target, never replacing anything;
    3. the source is read once: each block is hashed and written;
    4. the time of last change is put on, and the temporary is synced;
    5. it is read back from the medium and its fingerprint compared;
    6. it is given its final name, in a way that cannot replace an existing file;
    7. the folder is synced.

Before step 6 the target's name does not exist; from step 6 on it names proven bytes. Whatever goes wrong before
removes the temporary; a kill leaves it for the next start, which knows it by its name.
"""

from __future__ import annotations

import contextlib
import mmap
import os
import threading
from collections.abc import Callable
from dataclasses import dataclass

from jutrek.disk import TEMPORARY, give_name, make_folders, sync_folder
from jutrek.doubles import full as fingerprint
from jutrek.errors import (
    CopyDiffers,
    NameTaken,
    SourceChanged,
    SourceUnreadable,
    Stopped,
    of_place,
)
from jutrek.filing import Row
from jutrek.formats import open_read_only
from jutrek.transfer.medium import aligned_buffer, new_hash, read_back

STEPS = ("begin", "opened", "folder made", "half copied", "copied", "synced", "read back", "named", "folder synced")
"""The named steps of carrying one file, in order. Tests break each of them."""


@dataclass(frozen=True, slots=True)
class Proof:
    """What makes a file home: the fingerprint of its bytes on the source, equal to the one read back.

    Attributes:
        full: the fingerprint (XXH3-128, 16 bytes).
        direct: whether the reading back is sure to have reached the medium (`O_DIRECT`); else the pages were dropped
            before, which a file system may ignore.
    """

    row: Row
    full: bytes
    direct: bool


@dataclass(frozen=True, slots=True)
class Watch:
    """How a carrier talks to its run: `stop` is looked at between blocks; the calls may come from any thread."""

    stop: threading.Event
    read: Callable[[Row, int], None]
    proven: Callable[[Row, int], None]
    step: Callable[[str, Row], None]


class Carrier:
    """Carries files into one library, one at a time. Each thread has its own."""

    def __init__(self, library: str, intake: str, lanes: threading.Semaphore, watch: Watch) -> None:
        """
        Args:
            library: the root of the library. The device it is on now must stay the one below it: a drive that is
                unplugged may leave an empty folder of the same name on another disk.
            intake: the intake's id: a part of the temporaries' names.
            lanes: bounds how many files are being read at once; proving goes on beside it.
        """
        self._library = library
        self._device = os.stat(library).st_dev
        self._intake = intake
        self._lanes = lanes
        self._watch = watch
        self._buffer = aligned_buffer()

    def carry(self, row: Row, number: int) -> Proof:
        """Bring one file home and prove it.

        Raises:
            FileTrouble: this file did not come home; nothing of it is left at the target.
            RunTrouble: the place is full or lost, or the run was stopped; likewise.
        """
        destination = os.path.join(self._library, row.destination or "")
        folder = os.path.dirname(destination)
        temporary = os.path.join(folder, f"{TEMPORARY}{self._intake}-{number}.part")
        step = self._watch.step
        step("begin", row)
        source = self._open(row)
        try:
            step("opened", row)
            if os.path.lexists(destination):
                return self._there_already(row, destination)
            try:
                make_folders(folder, within=self._library, device=self._device)
                step("folder made", row)
                full = self._copy(row, source, temporary)
                step("synced", row)
                direct = self._prove(row, temporary, full)
                step("read back", row)
                give_name(temporary, destination)
                step("named", row)
                sync_folder(folder)
                step("folder synced", row)
            except FileExistsError as error:
                raise NameTaken(row.destination or "") from error
            except OSError as error:
                raise of_place(self._library, row.destination or "", error) from error
        except BaseException:
            with contextlib.suppress(OSError):
                os.unlink(temporary)
            raise
        finally:
            os.close(source)
        return Proof(row, full, direct)

    def _open(self, row: Row) -> int:
        if not os.path.lexists(row.source) and not os.path.isdir(row.root):
            raise SourceUnreadable(row.source, OSError(f"the source {row.root} is gone"))
        fd = open_read_only(row.source)
        status = os.fstat(fd)
        if status.st_size != row.size or status.st_mtime_ns != row.mtime_ns:
            os.close(fd)
            raise SourceChanged(row.source, "another size" if status.st_size != row.size else "another time")
        return fd

    def _there_already(self, row: Row, destination: str) -> Proof:
        """A plan carried out twice finds its own work: the same bytes under the planned name are home."""
        try:
            if os.path.isfile(destination) and os.path.getsize(destination) == row.size:
                full = fingerprint(row.source, stop=self._watch.stop)
                found, direct = read_back(destination, self._buffer, stop=self._watch.stop)
                if found == full:
                    return Proof(row, full, direct)
        except OSError as error:
            raise of_place(self._library, row.destination or "", error) from error
        raise NameTaken(row.destination or "")

    def _copy(self, row: Row, source: int, temporary: str) -> bytes:
        """Steps 3 and 4. Returns the fingerprint of what was read."""
        target = os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC | os.O_NOFOLLOW, 0o666)
        try:
            with self._lanes:
                full = self._stream(row, source, target)
            self._watch.step("copied", row)
            try:
                status = os.fstat(source)
            except OSError as error:
                raise SourceUnreadable(row.source, error) from error
            if status.st_size != row.size or status.st_mtime_ns != row.mtime_ns:
                raise SourceChanged(row.source, "while it was being read")
            os.utime(target, ns=(status.st_atime_ns, status.st_mtime_ns))
            os.fsync(target)
            os.posix_fadvise(target, 0, 0, os.POSIX_FADV_DONTNEED)
            return full
        finally:
            os.close(target)

    def _stream(self, row: Row, source: int, target: int) -> bytes:
        state, view, done = new_hash(), memoryview(self._buffer), 0
        with contextlib.suppress(OSError):
            os.posix_fadvise(source, 0, 0, os.POSIX_FADV_SEQUENTIAL)
        try:
            while True:
                if self._watch.stop.is_set():
                    raise Stopped
                try:
                    count = os.preadv(source, [view], done)
                except OSError as error:
                    raise SourceUnreadable(row.source, error, at=done) from error
                if not count:
                    break
                state.update(view[:count])
                _write_all(target, view[:count])
                done += count
                self._watch.read(row, count)
                if done < row.size:
                    self._watch.step("half copied", row)
        finally:
            view.release()
        if done != row.size:
            raise SourceChanged(row.source, "while it was being read")
        return state.digest()

    def _prove(self, row: Row, temporary: str, full: bytes) -> bool:
        """Step 5. Returns whether the reading back was direct."""
        found, direct = read_back(
            temporary, self._buffer, stop=self._watch.stop, report=lambda count: self._watch.proven(row, count)
        )
        if found != full:
            raise CopyDiffers(row.destination or "")
        return direct


def _write_all(target: int, data: memoryview | mmap.mmap) -> None:
    view = memoryview(data)
    while view:
        written = os.write(target, view)
        view = view[written:]
