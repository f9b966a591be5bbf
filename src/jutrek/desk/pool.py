"""Threads that do what is wished for: the most urgent kind first, of each kind the newest first.

For what is only worth doing while somebody looks at it: pictures, trials of rules. Wishes that were overtaken are
forgotten, and a job at work can ask whether it was.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable

Job = Callable[[Callable[[], bool]], None]
"""Does something and passes on what came of it; it is given a way to ask whether that is still wanted."""

_log = logging.getLogger(__name__)


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
        self._waiting: OrderedDict[Hashable, Job] = OrderedDict()
        self._at_work = 0

    def wish(self, key: Hashable, job: Job) -> None:
        """Wish for something, in place of what was wished for by the same key; the oldest of too many are forgotten."""
        with self._pool.more:
            self._waiting[key] = job
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

    def take(self) -> Job | None:
        """The newest wish, if another one may be at work."""
        if not self._waiting or self._at_work >= self._at_once:
            return None
        self._at_work += 1
        return self._waiting.popitem()[1]

    def end(self) -> None:
        """A wish was served."""
        self._at_work -= 1


class Pool:
    """Some threads and the lines that they serve. They start with the first wish.

    Attributes:
        more: guards all lines.
        closed: whether it is to end.
    """

    def __init__(self, threads: int) -> None:
        self.more = threading.Condition()
        self.closed = False
        self._lines: list[Line] = []
        self._count = threads
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
        """Start the threads, unless they run, or it was closed."""
        with self.more:
            if self._threads or self.closed:
                return
            self._threads = [threading.Thread(target=self._work, name="pool", daemon=True) for _ in range(self._count)]
        for thread in self._threads:
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
                for line in self._lines:
                    if (job := line.take()) is not None:
                        return line, job
                self.more.wait()
        return None

    def _work(self) -> None:
        while (found := self._next()) is not None:
            line, job = found
            try:
                job(line.superseded)
            # The thread must outlive an error of our own: it is in the log, and the next wish is served.
            except Exception:  # noqa: BLE001
                _log.exception("A wish could not be served.")
            with self.more:
                line.end()
                self.more.notify_all()
