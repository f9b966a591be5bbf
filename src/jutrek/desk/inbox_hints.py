"""Tells when other files rest in an inbox than before, while a window is open."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import NamedTuple

from jutrek.desk.outside_watch import OutsideWatch
from jutrek.disk import patiently
from jutrek.errors import SourceRefused
from jutrek.sources import SourceFile
from jutrek.sources.resting import RESTS, Inbox, Seen

_AGAIN, _PATIENCE = 600.0, 30.0
"""Seconds after which it is looked at that nobody told of; after which it is taken for one that does not answer."""


class Rested(NamedTuple):
    """What rests in an inbox.

    Attributes:
        files: those that do, by path, size and time.
        waiting: why others do not, by path.
    """

    files: frozenset[tuple[str, int, int]]
    waiting: dict[str, str]

    def waits(self, file: SourceFile) -> str:
        """Why a file is not read yet; empty where it rests."""
        if (file.path, file.size, file.mtime_ns) in self.files:
            return ""
        return self.waiting.get(file.path, "It changed just now.")


class InboxHints:
    """A thread that looks at an inbox whenever something happens there."""

    def __init__(
        self,
        root: str,
        leave_out: Callable[[], frozenset[str]],
        tell: Callable[[Rested], None],
        *,
        rests: float = RESTS,
    ) -> None:
        """
        Args:
            root: of the inbox.
            leave_out: gives the real paths of folders that are not entered; asked on this thread, as it looks at the
                disk. Whatever it refuses the inbox for, it is not watched then.
            tell: hears what rests, on this thread, whenever that is other than before.
            rests: seconds after which a file rests.
        """
        self._inbox: Inbox | None = None
        self._root, self._leave_out, self._tell, self._rests = root, leave_out, tell, rests
        self._over, self._wake = threading.Event(), threading.Event()
        self._hints = OutsideWatch(root, self._wake.set, at_once=True)
        self._thread = threading.Thread(target=self._run, name=f"inbox {root}", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """Look no more. Nobody waits for a disk that hangs."""
        self._over.set()
        self._wake.set()
        self._hints.stop()

    def _look(self) -> Seen:
        if self._inbox is None:
            self._inbox = Inbox(self._root, leave_out=self._leave_out(), rests=self._rests, trusts=True)
        return self._inbox.look()

    def _run(self) -> None:
        self._hints.start()
        last: Rested | None = None
        while not self._over.is_set():
            self._wake.clear()
            if self._over.is_set():
                # Whoever wakes it to end may have done so just before.
                return
            seen: Seen | None = None
            try:
                seen = patiently(f"inbox {self._root}", self._look, _PATIENCE)
            except SourceRefused:
                return
            except OSError:
                # It does not answer, or can't be looked at: it is looked at again later.
                pass
            if seen is not None and not seen.trouble:
                now = Rested(frozenset((one.path, one.size, one.mtime_ns) for one in seen.files), seen.waiting)
                if not self._over.is_set() and (last is None or now.files != last.files):
                    self._tell(now)
                last = now
            self._wake.wait(_AGAIN if seen is None or seen.again is None else seen.again + 0.1)
