"""A run at work: many files in flight, each proven in every place, each written down.

A few files are read from each source device at once; others are synced, read back and named meanwhile, so the proof
runs beside the reading. Small ones are carried in bundles. Sources on different devices run side by side. One thread,
the caller's, owns the journal and the ledger.
"""

from __future__ import annotations

import contextlib
import os
import queue
import threading
import time
from collections.abc import Container, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from jutrek.disk import Inside, inside
from jutrek.errors import (
    FileTrouble,
    PageBroken,
    PlaceLost,
    RunTrouble,
    SourceGone,
    Stopped,
    of_place,
)
from jutrek.filing import HouseRules, Row, numbers_in
from jutrek.library import LIBRARY, HomeFile, Library, ProofMark, keep_numbers
from jutrek.transfer.arrival_words import going_in_files, say_in_files
from jutrek.transfer.at_work import begin_in, end_in
from jutrek.transfer.bundles import bundled, most_at_once
from jutrek.transfer.carry import Carrier
from jutrek.transfer.control import Control
from jutrek.transfer.copies import Target
from jutrek.transfer.counts import Counts
from jutrek.transfer.flight import Proof, Watch
from jutrek.transfer.journal import Journal, Kind, now
from jutrek.transfer.outcome import Done, Listener, Outcome
from jutrek.transfer.resumable import forget_partials
from jutrek.transfer.sidecars import write_sidecar

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

IN_FLIGHT = 8
"""How many threads carry at once: they read, write, sync, or read back."""
LANES = 3
"""Large files being read from one source device at once; of small ones as many as there are threads."""
_SETTLE_EVERY = 0.25
_TICK = 0.02
_TELL_EVERY = 0.05


@dataclass(frozen=True, slots=True)
class Task:
    """What a run is to do.

    Attributes:
        rows: every file, with its source and its destination.
        rules: the house rules, for sidecars and second readings.
        targets: where they go; the first is the main one.
        kind: what it is in the journal.
        about: what else its first line tells.
        notes: what else is to be kept of it: what was settled, and what was left on the sources.
        expected: fingerprints that sources must have, by path, as far as they are known.
        aside: what bears a destination's name and is to be put aside once the new file is proven: where to, by
            destination; the paths are in the main place.
    """

    rows: Sequence[Row]
    rules: HouseRules
    targets: Sequence[Target]
    kind: Kind = Kind.INTAKE
    about: Mapping[str, Any] = field(default_factory=dict)
    notes: Sequence[Mapping[str, Any]] = ()
    expected: Mapping[str, bytes] = field(default_factory=dict)
    aside: Mapping[str, Inside] = field(default_factory=dict)


class Run:
    """One run. Whoever makes it holds the library's lock."""

    def __init__(self, task: Task, library: Library, ledger: Ledger, control: Control, listener: Listener) -> None:
        """
        Args:
            task: what is to be done.
            library: the library.
            ledger: its ledger, open.
            control: steers it: pause, stop, answers.
            listener: hears how it goes on.
        """
        self._task, self._rows, self._rules = task, task.rows, task.rules
        self._library, self._ledger = library, ledger
        self._control, self._listener, self._said = control, listener, 0
        self._going = going_in_files(self._rows, self._rules)
        self._targets = task.targets
        self._results: queue.SimpleQueue[tuple[int, Proof | Exception]] = queue.SimpleQueue()
        self._parts: queue.SimpleQueue[tuple[int, int, bytes, bytes]] = queue.SimpleQueue()
        self._lost: queue.SimpleQueue[Target] = queue.SimpleQueue()
        for target in task.targets:
            if target.lost is not None:
                self._lost.put(target)
        self._waiting: list[tuple[int, Proof]] = []
        self._outcome = Outcome()
        self._numbers: dict[str, int] = {}
        self._synced: set[tuple[str, Inside | None]] = set()
        self._by_id = {target.place.id: target for target in task.targets}
        self._began = self._last_settled = self._last_told = time.monotonic()
        self._counts = Counts(task.rows, [target.place for target in task.targets], self._began)

    def go(self) -> Outcome:
        """Do it, on the caller's thread."""
        try:
            journal = Journal.begin(self._library, self._task.kind, self._task.about)
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        self._journal = journal
        self._outcome.run = journal.run
        try:
            try:
                journal.note(*self._task.notes)
                journal.bring(self._rows)
                self._announce_aside(journal)
                begin_in((target.place for target in self._targets if target.lost is None), journal.run)
                self._note_lost(journal)
                self._begin()
                self._carry_all(journal)
            finally:
                self._close_books(journal)
        except PlaceLost as error:
            self._outcome.trouble = error
            self._end_the_rest(str(error))
        except OSError as error:
            trouble = of_place(self._library.root, self._library.own, error)
            # What keeps the run from its books is more than one file's trouble: the library is not there any more.
            self._outcome.trouble = trouble if isinstance(trouble, RunTrouble) else PlaceLost(self._library.root, error)
            self._end_the_rest(str(self._outcome.trouble))
        finally:
            # On a drive that is gone even closing fails; what counts was synced before.
            with contextlib.suppress(OSError):
                journal.close()
        return self._outcome

    def _begin(self) -> None:
        """What comes before the first file."""

    def _part(self, journal: Journal) -> dict[int, str]:
        """What comes behind the proofs at hand. Returns the numbers of files that have not arrived for all that."""
        return {}

    def _announce_aside(self, journal: Journal) -> None:
        place = self._targets[0].place.id
        journal.note(*(
            {"entry": "to put aside", "place": place, "from": path, "to": str(to)}
            for path, to in self._task.aside.items()
        ))  # fmt: skip
        journal.sync()

    def _close_books(self, journal: Journal) -> None:
        """Write the end, unless the place was lost: what lies there could not be cleared, so the next start shall."""
        if isinstance(self._outcome.trouble, PlaceLost):
            return
        early = self._outcome.trouble or self._outcome.gone
        all_ended = len(self._outcome.done) == len(self._rows) and not early
        done = [done for done in self._outcome.done if done.home]
        copies = {
            target.place.id: sum(copy.place == target.place.id and not copy.why for one in done for copy in one.copies)
            for target in self._targets[1:]
        }
        with contextlib.suppress(OSError, PageBroken):
            keep_numbers(self._library, self._numbers)
        with contextlib.suppress(OSError):
            how, size = "done" if all_ended else "stopped", sum(one.row.size for one in done)
            there = len(done) + self._outcome.moved
            journal.end(how, there, len(self._rows) - len(done), bytes=size, copies=copies)
            end_in((target.place for target in self._targets if target.lost is None), journal.run)

    def _end_the_rest(self, why: str) -> None:
        """The journal could not be written: nothing more counts as home, and every file is accounted for."""
        ended = {done.row.source for done in self._outcome.done}
        for row in self._rows:
            if row.source not in ended:
                self._end(Done(row, False, why, untouched=True))

    def _carry_all(self, journal: Journal) -> None:
        watch = Watch(
            self._begun, self._control.look, self._counts.read, self._counts.proven, self._listener.step,
            lambda *part: self._parts.put(part), lambda target: self._control.ask(target.place), self._lost.put,
        )  # fmt: skip
        groups = _by_device(self._rows)
        threads = max(LANES, IN_FLIGHT // max(1, len(groups)))
        most = most_at_once(threads * len(groups), len(self._targets))
        pools = [ThreadPoolExecutor(threads, thread_name_prefix="carry") for _ in groups]
        try:
            for pool, group in zip(pools, groups, strict=True):
                lanes = threading.Semaphore(LANES)
                carriers: queue.SimpleQueue[Carrier] = queue.SimpleQueue()
                for _ in range(threads):
                    carriers.put(self._carrier(journal.run, lanes, watch))
                for bundle in bundled(self._rows, group, threads, most):
                    pool.submit(self._carry, carriers, bundle)
            for number, result in self._settled(journal):
                self._take(journal, number, result)
        finally:
            self._control.halt.set()
            for pool in pools:
                pool.shutdown(cancel_futures=True)
        self._settle(journal)
        self._note_lost(journal)

    def _carrier(self, run: str, lanes: threading.Semaphore, watch: Watch) -> Carrier:
        twice, second = self._rules.twice, self._rules.second_sum
        expected, aside = self._task.expected, self._task.aside
        return Carrier(
            self._targets, run, lanes, watch, twice=twice, second=second, expected=expected, aside=aside
        )  # fmt: skip

    def _begun(self, row: Row) -> None:
        self._control.look()
        self._counts.begin(row)

    def _carry(self, carriers: queue.SimpleQueue[Carrier], bundle: Sequence[int]) -> None:
        carrier = carriers.get()
        left = set(bundle)
        try:
            for number, result in carrier.carry((number, self._rows[number]) for number in bundle):
                left.remove(number)
                self._results.put((number, result))
        # Every row must end, or the run would wait for it forever: what is our own fault is raised by `_take`.
        except Exception as error:  # noqa: BLE001
            for number in left:
                self._results.put((number, error))
        finally:
            carriers.put(carrier)

    def _settled(self, journal: Journal) -> Iterator[tuple[int, Proof | Exception]]:
        """Results as they come, until all rows have ended; keeps progress, stop and journal going meanwhile."""
        left = len(self._rows)
        while left:
            if self._control.stop.is_set():
                self._control.halt.set()
            # Looking now and then instead of waking for each small file leaves the time to those that carry.
            time.sleep(_TICK if self._results.empty() else 0)
            while not self._results.empty():
                yield self._results.get()
                left -= 1
            self._note_lost(journal)
            if self._waiting and time.monotonic() - self._last_settled > _SETTLE_EVERY:
                self._settle(journal)
            self._tell()

    def _note_lost(self, journal: Journal) -> None:
        """Write down which parts of large files are durable, and which places dropped out."""
        parts = False
        while not self._parts.empty():
            journal.part(*self._parts.get())
            parts = True
        while not self._lost.empty():
            target = self._lost.get()
            if target.place.id not in self._outcome.lost:
                self._outcome.lost[target.place.id] = why = str(target.lost)
                self._counts.lost(target.place.id, why)
                journal.lost(target.place, why)
        if parts:
            journal.sync()

    def _take(self, journal: Journal, number: int, result: Proof | Exception) -> None:
        if isinstance(result, Proof):
            self._waiting.append((number, result))
            return
        row = self._rows[number]
        if isinstance(result, FileTrouble):
            journal.failed(number, row, str(result))
            gone = isinstance(result, SourceGone)
            self._end(Done(row, False, str(result), untouched=gone, gone=gone))
        elif isinstance(result, RunTrouble):
            self._control.halt.set()
            # What ended the run came first; the stops of the files beside it follow from it.
            if self._outcome.trouble is None or isinstance(self._outcome.trouble, Stopped):
                self._outcome.trouble = result
            self._end(Done(row, False, str(self._outcome.trouble), untouched=True))
        else:
            raise result

    def _settle(self, journal: Journal) -> None:
        """Make the proofs at hand durable, then tell the ledger and the listener: only now they count as home."""
        self._waiting = [(number, self._sealed(number, proof)) for number, proof in self._waiting]
        self._synced.clear()
        journal.home(self._waiting)
        self._note_aside(journal)
        journal.sync()
        if self._task.kind is Kind.INTAKE:
            self._ledger.put([_home_file(proof) for _, proof in self._waiting])
            rows = [proof.row for _, proof in self._waiting]
            self._ledger.put_filed((row.destination or "", row.filed) for row in rows if row.capture)
            self._ledger.put_numbers(numbers_in(rows))
        main, at = self._targets[0].place.id, now()
        self._ledger.put_proofs(mark for _, proof in self._waiting for mark in _marks(proof, main, at))
        stays = self._part(journal)
        said = self._say_in_files(journal, stays)
        for number, proof in self._waiting:
            if number in stays:
                journal.failed(number, proof.row, stays[number])
                self._end(Done(proof.row, False, stays[number]))
                continue
            why = "Read back and equal." if proof.direct else "Read back after dropping its pages, and equal."
            if proof.row.sidecar and proof.row.destination not in said:
                trouble, stamp = write_sidecar(self._library.tree, proof.row, self._rules)
                why = f"{why} {trouble}".strip()
                if not trouble:
                    journal.sidecar(number, proof.row, *stamp)
            if proof.content is not None:
                for target in self._targets:
                    forget_partials(target.tree, proof.content)
            self._end(Done(proof.row, True, why, proof.full, copies=proof.copies))
        self._waiting.clear()
        self._last_settled = time.monotonic()
        self._tell(always=True)

    def _say_in_files(self, journal: Journal, stays: Container[int]) -> frozenset[str]:
        """Say in files what the house says of them. Returns the paths of which nothing is to be said beside them."""
        own = [proof.row for number, proof in self._waiting if number not in stays]
        rows = [row for row in own if row.source in self._going]
        if not rows:
            return frozenset()
        first, self._said = len(self._rows) + self._said, self._said + len(rows)
        return say_in_files(rows, first, self._library, self._ledger, journal, self._control.stop)

    def _note_aside(self, journal: Journal) -> None:
        """Write down what was put aside for the files at hand."""
        target = self._targets[0]
        for _, proof in self._waiting:
            to = self._task.aside.get(proof.row.destination or "")
            if to is not None and target.tree.found(to) is not None:
                journal.note({
                    "entry": "put aside", "place": target.place.id, "from": proof.row.destination, "to": str(to),
                })  # fmt: skip

    def _sealed(self, number: int, proof: Proof) -> Proof:
        """Make the names of a file durable in all its places, each folder once for all files at hand.

        Returns:
            The proof, without the places where that failed.

        Raises:
            OSError: when it failed in the library, as the main place.
            RunTrouble: when it failed in another one that is.
        """
        copies = []
        for copy in (None, *proof.copies):
            target = self._targets[0] if copy is None else self._by_id[copy.place]
            folder = inside(proof.row.destination).folder
            try:
                if (target.place.id, folder) not in self._synced and not (copy and copy.why):
                    target.tree.sync_folder(folder)
                    self._synced.add((target.place.id, folder))
            except OSError as error:
                if copy is None and target.place.id == LIBRARY:
                    raise
                target.lost = target.lost or PlaceLost(target.root, error)
                if copy is None:
                    raise target.lost from error
                self._lost.put(target)
                copy = replace(copy, why=str(target.lost))  # noqa: PLW2901
            copies += [copy] if copy is not None else []
        self._listener.step("folder synced", self._rows[number])
        return replace(proof, copies=tuple(copies)) if copies else proof

    def _end(self, done: Done) -> None:
        if done.home and done.row.counter:
            self._numbers[done.row.counter] = max(done.row.number, self._numbers.get(done.row.counter, 0))
        self._outcome.done.append(done)
        self._counts.end(done)
        self._listener.done(done)

    def _tell(self, *, always: bool = False) -> None:
        moment = time.monotonic()
        if not always and moment - self._last_told < _TELL_EVERY:
            return
        self._last_told = moment
        self._listener.progress(self._counts.progress(moment, self._control))


def _by_device(rows: Sequence[Row]) -> list[list[int]]:
    """Numbers of rows by the device that their source is on: different devices are read side by side."""
    devices: dict[str, int] = {}
    groups: dict[int, list[int]] = {}
    for number, row in enumerate(rows):
        if row.root not in devices:
            try:
                devices[row.root] = os.stat(row.root).st_dev
            except OSError:
                devices[row.root] = -1
        groups.setdefault(devices[row.root], []).append(number)
    return list(groups.values())


def _home_file(proof: Proof) -> HomeFile:
    row = proof.row
    return HomeFile(row.destination or "", row.size, proof.mtime_ns, None, proof.full)


def _marks(proof: Proof, main: str, at: str) -> Iterator[ProofMark]:
    path, size = proof.row.destination or "", proof.row.size
    yield ProofMark(
        main, path, size, proof.mtime_ns, proof.full, at, inode=proof.inode, ctime_ns=proof.ctime_ns
    )  # fmt: skip
    for copy in proof.copies:
        if not copy.why:
            yield ProofMark(
                copy.place, path, size, copy.mtime_ns, proof.full, at, inode=copy.inode, ctime_ns=copy.ctime_ns
            )  # fmt: skip
