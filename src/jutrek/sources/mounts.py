"""The mount table: what is mounted where (proc(5), `/proc/self/mountinfo`)."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass

_TABLE = "/proc/self/mountinfo"
_ESCAPE = re.compile(r"\\([0-7]{3})")
_NOT_MEDIA = frozenset({
    "autofs", "bpf", "cgroup", "cgroup2", "configfs", "debugfs", "devpts", "devtmpfs", "efivarfs", "fusectl",
    "hugetlbfs", "mqueue", "nsfs", "overlay", "proc", "pstore", "ramfs", "rpc_pipefs", "securityfs", "squashfs",
    "sysfs", "tracefs",
})  # fmt: skip
MEDIA_FOLDERS = ("/media/", "/run/media/", "/mnt/")
"""Where media are mounted that come and go."""


@dataclass(frozen=True, slots=True)
class Mount:
    """Something that is mounted.

    Attributes:
        point: where.
        device: its device node or name, such as `/dev/sdb1`.
        filesystem: its type, such as `exfat`.
        read_only: whether it cannot be written.
    """

    point: str
    device: str
    filesystem: str
    read_only: bool


def mounts(table: str = _TABLE) -> list[Mount]:
    """All that is mounted and may hold files; empty where the table cannot be read."""
    try:
        with open(table, encoding="utf-8", errors="surrogateescape") as file:
            lines = file.read().splitlines()
    except OSError:
        return []
    found = []
    for line in lines:
        before, _, behind = line.partition(" - ")
        fields, more = before.split(" "), behind.split(" ")
        if len(fields) > 5 and len(more) > 2 and more[0] not in _NOT_MEDIA:
            found.append(Mount(_plain(fields[4]), _plain(more[1]), more[0], "ro" in fields[5].split(",")))
    return found


def filesystem_of(path: str) -> str:
    """The type of the file system that a path lies on; empty where it is not known."""
    real, best = os.path.realpath(path), ("", "")
    for mount in mounts():
        inside = real == mount.point or real.startswith(mount.point.rstrip("/") + "/")
        if inside and len(mount.point) >= len(best[0]):
            best = mount.point, mount.filesystem
    return best[1].removeprefix("fuse.")


def _plain(text: str) -> str:
    """A field without its octal escapes."""
    return _ESCAPE.sub(lambda found: chr(int(found[1], 8)), text)
