"""Jobs of a library: starting them, the next version of a working file, and outlines."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from jutrek.desk.jobs import Said, started
from jutrek.desk.outlines import add_starter, copy_outline, outline_from, remove_outline
from jutrek.desk.services.opened import Opened
from jutrek.desk.working_files import Next, called_so, make_next
from jutrek.jobs.shelf import keep_outline, outline_of
from jutrek.library import open_library

if TYPE_CHECKING:
    from jutrek.filing import HouseRules
    from jutrek.jobs.drawing import Drawn
    from jutrek.jobs.shelf import Kept
    from jutrek.transfer.making import MadeRun
    from jutrek.transfer.starting import Started


class JobsService:
    """Makes what belongs to jobs."""

    def __init__(self, opened: Opened, rules: Callable[[], HouseRules]) -> None:
        self._at, self._rules = opened, rules

    def start(self, said: Said) -> Started:
        """Start a job.

        Raises:
            LibraryTrouble: when it can't be started so; nothing is left behind then.
        """
        at, read = self._at, [0]

        def look(size: int) -> None:
            read[0] += size
            at.teller.working("Starting the job", read[0] >> 20)

        done = started(at.library, at.ledger, said, self._rules(), stop=at.stop, look=look)
        at.changed()
        return done

    def next_version(self, path: str, initials: str) -> tuple[Next, MadeRun]:
        """Copy the newest version of a working file under the next name that nobody has.

        Raises:
            LibraryTrouble: when that can't be done.
        """
        done = make_next(self._at.library, self._at.ledger, path, initials, stop=self._at.stop)
        self._at.changed()
        return done

    def rename(self, path: str, name: str) -> str:
        """Give a working file the name that was proposed for it. Returns the run.

        Raises:
            LibraryTrouble: when that can't be done.
        """
        run = called_so(self._at.library, self._at.ledger, path, name, stop=self._at.stop)
        self._at.changed()
        return run

    def keep_outline(self, name: str, text: str) -> Kept:
        """Write an outline. Raises `LibraryTrouble` when that can't be done."""
        keep_outline(self._at.library, name, text)
        return outline_of(self._at.library, name)

    def remove_outline(self, name: str) -> None:
        """Put an outline into the system's trash. Raises `LibraryTrouble` when that can't be done."""
        remove_outline(self._at.library, name)

    def add_starter(self, outline: str, path: str) -> str:
        """Put a file beside an outline; the name that it has there. Raises `LibraryTrouble` when that can't be done."""
        return add_starter(self._at.library, outline, path)

    def outline_from(self, folder: str, name: str) -> tuple[Kept, Drawn]:
        """Make an outline of a folder as it is. Raises `LibraryTrouble` when that can't be done."""
        return outline_from(self._at.library, folder, name)

    def copy_outline(self, library: str, name: str) -> Kept:
        """Copy an outline from another library. Raises `LibraryTrouble` when that can't be done."""
        return copy_outline(self._at.library, open_library(library), name)
