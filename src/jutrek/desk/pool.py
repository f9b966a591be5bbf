"""Threads that do what is wished for: the most urgent kind first, of each kind the newest first.

For what is only worth doing while somebody looks at it: pictures, trials of rules. Wishes that were overtaken are
forgotten, and a job at work can ask whether it was.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Collection, Hashable
from typing import NamedTuple

Job = Callable[[Callable[[], bool]], None]
"""Does something and passes on what came of it; it is given a way to ask whether that is still wanted."""

LATE = 2.0
"""Seconds after which a job is taken for one that hangs on its medium."""
_MOST = 32
"""Threads, with those that hang."""

_log = logging.getLogger(__name__)


class _Wish(NamedTuple):
    """Something wished for, and on which medium."""

    job: Job
    about: str


class Line:
    """Wishes of one kind.

    Attributes:
        rank: the lower, the sooner.
    """

    def __init__(self, pool: Pool, rank: int, *, at_once: int, waiting: int) -> None:
        """
        Args:
            pool: does the work.
            rank: the smaller one is served first.
            at_once: how many jobs may run at a time.
            waiting: how many may wait.
        """
        self.rank = rank
        self._pool, self._at_once, self._most = pool, at_once, waiting
        self._waiting: OrderedDict[Hashable, _Wish] = OrderedDict()
        self._at_work: dict[int, tuple[float, str]] = {}

    def wish(self, key: Hashable, job: Job, about: str = "") -> None:
        """Wish for something, in place of what was wished for by the same key; the oldest of too many are forgotten.

        Args:
            key: of what.
            job: does it.
            about: the medium that it reads, such as the root of a source: while that hangs, it is others' turn.
        """
        with self._pool.more:
            self._waiting[key] = _Wish(job, about)
            self._waiting.move_to_end(key)
            while len(self._waiting) > self._most:
                self._waiting.popitem(last=False)
            self._pool.more.notify_all()
        self._pool.start()

    def forget(self) -> None:
        """Nothing that waits is wanted any more."""
        with self._pool.more:
            self._waiting.clear()

    @property
    def idle(self) -> bool:
        """Whether nothing waits, and nothing is at work."""
        with self._pool.more:
            return not self._waiting and not self._at_work

    def superseded(self) -> bool:
        """Whether something newer waits, or the pool is to end."""
        return bool(self._waiting) or self._pool.closed

    # ---- on the pool's threads, under its lock

    def late(self, now: float) -> list[str]:
        """The media of jobs that take so long that they hang."""
        return [about for began, about in self._at_work.values() if about and now - began >= LATE]

    @property
    def at_work(self) -> int:
        """How many of its jobs are at work."""
        return len(self._at_work)

    def take(self, hanging: Collection[str], now: float) -> Job | None:
        """The newest wish that reads no medium that hangs, if another one may be at work."""
        if self.at_work - len(self.late(now)) >= self._at_once:
            return None
        for key in reversed(self._waiting):
            if self._waiting[key].about not in hanging:
                wish = self._waiting.pop(key)
                self._at_work[threading.get_ident()] = now, wish.about
                return wish.job
        return None

    def end(self) -> None:
        """A wish was served, by this thread."""
        del self._at_work[threading.get_ident()]


class Pool:
    """Some threads and the lines that they serve. They start with the first wish.

    One more than are needed waits: jobs that hang take none of the others' turn.

    Attributes:
        more: guards all lines.
        closed: whether it is to end.
    """

    def __init__(self, threads: int) -> None:
        self.more = threading.Condition()
        self.closed = False
        self._lines: list[Line] = []
        self._count, self._idle = threads, 0
        self._threads: list[threading.Thread] = []

    def line(self, rank: int, *, at_once: int = 1, waiting: int = 1) -> Line:
        """A new line.

        Args:
            rank: the lower, the sooner it is served.
            at_once: how many of its wishes may be at work at a time.
            waiting: how many may wait.
        """
        line = Line(self, rank, at_once=at_once, waiting=waiting)
        with self.more:
            self._lines = sorted([*self._lines, line], key=lambda one: one.rank)
        return line

    def start(self) -> None:
        """Have a thread wait for wishes, unless one does, or it was closed."""
        with self.more:
            if not self._idle and not self.closed and len(self._threads) < _MOST:
                self._idle += 1
                thread = threading.Thread(target=self._work, name="pool", daemon=True)
                self._threads.append(thread)
                thread.start()

    @property
    def idle(self) -> bool:
        """Whether nothing is wished for."""
        return all(line.idle for line in self._lines)

    def end(self) -> None:
        """Forget what waits; the threads end with what they are at."""
        with self.more:
            self.closed = True
            self.more.notify_all()

    def join(self, patience: float | None = None) -> bool:
        """Wait until the threads have ended, for some seconds at most. Returns whether they have."""
        until = None if patience is None else time.monotonic() + patience
        for thread in self._threads:
            thread.join(None if until is None else max(0.0, until - time.monotonic()))
        return not any(thread.is_alive() for thread in self._threads)

    def _next(self) -> tuple[Line, Job] | None:
        with self.more:
            while not self.closed:
                now = time.monotonic()
                late = [about for line in self._lines for about in line.late(now)]
                at_work = sum(line.at_work for line in self._lines)
                if at_work - len(late) < self._count:
                    for line in self._lines:
                        if (job := line.take(late, now)) is not None:
                            self._idle -= 1
                            return line, job
                self.more.wait(LATE if at_work else None)
        return None

    def _work(self) -> None:
        while (found := self._next()) is not None:
            self.start()
            line, job = found
            try:
                job(line.superseded)
            # The thread must outlive an error of our own: it is in the log, and the next wish is served.
            except Exception:  # noqa: BLE001
                _log.exception("A wish could not be served.")
            with self.more:
                line.end()
                self._idle += 1
                self.more.notify_all()
