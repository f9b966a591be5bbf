"""The primitives under every change on disk: new names that replace nothing, and writes that survive power loss.

Promises, and what they rest on:

- `give_name` creates a name or fails. On ext4, btrfs, XFS and the kernel's exFAT, FAT and NTFS drivers it is one
  `renameat2(RENAME_NOREPLACE)`. Where that is refused, a hard link is made and the temporary name removed. Where
  links are refused too (exFAT and FAT through FUSE), the final name is reserved by an exclusive, empty file, which
  the rename then replaces: a kill in between leaves an empty file, which the journal lets the next start clear.
- A file is synced before it is named and its folder after: what is named after a power loss is whole.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import secrets
from collections.abc import Callable

RENAME_NOREPLACE = 1
KEEP_SIZE = 1
AT_FDCWD = -100
TEMPORARY = ".jutrek-"
"""Every temporary file of Jutrek begins like this; such files are never a part of a library."""

_REFUSED = frozenset({errno.EINVAL, errno.ENOSYS, errno.EPERM, errno.EOPNOTSUPP, errno.EMLINK})
_libc = ctypes.CDLL(None, use_errno=True)


def rename_exclusively(temporary: str, final: str) -> None:
    """`renameat2(2)` with `RENAME_NOREPLACE`.

    Raises:
        FileExistsError: when `final` exists.
        OSError: EINVAL or ENOSYS where the file system or the C library has no such call.
    """
    try:
        call = _libc.renameat2
    except AttributeError:
        raise OSError(errno.ENOSYS, os.strerror(errno.ENOSYS)) from None
    if call(AT_FDCWD, os.fsencode(temporary), AT_FDCWD, os.fsencode(final), RENAME_NOREPLACE):
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code), final)


def link_exclusively(temporary: str, final: str) -> None:
    """A hard link under the final name, then the temporary name removed. Same errors as above."""
    os.link(temporary, final, follow_symlinks=False)
    os.unlink(temporary)


def reserve_and_rename(temporary: str, final: str) -> None:
    """Reserve the final name with an exclusive, empty file, then rename over that reservation."""
    reservation = os.open(final, os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC)
    try:
        # Closing may fail too, on a medium that is going: then nothing must be left under the name.
        os.close(reservation)
        os.rename(temporary, final)
    except OSError:
        os.unlink(final)
        raise


_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC

WAYS: tuple[Callable[[str, str], None], ...] = (rename_exclusively, link_exclusively, reserve_and_rename)
"""The ways to give a name, best first."""


def give_name(temporary: str, final: str) -> None:
    """Give a finished temporary file its final name, replacing nothing.

    Raises:
        FileExistsError: when the final name exists; both files are then as they were.
        OSError: for any other trouble.
    """
    for way in WAYS[:-1]:
        try:
            return way(temporary, final)
        except OSError as error:
            if error.errno not in _REFUSED:
                raise
    return WAYS[-1](temporary, final)


def sync_folder(path: str) -> None:
    """Make the names in a folder durable. File systems that cannot sync a folder do so by themselves."""
    _sync(os.open(path, _FOLDER))


def _sync(fd: int) -> None:
    try:
        os.fsync(fd)
    except OSError as error:
        if error.errno not in _REFUSED:
            raise
    finally:
        os.close(fd)


def make_folders(path: str, *, within: str, device: int | None = None) -> None:
    """Make a folder and its missing parents, each made durable in its parent.

    The root is opened once and everything is made below what was opened, so that a drive that vanishes meanwhile is not
    replaced by a folder on the disk below it.

    Args:
        path: a folder below `within`.
        within: what must exist already. It is never made: where it is missing, its drive is.
        device: the number of the device that `within` must be on; None does not ask.

    Raises:
        OSError: ENODEV when `within` is not there or on another device; whatever the system says otherwise.
    """
    try:
        root = os.open(within, _FOLDER)
    except (FileNotFoundError, NotADirectoryError) as error:
        raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), within) from error
    try:
        if device is not None and os.fstat(root).st_dev != device:
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), within)
        folder = "."
        for name in os.path.relpath(path, within).split(os.sep):
            parent, folder = folder, os.path.join(folder, name)
            try:
                os.mkdir(folder, dir_fd=root)
            except FileExistsError:
                continue
            _sync(os.open(parent, _FOLDER, dir_fd=root))
    finally:
        os.close(root)


def reserve(fd: int, size: int) -> None:
    """Keep room for bytes that will be appended to a file, without making it longer; where that can't be, nothing is.

    `fallocate(2)` with `FALLOC_FL_KEEP_SIZE`. Cutting the file to its own length gives the room back.
    """
    end = os.fstat(fd).st_size
    with contextlib.suppress(AttributeError):
        _libc.fallocate(fd, KEEP_SIZE, ctypes.c_long(end), ctypes.c_long(size))


def write_new(path: str, data: bytes) -> None:
    """Write a new, small file: whole and durable, or not there at all.

    Raises:
        FileExistsError: when the name exists.
        OSError: when it cannot be written; nothing is left behind.
    """
    _write_whole(path, data, give_name)


def write_own(path: str, data: bytes) -> None:
    """Write a small file of Jutrek's own, in place of what it held before: the old text or the new one, never less.

    Raises:
        OSError: when it cannot be written; the old one stays.
    """
    _write_whole(path, data, os.replace)


def _write_whole(path: str, data: bytes, name: Callable[[str, str], None]) -> None:
    """Write a hidden temporary beside a path, sync it, and name it."""
    folder = os.path.dirname(path)
    temporary = os.path.join(folder, f"{TEMPORARY}{secrets.token_hex(4)}.part")
    fd = os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC, 0o666)
    try:
        try:
            view = memoryview(data)
            while view:
                view = view[os.write(fd, view) :]
            os.fsync(fd)
        finally:
            os.close(fd)
        name(temporary, path)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        raise
    sync_folder(folder)
