"""Walking through the root of a library and through its archive drives, which are one tree."""

from __future__ import annotations

import os
import threading
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from jutrek.disk import HASH_LISTS, OWN_FOLDER, TEMPORARY
from jutrek.errors import LibraryMissing, Stopped, reason
from jutrek.library.home import HomeFile
from jutrek.library.identity import Library
from jutrek.library.places import LIBRARY, Place, connected

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


def walk(root: str, wanted: Collection[str] | None = None) -> Iterator[tuple[str, int, int]]:
    """Path relative to a root, size and time of last change (ns) of all files below it.

    Args:
        root: of a library, or an archive drive.
        wanted: folders of the first level of which all has to be listed; None for a library, of which only the root
            has. Of other folders such as may not be looked at (`lost+found`) are passed over.

    Raises:
        LibraryMissing: when it can't be listed.
    """
    folders = [""]
    while folders:
        folder = folders.pop()
        above = f"{folder}/" if folder else ""
        try:
            with os.scandir(os.path.join(root, folder)) as entries:
                for entry in entries:
                    name = entry.name
                    path = above + name
                    if entry.is_dir(follow_symlinks=False):
                        if path not in (OWN_FOLDER, HASH_LISTS) and not name.startswith(".Trash"):
                            folders.append(path)
                    elif entry.is_file(follow_symlinks=False) and not name.startswith(TEMPORARY):
                        status = entry.stat(follow_symlinks=False)
                        yield path, status.st_size, status.st_mtime_ns
        except OSError as error:
            may_not = isinstance(error, PermissionError) and folder.partition("/")[0] not in (wanted or ())
            if not folder or (wanted is not None and not may_not):
                raise LibraryMissing(root, reason(error)) from error


class Away:
    """What of a library lies on its archive drives, as a survey finds it.

    Attributes:
        there: the drive's id of every file that was found on one, and is not in the root, by path.
        both: paths that are in the root, too.
        here: the roots of the drives that were walked through, by id.
    """

    def __init__(
        self, library: Library, stored: Mapping[str, str], drives: Sequence[Place], seen: Collection[str]
    ) -> None:
        """
        Args:
            library: the library.
            stored: the drives' ids of what is stored, by path.
            drives: those that are connected.
            seen: the paths of all files in the root.
        """
        self._root, self._stored, self._drives, self._seen = library.root, stored, drives, seen
        self.here: dict[str, str] = {}
        self._tops: dict[str, set[str]] = {}
        self.there: dict[str, str] = {}
        self.both: set[str] = set()

    def look(self, known: Mapping[str, tuple[int, int]], stop: threading.Event | None) -> dict[str, HomeFile]:
        """Walk through the drives. Returns what has another size or time than is known, or is not known.

        One that fails on the way, or is not the same in the end, counts as away.

        Raises:
            Stopped: when `stop` was set.
        """
        fresh: dict[str, HomeFile] = {}
        for drive in self._drives:
            found: dict[str, HomeFile] = {}
            tops = {path.partition("/")[0] for path, on in self._stored.items() if on == drive.id}
            try:
                for path, size, mtime_ns in walk(drive.root, tops):
                    if stop is not None and stop.is_set():
                        raise Stopped
                    found[path] = HomeFile(path, size, mtime_ns)
            except LibraryMissing:
                continue
            if connected(drive) is None:
                continue
            self.here[drive.id] = drive.root
            self._tops[drive.id] = tops
            for path, one in found.items():
                if path in self._seen:
                    self.both |= {path} if self.is_ours_on(path, drive.id) else set()
                elif self.there.setdefault(path, drive.id) == drive.id and known.get(path) != (one.size, one.mtime_ns):
                    fresh[path] = one
        return fresh

    def at(self, path: str) -> str:
        """The absolute path of a file that was found."""
        return os.path.join(self.here.get(self.there.get(path, ""), self._root), path)

    def has(self, path: str) -> bool:
        """Whether a file that is not in the root is on a drive, or believed to be."""
        drive = self._stored.get(path)
        return path in self.there or (drive is not None and drive not in self.here)

    def drive_of(self, path: str) -> str:
        """The drive that a file is on, or was; empty for the root."""
        return self.there.get(path) or self._stored.get(path, "")

    def is_ours(self, path: str) -> bool:
        """Whether a new file is the library's: in the root, or beside what is stored."""
        drive = self.there.get(path)
        return drive is None or self.is_ours_on(path, drive)

    def is_ours_on(self, path: str, drive: str) -> bool:
        """Whether a path on a drive is one of the library's."""
        return path.partition("/")[0] in self._tops[drive]

    def take_in(self, ledger: Ledger, moves: Mapping[str, str], ours: Collection[str], lost: Collection[str]) -> None:
        """Have the ledger know where files lie now, and let proofs follow or end.

        Args:
            ledger: it followed the moves already.
            moves: what was moved outside: where to, by where each was.
            ours: the paths of all files of the library.
            lost: the paths of those that are gone.
        """
        now = {path: self.there.get(path, LIBRARY) for path in (*moves.values(), *self._stored, *self.there)}
        now = {path: drive for path, drive in now.items() if path in ours and (drive or path in self._seen)}
        before = {path: self._stored.get(path, LIBRARY) for path in now}
        before |= {new: self._stored.get(old, LIBRARY) for old, new in moves.items() if new in now}
        # Where another file took the name of one that is gone, nothing is known of where it lies.
        other = {path: drive for path, drive in now.items() if drive != before[path] or (drive and path in lost)}
        follows = []
        for old, new in moves.items():
            drive = self._stored.get(old, LIBRARY)
            if drive and (mark := ledger.mark_of(old, drive)) is not None:
                ledger.drop_proofs(drive, [old])
                follows += [mark._replace(path=new, inode=0, ctime_ns=0)] if now.get(new) == drive else []
        ledger.put_proofs(follows)
        for path in other:
            ledger.drop_proofs(before[path], [path])
        for path in lost:
            ledger.drop_proofs(self._stored.get(path, LIBRARY), [path] if path in self._stored else [])
        ledger.stored.put({path: drive for path, drive in other.items() if drive})
        ledger.stored.forget(path for path, drive in other.items() if not drive)
