"""Reading the sources of an intake onto its workbench."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from functools import partial

from jutrek.desk import drafts, events
from jutrek.desk.happened import Happened
from jutrek.desk.inbox_hints import InboxHints, Rested
from jutrek.desk.inbox_keeper import InboxKeeper
from jutrek.desk.inboxes import WatchedFolder, add_inbox, inboxes, remove_inbox
from jutrek.desk.intake import Found
from jutrek.desk.reader import Reader
from jutrek.desk.workbench import Workbench
from jutrek.desk.worker import LATE, Worker
from jutrek.errors import JutrekError, LibraryMissing, SourceRefused, Stopped
from jutrek.filing import Cleared, HouseRules, OnArrival
from jutrek.library import Library, apart

_LOOK_EVERY = 0.02
"""Seconds after which it is looked what else is to be done while a source is read."""
_SORTED_EVERY = 3
"""Of the time that sorting took the last time: so much passes until what was read since is sorted, if a plan is not due
before. Of many cards in a row most time goes into reading them."""


class SourcesService:
    """Reads sources, and keeps what an intake needs to be gone on with another time."""

    def __init__(
        self,
        bench: Workbench,
        worker: Worker,
        publish: Callable[[], None],
        redraw: Callable[[], None],
        listen: Callable[[], None],
        replan: Callable[[], None],
    ) -> None:
        """
        Args:
            bench: holds what was found.
            worker: whose thread this runs on.
            publish: draws the board up anew.
            redraw: does so if that was not done just before.
            listen: called when the captures are others than before.
            replan: called when they are so without anybody having asked for it.
        """
        self._bench, self._worker = bench, worker
        self._publish, self._redraw, self._listen, self._replan = publish, redraw, listen, replan
        self._sorted, self._sorting_took = 0.0, 0.0
        self.library: Library | None = None
        self._late: dict[str, Reader] = {}
        self._inboxes: dict[str, InboxHints] = {}
        self._keepers: dict[str, InboxKeeper] = {}
        self._rules = HouseRules()
        self._rested: dict[str, Rested] = {}

    @property
    def late(self) -> tuple[Reader, ...]:
        """What reads sources that do not answer."""
        return tuple(self._late.values())

    def read(self, path: str, *, awaited: bool = False, again: bool = False) -> None:
        """Read a card or folder, unless it was read already and is not to be read again. Trouble is told as an event.

        One that does not answer holds up nothing else: it is gone on with whenever it does.

        Args:
            path: of its folder.
            awaited: whether it is no trouble if it is not there.
            again: whether it is read anew; what was found on it before holds until then.

        Raises:
            Stopped: when it was to end; the source is left out then.
        """
        root = os.path.abspath(path)
        if root in self._bench.founds and not again:
            return
        rested = self._rested.get(root)
        waits = rested.waits if rested is not None else lambda _: ""
        reader = Reader(root, self.library, self._worker.teller.reading, self._on_over, waits)
        reader.start()
        source = None
        while not reader.over.wait(_LOOK_EVERY):
            self._worker.serve()
            if self._worker.stop.is_set():
                self._break_off(reader)
                raise Stopped
            if reader.silence() >= LATE:
                self._wait_for(reader)
                return
            if source is None and reader.walks:
                source = self._bench.founds[root] = Found(reader.source)
                self._redraw()
        self._take(reader, awaited=awaited)

    def _break_off(self, reader: Reader) -> None:
        reader.stop.set()
        if self._bench.founds.pop(reader.root, None) is not None:
            self._sort()

    def _wait_for(self, reader: Reader) -> None:
        """Go on without a source that does not answer, until it does."""
        self._late[reader.root] = reader
        if reader.over.is_set():
            self._take_late(reader)
            return
        self._bench.founds[reader.root] = Found(reader.source)
        self._publish()

    def _on_over(self, reader: Reader) -> None:
        """On the reader's thread: it has ended."""
        if reader.root in self._late:
            self._worker.ask(lambda: self._take_late(reader))

    def _take_late(self, reader: Reader) -> None:
        """Take what was found on a source that answers again."""
        if self._late.get(reader.root) is reader:
            del self._late[reader.root]
            self._worker.teller.tell(events.Silent(reader.root, 0))
            self._take(reader)
            self._replan()

    def _take(self, reader: Reader, *, awaited: bool = False) -> None:
        founds = self._bench.founds
        try:
            founds[reader.root] = reader.ended()
        except JutrekError as error:
            if founds.pop(reader.root, None) is not None:
                # What was found on it before is gone with it.
                self._sort()
            if isinstance(error, Stopped):
                raise
            if not awaited or reader.walks:
                self._worker.teller.tell(events.Trouble(reader.root, error))
            self.keep_draft()
            return
        self._bench.source_read(reader.root)
        self.keep_draft()
        if time.monotonic() - self._sorted >= _SORTED_EVERY * self._sorting_took:
            self.sort()
        else:
            self._redraw()

    def remove(self, root: str) -> None:
        """Leave a source out of this intake. An inbox is watched no more until the library is opened again."""
        if (hints := self._inboxes.pop(root, None)) is not None:
            hints.stop()
        self._leave_keeper(root)
        if self.give_up(root) or self._bench.founds.pop(root, None) is not None:
            self._sort()
            self.keep_draft()
            if self.library is not None and not self._bench.draft.sources:
                drafts.forget(self.library.id)

    def give_up(self, root: str) -> bool:
        """Wait no longer for a source that does not answer. Returns whether it was waited for."""
        reader = self._late.pop(root, None)
        if reader is None:
            return False
        reader.stop.set()
        self._bench.founds.pop(root, None)
        self._worker.teller.tell(events.Silent(root, 0))
        return True

    def read_again(self, root: str) -> bool:
        """A source has other files on it than before. Returns whether it is one of this intake."""
        if root in self._late or root not in self._bench.founds:
            return False
        self.read(root, again=True)
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
                self.read(root, awaited=True)
        for root in list(self._bench.founds):
            if _overlaps(root, library):
                self.read_again(root)
        self._watch_inboxes(library)

    # ---- inboxes, which fill by themselves

    def inboxes(self) -> tuple[WatchedFolder, ...]:
        """This person's inboxes of the library."""
        library = self.library
        return tuple(one for one in inboxes()[0] if library is not None and one.library == library.root)

    def add_inbox(self, path: str) -> tuple[WatchedFolder, ...]:
        """Watch a folder from now on. Returns this person's inboxes of the library.

        Raises:
            LibraryTrouble: when it can't be one, or no library is open.
        """
        if self.library is None:
            raise LibraryMissing("", "there is none yet: choose one first")
        add_inbox(path, self.library.root)
        self._watch_inboxes(self.library)
        self.keep_inboxes(self._rules)
        return self.inboxes()

    def remove_inbox(self, root: str) -> tuple[WatchedFolder, ...]:
        """Watch a folder no longer, and leave it out of this intake. Returns and raises as `add_inbox`."""
        remove_inbox(root)
        self.remove(root)
        return self.inboxes()

    def _watch_inboxes(self, library: Library) -> None:
        """From now on the inboxes of a library that this person has are sources."""
        for one in inboxes()[0]:
            if one.library != library.root or one.root in self._inboxes:
                continue
            tell = partial(self._on_rested, one.root)
            hints = self._inboxes[one.root] = InboxHints(one.root, partial(apart, one.root, library), tell)
            hints.start()

    def keep_inboxes(self, rules: HouseRules) -> None:
        """From now on inboxes come home by themselves, and are cleared, as the house says, or as this person does."""
        self._rules = rules
        for one in self.inboxes():
            wanted = one.root in self._inboxes and (
                one.by_itself
                or rules.arrivals is OnArrival.BY_ITSELF
                or (rules.arrivals is OnArrival.ASK and rules.cleared is not Cleared.NEVER)
            )
            if wanted and one.root not in self._keepers:
                keeper = self._keepers[one.root] = InboxKeeper(one, self._hear)
                keeper.start()
            elif not wanted:
                self._leave_keeper(one.root)

    def look_into_inboxes(self) -> None:
        """Something was done in the library: what waited in an inbox may be home, and may go."""
        for keeper in self._keepers.values():
            keeper.look()

    def _leave_keeper(self, root: str) -> None:
        if (keeper := self._keepers.pop(root, None)) is not None:
            keeper.stop()

    def _hear(self, what: Happened) -> None:
        """On a keeper's thread: something happened to an inbox."""
        if what.event in ("home", "cleared", "failed", "trouble"):
            brick = what.event in ("failed", "trouble")
            self._worker.teller.tell(events.InboxTold(what.folder, what.words, brick))
        if what.event in ("home", "cleared"):
            self._worker.ask(lambda: self._learn_of(what.folder))

    def _learn_of(self, root: str) -> None:
        """What rests in an inbox came home meanwhile, or went from it."""
        if root in self._inboxes and self.read_again(root):
            self._replan()

    def _on_rested(self, root: str, rested: Rested) -> None:
        """On an inbox's thread: other files rest there than before."""
        self._worker.ask(lambda: self._take_rested(root, rested))

    def _take_rested(self, root: str, rested: Rested) -> None:
        """Read an inbox in which other files rest than were read."""
        if root not in self._inboxes:
            return
        self._rested[root] = rested
        found = self._bench.founds.get(root)
        if found is None and not rested.files:
            return
        files = (*(one.file for one in found.files), *(one[0] for one in found.left if isinstance(one, tuple))) if (
            found is not None) else ()  # fmt: skip
        if found is None or {(one.path, one.size, one.mtime_ns) for one in files} != rested.files:
            self.read(root, awaited=True, again=found is not None)
            self._replan()

    def leave_inboxes(self) -> None:
        """Watch none any more."""
        for hints in self._inboxes.values():
            hints.stop()
        self._inboxes.clear()
        for root in list(self._keepers):
            self._leave_keeper(root)
        self._rested.clear()

    def sort(self) -> None:
        """Have what was read since the last time on the board, if there is anything."""
        if self._bench.unsorted:
            self._sort()

    def _sort(self) -> None:
        began = time.monotonic()
        self._bench.sources_changed()
        self._publish()
        self._listen()
        self._sorted = time.monotonic()
        self._sorting_took = self._sorted - began

    def keep_draft(self) -> None:
        """Keep what has to be kept to go on with this intake another time."""
        # One that was left behind would write over what was decided since.
        if self.library is not None and self._bench.draft.sources and not self._worker.abandoned:
            drafts.keep(self.library.id, self._bench.draft)


def _overlaps(root: str, library: Library) -> bool:
    """Whether a source that was read before the library was chosen may hold it, or lie in it."""
    try:
        return bool(apart(root, library))
    except SourceRefused:
        return True
