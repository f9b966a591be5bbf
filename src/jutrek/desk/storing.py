"""Storing folders away on archive drives and fetching them back, for whichever face asks."""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jutrek.desk.places import Places
from jutrek.desk.storage import storage_at
from jutrek.disk import Outside, inside
from jutrek.errors import NotPossible, PlaceUnusable, Stopped, shown
from jutrek.filing import HouseRules
from jutrek.filing.facts import lies_in
from jutrek.formats import MEDIA, Kind, kind_by_suffix
from jutrek.library import (
    Library,
    Place,
    add_drive,
    connected,
    drives_here,
    forget_drive,
    keep_drive,
    known_drives,
    survey,
)
from jutrek.sources import mounts
from jutrek.transfer import Control, Listener, Outcome
from jutrek.transfer.carried import carry_pages
from jutrek.transfer.journal import Kind as RunKind
from jutrek.transfer.run_log import RunLog
from jutrek.transfer.storing import Copies, fetch, store
from jutrek.transfer.taking_back import drive_of
from jutrek.views.describing import describe
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[str, int, int], None]
_KEPT_SIZE = (320, 320)
"""Of the thumbnails that are kept of what is stored: as large as the wall shows them."""
_WORKERS = 4


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is to be stored, or fetched.

    Attributes:
        folders: as they were named, relative to the library.
        drive: where to, or from.
        paths: of all their files.
        size: in bytes.
        free: bytes that there are where they go.
        lacks: how many of them must stay, as there would be too few copies, by house rule.
    """

    folders: tuple[str, ...]
    drive: Place
    paths: tuple[str, ...]
    size: int
    free: int
    lacks: int = 0

    @property
    def is_short(self) -> bool:
        """Whether there is too little room where they go."""
        return self.size > self.free


def drive_named(library: Library, text: str) -> Place:
    """A connected archive drive by its name, its id's beginning, or its folder; one that is none becomes one.

    Raises:
        NotPossible: when it is away.
        PlaceUnusable: when it can't be one.
    """
    known = known_drives(library)
    is_folder = os.path.isdir(text)
    found = [one for one in known if text == one.name]
    found = found or [one for one in known if text and one.id.startswith(text) and not is_folder]
    if len(found) == 1 and not (os.sep in text and is_folder):
        here = connected(found[0], [mount.point for mount in mounts()])
        if here is None:
            raise NotPossible(library.root, f"{shown(found[0].name)} is away; connect it first")
        return here
    root = os.path.abspath(text)
    if any(connected(replace(one, root=root)) is not None for one in known):
        # It is known, and mounted elsewhere than before: it keeps what it is called.
        return add_drive(library, root)
    name = os.path.basename(root)
    if any(one.name == name and os.path.realpath(one.root) != os.path.realpath(root) for one in known):
        count = next(number for number in range(2, len(known) + 3) if f"{name} {number}" not in {o.name for o in known})
        name = f"{name} {count}"
    if not is_folder:
        raise PlaceUnusable(text, "it is neither a folder nor the name of an archive drive")
    return add_drive(library, root, name)


def to_store(
    library: Library, ledger: Ledger, folders: Sequence[str], drive: Place, rules: HouseRules, places: Places
) -> Wanted:
    """What storing folders would move. The ledger must have been surveyed.

    Raises:
        NotPossible: when one of them is no folder of the library, or there is nothing to store.
    """
    named = [_folder(library, one) for one in folders]
    stored, known = ledger.stored.all(), ledger.all_files()
    paths = [path for path in known if path not in stored and any(lies_in(path, one) for one in named)]
    if not paths:
        away = sum(any(lies_in(path, one) for one in named) for path in stored)
        what = "it is stored away already" if away else "there is no file in it"
        raise NotPossible(library.root, f"{', '.join(map(shown, named))}: {what}")
    copies, marks = copies_of(ledger, rules, places), ledger.proofs("")
    lacks = sum(bool(copies.lack(path, mark.full if (mark := marks.get(path)) else None)) for path in paths)
    return _wanted(named, drive, paths, known, drive.root, lacks)


def to_fetch(library: Library, ledger: Ledger, folders: Sequence[str]) -> list[Wanted]:
    """What fetching folders would move, by drive.

    Raises:
        NotPossible: when nothing of them is stored, or a drive is away.
    """
    by_drive: dict[str, list[str]] = defaultdict(list)
    named = [_inside(library, one) for one in folders]
    for path, drive in ledger.stored.all().items():
        if any(not one or lies_in(path, one) for one in named):
            by_drive[drive].append(path)
    if not by_drive:
        raise NotPossible(library.root, f"nothing of {', '.join(map(shown, named))} is stored away")
    here, known = {drive.id: drive for drive in drives_here(library)}, ledger.all_files()
    names = {drive.id: drive.name for drive in known_drives(library)}
    if away := [names.get(one, one) for one in by_drive if one not in here]:
        raise NotPossible(library.root, f"{', '.join(map(shown, away))} is away; connect it first")
    return [_wanted(named, here[one], paths, known, library.root) for one, paths in by_drive.items()]


def _wanted(
    named: Sequence[str],
    drive: Place,
    paths: Sequence[str],
    known: dict[str, tuple[int, int]],
    root: str,
    lacks: int = 0,
) -> Wanted:
    size = sum(known[path][0] for path in paths if path in known)
    return Wanted(tuple(named), drive, tuple(sorted(paths)), size, storage_at("", root).free, lacks)


def _folder(library: Library, text: str) -> str:
    folder = _inside(library, text)
    if not folder:
        raise NotPossible(library.root, "the whole library can't be stored away; say which folders")
    try:
        is_folder = library.tree.is_folder(inside(folder))
    except OSError:
        is_folder = False
    if not is_folder:
        raise NotPossible(library.root, f"there is no folder {shown(folder)} in it")
    return folder


def _inside(library: Library, text: str) -> str:
    folder = os.path.relpath(text, library.root) if os.path.isabs(text) else os.path.normpath(text)
    try:
        return "" if folder == "." else str(inside(folder))
    except Outside as error:
        raise NotPossible(library.root, f"{shown(text)} is {error}") from error


def copies_of(ledger: Ledger, rules: HouseRules, places: Places) -> Copies:
    """What tells how many copies there are of a file."""
    return Copies(ledger, places.here, places.away, rules.least_copies)


def store_away(
    wanted: Wanted,
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    places: Places,
    *,
    stop: threading.Event,
    report: Report,
    listener: Listener,
) -> Outcome:
    """Store folders away: what they say and how they look is kept first, so that they stay while their drive is away.

    Raises:
        LibraryTrouble: when it can't be begun.
        Stopped: when it was stopped before anything moved.
    """
    describe(
        library, ledger, rules, stop=stop, only=frozenset(wanted.paths),
        report=lambda done, total: report("Reading what files say", done, total),
    )  # fmt: skip
    keep_thumbnails(library, wanted.paths, stop=stop, report=report)
    outcome = store(
        wanted.paths, library, ledger, wanted.drive, copies_of(ledger, rules, places), control=Control(stop),
        listener=listener, about=_act(wanted, "to"),
    )  # fmt: skip
    outcome.remarks += carry_pages(library, wanted.drive) if outcome.run else []
    outcome.remarks += _left_over(library, wanted) if outcome.home == len(wanted.paths) else []
    return outcome


def fetch_back(
    wanted: Wanted, library: Library, ledger: Ledger, *, stop: threading.Event, listener: Listener
) -> Outcome:
    """Fetch folders back into the library.

    Raises:
        LibraryTrouble: when it can't be begun.
    """
    outcome = fetch(
        wanted.paths, library, ledger, wanted.drive, control=Control(stop), listener=listener,
        about=_act(wanted, "from"),
    )  # fmt: skip
    outcome.remarks += carry_pages(library, wanted.drive) if outcome.run else []
    return outcome


def _act(wanted: Wanted, word: str) -> dict[str, str]:
    return {"act": f"{', '.join(wanted.folders)} {word}"}


def crossed_back(
    library: Library,
    ledger: Ledger,
    run_log: RunLog,
    paths: Sequence[str],
    places: Places,
    *,
    stop: threading.Event,
    listener: Listener,
) -> Outcome:
    """Take a storing or a fetching back, for some of its files."""
    from jutrek.filing.rulebook import load_rules

    drive, about = drive_of(library, run_log), {"takes_back": run_log.run}
    survey(library, ledger)
    if run_log.kind is RunKind.STORE:
        outcome = fetch(paths, library, ledger, drive, control=Control(stop), listener=listener, about=about)
    else:
        copies = copies_of(ledger, load_rules(library).rules, places)
        outcome = store(paths, library, ledger, drive, copies, control=Control(stop), listener=listener, about=about)
    outcome.remarks += carry_pages(library, drive) if outcome.run else []
    return outcome


def keep_thumbnails(library: Library, paths: Sequence[str], *, stop: threading.Event, report: Report) -> None:
    """Have a thumbnail of every capture, by which it is shown while its drive is away.

    Raises:
        Stopped: when `stop` was set.
    """
    from jutrek.desk.pictures import home_picture

    media = [(path, kind) for path in paths if (kind := kind_by_suffix(os.path.splitext(path)[1])) in MEDIA]

    def keep(one: tuple[str, Kind]) -> None:
        if not stop.is_set():
            home_picture(os.path.join(library.root, one[0]), one[1], _KEPT_SIZE)

    with ThreadPoolExecutor(_WORKERS, thread_name_prefix="thumbnails") as pool:
        for done, _ in enumerate(pool.map(keep, media), 1):
            report("Keeping thumbnails", done, len(media))
    if stop.is_set():
        raise Stopped


def _left_over(library: Library, wanted: Wanted) -> list[str]:
    """A sentence for every folder that is there still, as something else lies in it."""
    left = []
    for folder in wanted.folders:
        with suppress(OSError):
            if library.tree.is_folder(inside(folder)):
                left.append(f"{shown(folder)} stays as a folder: it holds something that is no file, or empty folders.")
    return left


def rename_drive(library: Library, drive: Place, name: str) -> None:
    """Call an archive drive otherwise.

    Raises:
        NotPossible: when the name is another one's, or none.
    """
    name = name.strip()
    if not name or not name.isprintable() or any(one.name == name != drive.name for one in known_drives(library)):
        raise NotPossible(library.root, f"no archive drive of it can be called “{shown(name)}”")
    keep_drive(library, replace(drive, name=name))


def forget_archive(library: Library, ledger: Ledger, drive: Place, *, lost: bool) -> int:
    """Know an archive drive no more.

    Args:
        library: the library.
        ledger: its ledger, open.
        drive: the archive drive.
        lost: whether it is no more: then what is stored there is gone, and can be brought back from backups.

    Returns:
        How many files are gone by it.

    Raises:
        NotPossible: when something is stored there, and it is not lost.
    """
    paths = [path for path, on in ledger.stored.all().items() if on == drive.id]
    if paths and not lost:
        are = counted(len(paths), "file is", "files are")
        raise NotPossible(
            library.root, f"{are} stored on {shown(drive.name)}; fetch them first, or say that it is lost"
        )
    forget_drive(library, drive.id)
    ledger.lost.keep(paths)
    ledger.drop(paths)
    ledger.drop_proofs(drive.id, paths)
    return len(paths)
