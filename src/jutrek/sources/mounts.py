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


def volume_of(path: str) -> tuple[str, str]:
    """The identity of the volume that a path lies on, and its path below the volume's top.

    The identity is the UUID of the file system where udev tells it, else the number that the file system gives itself.

    Raises:
        OSError: when the path is not there.
    """
    real = os.path.realpath(path)
    device, top = os.stat(real).st_dev, real
    while not os.path.ismount(top):
        top = os.path.dirname(top)
    return _uuid_of(device) or f"{os.statvfs(real).f_fsid:x}", os.path.relpath(real, top)


def _uuid_of(device: int, table: str = "/dev/disk/by-uuid") -> str:
    try:
        names = os.listdir(table)
    except OSError:
        return ""
    for name in names:
        try:
            if os.stat(os.path.join(table, name)).st_rdev == device:
                return name
        except OSError:
            continue
    return ""


def disk_of(path: str) -> str:
    """Something that tells the disk that a path lies on: two volumes of one disk fail together.

    Raises:
        OSError: when the path is not there.
    """
    device = os.stat(path).st_dev
    block = os.path.realpath(f"/sys/dev/block/{os.major(device)}:{os.minor(device)}")
    if not os.path.isdir(block):
        return f"{os.major(device)}:{os.minor(device)}"
    # A volume that is put together (encrypted, logical) lies on what it is made of; a partition on its disk.
    while slaves := _entries(os.path.join(block, "slaves")):
        block = os.path.realpath(os.path.join(block, "slaves", slaves[0]))
    return os.path.dirname(block) if os.path.exists(os.path.join(block, "partition")) else block


def _entries(folder: str) -> list[str]:
    try:
        return sorted(os.listdir(folder))
    except OSError:
        return []
