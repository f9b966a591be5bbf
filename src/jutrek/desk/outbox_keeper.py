"""Keeps this person's outboxes of a library in step while a window is open, one by one, behind everything else."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from typing import NamedTuple

from jutrek.desk.outbox_watch import EVERY, OutboxWatcher
from jutrek.desk.outboxes import Outbox, OutboxState, outboxes

_NICE = 10


class _Kept(NamedTuple):
    """What keeps one outbox, and what ends it."""

    watcher: OutboxWatcher
    stop: threading.Event


class OutboxKeeper:
    """A thread that keeps outboxes in step."""

    def __init__(self, library: str, tell: Callable[[tuple[OutboxState, ...]], None]) -> None:
        """
        Args:
            library: the root of the library.
            tell: hears how all of them stand, on this thread, whenever one of them stands otherwise.
        """
        self._library, self._tell = library, tell
        self._stop, self._wake = threading.Event(), threading.Event()
        self._now = threading.Event()
        self._states: dict[str, OutboxState] = {}
        self._kept: dict[Outbox, _Kept] = {}
        self._thread = threading.Thread(target=self._run, name="outboxes", daemon=True)

    def start(self) -> None:
        """Begin, unless it has begun."""
        if not self._thread.is_alive() and not self._stop.is_set():
            self._thread.start()

    def look(self) -> None:
        """Another outbox is there, or one of them is to be filled now."""
        self._now.set()
        self._wake.set()

    def leave(self, root: str) -> None:
        """Give up what is being made in an outbox; it is gone on with when somebody has it looked at again."""
        for one, kept in self._kept.items():
            if one.root == root:
                kept.stop.set()

    def stop(self) -> None:
        """End. The copy at work is given up; nobody waits for a disk that hangs."""
        self._stop.set()
        for kept in self._kept.values():
            kept.stop.set()
        self._wake.set()

    def _run(self) -> None:
        with contextlib.suppress(OSError):
            # Of this thread alone, on Linux: pictures that somebody looks at come first.
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)
        while not self._stop.is_set():
            self._wake.clear()
            if self._stop.is_set():
                # Whoever wakes it to end may have done so just before.
                return
            asked = self._now.is_set()
            self._now.clear()
            self._look(asked=asked)
            self._wake.wait(EVERY)

    def _look(self, *, asked: bool) -> None:
        mine = [one for one in outboxes()[0] if one.library == self._library]
        known = {one: kept for one, kept in self._kept.items() if not kept.stop.is_set()}
        self._kept = {one: known.get(one) or self._watcher(one) for one in mine}
        # Who asked hears of nothing that was so before.
        before = {} if asked else self._states
        self._states = {one.root: before.get(one.root, OutboxState(one))._replace(outbox=one) for one in mine}
        self._say()
        for one, (watcher, stop) in self._kept.items():
            if self._stop.is_set():
                return
            if not stop.is_set() and (asked or watcher.is_due()):
                watcher.once()
                holds = watcher.done.holds if watcher.done is not None else None
                state = self._states[one.root]._replace(holds=holds, done=0, total=0, trouble=watcher.trouble)
                self._states[one.root] = state
                self._say()

    def _watcher(self, one: Outbox) -> _Kept:
        def report(_: str, done: int, total: int) -> None:
            self._states[one.root] = self._states[one.root]._replace(done=done, total=total)
            self._say()

        stop = threading.Event()
        return _Kept(OutboxWatcher(one, lambda _: None, stop, report), stop)

    def _say(self) -> None:
        if not self._stop.is_set():
            self._tell(tuple(self._states.values()))
