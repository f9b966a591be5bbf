"""Writing a file anew with some bytes replaced: whole and durable under a hidden name, proven, then in its place."""

from __future__ import annotations

import contextlib
import errno
import mmap
import os
import secrets
import stat
import threading
from collections.abc import Callable, Sequence
from functools import partial

from jutrek.disk import TEMPORARY, FileStamp, Held, Inside, Outside, Realm, Tree, inside, put_away
from jutrek.errors import Stopped
from jutrek.formats.splices import Splice, Spliced
from jutrek.transfer.medium import BLOCK, open_to_read, read_back


class NotProven(ValueError):
    """A file that was written anew was not proven to be the same; the old one stays. The text says why."""


def new_name(at: Inside) -> Inside:
    """A hidden name beside a file, for the new one while it is written."""
    return at.beside(f"{TEMPORARY}{secrets.token_hex(4)}.part")


def write_anew(
    tree: Tree, at: Inside, name: Inside, splices: Sequence[Splice], stamp: FileStamp, now: bytes,
    stop: threading.Event, *, proven: Callable[[str, str], str] | None, mtime_ns: int | None, buffer: mmap.mmap,
) -> os.stat_result:  # fmt: skip
    """Write a file anew. Its rights and extended attributes are those of the old one.

    Args:
        tree, at: the file.
        name: the new one's while it is written.
        splices: what is replaced in it.
        stamp: how it was when it was looked at.
        now: the fingerprint that it must have.
        stop: ends it when it is set.
        proven: tells of both (by their whole paths) why the new one can't take the old one's place; None asks nobody.
        mtime_ns: when it is to have been changed last; None for now.
        buffer: from `aligned_buffer`.

    Returns:
        What the system tells of it then.

    Raises:
        ValueError: a sentence that says why it is as it was; `NotProven` where the new one could not be proven.
        Stopped: likewise, as that was wanted.
        OSError: likewise, when it can't be written, or is another one by now.
    """
    with tree.hold(at.folder) as folder:
        fd = open_to_read(folder, at)
        try:
            status = os.fstat(fd)
            if not stamp.unchanged(status) or status.st_nlink > 1:
                raise ValueError("It was changed meanwhile.")
            try:
                _copy(fd, folder, name, splices, status, mtime_ns, stop)
            except BaseException:
                with contextlib.suppress(OSError):
                    folder.remove_own(name)
                raise
            made = folder.lstat(name)
            try:
                full, _ = read_back(folder, name, buffer, look=partial(_go_on, stop))
                if full != now:
                    raise ValueError("It did not read back as it was written.")
                if proven is not None and (why := proven(tree.at(at), tree.at(name))):
                    raise NotProven(why)
                folder.replace(name, at, still=status)
            except BaseException as error:
                # Unless it is another file by now, which came between.
                with contextlib.suppress(OSError):
                    folder.remove(name, still=made)
                if isinstance(error, OSError) and error.errno == errno.ESTALE:
                    raise ValueError("It was changed meanwhile.") from error
                raise
        finally:
            os.close(fd)
        return folder.lstat(at)


def _copy(
    fd: int, folder: Held, name: Inside, splices: Sequence[Splice], status: os.stat_result, mtime_ns: int | None,
    stop: threading.Event,
) -> None:  # fmt: skip
    new = folder.open(name, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
    try:
        spliced, at = Spliced(splices), 0
        while block := os.pread(fd, BLOCK, at):
            _go_on(stop)
            for part in spliced.take(block):
                _write(new, part)
            at += len(block)
        for part in spliced.rest():
            _write(new, part)
        _dress(fd, new, status)
        if mtime_ns is not None:
            os.utime(new, ns=(status.st_atime_ns, mtime_ns))
        os.fsync(new)
    finally:
        os.close(new)


def _go_on(stop: threading.Event) -> None:
    if stop.is_set():
        raise Stopped


def _write(fd: int, data: bytes) -> None:
    view = memoryview(data)
    while view:
        view = view[os.write(fd, view) :]


def _dress(old: int, new: int, status: os.stat_result) -> None:
    """Give a new file what the old one has besides its bytes, as far as the file system and the person may."""
    with contextlib.suppress(OSError):
        if (os.geteuid(), os.getegid()) != (status.st_uid, status.st_gid):
            os.fchown(new, status.st_uid, status.st_gid)
    with contextlib.suppress(OSError):
        os.fchmod(new, stat.S_IMODE(status.st_mode))
    with contextlib.suppress(OSError):
        for attribute in os.listxattr(old):
            with contextlib.suppress(OSError):
                os.setxattr(new, attribute, os.getxattr(old, attribute))


def put_scrap_away(tree: Tree, at: Inside, name: object) -> None:
    """Put what a kill left beside a file where nothing clears it away, if it is there."""
    with contextlib.suppress(OSError, Outside):
        scrap = inside(name, Realm.OWN)
        if scrap.parts[:-1] == at.parts[:-1] and scrap.name.startswith(TEMPORARY) and tree.found(scrap) is not None:
            aside = put_away("replaced", f"left-{secrets.token_hex(3)}", at)
            tree.make_folders(aside.folder)
            tree.give_name(scrap, aside)
