"""Telling the tree that was proven from another one that looks like it: a copy of a library is not the library.

A library or place keeps its identity wherever it is mounted, and a copy of its folder bears the same one. So the root
itself is told, too: by its file system, and there by its inode and generation; where a file system numbers its files
anew at every mount (FAT, exFAT, network drives), by its path below the mount point.
"""

from __future__ import annotations

import fcntl
import os
import struct
from collections.abc import Iterable
from typing import TYPE_CHECKING

from jutrek.disk import Tree
from jutrek.sources import filesystem_of, volume_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.library.places import Place

_NUMBERED_ANEW = frozenset({
    "vfat", "msdos", "exfat", "fuseblk", "fuse", "nfs", "nfs4", "cifs", "smb3", "9p", "virtiofs",
})  # fmt: skip
_GET_GENERATION = 0x80087601
"""`FS_IOC_GETVERSION` (linux/fs.h)."""


def root_told_by(root: str) -> str:
    """What tells a root from others.

    Raises:
        OSError: when it is not there.
    """
    filesystem, (volume, below) = filesystem_of(root), volume_of(root)
    if filesystem in _NUMBERED_ANEW or filesystem.startswith("fuse"):
        return f"{filesystem} {volume} {below}"
    fd = Tree(root).open_folder(None)
    try:
        return f"{filesystem} {volume} {os.fstat(fd).st_ino}.{_generation(fd)}"
    finally:
        os.close(fd)


def _generation(fd: int) -> int:
    """How many files had the inode's number before; 0 where that is not told."""
    try:
        return int(struct.unpack("l", fcntl.ioctl(fd, _GET_GENERATION, bytes(8)))[0]) & 0xFFFFFFFF
    except OSError:
        return 0


def notice_roots(ledger: Ledger, places: Iterable[Place]) -> list[Place]:
    """Notice places (the library is one of them) whose tree is another one than the one that was proven.

    What was proven there is no proof here until it is read again.

    Returns:
        Those places.
    """
    others = []
    for place in places:
        try:
            now = root_told_by(place.root)
        except OSError:
            continue
        before = ledger.root_of(place.id)
        if before != now:
            ledger.keep_root(place.id, now)
            others += [place] if before else []
    return others
