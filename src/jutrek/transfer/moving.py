"""Moving files within a library, by a plan: a re-filing, or the taking back of one.

A move is a rename that replaces nothing, so at any time each file lies whole at its old path or at its new one:

    1. all moves are written into the journal, and synced;
    2. each file is compared with the plan (size and time), its folder is made, and it is renamed;
    3. the folders it left and came to are synced, then the journal tells that it moved, then the ledger follows.

Where names differ by case or form only, a file system may take both for one: then the file goes through a third name,
which the journal is told before; no name is ever removed for that.

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
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from jutrek.disk import OWN_FOLDER, TEMPORARY, Inside, Outside, Realm, Tree, chosen, folded, inside
from jutrek.errors import (
    CopyRefused,
    JutrekError,
    NameTaken,
    NotInside,
    NotMoved,
    PageBroken,
    PlanUnusable,
    RunTrouble,
    Stopped,
    of_place,
    shown,
)
from jutrek.filing import Plan, Row, numbers_in
from jutrek.library import LIBRARY, HomeFile, Library, Place, ProofMark, keep_numbers
from jutrek.transfer.at_work import begin_in, end_in
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.outcome import Done, Listener, Outcome, Progress
from jutrek.transfer.run_log import known_of_files

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE = 64
_TOLD_EVERY = 0.05
_FORGETTING = (0.2, 0.4, 0.8)
"""Seconds between tries to give a name that is free by its folder's list, and taken by the kernel's memory."""


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
        outside: files outside the library that are moved into it: out of a trash.
        behind: called with the rows that moved, before the run ends; returns sentences about what did not work.
    """

    kind: Kind
    objection: Callable[[Row], JutrekError | None] = lambda row: None
    about: Callable[[Row], dict[str, Any]] = lambda row: {}
    outside: frozenset[str] = frozenset()
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
        self._tree = library.tree
        self._places = {place: ledger.marks(place.id) for place in places}
        self._uneasy: set[Place] = set()
        self._moved: list[tuple[int, Row]] = []
        self._before: dict[str, os.stat_result] = {}
        self._touched: set[tuple[Tree, Inside | None]] = set()
        self._left: set[Inside] = set()
        self._outcome = Outcome()
        self._kind = orders.kind
        self._known: dict[str, tuple[int, int]] = {}
        self._began = self._told = time.monotonic()

    def go(self, takes_back: str) -> Outcome:
        if not self._rows:
            return self._outcome
        self._kind = Kind.TAKE_BACK if takes_back else self._orders.kind
        self._known = self._ledger.all_files() if self._is_refiling else {}
        try:
            journal = Journal.begin(self._library, self._kind, {"takes_back": takes_back} if takes_back else {})
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        self._outcome.run = journal.run
        try:
            journal.move(self._rows, self._orders.about)
            begin_in(self._places, journal.run)
            self._move_all(journal)
            self._outcome.remarks += self._orders.behind(journal, self._all_moved)
            self._remove_empty(journal)
            restore(self._library, self._ledger, self._pairs(done.row for done in self._outcome.done if done.home))
            how = "stopped" if self._outcome.trouble else "done"
            journal.end(how, self._outcome.home, len(self._rows) - self._outcome.home)
            end_in(self._places.keys() - self._uneasy, journal.run)
        except OSError as error:
            self._outcome.trouble = of_place(self._library.root, self._library.own, error)
        finally:
            journal.close()
        self._outcome.remarks += lists_follow(self._library, self._ledger, self._places)
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
        to = row.destination or ""
        try:
            (tree, old), new = self._from(row), inside(to, self._realm)
        except Outside as error:
            return NotInside(row.source if row.destination else to, error)
        try:
            self._listener.step("begin", row)
            status = tree.lstat(old)
            if not row.stamp.unchanged(status):
                return NotMoved(row.source, "it changed since the plan was made")
            if (objection := self._objection(row, old)) is not None:
                return objection
            self._tree.make_folders(new.folder)
            self._listener.step("folder made", row)
            if tree == self._tree and old.spelt_like(new):
                self._through(journal, number, old, new)
            else:
                self._tree.bring_in(tree, old, new)
            self._listener.step("renamed", row)
        except FileNotFoundError:
            return NotMoved(row.source, "it is gone")
        except FileExistsError:
            return self._taken(tree, old, new)
        except OSError as error:
            if error.errno == errno.EXDEV:
                return NotMoved(row.source, f"{shown(to)} lies on another disk")
            trouble = of_place(self._library.root, to, error)
            return NotMoved(row.source, trouble.error) if isinstance(trouble, CopyRefused) else trouble
        self._moved.append((number, row))
        self._before[row.destination or ""] = status
        self._touched |= {(tree, old.folder), (self._tree, new.folder)}
        if tree == self._tree and old.folder is not None:
            self._left.add(old.folder)
        return None

    @property
    def _realm(self) -> Realm:
        """A re-filing moves captures; what is put away, and comes back, lies below the library's own folder."""
        return Realm.CAPTURES if self._is_refiling else Realm.PUT_AWAY

    @property
    def _is_refiling(self) -> bool:
        return self._kind is Kind.REFILE

    def _from(self, row: Row) -> tuple[Tree, Inside]:
        if row.source in self._orders.outside:
            return chosen(row.source)
        return self._tree, self._tree.within(row.source, self._realm)

    def _objection(self, row: Row, old: Inside) -> JutrekError | None:
        """A plan of a re-filing names only what the ledger knows."""
        if self._is_refiling and self._known.get(str(old)) != (row.size, row.mtime_ns):
            return NotMoved(row.source, "it is no part of the library that the ledger knows")
        return self._orders.objection(row)

    def _through(self, journal: Journal, number: int, old: Inside, new: Inside) -> None:
        """Rename a file whose names differ by case or form only, which a file system may take for one."""
        if old == new:
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), str(new))
        between = old.beside(f"{TEMPORARY}{journal.run}-{number}.name")
        journal.through(number, between)
        rename_through(self._tree, old, between, new, lambda: self._listener.step("between", self._rows[number]))

    def _taken(self, tree: Tree, old: Inside, new: Inside) -> JutrekError:
        """Why a name could not be given: what bears it may be the file itself."""
        with contextlib.suppress(OSError):
            if os.path.samestat(tree.lstat(old), self._tree.lstat(new)):
                return NotMoved(tree.at(old), f"{shown(str(new))} is the same file under another name already")
        return NameTaken(str(new))

    def _settle(self, journal: Journal) -> None:
        """Make the moves at hand durable, write them down, and let the ledger follow."""
        for tree, folder in self._touched:
            tree.sync_folder(folder)
        for number, row in self._moved:
            journal.moved(number)
            self._listener.step("written down", row)
        journal.sync()
        pairs = self._pairs(row for _, row in self._moved)
        follow(self._ledger, pairs)
        self._see_again(pairs)
        self._move_copies(journal)
        numbers: dict[str, int] = {}
        self._ledger.put_numbers(numbers_in(row for _, row in self._moved))
        self._all_moved += self._moved
        for _, row in self._moved:
            if row.counter:
                numbers[row.counter] = max(row.number, numbers.get(row.counter, 0))
            self._end(Done(row, True, "Moved."))
        with contextlib.suppress(PageBroken):
            # A page of counters that is damaged is told by whatever needs a number next.
            keep_numbers(self._library, numbers)
        self._moved.clear()
        self._touched.clear()

    def _see_again(self, pairs: Pairs) -> None:
        """Renaming is a change of a file's own: what tells the very file that was proven is told anew."""
        marks = []
        for _, new in pairs:
            mark = self._ledger.mark_of(new)
            if mark is not None and mark.inode:
                with contextlib.suppress(OSError, Outside):
                    status = self._tree.lstat(inside(new, Realm.PUT_AWAY))
                    marks.append(_after_renaming(mark, self._before[new], status))
        self._before.clear()
        self._ledger.put_proofs(marks)

    def _move_copies(self, journal: Journal) -> None:
        """Let what other places hold of files follow them. What was changed there, or cannot move, stays."""
        for place, marks in self._places.items():
            moved: list[tuple[str, ProofMark]] = []
            for number, row in self._moved:
                old, new = self._pairs([row])[0]
                mark = marks.get(old)
                now = self._let_follow(place, mark, new, journal, number) if mark is not None else None
                if now is not None:
                    journal.note({"entry": "copy moved", "place": place.id, "from": old, "to": new})
                    moved.append((old, now))
            journal.sync()
            self._ledger.drop_proofs(place.id, (old for old, _ in moved))
            self._ledger.put_proofs(mark for _, mark in moved)

    def _let_follow(self, place: Place, mark: ProofMark, to: str, journal: Journal, number: int) -> ProofMark | None:
        try:
            return _moved_copy(place, mark, to, journal, number)
        except (FileNotFoundError, FileExistsError):
            return None
        except OSError:
            self._uneasy.add(place)
            return None

    def _pairs(self, rows: Iterable[Row]) -> Pairs:
        top = self._library.root.rstrip("/") + "/"
        return [(row.source.removeprefix(top), row.destination or "") for row in rows]

    def _remove_empty(self, journal: Journal) -> None:
        """Remove the folders that were emptied, and those above them that held nothing else."""
        for folder in sorted(self._left, key=lambda one: len(one.parts), reverse=True):
            for gone in remove_emptied(self._tree, folder):
                journal.removed_folder(str(gone))

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
        filed, proofs, _ = known_of_files(library)
        marks = [mark for mark in proofs if not mark.place and mark.path in back]
        ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for mark in marks])
        ledger.put_filed((path, filed[path]) for path in back & filed.keys())
        ledger.put_proofs(marks)


def rename_through(
    tree: Tree, old: Inside, between: Inside, new: Inside, reached: Callable[[], None] = lambda: None
) -> None:
    """Rename a file through a third name. Where the new name cannot be given, it gets the old one back.

    Args:
        reached: called when the file bears the third name.

    Raises:
        OSError: when a name could not be given.
    """
    tree.give_name(old, between)
    reached()
    try:
        named_at_last(tree, between, new)
    except OSError:
        tree.give_name(between, old)
        raise


def named_at_last(tree: Tree, between: Inside, new: Inside) -> None:
    """Give the new name. A kernel that remembers it under the old spelling (FUSE does, for a second) is waited for."""
    for wait in (*_FORGETTING, None):
        try:
            tree.give_name(between, new)
            return
        except FileExistsError:
            listed = {folded(name) for name in tree.names(new.folder)}
            if wait is None or folded(new.name) in listed:
                raise
            time.sleep(wait)


def remove_emptied(tree: Tree, folder: Inside | None) -> Iterator[Inside]:
    """Remove a folder that is empty, and those above it that are then; yields those that went."""
    while folder is not None:
        try:
            tree.remove_folder(folder)
            tree.sync_folder(folder.folder)
        except OSError:
            return
        yield folder
        folder = folder.folder


def _moved_copy(place: Place, mark: ProofMark, to: str, journal: Journal, number: int) -> ProofMark | None:
    """Move a copy within its place, if it is unchanged.

    Returns:
        Its mark there; None where it did not move.

    Raises:
        OSError: when it could not be moved.
    """
    tree = place.tree
    try:
        old, new = inside(mark.path, Realm.PUT_AWAY), inside(to, Realm.PUT_AWAY)
        before = tree.lstat(old)
        if not mark.fits(before):
            return None
        tree.make_folders(new.folder)
        if old.spelt_like(new):
            between = old.beside(f"{TEMPORARY}{journal.run}-{number}.name")
            journal.through(number, between, place.id)
            rename_through(tree, old, between, new)
        else:
            tree.give_name(old, new)
        for folder in {old.folder, new.folder}:
            tree.sync_folder(folder)
        for _ in remove_emptied(tree, old.folder):
            pass
        now = tree.lstat(new)
    except Outside:
        return None
    return _after_renaming(mark._replace(path=to), before, now)


def _after_renaming(mark: ProofMark, before: os.stat_result, after: os.stat_result) -> ProofMark:
    """The mark of a file that was renamed: it tells the very file still, if that was untouched until then."""
    if not mark.is_same(before) or not mark.fits(after):
        return mark._replace(inode=0, ctime_ns=0)
    return mark._replace(inode=after.st_ino, ctime_ns=after.st_ctime_ns)


def _put_away(path: str) -> bool:
    return path.startswith(f"{OWN_FOLDER}/")
