"""The archive drives of a library as a face shows them: which are here, how much room they have, what lies there."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.desk.storage import storage_at
from jutrek.errors import shown
from jutrek.library import Library, Place, as_place, connected, drives_here, known_drives, known_places
from jutrek.sources import mounts
from jutrek.views.columns import Columns, Names

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_HOLDS = 2.0
"""Seconds for which what was seen of drives is believed."""


class DriveState(NamedTuple):
    """A place of a library as it is now: its root, a backup, or an archive drive.

    Attributes:
        place: which one, where it is now or was last.
        here: whether it is connected.
        free, total: its room in bytes; 0 where it is away.
        files, size: what of the library lies there, or is proven there.
        proved: when the proof that is the oldest was made, UTC, ISO 8601; empty where there is none.
    """

    place: Place
    here: bool
    free: int
    total: int
    files: int
    size: int
    proved: str

    @property
    def words(self) -> str:
        """Where something lies that is stored there."""
        return f"on {shown(self.place.name)}{'' if self.here else ', away'}"


def drives_of(library: Library, ledger: Ledger) -> tuple[DriveState, ...]:
    """The archive drives of a library, as they are now."""
    here = {drive.id: drive for drive in drives_here(library)}
    return _states(known_drives(library), here, ledger, ledger.stored.proven())


def places_of(library: Library, ledger: Ledger) -> tuple[DriveState, ...]:
    """The root of a library, its backups and its archive drives, as they are now."""
    tops = [mount.point for mount in mounts()]
    home, backups = as_place(library), known_places(library)
    here = {place.id: place for one in backups if (place := connected(one, tops)) is not None}
    proven = ledger.stored.proven()
    return (*_states([home, *backups], {home.id: home, **here}, ledger, proven), *drives_of(library, ledger))


def _states(
    known: Iterable[Place], here: Mapping[str, Place], ledger: Ledger, proven: Mapping[str, tuple[int, int, str]]
) -> tuple[DriveState, ...]:
    held, states = ledger.stored.sizes(), []
    for one in known:
        place, (files, size, proved) = here.get(one.id, one), proven.get(one.id, (0, 0, ""))
        files, size = held.get(one.id, (0, 0)) if one.archive else (files, size)
        room = storage_at(place.name, place.root, place.id, here=one.id in here)
        states.append(DriveState(place, one.id in here, room.free, room.total, files, size, proved))
    return tuple(states)


class DrivesShown:
    """What is seen of places for views, looked at again now and then."""

    def __init__(self, library: Library, ledger: Ledger) -> None:
        self._library, self._ledger = library, ledger
        self._seen: tuple[DriveState, ...] = ()
        self._until = 0.0
        self.folders: Mapping[str, str] = {}
        """The ids of drives by the paths of folders of which everything is stored on one."""

    def use(self, columns: Columns) -> None:
        """Other columns are shown."""
        self.folders, self._until = _whole_folders(columns), 0.0

    def look(self) -> bool:
        """Look again. Returns whether other places are here than a moment ago."""
        before = [(one.place, one.here) for one in self._seen]
        self._until = 0.0
        return before != [(one.place, one.here) for one in self.now()]

    def now(self) -> tuple[DriveState, ...]:
        """The places, as they are now or were a moment ago."""
        if time.monotonic() >= self._until:
            began = time.monotonic()
            self._seen = places_of(self._library, self._ledger)
            # Of very many files, or with a disk that does not answer, it takes longer, and is done less often.
            self._until = time.monotonic() + max(_HOLDS, 20 * (time.monotonic() - began))
        return self._seen


def _whole_folders(columns: Columns) -> dict[str, str]:
    """Folders of which every capture, in them and deeper, is stored on one drive: its id, by path."""
    if not columns.drive.any():
        return {}
    names, ids = columns.names[Names.FOLDER], columns.names[Names.DRIVE]
    pairs = np.unique(np.stack([columns.folder, columns.drive]), axis=1).T.tolist()
    drives: dict[str, set[int]] = {}
    for folder, drive in pairs:
        path = names[folder]
        while path:
            drives.setdefault(path, set()).add(drive)
            path = path.rpartition("/")[0]
    return {path: ids[next(iter(own))] for path, own in drives.items() if len(own) == 1 and 0 not in own}
