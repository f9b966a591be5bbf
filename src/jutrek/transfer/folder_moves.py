"""Folders of a library that move whole: one rename each, whatever lies in them.

    1. all of them are written into the journal, and synced;
    2. each is looked at, the folder above its new path is made, and it is renamed; nothing is ever replaced;
    3. the folders above are synced, the journal tells that it moved, the ledger follows, and so do connected places.

Names that differ by case or form only go through a third one. A kill leaves the folder at one path or the other: its
inode, which was written down before, tells which.
"""

from __future__ import annotations

import contextlib
import errno
import os
import threading
import time
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import TEMPORARY, Inside, Outside, Realm, Tree, inside
from jutrek.errors import (
    CopyRefused,
    JutrekError,
    NameTaken,
    NotInside,
    NotMoved,
    RunTrouble,
    Stopped,
    of_place,
    shown,
)
from jutrek.filing import Action, Row
from jutrek.library import LIBRARY, Library, Place
from jutrek.transfer.at_work import begin_in, end_in
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.journal import Journal, Kind
from jutrek.transfer.lock import locked
from jutrek.transfer.outcome import Done, Listener, Outcome, Progress
from jutrek.transfer.renaming import named_folder_at_last, remove_emptied

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog

_BUSY = frozenset({errno.EXDEV, errno.EBUSY})


class FolderMove(NamedTuple):
    """A folder that moves: its path, and the one that it is to have, relative to the library."""

    old: str
    new: str


def move_folders(
    moves: Sequence[FolderMove],
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    takes_back: str = "",
    places: Sequence[Place] = (),
    head: Mapping[str, Any] | None = None,
) -> Outcome:
    """Move folders with all that lies in them.

    Args:
        moves: which ones, where to. None lies in another one, and none goes into another one.
        library: the library.
        ledger: its ledger, open.
        stop: when set, the run ends between two folders.
        listener: hears how it goes on.
        takes_back: the run that it undoes.
        places: where copies follow.
        head: what the first line of the journal tells besides.

    Returns:
        The outcome; its rows are folders, of no size.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal cannot be written.
    """
    if not moves:
        return Outcome()
    with locked(library):
        return _FolderMoves(moves, library, ledger, stop, listener or Listener(), places).go(takes_back, head or {})


class _FolderMoves:
    def __init__(
        self,
        moves: Sequence[FolderMove],
        library: Library,
        ledger: Ledger,
        stop: threading.Event,
        listener: Listener,
        places: Sequence[Place],
    ) -> None:
        self._library, self._ledger, self._tree = library, ledger, library.tree
        self._stop, self._listener, self._places = stop, listener, places
        self._uneasy: set[Place] = set()
        self._rows = [
            Row(os.path.join(library.root, one.old), library.root, Action.MOVE, one.new, "Moved whole.", 0, 0)
            for one in moves
        ]
        self._moves = moves
        self._outcome = Outcome()
        self._began = time.monotonic()

    def go(self, takes_back: str, head: Mapping[str, Any]) -> Outcome:
        kind = Kind.TAKE_BACK if takes_back else Kind.TIDY
        try:
            journal = Journal.begin(self._library, kind, {**head, **({"takes_back": takes_back} if takes_back else {})})
        except OSError as error:
            raise of_place(self._library.root, self._library.own, error) from error
        self._outcome.run = journal.run
        try:
            # What is no folder inside gets no line: nobody could believe it.
            journal.move_folders({
                number: (move.old, move.new, self._inode(move.old))
                for number, move in enumerate(self._moves)
                if not isinstance(self._checked(move), JutrekError)
            })  # fmt: skip
            begin_in(self._places, journal.run)
            for number in range(len(self._moves)):
                self._move(journal, number)
            how = "stopped" if self._outcome.trouble else "done"
            moved = self._outcome.home
            journal.end(how, 0, 0, folders=moved)
            end_in(set(self._places) - self._uneasy, journal.run)
        except OSError as error:
            self._outcome.trouble = of_place(self._library.root, self._library.own, error)
        finally:
            journal.close()
        self._outcome.remarks += lists_follow(self._library, self._ledger, self._places)
        return self._outcome

    def _inode(self, path: str) -> int:
        status = self._tree.found(inside(path))
        return status.st_ino if status is not None else 0

    def _move(self, journal: Journal, number: int) -> None:
        row = self._rows[number]
        trouble: JutrekError | None = Stopped() if self._stop.is_set() else self._outcome.trouble
        if trouble is None:
            trouble = self._rename(journal, number)
        if isinstance(trouble, RunTrouble):
            self._outcome.trouble = trouble
        elif trouble is not None:
            journal.failed(number, row, str(trouble))
        done = Done(row, trouble is None, "Moved." if trouble is None else str(trouble), untouched=trouble is not None)
        self._outcome.done.append(done)
        self._listener.done(done)
        count, whole = self._outcome.home, len(self._rows)
        elapsed = time.monotonic() - self._began
        self._listener.progress(Progress(count, count, whole, whole, count, row.source, elapsed))

    def _checked(self, move: FolderMove) -> tuple[Inside, Inside] | JutrekError:
        """Whether a folder may move, as far as its paths and what lies there tell."""
        try:
            old, new = inside(move.old, Realm.CAPTURES), inside(move.new, Realm.CAPTURES)
        except Outside as error:
            return NotInside(move.old, error)
        if len(new.parts) > len(old.parts) and Inside(new.parts[: len(old.parts)]).spelt_like(old):
            return NotMoved(move.old, "a folder can't go into itself")
        if self._ledger.stored.below(move.old):
            return NotMoved(move.old, "something of it is stored on an archive drive; fetch it first")
        if self._ledger.stored.below(move.new):
            return NameTaken(move.new)
        try:
            if move.old.rpartition("/")[2] not in self._tree.folders(old.folder):
                return NotMoved(move.old, "it is gone")
            if not self._tree.is_folder(old):
                return NotMoved(move.old, "it is no folder")
            if self._tree.found(new) is not None and not self._tree.one_entry(old, new):
                return NameTaken(move.new)
        except (FileNotFoundError, NotADirectoryError):
            return NotMoved(move.old, "it is gone")
        except OSError as error:
            return self._of_place(move, error)
        return (old, new) if old != new else NameTaken(move.new)

    def _rename(self, journal: Journal, number: int) -> JutrekError | None:
        move, row = self._moves[number], self._rows[number]
        found = self._checked(move)
        if isinstance(found, JutrekError):
            return found
        old, new = found
        self._listener.step("begin", row)
        try:
            self._tree.make_folders(new.folder)
            self._listener.step("folder made", row)
            if old.spelt_like(new):
                between = _between(journal.run, number, old)
                journal.through(number, between)
                self._tree.rename_folder(old, between)
                self._listener.step("between", row)
                named_folder_at_last(self._tree, between, new, old)
            else:
                self._tree.rename_folder(old, new)
        except FileExistsError:
            return NameTaken(move.new)
        except OSError as error:
            if error.errno in _BUSY:
                return NotMoved(
                    move.old, "it, or where it is to go, is a disk of its own; merge them, which goes file by file"
                )
            return self._of_place(move, error)
        self._listener.step("renamed", row)
        for folder in dict.fromkeys((old.folder, new.folder)):
            self._tree.sync_folder(folder)
        journal.folder_moved(number)
        self._listener.step("written down", row)
        self._ledger.move_folder(move.old, move.new)
        self._listener.step("known", row)
        for place in self._places:
            self._let_follow(journal, number, place, old, new)
        for gone in remove_emptied(self._tree, old.folder):
            journal.removed_folder(str(gone))
        return None

    def _of_place(self, move: FolderMove, error: OSError) -> JutrekError:
        trouble = of_place(self._library.root, move.new, error)
        return NotMoved(move.old, trouble.error) if isinstance(trouble, CopyRefused) else trouble

    def _let_follow(self, journal: Journal, number: int, place: Place, old: Inside, new: Inside) -> None:
        """Move the folder of copies, where there is one and nothing is in its way; else catching up does it."""
        try:
            is_there = place.tree.found(new) is not None and not place.tree.one_entry(old, new)
            if is_there or not place.tree.is_folder(old):
                return
            place.tree.make_folders(new.folder)
            if old.spelt_like(new):
                between = _between(journal.run, number, old)
                journal.through(number, between, place.id)
                place.tree.rename_folder(old, between)
                named_folder_at_last(place.tree, between, new, old)
            else:
                place.tree.rename_folder(old, new)
            for folder in dict.fromkeys((old.folder, new.folder)):
                place.tree.sync_folder(folder)
            _copies_moved(self._ledger, journal, place, str(old), str(new))
            for _ in remove_emptied(place.tree, old.folder):
                pass
        except OSError:
            self._uneasy.add(place)


def _copies_moved(ledger: Ledger, journal: Journal, place: Place, old: str, new: str) -> None:
    journal.note({"entry": "copies moved", "place": place.id, "from": old, "to": new})
    journal.sync()
    ledger.move_folder(old, new, place.id)


def settle_folders(
    library: Library, ledger: Ledger, run_log: RunLog, journal: Journal, places: Sequence[Place]
) -> None:
    """Finish the account of folders that a run was moving when it was cut off."""
    for row, entry in run_log.folders.items():
        old, new = inside(entry["from"]), inside(entry["to"])
        through = run_log.through.get((LIBRARY, row))
        if through is not None and inside(through, Realm.OWN) == _between(run_log.run, row, old):
            _settle_between(library.tree, inside(through, Realm.OWN), new, old)
        if row not in run_log.folders_moved and _is_moved(library.tree, old, new, int(entry.get("inode", 0))):
            journal.folder_moved(row)
            run_log.folders_moved.add(row)
        if row not in run_log.folders_moved:
            continue
        ledger.move_folder(str(old), str(new))
        followed = {one["place"] for one in run_log.others if one["entry"] == "copies moved" and one["to"] == str(new)}
        for place in (one for one in places if one.id != LIBRARY and one.id not in followed):
            with contextlib.suppress(OSError):
                way = run_log.through.get((place.id, row))
                if way is not None and inside(way, Realm.OWN) == _between(run_log.run, row, old):
                    _settle_between(place.tree, inside(way, Realm.OWN), new, old)
                if _is_moved(place.tree, old, new, 0):
                    _copies_moved(ledger, journal, place, str(old), str(new))


def _between(run: str, row: int, old: Inside) -> Inside:
    return old.beside(f"{TEMPORARY}{run}-{row}.name")


def _settle_between(tree: Tree, between: Inside, new: Inside, old: Inside) -> None:
    if tree.found(between) is not None:
        named_folder_at_last(tree, between, new, old)


def _is_moved(tree: Tree, old: Inside, new: Inside, inode: int) -> bool:
    """Whether a folder lies at its new path."""
    there, here = tree.found(new), tree.found(old)
    if there is None or not tree.is_folder(new):
        return False
    if here is not None and tree.one_entry(old, new):
        return old != new and new.name in tree.names(new.folder)
    return here is None or (inode != 0 and there.st_ino == inode != here.st_ino)


def folders_back(library: Library, run_log: RunLog, now: Mapping[str, str]) -> tuple[list[FolderMove], list[str]]:
    """The moves that take back a run which moved folders, the last first, and sentences about what has to stay.

    Args:
        library: the library.
        run_log: what the run did.
        now: where these folders are by now, by where it put them.
    """
    moves, left = [], []
    for row in sorted(run_log.folders_moved, reverse=True):
        old, to = (str(run_log.folders[row][name]) for name in ("from", "to"))
        lies = now.get(to, to)
        try:
            is_there, is_taken = library.tree.is_folder(inside(lies)), library.tree.found(inside(old)) is not None
            if is_taken and is_there and library.tree.one_entry(inside(lies), inside(old)):
                is_taken = False
        except OSError:
            is_there = is_taken = False
        if not is_there:
            left.append(f"{shown(lies)} is gone.")
        elif is_taken:
            left.append(f"{shown(lies)} stays: there is a {shown(old)} again.")
        else:
            moves.append(FolderMove(lies, old))
    return moves, left
