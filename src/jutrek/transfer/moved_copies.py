"""What places hold of files that moved in the library follows them there, as far as it is unchanged.

What was changed in a place, or cannot move, stays; catching the place up tells. A place that is not connected learns it
when it is caught up.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING

from jutrek.disk import TEMPORARY, Inside, Outside, Realm, inside
from jutrek.library import Place, ProofMark
from jutrek.transfer.journal import Journal
from jutrek.transfer.renaming import after_renaming, named_somehow, remove_emptied, rename_through

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Moved = tuple[int, str, str]
"""A row, the path that its file had, and the one that it has, both relative to the library."""


class MovedCopies:
    """Places whose copies follow a run of moves."""

    def __init__(self, places: Sequence[Place], ledger: Ledger) -> None:
        self.places = list(places)
        self.uneasy: set[Place] = set()
        """Those in which something could not be moved for a trouble of the disk."""
        self._ledger = ledger
        self._marks = {place: ledger.marks(place.id) for place in places}

    def follow(self, moved: Iterable[Moved], journal: Journal) -> None:
        """Let copies follow files that moved, each to a name that no other of them had."""
        files = list(moved)
        self._for_all(files, journal, self._move)

    def turn(self, moved: Iterable[Moved], journal: Journal) -> None:
        """Let copies follow files that moved to one another's names: all of them through names in between."""
        files = list(moved)
        self._for_all(files, journal, self._turn)

    def _for_all(
        self,
        files: list[Moved],
        journal: Journal,
        how: Callable[[Place, list[tuple[Moved, ProofMark]], Journal], dict[int, ProofMark]],
    ) -> None:
        for place, marks in self._marks.items():
            held = [(one, marks[one[1]]) for one in files if one[1] in marks]
            if not held:
                continue
            came = how(place, held, journal)
            pairs = [(old, came[number]) for (number, old, _), _ in held if number in came]
            journal.note(*(
                {"entry": "copy moved", "place": place.id, "from": old, "to": mark.path} for old, mark in pairs
            ))  # fmt: skip
            journal.sync()
            self._ledger.drop_proofs(place.id, (old for old, _ in pairs))
            self._ledger.put_proofs(mark for _, mark in pairs)

    def _move(self, place: Place, held: list[tuple[Moved, ProofMark]], journal: Journal) -> dict[int, ProofMark]:
        came: dict[int, ProofMark] = {}
        touched: set[Inside | None] = set()
        left: set[Inside] = set()
        for (number, _, to), mark in held:
            try:
                mark_there, old, new = _moved_copy(place, mark, to, journal, number)
            except (FileNotFoundError, FileExistsError, Outside):
                continue
            except OSError:
                self.uneasy.add(place)
                continue
            came[number] = mark_there
            touched |= {old.folder, new.folder}
            left |= {old.folder} if old.folder is not None else set()
        self._tidy_up(place, touched, left)
        return came

    def _turn(self, place: Place, held: list[tuple[Moved, ProofMark]], journal: Journal) -> dict[int, ProofMark]:
        came: dict[int, ProofMark] = {}
        try:
            between = self._let_go_through(place, held, journal)
            for number, (old, name, new, status, mark) in between.items():
                place.tree.make_folders(new.folder)
                if named_somehow(place.tree, name, new, old) == new:
                    came[number] = after_renaming(mark._replace(path=str(new)), status, place.tree.lstat(new))
            folders = {one.folder for old, _, new, _, _ in between.values() for one in (old, new)}
            self._tidy_up(place, folders, {one for one in folders if one is not None})
        except (OSError, Outside):
            self.uneasy.add(place)
        unsure_of(place.id, [old for (number, old, _), _ in held if number not in came], journal, self._ledger)
        return came

    def _let_go_through(
        self, place: Place, held: list[tuple[Moved, ProofMark]], journal: Journal
    ) -> dict[int, tuple[Inside, Inside, Inside, os.stat_result, ProofMark]]:
        """Give what is unchanged names in between, which are written down before."""
        between: dict[int, tuple[Inside, Inside, Inside, os.stat_result, ProofMark]] = {}
        for (number, _, to), mark in held:
            old, new = inside(mark.path), inside(to)
            status = place.tree.found(old)
            if status is not None and mark.fits(status):
                name = old.beside(f"{TEMPORARY}{journal.run}-{number}.name")
                between[number] = old, name, new, status, mark
        journal.turn({row: (name, status.st_ino) for row, (_, name, _, status, _) in between.items()}, place.id)
        for old, name, _, _, _ in between.values():
            place.tree.give_name(old, name)
        return between

    def _tidy_up(self, place: Place, touched: Iterable[Inside | None], left: Iterable[Inside]) -> None:
        """Make names durable; folders that were emptied go."""
        try:
            for folder in touched:
                place.tree.sync_folder(folder)
            for folder in sorted(left, key=lambda one: len(one.parts), reverse=True):
                for _ in remove_emptied(place.tree, folder):
                    pass
        except OSError:
            self.uneasy.add(place)


def unsure_of(place: str, paths: Sequence[str], journal: Journal, ledger: Ledger) -> None:
    """Forget what was proven at some paths of a place: another file may lie there now."""
    journal.note(*({"entry": "unsure", "place": place, "path": path} for path in paths))
    ledger.drop_proofs(place, paths)


def _moved_copy(
    place: Place, mark: ProofMark, to: str, journal: Journal, number: int
) -> tuple[ProofMark, Inside, Inside]:
    """Move a copy within its place, if it is unchanged.

    Returns:
        Its mark there, where it lay, and where it lies.

    Raises:
        FileNotFoundError: when it is not there as it was.
        FileExistsError: when something else bears the name.
        OSError: when it could not be moved.
    """
    tree = place.tree
    old, new = inside(mark.path, Realm.PUT_AWAY), inside(to, Realm.PUT_AWAY)
    before = tree.lstat(old)
    if not mark.fits(before):
        raise FileNotFoundError(str(old))
    tree.make_folders(new.folder)
    if old.spelt_like(new):
        between = old.beside(f"{TEMPORARY}{journal.run}-{number}.name")
        journal.through(number, between, place.id)
        rename_through(tree, old, between, new)
    else:
        tree.give_name(old, new)
    return after_renaming(mark._replace(path=to), before, tree.lstat(new)), old, new
