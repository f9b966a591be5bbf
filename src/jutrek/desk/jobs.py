"""A thread that does jobs one after the other, and in between what cannot wait."""

from __future__ import annotations

import contextlib
import logging
import os
import queue
import threading
import time
from collections.abc import Callable

from jutrek.desk import events
from jutrek.errors import JutrekError, LibraryMissing, OurFault, Stopped, reason

_EVENT_EVERY = 0.05

_log = logging.getLogger(__name__)

Job = Callable[[], None]


class JobThread:
    """Jobs are queued from any thread and done by the one that this object owns; events tell what comes of them."""

    def __init__(self, tell: Callable[[events.Event], None]) -> None:
        """
        Args:
            tell: hears every event, on the object's own thread.
        """
        self._tell = tell
        self._jobs: queue.SimpleQueue[Job | None] = queue.SimpleQueue()
        self._decisions: queue.SimpleQueue[Job] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._closed = False
        self._last: dict[type, float] = {}
        self._thread = threading.Thread(target=self._work, name="intake", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Stop, and wait for the thread to end."""
        self._closed = True
        self._stop.set()
        self._jobs.put(None)
        self._thread.join()

    def _end(self) -> None:
        """Close what the thread owns, on that thread."""

    def _work(self) -> None:
        while (job := self._next()) is not None:
            if self._closed:
                continue
            self._stop.clear()
            self._serve()
            self._do(job)
        self._end()

    def _next(self) -> Job | None:
        """The next job; as long as there is none, what can wait is done, a little at a time."""
        while not self._closed and self._has_time_for():
            with contextlib.suppress(queue.Empty):
                return self._jobs.get_nowait()
            self._stop.clear()
            self._do(self._while_idle)
        return self._jobs.get()

    def _has_time_for(self) -> bool:
        """Whether there is something to do while no job waits."""
        return False

    def _while_idle(self) -> None:
        """Do a little of what can wait; never longer than a person would notice."""

    @property
    def _wanted_elsewhere(self) -> bool:
        """Whether jobs wait."""
        return self._closed or not self._jobs.empty() or not self._decisions.empty()

    def _do(self, job: Job) -> None:
        try:
            job()
        except Stopped:
            self._tell(events.Working(""))
        except JutrekError as error:
            self._tell(events.Working(""))
            self._tell(events.Trouble("", error))
        except OSError as error:
            # A drive that went away meanwhile, above all.
            self._tell(events.Working(""))
            self._tell(
                events.Trouble("", LibraryMissing(os.fsdecode(error.filename or "on that drive"), reason(error)))
            )
        # The session must outlive an error of our own: the person sees it, and can go on or close the window.
        except Exception as error:  # noqa: BLE001
            _log.exception("A job of the intake session failed.")
            self._tell(events.Working(""))
            self._tell(events.Trouble("", OurFault(error)))

    def _soon(self, job: Job) -> None:
        """Do something before what else waits, and also while a source is being read."""
        self._decisions.put(job)
        self._jobs.put(lambda: None)

    def _serve(self) -> None:
        """Do what was decided meanwhile."""
        while not self._closed:
            try:
                job = self._decisions.get_nowait()
            except queue.Empty:
                return
            self._do(job)

    def _often(self, event: events.Event, *, last: bool = False) -> None:
        """Tell an event unless one of its kind was told just now."""
        now = time.monotonic()
        if last or now - self._last.get(type(event), 0.0) > _EVENT_EVERY:
            self._last[type(event)] = now
            self._tell(event)
