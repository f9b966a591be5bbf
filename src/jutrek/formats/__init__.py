"""Bytes in, readings out: what a camera or recorder file says about when, where and by what it was made.

`read` is the one way in. It never raises for what a file contains: damage costs the part behind it and leaves
a note. It reports and decides nothing.
"""

from __future__ import annotations

import logging
import os
import stat

from jutrek.errors import BrokenFile, SourceUnreadable
from jutrek.formats.beside import read_beside
from jutrek.formats.draft import Draft
from jutrek.formats.outside import of_folder, of_name, of_time
from jutrek.formats.reading import (
    Claim,
    DeviceFacts,
    Exposure,
    Kind,
    Offset,
    Precision,
    Reading,
    Stamp,
    Stretch,
    Tie,
    Track,
)
from jutrek.formats.sniff import HEAD, reader_for
from jutrek.formats.span import FileBytes, Span

__all__ = [
    "STUMBLED",
    "Claim",
    "DeviceFacts",
    "Exposure",
    "Kind",
    "Offset",
    "Precision",
    "Reading",
    "Stamp",
    "Stretch",
    "Tie",
    "Track",
    "open_read_only",
    "read",
]

STUMBLED = "Jutrek stumbled over this file's metadata; what was read before is kept."

_log = logging.getLogger(__name__)


def open_read_only(path: str) -> int:
    """Open a regular file without changing anything about it, its time of last access included where allowed.

    Links are not followed, and a FIFO does not block.

    Returns:
        The file descriptor; the caller closes it.

    Raises:
        SourceUnreadable: when it cannot be opened or is no regular file.
    """
    flags = os.O_RDONLY | os.O_CLOEXEC | os.O_NOFOLLOW | os.O_NONBLOCK
    try:
        try:
            fd = os.open(path, flags | os.O_NOATIME)
        except PermissionError:
            fd = os.open(path, flags)
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    if not stat.S_ISREG(os.fstat(fd).st_mode):
        os.close(fd)
        raise SourceUnreadable(path, OSError("it is not a regular file"))
    return fd


def read(path: str) -> Reading:
    """Read what the file at `path` says, what stands beside it where its device writes that, and its outside claims.

    Raises:
        SourceUnreadable: when the file cannot be opened or read at all. What it contains raises nothing.
    """
    fd = open_read_only(path)
    try:
        status = os.fstat(fd)
        draft = _inside(fd, status.st_size, path)
        mtime_ns = status.st_mtime_ns
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)
    if draft.kind is Kind.CLIP:
        read_beside(path, draft, _alone)
    folder, name = os.path.split(path)
    for claim in (of_name(os.path.splitext(name)[0]), of_folder(folder), of_time(mtime_ns)):
        if claim is not None:
            draft.claims.append(claim)
    return draft.done()


def _alone(path: str) -> Draft:
    """What is inside one file, and nothing from around it."""
    fd = open_read_only(path)
    try:
        return _inside(fd, os.fstat(fd).st_size, path)
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def _inside(fd: int, size: int, path: str) -> Draft:
    draft = Draft()
    if size == 0:
        draft.note("The file is empty.")
        return draft
    content = FileBytes(fd, size)
    reader = reader_for(content.head[:HEAD], os.path.splitext(path)[1][1:].lower(), size)
    if reader is None:
        draft.note("The content is of no format that Jutrek knows.")
        return draft
    try:
        reader(Span(content), draft)
    except BrokenFile as damage:
        draft.note(str(damage))
    except OSError:
        raise
    # A reader that fails otherwise has an error of its own; the file is brought home all the same.
    except Exception:  # noqa: BLE001
        _log.exception("A reader failed on %r", path)
        draft.note(STUMBLED)
    return draft
