"""A tree of folders, and everything that is ever changed in one.

Promises, and what they rest on:

- No operation leaves the tree or follows a link: the root is opened by its path, everything below it by the kernel's
  own rules (see `calls.open_beneath`), at the time of use. What is checked and what is changed is one folder, held
  open.
- `give_name` creates a name or fails (see `naming`).
- A file is synced before it is named and its folder after: what is named after a power loss is whole.
- A name is only removed as long as it is the file that was looked at.
- A root that is not there, or lies on another device than it did, is a drive that is gone (ENODEV), never a file that
  is.
"""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import BinaryIO

from jutrek.disk import naming
from jutrek.disk.calls import open_beneath, sync
from jutrek.disk.held import Held
from jutrek.disk.inside import Inside, Outside, Realm, folded, inside
from jutrek.disk.naming import Entry

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC
_PAGE = 64 * 1024 * 1024
"""Bytes of the largest page that Jutrek keeps and reads at once."""


@dataclass(frozen=True, slots=True)
class Tree:
    """A folder and all below it.

    Attributes:
        root: its absolute path. A person chose it, or an identity in it was read.
        device: the number of the device that it must be on; None does not ask.
    """

    root: str
    device: int | None = None

    def within(self, path: str, realm: Realm = Realm.CAPTURES) -> Inside:
        """A path inside the tree, from one that begins with the root.

        Raises:
            Outside: when it does not lie below the root by its text.
        """
        top = self.root.rstrip("/") + "/"
        if not path.startswith(top):
            raise Outside(f"a path that does not lie in {self.root}")
        return inside(path[len(top) :], realm)

    def at(self, path: Inside) -> str:
        """The absolute path, to be shown, or to be read by what changes nothing."""
        return os.path.join(self.root, *path.parts)

    def lstat(self, path: Inside) -> os.stat_result:
        """What the system tells of a name; of a link, of itself.

        Raises:
            FileNotFoundError: when it is not there.
        """
        with self.hold(path.folder) as folder:
            return folder.lstat(path)

    def found(self, path: Inside) -> os.stat_result | None:
        """The same; None where nothing bears the name.

        Raises:
            OSError: when that cannot be told: a drive that is gone, a folder that cannot be entered.
        """
        try:
            return self.lstat(path)
        except (FileNotFoundError, NotADirectoryError):
            return None

    def open(self, path: Inside, flags: int, mode: int = 0o666) -> int:
        """Open a file; `mode` is for one that is created. Returns its descriptor."""
        root = self._open_root()
        try:
            return open_beneath(root, str(path), flags, mode)
        finally:
            os.close(root)

    def names(self, path: Inside | None = None) -> list[str]:
        """The names in a folder; of the root for None."""
        fd = self.open_folder(path)
        try:
            return os.listdir(fd)
        finally:
            os.close(fd)

    def folders(self, path: Inside | None = None) -> dict[str, bool]:
        """The names in a folder, or the root, and of each whether it is a folder. A link to one is none."""
        fd = self.open_folder(path)
        try:
            with os.scandir(fd) as entries:
                return {entry.name: entry.is_dir(follow_symlinks=False) for entry in entries}
        finally:
            os.close(fd)

    def regular_names(self, path: Inside) -> list[str]:
        """The names of regular files in a folder: no links, pipes or folders."""
        fd = self.open_folder(path)
        try:
            with os.scandir(fd) as entries:
                return [entry.name for entry in entries if entry.is_file(follow_symlinks=False)]
        finally:
            os.close(fd)

    def files_below(self, path: Inside) -> Iterator[Inside]:
        """All that is no folder below a folder; nothing where that is not there. Links are not entered."""
        try:
            found = self.folders(path)
        except (FileNotFoundError, NotADirectoryError):
            return
        for name, is_folder in sorted(found.items()):
            below = path.below(name)
            if is_folder:
                yield from self.files_below(below)
            else:
                yield below

    def make_folders(self, path: Inside | None) -> None:
        """Make a folder and its missing parents, each made durable in its parent. The root is never made.

        Raises:
            NotADirectoryError: when something else bears one of the names.
            OSError: whatever the system says otherwise.
        """
        at = self._open_root()
        try:
            for name in path.parts if path is not None else ():
                made = True
                try:
                    os.mkdir(name, dir_fd=at)
                except FileExistsError:
                    made = False
                deeper = open_beneath(at, name, _FOLDER)
                if made:
                    sync(os.dup(at))
                os.close(at)
                at = deeper
        finally:
            os.close(at)

    def remove_folder(self, path: Inside) -> None:
        """Remove a folder that is empty."""
        with self.hold(path.folder) as folder:
            os.rmdir(path.name, dir_fd=folder.fd)

    def remove_empty_folders(self, path: Inside) -> None:
        """Remove a folder, and all in it, as far as they are empty."""
        with contextlib.suppress(OSError):
            for name in (name for name, is_folder in self.folders(path).items() if is_folder):
                self.remove_empty_folders(path.below(name))
            self.remove_folder(path)

    def sync_folder(self, path: Inside | None) -> None:
        """Make the names in a folder durable; of the root for None."""
        sync(self.open_folder(path))

    def give_name(self, old: Inside, new: Inside) -> None:
        """Give a file another name, which replaces nothing. Both folders are there.

        Raises:
            FileExistsError: when the new name exists; everything is then as it was.
            OSError: for any other trouble.
        """
        with self.hold(old.folder) as before, self.hold(new.folder) as after:
            naming.name_exclusively(before.entry(old), after.entry(new))

    def rename_folder(self, old: Inside, new: Inside) -> None:
        """Give a folder another name, with all that lies in it. It replaces nothing but an empty folder, and that only
        where a file system does not know how to refuse it.

        Raises:
            FileExistsError: when something else bears the name.
            OSError: for any other trouble.
        """
        with self.hold(old.folder) as before, self.hold(new.folder) as after:
            naming.name_folder(before.entry(old), after.entry(new))

    def is_folder(self, path: Inside) -> bool:
        """Whether a folder lies at a path; a link to one is none."""
        status = self.found(path)
        return status is not None and stat.S_ISDIR(status.st_mode)

    def bring_in(self, other: Tree, old: Inside, new: Inside) -> None:
        """Give a file of another tree on the same file system a name in this one, which replaces nothing."""
        with other.hold(old.folder) as before, self.hold(new.folder) as after:
            naming.name_exclusively(before.entry(old), after.entry(new))

    def one_entry(self, one: Inside, other: Inside) -> bool:
        """Whether two names are one entry of one folder, as where a file system does not tell case or form.

        Two hard links of one file are two entries: with one of them gone the other remains. What is listed decides, not
        the inode: some drivers count inodes by spelling.
        """
        if self.found(one) is None or self.found(other) is None:
            return False
        return self._spelt(one) == self._spelt(other)

    def _spelt(self, path: Inside) -> Inside:
        """A path that is there, as its folders list its names."""
        parts: tuple[str, ...] = ()
        for name in path.parts:
            names = self.names(Inside(parts) if parts else None)
            key = folded(name)
            spelt = name if name in names else next((other for other in names if folded(other) == key), name)
            parts = (*parts, spelt)
        return Inside(parts)

    def remove(self, path: Inside, *, still: os.stat_result) -> None:
        """Remove a name, if it is still the file that was looked at.

        Raises:
            OSError: ESTALE when it is another file by now.
        """
        with self.hold(path.folder) as folder:
            folder.remove(path, still=still)

    def remove_own(self, path: Inside) -> None:
        """Remove a file that Jutrek made for itself, if it is there: a temporary, or a page in its own folder.

        Raises:
            Outside: when it is neither.
        """
        with contextlib.suppress(FileNotFoundError, NotADirectoryError), self.hold(path.folder) as folder:
            folder.remove_own(path)

    def write_new(self, path: Inside, data: bytes) -> None:
        """Write a new, small file: whole and durable, or not there at all.

        Raises:
            FileExistsError: when the name exists.
            OSError: when it cannot be written; nothing is left behind.
        """
        self._write_whole(path, data, naming.name_exclusively)

    def write_own(self, path: Inside, data: bytes, *, lasting: bool = True) -> None:
        """Write a small file in place of what it held before: the old text or the new one, never less.

        Args:
            path: where to.
            data: what it holds then.
            lasting: whether it is to be there after the power fails; of what can be made again that costs too much.

        Raises:
            OSError: when it cannot be written; the old one stays.
        """
        self._write_whole(path, data, _replace, lasting=lasting)

    def open_own(self, path: Inside) -> BinaryIO:
        """Open a file for reading that somebody else may have put there: no link, no pipe, no device.

        Raises:
            OSError: when it is not there, or is none.
        """
        fd = self.open(path, os.O_RDONLY | os.O_NONBLOCK)
        if not stat.S_ISREG(os.fstat(fd).st_mode):
            os.close(fd)
            raise OSError("it is not a regular file")
        return os.fdopen(fd, "rb")

    def read_own(self, path: Inside, limit: int = _PAGE) -> bytes:
        """Read such a file.

        Raises:
            OSError: as `open_own`; EFBIG when it has more than `limit` bytes.
        """
        with self.open_own(path) as file:
            data = file.read(limit + 1)
        if len(data) > limit:
            raise OSError(errno.EFBIG, os.strerror(errno.EFBIG), str(path))
        return data

    def _open_root(self) -> int:
        try:
            root = os.open(self.root, _FOLDER)
        except (FileNotFoundError, NotADirectoryError) as error:
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), self.root) from error
        if self.device is not None and os.fstat(root).st_dev != self.device:
            os.close(root)
            raise OSError(errno.ENODEV, os.strerror(errno.ENODEV), self.root)
        return root

    def open_folder(self, path: Inside | None) -> int:
        """Open a folder for reading; the root for None. Returns its descriptor."""
        root = self._open_root()
        if path is None:
            return root
        try:
            return open_beneath(root, str(path), _FOLDER)
        finally:
            os.close(root)

    def hold(self, path: Inside | None) -> Held:
        """Open a folder to hold it; the root for None."""
        return Held(self.open_folder(path), path)

    def _write_whole(
        self, path: Inside, data: bytes, name: Callable[[Entry, Entry], None], *, lasting: bool = True
    ) -> None:
        """Write a file whole in its folder; where it is to last, that is synced, too."""
        with self.hold(path.folder) as folder:
            folder.write_whole(path, data, name, lasting=lasting)
            if lasting:
                folder.sync()


def chosen(path: str) -> tuple[Tree, Inside]:
    """A file that a person chose, or that lies in the person's own folders: its folder as a tree, and its name in it.

    Raises:
        Outside: when it has no name.
    """
    whole = os.path.abspath(path)
    return Tree(os.path.dirname(whole)), inside(os.path.basename(whole), Realm.OWN)


def have_folder(path: str, *, private: bool = False) -> Tree:
    """A folder of the person's own (XDG), made with its parents where it is not there.

    Args:
        path: of it.
        private: whether nobody else is let into it, where it is made.

    Raises:
        OSError: when it cannot be made.
    """
    os.makedirs(path, 0o700 if private else 0o777, exist_ok=True)
    return Tree(path)


def _replace(temporary: Entry, final: Entry) -> None:
    os.replace(temporary.name, final.name, src_dir_fd=temporary.folder, dst_dir_fd=final.folder)
