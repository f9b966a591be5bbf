"""Re-filing what is home: reading it, planning, carrying out, and saying anew what captures are."""

from __future__ import annotations

from collections.abc import Callable

from jutrek.desk.answers import HomeRead, Refiled, RefilingPlanned
from jutrek.desk.refiling import Refiler
from jutrek.desk.services.opened import Opened
from jutrek.filing import HouseRules
from jutrek.filing.refiling import Scope
from jutrek.transfer import Listener
from jutrek.transfer.saying import Words


class RefilingService:
    """Knows the captures of the library, and the re-filing that was planned last."""

    def __init__(self, opened: Opened, rules: Callable[[], HouseRules]) -> None:
        self._at, self._rules = opened, rules
        self._refiler = Refiler(opened.library, opened.ledger)

    def forget(self) -> None:
        """What was read may be old now."""
        self._refiler.forget()

    def look_home(self) -> HomeRead:
        """Read the captures of the library."""
        home = self._refiler.look(self._rules(), self._at.stop, self._at.teller.working)
        return HomeRead(home, self._refiler.last)

    def plan(self, scope: Scope) -> RefilingPlanned:
        """Plan to file anew what lies in the library.

        Raises:
            NotPossible: when a folder or file that the scope names is not there.
        """
        return self._refiler.plan(self._rules(), scope, self._at.stop, self._at.teller.working)

    def plan_taking_back(self) -> RefilingPlanned:
        """Plan to take the newest re-filing back.

        Raises:
            NotPossible: when there is none.
        """
        return self._refiler.plan_taking_back()

    def carry_out(self, only: frozenset[str] = frozenset()) -> Refiled:
        """Carry out the re-filing that was planned last, for all captures or only some.

        Raises:
            NotPossible: when none is planned.
        """
        at = self._at
        takes_back = self._refiler.planned.takes_back if self._refiler.planned else ""
        listener = Listener(progress=lambda run: at.teller.working("Moving", run.files, run.all_files, changes=True))
        outcome = self._refiler.go(at.stop, listener, only)
        at.changed()
        return Refiled(outcome, takes_back)

    def say(self, captures: frozenset[str], words: Words) -> int:
        """Say anew what captures at home are, by their ids.

        Returns:
            Of how many files it is new.
        """
        if self._refiler.home is None:
            self.look_home()
        return self._refiler.say(captures, words)
