"""What follows when something was written beside captures: hash lists, and connected backups."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from jutrek.desk.sidecars import follow

if TYPE_CHECKING:
    from jutrek.desk.services.opened import Opened
    from jutrek.desk.services.places import PlacesService


class Following:
    """Remembers which sidecars were written, until all has followed."""

    def __init__(self, opened: Opened, places: PlacesService) -> None:
        self._at, self._places = opened, places
        self._written: dict[str, None] = {}

    def add(self, sidecars: Iterable[str]) -> None:
        """Some were written."""
        self._written |= dict.fromkeys(sidecars)

    def go(self) -> str:
        """Let hash lists and connected backups follow what was written. Returns what did not work, in a sentence.

        Raises:
            LibraryTrouble: when it can't be done; it is tried again the next time.
        """
        at = self._at
        if not self._written:
            return ""
        try:
            why = follow(list(self._written), at.library, at.ledger, self._places.look(), stop=at.stop)
            self._written.clear()
        finally:
            at.changed()
        return why
