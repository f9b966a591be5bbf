"""The places of a library besides itself: which are there, what is damaged of them, and bringing what they lack."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.errors import PageBroken, PlaceUnusable
from jutrek.filing import OnChanged
from jutrek.library import Library, Place, connected, known_places, numbers_given
from jutrek.library.devicelist import damaged_devices
from jutrek.library.kept import damaged_kept
from jutrek.library.marks import marks_of
from jutrek.library.places import damaged_places
from jutrek.library.spots import spots_of
from jutrek.library.unwanted import damaged_unwanted
from jutrek.sources import mounts
from jutrek.transfer import Control, Listener, Outcome
from jutrek.transfer.catching_up import Lacking, bring_changed_home, catch_up, with_the_librarys
from jutrek.views.shelves import BY_HAND, shelves_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[int, int], None]


@dataclass(frozen=True, slots=True)
class Places:
    """The places of a library besides itself: those that are connected, where they are now, and those that are not."""

    here: tuple[Place, ...] = ()
    away: tuple[Place, ...] = ()

    def named(self, name: str) -> Place | None:
        """A connected place by its name or the beginning of its id."""
        return next((one for one in self.here if name in (one.name, one.root) or one.id.startswith(name)), None)

    def without(self, names: Sequence[str]) -> Places:
        """The places but for those of some names or ids.

        Raises:
            PlaceUnusable: for a name that none bears.
        """
        unwanted = set(names)
        for name in names:
            if not any(name in (one.name, one.id) for one in (*self.here, *self.away)):
                raise PlaceUnusable(name, "it is no backup of this library")
        return Places(
            tuple(one for one in self.here if not {one.name, one.id} & unwanted),
            tuple(one for one in self.away if not {one.name, one.id} & unwanted),
        )


def places_of(library: Library) -> Places:
    """Look for the places of a library."""
    tops = [mount.point for mount in mounts()]
    here, away = [], []
    for place in known_places(library):
        found = connected(place, tops)
        if found is not None:
            here.append(found)
        else:
            away.append(place)
    return Places(tuple(here), tuple(away))


def troubles_of(library: Library) -> list[str]:
    """A sentence for everything that is damaged in the pages that a library keeps. Each costs only itself."""
    found = [
        *damaged_places(library), *damaged_devices(library), *damaged_kept(library), *damaged_unwanted(library),
        *spots_of(library)[1], *marks_of(library)[1], *shelves_of(library)[1],
        *shelves_of(library, BY_HAND)[1],
    ]  # fmt: skip
    try:
        numbers_given(library)
    except PageBroken as error:
        found.append(str(error))
    return found


def caught_up(
    wanted: Lacking,
    library: Library,
    ledger: Ledger,
    right: OnChanged,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    control: Control | None = None,
) -> Outcome:
    """Bring a place what it lacks, and settle what was changed there.

    Args:
        right: which version is right; where a person is to be asked, what was changed is left as it is.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when the library or the place has no room, or cannot be written.
    """
    came = Outcome()
    if right is OnChanged.LIBRARY:
        wanted = with_the_librarys(wanted, library, ledger)
    elif right is OnChanged.COPY:
        came = bring_changed_home(wanted, library, ledger, stop=stop, listener=listener, control=control)
    if came.trouble is not None or not (wanted.rows or wanted.moves or wanted.damaged):
        return came
    outcome = catch_up(wanted, library, ledger, stop=stop, listener=listener, control=control)
    outcome.done += came.done
    outcome.remarks += came.remarks
    return outcome
