"""One library that is open, as its services share it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.desk.board import Storage
    from jutrek.desk.hub import Teller
    from jutrek.filing import HouseRules
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import Done
    from jutrek.transfer.certificate import Certificate


@dataclass(frozen=True, slots=True)
class IntakeSide:
    """What a library tells the intake that is going on beside it. Every call only queues something there.

    Attributes:
        done: of every file of an intake that ended.
        places: where else copies go, with their room, whenever that was looked at.
        released: the certificates of its sources, by their roots.
        redraw: asks for a new board, if that is due; when told so, in any case.
        changed: files came into the library, or left it.
        reread: a source has other files on it than before, by its root.
        rules: other house rules hold; and whether devices are called otherwise.
        knows: whether all files of the library were looked at for what they hold, and decoded; and whether anything
            new was learnt just now (None where nothing was learnt at all).
        busy: asks whether the intake has something to do.
    """

    done: Callable[[Done], None]
    places: Callable[[tuple[Storage, ...]], None]
    released: Callable[[Mapping[str, Certificate]], None]
    redraw: Callable[[bool], None]
    changed: Callable[[], None]
    reread: Callable[[str], None]
    rules: Callable[[HouseRules, bool], None]
    knows: Callable[[bool, bool, bool | None], None]
    busy: Callable[[], bool]


@dataclass(frozen=True, slots=True)
class Opened:
    """A library, its ledger, and the thread that owns both.

    Attributes:
        stop: set by whoever wants the job at hand to end.
        teller: tells what goes on.
        intake: what is told to the intake.
        moved: called when files came into the library, or left it, before the intake learns of it.
    """

    library: Library
    ledger: Ledger
    stop: threading.Event
    teller: Teller
    intake: IntakeSide
    moved: Callable[[], None]

    def changed(self) -> None:
        """Files came into the library, or left it."""
        self.moved()
        self.intake.changed()

    def survey(self) -> None:
        """Look through the library.

        Raises:
            LibraryMissing: when it cannot be listed.
            Stopped: when it is to end.
        """
        from jutrek.library import survey

        survey(
            self.library,
            self.ledger,
            stop=self.stop,
            report=lambda seen: self.teller.working("Looking through the library", seen),
        )
