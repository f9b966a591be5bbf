"""The thread that owns a library, and the way to it."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

from jutrek.desk import events
from jutrek.desk.worker import Worker
from jutrek.errors import LibraryMissing, Stopped, shown

if TYPE_CHECKING:
    from jutrek.desk.services.library import LibraryServices
    from jutrek.desk.services.opened import IntakeSide
    from jutrek.library import Library

_T = TypeVar("_T")


class LibrarySide:
    """Where a library is at work.

    Attributes:
        worker: does everything that changes the library.
        lock: held by whoever works with the library's files: this worker, or an intake that compares itself with it.
        services: of the library that is open. Only the worker's thread uses them; others may ask if there are any.
        opening: the root of the library that is being opened; empty while none is.
        learns: whether the library is looked through while nothing else is to be done.
    """

    def __init__(self, worker: Worker, intake: IntakeSide, opened: Callable[[Library | None], None]) -> None:
        """
        Args:
            worker: owns the library.
            intake: what is told to the intake.
            opened: called with every library that is opened, and with None when it is closed, on the worker's thread.
        """
        self.worker = worker
        self.lock = threading.RLock()
        self.services: LibraryServices | None = None
        self.learns = False
        self.opening = ""
        self._intake, self._opened = intake, opened
        worker.idle = self

    def job(self, job: Callable[[LibraryServices], _T]) -> Callable[[], _T]:
        """A job with the services of the library that is open when it has its turn.

        Raises:
            LibraryMissing: then, when there is none.
        """

        def go() -> _T:
            with self.worker.holding(self.lock):
                if self.services is None:
                    raise LibraryMissing("", "there is none yet: choose one first")
                return job(self.services)

        return go

    def open(self, path: str, *, chosen: bool) -> LibraryServices:
        """Open a library in place of the one that is open. On the worker's thread.

        Raises:
            LibraryTrouble: when it cannot be used; then none is open.
        """
        self.opening = os.path.abspath(path)
        self.worker.about = shown(os.path.basename(self.opening))
        try:
            return self._open(path, chosen=chosen)
        finally:
            self.opening = ""

    def _open(self, path: str, *, chosen: bool) -> LibraryServices:
        from jutrek.desk.services.library import LibraryServices

        with self.worker.holding(self.lock):
            if self.services is not None:
                self.close()
                self._opened(None)
                self.worker.teller.tell(events.Learning(0, 0, False, False, False, 0))
            services = LibraryServices(path, chosen=chosen, worker=self.worker, intake=self._intake)
            if self.worker.closing:
                # It was left behind while it opened this one.
                services.close()
                raise Stopped
            services.rules.tell()
            services.places.look()
            services.learner.pause(not self.learns)
            self.services = services
            self.worker.about = shown(services.library.name)
        self._opened(services.library)
        if services.places.known.here:
            self.worker.ask(self.job(lambda at: at.places.tell()))
        return services

    def close(self) -> None:
        """Close the library that is open, if any."""
        services, self.services = self.services, None
        if services is not None:
            services.close()

    @property
    def has_work(self) -> bool:
        """Whether something can be learnt now: only while the intake has nothing to do."""
        return self.services is not None and self.services.learner.has_work and not self._intake.busy()

    def go_on(self) -> None:
        """Learn a little."""
        with contextlib.suppress(Stopped):
            if self.services is not None:
                with self.worker.holding(self.lock, idly=True):
                    self.services.learner.go_on()
