"""Controlling a run from outside: stopping it, letting it pause, and answering what becomes of a place that is full."""

from __future__ import annotations

import threading
from enum import StrEnum

from jutrek.errors import Stopped
from jutrek.library import Place

_LOOK_EVERY = 0.2


class Choice(StrEnum):
    """What becomes of a run whose place is full: try again, go on without the place, or stop."""

    AGAIN = "again"
    WITHOUT = "without"
    STOP = "stop"


class Control:
    """Shared by whoever steers and by the threads of the run. All of it may be called from any thread."""

    def __init__(self, stop: threading.Event | None = None) -> None:
        """
        Args:
            stop: when set, the run ends after the blocks at hand.
        """
        self.stop = stop or threading.Event()
        self.halt = threading.Event()
        """Set by the run itself when it has to end."""
        self._goes = threading.Event()
        self._goes.set()
        self._lock = threading.Condition()
        self._asked: dict[str, Place] = {}
        self._answers: dict[str, Choice] = {}
        self._given_up: set[str] = set()
        self.may_ask = False
        """Whether somebody answers. Where nobody does, a full place drops out, and a full library ends the run."""

    def pause(self) -> None:
        """Let every file wait after the block at hand."""
        self._goes.clear()

    def go_on(self) -> None:
        """Go on after a pause."""
        self._goes.set()

    @property
    def paused(self) -> bool:
        """Whether the run waits for `go_on`."""
        return not self._goes.is_set()

    def look(self) -> None:
        """Wait while the run pauses or a question is open.

        Raises:
            Stopped: when it is to end.
        """
        while True:
            if self.stop.is_set():
                self.halt.set()
            if self.halt.is_set():
                raise Stopped
            if self._goes.is_set() and not self._asked:
                return
            self._goes.wait(_LOOK_EVERY)
            with self._lock:
                if self._asked:
                    self._lock.wait(_LOOK_EVERY)

    def asked(self) -> tuple[Place, ...]:
        """The places that are full, and wait for an answer."""
        with self._lock:
            return tuple(self._asked.values())

    def answer(self, place: str, choice: Choice) -> None:
        """Answer for a place, by its id."""
        with self._lock:
            if place in self._asked:
                self._answers[place] = choice
                if choice is Choice.WITHOUT:
                    self._given_up.add(place)
                del self._asked[place]
                self._lock.notify_all()
        if choice is Choice.STOP:
            self.stop.set()

    def ask(self, place: Place) -> bool:
        """Ask what becomes of a full place, and wait for the answer. Called by the thread that found it full.

        Returns:
            Whether to try again.

        Raises:
            Stopped: when the run is to end.
        """
        if not self.may_ask:
            return False
        with self._lock:
            if place.id in self._given_up:
                return False
            self._answers.pop(place.id, None)
            self._asked[place.id] = place
            while place.id in self._asked:
                if self.stop.is_set() or self.halt.is_set():
                    del self._asked[place.id]
                    self._lock.notify_all()
                    raise Stopped
                self._lock.wait(_LOOK_EVERY)
            answer = self._answers.get(place.id, Choice.AGAIN)
        if answer is Choice.STOP:
            raise Stopped
        return answer is Choice.AGAIN
