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
    MEDIA,
    TAKEN_OFF,
    Claim,
    DeviceFacts,
    Exposure,
    Kind,
    Offset,
    Precision,
    Reading,
    Stretch,
    Tie,
    Timestamp,
    Track,
    Wording,
)
from jutrek.formats.span import FileBytes, Span
from jutrek.formats.table import (
    DEVELOPED_SUFFIXES,
    HEAD,
    MEDIA_SUFFIXES,
    Decoder,
    Format,
    format_of,
    kind_by_suffix,
    named,
    told,
)

__all__ = [
    "DEVELOPED_SUFFIXES",
    "MEDIA",
    "MEDIA_SUFFIXES",
    "STUMBLED",
    "TAKEN_OFF",
    "Claim",
    "Decoder",
    "DeviceFacts",
    "Exposure",
    "Format",
    "Kind",
    "Offset",
    "Precision",
    "Reading",
    "Stretch",
    "Tie",
    "Timestamp",
    "Track",
    "Wording",
    "format_of",
    "kind_by_suffix",
    "open_read_only",
    "read",
    "read_without",
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
    return _opened(path)[0]


_FLAGS = os.O_RDONLY | os.O_CLOEXEC | os.O_NOFOLLOW | os.O_NONBLOCK


def _opened(path: str) -> tuple[int, os.stat_result]:
    try:
        try:
            fd = os.open(path, _FLAGS | os.O_NOATIME)
        except PermissionError:
            fd = os.open(path, _FLAGS)
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    status = os.fstat(fd)
    if not stat.S_ISREG(status.st_mode):
        os.close(fd)
        raise SourceUnreadable(path, OSError("it is not a regular file"))
    return fd, status


def read(path: str) -> Reading:
    """Read what the file at `path` says, what stands beside it where its device writes that, and its outside claims.

    Raises:
        SourceUnreadable: when the file cannot be opened or read at all. What it contains raises nothing.
    """
    draft, mtime_ns = _alone(path)
    if draft.kind is Kind.CLIP:
        read_beside(path, draft, format_of(draft.format).beside, lambda other: _alone(other)[0])
    folder, _, name = path.rpartition(os.sep)
    outside = of_name(name), of_folder(folder), of_time(mtime_ns)
    draft.claims += [claim for claim in outside if claim is not None]
    return draft.done()


def read_without(path: str, hidden: Stretch | None) -> Reading:
    """What is inside a file but for a stretch of it, which is read as if blanks stood there.

    Raises:
        SourceUnreadable: as `read`.
    """
    fd, status = _opened(path)
    try:
        return _inside(fd, status.st_size, path, hidden).done()
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def _alone(path: str) -> tuple[Draft, int]:
    """What is inside one file, and nothing from around it; and its time of last change in nanoseconds since 1970."""
    fd, status = _opened(path)
    try:
        return _inside(fd, status.st_size, path), status.st_mtime_ns
    except OSError as error:
        raise SourceUnreadable(path, error) from error
    finally:
        os.close(fd)


def _inside(fd: int, size: int, path: str, hidden: Stretch | None = None) -> Draft:
    draft = Draft()
    if size == 0:
        draft.note("The file is empty.")
        return draft
    content = FileBytes(fd, size) if hidden is None else FileBytes(fd, size, hidden=hidden)
    row = told(content.head[:HEAD], size)
    if row is None or row.read is None:
        draft.note("The content is of no format that Jutrek knows.")
        return draft
    draft.kind, draft.format, draft.named = row.kind, row.name, named(path)
    try:
        row.read(Span(content), draft)
    except BrokenFile as damage:
        draft.note(str(damage))
    except OSError:
        raise
    # A reader that fails otherwise has an error of its own; the file is brought home all the same.
    except Exception:  # noqa: BLE001
        _log.exception("A reader failed on %r", path)
        draft.note(STUMBLED)
    return draft
