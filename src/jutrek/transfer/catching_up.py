"""Catching a place up: what the library has and the place lacks is brought there, proven as on an intake.

What lies in the place under another path is moved there, instead of being copied; an older version of a file, or one
that was found bad, is put aside under `.jutrek/replaced/` once the new one is proven. What is known to be damaged at
home is not copied on. What the place has beyond the library is left alone, and told.
"""

from __future__ import annotations

import os
import secrets
import threading
from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING

from jutrek.disk import OWN_FOLDER, TEMPORARY, Inside, Outside, Tree, inside, put_away
from jutrek.errors import PlaceLost, PlaceUnusable
from jutrek.filing import Action, HouseRules, Row
from jutrek.library import LIBRARY, Library, Place, ProofMark, State
from jutrek.transfer.copies import Target, unchanged
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.outcome import Listener, Outcome
from jutrek.transfer.room import hindrances
from jutrek.transfer.running import Run, Task
from jutrek.transfer.steering import Steering

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
    """

    place: Place
    rows: tuple[Row, ...]
    moves: tuple[tuple[str, str], ...]
    replaced: tuple[str, ...]
    beyond: tuple[str, ...]
    damaged: tuple[str, ...] = ()

    @property
    def files(self) -> int:
        """How many files are not where they should be."""
        return len(self.rows) + len(self.moves) + len(self.damaged)

    @property
    def size(self) -> int:
        """Bytes to be copied."""
        return sum(row.size for row in self.rows)


def lacking(library: Library, ledger: Ledger, place: Place, *, connected: bool = True) -> Lacking:
    """Compare a place with its library. The ledger must have been surveyed.

    Args:
        connected: whether the place can be looked at; else what was proven there is believed to be there still.
    """
    files, here, there = ledger.all_files(), ledger.marks(LIBRARY), ledger.marks(place.id)
    held = {
        path: mark
        for path, mark in there.items()
        if mark.stands and (not connected or unchanged(place.tree, mark))
    }  # fmt: skip
    spare: dict[bytes, list[str]] = defaultdict(list)
    for path, mark in held.items():
        if path not in files:
            spare[mark.full].append(path)
    rows, moves, replaced, damaged = [], [], [], []
    for path, (size, mtime_ns) in sorted(files.items()):
        ours, theirs = here.get(path), held.get(path)
        fits = ours is not None and (ours.size, ours.mtime_ns) == (size, mtime_ns)
        known = fits and ours is not None and (ours.stands or ours.state in _DAMAGED)
        if theirs is not None and (theirs.full == ours.full if known and ours else _alike(theirs, size, mtime_ns)):
            continue
        if known and ours and theirs is None and spare.get(ours.full):
            moves.append((spare[ours.full].pop(), path))
            continue
        if fits and ours and ours.state in _DAMAGED:
            damaged.append(path)
            continue
        if theirs is not None or (path in there and there[path].state in _NOT_AS_IT_WAS):
            replaced.append(path)
        source = os.path.join(library.root, path)
        rows.append(Row(source, library.root, Action.BRING, path, "The place lacks it.", size, mtime_ns))
    moving = {old for old, _ in moves}
    own = f"{OWN_FOLDER}/"
    beyond = tuple(path for path in held if path not in files and path not in moving and not path.startswith(own))
    return Lacking(place, tuple(rows), tuple(moves), tuple(replaced), beyond, tuple(damaged))


def catch_up(
    wanted: Lacking,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    steering: Steering | None = None,
) -> Outcome:
    """Bring a place what it lacks.

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
        marks = ledger.proofs(LIBRARY)
        expected = {
            row.source: mark.full
            for row in wanted.rows
            if (mark := marks.get(row.destination or "")) and (mark.size, mark.mtime_ns) == (row.size, row.mtime_ns)
        }
        about = {"place": place.id, "name": place.name, "root": place.root}
        token = f"{datetime.now():%Y%m%d-%H%M%S}-{secrets.token_hex(3)}"
        aside = {path: put_away("replaced", token, inside(path)) for path in wanted.replaced}
        task = Task(wanted.rows, HouseRules(), (target,), Kind.CATCH_UP, about, expected=expected, aside=aside)
        outcome = _CatchingUp(task, library, ledger, steering or Steering(stop), listener or Listener()).go_for(wanted)
        outcome.remarks += lists_follow(library, ledger, [place], process="transfer", begin=True)
        if wanted.damaged:
            outcome.remarks.append(
                f"Files that are damaged in the library were not copied to {place.name}: {len(wanted.damaged):,}."
            )
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
