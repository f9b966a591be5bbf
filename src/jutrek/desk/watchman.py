"""Looks after those who ask disks: says which has not answered, and lets go of one that a person gave up.

A thread that hangs on a disk looks at nothing and computes nothing. That is how it is known from one that is busy.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from jutrek.desk.worker import LATE, Worker
from jutrek.disk import patiently
from jutrek.errors import NoAnswer

_EVERY = 0.04
_SOON = 0.08
"""Seconds without a sign after which it is said what is asked; sooner than a person would wonder."""
_SLOW, _DEAD = 5.0, 30.0
"""The same where every disk still tells its room: one may write out what it took before, which lasts."""
_ASKED = 0.2
_LATE_EVERY = 0.5


@dataclass(slots=True)
class _Seen:
    """The last signs of a worker, when they changed, the whole seconds of silence that were told, and in what words."""

    signs: object
    at: float
    told: int = -1
    words: str = ""


class Watchman:
    """A thread that looks at workers while they have something to do."""

    def __init__(
        self,
        workers: Callable[[], Iterable[Worker]],
        disks: Callable[[], Mapping[str, str]],
        given_up: Callable[[Worker, NoAnswer], None],
        late: Callable[[Callable[[], Mapping[str, str]]], bool],
    ) -> None:
        """
        Args:
            workers: those that are to be looked after, now.
            disks: the roots of everything that they may be asking, with their names.
            given_up: called, on this thread, with one that was told to stop and hangs, and with what is to be said.
            late: called now and then: tells of sources that are late; whether there are any. It may ask which disks
                hang.
        """
        self._workers, self._disks, self._given_up, self._late = workers, disks, given_up, late
        self._seen: dict[Worker, _Seen] = {}
        self._more = threading.Event()
        self._over = self._gave_up = False
        self._thread = threading.Thread(target=self._work, name="watchman", daemon=True)

    def start(self) -> None:
        """Begin to look."""
        self._thread.start()

    def nudge(self) -> None:
        """A worker began a job."""
        self._more.set()

    def end(self) -> None:
        """Look at nobody any more."""
        self._over = True
        self._more.set()

    def _work(self) -> None:
        while not self._over:
            self._more.clear()
            self._seen = self._look_at_all()
            late = self._late(self._hanging)
            if self._seen:
                time.sleep(_EVERY)
            else:
                self._more.wait(_LATE_EVERY if late else None)

    def _look_at_all(self) -> dict[Worker, _Seen]:
        """What is seen of all workers.

        When one was given up, the others are looked at anew: they may have waited for it alone, and do something else
        by now.
        """
        found: dict[Worker, _Seen] = {}
        self._gave_up = False
        for one in self._workers():
            if (seen := self._look_at(one)) is not None:
                found[one] = seen
            if self._gave_up:
                return {}
        return found

    def _look_at(self, worker: Worker) -> _Seen | None:
        """What is seen of a worker; None where it does nothing."""
        signs, now, before = worker.signs, time.monotonic(), self._seen.get(worker)
        if signs is None:
            return None
        if before is None or before.signs != signs:
            if before is not None and before.words:
                worker.unsay(before.words)
            return _Seen(signs, now)
        silent = now - before.at
        if silent >= LATE and (worker.stop.wanted or int(silent) > before.told):
            names = list(self._hanging().values())
            if worker.stop.wanted and (names or silent >= _DEAD):
                self._gave_up = True
                self._given_up(worker, NoAnswer(" and ".join(names) or worker.about, silent))
            elif int(silent) > before.told and (names or silent >= _SLOW):
                before.told = int(silent)
                before.words = f"{_who_hangs(worker, names)} for {before.told} s"
                worker.say(before.words)
        elif silent >= _SOON and before.told < 0 and not worker.teller.works and worker.teller.moving is None:
            before.told, before.words = 0, f"Asking {worker.about or 'the disk'}"
            worker.say(before.words)
        return before

    def _hanging(self) -> dict[str, str]:
        """The roots and names of disks that do not answer when they are asked for their room."""
        found = {}
        for root, name in self._disks().items():
            try:
                patiently(f"room of {root}", partial(os.statvfs, root), _ASKED)
            except TimeoutError:
                found[root] = name
            except OSError:
                continue
        return found


def _who_hangs(worker: Worker, names: Sequence[str]) -> str:
    if names:
        return f"{' and '.join(names)} {'has' if len(names) == 1 else 'have'} not answered"
    if worker.teller.moving:
        return "Nothing has come through"
    return f"{worker.about or 'The disk'} has not answered"
