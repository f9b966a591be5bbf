"""How fast a run is, and how long it will take: figures that follow what happens without jumping."""

from __future__ import annotations

from collections import deque

WINDOW = 8.0
"""Seconds over which a speed is taken."""
_SLACK = 0.2
"""By how much of itself the time left may disagree with what was said before without being said anew."""


class Pace:
    """The speed of one stream of bytes over the last seconds."""

    def __init__(self, began: float) -> None:
        """
        Args:
            began: seconds, on the clock of all later calls.
        """
        self._seen: deque[tuple[float, int]] = deque([(began, 0)])

    def see(self, now: float, done: int) -> None:
        """Take notice of how many bytes are done."""
        self._seen.append((now, done))
        while len(self._seen) > 2 and self._seen[1][0] <= now - WINDOW:
            self._seen.popleft()

    @property
    def speed(self) -> float:
        """Bytes a second."""
        (first, before), (last, done) = self._seen[0], self._seen[-1]
        return (done - before) / (last - first) if last > first else 0.0


class TimeLeft:
    """Seconds that are left, said so that they count down, and are corrected only where they would mislead."""

    def __init__(self) -> None:
        self._said: tuple[float, float] | None = None

    def estimate(self, now: float, left: int, speed: float) -> float | None:
        """Say how long it takes.

        Args:
            now: seconds.
            left: bytes to go.
            speed: bytes a second.

        Returns:
            Seconds; None while nothing can be said.
        """
        if speed <= 0:
            return None
        measured = left / speed
        if self._said is not None:
            at, seconds = self._said
            said = max(0.0, seconds - (now - at))
            if abs(said - measured) <= _SLACK * max(measured, 5.0):
                return said
            measured = (said + measured) / 2
        self._said = now, measured
        return measured
