"""Reading back from the medium instead of from memory.

After a sync, `O_DIRECT` reads always reach the device. Where a file system refuses `O_DIRECT`, the pages are dropped
with `POSIX_FADV_DONTNEED` first, which a file system may ignore without a word: the proof then says which it was.
"""

from __future__ import annotations

import errno
import mmap
import os
import stat
from collections.abc import Callable
from typing import Protocol

import xxhash

from jutrek.disk import Held, Inside, Tree

BLOCK = 4 * 1024 * 1024
"""Bytes read or written at once; a multiple of every sector and page size."""


SECTOR = 4096
"""What offsets and lengths of direct reads and writes are multiples of."""
_DIRECT: set[int] = set()
"""Devices whose file systems were seen to read directly."""


class Hash(Protocol):
    """What a fingerprint in the making can do."""

    def update(self, data: memoryview, /) -> object:
        """Take more bytes."""

    def digest(self) -> bytes:
        """The fingerprint of all bytes so far."""

    def copy(self) -> Hash:
        """Another one in the same state."""


def new_hash() -> Hash:
    """An XXH3-128 in the making."""
    return xxhash.xxh3_128()


def new_second() -> Hash:
    """A BLAKE3 in the making."""
    import blake3

    return blake3.blake3()


def aligned_buffer() -> mmap.mmap:
    """A page-aligned buffer of `BLOCK` bytes, as `O_DIRECT` wants it."""
    return mmap.mmap(-1, BLOCK)


def small_buffer(size: int) -> mmap.mmap:
    """The same for a file of a size, in bytes, no larger than it needs."""
    return mmap.mmap(-1, min(BLOCK, (size // SECTOR + 1) * SECTOR))


def read_back(
    tree: Tree | Held,
    path: Inside,
    buffer: mmap.mmap,
    *,
    look: Callable[[], None] = lambda: None,
    report: Callable[[int], None] | None = None,
    span: tuple[int, int] | None = None,
    block: Callable[[memoryview], None] | None = None,
) -> tuple[bytes, bool]:
    """The fingerprint of a file as it stands on its medium, and whether it is sure to be read from there.

    Args:
        tree, path: a file that was synced before; links on the way to it are not followed. The tree may be the file's
            folder, held open.
        buffer: from `aligned_buffer`; one thread at a time.
        look: called between blocks; it may raise, or wait.
        report: told the number of bytes of every block.
        span: the first byte and the one behind the last, both multiples of `BLOCK`; None for the whole file.
        block: given every block; it must copy what it keeps.

    Raises:
        OSError: when it cannot be read.
    """
    fd, status, direct = _open_direct(tree, path)
    state = new_hash()
    view = memoryview(buffer)
    try:
        at, end = span or (0, status.st_size)
        if direct and at < end and not _reads(fd, status.st_dev, view, at):
            dropped = _open_dropped(tree, path)
            os.close(fd)
            fd, direct = dropped, False
        # A direct read that reaches far beyond the end has the kernel clear the rest of the buffer: ask for no more.
        while at < end and (count := os.preadv(fd, [view[: _rounded(end - at)]], at)):
            look()
            state.update(view[:count])
            if block is not None:
                block(view[:count])
            at += count
            if report is not None:
                report(count)
        return state.digest(), direct
    finally:
        view.release()
        os.close(fd)


def _rounded(size: int) -> int:
    """A size rounded up to what direct reads want."""
    return min(BLOCK, -(-size // SECTOR) * SECTOR)


def _open_direct(tree: Tree | Held, path: Inside) -> tuple[int, os.stat_result, bool]:
    try:
        return *open_regular(tree, path, os.O_DIRECT), True
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.EOPNOTSUPP):
            raise
        fd = _open_dropped(tree, path)
        return fd, os.fstat(fd), False


def open_to_read(tree: Tree | Held, path: Inside) -> int:
    """Open a regular file for reading, as `open_regular`."""
    return open_regular(tree, path)[0]


def open_regular(tree: Tree | Held, path: Inside, more: int = 0) -> tuple[int, os.stat_result]:
    """Open a regular file for reading, leaving the time of last access alone where that is allowed.

    Args:
        more: flags besides those of reading.

    Raises:
        OSError: when it cannot be opened, or is no regular file.
    """
    flags = os.O_RDONLY | os.O_NONBLOCK | more
    try:
        fd = tree.open(path, flags | os.O_NOATIME)
    except PermissionError:
        fd = tree.open(path, flags)
    status = os.fstat(fd)
    if not stat.S_ISREG(status.st_mode):
        os.close(fd)
        raise OSError("it is not a regular file")
    return fd, status


def _open_dropped(tree: Tree | Held, path: Inside) -> int:
    fd = open_to_read(tree, path)
    os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)
    return fd


def _reads(fd: int, device: int, view: memoryview, at: int) -> bool:
    """Whether a direct read works: some file systems grant `O_DIRECT` and refuse it at the first read."""
    if device in _DIRECT:
        return True
    try:
        os.preadv(fd, [view[:SECTOR]], at)
    except OSError as error:
        if error.errno == errno.EINVAL:
            return False
        raise
    _DIRECT.add(device)
    return True
