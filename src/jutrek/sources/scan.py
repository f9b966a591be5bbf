"""Walking a source: every file in every subfolder, and a sentence for whatever is left out."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass

from jutrek.disk import FileStamp
from jutrek.errors import reason
from jutrek.sources.source import open_folder

MAX_DEPTH = 512
"""Folders within one another that are entered: more names than most paths have room for."""
HOUSEKEEPING = frozenset({"$recycle.bin", "system volume information", "lost+found", ".trashes", ".spotlight-v100"})
"""Folders that operating systems keep for themselves at the top of a medium."""
_KEEPER = "a folder that operating systems keep for trash, rescued files and indexes."


@dataclass(frozen=True, slots=True)
class SourceFile:
    """A regular file on a source.

    Attributes:
        path: its absolute path; undecodable bytes are kept as surrogates.
        root: the source it was found in.
        size: in bytes.
        mtime_ns: time of last change, nanoseconds since 1970, UTC.
    """

    path: str
    root: str
    size: int
    mtime_ns: int

    @property
    def stamp(self) -> FileStamp:
        """How it was when it was found."""
        return FileStamp(self.size, self.mtime_ns)


@dataclass(frozen=True, slots=True)
class Left:
    """Something on a source that is not brought home by itself, and why, as a sentence.

    Attributes:
        file: the file that it is, where it is one that can be brought along all the same.
        apart: whether it is no part of the source: the library, or a place.
    """

    path: str
    root: str
    why: str
    file: SourceFile | None = None
    apart: bool = False


def scan(
    root: str, *, leave_out: frozenset[str] = frozenset(), housekeeping: bool = False
) -> Iterator[SourceFile | Left]:
    """Walk a source in the order of names, without following links. Everything on it is told, one way or the other.

    Args:
        root: the source's absolute path.
        leave_out: real paths of folders that are not entered (a library that lies inside the source).
        housekeeping: whether files in folders that operating systems keep for themselves are files like others; else
            they are left, with the reason.

    Yields:
        Files, and what is left with the reason: links, devices, unreadable folders, what lies in a trash.
    """
    folders: list[tuple[str, int, str]] = [(root, 0, "")]
    while folders:
        folder, depth, kept_by = folders.pop()
        if folder in leave_out:
            yield Left(folder, root, "The library lies here; it is not a part of the source.", apart=True)
            continue
        if depth > MAX_DEPTH:
            yield Left(folder, root, f"Folders nested deeper than {MAX_DEPTH} are not entered.")
            continue
        try:
            entries = _entries(folder, follow=depth == 0)
        except OSError as error:
            yield Left(folder, root, f"The folder could not be read: {reason(error)}.")
            continue
        inner: list[tuple[str, int, str]] = []
        for name, found in entries:
            path = os.path.join(folder, name)
            if isinstance(found, OSError):
                yield Left(path, root, f"It could not be looked at: {reason(found)}.")
            elif stat.S_ISDIR(found.st_mode):
                is_kept = depth == 0 and not housekeeping and name.lower() in HOUSEKEEPING
                inner.append((path, depth + 1, name if is_kept else kept_by))
            elif stat.S_ISREG(found.st_mode):
                file = SourceFile(path, root, found.st_size, found.st_mtime_ns)
                yield Left(path, root, f"It lies in {kept_by}, {_KEEPER}", file) if kept_by else file
            else:
                yield Left(path, root, _not_a_file(found.st_mode))
        folders.extend(reversed(inner))


def _entries(folder: str, *, follow: bool) -> list[tuple[str, os.stat_result | OSError]]:
    fd = open_folder(folder, follow=follow)
    try:
        found: list[tuple[str, os.stat_result | OSError]] = []
        with os.scandir(fd) as entries:
            for entry in entries:
                try:
                    found.append((entry.name, entry.stat(follow_symlinks=False)))
                except OSError as error:
                    found.append((entry.name, error))
    finally:
        os.close(fd)
    return sorted(found, key=lambda pair: pair[0])


def _not_a_file(mode: int) -> str:
    if stat.S_ISLNK(mode):
        return "It is a link. Links on a source are not followed."
    return "It is not a regular file, so there is nothing to bring home."
