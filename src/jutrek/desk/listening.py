"""Listening to an intake's recordings while a session has nothing else to do."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from jutrek.desk import events

if TYPE_CHECKING:
    from jutrek.captures import Capture, Heard, Proposal
    from jutrek.hearing import Listening
    from jutrek.hearing.listening import Key
    from jutrek.hearing.sound import Curves

_A_TURN = 0.15
"""Seconds before anybody else has a turn."""


class Ears:
    """What is listened to, and what was heard. One thread owns it."""

    def __init__(self, tell: Callable[[events.Event], None], heard: Callable[[tuple[Heard, ...]], None]) -> None:
        """
        Args:
            tell: passes events on.
            heard: called with what was heard, once all recordings were compared.
        """
        self._tell, self._heard = tell, heard
        self._known: dict[Key, Curves | None] = {}
        self._listening: Listening | None = None
        self._of: frozenset[Key] = frozenset()
        self.paused = True

    @property
    def has_work(self) -> bool:
        """Whether there is something to listen to."""
        return not self.paused and self._listening is not None

    def listen_to(self, captures: Sequence[Capture], proposals: Sequence[Proposal]) -> None:
        """Listen to these from now on, unless that was done already.

        Args:
            captures: with the dates that their files tell.
            proposals: what clocks are supposed to be off by other evidence.
        """
        from jutrek.hearing import Listening

        files = [capture.primary.file for capture in captures]
        of = frozenset((file.path, file.size, file.mtime_ns) for file in files)
        if of != self._of:
            self._of = of
            supposed = {one.device: one.seconds for one in proposals if not one.captures}
            listening = Listening(captures, supposed, self._known)
            self._listening = listening if listening.has_work else None
            if self._listening is None:
                self._end(())

    def go_on(self) -> None:
        """Listen on for a moment."""
        listening = self._listening
        if listening is not None:
            listening.go_on(_A_TURN)
            self._tell(events.Hearing(listening.done, listening.total))
            if not listening.has_work:
                self._listening = None
                self._end(listening.found)

    def _end(self, found: tuple[Heard, ...]) -> None:
        self._tell(events.Hearing(0, 0))
        self._heard(found)
