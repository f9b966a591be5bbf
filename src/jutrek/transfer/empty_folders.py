"""Folders of a library in which nothing lies: removed, written down, and made again when that is taken back."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from typing import TYPE_CHECKING

from jutrek.disk import HASH_LISTS, OWN_FOLDER, Inside, inside
from jutrek.errors import of_place
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jutrek.library import Library
    from jutrek.transfer.run_log import RunLog


def empty_folders(library: Library, folder: str = "") -> list[str]:
    """The folders below one in which no file lies, nor in any below them: relative to the library, the deepest first.

    Args:
        library: the library.
        folder: where to look, itself included; the empty path for all of it, but for the root itself.
    """
    at: list[tuple[Inside | None, int]] = [(inside(folder) if folder else None, -1)]
    holds: list[bool] = []
    for number, (path, _) in enumerate(_growing(at)):
        below, holds_files = _looked_into(library, path)
        holds.append(holds_files)
        at += [(one, number) for one in below]
    for number in range(len(at) - 1, 0, -1):
        if holds[number]:
            holds[at[number][1]] = True
    return [str(path) for (path, _), full in zip(reversed(at), reversed(holds), strict=True) if path and not full]


def _growing(at: list[tuple[Inside | None, int]]) -> Iterator[tuple[Inside | None, int]]:
    """Folders of a list, also those that come to it meanwhile: those above before those in them."""
    number = 0
    while number < len(at):
        yield at[number]
        number += 1


def _looked_into(library: Library, folder: Inside | None) -> tuple[list[Inside], bool]:
    """The folders right in one, and whether anything else lies there. What can't be listed counts as not empty."""
    try:
        entries = library.tree.folders(folder)
    except OSError:
        return [], True
    own = (OWN_FOLDER, HASH_LISTS) if folder is None else ()
    names = [name for name, is_folder in sorted(entries.items()) if is_folder and name not in own]
    below = [folder.below(name) if folder is not None else inside(name) for name in names]
    return below, not all(entries.values())


def remove_empty(library: Library, folders: Sequence[str]) -> tuple[str, int]:
    """Remove empty folders. One in which something lies by now stays, and so does what lies in it.

    Args:
        library: the library.
        folders: as `empty_folders` gives them.

    Returns:
        The run that tells of it, empty where none was removed; and how many were.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal cannot be written.
    """
    if not folders:
        return "", 0
    with locked(library):
        try:
            journal = Journal.begin(library, Kind.TIDY, {"act": "removed", "name": "empty folders"})
            try:
                removed = list(_removed(library, journal, folders))
                journal.end("done", 0, 0, folders=len(removed))
            finally:
                journal.close()
        except OSError as error:
            raise of_place(library.root, library.own, error) from error
    return journal.run, len(removed)


def _removed(library: Library, journal: Journal, folders: Sequence[str]) -> Iterator[str]:
    for folder in folders:
        # The system removes no folder in which anything lies.
        with contextlib.suppress(OSError):
            library.tree.remove_folder(inside(folder))
            journal.removed_folder(folder)
            yield folder


def removed_by(run_log: RunLog) -> list[str]:
    """The folders that a run removed which did nothing else, those above before those in them."""
    if run_log.kind is not Kind.TIDY or run_log.to_move or run_log.folders:
        return []
    return [str(one["folder"]) for one in run_log.others if one["entry"] == "folder removed"][::-1]


def make_again(library: Library, run_log: RunLog) -> int:
    """Make folders again that a run removed. Returns how many were made.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when they cannot be made.
    """
    with locked(library):
        made = 0
        try:
            journal = Journal.begin(library, Kind.TAKE_BACK, {"takes_back": run_log.run})
            try:
                for folder in removed_by(run_log):
                    if not os.path.lexists(library.tree.at(inside(folder))):
                        library.tree.make_folders(inside(folder))
                        made += 1
                journal.end("done", 0, 0, folders=made)
            finally:
                journal.close()
        except OSError as error:
            raise of_place(library.root, library.own, error) from error
        return made
