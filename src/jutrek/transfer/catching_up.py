"""Catching a place up: what the library has and the place lacks is brought there, proven as on an intake.

What lies in the place under another path is moved there, instead of being copied; an older version of a file, or one
that was found bad, is put aside under `.jutrek/replaced/` once the new one is proven. What is known to be damaged at
home is not copied on. What the place has beyond the library is left alone, and told.

A file that somebody changed in the place is left there until a person, or a house rule, says which version is right.
Either way the other one is put aside: the place's where the library is right, the library's where the place is.
"""

from __future__ import annotations

import os
import secrets
import threading
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING

from jutrek.disk import OWN_FOLDER, TEMPORARY, Inside, Outside, Tree, inside, put_away
from jutrek.errors import PlaceLost, PlaceUnusable
from jutrek.filing import Action, HouseRules, Row
from jutrek.library import LIBRARY, HomeFile, Library, Place, ProofMark, State, as_place, drives_here
from jutrek.library.stored import lying
from jutrek.transfer.capacity import hindrances
from jutrek.transfer.control import Control
from jutrek.transfer.copies import Target, unchanged
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Kind, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, read_back
from jutrek.transfer.outcome import Listener, Outcome
from jutrek.transfer.running import Run, Task

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_ROUNDING = 2_000_000_000
_DAMAGED = frozenset({State.ROTTED, State.UNREADABLE})
_NOT_AS_IT_WAS = _DAMAGED | {State.CHANGED}


@dataclass(frozen=True, slots=True)
class Lacking:
    """What a place lacks against its library.

    Attributes:
        rows: files to be copied there, from the library.
        moves: files that lie there under another path.
        replaced: paths at which an older or a bad version lies.
        damaged: paths of files that are damaged at home, and that the place lacks, too.
        beyond: paths of files that were proven there and that the library has no more.
        changed: paths of files that somebody changed in the place since they were proven there.
        away: paths of files that it lacks, and that are stored on archive drives that are away.
    """

    place: Place
    rows: tuple[Row, ...]
    moves: tuple[tuple[str, str], ...]
    replaced: tuple[str, ...]
    beyond: tuple[str, ...]
    damaged: tuple[str, ...] = ()
    changed: tuple[str, ...] = ()
    away: tuple[str, ...] = ()

    @property
    def files(self) -> int:
        """How many files are not where they should be."""
        return len(self.rows) + len(self.moves) + len(self.damaged) + len(self.changed) + len(self.away)

    @property
    def size(self) -> int:
        """Bytes to be copied."""
        return sum(row.size for row in self.rows)


def lacking(
    library: Library,
    ledger: Ledger,
    place: Place,
    *,
    connected: bool = True,
    only: Collection[str] | None = None,
) -> Lacking:
    """Compare a place with its library. The ledger must have been surveyed.

    Args:
        only: paths of the files that are meant, for which nothing else is looked at; None for all.
        connected: whether the place can be looked at; else what was proven there is believed to be there still.
    """
    files, here, there = ledger.all_files(), ledger.marks_at_home(), ledger.marks(place.id)
    lies = lying(library.root, ledger.stored, drives_here(library))
    if only is not None:
        files = {path: files[path] for path in only if path in files}
        there = {path: there[path] for path in only if path in there}
    held = {
        path: mark
        for path, mark in there.items()
        if mark.stands and (not connected or unchanged(place.tree, mark))
    }  # fmt: skip
    spare: dict[bytes, list[str]] = defaultdict(list)
    for path, mark in held.items():
        if path not in files:
            spare[mark.full].append(path)
    rows, moves, replaced, damaged, changed, away = [], [], [], [], [], []
    for path, (size, mtime_ns) in sorted(files.items()):
        ours, theirs = here.get(path), held.get(path)
        fits = ours is not None and (ours.size, ours.mtime_ns) == (size, mtime_ns)
        known = fits and ours is not None and (ours.stands or ours.state in _DAMAGED)
        if theirs is not None and (theirs.full == ours.full if known and ours else _alike(theirs, size, mtime_ns)):
            continue
        is_damaged = fits and ours is not None and ours.state in _DAMAGED
        if theirs is None and connected and not is_damaged and _is_changed(place.tree, there.get(path)):
            changed.append(path)
            continue
        if known and ours and theirs is None and spare.get(ours.full):
            moves.append((spare[ours.full].pop(), path))
            continue
        if is_damaged:
            damaged.append(path)
            continue
        if lies.is_away(path):
            away.append(path)
            continue
        if theirs is not None or (path in there and there[path].state in _NOT_AS_IT_WAS):
            replaced.append(path)
        rows.append(
            Row(lies.at(path), lies.root_of(path), Action.BRING, path, "The backup lacks it.", size, mtime_ns)
        )  # fmt: skip
    moving = {old for old, _ in moves}
    own = f"{OWN_FOLDER}/"
    beyond = tuple(path for path in held if path not in files and path not in moving and not path.startswith(own))
    return Lacking(
        place, tuple(rows), tuple(moves), tuple(replaced), beyond, tuple(damaged), tuple(changed), tuple(away)
    )  # fmt: skip


def _is_changed(tree: Tree, mark: ProofMark | None) -> bool:
    """Whether a file lies where one was proven, and is another one by size or time, or was found to be."""
    if mark is None:
        return False
    try:
        status = tree.found(inside(mark.path))
    except (OSError, Outside):
        return False
    return status is not None and status.st_size > 0 and (mark.state is State.CHANGED or not mark.fits(status))


def with_the_librarys(wanted: Lacking, library: Library, ledger: Ledger) -> Lacking:
    """What a place lacks where of files that were changed there the library's versions are right."""
    files = ledger.all_files()
    rows = [
        Row(os.path.join(library.root, path), library.root, Action.BRING, path, "It was changed there.", *files[path])
        for path in wanted.changed
        if path in files
    ]
    return replace(wanted, rows=(*wanted.rows, *rows), replaced=(*wanted.replaced, *wanted.changed), changed=())


def bring_changed_home(
    wanted: Lacking,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    control: Control | None = None,
) -> Outcome:
    """Bring home what was changed in a place; the library's versions are put aside under `.jutrek/replaced/`.

    Args:
        wanted: what the place lacks, with what was changed there.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        control: steers it: pause, stop, answers.

    Returns:
        The outcome; `home` counts what came home. What could not be read back in the place is proven there later.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when the library has no room, or cannot be written.
    """
    place, home = wanted.place, as_place(library)
    rows = [
        Row(
            place.tree.at(inside(path)),
            place.root,
            Action.BRING,
            path,
            f"It was changed in {place.name}.",
            size,
            mtime_ns,
        )
        for path, size, mtime_ns in _stamps(place.tree, wanted.changed)
    ]
    if not rows:
        return Outcome()
    with locked(library):
        for hindrance in hindrances(home, rows):
            if hindrance.whole:
                raise PlaceUnusable(home.root, hindrance.what.rstrip("."))
        about = {"place": LIBRARY, "name": home.name, "root": home.root, "changed_in": place.name}
        aside = _asides([row.destination or "" for row in rows])
        task = Task(rows, HouseRules(), (Target(home, main=True),), Kind.CATCH_UP, about, aside=aside)
        outcome = Run(task, library, ledger, control or Control(stop), listener or Listener()).go()
        came = {done.row.destination or "": done.full for done in outcome.done if done.home}
        ledger.put([
            HomeFile(path, size, mtime_ns, None, came[path]) for path, size, mtime_ns in _stamps(library.tree, came)
        ])  # fmt: skip
        ledger.put_proofs(_read_there(place, came))
        outcome.remarks += lists_follow(library, ledger, [place])
        return outcome


def _stamps(tree: Tree, paths: Iterable[str]) -> Iterator[tuple[str, int, int]]:
    """Path, size and time of last change of the files that are there."""
    for path in paths:
        status = tree.found(inside(path))
        if status is not None:
            yield path, status.st_size, status.st_mtime_ns


def _read_there(place: Place, came: Mapping[str, bytes]) -> Iterator[ProofMark]:
    """Marks of files that came home from a place, and read back there as they came."""
    buffer = aligned_buffer()
    for path, full in came.items():
        try:
            now_there, _ = read_back(place.tree, inside(path), buffer)
            status = place.tree.lstat(inside(path))
        except (OSError, Outside):
            continue
        if now_there == full:
            yield ProofMark(place.id, path, status.st_size, status.st_mtime_ns, full, now()).seen(status)


def _asides(paths: Iterable[str]) -> dict[str, Inside]:
    """Where versions are put aside that others take the place of."""
    token = f"{datetime.now():%Y%m%d-%H%M%S}-{secrets.token_hex(3)}"
    return {path: put_away("replaced", token, inside(path)) for path in paths}


def catch_up(
    wanted: Lacking,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    control: Control | None = None,
    whole: bool = True,
) -> Outcome:
    """Bring a place what it lacks.

    Args:
        wanted: what it lacks.
        whole: whether that is all that it lacks: then the place is looked through for what runs of before left.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        control: steers it: pause, stop, answers.

    Returns:
        The outcome; a full or lost place, or a stop, is its `trouble`. `home` counts what was copied or moved.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        PlaceUnusable: when the place has no room, or cannot be written.
    """
    place = wanted.place
    with locked(library):
        try:
            for hindrance in hindrances(place, wanted.rows):
                if hindrance.whole:
                    raise PlaceUnusable(place.root, hindrance.what.rstrip("."))
            target = Target(place, main=True)
        except OSError as error:
            raise PlaceLost(place.root, error) from error
        marks = {path: mark for path, mark in ledger.marks_at_home().items() if mark.stands}
        expected = {
            row.source: mark.full
            for row in wanted.rows
            if (mark := marks.get(row.destination or "")) and (mark.size, mark.mtime_ns) == (row.size, row.mtime_ns)
        }
        about = {"place": place.id, "name": place.name, "root": place.root}
        aside = _asides(wanted.replaced)
        task = Task(wanted.rows, HouseRules(), (target,), Kind.CATCH_UP, about, expected=expected, aside=aside)
        heard, steered = listener or Listener(), control or Control(stop)
        if whole:
            outcome = _CatchingUp(task, library, ledger, steered, heard).go_for(wanted)
        else:
            outcome = Run(task, library, ledger, steered, heard).go()
        outcome.remarks += lists_follow(library, ledger, [place], process="transfer", begin=True)
        outcome.remarks += [
            f"Files that {why} were not copied to {place.name}: {len(files):,}."
            for files, why in (
                (wanted.away, "are stored on drives that are away"), (wanted.damaged, "are damaged in the library"),
            )
            if files
        ]  # fmt: skip
        return outcome


class _CatchingUp(Run):
    """A run into a place, with the moves within it that come first."""

    def go_for(self, wanted: Lacking) -> Outcome:
        """Move within the place, then copy."""
        self._wanted = wanted
        return self.go()

    def _begin(self) -> None:
        try:
            _sweep(self._wanted.place.tree)
            self._move_within()
        except OSError as error:
            raise PlaceLost(self._wanted.place.root, error) from error

    def _move_within(self) -> None:
        place = self._wanted.place
        marks = self._ledger.proofs(place.id)
        moved: list[ProofMark] = []
        gone: list[str] = []
        moves = [(before, after) for before, after in self._wanted.moves if before in marks]
        self._journal.note(*(
            {"entry": "copy to move", "place": place.id, "from": before, "to": after, "size": marks[before].size}
            for before, after in moves
        ))  # fmt: skip
        self._journal.sync()
        for before, after in moves:
            try:
                old, new = inside(before), inside(after)
                place.tree.make_folders(new.folder)
                place.tree.give_name(old, new)
            except (FileExistsError, FileNotFoundError, Outside):
                continue
            for folder in {old.folder, new.folder}:
                place.tree.sync_folder(folder)
            self._journal.note({"entry": "copy moved", "place": place.id, "from": before, "to": after})
            moved.append(marks[before]._replace(path=after, inode=0, ctime_ns=0))
            gone.append(before)
        self._journal.sync()
        self._ledger.drop_proofs(place.id, gone)
        self._ledger.put_proofs(moved)
        self._outcome.moved = len(moved)


def _sweep(tree: Tree) -> None:
    """Remove temporaries of runs that ended while the place was away: the bytes are where they came from."""
    folders: list[Inside | None] = [None]
    while folders:
        folder = folders.pop()
        try:
            found = tree.folders(folder)
        except OSError:
            continue
        for name, is_folder in found.items():
            path = folder.below(name) if folder else Inside((name,))
            if is_folder and name != OWN_FOLDER:
                folders.append(path)
            elif name.startswith(TEMPORARY) and name.endswith(".part"):
                tree.remove_own(path)


def _alike(mark: ProofMark, size: int, mtime_ns: int) -> bool:
    """Whether a copy may be that of a file that was never proven at home. Some file systems round times to 2 s."""
    return mark.size == size and abs(mark.mtime_ns - mtime_ns) <= _ROUNDING
