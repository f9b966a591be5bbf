"""Re-filing: what lies in the library, laid out anew by house rules.

What fits the rules already stays, also where its name carries a count, as long as the clean name is taken, or a number
that was given for it: nothing is moved only to be counted otherwise. A name that somebody gave by hand is kept, and all
files of its capture take it. Names on disk count as taken, those included that are about to be left.
"""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from types import MappingProxyType
from typing import NamedTuple

from jutrek.captures import Capture, developed_beside_raw
from jutrek.filing.counting import Numbers
from jutrek.filing.facts import Facts, below, lies_in
from jutrek.filing.folders import Also, Ends, Folders, ends_of
from jutrek.filing.names import stem_and_tail, stem_of, suffix_of
from jutrek.filing.naming import Named, Namer, Piles, Wish
from jutrek.filing.plan import Action, Plan, Row
from jutrek.filing.rules import HouseRules
from jutrek.library import GivenNumber, Library, numbers_given


class Given(NamedTuple):
    """What Jutrek knows of the names that it gave, by paths now, relative to the library.

    Attributes:
        numbers: which numbers names were given.
        paths: which paths were given to files that somebody moved or renamed since.
    """

    numbers: Mapping[str, GivenNumber] = MappingProxyType({})
    paths: Mapping[str, str] = MappingProxyType({})

    def by_hand(self, path: str) -> str:
        """The stem of a file whose name was given by hand; empty for all others."""
        given = self.paths.get(path)
        if given is None:
            return ""
        (own, _), (before, _) = (stem_and_tail(os.path.basename(one)) for one in (path, given))
        return "" if own == before else own


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
        by_hand: whether also names are made anew that somebody gave by hand.
    """

    year: int = 0
    folder: str = ""
    captures: frozenset[str] = frozenset()
    folders: bool = True
    names: bool = True
    strangers: bool = False
    without: tuple[str, ...] = ()
    since: date | None = None
    by_hand: bool = False

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
    given: Given,
) -> Plan:
    """Make the plan of a re-filing: a row for every file that has to move. Lists folders, and changes nothing.

    Args:
        facts: of the captures at home, in the order of shooting.
        known: ids of the captures that Jutrek filed.
        given: what is known of their names.

    Raises:
        LibraryMissing: when a folder of the library cannot be listed.
        PageBroken: when the page of counters is damaged.
    """
    last = numbers_given(library) if rules.uses("counter") else {}
    counters = Numbers(rules.counter_per, rules.counter_start, last)
    folders = Folders(library.root)
    namer = Namer(folders, counters, [one.capture for one in facts], rules)
    refiler = _Refiler(namer, rules, library.root, given, stay=not scope.folders)
    wanted = [one for one in facts if one.capture.trusted and scope.holds(one, known=one.capture.id in known)]
    wishes = [
        _kept(one.capture, wish, scope, given)
        for one, wish in zip(wanted, Piles(wanted, rules).wishes(rules), strict=True)
    ]
    wished = [folder for wish in wishes for folder in (wish.folder, wish.developed) if folder]
    for folder in _respelt(library.root, wished, wanted):
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


def kept_by_hand(facts: Iterable[Facts], known: frozenset[str], scope: Scope, given: Given) -> tuple[str, ...]:
    """Paths of files within a scope whose names were given by hand, and are kept.

    Args:
        facts: of all captures.
        known: paths of files that Jutrek filed.
        scope: what is meant.
        given: the paths that Jutrek gave, by paths now.
    """
    if scope.by_hand or not scope.names or not given.paths:
        return ()
    captures = [one.capture for one in facts if scope.holds(one, known=one.capture.id in known)]
    paths = (below(read.file.path, one.root) for one in captures for read in one.files)
    return tuple(path for path in paths if given.by_hand(path))


def _kept(capture: Capture, wish: Wish, scope: Scope, given: Given) -> Wish:
    """A wish without what stays as it is: the folder, or the name, or a name that was given by hand."""
    folder, stem = current(capture)
    if not scope.folders:
        wish = wish._replace(folder=folder)
    if not scope.names:
        return Wish(wish.folder, stem, developed=wish.developed)
    if given.paths and not scope.by_hand:
        named = (given.by_hand(below(read.file.path, capture.root)) for read in capture.files)
        if own := next(filter(None, named), ""):
            return Wish(wish.folder, own, developed=wish.developed)
    return wish


class _Refiler:
    """Moves captures one after the other to where rules would have them."""

    def __init__(self, namer: Namer, rules: HouseRules, root: str, given: Given, *, stay: bool) -> None:
        """
        Args:
            stay: whether files stay in the folders that they are in.
        """
        self._namer, self._rules, self._root, self._given, self._stay = namer, rules, root, given, stay

    def moves(self, facts: Facts, wish: Wish) -> Iterable[Row]:
        """A row for each of its files that has to move."""
        capture, folders = facts.capture, self._namer.folders
        folder, stem = current(capture)
        endings = self._endings(capture, stem)
        own = {path: below(path, self._root) for path in endings}
        apart = developed_beside_raw(capture) if wish.developed else frozenset[str]()
        if self._stay:
            apart = frozenset(path for path, at in own.items() if os.path.dirname(at) != folder)
            elsewhere = {os.path.dirname(own[path]) for path in apart}
            if len(elsewhere) > 1:
                return
            wish = wish._replace(developed=next(iter(elsewhere), ""))
        ends = ends_of(tuple(end for path, end in endings.items() if path not in apart))
        also = None
        if apart:
            beside = ends_of(tuple(end for path, end in endings.items() if path in apart))
            also = Also(folders.spelt(wish.developed), beside)
        fits = folders.spelt(wish.folder) == folder and self._fits(facts, folder, stem, wish, ends, also)
        if fits and self._given.paths:
            # By hand two captures may come to lie under one name: then one of them must get another.
            places = {folder, also.folder} if also else {folder}
            fits = not any(
                folders.shares(
                    one, stem, [os.path.basename(path) for path in own.values() if os.path.dirname(path) == one]
                )
                for one in places
            )
        if fits and own == _targets(endings, apart, Named(folder, stem, developed=also.folder if also else "")):
            return
        folders.give_back(own.values(), stem)
        if fits:
            stem = folders.take(folder, stem, ends, also=also)
            named = Named(folder, stem, developed=also.folder if also else "")
        else:
            named = self._namer.name(facts, wish, ends, also)
        targets = _targets(endings, apart, named)
        for read in capture.files:
            file, target = read.file, targets[read.file.path]
            if target != own[file.path]:
                yield _row(facts, file.path, self._root, target, file.size, file.mtime_ns, named)

    def _endings(self, capture: Capture, stem: str) -> dict[str, str]:
        """What each file's name carries behind the common stem, by its path: its tail, and its extension by the rules.

        Where rules would make two files of a capture bear one name, the endings stay as they are.
        """
        made: dict[str, str] = {}
        kept: dict[str, str] = {}
        for read, known in zip(capture.files, capture.tails or ("",) * len(capture.files), strict=True):
            name = os.path.basename(read.file.path)
            suffix = suffix_of(name, read.reading.format, self._rules.extensions)
            if name.startswith(stem) and below(read.file.path, self._root) not in self._given.paths:
                own = os.path.splitext(name[len(stem) :])[0]
                # A sidecar's inner extension is a part of its suffix already.
                tail = "" if not own or suffix.lower().startswith(own.lower()) else _without_inner(own, suffix)
                kept[read.file.path] = name[len(stem) :]
            else:
                tail = known
                kept[read.file.path] = known + name[len(stem_of(name)) :]
            made[read.file.path] = tail + suffix
        return kept if len({ending.lower() for ending in made.values()}) < len(made) else made

    def _fits(self, facts: Facts, folder: str, stem: str, wish: Wish, ends: Ends, also: Also | None) -> bool:
        """Whether a stem is the one that was given for the wish, in the folder that it lies in.

        Of a counter that is known by the number that was given. What was told apart from another name fits as long as
        the clean one is taken.
        """
        if wish.digits:
            number = self._given.numbers.get(below(facts.capture.id, self._root))
            return number is not None and self._namer.gave(facts, wish, number, ends, also) == stem
        if stem == wish.stem:
            return True
        told_apart = re.fullmatch(rf"{re.escape(wish.stem)}(?:_\d+|_b\d\d+)", stem) is not None
        has = self._namer.folders.has
        return told_apart and (
            has(folder, wish.stem, ends) or (also is not None and has(also.folder, wish.stem, also.ends))
        )


def _row(facts: Facts, path: str, root: str, target: str, size: int, mtime_ns: int, named: Named) -> Row:
    why = "The house rules would have it there."
    return Row(
        path, root, Action.MOVE, target, why, size, mtime_ns, facts.capture.id, counter=named.key, number=named.number
    )  # fmt: skip


def _targets(endings: Mapping[str, str], apart: frozenset[str], named: Named) -> dict[str, str]:
    """Where files of a capture would lie under a name, relative to the library."""
    return {
        path: os.path.join(named.developed if path in apart else named.folder, named.stem + ending)
        for path, ending in endings.items()
    }


def _without_inner(own: str, suffix: str) -> str:
    """A tail without the inner extension that is a part of a sidecar's suffix."""
    inner = os.path.splitext(suffix)[0]
    return own[: -len(inner)] if inner and own.lower().endswith(inner.lower()) else own
