"""Bringing home by itself what rests in an inbox, while a window is open. What it does is that of `jutrek watch`."""

from __future__ import annotations

import threading

from jutrek.desk.happened import Tell
from jutrek.desk.inbox_watch import InboxWatcher
from jutrek.desk.inboxes import WatchedFolder


class InboxKeeper:
    """A thread that brings home what rests in one inbox."""

    def __init__(self, entry: WatchedFolder, tell: Tell) -> None:
        """
        Args:
            entry: the inbox.
            tell: hears what happens, on this thread.
        """
        self._stop = threading.Event()
        self._watcher = InboxWatcher(entry, lambda one: None if self._stop.is_set() else tell(one), self._stop)
        self._thread = threading.Thread(target=self._watcher.run, name=f"bringing {entry.root}", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def look(self) -> None:
        """Look now: something was done in the library."""
        self._watcher.wake()

    def stop(self) -> None:
        """End; a file that is being brought home is brought home whole, or not at all. Nobody waits for it."""
        self._stop.set()
        self._watcher.wake()
