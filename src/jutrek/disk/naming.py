"""Giving a finished file its name in a way that can never replace another.

On ext4, btrfs, XFS and the kernel's exFAT, FAT and NTFS drivers it is one `renameat2(RENAME_NOREPLACE)`. Where that is
refused, a hard link is made and the temporary name removed. Where links are refused too (exFAT and FAT through FUSE),
the final name is reserved by an exclusive, empty file, which the rename then replaces: a kill in between leaves an
empty file, which the journal lets the next start clear.
"""

from __future__ import annotations

import contextlib
import errno
import os
from collections.abc import Callable
from typing import NamedTuple

from jutrek.disk.calls import REFUSED, rename_noreplace


class Entry(NamedTuple):
    """A name in a folder that is open."""

    folder: int
    name: str


def rename_exclusively(temporary: Entry, final: Entry) -> None:
    """`renameat2(2)` with `RENAME_NOREPLACE`. See `calls.rename_noreplace` for its errors."""
    rename_noreplace(temporary, final)


def link_exclusively(temporary: Entry, final: Entry) -> None:
    """A hard link under the final name, then the temporary name removed: the link that was just made remains."""
    os.link(
        temporary.name, final.name, src_dir_fd=temporary.folder, dst_dir_fd=final.folder, follow_symlinks=False
    )  # fmt: skip
    os.unlink(temporary.name, dir_fd=temporary.folder)


def reserve_and_rename(temporary: Entry, final: Entry) -> None:
    """Reserve the final name with an exclusive, empty file, then rename over that reservation."""
    size = os.stat(temporary.name, dir_fd=temporary.folder, follow_symlinks=False).st_size
    flags = os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC
    reservation = os.open(final.name, flags, dir_fd=final.folder)
    try:
        # Closing may fail too, on a medium that is going: then nothing must be left under the name.
        os.close(reservation)
        os.rename(temporary.name, final.name, src_dir_fd=temporary.folder, dst_dir_fd=final.folder)
    except OSError:
        _give_back(temporary, final, size)
        raise


def _give_back(temporary: Entry, final: Entry, size: int) -> None:
    """Remove a reservation that was not used: what is empty where a file of some size was to be.

    A rename that failed may have happened all the same: of a file that is empty itself, only its old name tells.
    """
    with contextlib.suppress(OSError):
        if not size:
            os.stat(temporary.name, dir_fd=temporary.folder, follow_symlinks=False)
        if os.stat(final.name, dir_fd=final.folder, follow_symlinks=False).st_size == 0:
            os.unlink(final.name, dir_fd=final.folder)


WAYS: tuple[Callable[[Entry, Entry], None], ...] = (rename_exclusively, link_exclusively, reserve_and_rename)
"""The ways to give a name, best first."""


def name_exclusively(temporary: Entry, final: Entry) -> None:
    """Give a file its final name by the best way that works.

    Raises:
        FileExistsError: when the final name exists; both files are then as they were.
        OSError: for any other trouble.
    """
    for way in WAYS[:-1]:
        try:
            return way(temporary, final)
        except OSError as error:
            if error.errno not in REFUSED:
                raise
    return WAYS[-1](temporary, final)


def name_folder(old: Entry, new: Entry) -> None:
    """Give a folder another name: by `RENAME_NOREPLACE`, else by a rename that replaces no more than an empty folder.

    Raises:
        FileExistsError: when the name exists.
        OSError: for any other trouble.
    """
    try:
        rename_noreplace(old, new)
    except OSError as error:
        if error.errno not in REFUSED:
            raise
        with contextlib.suppress(FileNotFoundError):
            os.stat(new.name, dir_fd=new.folder, follow_symlinks=False)
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), new.name) from None
        os.rename(old.name, new.name, src_dir_fd=old.folder, dst_dir_fd=new.folder)
