"""Surveying a library: comparing the ledger with the disk. Nothing on disk is moved or changed."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.disk import TEMPORARY
from jutrek.errors import LibraryMissing, Stopped, reason
from jutrek.library.home import HomeFile
from jutrek.library.identity import HASH_LISTS, OWN_FOLDER, Library

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_REPORT_EVERY = 2000


@dataclass(frozen=True, slots=True)
class Survey:
    """What a survey found: how many files there are, and how many of them were new, changed or gone."""

    files: int
    new: int
    changed: int
    gone: int


def survey(
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event | None = None,
    report: Callable[[int], None] | None = None,
) -> Survey:
    """Bring the ledger up to date with the disk. What is unchanged by size and time keeps its fingerprints.

    Args:
        stop: checked between files.
        report: told the number of files seen, now and then.

    Raises:
        LibraryMissing: when the library's root cannot be listed.
        Stopped: when `stop` was set.
    """
    known = ledger.all_files()
    seen, new, fresh, changed = 0, 0, [], 0
    for path, size, mtime_ns in _walk(library.root):
        seen += 1
        if stop is not None and stop.is_set():
            raise Stopped
        if report is not None and seen % _REPORT_EVERY == 0:
            report(seen)
        before = known.pop(path, None)
        if before == (size, mtime_ns):
            continue
        fresh.append(HomeFile(path, size, mtime_ns))
        new, changed = (new + 1, changed) if before is None else (new, changed + 1)
    ledger.put(fresh)
    ledger.drop(known)
    return Survey(seen, new, changed, len(known))


def _walk(root: str) -> Iterator[tuple[str, int, int]]:
    folders = [""]
    while folders:
        folder = folders.pop()
        try:
            with os.scandir(os.path.join(root, folder)) as entries:
                for entry in entries:
                    path = os.path.join(folder, entry.name)
                    if entry.is_dir(follow_symlinks=False):
                        if path not in (OWN_FOLDER, HASH_LISTS) and not entry.name.startswith(".Trash"):
                            folders.append(path)
                    elif entry.is_file(follow_symlinks=False) and not entry.name.startswith(TEMPORARY):
                        status = entry.stat(follow_symlinks=False)
                        yield path, status.st_size, status.st_mtime_ns
        except OSError as error:
            if not folder:
                raise LibraryMissing(root, reason(error)) from error
