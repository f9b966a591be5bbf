"""Fingerprints of files: a quick one of head and tail, and a full one. Both are XXH3-128, 16 bytes."""

from __future__ import annotations

import os
import threading

import xxhash

from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import open_read_only

ENDS = 64 * 1024
"""Bytes at the head and at the tail that the quick fingerprint covers."""
_BLOCK = 1024 * 1024


def quick(path: str) -> bytes:
    """The quick fingerprint: size, first and last `ENDS` bytes. Equal files have equal ones; the reverse may fail.

    Raises:
        SourceUnreadable: when the file cannot be read.
    """
    fd = open_read_only(path)
    try:
        return quick_of(fd)
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def quick_of(fd: int) -> bytes:
    """The quick fingerprint of an open file.

    Raises:
        OSError: when it cannot be read.
    """
    size = os.fstat(fd).st_size
    state = xxhash.xxh3_128(size.to_bytes(8, "little"))
    state.update(os.pread(fd, ENDS, 0))
    if size > ENDS:
        state.update(os.pread(fd, ENDS, max(ENDS, size - ENDS)))
    return state.digest()


def full(path: str, *, stop: threading.Event | None = None) -> bytes:
    """The full fingerprint of the whole content.

    Raises:
        SourceUnreadable: when the file cannot be read.
        Stopped: when `stop` was set; it is checked between blocks.
    """
    fd = open_read_only(path)
    try:
        state = xxhash.xxh3_128()
        while block := os.read(fd, _BLOCK):
            if stop is not None and stop.is_set():
                raise Stopped
            state.update(block)
        return state.digest()
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)
