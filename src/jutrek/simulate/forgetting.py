"""What a file system has made durable, and what is left of it when the power goes.

The least that POSIX promises is modelled: bytes and times of a file are kept by syncing it, names by syncing the folder
that they are in (fsync(2)); nothing else is. As on every file system with a journal of its own, a rename is kept whole
or not at all: syncing either folder keeps both ends of it.
"""

from __future__ import annotations

import os
import random
import shutil
import stat
from dataclasses import dataclass, field


@dataclass(eq=False, slots=True)
class _Node:
    """A file or a folder, as it would be found after the power went.

    Attributes:
        data: a file's bytes as they were synced last; None for a folder.
        names: a folder's, as they were synced last.
        changed: whether a file is another one by now than what was synced.
    """

    mode: int
    data: bytes | None = None
    times: tuple[int, int] = (0, 0)
    names: dict[str, _Node] = field(default_factory=dict)
    changed: bool = False


class Durable:
    """Told of every change of a folder; knows what was made durable of it. Calls must not overlap."""

    def __init__(self, root: str) -> None:
        """All that is there is durable."""
        self._root = root
        self._nodes: dict[int, _Node] = {}
        self._renames: list[tuple[_Node, str, _Node, str, _Node]] = []
        self._top = self._read(root)

    def _read(self, path: str) -> _Node:
        status = os.lstat(path)
        node = self._nodes[status.st_ino] = _Node(status.st_mode)
        if stat.S_ISDIR(status.st_mode):
            node.names = {name: self._read(os.path.join(path, name)) for name in os.listdir(path)}
        elif stat.S_ISREG(status.st_mode):
            self._keep(node, path)
        return node

    def _keep(self, node: _Node, file: str | int) -> None:
        # Who synced it may have it open for writing only.
        with open(file if isinstance(file, str) else f"/proc/self/fd/{file}", "rb") as copy:
            node.data = copy.read()
            status = os.fstat(copy.fileno())
        node.times, node.mode, node.changed = (status.st_atime_ns, status.st_mtime_ns), status.st_mode, False

    def _node(self, file: str | int) -> _Node:
        status = os.lstat(file) if isinstance(file, str) else os.fstat(file)
        return self._nodes.get(status.st_ino) or self._made(status)

    def _made(self, status: os.stat_result) -> _Node:
        data = None if stat.S_ISDIR(status.st_mode) else b""
        node = self._nodes[status.st_ino] = _Node(status.st_mode, data, changed=data is not None)
        return node

    def made(self, path: str) -> None:
        """A file or folder was made: nothing of it is durable, nor is its name."""
        self._made(os.lstat(path))

    def changed(self, file: str | int) -> None:
        """Bytes or times of a file, told by its path or descriptor, are others by now."""
        self._node(file).changed = True

    def synced(self, fd: int) -> None:
        """A file was synced."""
        self._keep(self._node(fd), fd)

    def synced_folder(self, path: str) -> None:
        """A folder was synced: its names are kept, with the other ends of renames."""
        folder = self._node(path)
        folder.names = {name: self._node(os.path.join(path, name)) for name in os.listdir(path)}
        for before, old, after, new, node in self._renames:
            if folder in (before, after):
                if before.names.get(old) is node:
                    del before.names[old]
                after.names[new] = node
        self._renames = [one for one in self._renames if folder not in (one[0], one[2])]

    def renamed(self, old: str, new: str) -> None:
        """A file or folder has got another name."""
        before, after = self._node(os.path.dirname(old)), self._node(os.path.dirname(new))
        if before is not after:
            self._renames.append((before, os.path.basename(old), after, os.path.basename(new), self._node(new)))

    def cut(self, chance: random.Random | None = None) -> None:
        """The power goes: the folder becomes what was durable of it. What was is left as it is.

        Args:
            chance: by which half of what nobody synced was written all the same; None for nothing of it.
        """
        if chance is not None:
            for folder, _, names in sorted(os.walk(self._root)):
                for name in sorted(names):
                    path = os.path.join(folder, name)
                    if not os.path.islink(path) and chance.random() < 0.5:
                        self._keep(self._node(path), path)
                if chance.random() < 0.5:
                    self.synced_folder(folder)
        self._restore(self._top, self._root)

    def _restore(self, folder: _Node, path: str) -> None:
        for name in os.listdir(path):
            at = os.path.join(path, name)
            node = folder.names.get(name)
            status = os.lstat(at)
            if node is None or self._nodes.get(status.st_ino) is not node or node.changed:
                shutil.rmtree(at) if stat.S_ISDIR(status.st_mode) else os.unlink(at)
        for name, node in folder.names.items():
            at = os.path.join(path, name)
            if node.data is None and not stat.S_ISLNK(node.mode):
                os.makedirs(at, exist_ok=True)
                self._restore(node, at)
            elif node.data is not None and not os.path.lexists(at):
                with open(at, "xb") as file:
                    file.write(node.data)
                os.chmod(at, stat.S_IMODE(node.mode))
                os.utime(at, ns=node.times)
