"""Making one copy: a hidden file in the outbox that is whole before it gets a name."""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
import threading
import time
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, BinaryIO

from jutrek.decoding import opened, shown
from jutrek.disk import TEMPORARY, Realm, Tree, inside
from jutrek.errors import SourceUnreadable
from jutrek.formats import read
from jutrek.outboxes.asked import Asked, Tells
from jutrek.outboxes.clips import said_anew, small_clip
from jutrek.outboxes.record import Copy, Stamp
from jutrek.outboxes.stills import small_jpeg
from jutrek.outboxes.telling import Words, dressed

if TYPE_CHECKING:
    from jutrek.outboxes.wanted import Wanted

_UNDER_WAY = inside(f"{TEMPORARY}outbox.part", Realm.OWN)
"""The one copy that is being made: while a record is held, nobody else makes one there."""
_FULL = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS})
_JPEG = 64 * 1024 * 1024
_BLOCK = 1024 * 1024


class OutboxLost(Exception):
    """The folder takes no more: it is full, read-only or gone. Its argument is the system's error."""


def remove_leftover(folder: Tree) -> None:
    """Remove the copy that was being made when somebody ended Jutrek."""
    folder.remove_own(_UNDER_WAY)


def make(folder: Tree, one: Wanted, asked: Asked, stop: threading.Event) -> Stamp:
    """Make the copy of an original, without a name yet; `name_made` gives it one.

    Raises:
        Stopped: when `stop` was set.
        OutboxLost: when the folder takes no more.
        FileTrouble: when the original can't be read now, or is too large.
        Exception: whatever the decoder says of damaged content.
    """
    words = owned(one, asked)
    with opened(one.at) as original:
        if one.suffix == ".jpg":
            view = shown(one.at, read(one.at))
            data = dressed(small_jpeg(original, view, asked.longest, asked.quality), words)
            return _written(folder, words, lambda file: file.write(data))
        return _written(
            folder, words, lambda file: small_clip(original, file, asked.longest_of_clips, words.of_clip(), stop)
        )


def make_anew(folder: Tree, one: Wanted, asked: Asked, copy: Copy) -> Stamp:
    """Make a copy that says something else from one that is there. Nothing is decoded. Raises as `make`."""
    words, path = owned(one, asked), inside(copy.name)
    if one.suffix == ".jpg":
        data = dressed(folder.read_own(path, _JPEG), words)
        return _written(folder, words, lambda file: file.write(data))
    with folder.open_own(path) as old:
        return _written(folder, words, lambda file: said_anew(old, file, words.of_clip()))


def name_made(folder: Tree, name: str) -> None:
    """Give the copy that was made its name, which replaces nothing.

    Raises:
        FileExistsError: when something bears it.
        OutboxLost: as `make`.
    """
    try:
        folder.give_name(_UNDER_WAY, inside(name))
    except FileExistsError:
        raise
    except OSError as error:
        raise OutboxLost(error) from error


def owned(one: Wanted, asked: Asked) -> Words:
    """What a copy says, with who owns its original, where that is asked for."""
    if Tells.OWNER not in asked.tells:
        return one.words
    for path in _telling(one):
        try:
            wording = read(path).wording
        except SourceUnreadable:
            continue
        if wording is not None and (wording.creator or wording.rights):
            return one.words._replace(creator=wording.creator, rights=wording.rights)
    return one.words


def _telling(one: Wanted) -> Sequence[str]:
    """The files that may say who owns a capture: sidecars first, as they were written later."""
    return [*(path for path in one.beside if path.lower().endswith(".xmp")), one.at]


def _written(folder: Tree, words: Words, write: Callable[[BinaryIO], object]) -> Stamp:
    """Write the copy that is being made, and have its time be that of its original where it may say so.

    Returns:
        How it is then.
    """
    try:
        folder.remove_own(_UNDER_WAY)
        fd = folder.open(_UNDER_WAY, os.O_CREAT | os.O_EXCL | os.O_RDWR | os.O_CLOEXEC)
    except OSError as error:
        raise OutboxLost(error) from error
    try:
        # What can't be written is told once more when it is closed.
        with os.fdopen(fd, "w+b") as file:
            write(file)
            file.flush()
            os.fsync(fd)
            when = words.mtime_ns if words.mtime_ns is not None else time.time_ns()
            with contextlib.suppress(OSError, OverflowError):
                # A file system that can't tell such a time has another one.
                os.utime(fd, ns=(when, when))
            file.seek(0)
            status = os.fstat(fd)
            return Stamp(status.st_size, status.st_mtime_ns, digest_of(file))
    except OSError as error:
        if error.errno in _FULL:
            raise OutboxLost(error) from error
        raise


def digest_of(file: BinaryIO) -> str:
    """The SHA-256 of a file, as stamps have it."""
    state = hashlib.sha256()
    while block := file.read(_BLOCK):
        state.update(block)
    return state.hexdigest()
