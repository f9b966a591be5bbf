"""Bringing a plan home: many files in flight, each proven, each written down.

A few files are read from their sources at once; others are synced, read back and named meanwhile, so the proof runs
beside the reading. One thread, the caller's, owns the journal and the ledger.
"""

from __future__ import annotations

import contextlib
import os
import queue
import secrets
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from jutrek.errors import (
    FileTrouble,
    JutrekError,
    LibraryMissing,
    PlaceFull,
    PlaceLost,
    PlanUnusable,
    RunTrouble,
    SourceUnreadable,
    Stopped,
    of_place,
    reason,
)
from jutrek.filing import Plan, Row
from jutrek.library import HomeFile, Library, keep_numbers, numbers_given
from jutrek.transfer.carry import Carrier, Proof, Watch
from jutrek.transfer.journal import Journal
from jutrek.transfer.lock import locked
from jutrek.transfer.sidecars import write_sidecar

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

IN_FLIGHT = 8
"""Files being carried at once: read, written, synced or read back."""
LANES = 3
"""Files being read from the sources at once."""
_SETTLE_EVERY = 0.25
_TICK = 0.05


@dataclass(frozen=True, slots=True)
class Done:
    """One row has ended.

    Attributes:
        home: whether it is home and proven.
        why: one sentence.
        full: the fingerprint, where it is home.
        untouched: the run ended before this file did; it stays as it was, to be brought another time.
    """

    row: Row
    home: bool
    why: str
    full: bytes = b""
    untouched: bool = False


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a run is.

    Attributes:
        files, bytes: proven so far.
        all_files, all_bytes: to be brought, in all.
        read_bytes: read from the sources so far.
        current: the source path of a file being carried.
        elapsed: seconds since the start.
    """

    files: int
    bytes: int
    all_files: int
    all_bytes: int
    read_bytes: int
    current: str
    elapsed: float

    @property
    def speed(self) -> float:
        """Bytes a second, read and proven: the mean so far."""
        return (self.read_bytes + self.bytes) / 2 / self.elapsed if self.elapsed > 0 else 0.0

    @property
    def seconds_left(self) -> float | None:
        """An estimate, or None before there is one."""
        done = self.read_bytes + self.bytes
        if self.elapsed < 1 or not done:
            return None
        return max(0.0, self.elapsed * (2 * self.all_bytes - done) / done)


@dataclass(slots=True)
class Outcome:
    """How a run ended: rows by what became of them, and the trouble that ended it early, if any."""

    done: list[Done] = field(default_factory=list)
    trouble: JutrekError | None = None

    @property
    def home(self) -> int:
        """Files proven home by this run."""
        return sum(done.home for done in self.done)

    @property
    def failed(self) -> list[Done]:
        """Files that were tried and did not come home."""
        return [done for done in self.done if not done.home and not done.untouched]


@dataclass(frozen=True, slots=True)
class Listener:
    """Who hears of a run: every ended row, and progress about 20 times a second. Called on the caller's thread."""

    done: Callable[[Done], None] = lambda _: None
    progress: Callable[[Progress], None] = lambda _: None
    step: Callable[[str, Row], None] = lambda _step, _row: None


def bring(
    plan: Plan, library: Library, ledger: Ledger, *, stop: threading.Event, listener: Listener | None = None
) -> Outcome:
    """Carry out a plan.

    Args:
        stop: when set, the run ends after the blocks at hand; what is home stays home.
        listener: hears of it. Its `step` is called by the carrying threads.

    Returns:
        The outcome. A full or lost place, or a stop, is its `trouble`; what came home before is home.

    Raises:
        PlanUnusable: when the plan is one of another library, or its numbers were given since.
        LibraryBusy: when another Jutrek is at work in the library.
        PlaceFull: when there is not enough room to begin.
    """
    if plan.library_id != library.id:
        raise PlanUnusable(plan.library, f"it was made for another library than {library.root}")
    rows = plan.to_bring()
    _room(library, sum(row.size for row in rows))
    with locked(library):
        _numbers_are_free(plan, library)
        return _Run(plan, library, ledger, stop, listener or Listener()).go()


def _numbers_are_free(plan: Plan, library: Library) -> None:
    """Check that no number of a plan was given to another capture since it was made. What came home by it may stay."""
    given = numbers_given(library)
    for row in plan.to_bring():
        if row.number and row.number <= given.get(row.counter, 0):
            destination = os.path.join(library.root, row.destination or "")
            if not os.path.lexists(destination):
                raise PlanUnusable(plan.library, f"number {row.number} of it was given to something else since")


def _room(library: Library, needed: int) -> None:
    try:
        room = os.statvfs(library.root)
    except OSError as error:
        raise LibraryMissing(library.root, reason(error)) from error
    if needed > room.f_bavail * room.f_frsize:
        raise PlaceFull(library.root)


class _Run:
    def __init__(self, plan: Plan, library: Library, ledger: Ledger, stop: threading.Event, listener: Listener) -> None:
        self._library, self._ledger, self._listener = library, ledger, listener
        self._rows, self._rules = plan.to_bring(), plan.rules
        self._stop = stop
        self._halt = threading.Event()
        self._intake = f"{datetime.now():%Y%m%d-%H%M%S-%f}-{secrets.token_hex(3)}"
        self._results: queue.SimpleQueue[tuple[int, Proof | Exception]] = queue.SimpleQueue()
        self._count = threading.Lock()
        self._read_bytes = self._proven_bytes = self._settled_files = 0
        self._current = ""
        self._began = time.monotonic()
        self._waiting: list[tuple[int, Proof]] = []
        self._outcome = Outcome()
        self._total = sum(row.size for row in self._rows)
        self._last_settled = self._last_told = self._began
        self._numbers: dict[str, int] = {}

    def go(self) -> Outcome:
        if not self._rows:
            return self._outcome
        try:
            journal = Journal(self._library, self._intake)
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        try:
            try:
                journal.begin(self._rows)
                self._carry_all(journal)
            finally:
                self._close_books(journal)
        except OSError as error:
            self._outcome.trouble = of_place(self._library.root, self._library.own, error)
            self._end_the_rest(str(self._outcome.trouble))
        finally:
            journal.close()
        return self._outcome

    def _close_books(self, journal: Journal) -> None:
        """Write the end, unless the place was lost: what lies there could not be cleared, so the next start shall."""
        if isinstance(self._outcome.trouble, PlaceLost):
            return
        all_ended = len(self._outcome.done) == len(self._rows) and not self._outcome.trouble
        with contextlib.suppress(OSError):
            keep_numbers(self._library, self._numbers)
            journal.end("done" if all_ended else "stopped", self._outcome.home, len(self._rows) - self._outcome.home)

    def _end_the_rest(self, why: str) -> None:
        """The journal could not be written: nothing more counts as home, and every file is accounted for."""
        ended = {done.row.source for done in self._outcome.done}
        for row in self._rows:
            if row.source not in ended:
                self._end(Done(row, False, why, untouched=True))

    def _carry_all(self, journal: Journal) -> None:
        watch = Watch(self._halt, self._on_read, self._on_proven, self._listener.step)
        lanes = threading.Semaphore(LANES)
        carriers: queue.SimpleQueue[Carrier] = queue.SimpleQueue()
        for _ in range(IN_FLIGHT):
            carriers.put(Carrier(self._library.root, self._intake, lanes, watch))
        with ThreadPoolExecutor(IN_FLIGHT, thread_name_prefix="carry") as pool:
            try:
                for number, row in enumerate(self._rows):
                    pool.submit(self._one, carriers, number, row)
                for number, result in self._settled(journal):
                    self._take(journal, number, result)
            finally:
                self._halt.set()
                pool.shutdown(cancel_futures=True)
        self._settle(journal)

    def _one(self, carriers: queue.SimpleQueue[Carrier], number: int, row: Row) -> None:
        carrier = carriers.get()
        try:
            if self._halt.is_set():
                raise Stopped
            self._current = row.source
            self._results.put((number, carrier.carry(row, number)))
        except OSError as error:
            self._results.put((number, SourceUnreadable(row.source, error)))
        # Every row must end, or the run would wait for it forever: what is our own fault is raised by `_take`.
        except Exception as error:  # noqa: BLE001
            self._results.put((number, error))
        finally:
            carriers.put(carrier)

    def _settled(self, journal: Journal) -> Iterator[tuple[int, Proof | Exception]]:
        """Results as they come, until all rows have ended; keeps progress, stop and journal going meanwhile."""
        left = len(self._rows)
        while left:
            self._look()
            try:
                yield self._results.get(timeout=_TICK)
                left -= 1
            except queue.Empty:
                pass
            if self._waiting and time.monotonic() - self._last_settled > _SETTLE_EVERY:
                self._settle(journal)
            self._tell()

    def _take(self, journal: Journal, number: int, result: Proof | Exception) -> None:
        if isinstance(result, Proof):
            journal.home(number, result)
            self._waiting.append((number, result))
            return
        row = self._rows[number]
        if isinstance(result, FileTrouble):
            journal.failed(number, row, str(result))
            self._end(Done(row, False, str(result)))
        elif isinstance(result, RunTrouble):
            self._halt.set()
            # What ended the run came first; the stops of the files beside it follow from it.
            self._outcome.trouble = self._outcome.trouble or result
            self._end(Done(row, False, str(self._outcome.trouble), untouched=True))
        else:
            raise result

    def _settle(self, journal: Journal) -> None:
        """Make the proofs at hand durable, then tell the ledger and the listener: only now they count as home."""
        journal.sync()
        self._ledger.put([_home_file(proof) for _, proof in self._waiting])
        rows = [proof.row for _, proof in self._waiting]
        self._ledger.put_filed((row.destination or "", row.filed) for row in rows if row.capture)
        for number, proof in self._waiting:
            why = "Read back and equal." if proof.direct else "Read back after dropping its pages, and equal."
            if proof.row.sidecar:
                trouble = write_sidecar(self._library.root, proof.row, self._rules)
                why = f"{why} {trouble}".strip()
                if not trouble:
                    journal.sidecar(number, proof.row)
            self._end(Done(proof.row, True, why, proof.full))
        self._waiting.clear()
        self._last_settled = time.monotonic()
        self._tell(always=True)

    def _end(self, done: Done) -> None:
        if done.home and done.row.counter:
            self._numbers[done.row.counter] = max(done.row.number, self._numbers.get(done.row.counter, 0))
        self._outcome.done.append(done)
        self._settled_files += done.home
        self._listener.done(done)

    def _tell(self, *, always: bool = False) -> None:
        now = time.monotonic()
        if not always and now - self._last_told < _TICK:
            return
        self._last_told = now
        self._listener.progress(
            Progress(
                self._settled_files, self._proven_bytes, len(self._rows), self._total, self._read_bytes, self._current,
                now - self._began,
            )
        )  # fmt: skip

    def _on_read(self, _: Row, count: int) -> None:
        with self._count:
            self._read_bytes += count
        self._look()

    def _on_proven(self, _: Row, count: int) -> None:
        with self._count:
            self._proven_bytes += count
        self._look()

    def _look(self) -> None:
        """A stop takes hold at the next block of whichever file."""
        if self._stop.is_set():
            self._halt.set()


def _home_file(proof: Proof) -> HomeFile:
    row = proof.row
    return HomeFile(row.destination or "", row.size, row.mtime_ns, None, proof.full)
