"""How a file was when it was looked at: what tells one that was changed, or replaced, since."""

from __future__ import annotations

import os
from typing import NamedTuple


class FileStamp(NamedTuple):
    """Size, time and identity of a file. What was not noted is None, and is not compared.

    Attributes:
        size: in bytes.
        mtime_ns: time of last change of the content, nanoseconds since 1970, UTC. People and programs put it back.
        inode: the file's number in its file system.
        device: the file system's number, which holds only as long as it is mounted.
        ctime_ns: time of last change of content or metadata, which nobody puts back.
    """

    size: int
    mtime_ns: int
    inode: int | None = None
    device: int | None = None
    ctime_ns: int | None = None

    @classmethod
    def of(cls, status: os.stat_result) -> FileStamp:
        """All that tells a file."""
        return cls(status.st_size, status.st_mtime_ns, status.st_ino, status.st_dev, status.st_ctime_ns)

    @classmethod
    def seen(cls, status: os.stat_result) -> FileStamp:
        """Size and time alone: what also holds for a copy, and on the next day."""
        return cls(status.st_size, status.st_mtime_ns)

    def unchanged(self, status: os.stat_result) -> bool:
        """Whether a file is as it was, as far as it was noted."""
        size, mtime_ns, inode, device, ctime_ns = self
        return (
            size == status.st_size
            and mtime_ns == status.st_mtime_ns
            and (inode is None or inode == status.st_ino)
            and (device is None or device == status.st_dev)
            and (ctime_ns is None or ctime_ns == status.st_ctime_ns)
        )
