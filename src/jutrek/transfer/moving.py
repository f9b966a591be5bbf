"""Moving files within a library, by a plan: a re-filing, or the taking back of one.

A move is a rename that replaces nothing, so at any time each file lies whole at its old path or at its new one:

    1. all moves are written into the journal, and synced;
    2. each file is compared with the plan (size and time), its folder is made, and it is renamed;
    3. the folders it left and came to are synced, then the journal tells that it moved, then the ledger follows.

A kill leaves files at one path or the other; the next start tells which by looking, and finishes the account. Folders
that a run emptied are removed; taking it back makes them again. What places hold of a file follows it there, as far as
it is unchanged; a place that is not connected learns it when it is caught up.
"""

from __future__ import annotations

import contextlib
import errno
import os
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from jutrek.disk import give_name, make_folders, sync_folder
from jutrek.errors import (
    CopyRefused,
    JutrekError,
    NameTaken,
    NotMoved,
    PlanUnusable,
    RunTrouble,
    Stopped,
    of_place,
    shown,
)
from jutrek.filing import Plan, Row
from jutrek.library import LIBRARY, OWN_FOLDER, HomeFile, Library, Place, ProofMark, keep_numbers
from jutrek.transfer.accounts import known_of_files
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.outcome import Done, Listener, Outcome, Progress

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE = 64
_TOLD_EVERY = 0.05


def refile(
    plan: Plan,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    takes_back: str = "",
    places: Sequence[Place] = (),
    orders: Orders | None = None,
) -> Outcome:
    """Carry out a plan of moves.

    Args:
        takes_back: the run that it undoes.
        places: where copies follow.
        orders: what is special about these moves.
        stop: when set, the run ends between two files.

    Returns:
        The outcome; a lost place, or a stop, is its `trouble`. What moved before has moved.

    Raises:
        PlanUnusable: when the plan is one of another library.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    if plan.library_id != library.id:
        raise PlanUnusable(plan.library, f"it was made for another library than {library.root}")
    with locked(library):
        moves = _Moves(plan.to_move(), library, ledger, stop, listener or Listener(), places, orders or _USUAL)
        return moves.go(takes_back)


@dataclass(frozen=True, slots=True)
class Orders:
    """What is special about a run of moves.

    Attributes:
        kind: what the journal calls it.
        objection: asked right before a file moves; what it returns keeps the file where it is.
        about: what the journal tells of a row besides.
        behind: called with the rows that moved, before the run ends; returns sentences about what did not work.
    """

    kind: Kind
    objection: Callable[[Row], JutrekError | None] = lambda row: None
    about: Callable[[Row], dict[str, Any]] = lambda row: {}
    behind: Callable[[Journal, Sequence[tuple[int, Row]]], Sequence[str]] = lambda journal, moved: ()


_USUAL = Orders(Kind.REFILE)


class _Moves:
    def __init__(
        self,
        rows: tuple[Row, ...],
        library: Library,
        ledger: Ledger,
        stop: threading.Event,
        listener: Listener,
        places: Sequence[Place],
        orders: Orders,
    ) -> None:
        self._rows, self._library, self._ledger = rows, library, ledger
        self._stop, self._listener, self._orders = stop, listener, orders
        self._all_moved: list[tuple[int, Row]] = []
        self._places = {place: ledger.proofs(place.id) for place in places}
        self._moved: list[tuple[int, Row]] = []
        self._touched: set[str] = set()
        self._left: set[str] = set()
        self._outcome = Outcome()
        self._began = self._told = time.monotonic()

    def go(self, takes_back: str) -> Outcome:
        if not self._rows:
            return self._outcome
        try:
            kind = Kind.TAKE_BACK if takes_back else self._orders.kind
            journal = Journal.begin(self._library, kind, {"takes_back": takes_back} if takes_back else {})
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        self._outcome.run = journal.run
        try:
            journal.move(self._rows, self._orders.about)
            self._move_all(journal)
            self._outcome.remarks += self._orders.behind(journal, self._all_moved)
            self._remove_empty(journal)
            restore(self._library, self._ledger, self._pairs(done.row for done in self._outcome.done if done.home))
            how = "stopped" if self._outcome.trouble else "done"
            journal.end(how, self._outcome.home, len(self._rows) - self._outcome.home)
        except OSError as error:
            self._outcome.trouble = of_place(self._library.root, self._library.own, error)
        finally:
            journal.close()
        return self._outcome

    def _move_all(self, journal: Journal) -> None:
        for number, row in enumerate(self._rows):
            trouble: JutrekError | None = Stopped() if self._stop.is_set() else self._outcome.trouble
            if trouble is None:
                trouble = self._move(journal, number, row)
            if isinstance(trouble, RunTrouble):
                self._outcome.trouble = trouble
                self._end(Done(row, False, str(trouble), untouched=True))
            elif trouble is not None:
                journal.failed(number, row, str(trouble))
                self._end(Done(row, False, str(trouble)))
            if len(self._moved) >= _AT_ONCE:
                self._settle(journal)
        self._settle(journal)

    def _move(self, journal: Journal, number: int, row: Row) -> JutrekError | None:
        """Move one file. Returns what kept it from that."""
        root, to = self._library.root, row.destination or ""
        target = os.path.join(root, to)
        try:
            self._listener.step("begin", row)
            status = os.lstat(row.source)
            if (status.st_size, status.st_mtime_ns) != (row.size, row.mtime_ns):
                return NotMoved(row.source, "it changed since the plan was made")
            if (objection := self._orders.objection(row)) is not None:
                return objection
            make_folders(os.path.dirname(target), within=root) if os.path.dirname(to) else None
            self._listener.step("folder made", row)
            give_name(row.source, target)
            self._listener.step("renamed", row)
        except FileNotFoundError:
            return NotMoved(row.source, "it is gone")
        except FileExistsError:
            return NameTaken(to)
        except OSError as error:
            if error.errno == errno.EXDEV:
                return NotMoved(row.source, f"{shown(to)} lies on another disk")
            trouble = of_place(root, to, error)
            return NotMoved(row.source, trouble.error) if isinstance(trouble, CopyRefused) else trouble
        self._moved.append((number, row))
        self._touched |= {os.path.dirname(row.source), os.path.dirname(target)}
        self._left.add(os.path.dirname(row.source))
        return None

    def _settle(self, journal: Journal) -> None:
        """Make the moves at hand durable, write them down, and let the ledger follow."""
        for folder in self._touched:
            sync_folder(folder)
        for number, row in self._moved:
            journal.moved(number)
            self._listener.step("written down", row)
        journal.sync()
        pairs = self._pairs(row for _, row in self._moved)
        follow(self._ledger, pairs)
        self._move_copies(journal, pairs)
        numbers: dict[str, int] = {}
        self._all_moved += self._moved
        for _, row in self._moved:
            if row.counter:
                numbers[row.counter] = max(row.number, numbers.get(row.counter, 0))
            self._end(Done(row, True, "Moved."))
        keep_numbers(self._library, numbers)
        self._moved.clear()
        self._touched.clear()

    def _move_copies(self, journal: Journal, pairs: Pairs) -> None:
        """Let what other places hold of files follow them. What was changed there, or cannot move, stays."""
        for place, proofs in self._places.items():
            moved: list[tuple[str, ProofMark]] = []
            for old, new in pairs:
                mark = proofs.get(old)
                if mark is not None and _moved_copy(place, mark, new):
                    journal.note({"entry": "copy moved", "place": place.id, "from": old, "to": new})
                    moved.append((old, mark._replace(path=new)))
            journal.sync()
            self._ledger.drop_proofs(place.id, (old for old, _ in moved))
            self._ledger.put_proofs(mark for _, mark in moved)

    def _pairs(self, rows: Iterable[Row]) -> Pairs:
        return [(os.path.relpath(row.source, self._library.root), row.destination or "") for row in rows]

    def _remove_empty(self, journal: Journal) -> None:
        """Remove the folders that were emptied, and those above them that held nothing else."""
        for folder in sorted(self._left, key=len, reverse=True):
            while folder.startswith(self._library.root + os.sep):
                try:
                    os.rmdir(folder)
                except OSError:
                    break
                journal.removed_folder(os.path.relpath(folder, self._library.root))
                with contextlib.suppress(OSError):
                    sync_folder(os.path.dirname(folder))
                folder = os.path.dirname(folder)  # noqa: PLW2901

    def _end(self, done: Done) -> None:
        self._outcome.done.append(done)
        self._listener.done(done)
        now = time.monotonic()
        if now - self._told > _TOLD_EVERY or len(self._outcome.done) == len(self._rows):
            self._told = now
            count = self._outcome.home
            self._listener.progress(
                Progress(count, count, len(self._rows), len(self._rows), count, done.row.source, now - self._began)
            )


Pairs = list[tuple[str, str]]
"""Paths relative to the library, before and after a move."""


def follow(ledger: Ledger, pairs: Pairs) -> None:
    """Let the ledger follow moves. What was put away under `.jutrek/` is not in the library any more."""
    ledger.move([pair for pair in pairs if not any(map(_put_away, pair))])
    gone = [old for old, new in pairs if _put_away(new)]
    ledger.drop(gone)
    ledger.drop_proofs(LIBRARY, gone)


def restore(library: Library, ledger: Ledger, pairs: Pairs) -> None:
    """Let the ledger know again, from the journals, what came back from under `.jutrek/`."""
    back = {new for old, new in pairs if _put_away(old)}
    if back:
        filed, proofs = known_of_files(library)
        marks = [mark for mark in proofs if not mark.place and mark.path in back]
        ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for mark in marks])
        ledger.put_filed((path, filed[path]) for path in back & filed.keys())
        ledger.put_proofs(marks)


def _moved_copy(place: Place, mark: ProofMark, new: str) -> bool:
    """Move a copy within its place, if it is unchanged. Returns whether it moved."""
    old_path, new_path = os.path.join(place.root, mark.path), os.path.join(place.root, new)
    try:
        status = os.lstat(old_path)
        if (status.st_size, status.st_mtime_ns) != (mark.size, mark.mtime_ns):
            return False
        make_folders(os.path.dirname(new_path), within=place.root)
        give_name(old_path, new_path)
        for folder in {os.path.dirname(old_path), os.path.dirname(new_path)}:
            sync_folder(folder)
        with contextlib.suppress(OSError):
            os.removedirs(os.path.dirname(old_path))
    except OSError:
        return False
    return True


def _put_away(path: str) -> bool:
    return path.startswith(f"{OWN_FOLDER}/")
