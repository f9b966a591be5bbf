"""One Jutrek at a time brings files home to a library: a lock that a crash releases."""

from __future__ import annotations

import contextlib
import fcntl
import os
from collections.abc import Iterator

from jutrek.disk import own
from jutrek.errors import LibraryBusy, LibraryMissing, reason
from jutrek.library import Library

_LOCK = own("lock")


@contextlib.contextmanager
def locked(library: Library) -> Iterator[None]:
    """Hold the library's lock (`flock` on `.jutrek/lock`).

    Raises:
        LibraryBusy: when another process holds it.
        LibraryMissing: when the lock cannot be made.
    """
    try:
        fd = library.tree.open(_LOCK, os.O_CREAT | os.O_RDWR | os.O_NONBLOCK)
    except OSError as error:
        raise LibraryMissing(library.root, reason(error)) from error
    try:
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise LibraryBusy(library.root) from error
        yield
    finally:
        # On a drive that is gone even closing fails; the lock goes with it.
        with contextlib.suppress(OSError):
            os.close(fd)
