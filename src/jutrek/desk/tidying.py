"""Tidying for a face: what goes along, what would happen, doing it, and taking it back.

What goes along with a capture are the files that are one with it, and what other programs wrote for them and laid
beside them: a file whose name begins with the whole name of one of these, or has their stem, and belongs to no other.
"""

from __future__ import annotations

import os
import stat
import threading
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from jutrek.desk.places import Places
from jutrek.disk import TEMPORARY, FileStamp, folded, inside
from jutrek.doubles.degrees import Degree
from jutrek.errors import NotPossible, shown
from jutrek.filing import HouseRules, Plan
from jutrek.filing.names import legal, stem_of
from jutrek.filing.tidying import Answer, Clash, FileAt, Laid, Whole, Wish, checked_path, lay
from jutrek.library import NOT_FILED, Library, survey
from jutrek.library.marks import FOLDER_SIDECAR
from jutrek.transfer import Listener, Outcome, bring, refile
from jutrek.transfer.folder_moves import FolderMove, move_folders
from jutrek.transfer.journal import Kind
from jutrek.transfer.orders import Orders
from jutrek.transfer.setting_aside import Drop, put_aside, set_aside
from jutrek.views.columns import Names, day_of
from jutrek.views.shelves import BY_HAND, shelves_of
from jutrek.views.shelving import teach
from jutrek.words import counted

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns

_NOTHING = Laid((), (), (), (), ())


class Act(StrEnum):
    """What is done; the journal tells it."""

    MOVE = "moved"
    COPY = "copied"
    RENAME = "renamed"
    NUMBER = "numbered"
    MERGE = "merged"
    ASIDE = "set aside"


@dataclass(frozen=True, slots=True)
class Tidying:
    """What was asked for, and what it would do.

    Attributes:
        act: what is done.
        about: what with, in a few words, for the journal: `to 2026/05 Yard`.
        wishes: where captures are to lie.
        laid: where they would come to lie, and what is in the way.
        folders: folders that move whole.
        taken: folders that can't move since there is one of the name already; they may be merged into it.
        aside: captures that are set aside.
        left: sentences about what can't be done.
        answers, otherwise: what was decided about clashes.
    """

    act: Act
    about: str
    wishes: tuple[Wish, ...] = ()
    laid: Laid = _NOTHING
    folders: tuple[FolderMove, ...] = ()
    taken: tuple[FolderMove, ...] = ()
    aside: tuple[Whole, ...] = ()
    left: tuple[str, ...] = ()
    answers: Mapping[str, Answer] = field(default_factory=dict)
    otherwise: Answer | None = None

    @property
    def clashes(self) -> tuple[Clash, ...]:
        """What is to be decided before anything moves."""
        return self.laid.clashes

    @property
    def captures(self) -> int:
        """How many captures would move."""
        return len({row.capture for row in self.laid.rows}) + len(self.aside)

    @property
    def files(self) -> int:
        """How many files would."""
        return len(self.laid.rows) + len(self.laid.same) + sum(len(one.files) for one in self.aside)

    @property
    def is_nothing(self) -> bool:
        """Whether there is nothing to do, or to decide."""
        return not (self.laid.rows or self.laid.same or self.clashes or self.folders or self.aside)


@dataclass(frozen=True, slots=True)
class Tidied:
    """What was done.

    Attributes:
        runs: its runs in the journal, the first one first.
        captures, files, folders: how many moved.
        why: what did not work, in a sentence; empty where all did.
        trouble: whether something did not move that was to.
    """

    runs: tuple[str, ...] = ()
    captures: int = 0
    files: int = 0
    folders: int = 0
    why: str = ""
    trouble: bool = False


# ---- what goes along


def gathered(library: Library, columns: Columns, rows: Iterable[int]) -> tuple[list[Whole], list[str]]:
    """Captures with all that goes along, as they lie on the disk now, in their order; and sentences about those gone.

    Args:
        library: the library.
        columns: of its captures.
        rows: which of them.
    """
    wanted = list(dict.fromkeys(rows))
    names = columns.names[Names.FOLDER]
    folders = {row: names[columns.folder[row]] for row in wanted}
    listings = {folder: _Listing(library, columns, folder) for folder in dict.fromkeys(folders.values())}
    wholes, left = [], []
    for row in wanted:
        whole = listings[folders[row]].whole(columns.name(row), columns.companions(row))
        if whole is None:
            stored = columns.drive_of(row)
            left.append(f"{shown(columns.path(row))} is {'stored away; fetch it first' if stored else 'gone'}.")
        else:
            wholes.append(whole)
    return wholes, left


class _Listing:
    """What lies in a folder: the files that are captures', and those that go along with them."""

    def __init__(self, library: Library, columns: Columns, folder: str) -> None:
        self._tree, self._folder = library.tree, folder
        try:
            self._names = set(self._tree.names(inside(folder) if folder else None))
        except (FileNotFoundError, NotADirectoryError):
            self._names = set()
        self._beside: dict[str, list[str]] = defaultdict(list)
        self._gone_along: set[str] = set()
        owned = _owned(columns, folder)
        others = sorted(name for name in self._names - owned if not name.startswith(TEMPORARY))
        whole_names = set(map(folded, owned)) if others else set()
        for name in others:
            for key in _follows(name, whole_names):
                self._beside[key].append(name)

    def whole(self, name: str, companions: Sequence[str]) -> Whole | None:
        """A capture of this folder; None where its primary is gone."""
        if self._at(name) is None:
            return None
        own = [name, *map(os.path.basename, companions)]
        keys = dict.fromkeys(folded(key) for one in own for key in (one, stem_of(one)))
        found = dict.fromkeys(other for key in keys for other in self._beside.get(key, ()))
        # Of captures that share a stem the first one takes it along.
        more = [one for one in found if one not in self._gone_along]
        self._gone_along.update(more)
        return Whole(tuple(at for one in dict.fromkeys([*own, *more]) if (at := self._at(one)) is not None))

    def _at(self, name: str) -> FileAt | None:
        """A file of this folder as it lies now; None where there is none of the name."""
        if name not in self._names:
            return None
        path = os.path.join(self._folder, name)
        status = self._tree.found(inside(path))
        regular = status is not None and stat.S_ISREG(status.st_mode)
        return FileAt(path, status.st_size, status.st_mtime_ns) if status is not None and regular else None


def _owned(columns: Columns, folder: str) -> set[str]:
    """The names of all captures' files in a folder."""
    names = columns.names[Names.FOLDER]
    if folder not in names:
        return set()
    rows = np.flatnonzero(columns.folder == names.index(folder))
    several = rows[columns.beside_starts[rows] != columns.beside_starts[rows + 1]].tolist()
    own = {os.path.basename(path) for path in columns.paths(rows)}
    return own | {os.path.basename(one) for row in several for one in columns.companions(row)}


def _follows(name: str, owned: Collection[str]) -> list[str]:
    """What a file goes along with: a file whose whole name its name begins with, up to a dot; else a stem.

    Args:
        name: of the file.
        owned: the names of captures' files.
    """
    key = folded(name)
    begins = [key[:at] for at, sign in enumerate(key) if sign == "." and at]
    whole = [one for one in reversed(begins) if one in owned]
    return whole[:1] or list(dict.fromkeys([*begins, stem_of(key)]))


# ---- what would happen


def moving(
    library: Library, wholes: Sequence[Whole], folder: str, left: Sequence[str] = (), *, copies: bool = False
) -> Tidying:
    """Captures to a folder, under the names that they have; or copies of them."""
    return going(library, [Wish(one, folder) for one in wholes], f"to {folder or 'the root'}", left, copies=copies)


def going(
    library: Library, wishes: Sequence[Wish], about: str, left: Sequence[str] = (), *, copies: bool = False
) -> Tidying:
    """Captures that go each to a folder of its own wish, or copies of them; `about` says where to."""
    act = Act.COPY if copies else Act.MOVE
    return laid(library, Tidying(act, about, tuple(wishes), left=tuple(left)))


def renaming(library: Library, wholes: Sequence[Whole], stem: str, left: Sequence[str] = ()) -> Tidying:
    """A capture called otherwise, with all its files; none where it is gone."""
    wishes = tuple(Wish(one, os.path.dirname(one.path), stem) for one in wholes[:1])
    about = f"{os.path.basename(wholes[0].path)} to {stem}" if wholes else f"to {stem}"
    return laid(library, Tidying(Act.RENAME, about, wishes, left=tuple(left)))


def numbering(library: Library, wishes: Sequence[Wish], about: str) -> Tidying:
    """Captures called by a stem and a number, or by a pattern."""
    return laid(library, Tidying(Act.NUMBER, about, tuple(wishes)))


def merging(library: Library, columns: Columns, folder: str, into: str) -> Tidying:
    """All that lies in a folder, moved into another one, level by level; the folder goes when it is empty.

    Raises:
        NotPossible: when one of them lies in the other, or is not there.
    """
    one, other = checked_path(folder), checked_path(into)
    if other.parts[: len(one.parts)] == one.parts:
        raise NotPossible(shown(folder), f"it can't be merged into {shown(into)}, which is a part of it")
    if not library.tree.is_folder(one):
        raise NotPossible(shown(folder), "there is no such folder")
    wishes: list[Wish] = []
    aside: list[Whole] = []
    for below in _folders_below(library, folder):
        target = into + below[len(folder) :]
        for whole in _everything(library, columns, below):
            # Of two that say how their folders are marked, the one holds that is there.
            is_mark = os.path.basename(whole.path) == FOLDER_SIDECAR
            if is_mark and library.tree.found(inside(os.path.join(target, FOLDER_SIDECAR))) is not None:
                aside.append(whole)
            else:
                wishes.append(Wish(whole, target))
    return laid(library, Tidying(Act.MERGE, f"{folder} into {into}", tuple(wishes), aside=tuple(aside)))


def _folders_below(library: Library, folder: str) -> list[str]:
    found, at = [folder], 0
    while at < len(found):
        deeper = sorted(name for name, is_folder in library.tree.folders(inside(found[at])).items() if is_folder)
        found += [os.path.join(found[at], name) for name in deeper]
        at += 1
    return found


def _everything(library: Library, columns: Columns, folder: str) -> list[Whole]:
    """All files right in a folder: captures with what goes along, and each other file by itself."""
    names = columns.names[Names.FOLDER]
    rows = np.flatnonzero(columns.folder == names.index(folder)).tolist() if folder in names else []
    wholes, _ = gathered(library, columns, rows)
    taken = {one.path for whole in wholes for one in whole.files}
    for path in library.tree.folders(inside(folder)):
        whole = os.path.join(folder, path)
        if whole not in taken and not path.startswith(TEMPORARY):
            status = library.tree.lstat(inside(whole))
            if not library.tree.is_folder(inside(whole)):
                wholes.append(Whole((FileAt(whole, status.st_size, status.st_mtime_ns),)))
    return wholes


def moving_folders(library: Library, moves: Sequence[FolderMove], act: Act, about: str) -> Tidying:
    """Folders moved whole. One whose name is taken is told in `left` and `taken`: it may be merged instead.

    Raises:
        NotPossible: when a folder is not there, is to go into itself, or lies in another one of them.
    """
    good, left, taken = [], [], []
    for one in moves:
        old, new = checked_path(one.old), checked_path(one.new)
        if not library.tree.is_folder(old):
            raise NotPossible(shown(one.old), "there is no such folder; what is stored away is fetched first")
        if len(new.parts) > len(old.parts) and folded("/".join(new.parts[: len(old.parts)])) == folded(str(old)):
            raise NotPossible(shown(one.old), "a folder can't go into itself")
        if any(other.old != one.old and one.old.startswith(f"{other.old}/") for other in moves):
            raise NotPossible(shown(one.old), "the folder that it lies in is moved, too")
        if old == new:
            left.append(f"{shown(one.old)} is there already.")
        elif library.tree.found(new) is not None and not library.tree.one_entry(old, new):
            left.append(f"There is a {shown(one.new)} already: merge them, or choose another name.")
            taken.append(one)
        else:
            good.append(one)
    return Tidying(act, about, folders=tuple(good), taken=tuple(taken), left=tuple(left))


def putting_aside(wholes: Sequence[Whole], left: Sequence[str] = ()) -> Tidying:
    """Captures set aside, with all that goes along."""
    return Tidying(Act.ASIDE, counted(len(wholes), "capture"), aside=tuple(wholes), left=tuple(left))


def laid(library: Library, wanted: Tidying) -> Tidying:
    """Look again what would happen, by what was decided."""
    why = f"{wanted.act.capitalize()} {wanted.about}."
    return replace(
        wanted,
        laid=lay(library.root, wanted.wishes, wanted.answers, wanted.otherwise, why=why, copies=wanted.act is Act.COPY),
    )


def decided(
    library: Library, wanted: Tidying, answers: Mapping[str, Answer], otherwise: Answer | None = None
) -> Tidying:
    """The same, with clashes decided.

    Args:
        library: the library.
        wanted: what was asked for.
        answers: what was decided, by the paths of captures; what was decided before stays.
        otherwise: what is done about all others.
    """
    return laid(library, replace(wanted, answers={**wanted.answers, **answers}, otherwise=otherwise))


# ---- names that are proposed


def folder_for(columns: Columns, rows: NDArray[np.int64]) -> str:
    """A folder for some captures: within the one that they have in common, called by their day and shoot."""
    names = columns.names
    folders = [names[Names.FOLDER][code] for code in np.unique(columns.folder[rows]).tolist()]
    common = os.path.commonpath([f"/{one}" for one in folders]).strip("/") if folders else ""
    dated = rows[columns.precision[rows] > 0]
    days = f"{day_of(int(columns.filed[dated].min())):%Y-%m-%d}" if len(dated) else ""
    shoots = [names[Names.SHOOT][code] for code in np.unique(columns.shoot[rows]).tolist() if code]
    places = [names[Names.PLACE][code] for code in np.unique(columns.place[rows]).tolist() if code]
    what = shoots[0] if len(shoots) == 1 else places[0] if len(places) == 1 else ""
    return os.path.join(common, legal(" ".join(filter(None, (days, what))) or "New folder"))


# ---- doing it


def tidy(
    wanted: Tidying,
    library: Library,
    ledger: Ledger,
    places: Places,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> Tidied:
    """Do what was looked at.

    Args:
        wanted: what is done.
        library: the library.
        ledger: its ledger, open.
        places: those that are known: copies in those that are here follow.
        stop: ends the work when it is set.
        listener: hears how it goes on.

    Raises:
        NotPossible: when something is to be decided yet.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    if wanted.clashes:
        raise NotPossible(library.root, f"{counted(len(wanted.clashes), 'name is', 'names are')} taken: decide first")
    teach((*shelves_of(library)[0], *shelves_of(library, BY_HAND)[0]), ledger)
    head = {"act": wanted.act.value, "name": wanted.about}
    heard = listener or Listener()
    outcomes: list[Outcome] = []
    if wanted.laid.same:
        drops = [_drop(library, file, there) for file, there in wanted.laid.same]
        outcomes.append(set_aside(drops, library, ledger, stop=stop, listener=heard, places=places.here))
    if wanted.aside:
        files = [(one.path, FileStamp(one.size, one.mtime_ns)) for whole in wanted.aside for one in whole.files]
        outcomes.append(put_aside(files, library, ledger, stop=stop, listener=heard, places=places.here))
    if wanted.laid.rows and wanted.act is Act.COPY:
        outcomes.append(_copied(wanted, library, ledger, places, head, stop, heard))
    elif wanted.laid.rows:
        plan = Plan(library.root, library.id, HouseRules(), wanted.laid.rows)
        orders = Orders(Kind.TIDY, head=head, by_hand=True)
        outcomes.append(refile(plan, library, ledger, stop=stop, listener=heard, places=places.here, orders=orders))
    folders = 0
    if wanted.folders:
        moved = move_folders(
            wanted.folders, library, ledger, stop=stop, listener=heard, places=places.here, head=head
        )  # fmt: skip
        folders = moved.home
        outcomes.append(moved)
    return _summed(wanted, outcomes, folders)


def _copied(
    wanted: Tidying,
    library: Library,
    ledger: Ledger,
    places: Places,
    head: Mapping[str, str],
    stop: threading.Event,
    listener: Listener,
) -> Outcome:
    """Copy files within the library, proven as on an intake; what is known of them is known of the copies."""
    top = f"{library.root.rstrip('/')}/"
    filed = ledger.catalogue.filed_at(row.source.removeprefix(top) for row in wanted.laid.rows)
    rows = (row._replace(by=filed.get(row.source.removeprefix(top), NOT_FILED)) for row in wanted.laid.rows)
    plan = Plan(library.root, library.id, HouseRules(), tuple(rows))
    outcome = bring(plan, library, ledger, stop=stop, listener=listener, places=places.here, about=head)
    survey(library, ledger, stop=stop)
    return outcome


def _drop(library: Library, file: FileAt, there: str) -> Drop:
    status = library.tree.lstat(inside(there))
    return Drop(file.path, FileStamp(file.size, file.mtime_ns), there, FileStamp.seen(status), Degree.BYTES)


def _summed(wanted: Tidying, outcomes: Sequence[Outcome], folders: int) -> Tidied:
    files = sum(one.home for one in outcomes) - folders
    moved = {done.row.capture for one in outcomes for done in one.done if done.home and done.row.capture}
    why = next((one.why for one in outcomes if one.trouble is not None or one.failed or one.remarks), "")
    if not why and folders < len(wanted.folders):
        why = next(done.why for one in outcomes for done in one.done if not done.home)
    trouble = any(one.trouble is not None or any(not done.home for done in one.done) for one in outcomes)
    captures = len(moved) + (len(wanted.aside) if wanted.aside and not trouble else 0)
    return Tidied(tuple(one.run for one in outcomes if one.run), captures, files, folders, why, trouble)
