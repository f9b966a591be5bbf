"""One file at one place while it is carried: its temporary, its proof, its name."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import mmap
import os
from collections.abc import Callable
from dataclasses import dataclass

from jutrek.disk import TEMPORARY, give_name, make_folders
from jutrek.errors import JutrekError
from jutrek.filing import Row
from jutrek.library import Place, ProofMark
from jutrek.transfer.medium import BLOCK, SECTOR, read_back

_STRETCHES = 4


class Target:
    """A place while a run is at work, shared by all carriers.

    Attributes:
        main: whether the run is there for it: a file that cannot come there has failed. Other places drop out alone.
        device: the device that its root is on. It must stay the one below it: a drive that is unplugged may leave an
            empty folder of the same name on another disk.
        lost: why it dropped out of the run, or None.
    """

    def __init__(self, place: Place, *, main: bool = False, lost: JutrekError | None = None) -> None:
        """
        Raises:
            OSError: when its root is not there; of one that is lost already it is not asked.
        """
        self.place, self.root, self.main = place, place.root, main
        self.device = os.stat(place.root).st_dev if lost is None else -1
        self.lost = lost
        self._made: set[str] = set()

    def have_folder(self, path: str) -> None:
        """Make a folder and its parents, if they are not there.

        Raises:
            OSError: ENODEV when the place is gone, or lies on another device than at the start.
        """
        if path in self._made:
            with contextlib.suppress(FileNotFoundError):
                if os.stat(path).st_dev == self.device:
                    return
        make_folders(path, within=self.root, device=self.device)
        self._made.add(path)


@dataclass(frozen=True, slots=True)
class Copied:
    """What became of a file in a place besides the library.

    Attributes:
        place: its id.
        direct: as in `Proof`.
        mtime_ns: the time of last change that the file has there.
        why: why it is not there; empty where it is, proven.
    """

    place: str
    direct: bool = False
    mtime_ns: int = 0
    why: str = ""


class Copy:
    """A file on its way into one place. One thread at a time."""

    def __init__(self, target: Target, row: Row, name: str) -> None:
        """
        Args:
            name: of its temporary, which lies beside its destination.
        """
        self.target, self.row = target, row
        self.destination = os.path.join(target.root, row.destination or "")
        self.folder = os.path.dirname(self.destination)
        self.temporary = os.path.join(self.folder, name)
        self.there = os.path.lexists(self.destination)
        """Whether something bears the destination's name already: it is never written, only compared."""
        self.why: JutrekError | None = None
        self.direct = False
        self.mtime_ns = 0
        self.written = 0
        """How many bytes a partial had that was taken up."""
        self._fd = -1
        self._direct_writes = False

    @property
    def stands(self) -> bool:
        """Whether it is still on its way."""
        return self.why is None

    def open(self, partial: str = "", upto: int = 0) -> None:
        """Make the temporary, or take up a partial with its first bytes.

        Raises:
            OSError: when it cannot be made.
        """
        if self.there or self._fd >= 0:
            return
        self.target.have_folder(self.folder)
        flags = os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW
        if partial:
            # Two files of one name, size and time may want the same partial: the other one begins anew.
            with contextlib.suppress(FileNotFoundError):
                os.rename(partial, self.temporary)
                self._fd = os.open(self.temporary, flags)
                os.ftruncate(self._fd, upto)
                self.written = upto
        if self._fd < 0:
            self._fd = os.open(self.temporary, flags | os.O_CREAT | os.O_EXCL, 0o666)
        self._write_direct(self.row.size >= BLOCK and not self.written)

    def write(self, data: memoryview, at: int) -> None:
        """Write bytes where they belong. After an error it may be called again with the same ones.

        Of a large file whole blocks go past the page cache, which halves what writing costs; the rest of it does not.
        """
        if self.there or at + len(data) <= self.written:
            return
        view = data[max(0, self.written - at) :]
        at = max(at, self.written)
        if self._direct_writes and (at % SECTOR or len(view) % SECTOR):
            self._write_direct(False)
        while view:
            try:
                count = os.pwrite(self._fd, view, at)
            except OSError as error:
                if error.errno != errno.EINVAL or not self._direct_writes:
                    raise
                self._write_direct(False)
                continue
            view, at = view[count:], at + count

    def _write_direct(self, wanted: bool) -> None:
        """Write past the page cache from now on, or through it. Where that is refused it is done through it."""
        flags = fcntl.fcntl(self._fd, fcntl.F_GETFL)
        try:
            fcntl.fcntl(self._fd, fcntl.F_SETFL, flags | os.O_DIRECT if wanted else flags & ~os.O_DIRECT)
        except OSError:
            wanted = False
        self._direct_writes = wanted

    def settle(self) -> None:
        """Make what was written so far durable."""
        if not self.there:
            os.fdatasync(self._fd)

    def finish(self, times: tuple[int, int]) -> None:
        """Put times on (access and last change, nanoseconds), and make everything durable."""
        if self.there:
            return
        try:
            os.utime(self._fd, ns=times)
            os.fsync(self._fd)
            os.posix_fadvise(self._fd, 0, 0, os.POSIX_FADV_DONTNEED)
            self.mtime_ns = os.fstat(self._fd).st_mtime_ns
        finally:
            self.close()

    def again(self) -> None:
        """Begin anew after a copy that read back differently."""
        self.close()
        with contextlib.suppress(OSError):
            os.unlink(self.temporary)
        self.written = 0
        self.open()

    def prove(self, buffer: mmap.mmap, look: Callable[[], None], report: Callable[[int], None]) -> bytes:
        """Read it back from the medium. Returns its fingerprint."""
        path = self.destination if self.there else self.temporary
        found, self.direct = read_back(path, buffer, look=look, report=report)
        if self.there:
            self.mtime_ns = os.lstat(path).st_mtime_ns
        return found

    def differences(self, source: int) -> list[tuple[int, int]]:
        """Where the temporary differs from its source: first and last byte of the first few stretches."""
        found: list[tuple[int, int]] = []
        fd = os.open(self.temporary, os.O_RDONLY | os.O_CLOEXEC | os.O_NOFOLLOW)
        try:
            os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)
            for at in range(0, self.row.size, BLOCK):
                ours, theirs = os.pread(fd, BLOCK, at), os.pread(source, BLOCK, at)
                if ours != theirs:
                    found.append((at + _first(ours, theirs), at + _last(ours, theirs)))
                    if len(found) == _STRETCHES:
                        break
        finally:
            os.close(fd)
        return found

    def name(self) -> None:
        """Give it its final name, which replaces nothing.

        Raises:
            FileExistsError: when something else took that name meanwhile.
        """
        if not self.there:
            give_name(self.temporary, self.destination)

    def close(self) -> None:
        """Close its file."""
        if self._fd >= 0:
            fd, self._fd = self._fd, -1
            os.close(fd)

    def drop(self) -> None:
        """Leave nothing of it behind."""
        with contextlib.suppress(OSError):
            self.close()
        if not self.there:
            with contextlib.suppress(OSError):
                os.unlink(self.temporary)

    @property
    def told(self) -> Copied:
        """What became of it."""
        return Copied(self.target.place.id, self.direct, self.mtime_ns, str(self.why) if self.why else "")


def _first(ours: bytes, theirs: bytes) -> int:
    """The first byte in which two different blocks differ: half of what is left is looked at each time."""
    low, high = 0, max(len(ours), len(theirs))
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if ours[low:middle] != theirs[low:middle] else (middle, high)
    return low


def _last(ours: bytes, theirs: bytes) -> int:
    """The last such byte."""
    low, high = 0, max(len(ours), len(theirs))
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if ours[middle:high] != theirs[middle:high] else (low, middle)
    return low


def temporary_name(run: str, number: int) -> str:
    """The name of the temporary of a row."""
    return f"{TEMPORARY}{run}-{number}.part"


def unchanged(path: str, mark: ProofMark) -> bool:
    """Whether a copy is there as it was proven, by size and time."""
    try:
        status = os.lstat(path)
    except OSError:
        return False
    return (status.st_size, status.st_mtime_ns) == (mark.size, mark.mtime_ns)
