"""All services of one library that is open. The thread that made it owns it."""

from __future__ import annotations

from jutrek.desk.services.captioning import CaptioningService
from jutrek.desk.services.cards import CardsService
from jutrek.desk.services.checks import ChecksService
from jutrek.desk.services.doubles import DoublesService
from jutrek.desk.services.jobs import JobsService
from jutrek.desk.services.learner import Learner
from jutrek.desk.services.marking import MarkingService
from jutrek.desk.services.opened import IntakeSide, Opened
from jutrek.desk.services.places import PlacesService
from jutrek.desk.services.refiling import RefilingService
from jutrek.desk.services.rules import RulesService
from jutrek.desk.services.runs import RunsService
from jutrek.desk.services.sorting import SortingService
from jutrek.desk.services.storing import StoringService
from jutrek.desk.services.tidying import TidyingService
from jutrek.desk.services.turning import TurningService
from jutrek.desk.settings import remember_library
from jutrek.desk.worker import Worker
from jutrek.library import new_library, open_library
from jutrek.transfer import Leftover, recover


class LibraryServices:
    """What can be done with one library.

    Attributes:
        library: where it is.
        leftovers: what a run that did not end left to do, found when it was opened.
    """

    def __init__(self, path: str, *, chosen: bool, worker: Worker, intake: IntakeSide) -> None:
        """Open it, and clear up after a run that did not end.

        Args:
            path: of its folder.
            chosen: whether a person chose the folder just now: then it becomes a library where it is none yet, and the
                next start begins with it.
            worker: whose thread owns it from now on.
            intake: what is told to the intake.

        Raises:
            LibraryTrouble: when it cannot be used.
            LedgerUnusable: when its ledger cannot be made, or a newer Jutrek wrote it.
        """
        self.library = new_library(path) if chosen else open_library(path)
        # Here, on its own thread: importing database and validation takes longer than showing a window.
        from jutrek.library.ledger import Ledger

        ledger = self._ledger = Ledger(self.library.ledger_path)
        if chosen:
            remember_library(self.library.root)
        self.leftovers: tuple[Leftover, ...] = tuple(recover(self.library, ledger))
        opened = Opened(self.library, ledger, worker.stop, worker.teller, intake, self._moved)
        self.rules = RulesService(opened)
        self.places = PlacesService(opened)
        self.cards = CardsService(opened, self.places, lambda: self.rules.now)
        self.runs = RunsService(opened, self.places, self.cards, lambda: self.rules.now)
        self.checks = ChecksService(opened, self.places)
        self.doubles = DoublesService(opened, self.places)
        self.refiling = RefilingService(opened, lambda: self.rules.now)
        self.tidying = TidyingService(opened, self.places, lambda: self.rules.now)
        self.sorting = SortingService(opened, self.tidying, lambda: self.rules.now)
        self.marking = MarkingService(opened, self.places)
        self.captioning = CaptioningService(opened, self.places)
        self.turning = TurningService(opened, self.places)
        self.storing = StoringService(opened, self.places, lambda: self.rules.now)
        self.jobs = JobsService(opened, lambda: self.rules.now)
        # It begins while the intake has nothing to do, and ends as soon as it has: both need the ledger.
        wanted = lambda: worker.wanted or intake.busy()  # noqa: E731
        self.learner = Learner(opened, lambda: self.doubles.count(wanted), lambda: self.rules.now)

    def _moved(self) -> None:
        self.refiling.forget()
        self.learner.begin_again()

    def close(self) -> None:
        """Write down what was learnt, and close the ledger."""
        self.learner.close()
        self._ledger.close()
