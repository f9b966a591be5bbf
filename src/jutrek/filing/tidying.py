"""Tidying by hand: where captures would come to lie, with all that belongs to them, and what is in their way.

Nothing is moved here. A capture goes whole, or stays whole. Where one of its files can't have its name, that is a
clash, which a person decides: both are kept, under a name told apart; the bytes are the same, so that one is enough; or
it stays. A name that another capture of the same plan leaves is free.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from itertools import count
from typing import NamedTuple

from jutrek.disk import Inside, Outside, Tree, folded, inside
from jutrek.errors import NotPossible, shown
from jutrek.filing.folders import Folders
from jutrek.filing.names import MAX_BYTES, legal, legal_folder, stem_and_tail, stem_of
from jutrek.filing.plan import Action, Row


class FileAt(NamedTuple):
    """A file as it lies: its path relative to the library, size in bytes and time of last change (ns)."""

    path: str
    size: int
    mtime_ns: int


class Whole(NamedTuple):
    """A capture with all that goes where it goes; its primary first, by whose path it is told."""

    files: tuple[FileAt, ...]

    @property
    def path(self) -> str:
        """The path of its primary."""
        return self.files[0].path


class Wish(NamedTuple):
    """Where a capture is to lie, relative to the library, and what its files are to be called: an empty stem keeps
    their names."""

    whole: Whole
    folder: str
    stem: str = ""


class Answer(StrEnum):
    """What is done about a clash."""

    BOTH = "both"
    SAME = "same"
    LEAVE = "leave"


class Clash(NamedTuple):
    """That a file can't have its new name.

    Attributes:
        capture: the path of the capture that it belongs to.
        file: the file.
        to: the path that it can't have.
        there: what has it: a file or folder as it lies now, also one that would come there, too.
        may_be_same: whether both may hold the same bytes: their sizes are the same.
    """

    capture: str
    file: FileAt
    to: str
    there: str
    may_be_same: bool


class Laid(NamedTuple):
    """What tidying would do.

    Attributes:
        rows: files that move.
        same: files whose equal lies where they would go, each with that one; one of both is enough.
        clashes: what is to be decided yet.
        stays: captures that stay, since a person decided so.
        still: captures that lie there already.
    """

    rows: tuple[Row, ...]
    same: tuple[tuple[FileAt, str], ...]
    clashes: tuple[Clash, ...]
    stays: tuple[str, ...]
    still: tuple[str, ...]


def checked_name(text: str) -> str:
    """A name that a person gives a folder or a capture.

    Raises:
        NotPossible: when not every file system can take it; it says which one could be taken.
    """
    name = text.strip()
    if not name:
        raise NotPossible("“”", "a name needs a letter at least")
    if "/" in name or legal(name) != name:
        raise NotPossible(shown(name), f"not every disk takes that name; {shown(legal(name))} could be taken")
    if len(os.fsencode(name)) > MAX_BYTES - 20:
        raise NotPossible(shown(name[:40]), "the name is too long")
    return name


def checked_folder(text: str, exists: Callable[[str], bool] = lambda path: False) -> str:
    """A folder that a person types, relative to the library; the empty one is its root.

    Args:
        text: as typed.
        exists: whether a folder is there: what is there already is taken as it is called.

    Raises:
        NotPossible: when not every file system can take what would be new; it says which one could be taken.
    """
    path = text.strip().strip("/")
    if not path:
        return path
    checked_path(path)
    parts = path.split("/")
    known = next((at for at in range(len(parts), 0, -1) if exists("/".join(parts[:at]))), 0)
    new = "/".join(parts[known:])
    if new and legal_folder(new) != new:
        could = "/".join([*parts[:known], legal_folder(new)])
        raise NotPossible(shown(path), f"not every disk takes that folder; {shown(could)} could be taken")
    return path


def checked_path(path: str) -> Inside:
    """A path of captures or a folder of them.

    Raises:
        NotPossible: when it leads out of the library, or to what is Jutrek's own in it.
    """
    try:
        return inside(path)
    except Outside as error:
        raise NotPossible(shown(path), f"it can't lie there: it is {error}") from error


def endings_of(names: Sequence[str]) -> tuple[str, list[str]]:
    """The stem that a capture's files have in common, and what each of their names has behind it.

    Args:
        names: of its files, the primary's first.
    """
    stem = stem_and_tail(names[0])[0]
    own = [name[len(stem) :] if name.startswith(stem) else name[len(stem_of(name)) :] for name in names]
    ends: list[str] = []
    for end in own:
        base, suffix = os.path.splitext(end)
        base, suffix = (base, suffix) if suffix else ("", end)
        free = (end if number == 1 else f"{base}_{number}{suffix}" for number in count(1))
        ends.append(next(one for one in free if folded(one) not in map(folded, ends)))
    return stem, ends


def lay(
    root: str,
    wishes: Sequence[Wish],
    answers: Mapping[str, Answer] | None = None,
    otherwise: Answer | None = None,
    *,
    why: str = "Tidied.",
    copies: bool = False,
) -> Laid:
    """See where captures would come to lie. Lists folders, and changes nothing.

    Args:
        root: of the library.
        wishes: where they are to lie.
        answers: what was decided about clashes, by the paths of captures.
        otherwise: what is done about all other clashes; None asks.
        why: what the journal says of it.
        copies: whether they are to lie there, too: then no name is left, and rows bring files.

    Raises:
        LibraryMissing: when a folder cannot be listed.
    """
    return _Layer(root, wishes, answers or {}, otherwise, why, copies=copies).lay()


class _Layer:
    def __init__(
        self,
        root: str,
        wishes: Sequence[Wish],
        answers: Mapping[str, Answer],
        otherwise: Answer | None,
        why: str,
        *,
        copies: bool,
    ) -> None:
        self._copies = copies
        self._root, self._wishes, self._answers, self._otherwise = root, wishes, answers, otherwise
        self._why, self._tree, self._folders = why, Tree(root), Folders(root)
        self._listed: dict[str, dict[str, str]] = {}
        self._staying: set[str] = set()

    def lay(self) -> Laid:
        """Lay all of them; whoever stays keeps its names, so that the others are looked at again."""
        wanted = {wish.whole.path: wish for wish in self._wishes}
        targets = {path: self._targets(wish) for path, wish in wanted.items()}
        still = [path for path, wish in wanted.items() if [one.path for one in wish.whole.files] == targets[path]]
        going = {path: wish for path, wish in wanted.items() if path not in set(still)}
        while True:
            laid = self._lay_once(going, targets)
            if laid is not None:
                return laid._replace(still=tuple(still), stays=tuple(sorted(self._staying)))
            going = {path: wish for path, wish in going.items() if path not in self._staying}

    def _targets(self, wish: Wish) -> list[str]:
        folder = self._folders.spelt(wish.folder) if wish.folder else ""
        names = [os.path.basename(one.path) for one in wish.whole.files]
        if wish.stem:
            names = [wish.stem + end for end in endings_of(names)[1]]
        return [os.path.join(folder, name) for name in names]

    def _lay_once(self, going: Mapping[str, Wish], targets: Mapping[str, list[str]]) -> Laid | None:
        """Lay all that go; None where one has to stay, which takes a name that was thought to be left."""
        files = () if self._copies else (one for wish in going.values() for one in wish.whole.files)
        leaving = {folded(one.path) for one in files}
        taken: dict[str, str] = {}
        rows: list[Row] = []
        same: list[tuple[FileAt, str]] = []
        clashes: list[Clash] = []
        for path, wish in going.items():
            own = targets[path]
            found = self._clashes(wish.whole, own, leaving, taken)
            answer = self._answers.get(path, self._otherwise) if found else None
            if answer is Answer.LEAVE:
                self._staying.add(path)
                return None
            if answer is Answer.BOTH:
                own, found = self._told_apart(wish.whole, own, leaving, taken), []
            elif answer is Answer.SAME and all(one.may_be_same for one in found):
                same += [(one.file, one.there) for one in found]
                gone = {one.file.path for one in found}
                found = []
                kept = [(one, to) for one, to in zip(wish.whole.files, own, strict=True) if one.path not in gone]
                rows += self._rows(path, kept, taken)
                continue
            clashes += found
            if not found:
                rows += self._rows(path, list(zip(wish.whole.files, own, strict=True)), taken)
        return Laid(tuple(rows), tuple(same), tuple(clashes), (), ())

    def _rows(self, capture: str, files: Iterable[tuple[FileAt, str]], taken: dict[str, str]) -> Iterator[Row]:
        for one, to in files:
            taken[folded(to)] = one.path
            if to != one.path:
                source = os.path.join(self._root, one.path)
                action = Action.BRING if self._copies else Action.MOVE
                yield Row(source, self._root, action, to, self._why, one.size, one.mtime_ns, capture)

    def _clashes(
        self, whole: Whole, targets: Sequence[str], leaving: set[str], taken: Mapping[str, str]
    ) -> list[Clash]:
        found = []
        for one, to in zip(whole.files, targets, strict=True):
            key = folded(to)
            if key in taken:
                found.append(Clash(whole.path, one, to, taken[key], False))
            elif key not in leaving and (there := self._there(to)):
                # Of copies none is set aside for another: one that is not wanted is left.
                may_be_same = not self._copies and self._size(there) == one.size
                found.append(Clash(whole.path, one, to, there, may_be_same))
        return found

    def _there(self, path: str) -> str:
        """What bears a name now, as it is spelt; empty for nothing."""
        folder, _, name = path.rpartition("/")
        if folder not in self._listed:
            try:
                names = self._tree.names(inside(folder) if folder else None)
            except (FileNotFoundError, NotADirectoryError):
                names = []
            self._listed[folder] = {folded(one): one for one in names}
        spelt = self._listed[folder].get(folded(name), "")
        return os.path.join(folder, spelt) if spelt else ""

    def _size(self, path: str) -> int:
        """The size of a file; -1 of what is none."""
        status = self._tree.found(inside(path))
        return status.st_size if status is not None and not self._tree.is_folder(inside(path)) else -1

    def _told_apart(
        self, whole: Whole, targets: Sequence[str], leaving: set[str], taken: Mapping[str, str]
    ) -> list[str]:
        """Names of another stem, at which nothing is in the way of any file."""
        folder = os.path.dirname(targets[0])
        stem, ends = endings_of([os.path.basename(one) for one in targets])
        for number in count(2):
            own = [os.path.join(folder, f"{stem}_{number}{end}") for end in ends]
            if not self._clashes(whole, own, leaving, taken):
                return own
        raise AssertionError("numbers do not end")


def numbered(wholes: Sequence[Whole], stem: str, start: int = 1) -> list[Wish]:
    """Captures called by one stem and a number, in their order, each in the folder that it lies in.

    Args:
        wholes: the captures.
        stem: what stands before the number.
        start: the first number.
    """
    digits = max(2, len(str(start + len(wholes) - 1)))
    return [
        Wish(whole, os.path.dirname(whole.path), f"{stem} {number:0{digits}d}")
        for number, whole in enumerate(wholes, start)
    ]
