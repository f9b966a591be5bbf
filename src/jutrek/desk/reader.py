"""Reading one source on a thread of its own, which can be left behind with a source that hangs."""

from __future__ import annotations

import errno
import logging
import os
import threading
import time
from collections.abc import Callable

from jutrek.desk.intake import Found, read_source
from jutrek.desk.worker import Stop
from jutrek.errors import JutrekError, OurFault, SourceUnreadable, Stopped
from jutrek.library import Library
from jutrek.sources import Medium, Source, SourceFile, known_source

_log = logging.getLogger(__name__)


class Reader:
    """Reads a source once.

    Attributes:
        root: of the source.
        source: what it is; as a folder until it has answered.
        found: what was found, once it is over.
        error: why nothing was.
        over: set when it has ended.
        walks: whether it has answered what it is.
    """

    def __init__(
        self,
        root: str,
        library: Library | None,
        report: Callable[[str, int, int], None],
        then: Callable[[Reader], None],
        waits: Callable[[SourceFile], str] = lambda _: "",
    ) -> None:
        """
        Args:
            root: of the source.
            library: left out where it lies inside the source.
            report: told the root, how many files were read, and of how many, on the reader's thread.
            then: called there when it is over.
            waits: tells why a file is not read yet; empty for one that is.
        """
        self.root = root
        self.source = Source(root, os.path.basename(root) or root, Medium.FOLDER)
        self.found: Found | None = None
        self.error: JutrekError | None = None
        self.over = threading.Event()
        self.walks = False
        self.stop = Stop()
        self._library, self._report, self._then, self._waits = library, report, then, waits
        self._clock: int | None = None
        self._signs: object = None
        self._alive = time.monotonic()
        self._thread = threading.Thread(target=self._read, name=f"reads {root}", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def silence(self) -> float:
        """Seconds since it was seen to get on. To be asked again and again by one thread."""
        now, computed = time.monotonic(), 0.0
        if self._clock is not None and not self.over.is_set():
            try:
                computed = time.clock_gettime(self._clock)
            except OSError:
                return 0.0
        signs = self.stop.seen, round(computed, 2)
        if signs != self._signs:
            self._signs, self._alive = signs, now
        return now - self._alive

    def _read(self) -> None:
        self._clock = time.pthread_getcpuclockid(threading.get_ident())
        root = self.root
        try:
            self._report(root, 0, 0)
            if not os.path.isdir(root):
                raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR))
            self.source, self.walks = known_source(root), True
            self.found = read_source(
                self.source, self._library, stop=self.stop,
                report=lambda done, total: self._report(root, done, total), waits=self._waits,
            )  # fmt: skip
        except OSError as error:
            self.error = SourceUnreadable(root, error)
        except JutrekError as error:
            self.error = error
        # Whoever waits must hear of an error of our own as of any other.
        except Exception as error:  # noqa: BLE001
            _log.exception("Reading %s failed.", root)
            self.error = OurFault(error)
        self.over.set()
        self._then(self)

    def ended(self) -> Found:
        """What was found.

        Raises:
            JutrekError: why nothing was; `Stopped` when it was told to stop.
        """
        if self.error is not None:
            raise self.error
        if self.found is None:
            raise Stopped
        return self.found
