"""System calls that Python has no functions for."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import functools
import os
from typing import Any

AT_FDCWD = -100
_RENAME_NOREPLACE, _RENAME_EXCHANGE = 1, 2
_KEEP_SIZE = 1
_OPENAT2 = 437
"""The number of `openat2(2)`: the same on all architectures that have it."""
_BENEATH, _NO_LINKS, _NO_MAGIC = 0x08, 0x04, 0x02
_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC
REFUSED = frozenset({errno.EINVAL, errno.ENOSYS, errno.EPERM, errno.EOPNOTSUPP, errno.EMLINK})
"""What a file system says that does not know a call."""

_libc = ctypes.CDLL(None, use_errno=True)
_libc.syscall.restype = ctypes.c_long


class _How(ctypes.Structure):
    _fields_ = (("flags", ctypes.c_uint64), ("mode", ctypes.c_uint64), ("resolve", ctypes.c_uint64))


def rename_noreplace(old: tuple[int, str], new: tuple[int, str]) -> None:
    """`renameat2(2)` with `RENAME_NOREPLACE`: names in open folders.

    Raises:
        FileExistsError: when the new name exists.
        OSError: EINVAL or ENOSYS where the file system or the C library has no such call.
    """
    _rename(old, new, _RENAME_NOREPLACE)


def rename_exchange(one: tuple[int, str], other: tuple[int, str]) -> None:
    """`renameat2(2)` with `RENAME_EXCHANGE`: two files in open folders take each other's name, at once.

    Raises:
        OSError: EINVAL or ENOSYS where the file system or the C library has no such call.
    """
    _rename(one, other, _RENAME_EXCHANGE)


def _rename(old: tuple[int, str], new: tuple[int, str], flag: int) -> None:
    try:
        call = _libc.renameat2
    except AttributeError:
        raise OSError(errno.ENOSYS, os.strerror(errno.ENOSYS)) from None
    if call(old[0], os.fsencode(old[1]), new[0], os.fsencode(new[1]), flag):
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code), new[1])


def open_beneath(root: int, path: str, flags: int, mode: int = 0) -> int:
    """Open a path below an open folder without following a link anywhere on it.

    `openat2(2)` with `RESOLVE_BENEATH`, `RESOLVE_NO_SYMLINKS` and `RESOLVE_NO_MAGICLINKS` (Linux 5.6); where there is
    no such call, one `openat(2)` with `O_NOFOLLOW` for every part.

    Args:
        root: the open folder's descriptor.
        path: relative to it.
        flags: of open(2).
        mode: for a file that is made.

    Raises:
        OSError: ELOOP (or ENOTDIR) where a link is on the way; whatever the system says otherwise.
    """
    if not _HAS_OPENAT2:
        return open_stepwise(root, path, flags, mode)
    return _openat2(root, path, flags, mode)


@functools.lru_cache(64)
def _how(flags: int, mode: int) -> tuple[Any, ctypes.c_size_t]:
    """A pointer to how to open, which the kernel only reads, and its size."""
    how = _How(flags, mode, _BENEATH | _NO_LINKS | _NO_MAGIC)
    return ctypes.pointer(how), ctypes.c_size_t(ctypes.sizeof(how))


def _openat2(root: int, path: str, flags: int, mode: int) -> int:
    how, size = _how(flags | os.O_CLOEXEC, mode if flags & os.O_CREAT else 0)
    while True:
        fd = _libc.syscall(_OPENAT2, root, os.fsencode(path), how, size)
        if fd >= 0:
            return int(fd)
        code = ctypes.get_errno()
        # EAGAIN: something was renamed on the way at that moment, so the kernel could not be sure.
        if code not in (errno.EINTR, errno.EAGAIN):
            raise OSError(code, os.strerror(code), path)


def open_stepwise(root: int, path: str, flags: int, mode: int = 0) -> int:
    """As `open_beneath`, one part after the other. The path must have been checked: no `..` in it.

    Args:
        root: the open folder's descriptor.
        path: relative to it.
        flags: of open(2).
        mode: for a file that is made.
    """
    *folders, name = path.split("/")
    at = os.dup(root)
    try:
        for part in folders:
            deeper = os.open(part, _FOLDER | os.O_NOFOLLOW, dir_fd=at)
            os.close(at)
            at = deeper
        return os.open(name, flags | os.O_NOFOLLOW | os.O_CLOEXEC, mode, dir_fd=at)
    finally:
        os.close(at)


def _has_openat2() -> bool:
    root = os.open("/", os.O_PATH | os.O_CLOEXEC)
    try:
        os.close(_openat2(root, ".", os.O_PATH, 0))
    except OSError:
        return False
    finally:
        os.close(root)
    return True


_HAS_OPENAT2 = _has_openat2()


def sync(fd: int) -> None:
    """Make an open folder's names durable, and close it. File systems that cannot sync a folder do so by themselves."""
    try:
        os.fsync(fd)
    except OSError as error:
        if error.errno not in REFUSED:
            raise
    finally:
        os.close(fd)


def reserve(fd: int, size: int) -> None:
    """Keep room for bytes that will be appended to a file, without making it longer; where that can't be, nothing is.

    `fallocate(2)` with `FALLOC_FL_KEEP_SIZE`. Cutting the file to its own length gives the room back.
    """
    end = os.fstat(fd).st_size
    with contextlib.suppress(AttributeError):
        _libc.fallocate(fd, _KEEP_SIZE, ctypes.c_long(end), ctypes.c_long(size))
