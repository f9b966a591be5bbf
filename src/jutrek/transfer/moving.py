"""Moving files within a library, by a plan: a re-filing, or the taking back of one.

A move is a rename that replaces nothing, so at any time each file lies whole at its old path or at its new one:

    1. all moves are written into the journal, and synced;
    2. each file is compared with the plan (size and time), its folder is made, and it is renamed;
    3. the folders it left and came to are synced, then the journal tells that it moved, then the ledger follows.

A kill leaves files at one path or the other; the next start tells which by looking, and finishes the account. Folders
that a re-filing emptied are removed; taking it back makes them again.
"""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import threading
import time
from datetime import datetime
from typing import TYPE_CHECKING

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
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.library import Library, keep_numbers
from jutrek.transfer.accounts import refilings
from jutrek.transfer.bring import Done, Listener, Outcome, Progress
from jutrek.transfer.journal import MOVES, Journal
from jutrek.transfer.lock import locked

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
) -> Outcome:
    """Carry out a plan of moves.

    Args:
        takes_back: the re-filing that it undoes.
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
        return _Moves(plan.to_move(), library, ledger, stop, listener or Listener()).go(takes_back)


class _Moves:
    def __init__(
        self, rows: tuple[Row, ...], library: Library, ledger: Ledger, stop: threading.Event, listener: Listener
    ) -> None:
        self._rows, self._library, self._ledger = rows, library, ledger
        self._stop, self._listener = stop, listener
        self._id = f"{datetime.now():%Y%m%d-%H%M%S-%f}-{secrets.token_hex(3)}{MOVES}"
        self._moved: list[tuple[int, Row]] = []
        self._touched: set[str] = set()
        self._left: set[str] = set()
        self._outcome = Outcome()
        self._began = self._told = time.monotonic()

    def go(self, takes_back: str) -> Outcome:
        if not self._rows:
            return self._outcome
        try:
            journal = Journal(self._library, self._id)
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        try:
            journal.begin_moves(self._rows, takes_back)
            self._move_all(journal)
            self._remove_empty(journal)
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
        root = self._library.root
        self._ledger.move([(os.path.relpath(row.source, root), row.destination or "") for _, row in self._moved])
        numbers: dict[str, int] = {}
        for _, row in self._moved:
            if row.counter:
                numbers[row.counter] = max(row.number, numbers.get(row.counter, 0))
            self._end(Done(row, True, "Moved."))
        keep_numbers(self._library, numbers)
        self._moved.clear()
        self._touched.clear()

    def _remove_empty(self, journal: Journal) -> None:
        """Remove the folders that were emptied, and those above them that held nothing else."""
        for folder in sorted(self._left, key=len, reverse=True):
            while folder != self._library.root:
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


def last_refiling(library: Library) -> str:
    """The id of the newest re-filing that moved something and was not taken back; empty where there is none."""
    taken_back: set[str] = set()
    for account in refilings(library):
        if account.takes_back:
            taken_back.add(account.takes_back)
        elif account.done and account.intake not in taken_back:
            return account.intake
    return ""


def plan_taking_back(library: Library, intake: str) -> tuple[Plan, list[str]]:
    """The plan that moves back what a re-filing moved, and sentences about what has to stay where it is.

    Raises:
        PlanUnusable: when there is no such re-filing.
    """
    account = next((one for one in refilings(library) if one.intake == intake), None)
    if account is None:
        raise PlanUnusable(library.root, f"no re-filing {intake} is in its journal")
    rows, left = [], []
    for number in sorted(account.done, reverse=True):
        entry = account.to_move[number]
        now = os.path.join(library.root, str(entry["to"]))
        stamp = int(entry["size"]), int(entry["mtime_ns"])
        try:
            status = os.lstat(now)
        except OSError:
            left.append(f"{shown(str(entry['to']))} is gone.")
            continue
        if (status.st_size, status.st_mtime_ns) != stamp:
            left.append(f"{shown(str(entry['to']))} was changed since.")
        else:
            rows.append(Row(now, library.root, Action.MOVE, str(entry["from"]), "Back to where it was.", *stamp))
    return Plan(library.root, library.id, HouseRules(), tuple(rows)), left
