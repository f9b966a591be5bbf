"""Reading again what was proven, and what follows where it is not what it was."""

from __future__ import annotations

from collections.abc import Sequence

from jutrek.desk.answers import CheckEnded, Mended
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.library import as_place
from jutrek.transfer.checking import bring_back, check, forget_gone, known_bad, let_go, mend


class ChecksService:
    """Checks the library and its places."""

    def __init__(self, opened: Opened, places: PlacesService) -> None:
        self._at, self._places = opened, places

    def check(self, id_: str) -> CheckEnded:
        """Read a place again, or the library; `PlacesKnown` follows."""
        at = self._at
        at.survey()
        place = self._places.connected(id_)
        words = f"Checking {place.name}"
        checked = check(
            at.library, at.ledger, place, stop=at.stop,
            report=lambda done, total: at.teller.working(words, done, total, sizes=True),
        )  # fmt: skip
        self._places.tell()
        return CheckEnded(place.name, checked)

    def mend(self, id_: str) -> Mended:
        """Bring good bytes back for what is known to be bad in a place; `PlacesKnown` follows."""
        at = self._at
        place = self._places.connected(id_)
        bad = known_bad(at.ledger, id_)
        others = [one for one in (as_place(at.library), *self._places.known.here) if one.id != id_]
        outcome = mend(bad, at.library, at.ledger, place, others, stop=at.stop)
        self._places.tell()
        return Mended(place.name, outcome.home, len(bad) - outcome.home)

    def bring_back(self, paths: Sequence[str]) -> Mended:
        """Bring back what is gone from the library, as far as connected backups have it; `PlacesKnown` follows."""
        at, here = self._at, self._places.look().here
        outcome = bring_back(paths, at.library, at.ledger, here, stop=at.stop)
        at.survey()
        at.changed()
        self._places.tell()
        return Mended(at.library.name, outcome.home, len(paths) - outcome.home)

    def forget(self, paths: Sequence[str]) -> tuple[str, int]:
        """Miss no more what is gone from the library; `PlacesKnown` follows. Returns the run, and how many files."""
        told = forget_gone(self._at.library, self._at.ledger, paths)
        self._places.tell()
        return told

    def let_go(self, id_: str) -> None:
        """Miss no more what is gone or bad in a place, as a person said so; `PlacesKnown` follows."""
        place = next((one for one in self._places.all() if one.id == id_), None)
        if place is not None:
            let_go(
                self._at.library, self._at.ledger, place, [mark.path for mark in known_bad(self._at.ledger, id_)]
            )  # fmt: skip
        self._places.tell()
