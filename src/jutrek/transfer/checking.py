"""Checking what is at home: every file is read again from its medium and compared with its proof, the oldest first.

What rotted is told and left as it is; `mend` brings the good bytes back from another place, proven as on an intake, and
puts the bad file aside under `.jutrek/rotted/`.
"""

from __future__ import annotations

import errno
import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING

from jutrek.disk import give_name, make_folders, sync_folder
from jutrek.errors import PlaceLost, Stopped, reason
from jutrek.filing import Action, HouseRules, Row
from jutrek.library import LIBRARY, OWN_FOLDER, Library, Place, ProofMark
from jutrek.transfer.copies import Target, unchanged
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, read_back
from jutrek.transfer.outcome import Listener, Outcome
from jutrek.transfer.running import Run, Task
from jutrek.transfer.steering import Steering

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_KEEP_EVERY = 2.0


class Finding(StrEnum):
    """What is the matter with a file: rotted, not readable, changed since its proof, or gone."""

    ROTTED = "rotted"
    UNREADABLE = "unreadable"
    CHANGED = "changed"
    GONE = "gone"


@dataclass(frozen=True, slots=True)
class Found:
    """A file that is not as it was proven."""

    mark: ProofMark
    finding: Finding
    why: str = ""


@dataclass(slots=True)
class Checked:
    """What a check found.

    Attributes:
        good: files that read back as they were proven.
        first: files that were proven for the first time.
        bytes: that were read.
        found: what is not as it was.
        left: files that the check did not come to.
    """

    good: int = 0
    first: int = 0
    bytes: int = 0
    found: list[Found] = field(default_factory=list)
    left: int = 0

    @property
    def bad(self) -> list[Found]:
        """What rotted, cannot be read, or is gone."""
        return [one for one in self.found if one.finding is not Finding.CHANGED]


def check(
    library: Library,
    ledger: Ledger,
    place: Place,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None] = lambda _done, _all: None,
    seconds: float | None = None,
) -> Checked:
    """Read a library or another place again. The ledger must have been surveyed.

    Args:
        report: told the bytes that were read, and those of all files.
        seconds: after how long to end; what was not reached comes first the next time. None reads everything.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        PlaceLost: when the place is gone.
        Stopped: when `stop` was set; what was proven until then is kept.
    """
    with locked(library):
        if not os.path.isdir(place.root):
            raise PlaceLost(place.root, FileNotFoundError(2, os.strerror(2)))
        about = {"place": place.id, "name": place.name, "root": place.root}
        journal = Journal.begin(library, Kind.CHECK, about)
        checker = _Checker(ledger, place, journal, stop)
        how = "stopped"
        try:
            checker.go(report, seconds)
            how = "done"
        finally:
            checker.keep()
            checker.miss()
            checked = checker.checked
            bad = [
                {"entry": one.finding.value, "place": place.id, "path": one.mark.path, "why": one.why}
                for one in checked.found
            ]
            journal.note(*bad)
            journal.end(how, checked.good + checked.first, len(checked.found), bytes=checked.bytes, unread=checked.left)
            journal.close()
        return checked


class _Checker:
    def __init__(self, ledger: Ledger, place: Place, journal: Journal, stop: threading.Event) -> None:
        self._ledger, self._place, self._journal, self._stop = ledger, place, journal, stop
        self._buffer = aligned_buffer()
        self._marks: list[ProofMark] = []
        self._kept = time.monotonic()
        self._first: set[bytes] = set()
        self._device = os.stat(place.root).st_dev
        self.checked = Checked()

    def go(self, report: Callable[[int, int], None], seconds: float | None) -> None:
        wanted = list(self._wanted())
        total, began = sum(mark.size for mark in wanted), time.monotonic()
        for number, mark in enumerate(wanted):
            if seconds is not None and time.monotonic() - began > seconds:
                self.checked.left = len(wanted) - number
                return
            self._look()
            self._check(mark, lambda count: report(self.checked.bytes + count, total))
            if time.monotonic() - self._kept > _KEEP_EVERY:
                self.keep()

    def _wanted(self) -> Iterator[ProofMark]:
        """What to read: files that were never proven, then those whose proof is the oldest."""
        proven = self._ledger.proofs(self._place.id)
        if self._place.id == LIBRARY:
            for path, (size, mtime_ns) in sorted(self._ledger.all_files().items()):
                if path not in proven:
                    yield ProofMark(LIBRARY, path, size, mtime_ns, b"", "")
        yield from proven.values()

    def _check(self, mark: ProofMark, report: Callable[[int], None]) -> None:
        checked, path = self.checked, os.path.join(self._place.root, mark.path)
        read = 0

        def count(size: int) -> None:
            nonlocal read
            read += size
            report(read)

        try:
            status = os.lstat(path)
            if (status.st_size, status.st_mtime_ns) != (mark.size, mark.mtime_ns):
                checked.found.append(Found(mark, Finding.CHANGED, "Its size or time is another one."))
                return
            full, _ = read_back(path, self._buffer, look=self._look, report=count)
        except FileNotFoundError:
            self._still_there()
            checked.found.append(Found(mark, Finding.GONE, "It is not there any more."))
            return
        except OSError as error:
            checked.found.append(Found(mark, Finding.UNREADABLE, f"It could not be read: {reason(error)}."))
            return
        checked.bytes += read
        if mark.full and full != mark.full:
            why = f"It reads differently than on {mark.at[:10]}, although its time is the same."
            checked.found.append(Found(mark, Finding.ROTTED, why))
            return
        if not mark.full:
            checked.first += 1
            self._first.add(full)
            self._journal.note({
                "entry": "proven", "place": mark.place, "path": mark.path, "size": mark.size,
                "mtime_ns": mark.mtime_ns, "xxh3_128": full.hex(),
            })  # fmt: skip
        else:
            checked.good += 1
        self._marks.append(mark._replace(full=full, at=now()))

    def _still_there(self) -> None:
        """An unplugged drive may leave an empty folder in its place: then nothing is gone but the drive."""
        try:
            there = os.stat(self._place.root).st_dev == self._device
        except OSError:
            there = False
        if not there:
            raise PlaceLost(self._place.root, OSError(errno.ENODEV, os.strerror(errno.ENODEV)))

    def miss(self) -> None:
        """Tell of what is gone once. What only lies under another path now, as somebody moved it, is not gone."""
        gone = [one for one in self.checked.found if one.finding is Finding.GONE]
        moved = {one.mark.path for one in gone if one.mark.full in self._first}
        self.checked.found = [one for one in self.checked.found if one.mark.path not in moved]
        self._ledger.drop_proofs(self._place.id, [one.mark.path for one in gone])

    def keep(self) -> None:
        """Keep what was proven so far."""
        self._journal.sync()
        self._ledger.put_proofs(self._marks)
        self._marks.clear()
        self._kept = time.monotonic()

    def _look(self) -> None:
        if self._stop.is_set():
            raise Stopped


def mend(
    bad: Sequence[ProofMark],
    library: Library,
    ledger: Ledger,
    place: Place,
    others: Sequence[Place],
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> Outcome:
    """Bring good bytes back from other places, for files of a place that rotted or are gone.

    Returns:
        The outcome: `home` counts what was mended. Files that no other place has are not in it.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with locked(library):
        wanted = {mark.full for mark in bad}
        held: dict[bytes, tuple[str, ProofMark]] = {}
        for other in others:
            for mark in ledger.proofs(other.id).values():
                path = os.path.join(other.root, mark.path)
                if mark.full in wanted and mark.full not in held and unchanged(path, mark):
                    held[mark.full] = path, mark
        rows, expected = [], {}
        for mark in bad:
            if mark.full in held:
                good, proven = held[mark.full]
                root, stamp = os.path.dirname(good), (proven.size, proven.mtime_ns)
                rows.append(Row(good, root, Action.BRING, mark.path, "It rotted.", *stamp))
                expected[good] = mark.full
        if not rows:
            return Outcome()
        about = {"place": place.id, "name": place.name, "root": place.root}
        task = Task(rows, HouseRules(), (Target(place, main=True),), Kind.MEND, about, expected=expected)
        return _Mending(task, library, ledger, Steering(stop), listener or Listener()).go_in(place)


class _Mending(Run):
    """A run that puts bad files aside before it brings good ones; those that don't come leave the bad ones in place."""

    def go_in(self, place: Place) -> Outcome:
        """Do it in a place."""
        self._place = place
        self._aside: dict[str, str] = {}
        outcome = self.go()
        home = {done.row.destination for done in outcome.done if done.home}
        for path, aside in self._aside.items():
            if path not in home:
                give_name(os.path.join(place.root, aside), os.path.join(place.root, path))
        return outcome

    def _begin(self) -> None:
        for row in self._rows:
            path = row.destination or ""
            aside = f"{OWN_FOLDER}/rotted/{self._journal.run}/{path}"
            old, new = os.path.join(self._place.root, path), os.path.join(self._place.root, aside)
            if not os.path.lexists(old):
                continue
            make_folders(os.path.dirname(new), within=self._place.root)
            give_name(old, new)
            sync_folder(os.path.dirname(new))
            self._journal.note({"entry": "put aside", "place": self._place.id, "from": path, "to": aside})
            self._aside[path] = aside
        self._journal.sync()
