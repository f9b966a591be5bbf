"""The part of a session that reads sources and draws the board up."""

from __future__ import annotations

import errno
import os
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from jutrek.desk import drafts, events
from jutrek.desk.board import Board
from jutrek.desk.intake import Found, read_source
from jutrek.desk.jobs import JobThread
from jutrek.desk.listening import Ears
from jutrek.desk.workbench import Workbench
from jutrek.errors import JutrekError, SourceRefused, SourceUnreadable, Stopped
from jutrek.library import Library, apart
from jutrek.sources import known_source

if TYPE_CHECKING:
    from jutrek.captures import Heard
    from jutrek.library.ledger import Ledger

MANY = 5000
"""Captures from which on a change takes longer than a blink."""


class ReadingThread(JobThread):
    """A thread with a workbench, which reads sources onto it."""

    def __init__(self, tell: Callable[[events.Event], None]) -> None:
        """
        Args:
            tell: hears every event, on the session's thread.
        """
        self._bench = Workbench()
        self._library: Library | None = None
        self._ledger: Ledger | None = None
        self._drawing_took = 0.0
        self._ears = Ears(tell, self._on_heard)
        super().__init__(tell)

    def _take_up(self, library: Library) -> None:
        """Go on with the intake that was in work when the window was closed."""
        draft = drafts.load(library.id)
        if draft is None:
            return
        if self._bench.take_up(draft):
            self._tell(events.TakenUp())
        for root in draft.sources:
            # A card that is not there now is waited for.
            if os.path.isdir(root):
                self._read(root)

    def _read_again_what_overlaps(self, library: Library) -> None:
        """A source that was read before the library was chosen may hold it, or lie in it."""
        for root in list(self._bench.founds):
            try:
                overlaps = bool(apart(root, library))
            except SourceRefused:
                overlaps = True
            if overlaps:
                del self._bench.founds[root]
                self._read(root)

    def _read(self, path: str) -> None:
        root = os.path.abspath(path)
        if root in self._bench.founds:
            return
        try:
            if not os.path.isdir(root):
                raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR))
            source = known_source(root)
        except OSError as error:
            self._tell(events.Trouble(root, SourceUnreadable(root, error)))
            return
        self._bench.founds[root] = Found(source)
        self._publish()
        try:
            self._bench.founds[root] = read_source(
                source,
                self._library,
                stop=self._stop,
                report=lambda done, total: self._on_read(root, done, total),
            )
        except Stopped:
            del self._bench.founds[root]
            self._publish()
            raise
        except JutrekError as error:
            del self._bench.founds[root]
            self._tell(events.Trouble(root, error))
        self._sources_changed()

    def _on_read(self, root: str, done: int, total: int) -> None:
        self._serve()
        self._often(events.Reading(root, done, total), last=done == total)

    def _remove(self, root: str) -> None:
        if self._bench.founds.pop(root, None) is not None:
            self._sources_changed()
            if self._library is not None and not self._bench.draft.sources:
                drafts.forget(self._library.id)

    def _sources_changed(self) -> None:
        self._bench.sources_changed()
        self._publish()
        self._keep_draft()
        self._ears.listen_to(*self._bench.to_listen_to)

    def _on_heard(self, heard: tuple[Heard, ...]) -> None:
        """Devices heard something together, or nothing any more."""
        if heard or self._bench.has_heard:
            self._bench.hear(heard)
            self._publish()

    def _keep_draft(self) -> None:
        if self._library is not None and self._bench.draft.sources:
            drafts.keep(self._library.id, self._bench.draft)

    def _publish(self) -> None:
        began = time.monotonic()
        board = self._bench.board()
        self._last[Board] = time.monotonic()
        self._drawing_took = self._last[Board] - began
        self._tell(events.BoardChanged(board))
        if len(self._bench.story.captures) > MANY:
            self._tell(events.Working(""))
