"""Catching a place up: what the library has and the place lacks is brought there, proven as on an intake.

What lies in the place under another path is moved there, instead of being copied; an older version of a file is put
aside under `.jutrek/replaced/`. What the place has beyond the library is left alone, and told.
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.disk import give_name, make_folders, sync_folder
from jutrek.errors import PlaceLost, PlaceUnusable
from jutrek.filing import Action, HouseRules, Row
from jutrek.library import LIBRARY, OWN_FOLDER, Library, Place, ProofMark
from jutrek.transfer.copies import Target, unchanged
from jutrek.transfer.journal import Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.moving import Pairs
from jutrek.transfer.outcome import Listener, Outcome
from jutrek.transfer.room import hindrances
from jutrek.transfer.running import Run, Task
from jutrek.transfer.steering import Steering

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_ROUNDING = 2_000_000_000


@dataclass(frozen=True, slots=True)
class Lacking:
    """What a place lacks against its library.

    Attributes:
        rows: files to be copied there, from the library.
        moves: files that lie there under another path.
        replaced: paths at which an older version lies.
        beyond: paths of files that were proven there and that the library has no more.
    """

    place: Place
    rows: tuple[Row, ...]
    moves: tuple[tuple[str, str], ...]
    replaced: tuple[str, ...]
    beyond: tuple[str, ...]

    @property
    def files(self) -> int:
        """How many files are not where they should be."""
        return len(self.rows) + len(self.moves)

    @property
    def size(self) -> int:
        """Bytes to be copied."""
        return sum(row.size for row in self.rows)


def lacking(library: Library, ledger: Ledger, place: Place, *, connected: bool = True) -> Lacking:
    """Compare a place with its library. The ledger must have been surveyed.

    Args:
        connected: whether the place can be looked at; else what was proven there is believed to be there still.
    """
    files, here, there = ledger.all_files(), ledger.proofs(LIBRARY), ledger.proofs(place.id)
    held = {
        path: mark
        for path, mark in there.items()
        if not connected or unchanged(os.path.join(place.root, mark.path), mark)
    }
    spare: dict[bytes, list[str]] = defaultdict(list)
    for path, mark in held.items():
        if path not in files:
            spare[mark.full].append(path)
    rows, moves, replaced = [], [], []
    for path, (size, mtime_ns) in sorted(files.items()):
        ours = here.get(path)
        known = ours is not None and (ours.size, ours.mtime_ns) == (size, mtime_ns)
        theirs = held.get(path)
        if theirs is not None and (theirs.full == ours.full if known and ours else _alike(theirs, size, mtime_ns)):
            continue
        if known and ours and theirs is None and spare.get(ours.full):
            moves.append((spare[ours.full].pop(), path))
            continue
        if theirs is not None:
            replaced.append(path)
        source = os.path.join(library.root, path)
        rows.append(Row(source, library.root, Action.BRING, path, "The place lacks it.", size, mtime_ns))
    moving = {old for old, _ in moves}
    own = f"{OWN_FOLDER}/"
    beyond = tuple(path for path in held if path not in files and path not in moving and not path.startswith(own))
    return Lacking(place, tuple(rows), tuple(moves), tuple(replaced), beyond)


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
        task = Task(wanted.rows, HouseRules(), (target,), Kind.CATCH_UP, about, expected=expected)
        return _CatchingUp(task, library, ledger, steering or Steering(stop), listener or Listener()).go_for(wanted)


class _CatchingUp(Run):
    """A run into a place, with the moves within it that come first."""

    def go_for(self, wanted: Lacking) -> Outcome:
        """Move and put aside within the place, then copy."""
        self._wanted = wanted
        return self.go()

    def _begin(self) -> None:
        try:
            self._move_within()
        except OSError as error:
            raise PlaceLost(self._wanted.place.root, error) from error

    def _move_within(self) -> None:
        place, run = self._wanted.place, self._journal.run
        marks = self._ledger.proofs(place.id)
        aside = [(path, f"{OWN_FOLDER}/replaced/{run}/{path}") for path in self._wanted.replaced]
        moved: Pairs = []
        for old, new in (*self._wanted.moves, *aside):
            old_path, new_path = os.path.join(place.root, old), os.path.join(place.root, new)
            make_folders(os.path.dirname(new_path), within=place.root)
            try:
                give_name(old_path, new_path)
            except FileExistsError:
                continue
            for folder in {os.path.dirname(old_path), os.path.dirname(new_path)}:
                sync_folder(folder)
            self._journal.note({"entry": "copy moved", "place": place.id, "from": old, "to": new})
            moved.append((old, new))
        self._journal.sync()
        self._ledger.drop_proofs(place.id, [old for old, _ in moved])
        self._ledger.put_proofs(
            marks[old]._replace(path=new) for old, new in moved if not new.startswith(f"{OWN_FOLDER}/")
        )
        self._outcome.moved = sum(not new.startswith(f"{OWN_FOLDER}/") for _, new in moved)


def _alike(mark: ProofMark, size: int, mtime_ns: int) -> bool:
    """Whether a copy may be that of a file that was never proven at home. Some file systems round times to 2 s."""
    return mark.size == size and abs(mark.mtime_ns - mtime_ns) <= _ROUNDING
