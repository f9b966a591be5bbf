"""A folder of a tree, held open: what is seen and what is changed in it is one folder, whatever happens to its name."""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
from collections.abc import Callable
from types import TracebackType

from jutrek.disk import naming
from jutrek.disk.calls import REFUSED, rename_exchange, sync
from jutrek.disk.inside import OWN_FOLDER, TEMPORARY, Inside, Outside
from jutrek.disk.naming import Entry
from jutrek.disk.stamp import FileStamp


class Held:
    """An open folder. Whoever has it closes it, or takes it as a context."""

    def __init__(self, fd: int, path: Inside | None) -> None:
        """
        Args:
            fd: its descriptor; it is closed with it.
            path: where it lies in its tree; None for the root.
        """
        self.fd, self._parts = fd, path.parts if path is not None else ()

    def __enter__(self) -> Held:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close it. On a drive that is gone even that fails; the error that counts was raised before."""
        if self.fd >= 0:
            fd, self.fd = self.fd, -1
            with contextlib.suppress(OSError):
                os.close(fd)

    def entry(self, path: Inside) -> Entry:
        """A path's name in this folder.

        Raises:
            Outside: when it lies in another one.
        """
        if path.parts[:-1] != self._parts:
            raise Outside(f"{path} does not lie in the folder {'/'.join(self._parts)}")
        return Entry(self.fd, path.parts[-1])

    def lstat(self, path: Inside) -> os.stat_result:
        """What the system tells of a name; of a link, of itself.

        Raises:
            FileNotFoundError: when it is not there.
        """
        return os.stat(self.entry(path).name, dir_fd=self.fd, follow_symlinks=False)

    def found(self, path: Inside) -> os.stat_result | None:
        """The same; None where nothing bears the name."""
        try:
            return self.lstat(path)
        except FileNotFoundError:
            return None

    def open(self, path: Inside, flags: int, mode: int = 0o666) -> int:
        """Open a file that is no link; `mode` is for one that is created. Returns its descriptor."""
        return os.open(self.entry(path).name, flags | os.O_NOFOLLOW | os.O_CLOEXEC, mode, dir_fd=self.fd)

    def give_name(self, old: Inside, new: Inside) -> None:
        """Give a file another name in this folder, which replaces nothing. See `Tree.give_name`."""
        naming.name_exclusively(self.entry(old), self.entry(new))

    def give_name_in(self, other: Held, old: Inside, new: Inside) -> None:
        """Give a file of this folder a name in another one, which replaces nothing. See `Tree.give_name`."""
        naming.name_exclusively(self.entry(old), other.entry(new))

    def make_folder(self, path: Inside) -> None:
        """Make a folder in this one, which is not there yet. It lasts when this folder is synced.

        Raises:
            FileExistsError: when something bears the name.
        """
        os.mkdir(self.entry(path).name, dir_fd=self.fd)

    def write_new(self, path: Inside, data: bytes) -> None:
        """Write a new, small file whole, and sync it; its name lasts when the folder is synced."""
        self.write_whole(path, data, naming.name_exclusively)

    def write_whole(
        self, path: Inside, data: bytes, name: Callable[[Entry, Entry], None], *, lasting: bool = True
    ) -> None:
        """Write a hidden temporary beside a path, sync it where it is to last, and name it."""
        entry = self.entry(path)
        temporary = Entry(entry.folder, f"{TEMPORARY}{secrets.token_hex(4)}.part")
        flags = os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC
        fd = os.open(temporary.name, flags, 0o666, dir_fd=entry.folder)
        try:
            try:
                view = memoryview(data)
                while view:
                    view = view[os.write(fd, view) :]
                if lasting:
                    os.fsync(fd)
            finally:
                os.close(fd)
            name(temporary, entry)
        except BaseException:
            with contextlib.suppress(OSError):
                os.unlink(temporary.name, dir_fd=entry.folder)
            raise

    def sync(self) -> None:
        """Let the names in it last."""
        sync(os.dup(self.fd))

    def remove(self, path: Inside, *, still: os.stat_result) -> None:
        """Remove a name, if it is still the file that was looked at.

        Raises:
            OSError: ESTALE when it is another file by now.
        """
        if not _who(still).unchanged(self.lstat(path)):
            raise OSError(errno.ESTALE, "it is another file by now", path.name)
        os.unlink(path.name, dir_fd=self.fd)

    def replace(self, temporary: Inside, path: Inside, *, still: os.stat_result) -> None:
        """Let a finished temporary take the name of a file, if that is still the one that was looked at.

        The file goes when the other one has its name for good. Where the file system can exchange names, what another
        program wrote in that very moment has its name again.

        Raises:
            OSError: ESTALE when it is another file by now; the temporary is there still.
        """
        new, old = self.entry(temporary), self.entry(path)
        if not _who(still).unchanged(self.lstat(path)):
            raise OSError(errno.ESTALE, "it is another file by now", path.name)
        try:
            rename_exchange(new, old)
        except OSError as error:
            if error.errno not in REFUSED:
                raise
            os.replace(new.name, old.name, src_dir_fd=new.folder, dst_dir_fd=old.folder)
            sync(os.dup(self.fd))
            return
        if not _who(still).unchanged(self.lstat(temporary)):
            rename_exchange(new, old)
            raise OSError(errno.ESTALE, "it is another file by now", path.name)
        sync(os.dup(self.fd))
        os.unlink(new.name, dir_fd=self.fd)

    def remove_own(self, path: Inside) -> None:
        """Remove a file that Jutrek made for itself, if it is there: a temporary, or a page in its own folder.

        Raises:
            Outside: when it is neither.
        """
        if not path.name.startswith(TEMPORARY) and path.parts[0] != OWN_FOLDER:
            raise Outside(f"{path} is not Jutrek's own")
        with contextlib.suppress(FileNotFoundError):
            os.unlink(self.entry(path).name, dir_fd=self.fd)


def _who(status: os.stat_result) -> FileStamp:
    """Giving a file another name changes its `ctime`, and nothing else."""
    return FileStamp.of(status)._replace(ctime_ns=None)
