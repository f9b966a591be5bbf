"""Reading back from the medium instead of from memory.

After a sync, `O_DIRECT` reads always reach the device. Where a file system refuses `O_DIRECT`, the pages are dropped
with `POSIX_FADV_DONTNEED` first; where that is not possible either, the proof says that it may come from memory.
"""

from __future__ import annotations

import mmap
import os
import threading
from collections.abc import Callable
from typing import Protocol

import xxhash

from jutrek.errors import Stopped

BLOCK = 4 * 1024 * 1024
"""Bytes read or written at once; a multiple of every sector and page size."""


class Hash(Protocol):
    """What a fingerprint in the making can do."""

    def update(self, data: memoryview, /) -> None:
        """Take more bytes."""

    def digest(self) -> bytes:
        """The fingerprint of all bytes so far."""


def new_hash() -> Hash:
    """An XXH3-128 in the making."""
    return xxhash.xxh3_128()


def aligned_buffer() -> mmap.mmap:
    """A page-aligned buffer of `BLOCK` bytes, as `O_DIRECT` wants it."""
    return mmap.mmap(-1, BLOCK)


def read_back(
    path: str, buffer: mmap.mmap, *, stop: threading.Event | None = None, report: Callable[[int], None] | None = None
) -> bytes:
    """The full fingerprint of a file as it stands on its medium.

    Args:
        path: a file that was synced before.
        buffer: from `aligned_buffer`; one thread at a time.
        report: told the number of bytes of every block.

    Raises:
        Stopped: when `stop` was set.
        OSError: when it cannot be read.
    """
    fd = _open_direct(path)
    state = new_hash()
    view = memoryview(buffer)
    try:
        at = 0
        while count := os.preadv(fd, [view], at):
            if stop is not None and stop.is_set():
                raise Stopped
            state.update(view[:count])
            at += count
            if report is not None:
                report(count)
        return state.digest()
    finally:
        view.release()
        os.close(fd)


def _open_direct(path: str) -> int:
    flags = os.O_RDONLY | os.O_CLOEXEC | os.O_NOFOLLOW
    try:
        return os.open(path, flags | os.O_DIRECT)
    except OSError:
        fd = os.open(path, flags)
        os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)
        return fd
