"""The places of a library: which are there, what they lack, and bringing it."""

from __future__ import annotations

from jutrek.desk import events
from jutrek.desk.answers import CaughtUp
from jutrek.desk.places import Places, caught_up, places_of
from jutrek.desk.services.opened import Opened
from jutrek.desk.storage import storage_at
from jutrek.errors import NotPossible
from jutrek.filing import OnChanged
from jutrek.filing.rulebook import load_rules
from jutrek.library import (
    LIBRARY,
    Place,
    add_place,
    as_place,
    drives_here,
    forget_place,
    known_drives,
    notice_roots,
)
from jutrek.library.catalogue import Narrowed
from jutrek.transfer import Control, Listener, Progress
from jutrek.transfer.catching_up import lacking
from jutrek.transfer.checking import known_bad
from jutrek.transfer.resumable import room_of_partials


class PlacesService:
    """Knows which places are connected."""

    def __init__(self, opened: Opened) -> None:
        self._at = opened
        self.known = places_of(opened.library)

    def look(self) -> Places:
        """Look again which places are connected, and whether their trees are those that were proven."""
        self.known = places_of(self._at.library)
        notice_roots(self._at.ledger, self.known.here)
        everywhere = (*self.known.here, *self.known.away)
        self._at.intake.places(
            tuple(storage_at(one.name, one.root, one.id, here=one in self.known.here) for one in everywhere)
        )
        return self.known

    def all(self) -> tuple[Place, ...]:
        """The library, and every place of it."""
        places = self.look()
        return (as_place(self._at.library), *places.here, *places.away, *known_drives(self._at.library))

    def connected(self, id_: str) -> Place:
        """A place that is there, or the library, by its id.

        Raises:
            NotPossible: when it is not connected.
        """
        library = self._at.library
        here = (as_place(library), *self.look().here, *drives_here(library))
        found = next((one for one in here if one.id == id_), None)
        if found is None:
            raise NotPossible(library.root, "the backup or archive drive is not connected")
        return found

    def add(self, path: str) -> None:
        """Keep copies in a folder from now on."""
        add_place(self._at.library, path)
        self.tell()

    def forget(self, id_: str) -> None:
        """Keep no more copies in a place."""
        forget_place(self._at.library, id_)
        self.tell()

    def tell(self) -> None:
        """Look at every place: what it lacks, what was proven when, and what is bad there; `PlacesKnown` follows."""
        self._at.survey()
        places = self.look()
        states = [self._state(as_place(self._at.library), here=True)]
        states += [self._state(place, here=True) for place in places.here]
        states += [self._state(place, here=False) for place in places.away]
        drives = {drive.id: drive for drive in drives_here(self._at.library)}
        for drive in known_drives(self._at.library):
            states.append(self._state(drives.get(drive.id, drive), here=drive.id in drives))
        self._at.teller.tell(events.PlacesKnown(tuple(states)))
        self._at.intake.redraw(True)

    def _state(self, place: Place, *, here: bool) -> events.PlaceState:
        ledger = self._at.ledger
        known = ledger.marks(place.id)
        marks = {path: mark for path, mark in known.items() if mark.stands}
        oldest = next(iter(marks.values())).at if marks else ""
        bad = len(known_bad(ledger, place.id))
        partly = room_of_partials(place.tree)[1] if here else 0
        if place.id == LIBRARY:
            unproven = ledger.catalogue.count(Narrowed(unproven=True)).files
            return events.PlaceState(place, here, len(marks), oldest, unproven=unproven, bad=bad, partly=partly)
        if place.archive:
            return events.PlaceState(place, here, len(marks), oldest, bad=bad, partly=partly)
        lack = lacking(self._at.library, ledger, place, connected=here)
        return events.PlaceState(
            place, here, len(marks), oldest, lack.files - len(lack.changed), lack.size, bad=bad, partly=partly,
            changed=lack.changed,
        )  # fmt: skip

    def catch_up(self, id_: str, right: OnChanged | None = None) -> CaughtUp:
        """Bring a place what it lacks; `PlacesKnown` follows.

        Args:
            id_: of the place.
            right: which version is right of files that were changed there; else the house rule says it.

        Raises:
            NotPossible: when it is not connected.
            LibraryTrouble: when the library or the place has no room, or cannot be written.
        """
        at = self._at
        at.survey()
        place = self.connected(id_)
        wanted = lacking(at.library, at.ledger, place)
        outcome = caught_up(
            wanted, at.library, at.ledger, right or load_rules(at.library).rules.changed, stop=at.stop,
            control=Control(at.stop), listener=Listener(progress=self._report),
        )  # fmt: skip
        self.tell()
        return CaughtUp(place.name, outcome)

    def _report(self, progress: Progress) -> None:
        self._at.teller.working(
            "Copying and proving", progress.files, progress.all_files, speed=progress.proven_speed, changes=True
        )
