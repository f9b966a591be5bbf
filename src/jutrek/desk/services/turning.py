"""Turning a library's captures."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.desk.services.following import Following
from jutrek.desk.turning import TurnedCaptures, turn_captures
from jutrek.transfer import Listener

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jutrek.desk.services.opened import Opened
    from jutrek.desk.services.places import PlacesService
    from jutrek.turning.ways import Way
    from jutrek.views.columns import Columns


class TurningService:
    """Turns pictures and clips in place."""

    def __init__(self, opened: Opened, places: PlacesService) -> None:
        self._at, self._following = opened, Following(opened, places)

    def go(self, columns: Columns, rows: Sequence[int], way: Way) -> TurnedCaptures:
        """Turn captures; `follow` is to be called when no more come.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        at = self._at
        listener = Listener(progress=lambda run: at.teller.working("Turning", run.files, run.all_files, changes=True))
        done = turn_captures(columns, rows, way, at.library, at.ledger, stop=at.stop, listener=listener)
        self._following.add(done.files)
        return done

    def follow(self) -> str:
        """Let hash lists and connected backups follow; as `Following.go`."""
        return self._following.go()
