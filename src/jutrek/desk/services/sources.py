"""Reading the sources of an intake onto its workbench."""

from __future__ import annotations

import errno
import os
from collections.abc import Callable

from jutrek.desk import drafts, events
from jutrek.desk.intake import Found, read_source
from jutrek.desk.workbench import Workbench
from jutrek.desk.worker import Worker
from jutrek.errors import JutrekError, SourceRefused, SourceUnreadable, Stopped
from jutrek.library import Library, apart
from jutrek.sources import known_source


class SourcesService:
    """Reads sources, and keeps what an intake needs to be gone on with another time."""

    def __init__(
        self, bench: Workbench, worker: Worker, publish: Callable[[], None], listen: Callable[[], None]
    ) -> None:
        """
        Args:
            bench: holds what was found.
            worker: whose thread this runs on.
            publish: draws the board up anew.
            listen: called when the captures are others than before.
        """
        self._bench, self._worker = bench, worker
        self._publish, self._listen = publish, listen
        self.library: Library | None = None

    def read(self, path: str) -> None:
        """Read a card or folder, unless it was read already. Trouble with it is told as an event.

        Raises:
            Stopped: when it was to end; the source is left out then.
        """
        root, founds, tell = os.path.abspath(path), self._bench.founds, self._worker.teller.tell
        if root in founds:
            return
        try:
            if not os.path.isdir(root):
                raise NotADirectoryError(errno.ENOTDIR, os.strerror(errno.ENOTDIR))
            source = known_source(root)
        except OSError as error:
            tell(events.Trouble(root, SourceUnreadable(root, error)))
            return
        founds[root] = Found(source)
        self._publish()
        try:
            founds[root] = read_source(
                source, self.library, stop=self._worker.stop,
                report=lambda done, total: self._on_read(root, done, total),
            )  # fmt: skip
        except Stopped:
            del founds[root]
            self._publish()
            raise
        except JutrekError as error:
            del founds[root]
            tell(events.Trouble(root, error))
        self._changed()

    def _on_read(self, root: str, done: int, total: int) -> None:
        self._worker.serve()
        self._worker.teller.reading(root, done, total)

    def remove(self, root: str) -> None:
        """Leave a source out of this intake."""
        if self._bench.founds.pop(root, None) is not None:
            self._changed()
            if self.library is not None and not self._bench.draft.sources:
                drafts.forget(self.library.id)

    def read_again(self, root: str) -> bool:
        """A source has other files on it than before. Returns whether it is one of this intake."""
        if self._bench.founds.pop(root, None) is None:
            return False
        self.read(root)
        return True

    def take_up(self, library: Library) -> None:
        """Go on with the intake that was in work when the window was closed; read again what the library overlaps."""
        self.library = library
        draft = drafts.load(library.id)
        if draft is not None:
            if self._bench.take_up(draft):
                self._worker.teller.tell(events.TakenUp())
            for root in draft.sources:
                # A card that is not there now is waited for.
                if os.path.isdir(root):
                    self.read(root)
        for root in list(self._bench.founds):
            if _overlaps(root, library):
                self.read_again(root)

    def _changed(self) -> None:
        self._bench.sources_changed()
        self._publish()
        self.keep_draft()
        self._listen()

    def keep_draft(self) -> None:
        """Keep what has to be kept to go on with this intake another time."""
        if self.library is not None and self._bench.draft.sources:
            drafts.keep(self.library.id, self._bench.draft)


def _overlaps(root: str, library: Library) -> bool:
    """Whether a source that was read before the library was chosen may hold it, or lie in it."""
    try:
        return bool(apart(root, library))
    except SourceRefused:
        return True
