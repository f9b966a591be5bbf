"""Moving files within a library, by a plan: a re-filing, tidying, or the taking back of one.

A move is a rename that replaces nothing, so at any time each file lies whole at its old path or at its new one:

    1. all moves are written into the journal, and synced;
    2. each file is compared with the plan (size and time), its folder is made, and it is renamed;
    3. the folders it left and came to are synced, then the journal tells that it moved, then the ledger follows.

Where names differ by case or form only, a file system may take both for one: then the file goes through a third name,
which the journal is told before; no name is ever removed for that. Files that go to one another's names all go through
such names, and the journal is told when all of them bear them. Onto another file system goes a proven copy (`across`).

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
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from jutrek.disk import TEMPORARY, Held, Inside, Outside, Realm, Tree, chosen, inside
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
from jutrek.library import Library, Place, keep_numbers
from jutrek.transfer.across import move_across
from jutrek.transfer.at_work import begin_in, end_in
from jutrek.transfer.copies import temporary_name
from jutrek.transfer.folders import HeldFolders
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.ledger_follows import Pairs, follow, restore
from jutrek.transfer.lock import locked
from jutrek.transfer.moved_copies import MovedCopies
from jutrek.transfer.orders import Orders
from jutrek.transfer.outcome import Done, Listener, Outcome, Progress
from jutrek.transfer.renaming import in_turn, named_somehow, remove_emptied, rename_through

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_AT_ONCE, _HELD, _SETTLED_EVERY = 4096, 200, 0.5
"""After so many files, folders or seconds moves are made durable, and told."""
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


_USUAL = Orders(Kind.REFILE)


class _Step(NamedTuple):
    """A move that may be made: where from, where to, in which folders, and the file as it was right before."""

    number: int
    row: Row
    tree: Tree
    old: Inside
    new: Inside
    left: Inside | None
    came: Inside | None
    status: os.stat_result


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
        self._top = library.root.rstrip("/") + "/"
        self._tree, self._folders = library.tree, HeldFolders()
        self._copies, self._stored = MovedCopies(places, ledger), ledger.stored.all()
        self._moved: list[_Step] = []
        self._all_moved: list[tuple[int, Row]] = []
        self._touched: dict[tuple[str, Inside | None], Tree] = {}
        self._folder_objects: dict[tuple[str, ...], Inside | None] = {}
        self._held: dict[tuple[str, int], Held] = {}
        self._left: set[Inside] = set()
        self._outcome = Outcome()
        self._kind = orders.kind
        self._known: dict[str, tuple[int, int]] = {}
        self._began = self._told = self._settled = time.monotonic()

    def go(self, takes_back: str) -> Outcome:
        if not self._rows:
            return self._outcome
        self._kind = Kind.TAKE_BACK if takes_back else self._orders.kind
        self._known = self._ledger.all_files() if self._kind is Kind.REFILE else {}
        head = {**self._orders.head, **({"takes_back": takes_back} if takes_back else {})}
        try:
            journal = Journal.begin(self._library, self._kind, head)
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        self._outcome.run = journal.run
        try:
            journal.move(self._rows, self._orders.about)
            begin_in(self._copies.places, journal.run)
            self._move_all(journal)
            self._outcome.remarks += self._orders.behind(journal, self._all_moved)
            self._remove_empty(journal)
            restore(self._library, self._ledger, self._pairs(done.row for done in self._outcome.done if done.home))
            how = "stopped" if self._outcome.trouble else "done"
            journal.end(how, self._outcome.home, len(self._rows) - self._outcome.home)
            end_in(set(self._copies.places) - self._copies.uneasy, journal.run)
        except OSError as error:
            self._outcome.trouble = of_place(self._library.root, self._library.own, error)
        finally:
            self._leave_folders()
            journal.close()
        self._outcome.remarks += lists_follow(self._library, self._ledger, self._copies.places)
        return self._outcome

    def _move_all(self, journal: Journal) -> None:
        turning = in_turn([(row.source.removeprefix(self._top), row.destination or "") for row in self._rows])
        for number, row in enumerate(self._rows):
            if number in turning:
                continue
            trouble: JutrekError | None = Stopped() if self._stop.is_set() else self._outcome.trouble
            if trouble is None:
                trouble = self._move(journal, number, row)
            if trouble is not None:
                self._refuse(journal, number, trouble)
            if len(self._moved) >= _AT_ONCE or len(self._touched) >= _HELD or self._is_due():
                self._settle(journal)
        self._settle(journal)
        if turning:
            self._turn(journal, sorted(turning))

    def _is_due(self) -> bool:
        return bool(self._moved) and time.monotonic() - self._settled > _SETTLED_EVERY

    def _refuse(self, journal: Journal, number: int, trouble: JutrekError) -> None:
        """A file stays where it is; what is no trouble of its own ends the run."""
        row = self._rows[number]
        if isinstance(trouble, RunTrouble):
            self._outcome.trouble = trouble
            self._end(Done(row, False, str(trouble), untouched=True))
        else:
            journal.failed(number, row, str(trouble))
            self._end(Done(row, False, str(trouble)))

    def _move(self, journal: Journal, number: int, row: Row) -> JutrekError | None:
        """Move one file. Returns what kept it from that."""
        step = self._checked(number, row)
        if isinstance(step, JutrekError):
            return step
        try:
            after = self._hold(self._tree, step.came, make=True)
            self._listener.step("folder made", row)
            if step.tree is self._tree and step.old.spelt_like(step.new):
                self._through(journal, step)
            else:
                self._hold(step.tree, step.left).give_name_in(after, step.old, step.new)
            self._listener.step("renamed", row)
        except OSError as error:
            if error.errno != errno.EXDEV or step.tree is not self._tree:
                return self._why_not(step, error)
            if (why := self._across(journal, step)) is not None:
                return why
        self._has_moved(step)
        return None

    def _across(self, journal: Journal, step: _Step) -> JutrekError | None:
        """Move one file onto another file system. Returns what kept it from that."""
        temporary = step.new.beside(temporary_name(journal.run, step.number))
        try:
            move_across(
                self._tree, step.old, step.new, temporary, lambda full: journal.across(step.number, full),
                lambda name: self._listener.step(name, step.row),
            )  # fmt: skip
        except OSError as error:
            return self._why_not(step, error)
        except NotMoved as error:
            return error
        self._listener.step("renamed", step.row)
        return None

    def _checked(self, number: int, row: Row) -> _Step | JutrekError:
        """Whether a file is what it was when it was planned for, and may move."""
        to = row.destination or ""
        try:
            (tree, old), new = self._from(row), inside(to, self._realm)
        except Outside as error:
            return NotInside(row.source if row.destination else to, error)
        try:
            self._listener.step("begin", row)
            left = self._folder_of(old)
            status = self._hold(tree, left).lstat(old)
        except (FileNotFoundError, NotADirectoryError):
            stored = str(old) in self._stored
            return NotMoved(row.source, "it is stored on an archive drive; fetch it first" if stored else "it is gone")
        except OSError as error:
            return self._of_place(to, row, error)
        if to in self._stored:
            return NameTaken(to)
        if not row.stamp.unchanged(status):
            return NotMoved(row.source, "it changed since the plan was made")
        return self._objection(row, old) or _Step(
            number, row, tree, old, new, left, self._folder_of(new), status
        )  # fmt: skip

    def _folder_of(self, path: Inside) -> Inside | None:
        """The folder of a path; of very many files in one it is the same object, by which it is known at once."""
        parts = path.parts[:-1]
        if parts not in self._folder_objects:
            self._folder_objects[parts] = path.folder
        return self._folder_objects[parts]

    def _hold(self, tree: Tree, folder: Inside | None, *, make: bool = False) -> Held:
        key = tree.root, id(folder)
        if key not in self._held:
            self._held[key] = self._folders.hold(tree, folder, make=make)
            self._touched[tree.root, folder] = tree
        return self._held[key]

    def _leave_folders(self) -> None:
        """Hold no folder any more."""
        self._folders.close()
        self._held.clear()
        self._folder_objects.clear()
        self._touched.clear()

    def _why_not(self, step: _Step, error: OSError) -> JutrekError:
        row, to = step.row, step.row.destination or ""
        if isinstance(error, FileExistsError):
            return self._taken(step)
        if isinstance(error, FileNotFoundError):
            return NotMoved(row.source, "it is gone")
        if error.errno == errno.EXDEV:
            return NotMoved(row.source, f"{shown(to)} lies on another disk")
        return self._of_place(to, row, error)

    def _of_place(self, to: str, row: Row, error: OSError) -> JutrekError:
        trouble = of_place(self._library.root, to, error)
        return NotMoved(row.source, trouble.error) if isinstance(trouble, CopyRefused) else trouble

    def _has_moved(self, step: _Step) -> None:
        self._moved.append(step)
        if step.tree is self._tree and step.left is not None:
            self._left.add(step.left)

    @property
    def _realm(self) -> Realm:
        """A re-filing moves captures; what is put away, and comes back, lies below the library's own folder."""
        return Realm.CAPTURES if self._kind in (Kind.REFILE, Kind.TIDY) else Realm.PUT_AWAY

    def _from(self, row: Row) -> tuple[Tree, Inside]:
        if row.source in self._orders.outside:
            return chosen(row.source)
        return self._tree, self._tree.within(row.source, self._realm)

    def _objection(self, row: Row, old: Inside) -> JutrekError | None:
        """A plan of a re-filing names only what the ledger knows."""
        if self._kind is Kind.REFILE and self._known.get(str(old)) != (row.size, row.mtime_ns):
            return NotMoved(row.source, "it is no part of the library that the ledger knows")
        return self._orders.objection(row)

    def _through(self, journal: Journal, step: _Step) -> None:
        """Rename a file whose names differ by case or form only, which a file system may take for one."""
        old, new = step.old, step.new
        if old == new:
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), str(new))
        between = self._between(journal, step.number, old)
        journal.through(step.number, between)
        rename_through(self._tree, old, between, new, lambda: self._listener.step("between", step.row))

    def _between(self, journal: Journal, number: int, old: Inside) -> Inside:
        return old.beside(f"{TEMPORARY}{journal.run}-{number}.name")

    def _taken(self, step: _Step) -> JutrekError:
        """Why a name could not be given: what bears it may be the file itself."""
        with contextlib.suppress(OSError):
            if os.path.samestat(step.tree.lstat(step.old), self._tree.lstat(step.new)):
                why = f"{shown(str(step.new))} is the same file under another name already"
                return NotMoved(step.tree.at(step.old), why)
        return NameTaken(str(step.new))

    # ---- to one another's names

    def _turn(self, journal: Journal, numbers: Sequence[int]) -> None:
        """Move files to names that others of them have: all go through names in between, or none moves.

        Only when all bear names in between, and that is written down, are the new ones given: whoever finds the run cut
        off knows of each where it was, and where it is to be.
        """
        if self._stop.is_set() or self._outcome.trouble is not None:
            for number in numbers:
                self._refuse(journal, number, self._outcome.trouble or Stopped())
            return
        found = [self._checked(number, self._rows[number]) for number in numbers]
        steps = [one for one in found if isinstance(one, _Step)]
        if len(steps) < len(found):
            own = {number: one for number, one in zip(numbers, found, strict=True) if isinstance(one, JutrekError)}
            self._refuse_all(journal, numbers, own)
            return
        between = {step.number: self._between(journal, step.number, step.old) for step in steps}
        journal.turn({step.number: (between[step.number], step.status.st_ino) for step in steps})
        if (refused := self._let_go(steps, between)) is not None:
            self._refuse_all(journal, numbers, refused)
            return
        try:
            for folder in dict.fromkeys(step.left for step in steps):
                self._tree.sync_folder(folder)
            journal.parted(len(steps))
        except OSError:
            # What can't be written down does not happen; what can't go back either is put right by the next start.
            for step in reversed(steps):
                with contextlib.suppress(OSError):
                    named_somehow(self._tree, between[step.number], step.old)
            raise
        for step in steps:
            self._arrive(journal, step, between[step.number])
        self._settle(journal, turned=True)

    def _let_go(self, steps: Sequence[_Step], between: Mapping[int, Inside]) -> dict[int, JutrekError] | None:
        """Give all of them names in between; where one can't get it, all have their own ones again."""
        gone: list[_Step] = []
        for step in steps:
            try:
                self._tree.give_name(step.old, between[step.number])
            except OSError as error:
                for other in reversed(gone):
                    named_somehow(self._tree, between[other.number], other.old)
                return {step.number: self._why_not(step, error)}
            gone.append(step)
            self._listener.step("between", step.row)
        return None

    def _refuse_all(self, journal: Journal, numbers: Sequence[int], own: Mapping[int, JutrekError]) -> None:
        """None of the files moves that go to one another's names, since some may not."""
        for number in numbers:
            source = self._rows[number].source
            other = NotMoved(source, "it goes to the name of another file, and one of these has to stay")
            self._refuse(journal, number, own.get(number, other))

    def _arrive(self, journal: Journal, step: _Step, between: Inside) -> None:
        """Give a file its new name; where somebody else took that meanwhile, its old one, or one told apart."""
        try:
            self._hold(self._tree, step.came, make=True)
            came = named_somehow(self._tree, between, step.new, step.old)
        except OSError as error:
            with contextlib.suppress(OSError):
                named_somehow(self._tree, between, step.old)
            self._refuse(journal, step.number, self._why_not(step, error))
            return
        self._listener.step("renamed", step.row)
        if came == step.new:
            self._has_moved(step)
        else:
            why = f"{shown(str(step.new))} was taken meanwhile; it is called {shown(str(came))} now"
            self._refuse(journal, step.number, NotMoved(step.row.source, why))

    # ---- what was done

    def _settle(self, journal: Journal, *, turned: bool = False) -> None:
        """Make the moves at hand durable, write them down, and let the ledger follow."""
        self._settled = time.monotonic()
        if not self._moved:
            self._leave_folders()
            return
        for (_, folder), tree in self._touched.items():
            tree.sync_folder(folder)
        self._leave_out_lost(journal)
        journal.moved([step.number for step in self._moved])
        for step in self._moved:
            self._listener.step("written down", step.row)
        journal.sync()
        follow(
            self._ledger, self._pairs(step.row for step in self._moved), by_hand=self._orders.by_hand,
            turned=journal.run if turned else "",
        )  # fmt: skip
        self._see_again()
        moved = [(step.number, str(step.old), str(step.new)) for step in self._moved if step.tree is self._tree]
        (self._copies.turn if turned else self._copies.follow)(moved, journal)
        self._count()
        for step in self._moved:
            self._end(Done(step.row, True, "Moved."))
        self._all_moved += ((step.number, step.row) for step in self._moved)
        self._leave_folders()
        self._moved.clear()

    def _leave_out_lost(self, journal: Journal) -> None:
        """What came into a folder that somebody renamed or moved meanwhile does not lie where it was to be."""
        lost = set()
        for folder in {step.came for step in self._moved}:
            try:
                self._folders.check(self._tree, folder)
            except (FileNotFoundError, NotADirectoryError, KeyError):
                lost.add(folder)
        for step in [one for one in self._moved if one.came in lost]:
            if self._tree.found(step.new) is None:
                self._moved.remove(step)
                why = "the folder that it came to was moved meanwhile, and so was the file"
                self._refuse(journal, step.number, NotMoved(step.row.source, why))

    def _see_again(self) -> None:
        """Renaming is a change of a file's own: what tells the very file that was proven is told anew."""
        seen = []
        for step in self._moved:
            with contextlib.suppress(OSError):
                seen.append((str(step.new), step.status, self._hold(self._tree, step.came).lstat(step.new)))
        self._ledger.see_renamed(seen)

    def _count(self) -> None:
        """Keep which numbers names were given."""
        self._ledger.put_numbers(numbers_in(step.row for step in self._moved))
        numbers: dict[str, int] = {}
        for row in (step.row for step in self._moved if step.row.counter):
            numbers[row.counter] = max(row.number, numbers.get(row.counter, 0))
        with contextlib.suppress(PageBroken):
            # A page of counters that is damaged is told by whatever needs a number next.
            keep_numbers(self._library, numbers)

    def _pairs(self, rows: Iterable[Row]) -> Pairs:
        return [(row.source.removeprefix(self._top), row.destination or "") for row in rows]

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
