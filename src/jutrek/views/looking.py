"""The columns of a library as it is on the disk now, with as little work as that takes.

Folders whose time did not change hold the same names as when they were looked at. So as long as that is so, and the
ledger learnt nothing, the columns that were kept hold. What changes inside a file while its folder stays as it is is
noticed by the next survey.
"""

from __future__ import annotations

import hashlib
import os
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from jutrek.disk import OWN_FOLDER, own
from jutrek.library import Library, drives_here, known_devices, survey
from jutrek.library.marks import MARKS, marks_of
from jutrek.library.spots import SPOTS, spots_of
from jutrek.views import snapshot
from jutrek.views.columns import Columns
from jutrek.whereabouts import Whereabouts

if TYPE_CHECKING:
    from jutrek.filing import HouseRules
    from jutrek.library.ledger import Ledger

Report = Callable[[str, int, int], None]
"""Told what is going on, how far it is, and how far it goes; 0 where that is not known."""


def current(
    library: Library,
    ledger: Ledger,
    rules: Callable[[], HouseRules],
    *,
    stop: threading.Event,
    report: Report = lambda what, done, total: None,
) -> Columns:
    """The columns of a library, current with its disk.

    Args:
        library: the library.
        ledger: its ledger, open.
        rules: gives the house's, where anything has to be built: when its days begin, which dates it trusts.

    Raises:
        LibraryMissing: when the library's root cannot be listed.
        Stopped: when `stop` was set. What was read until then is kept.
    """
    known = snapshot.kept(ledger.path)
    if known is not None and unchanged(library, known.folders):
        folders = known.folders
        if known.state == state_of(library, ledger):
            return known.columns
    else:
        # Before it is looked through: what changes meanwhile is noticed the next time.
        folders = folders_of(library)
        survey(library, ledger, stop=stop, report=lambda seen: report("Looking through the library", seen, 0))
    house = rules()
    from jutrek.views.describing import describe

    describe(
        library, ledger, house, stop=stop, report=lambda done, total: report("Reading what files say", done, total)
    )
    return rebuilt(library, ledger, house, state_of(library, ledger), folders)


def kept(ledger: Ledger) -> tuple[Columns, str] | None:
    """The columns of an earlier look, and of which state they are; None where none are kept."""
    found = snapshot.kept(ledger.path)
    return None if found is None else (found.columns, found.state)


def rebuilt(
    library: Library, ledger: Ledger, rules: HouseRules, state: str, folders: dict[str, int] | None = None
) -> Columns:
    """Columns of what the ledger knows, built and kept for the next look.

    Args:
        library: the library.
        ledger: its ledger, open.
        rules: the house's.
        state: what is built, by `state_of`.
        folders: the times of the library's folders as they were when it was surveyed; without them the next look that
            has to be current surveys it.
    """
    from jutrek.transfer.tray import tray_of
    from jutrek.views.building import built

    aside = [(one.path, one.size) for one in tray_of(library)]
    whereabouts, marks = Whereabouts(spots_of(library)[0]), marks_of(library)[0]
    columns = built(ledger.knowledge(aside), rules, known_devices(library), whereabouts, marks)
    snapshot.keep(columns, ledger.path, state, folders or {})
    return columns


_PAGES = (own("house-rules.toml"), own("devices.toml"), own("journal"), SPOTS, MARKS)
"""What columns are made of besides the ledger: rules, devices, spots, marks, runs and what they set aside."""


def state_of(library: Library, ledger: Ledger) -> str:
    """What columns are made of, in short: while it stays the same, they hold."""
    known = [library.id, str(ledger.changes())]
    for page in _PAGES:
        try:
            status = os.stat(library.tree.at(page), follow_symlinks=False)
        except OSError:
            known.append("")
        else:
            known.append(f"{status.st_mtime_ns} {status.st_size}")
    return hashlib.sha256("\0".join(known).encode()).hexdigest()


def folders_of(library: Library) -> dict[str, int]:
    """The times of all folders of a library, in nanoseconds, by path; what cannot be looked at has none.

    Those of archive drives that are connected have absolute paths.
    """
    root = library.root
    found: dict[str, int] = {}
    tops = {"", *(drive.root for drive in drives_here(library))}
    wanted = sorted(tops)
    while wanted:
        folder = wanted.pop()
        path = os.path.join(root, folder)
        try:
            found[folder] = os.stat(path, follow_symlinks=False).st_mtime_ns
            with os.scandir(path) as entries:
                wanted += [
                    os.path.join(folder, entry.name)
                    for entry in entries
                    if entry.is_dir(follow_symlinks=False) and (entry.name != OWN_FOLDER or folder not in tops)
                ]
        except OSError:
            continue
    return found


def kept_folders(ledger: Ledger) -> dict[str, int]:
    """The times of a library's folders as they were when the columns were made that are kept; empty where none are."""
    found = snapshot.kept(ledger.path)
    return {} if found is None else found.folders


def unchanged(library: Library, folders: dict[str, int]) -> bool:
    """Whether the folders of a library have the times that they had, and the archive drives are those that were here.

    It is not where none are known.
    """
    root = library.root
    if any(drive.root not in folders for drive in drives_here(library)):
        return False
    for folder, before in folders.items():
        try:
            if os.stat(os.path.join(root, folder), follow_symlinks=False).st_mtime_ns != before:
                return False
        except OSError:
            return False
    return bool(folders)
