"""Notices that other programs change a library, while it is open: a hint to look through it, and never more.

The system tells of files that come, go, move or were written (inotify, by watchdog). What its limits or a network keep
from being told is found by looking again every minute. Whoever hears the hint looks through the library, and believes
that alone. What Jutrek itself just did is no hint.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import TYPE_CHECKING

from jutrek.disk import OWN_FOLDER, TEMPORARY
from jutrek.sources.mounts import filesystem_of, mounts

if TYPE_CHECKING:
    from watchdog.events import FileSystemEvent
    from watchdog.observers.api import BaseObserver

_RESTS, _AT_MOST = 2.0, 60.0
"""Seconds without a change after which it is told, and after which in any case."""
_MOUNTS = 2.0
"""Seconds after which it is looked again which media are mounted: an archive drive may have come or gone."""
_AGAIN = 60.0
"""Seconds after which it is looked again where nobody tells what others change."""
_OWN = 1.5
"""Seconds in which the system may tell late of what Jutrek did."""
_OF_OTHERS = frozenset({"nfs", "nfs4", "cifs", "smb3", "9p", "afs", "ceph", "sshfs", "davfs", "glusterfs", "virtiofs"})
"""File systems that other machines change without a word to this one."""


class OutsideWatch:
    """A thread that listens for changes below a folder."""

    def __init__(
        self,
        root: str,
        hint: Callable[[], None],
        drives: Callable[[], object] = lambda: None,
        *,
        at_once: bool = False,
    ) -> None:
        """
        Args:
            root: of the library.
            hint: called, on this thread, when something may have changed.
            drives: tells, on this thread, which archive drives are here; asked when media came or went.
            at_once: whether it hints as soon as it listens, of what may have come since somebody looked.
        """
        self._root, self._hint, self._drives, self._at_once = root, hint, drives, at_once
        self._mounted, self._asked = _mounted(), time.monotonic()
        self._here = drives()
        self._over, self._told = False, threading.Condition()
        self._first = self._last = self._deaf = 0.0
        """When the first and the last change were told that nobody was hinted of; until when nothing is heard."""
        self._thread = threading.Thread(target=self._listen, name="outside watch", daemon=True)

    def start(self) -> None:
        """Begin to listen. Large libraries take a moment, on this thread."""
        self._thread.start()

    def stop(self) -> None:
        """Listen no more. Nobody waits for a disk that hangs."""
        with self._told:
            self._over = True
            self._told.notify()

    def forgive(self) -> None:
        """What was told until now, and is told in a moment, Jutrek itself did."""
        with self._told:
            self._first = 0.0
            self._deaf = time.monotonic() + _OWN

    def _listen(self) -> None:
        observer = self._observer()
        blind = observer is None or filesystem_of(self._root) in _OF_OTHERS
        try:
            if self._at_once and not self._over:
                self._hint()
            while (told := self._wait()) is not None:
                if told or blind or observer is None or not _hears(observer):
                    self._hint()
        finally:
            if observer is not None:
                observer.stop()

    def _observer(self) -> BaseObserver | None:
        """What the system tells through; None where it can't: of many folders, or many who listen."""
        from watchdog import events
        from watchdog.observers import Observer

        told = [
            events.FileCreatedEvent, events.FileDeletedEvent, events.FileMovedEvent, events.FileClosedEvent,
            events.DirCreatedEvent, events.DirDeletedEvent, events.DirMovedEvent,
        ]  # fmt: skip
        handler = events.FileSystemEventHandler()
        handler.on_any_event = self._hear  # type: ignore[method-assign]
        observer = Observer()
        try:
            observer.schedule(handler, self._root, recursive=True, event_filter=told)
            observer.start()
        except OSError:
            with suppress(RuntimeError):
                observer.stop()
            return None
        return observer

    def _hear(self, event: FileSystemEvent) -> None:
        paths = [os.fsdecode(one) for one in (event.src_path, event.dest_path) if one]
        if all(self._is_own(one) for one in paths):
            return
        with self._told:
            now = time.monotonic()
            if now >= self._deaf:
                self._first, self._last = self._first or now, now
                self._told.notify()

    def _is_own(self, path: str) -> bool:
        below = os.path.relpath(path, self._root)
        return below.split(os.sep)[0] == OWN_FOLDER or os.path.basename(below).startswith(TEMPORARY)

    def _wait(self) -> bool | None:
        """Wait until something changed and rests, or for a minute; whether something changed. None when it is over."""
        until = time.monotonic() + _AGAIN
        while True:
            # Nobody waits for a drive that hangs: it is asked while nothing is held.
            if self._others_are_here():
                return True
            with self._told:
                now = time.monotonic()
                if self._over:
                    return None
                if self._first and (now - self._last >= _RESTS or now - self._first >= _AT_MOST):
                    self._first = 0.0
                    return True
                if not self._first and now >= until:
                    return False
                self._told.wait(min((self._last + _RESTS if self._first else until) - now, _MOUNTS))

    def _others_are_here(self) -> bool:
        """Whether archive drives came or went."""
        if self._over or time.monotonic() < self._asked + _MOUNTS:
            return False
        before, self._mounted, self._asked = self._mounted, _mounted(), time.monotonic()
        if before == self._mounted:
            return False
        here, self._here = self._here, self._drives()
        return here != self._here


def _mounted() -> frozenset[str]:
    return frozenset(mount.point for mount in mounts())


def _hears(observer: BaseObserver) -> bool:
    """Whether it is told of changes still."""
    return observer.is_alive() and all(one.is_alive() for one in observer.emitters)
