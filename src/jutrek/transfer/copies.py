"""One file at one place while it is carried: its temporary, its proof, its name."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import mmap
import os
from collections.abc import Callable
from dataclasses import dataclass

from jutrek.disk import TEMPORARY, Held, Inside, Outside, Tree, inside
from jutrek.errors import JutrekError
from jutrek.filing import Row
from jutrek.library import Place, ProofMark
from jutrek.transfer.folders import HeldFolders
from jutrek.transfer.medium import BLOCK, SECTOR, read_back

_STRETCHES = 4


class Target:
    """A place while a run is at work, shared by all carriers.

    Attributes:
        main: whether the run is there for it: a file that cannot come there has failed. Other places drop out alone.
        tree: its folders.
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
        self.tree = Tree(place.root, self.device)
        self.lost = lost


@dataclass(frozen=True, slots=True)
class Copied:
    """What became of a file in a place besides the library.

    Attributes:
        place: its id.
        direct: as in `Proof`.
        mtime_ns: the time of last change that the file has there.
        inode, ctime_ns: which file it is there; 0 where it was not looked at.
        why: why it is not there; empty where it is, proven.
    """

    place: str
    direct: bool = False
    mtime_ns: int = 0
    why: str = ""
    inode: int = 0
    ctime_ns: int = 0


class Copy:
    """A file on its way into one place. One thread at a time.

    The folder that it goes to is held open meanwhile: what is looked at, written, read back and named is in one folder.
    """

    def __init__(
        self,
        target: Target,
        row: Row,
        destination: Inside,
        name: str,
        folders: HeldFolders,
        aside: Inside | None = None,
    ) -> None:
        """
        Args:
            destination: where it goes in the place.
            name: of its temporary, which lies beside its destination.
            folders: from which it has the folder that it goes to.
            aside: where a bad or older file goes that bears the destination's name, once the new one is proven.
        """
        self.target, self.row, self.destination, self.aside = target, row, destination, aside
        self.temporary = destination.beside(name)
        self.there = False
        """Whether something bears the destination's name already: it is never written, only compared."""
        self.why: JutrekError | None = None
        self.direct = False
        self._seen: os.stat_result | None = None
        self.written = 0
        """How many bytes a partial had that was taken up."""
        self._fd = -1
        self._folders = folders
        self._direct_writes = False

    @property
    def stands(self) -> bool:
        """Whether it is still on its way."""
        return self.why is None

    def look(self, source: int) -> None:
        """Look whether something bears the name already.

        Args:
            source: the open source. A file is no copy of itself, by whatever name it is reached.

        Raises:
            OSError: when the place cannot be looked at, or what is there is the source.
        """
        if self.aside is None:
            try:
                folder = self._folders.hold(self.target.tree, self.destination.folder)
            except FileNotFoundError:
                return
            found = folder.found(self.destination)
            self.there = found is not None
            if found is not None and os.path.samestat(found, os.fstat(source)):
                raise OSError("it is the source itself, under another name")

    def open(self, partial: Inside | None = None, upto: int = 0) -> None:
        """Make the temporary, or take up a partial with its first bytes.

        Raises:
            OSError: when it cannot be made.
        """
        if self.there or self._fd >= 0:
            return
        if partial is not None:
            # Two files of one content may want the same partial: the other one begins anew.
            with contextlib.suppress(FileNotFoundError):
                self._held()
                self.target.tree.give_name(partial, self.temporary)
                self._fd = self._held().open(self.temporary, os.O_RDWR)
                os.ftruncate(self._fd, upto)
                self.written = upto
        if self._fd < 0:
            self._fd = self._created()
        if self.row.size >= BLOCK and not self.written:
            self._write_direct(True)

    def _created(self) -> int:
        flags = os.O_RDWR | os.O_CREAT | os.O_EXCL
        try:
            return self._held().open(self.temporary, flags)
        except FileNotFoundError:
            # Somebody removed the folder, which was empty, since it was looked at.
            return self._folders.hold_anew(self.target.tree, self.destination.folder).open(self.temporary, flags)

    def _held(self) -> Held:
        return self._folders.hold(self.target.tree, self.destination.folder, make=True)

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

    def start_syncing(self) -> None:
        """Have the system begin to write what it holds of it, without waiting for that: it drops its pages that way."""
        if not self.there:
            with contextlib.suppress(OSError):
                os.posix_fadvise(self._fd, 0, 0, os.POSIX_FADV_DONTNEED)

    def finish(self, times: tuple[int, int]) -> None:
        """Put times on (access and last change, nanoseconds), and make everything durable."""
        if self.there:
            return
        try:
            os.utime(self._fd, ns=times)
            os.fsync(self._fd)
            os.posix_fadvise(self._fd, 0, 0, os.POSIX_FADV_DONTNEED)
        finally:
            self.close()

    def again(self) -> None:
        """Begin anew after a copy that read back differently."""
        self.close()
        self._held().remove_own(self.temporary)
        self.written, self._direct_writes = 0, False
        self.open()

    def prove(self, buffer: mmap.mmap, look: Callable[[], None], report: Callable[[int], None]) -> bytes:
        """Read it back from the medium. Returns its fingerprint."""
        path, folder = self.destination if self.there else self.temporary, self._held()
        found, self.direct = read_back(folder, path, buffer, look=look, report=report)
        if self.there:
            self._seen = folder.lstat(path)
        return found

    def agrees(self, source: int, span: tuple[int, int], length: int) -> bool:
        """Whether stretches at the beginning, in the middle and at the end of a span are those of the source."""
        begin, end = span
        fd = self._held().open(self.temporary, os.O_RDONLY)
        try:
            places = (begin, (begin + end) // 2, end - length)
            return all(os.pread(fd, length, at) == os.pread(source, length, at) for at in places)
        finally:
            os.close(fd)

    def differences(self, source: int) -> list[tuple[int, int]]:
        """Where the temporary differs from its source: first and last byte of the first few stretches."""
        found: list[tuple[int, int]] = []
        fd = self._held().open(self.temporary, os.O_RDONLY)
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
        """Give it its final name, which replaces nothing. What it is brought instead of is put aside right before.

        Raises:
            FileExistsError: when something else took that name meanwhile.
        """
        if self.there:
            return
        tree, folder = self.target.tree, self._held()
        instead = self.aside if self.aside is not None and folder.found(self.destination) is not None else None
        if instead is not None:
            tree.make_folders(instead.folder)
            tree.give_name(self.destination, instead)
            tree.sync_folder(instead.folder)
        try:
            folder.give_name(self.temporary, self.destination)
        except OSError:
            if instead is not None:
                tree.give_name(instead, self.destination)
            raise
        # Naming it was a change of the file's own, too.
        self._seen = folder.lstat(self.destination)

    def check_folder(self) -> None:
        """Make sure that it lies where its name says.

        Raises:
            FileNotFoundError: when its folder is not where it was.
        """
        if not self.there:
            self._folders.check(self.target.tree, self.destination.folder)

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
                self.target.tree.remove_own(self.temporary)

    @property
    def stamp(self) -> tuple[int, int, int]:
        """Time of last change, inode and time of the last change of its own, as it was seen when it was proven."""
        seen = self._seen
        return (seen.st_mtime_ns, seen.st_ino, seen.st_ctime_ns) if seen is not None else (0, 0, 0)

    @property
    def told(self) -> Copied:
        """What became of it."""
        mtime_ns, inode, ctime_ns = self.stamp
        why = str(self.why) if self.why else ""
        return Copied(self.target.place.id, self.direct, mtime_ns, why, inode, ctime_ns)


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


def unchanged(tree: Tree, mark: ProofMark) -> bool:
    """Whether a copy is there as it was proven, by size and time."""
    try:
        status = tree.found(inside(mark.path))
    except (OSError, Outside):
        return False
    return status is not None and mark.fits(status)
