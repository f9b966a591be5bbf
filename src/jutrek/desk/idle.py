"""What a session does while nothing else is to be done: learning what the library holds, looking for doubles by looks.

A little at a time, on the session's thread, so that whatever a person wants comes first. It can be paused, and goes on
after a restart where it was: all that was learnt is in the ledger.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from enum import Enum, auto
from typing import TYPE_CHECKING

from jutrek.desk import events
from jutrek.errors import Stopped
from jutrek.library import Library, survey

if TYPE_CHECKING:
    from jutrek.doubles.learning import Lesson
    from jutrek.library.ledger import Ledger


_AT_ONCE = 4
"""Files that are looked at before anybody else has a turn."""


class Due(Enum):
    """What comes next."""

    SURVEY = auto()
    LESSON = auto()
    LOOKS = auto()
    NOTHING = auto()


class Idle:
    """The idle work on one library.

    Args:
        tell: passes events on.
        learnt: called when all contents are known, and when all looks are; told whether anything was new.
        look: compares the intake with the library by looks; may be interrupted by `Stopped`.
    """

    def __init__(
        self,
        library: Library,
        ledger: Ledger,
        tell: Callable[[events.Event], None],
        learnt: Callable[[bool], None],
        look: Callable[[], None],
    ) -> None:
        self._library, self._ledger, self._tell = library, ledger, tell
        self._learnt, self._look = learnt, look
        self._due = Due.SURVEY
        self._lesson: Lesson | None = None
        self._round = 0
        self.paused = False

    @property
    def has_work(self) -> bool:
        """Whether there is something to do."""
        return not self.paused and self._due is not Due.NOTHING

    @property
    def knows_all(self) -> bool:
        """Whether the library was looked at as a whole."""
        return self._due in (Due.LOOKS, Due.NOTHING)

    @property
    def knows(self) -> tuple[bool, bool]:
        """Whether what all files of the library hold is known, and whether all their looks are."""
        if self.knows_all or self._ledger.is_empty:
            return True, True
        return self._lesson is not None and self._lesson.knows_content, False

    def begin_again(self) -> None:
        """Files came or went: what is new has to be learnt."""
        self._due, self._lesson = Due.SURVEY, None

    def look_again(self) -> None:
        """The intake is another one: it has to be compared by looks."""
        if self.knows_all:
            self._due = Due.LOOKS

    def pause(self, paused: bool) -> None:
        """Pause, or go on."""
        self.paused = paused
        self.say()

    def say(self) -> None:
        """Tell how far it is."""
        lesson = self._lesson
        done, total = (lesson.done, lesson.total) if lesson is not None else (0, 0)
        known = self.knows_all or (lesson is not None and lesson.knows_content)
        self._tell(events.Learning(done, total, self.paused, known, self.knows_all, self._round))

    def go_on(self, stop: threading.Event) -> None:
        """Do a little. Trouble ends it until something changes."""
        due = self._due
        try:
            if due is Due.SURVEY:
                survey(self._library, self._ledger, stop=stop)
                self._due = Due.LESSON
            elif due is Due.LESSON:
                self._learn(stop)
            elif due is Due.LOOKS:
                self._look()
                self._due = Due.NOTHING
        except Stopped:
            return
        except Exception:
            self._due = Due.NOTHING
            raise

    def _learn(self, stop: threading.Event) -> None:
        from jutrek.doubles.learning import Lesson

        if self._lesson is None:
            self._lesson = Lesson(self._library, self._ledger, threads=1, at_once=_AT_ONCE)
            self._round += bool(self._lesson.left)
        if self._lesson.left:
            knew = self._lesson.knows_content
            try:
                self._lesson.go_on(stop)
            finally:
                # At once: files may be moved or set aside before this goes on.
                self._lesson.close()
            self.say()
            if self._lesson.knows_content and not knew and self._lesson.left:
                self._learnt(True)
        if not self._lesson.left:
            self._due = Due.LOOKS
            self.say()
            self._learnt(self._lesson.total > 0)

    def close(self) -> None:
        """Write down what was learnt."""
        if self._lesson is not None:
            self._lesson.close()
