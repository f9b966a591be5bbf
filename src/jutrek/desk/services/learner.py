"""Learning what a library holds while nothing else is to be done.

A little at a time, on the library's thread, so that whatever a person wants comes first. It can be paused, and goes on
after a restart where it was: all that was learnt is in the ledger.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from enum import Enum, auto
from typing import TYPE_CHECKING

from jutrek.desk import events
from jutrek.desk.services.opened import Opened
from jutrek.errors import Stopped
from jutrek.filing import HouseRules
from jutrek.library import survey

if TYPE_CHECKING:
    from jutrek.doubles.learning import Lesson
    from jutrek.views.describing import Describing

_AT_ONCE = 4
"""Files that are looked at before anybody else has a turn."""
_READ_AT_ONCE = 100
"""Files that are read for what they say before anybody else has a turn."""


_TOLD_EVERY = 2.0
"""Seconds."""


class Due(Enum):
    """What comes next."""

    SURVEY = auto()
    DESCRIBING = auto()
    LESSON = auto()
    DOUBLES = auto()
    NOTHING = auto()


class Learner:
    """Learns one library."""

    def __init__(
        self, opened: Opened, count_doubles: Callable[[], int], rules: Callable[[], HouseRules] = HouseRules
    ) -> None:
        """
        Args:
            opened: the library.
            count_doubles: finds how many groups of doubles there are, once everything is known.
            rules: gives the house rules as they are now.
        """
        self._at, self._count_doubles, self._rules = opened, count_doubles, rules
        self._describing: Describing | None = None
        self._told_described = 0.0
        self._due = Due.SURVEY
        self._lesson: Lesson | None = None
        self._round = 0
        self.paused = False

    @property
    def has_work(self) -> bool:
        """Whether there is something to do."""
        return not self.paused and self._due is not Due.NOTHING

    def begin_again(self) -> None:
        """Files came or went: what is new has to be learnt."""
        self._due, self._lesson, self._describing = Due.SURVEY, None, None
        self._let_know(None)

    def pause(self, paused: bool) -> None:
        """Pause, or go on."""
        self.paused = paused
        self.say()

    def say(self) -> None:
        """Tell how far it is."""
        lesson = self._lesson
        done, total = (lesson.done, lesson.total) if lesson is not None else (0, 0)
        content, complete = self._knows
        self._at.teller.tell(events.Learning(done, total, self.paused, content, complete, self._round))

    @property
    def _knows(self) -> tuple[bool, bool]:
        """Whether what all files of the library hold is known, and whether all their looks are."""
        if self._due in (Due.DOUBLES, Due.NOTHING):
            return True, True
        return self._lesson is not None and self._lesson.knows_content, False

    def _let_know(self, learnt: bool | None) -> None:
        self._at.intake.knows(*self._knows, learnt)

    def go_on(self) -> None:
        """Do a little. Trouble ends it until something changes."""
        due = self._due
        try:
            if due is Due.SURVEY:
                survey(self._at.library, self._at.ledger, stop=self._at.stop)
                self._due = Due.DESCRIBING
            elif due is Due.DESCRIBING:
                self._describe()
            elif due is Due.LESSON:
                self._learn()
            elif due is Due.DOUBLES:
                self._at.teller.tell(events.DoublesCounted(self._count_doubles()))
                self._due = Due.NOTHING
        except Stopped:
            return
        except Exception:
            self._due = Due.NOTHING
            raise

    def _describe(self) -> None:
        """Read what files say, before they are looked at, which takes longer."""
        if self._describing is None:
            from jutrek.views.describing import Describing

            self._describing = Describing(self._at.library, self._at.ledger, self._rules(), at_once=_READ_AT_ONCE)
            self._told_described = 0.0
        describing = self._describing
        if describing.left:
            try:
                describing.go_on(self._at.stop)
            finally:
                describing.close()
        now = time.monotonic()
        if not describing.left or now - self._told_described > _TOLD_EVERY:
            self._told_described = now
            if describing.total:
                self._at.teller.tell(events.Described(describing.left))
        if not describing.left:
            self._due = Due.LESSON

    def _learn(self) -> None:
        from jutrek.doubles.learning import Lesson

        if self._lesson is None:
            self._lesson = Lesson(self._at.library, self._at.ledger, threads=1, at_once=_AT_ONCE)
            self._round += bool(self._lesson.left)
        if self._lesson.left:
            knew = self._lesson.knows_content
            try:
                self._lesson.go_on(self._at.stop)
            finally:
                # At once: files may be moved or set aside before this goes on.
                self._lesson.close()
            self.say()
            if self._lesson.knows_content and not knew and self._lesson.left:
                self._let_know(True)
        if not self._lesson.left:
            self._due = Due.DOUBLES
            self.say()
            self._let_know(self._lesson.total > 0)

    def close(self) -> None:
        """Write down what was learnt."""
        if self._lesson is not None:
            self._lesson.close()
