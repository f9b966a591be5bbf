"""Folders that files on their way share."""

from __future__ import annotations

import errno
import os

from jutrek.disk import Held, Inside, Tree


class HeldFolders:
    """Each folder is opened once and held open until all have ended. One thread at a time; whoever makes it closes it.

    What is looked at, written, read back and named for a file is in one folder, whatever becomes of the folder's name
    meanwhile; `check` tells whether it still is the one of that name.
    """

    def __init__(self) -> None:
        self._held: dict[tuple[str, Inside | None], Held] = {}
        self._left: list[Held] = []
        self._checked: set[tuple[str, Inside | None]] = set()

    def hold(self, tree: Tree, path: Inside | None, *, make: bool = False) -> Held:
        """Have a folder of a tree; the root for None.

        Args:
            make: whether it is made with its parents where it is not there.

        Raises:
            FileNotFoundError: when it is not there, and is not to be made.
            OSError: ENODEV when the tree is gone, or lies on another device than at the start.
        """
        key = tree.root, path
        if key not in self._held:
            try:
                self._held[key] = tree.hold(path)
            except FileNotFoundError:
                if not make:
                    raise
                tree.make_folders(path)
                self._held[key] = tree.hold(path)
        return self._held[key]

    def hold_anew(self, tree: Tree, path: Inside | None) -> Held:
        """Have a folder whose name leads to another one by now, or to none: then it is made."""
        if (held := self._held.pop((tree.root, path), None)) is not None:
            self._left.append(held)
        return self.hold(tree, path, make=True)

    def check(self, tree: Tree, path: Inside | None) -> None:
        """Make sure that a folder that is held still is the one of its name. Looks once, for all files that ask.

        Raises:
            FileNotFoundError: when it is not.
            OSError: as `hold`.
        """
        key = tree.root, path
        if key in self._checked:
            return
        with tree.hold(path) as named:
            if not os.path.samestat(os.fstat(named.fd), os.fstat(self._held[key].fd)):
                raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), str(path or tree.root))
        self._checked.add(key)

    def close(self) -> None:
        """Close all of them. What was checked of them holds for no others."""
        for held in (*self._held.values(), *self._left):
            held.close()
        self._held.clear()
        self._left.clear()
        self._checked.clear()
