"""Keeping outboxes in step without a window: again whenever the library changed. All that happens is told."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable

from jutrek.desk.happened import Happened, Tell
from jutrek.desk.outbox_run import keep_in_step
from jutrek.desk.outboxes import Outbox
from jutrek.disk import own
from jutrek.errors import JutrekError, OutboxBusy, Stopped, shown
from jutrek.library import Library, open_library
from jutrek.outboxes.step import Synced
from jutrek.words import counted

EVERY, _AT_LEAST = 30.0, 600.0
"""Seconds after which it is looked whether the library learnt something, and after which it is asked in any case."""


class OutboxWatcher:
    """Keeps one outbox in step.

    Attributes:
        trouble: why it is not in step, in a sentence; empty where nothing kept it from that the last time.
        done: what came of it the last time; None where it was not brought in step yet.
    """

    def __init__(
        self,
        entry: Outbox,
        tell: Tell,
        stop: threading.Event,
        report: Callable[[str, int, int], None] = lambda what, done, total: None,
    ) -> None:
        """
        Args:
            entry: the outbox.
            tell: hears what happens; on the thread that runs.
            stop: ends it when it is set; the copy at work is given up.
            report: told what is going on, how far it is, and how far it goes.
        """
        self._entry, self._tell, self._stop, self._report = entry, tell, stop, report
        self._wake = threading.Event()
        self._known: object = None
        self._asked = 0.0
        self.trouble = ""
        self.done: Synced | None = None

    def run(self) -> None:
        """Keep it in step until `stop` is set."""
        self._say("watching", f"Keeping {shown(self._entry.root)} in step.")
        while not self._stop.is_set():
            self._wake.clear()
            if self._stop.is_set():
                return
            if self.is_due():
                self.once()
            self._wake.wait(EVERY)

    def wake(self) -> None:
        """Look now, or end where `stop` is set."""
        self._wake.set()

    def once(self) -> None:
        """Bring it in step."""
        try:
            done = self.done = keep_in_step(self._entry, stop=self._stop, report=self._report)
        except Stopped:
            return
        except OutboxBusy:
            # It does the same: what it leaves is looked at the next time.
            return
        except (JutrekError, OSError) as error:
            self._fail(str(error))
            return
        # What was learnt by looking is no reason to look again.
        self._known, self._asked = self._now(), time.monotonic()
        if done.changed:
            self._say("in-step", f"{shown(self._entry.root)}: {told(done)}", **facts_of(done))
        self._fail(done.trouble)

    @property
    def failed(self) -> bool:
        """Whether it could not be brought in step."""
        return bool(self.trouble)

    def is_due(self) -> bool:
        """Whether the library learnt something since, or it is long ago."""
        return time.monotonic() - self._asked > _AT_LEAST or self._known is None or self._now() != self._known

    def _now(self) -> object:
        """What the library keeps, in short: while it stays the same, nothing was learnt."""
        try:
            return _kept(open_library(self._entry.library))
        except (JutrekError, OSError):
            return None

    def _say(self, event: str, words: str, **facts: object) -> None:
        self._tell(Happened(event, "outbox", self._entry.root, words, facts))

    def _fail(self, trouble: str) -> None:
        """Remember what keeps it from being in step, and tell it unless it was so the last time; empty for nothing."""
        before, self.trouble = self.trouble, trouble
        if trouble and trouble != before:
            self._say("trouble", trouble)


def _kept(library: Library) -> object:
    found = []
    with os.scandir(library.tree.at(own())) as entries:
        for entry in entries:
            if entry.is_file(follow_symlinks=False):
                status = entry.stat(follow_symlinks=False)
                found.append((entry.name, status.st_mtime_ns, status.st_size))
    return sorted(found)


def told(done: Synced) -> str:
    """What came of keeping an outbox in step, in a sentence."""
    parts = [
        f"{number:,} {word}"
        for number, word in (
            (done.made, "made"), (done.said_anew, "said anew"), (done.renamed, "renamed"), (done.removed, "removed"),
        )
        if number
    ]  # fmt: skip
    held = counted(done.holds, "small copy", "small copies")
    return f"{held} now, {', '.join(parts)}." if parts else f"{held}, all as they were."


def facts_of(done: Synced) -> dict[str, object]:
    """The same for a program."""
    return {
        "holds": done.holds, "made": done.made, "said-anew": done.said_anew, "renamed": done.renamed,
        "removed": done.removed, "waits": len(done.waits), "cannot": len(done.cannot), "stays": len(done.stays),
        "trouble": done.trouble or None,
    }  # fmt: skip
