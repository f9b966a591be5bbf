"""Bytes in, readings out: what a camera or recorder file says about when, where and by what it was made.

`read` is the one way in. It never raises for what a file contains: damage costs the part behind it and leaves
a note. It reports and decides nothing.
"""

from __future__ import annotations

import os
import stat

from jutrek.errors import BrokenFile, SourceUnreadable
from jutrek.formats.outside import of_name, of_time
from jutrek.formats.reading import (
    Claim,
    DeviceFacts,
    Draft,
    Kind,
    Offset,
    Precision,
    Reading,
    Stamp,
    Stretch,
)
from jutrek.formats.sniff import reader_for
from jutrek.formats.span import FileBytes, Span

__all__ = [
    "Claim",
    "DeviceFacts",
    "Kind",
    "Offset",
    "Precision",
    "Reading",
    "Stamp",
    "Stretch",
    "open_read_only",
    "read",
    "read_bytes",
]

_HEAD = 1024


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
    """Read what the file at `path` says.

    Raises:
        SourceUnreadable: when the file cannot be opened or read at all. What it contains raises nothing.
    """
    fd = open_read_only(path)
    try:
        status = os.fstat(fd)
        return read_bytes(FileBytes(fd, status.st_size), os.path.basename(path), status.st_mtime_ns)
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def read_bytes(content: FileBytes, name: str, mtime_ns: int) -> Reading:
    """Read content that is open already; `name` and `mtime_ns` (nanoseconds since 1970, UTC) add outside claims."""
    draft = Draft()
    span = Span(content)
    stem, _, suffix = name.rpartition(".") if "." in name else (name, "", "")
    _read_inside(span, draft, suffix.lower())
    for claim in (of_name(stem), of_time(mtime_ns)):
        if claim is not None:
            draft.claims.append(claim)
    return draft.done()


def _read_inside(span: Span, draft: Draft, suffix: str) -> None:
    if span.size == 0:
        draft.notes.append("The file is empty.")
        return
    reader = reader_for(span.read(0, min(_HEAD, span.size)), suffix)
    if reader is None:
        draft.notes.append("The content is of no format that Jutrek knows.")
        return
    try:
        reader(span, draft)
    except BrokenFile as damage:
        draft.notes.append(str(damage))
