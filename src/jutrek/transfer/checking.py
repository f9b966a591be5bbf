"""Checking what is at home: every file is read again from its medium and compared with its proof, the oldest first.

What is found otherwise than it was proven is kept in the ledger and the journal, and is no proof anywhere, until it is
proven again or a person lets it go; each check tells it again. `mend` brings the good bytes back from another place,
proven as on an intake, and only then puts the bad file aside under `.jutrek/rotted/`, file by file.
"""

from __future__ import annotations

import errno
import os
import secrets
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from jutrek.disk import OWN_FOLDER, Outside, Tree, inside, put_away
from jutrek.errors import PlaceLost, Stopped, reason
from jutrek.filing import Action, HouseRules, Row
from jutrek.jobs.listed import is_work, job_folders
from jutrek.library import LIBRARY, Library, Place, ProofMark, State, as_place
from jutrek.library.knowledge import KnownFile
from jutrek.transfer.control import Control
from jutrek.transfer.copies import Target, unchanged
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, read_back
from jutrek.transfer.outcome import Listener, Outcome
from jutrek.transfer.run_log import RunLog, known_of_files
from jutrek.transfer.running import Run, Task

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_KEEP_EVERY = 2.0


class Finding(StrEnum):
    """What is the matter with a file: rotted, not readable, changed since its proof, or gone."""

    ROTTED = State.ROTTED.value
    UNREADABLE = State.UNREADABLE.value
    CHANGED = State.CHANGED.value
    GONE = State.GONE.value


_WORDS = {
    Finding.ROTTED: "It reads differently than when it was proven, although its time is the same.",
    Finding.UNREADABLE: "It could not be read.", Finding.GONE: "It is not there any more.",
}  # fmt: skip
BAD = frozenset(State(one.value) for one in _WORDS)
"""How a file was found that has to be mended, or let go."""


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
            raise PlaceLost(place.root, FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT)))
        about = {"place": place.id, "name": place.name, "root": place.root}
        journal = Journal.begin(library, Kind.CHECK, about)
        checker = _Checker(ledger, place, journal, stop)
        how = "stopped"
        try:
            checker.go(report, seconds)
            how = "done"
        finally:
            checker.keep()
            checker.close()
            checked = checker.checked
            journal.note(*found_bad(checked.found))
            journal.end(how, checked.good + checked.first, len(checked.found), bytes=checked.bytes, unread=checked.left)
            journal.close()
        return checked


def known_bad(ledger: Ledger, place: str) -> list[ProofMark]:
    """What is known to be bad in a place, and was neither mended nor let go.

    What followed its file into a tray, or was put away otherwise, is nobody's copy as long as it lies there.
    """
    marks = ledger.marks(place).values()
    return [mark for mark in marks if mark.state in BAD and not mark.path.startswith(f"{OWN_FOLDER}/")]


def found_bad(found: Sequence[Found]) -> list[dict[str, str]]:
    """What was found, as a journal tells it."""
    return [
        {"entry": one.finding.value, "place": one.mark.place, "path": one.mark.path, "why": one.why} for one in found
    ]  # fmt: skip


class _Checker:
    def __init__(self, ledger: Ledger, place: Place, journal: Journal, stop: threading.Event) -> None:
        self._ledger, self._place, self._journal, self._stop = ledger, place, journal, stop
        self._buffer = aligned_buffer()
        self._marks: list[ProofMark] = []
        self._again: list[dict[str, Any]] = []
        self._kept = time.monotonic()
        self._first: set[bytes] = set()
        self._reached: set[str] = set()
        self._tree = Tree(place.root, os.stat(place.root).st_dev)
        self._jobs = job_folders(ledger)
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
        proven = self._ledger.marks(self._place.id)
        if self._place.id == LIBRARY:
            stored = self._ledger.stored.all()
            for path, (size, mtime_ns) in sorted(self._ledger.all_files().items()):
                if path not in proven and path not in stored:
                    yield ProofMark(LIBRARY, path, size, mtime_ns, b"", "")
        # What followed into a tray lies there for a last look, and is nobody's copy.
        yield from (mark for mark in proven.values() if not mark.path.startswith(f"{OWN_FOLDER}/"))

    def _check(self, mark: ProofMark, report: Callable[[int], None]) -> None:
        self._reached.add(mark.path)
        checked = self.checked
        read = 0

        def count(size: int) -> None:
            nonlocal read
            read += size
            report(read)

        try:
            path = inside(mark.path)
            status = self._tree.found(path)
            if status is None:
                return self._bad(mark, Finding.GONE, "It is not there any more.")
            full, _ = read_back(self._tree, path, self._buffer, look=self._look, report=count)
            seen = mark._replace(at=now(), state=State.PROVEN).seen(status)
        except Outside as error:
            return self._bad(mark, Finding.UNREADABLE, f"It is {error}.")
        except OSError as error:
            if error.errno == errno.ENODEV:
                raise PlaceLost(self._place.root, error) from error
            return self._bad(mark, Finding.UNREADABLE, f"It could not be read: {reason(error)}.")
        checked.bytes += read
        if mark.full and mark.fits(status) and full != mark.full:
            why = f"It reads differently than on {mark.at[:10]}, although its time is the same."
            return self._bad(mark, Finding.ROTTED, why)
        if mark.full and not mark.fits(status) and full != mark.full:
            if not self._is_work(mark.path):
                checked.found.append(Found(mark, Finding.CHANGED, "Its size or time is another one."))
            if self._place.id != LIBRARY:
                # A copy of nothing: it proves nothing until somebody says which version is right.
                return None
            # Somebody's new version: it is told, and proven from now on as what it is.
            self._note_proven(seen._replace(full=full))
        elif not mark.full:
            checked.first += 1
            self._first.add(full)
            self._note_proven(seen._replace(full=full))
        else:
            checked.good += 1
            if not mark.stands or not mark.fits(status):
                self._note_proven(seen)
        self._marks.append(seen._replace(full=full))
        return None

    def _is_work(self, path: str) -> bool:
        """Whether it is a working file of a job in the library."""
        return self._place.id == LIBRARY and is_work(path, self._jobs)

    def _note_proven(self, mark: ProofMark) -> None:
        self._again.append({
            "entry": "proven", "place": mark.place, "path": mark.path, "size": mark.size, "mtime_ns": mark.mtime_ns,
            "xxh3_128": mark.full.hex(),
        })  # fmt: skip

    def _bad(self, mark: ProofMark, finding: Finding, why: str) -> None:
        self.checked.found.append(Found(mark, finding, why))

    def close(self) -> None:
        """Keep what is bad, and tell it: also what was found bad before, and was not reached this time.

        What only lies under another path now, as somebody moved it, is not gone; nor is a working file of a job missed.
        """
        checked = self.checked
        gone = [one for one in checked.found if one.finding is Finding.GONE]
        moved = {one.mark.path for one in gone if one.mark.full and one.mark.full in self._first}
        moved |= {one.mark.path for one in gone if self._is_work(one.mark.path)}
        checked.found = [one for one in checked.found if one.mark.path not in moved]
        self._ledger.drop_proofs(self._place.id, moved)
        self._journal.note(*({"entry": "let go", "place": self._place.id, "path": path} for path in sorted(moved)))
        at = now()
        is_copy = self._place.id != LIBRARY
        bad = [one for one in checked.found if is_copy or one.finding is not Finding.CHANGED]
        self._ledger.put_proofs(
            one.mark._replace(state=State(one.finding.value), at=at) for one in bad if one.mark.full
        )  # fmt: skip
        for mark in known_bad(self._ledger, self._place.id):
            if mark.path not in self._reached:
                finding = Finding(mark.state.value)
                checked.found.append(Found(mark, finding, f"{_WORDS[finding]} So it was on {mark.at[:10]}."))

    def keep(self) -> None:
        """Keep what was proven so far."""
        self._journal.note(*self._again)
        self._journal.sync()
        self._again.clear()
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

    Args:
        bad: marks of these files.
        library: the library.
        ledger: its ledger, open.
        place: where they are.
        others: places that may have good bytes.
        stop: ends the work when it is set.
        listener: hears how it goes on.

    Returns:
        The outcome: `home` counts what was mended. Files that no other place has are not in it.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with locked(library):
        wanted = {mark.full for mark in bad}
        held: dict[bytes, tuple[Place, ProofMark]] = {}
        for other in others:
            for mark in ledger.proofs(other.id).values():
                if mark.full in wanted and mark.full not in held and unchanged(other.tree, mark):
                    held[mark.full] = other, mark
        rows, expected, aside = [], {}, {}
        token = f"{datetime.now():%Y%m%d-%H%M%S}-{secrets.token_hex(3)}"
        for mark in bad:
            if mark.full in held:
                other, proven = held[mark.full]
                good = other.tree.at(inside(proven.path))
                rows.append(Row(
                    good, other.root, Action.BRING, mark.path, "It was found bad.", proven.size, proven.mtime_ns
                ))  # fmt: skip
                expected[good] = mark.full
                aside[mark.path] = put_away("rotted", token, inside(mark.path))
        if not rows:
            return Outcome()
        about = {"place": place.id, "name": place.name, "root": place.root}
        task = Task(
            rows, HouseRules(), (Target(place, main=True),), Kind.MEND, about, expected=expected, aside=aside
        )  # fmt: skip
        outcome = Run(task, library, ledger, Control(stop), listener or Listener()).go()
        mended = {done.row.destination or "" for done in outcome.done if done.home}
        if place.id == LIBRARY:
            _know_again(library, ledger, mended)
        outcome.remarks += lists_follow(library, ledger, [place], again=mended)
        return outcome


def _know_again(library: Library, ledger: Ledger, paths: set[str]) -> None:
    """Files that were gone from the library are known again: by what they were filed, as the journals tell."""
    known = ledger.catalogue.filed_at(paths).keys()
    if paths - known:
        filed = known_of_files(library).filed
        ledger.put_filed((path, filed[path]) for path in (paths - known) & filed.keys())


def let_go(library: Library, ledger: Ledger, place: Place, paths: Sequence[str]) -> int:
    """Miss files no more that are gone, or are known to be bad: a person said so. What is there stays as it is.

    Args:
        library: the library.
        ledger: its ledger, open.
        place: where they are missed.
        paths: relative to the place.

    Returns:
        How many of them were known to be gone or bad.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    marks = ledger.marks(place.id)
    wanted = [marks[path] for path in dict.fromkeys(paths) if path in marks and not marks[path].stands]
    if wanted:
        with locked(library):
            about = {"place": place.id, "name": place.name, "root": place.root}
            journal = Journal.begin(library, Kind.LET_GO, about)
            try:
                journal.note(*({"entry": "let go", **_told(mark)} for mark in wanted))
                journal.end("done", len(wanted), 0)
            finally:
                journal.close()
        ledger.drop_proofs(place.id, [mark.path for mark in wanted])
    return len(wanted)


def bring_back(
    paths: Sequence[str],
    library: Library,
    ledger: Ledger,
    others: Sequence[Place],
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> Outcome:
    """Bring captures back that are gone from the library, with the bytes that backups have of them.

    Args:
        paths: where they lay; also of those that were never proven here.
        library: the library.
        ledger: its ledger, open.
        others: backups that are connected.
        stop: ends the work when it is set.
        listener: hears how it goes on.

    Returns:
        The outcome: `home` counts what is back. What no backup has is not in it.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    own, there = ledger.marks(LIBRARY), [ledger.proofs(place.id) for place in others]
    wanted = []
    for path in dict.fromkeys(paths):
        mark = own.get(path) or next((marks[path] for marks in there if path in marks), None)
        if mark is not None and library.tree.found(inside(path)) is None:
            wanted.append(mark._replace(place=LIBRARY))
    return mend(wanted, library, ledger, as_place(library), others, stop=stop, listener=listener)


def forget_gone(library: Library, ledger: Ledger, paths: Sequence[str]) -> tuple[str, int]:
    """Miss captures no more that are gone from the library, proven once or not: a person said so.

    Args:
        library: the library.
        ledger: its ledger, open.
        paths: where they lay. What is there is left as it is.

    Returns:
        The run that tells of it, empty where none is missed; and how many files are missed no more.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    marks, lost = ledger.marks(LIBRARY), {one.path: one for one in ledger.lost.all()}
    told = []
    for path in dict.fromkeys(paths):
        if (path in marks or path in lost) and library.tree.found(inside(path)) is None:
            known = _told(marks[path]) if path in marks else {
                "place": LIBRARY, "path": path, "size": lost[path].size, "mtime_ns": lost[path].mtime_ns
            }  # fmt: skip
            told.append({**known, "state": State.GONE.value})
    if not told:
        return "", 0
    with locked(library):
        about = {"place": LIBRARY, "name": library.name, "root": library.root}
        journal = Journal.begin(library, Kind.LET_GO, about)
        try:
            journal.note(*({"entry": "let go", **one} for one in told))
            journal.end("done", len(told), 0)
        finally:
            journal.close()
    forgotten = [str(one["path"]) for one in told]
    ledger.drop_proofs(LIBRARY, forgotten)
    ledger.lost.forget(forgotten)
    return journal.run, len(told)


def miss_again(library: Library, ledger: Ledger, run_log: RunLog) -> int:
    """Take a letting go back: what was missed then is missed again. Returns how many files that are."""
    told = [one for one in run_log.others if one["entry"] == "let go"]
    lines = [one for one in told if "xxh3_128" in one]
    with locked(library):
        journal = Journal.begin(library, Kind.TAKE_BACK, {"takes_back": run_log.run})
        try:
            journal.note(*({**one, "entry": "missed again"} for one in lines))
            journal.end("done", len(lines), 0)
        finally:
            journal.close()
    ledger.put_proofs(
        ProofMark(
            one["place"], one["path"], one["size"], one["mtime_ns"], bytes.fromhex(one["xxh3_128"]), run_log.at,
            State(one.get("state", State.GONE.value)),
        )
        for one in lines
    )  # fmt: skip
    never = [one for one in told if one not in lines and one["place"] == LIBRARY and "size" in one]
    ledger.lost.put(KnownFile(one["path"], one["size"], mtime_ns=one.get("mtime_ns", 0)) for one in never)
    return len(lines) + len(never)


def _told(mark: ProofMark) -> dict[str, Any]:
    return {
        "place": mark.place, "path": mark.path, "size": mark.size, "mtime_ns": mark.mtime_ns,
        "xxh3_128": mark.full.hex(), "state": mark.state.value,
    }  # fmt: skip
