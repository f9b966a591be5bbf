"""A sitting: what was answered without a longer break, how long that took, and how long the rest would take."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.sorting.record import Record

_BREAK = 20 * 60.0
"""Seconds without an answer that end a sitting."""
_TELLING = 10, 90.0
"""So many answers, and seconds, after which the pace of a sitting tells how long the rest would take."""
_MINUTE, _HOUR, _DAY = 60.0, 3600.0, 8 * 3600.0


@dataclass(slots=True)
class Sitting:
    """What was answered in a sitting.

    Attributes:
        captures: how many.
        began: when, in seconds since 1970; of its first answer.
        last: when the last one was given.
    """

    captures: int = 0
    began: float = 0.0
    last: float = 0.0

    @classmethod
    def of(cls, record: Record, now: float | None = None) -> Sitting:
        """The sitting that goes on, as far as a record tells; an empty one after a break."""
        now = time.time() if now is None else now
        sitting, later = cls(), now
        for one in reversed(record.answers.values()):
            at = one.at.timestamp()
            if later - at > _BREAK:
                break
            later = at
            sitting = cls(sitting.captures + len(one.captures), at, max(sitting.last, at))
        return sitting

    def add(self, captures: int, at: float | None = None) -> None:
        """Captures were answered; fewer than none were taken back."""
        at = time.time() if at is None else at
        if not self.last or at - self.last > _BREAK:
            self.captures, self.began = 0, at
        self.last = max(self.last, at)
        self.captures = max(0, self.captures + captures)

    def seconds_left(self, to_go: int) -> float | None:
        """How many seconds the rest would take at this pace; None where that can't be told yet."""
        least, seconds = _TELLING
        took = self.last - self.began
        if self.captures < least or took < seconds:
            return None
        return to_go * took / self.captures

    def words(self, to_go: int) -> str:
        """What is said of it: `25 in 12 minutes; some 2 hours to go at this pace`; empty where nothing was answered."""
        if not self.captures:
            return ""
        took = f" in {_rough(self.last - self.began)}" if self.last - self.began >= _MINUTE else ""
        left = self.seconds_left(to_go) if to_go else None
        more = f"; some {_rough(left)} to go at this pace" if left is not None else ""
        return f"{counted(self.captures, 'capture')}{took} in this sitting{more}"


def _rough(seconds: float) -> str:
    """A span of time, not finer than it is known: days are those of eight hours."""
    for unit, one in ((_DAY, "day"), (_HOUR, "hour")):
        if seconds >= 1.5 * unit:
            return counted(round(seconds / unit), one)
    return counted(max(1, round(seconds / _MINUTE)), "minute")
