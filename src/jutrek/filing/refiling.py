"""Re-filing: what lies in the library, laid out anew by house rules.

What fits the rules already stays, also where its name carries a count, as long as the clean name is taken, or a number
that was given for it: nothing is moved only to be counted otherwise. Names on disk count as taken, those included that
are about to be left.
"""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from jutrek.captures import Capture
from jutrek.filing.counting import Numbers
from jutrek.filing.facts import Facts, below, lies_in
from jutrek.filing.folders import Ends, Folders, ends_of
from jutrek.filing.names import stem_of, suffix_of
from jutrek.filing.naming import Named, Namer, Piles, Wish
from jutrek.filing.plan import Action, Plan, Row
from jutrek.filing.rules import HouseRules
from jutrek.library import GivenNumber, Library, numbers_given


@dataclass(frozen=True, slots=True)
class Scope:
    """What of a library is filed anew.

    Attributes:
        year: of the filing day; 0 for all.
        folder: captures in it or below it, relative to the library; empty for all.
        captures: these captures only, by id; empty for all.
        folders, names: whether folders and names are made anew; what is not stays as it is.
        strangers: whether also what Jutrek did not file: its folders may say more than Jutrek knows.
        without: files and folders that are left out, relative to the library.
        since: the first filing day that is filed anew; None for all.
    """

    year: int = 0
    folder: str = ""
    captures: frozenset[str] = frozenset()
    folders: bool = True
    names: bool = True
    strangers: bool = False
    without: tuple[str, ...] = ()
    since: date | None = None

    def holds(self, facts: Facts, *, known: bool) -> bool:
        """Whether a capture is in it; `known` where Jutrek filed it."""
        capture = facts.capture
        where, day = below(capture.id, capture.root), facts.day
        own = [below(read.file.path, capture.root) for read in capture.files] if self.without else []
        return (
            (known or self.strangers)
            and (not self.year or (day is not None and day.year == self.year))
            and (self.since is None or (day is not None and day >= self.since))
            and (not self.folder or lies_in(where, self.folder))
            and not any(lies_in(path, out) for path in own for out in self.without)
            and (not self.captures or capture.id in self.captures)
        )


def plan_refiling(
    library: Library,
    rules: HouseRules,
    facts: Sequence[Facts],
    known: frozenset[str],
    scope: Scope,
    numbers: Mapping[str, GivenNumber],
) -> Plan:
    """Make the plan of a re-filing: a row for every file that has to move. Lists folders, and changes nothing.

    Args:
        facts: of the captures at home, in the order of shooting.
        known: ids of the captures that Jutrek filed.
        numbers: which numbers names were given, by path relative to the library.

    Raises:
        LibraryMissing: when a folder of the library cannot be listed.
        PageBroken: when the page of counters is damaged.
    """
    last = numbers_given(library) if rules.uses("counter") else {}
    counters = Numbers(rules.counter_per, rules.counter_start, last)
    folders = Folders(library.root)
    namer = Namer(folders, counters, [one.capture for one in facts])
    refiler = _Refiler(namer, rules, library.root, numbers)
    wanted = [one for one in facts if one.capture.trusted and scope.holds(one, known=one.capture.id in known)]
    wishes = [
        _kept(one.capture, wish, scope) for one, wish in zip(wanted, Piles(wanted, rules).wishes(rules), strict=True)
    ]
    for folder in _respelt(library.root, [wish.folder for wish in wishes], wanted):
        folders.spell(folder)
    rows = [row for one, wish in zip(wanted, wishes, strict=True) for row in refiler.moves(one, wish)]
    return Plan(library.root, library.id, rules, tuple(rows))


def _respelt(root: str, wished: Iterable[str], wanted: Sequence[Facts]) -> Iterator[str]:
    """Folders that are spelt otherwise on disk, from the top down, and of which nothing would stay behind.

    Where the disk takes both spellings for one folder, it keeps the one that it has.
    """
    folders, own, seen = Folders(root), {read.file.path for one in wanted for read in one.capture.files}, set()
    for folder in dict.fromkeys(wished):
        parts = folder.split("/")
        for prefix in ("/".join(parts[: end + 1]) for end in range(len(parts))):
            old = folders.spelt(prefix)
            if old == prefix or old.lower() in seen:
                continue
            seen.add(old.lower())
            if not os.path.lexists(os.path.join(root, prefix)) and _all_in(os.path.join(root, old), own):
                yield prefix


def _all_in(folder: str, own: Collection[str]) -> bool:
    """Whether a folder can be read through, and holds nothing but these files: no other, and no link."""

    def refuse(error: OSError) -> None:
        raise error

    try:
        for top, below_it, names in os.walk(folder, onerror=refuse):
            if any(os.path.join(top, name) not in own for name in names):
                return False
            if any(os.path.islink(os.path.join(top, name)) for name in below_it):
                return False
    except OSError:
        return False
    return True


def current(capture: Capture) -> tuple[str, str]:
    """The folder that a capture of the library lies in, and the stem that its files have in common."""
    folder, name = os.path.split(below(capture.id, capture.root))
    stem, tail = stem_of(name), capture.tails[0] if capture.tails else ""
    return folder, stem.removesuffix(tail) if tail else stem


def _kept(capture: Capture, wish: Wish, scope: Scope) -> Wish:
    folder, stem = current(capture)
    wish = wish if scope.folders else wish._replace(folder=folder)
    return wish if scope.names else Wish(wish.folder, stem)


class _Refiler:
    """Moves captures one after the other to where rules would have them."""

    def __init__(self, namer: Namer, rules: HouseRules, root: str, numbers: Mapping[str, GivenNumber]) -> None:
        self._namer, self._rules, self._root, self._numbers = namer, rules, root, numbers

    def moves(self, facts: Facts, wish: Wish) -> Iterable[Row]:
        """A row for each of its files that has to move."""
        capture, folders = facts.capture, self._namer.folders
        folder, stem = current(capture)
        endings = _endings(capture, stem, self._rules)
        own = [os.path.basename(path)[len(stem) :] for path in endings]
        ends = ends_of(tuple(endings.values()))
        fits = folders.spelt(wish.folder) == folder and self._fits(facts, folder, stem, wish, ends)
        if fits and own == list(endings.values()):
            return
        folders.give_back(folder, stem, own)
        named = Named(folder, folders.take(folder, stem, ends)) if fits else self._namer.name(facts, wish, ends)
        for read in capture.files:
            file = read.file
            target = os.path.join(named.folder, named.stem + endings[file.path])
            if target != below(file.path, self._root):
                yield _row(facts, file.path, self._root, target, file.size, file.mtime_ns, named)

    def _fits(self, facts: Facts, folder: str, stem: str, wish: Wish, ends: Ends) -> bool:
        """Whether a stem is the one that was given for the wish, in the folder that it lies in.

        Of a counter that is known by the number that was given. What was told apart from another name fits as long as
        the clean one is taken.
        """
        if wish.digits:
            number = self._numbers.get(below(facts.capture.id, self._root))
            return number is not None and self._namer.gave(facts, wish, number, ends) == stem
        if stem == wish.stem:
            return True
        told_apart = re.fullmatch(rf"{re.escape(wish.stem)}(?:_\d+|_b\d\d+)", stem) is not None
        return told_apart and self._namer.folders.has(folder, wish.stem, ends)


def _row(facts: Facts, path: str, root: str, target: str, size: int, mtime_ns: int, named: Named) -> Row:
    why = "The house rules would have it there."
    return Row(
        path, root, Action.MOVE, target, why, size, mtime_ns, facts.capture.id, counter=named.key, number=named.number
    )  # fmt: skip


def _endings(capture: Capture, stem: str, rules: HouseRules) -> dict[str, str]:
    """What each file's name carries behind the common stem, by its path: its tail, and its extension as rules want it.

    Where rules would make two files of a capture bear one name, the endings stay as they are.
    """
    made: dict[str, str] = {}
    for read in capture.files:
        name = os.path.basename(read.file.path)
        suffix = suffix_of(name, read.reading.format, rules.extensions)
        own = os.path.splitext(name[len(stem) :])[0] if name.startswith(stem) else ""
        # A sidecar's inner extension is a part of its suffix already.
        tail = "" if suffix.count(".") > 1 or not own or suffix.lower().startswith(own.lower()) else own
        made[read.file.path] = tail + suffix
    if len({ending.lower() for ending in made.values()}) < len(made):
        return {path: os.path.basename(path)[len(stem) :] for path in made}
    return made
