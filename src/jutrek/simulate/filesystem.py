"""A file system that passes everything on to a folder, with faults.

`python -m jutrek.simulate.filesystem ROOT MOUNT PAGE [blind | forgetful [SEED]]` mounts ROOT at MOUNT, with the faults
of the control page. It is a real mount (FUSE), so what reads from it meets the kernel's own errors. Killing it is
pulling the card: every call gives ENOTCONN from then on. A blind one does not tell case: both spellings of a name are
one file, of one inode. For a forgetful one ending is a cut of the power: what nobody synced since its control page was
last written is gone from ROOT; with a seed, half of it.
"""

from __future__ import annotations

import contextlib
import errno
import os
import random
import sys
import threading
import time
from collections.abc import Callable
from typing import Any

import mfusepy

from jutrek.simulate.faults import Faults, faults_at
from jutrek.simulate.forgetting import Durable

_STATUS = ("st_mode", "st_nlink", "st_size", "st_uid", "st_gid", "st_ino", "st_blocks")
_ROOM = (
    "f_bavail", "f_bfree", "f_blocks", "f_bsize", "f_favail", "f_ffree", "f_files", "f_flag", "f_frsize", "f_namemax",
)  # fmt: skip

_HANGS = 0.02
"""Seconds after which a medium that hangs looks whether it still does."""


class FaultyFolder(mfusepy.Operations):  # type: ignore[misc]
    """Passes calls on to a folder."""

    use_ns = True

    def __init__(self, root: str, page: str, *, blind: bool = False, forgetful: bool = False) -> None:
        """
        Args:
            root: the folder.
            page: the control page with the faults.
            blind: whether it takes names for one that differ by case only.
            forgetful: whether it remembers what was synced, for `cut`.
        """
        self._blind, self._forgetful = blind, forgetful
        self._durable: Durable | None = None
        self._root, self._page = os.path.realpath(root), page
        self._read_at: int | None = None
        self._faults = Faults()
        self._written = self._read = 0
        self._lied: dict[str, int] = {}
        self._lock = threading.Lock()
        self._free_at = 0.0

    def _now(self) -> Faults:
        """The faults as they are now; of a medium that hangs, once it no longer does."""
        while self._see().hangs:
            time.sleep(_HANGS)
        faults = self._faults
        if faults.gone or 0 <= faults.pulled_after < self._read:
            raise mfusepy.FuseOSError(faults.gone or errno.ENODEV)
        return faults

    def _see(self) -> Faults:
        try:
            stamp: int | None = os.stat(self._page).st_mtime_ns
        except OSError:
            stamp = None
        if stamp != self._read_at:
            self._read_at, self._faults = stamp, faults_at(self._page)
            self._written = self._read = 0
            self._lied.clear()
            if self._forgetful:
                self._durable = Durable(self._root)
        return self._faults

    def cut(self, seed: str) -> None:
        """What is not durable is gone; with a seed, half of it."""
        if self._durable is not None:
            self._durable.cut(random.Random(seed) if seed else None)

    def _tell(self, what: Callable[[Durable], None]) -> None:
        """Tell what became of the folder, where that is remembered."""
        if self._durable is not None:
            with self._lock:
                what(self._durable)

    def _path(self, path: str) -> str:
        self._now()
        return self._root + (self._spelt(path) if self._blind else path)

    def _spelt(self, path: str) -> str:
        """A path as it is spelt on the disk, as far as it is there."""
        found = ""
        for name in path.split("/")[1:]:
            if not os.path.lexists(f"{self._root}{found}/{name}"):
                with contextlib.suppress(OSError):
                    alike = (one for one in os.listdir(self._root + found) if one.casefold() == name.casefold())
                    name = next(alike, name)  # noqa: PLW2901
            found += f"/{name}"
        return found

    def getattr(self, path: str, _fh: int | None = None) -> dict[str, Any]:
        status = os.lstat(self._path(path))
        found = {name: getattr(status, name) for name in _STATUS}
        return {
            **found, "st_atime": status.st_atime_ns, "st_mtime": status.st_mtime_ns, "st_ctime": status.st_ctime_ns,
        }  # fmt: skip

    def readdir(self, path: str, _fh: int) -> list[Any]:
        folder = self._path(path)
        names = [".", "..", *os.listdir(folder)]
        return [self._entry(folder, name) for name in names] if self._blind else names

    def _entry(self, folder: str, name: str) -> tuple[str, dict[str, int], int]:
        """A name as it is listed where inodes are told: one without an inode would not be listed at all."""
        status = os.lstat(os.path.join(folder, name))
        return name, {"st_ino": status.st_ino, "st_mode": status.st_mode}, 0

    def open(self, path: str, flags: int) -> int:
        return os.open(self._path(path), flags & ~(os.O_DIRECT | os.O_NOATIME))

    def create(self, path: str, mode: int, _fi: Any = None) -> int:
        at = self._path(path)
        fd = os.open(at, os.O_RDWR | os.O_CREAT | os.O_EXCL, mode)
        self._tell(lambda durable: durable.made(at))
        return fd

    def read(self, path: str, size: int, offset: int, fh: int) -> bytes:
        faults = self._now()
        first, last = _of(faults.read_error, path) or (-1, -2)
        if offset <= last and offset + size > first >= 0:
            raise mfusepy.FuseOSError(errno.EIO)
        if faults.read_speed:
            self._wait(size / faults.read_speed)
        data = os.pread(fh, size, offset)
        self._read += len(data)
        return self._flipped(faults, path, data, offset)

    def _wait(self, seconds: float) -> None:
        """Wait for the medium: its speed is shared by all readers, and what waiting itself costs is made up for."""
        with self._lock:
            self._free_at = max(self._free_at, time.monotonic()) + seconds
            left = self._free_at - time.monotonic()
        if left > 0:
            time.sleep(left)

    def _flipped(self, faults: Faults, path: str, data: bytes, offset: int) -> bytes:
        at = _of(faults.flips, path)
        if at is None or not 0 <= at - offset < len(data):
            return data
        self._lied[path] = self._lied.get(path, 0) + 1
        if faults.lies and self._lied[path] > faults.lies:
            return data
        at -= offset
        return data[:at] + bytes([data[at] ^ 1]) + data[at + 1 :]

    def write(self, path: str, data: bytes, offset: int, fh: int) -> int:
        faults = self._now()
        if faults.write_error:
            raise mfusepy.FuseOSError(faults.write_error)
        if 0 <= faults.room < self._written + len(data):
            raise mfusepy.FuseOSError(errno.ENOSPC)
        self._written += len(data)
        self._tell(lambda durable: durable.changed(fh))
        return len(data) if faults.loses_writes else os.pwrite(fh, data, offset)

    def fsync(self, path: str, _datasync: bool, fh: int) -> None:
        if code := self._now().sync_error:
            raise mfusepy.FuseOSError(code)
        os.fsync(fh)
        self._tell(lambda durable: durable.synced(fh))

    def fsyncdir(self, path: str, _datasync: bool, _fh: int) -> None:
        if code := self._now().sync_error:
            raise mfusepy.FuseOSError(code)
        at = self._path(path)
        self._tell(lambda durable: durable.synced_folder(at))

    def flush(self, path: str, fh: int) -> None:
        if code := self._now().close_error:
            raise mfusepy.FuseOSError(code)

    def release(self, path: str, fh: int) -> None:
        os.close(fh)

    def rename(self, old: str, new: str) -> None:
        if code := self._now().rename_error:
            raise mfusepy.FuseOSError(code)
        folder, _, name = new.rpartition("/")
        before, after = self._path(old), f"{self._path(folder)}/{name}" if self._blind else self._path(new)
        os.rename(before, after)
        self._tell(lambda durable: durable.renamed(before, after))

    def link(self, target: str, source: str) -> None:
        # Like the file systems of cards, it has no hard links.
        raise mfusepy.FuseOSError(errno.EPERM)

    def unlink(self, path: str) -> None:
        os.unlink(self._path(path))

    def mkdir(self, path: str, mode: int) -> None:
        at = self._path(path)
        os.mkdir(at, mode)
        self._tell(lambda durable: durable.made(at))

    def rmdir(self, path: str) -> None:
        os.rmdir(self._path(path))

    def truncate(self, path: str, length: int, fh: int | None = None) -> None:
        at = self._path(path) if fh is None else fh
        os.truncate(at, length)
        self._tell(lambda durable: durable.changed(at))

    def utimens(self, path: str, times: tuple[int, int] | None = None) -> None:
        at = self._path(path)
        if times is not None:
            os.utime(at, ns=times)
        else:
            os.utime(at)
        self._tell(lambda durable: durable.changed(at))

    def chmod(self, path: str, mode: int) -> None:
        os.chmod(self._path(path), mode)

    def statfs(self, path: str) -> dict[str, int]:
        room = os.statvfs(self._root)
        self._now()
        return {name: getattr(room, name) for name in _ROOM}


def _of(faults: Any, path: str) -> Any:
    """What is the matter with a path: its own fault, or that of every file; None for none."""
    return faults.get(path, faults.get("*"))


def main(root: str, mount: str, page: str, kind: str = "", seed: str = "") -> None:
    """Serve until the mount is taken away."""
    blind = kind == "blind"
    folder = FaultyFolder(root, page, blind=blind, forgetful=kind == "forgetful")
    mfusepy.FUSE(
        folder, mount, foreground=True, nothreads=False, fsname="jutrek-simulated", big_writes=True, use_ino=blind
    )
    folder.cut(seed)


if __name__ == "__main__":
    main(*sys.argv[1:6])
