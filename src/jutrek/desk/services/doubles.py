"""Doubles of a library: finding them, setting them aside, and the tray."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence

from jutrek.desk.answers import DoublesFound
from jutrek.desk.doubles import Decided, drops_of
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.doubles.degrees import Group
from jutrek.library.kept import keep_beside, kept_beside
from jutrek.transfer import Listener, Outcome
from jutrek.transfer.setting_aside import set_aside
from jutrek.transfer.tray import Emptied, Trayed, empty_tray, tray_of


class _Idly(threading.Event):
    """Is set as soon as something else is to be done."""

    def __init__(self, stop: threading.Event, wanted: Callable[[], bool]) -> None:
        super().__init__()
        self._stop, self._wanted = stop, wanted

    def is_set(self) -> bool:
        return self._stop.is_set() or self._wanted()


class DoublesService:
    """Knows the groups that were found last."""

    def __init__(self, opened: Opened, places: PlacesService) -> None:
        self._at, self._places = opened, places
        self._groups: tuple[Group, ...] = ()

    def find(self) -> DoublesFound:
        """Find what the library has more than once."""
        from jutrek.doubles.groups import find_groups

        at = self._at
        at.survey()
        self._groups = tuple(
            find_groups(
                at.library, at.ledger, settled=kept_beside(at.library), stop=at.stop, report=at.teller.working
            )
        )  # fmt: skip
        return self.known()

    def count(self, wanted: Callable[[], bool]) -> int:
        """Find them while nothing else is to be done, as far as the library is known.

        Args:
            wanted: asked all the time whether something else is.

        Returns:
            How many groups there are.

        Raises:
            Stopped: when something else was. What was compared is kept.
        """
        from jutrek.doubles.groups import find_groups

        at = self._at
        settled = kept_beside(at.library)
        self._groups = tuple(find_groups(at.library, at.ledger, settled=settled, stop=_Idly(at.stop, wanted)))
        return len(self._groups)

    def known(self) -> DoublesFound:
        """The groups that were found last, and the tray as it is now."""
        return DoublesFound(self._groups, tuple(tray_of(self._at.library)))

    def settle(self, decided: Decided) -> Outcome:
        """Set aside what was decided to go, and keep what was decided to stay."""
        at = self._at
        keep_beside(at.library, [group.marks for group in decided.kept])
        listener = Listener(
            progress=lambda run: at.teller.working("Setting aside", run.files, run.all_files, changes=True)
        )
        try:
            return set_aside(
                drops_of(decided), at.library, at.ledger, stop=at.stop, listener=listener,
                places=self._places.look().here,
            )  # fmt: skip
        finally:
            at.changed()

    def empty_tray(self, trayed: Sequence[Trayed]) -> Emptied:
        """Put files of the tray into the system's trash."""
        at = self._at
        return empty_tray(
            trayed, at.library, places=self._places.look().here, stop=at.stop,
            report=lambda done, total: at.teller.working("Emptying what was set aside", done, total, changes=True),
        )  # fmt: skip
