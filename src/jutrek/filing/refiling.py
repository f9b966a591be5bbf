"""Re-filing: what lies in the library, laid out anew by house rules.

What fits the rules already stays, also where its name carries a count or a number: nothing is moved only to be counted
otherwise. Names on disk count as taken, those included that are about to be left.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from jutrek.captures import Capture
from jutrek.filing.counting import Numbers
from jutrek.filing.facts import Facts, below
from jutrek.filing.folders import Folders, ends_of
from jutrek.filing.names import stem_of, suffix_of
from jutrek.filing.naming import Named, Namer, Piles, Wish
from jutrek.filing.pieces import COUNTER_SIGN
from jutrek.filing.plan import Action, Plan, Row
from jutrek.filing.rules import HouseRules
from jutrek.library import Library, numbers_given


@dataclass(frozen=True, slots=True)
class Scope:
    """What of a library is filed anew.

    Attributes:
        year: of the filing day; 0 for all.
        folder: captures in it or below it, relative to the library; empty for all.
        captures: these captures only, by id; empty for all.
        folders, names: whether folders and names are made anew; what is not stays as it is.
        strangers: whether also what Jutrek did not file: its folders may say more than Jutrek knows.
    """

    year: int = 0
    folder: str = ""
    captures: frozenset[str] = frozenset()
    folders: bool = True
    names: bool = True
    strangers: bool = False

    def holds(self, facts: Facts, *, known: bool) -> bool:
        """Whether a capture is in it; `known` where Jutrek filed it."""
        capture = facts.capture
        where = below(capture.id, capture.root)
        return (
            (known or self.strangers)
            and (not self.year or (facts.day is not None and facts.day.year == self.year))
            and (not self.folder or f"{where}/".startswith(f"{self.folder.strip('/')}/"))
            and (not self.captures or capture.id in self.captures)
        )


def plan_refiling(
    library: Library, rules: HouseRules, facts: Sequence[Facts], known: frozenset[str], scope: Scope
) -> Plan:
    """Make the plan of a re-filing: a row for every file that has to move. Lists folders, and changes nothing.

    Args:
        facts: of the captures at home, in the order of shooting.
        known: ids of the captures that Jutrek filed.

    Raises:
        LibraryMissing: when a folder of the library cannot be listed.
    """
    numbers = Numbers(rules.counter_per, rules.counter_start, numbers_given(library) if rules.uses("counter") else {})
    namer = Namer(Folders(library.root), numbers, [one.capture for one in facts])
    wanted = [one for one in facts if one.capture.trusted and scope.holds(one, known=one.capture.id in known)]
    rows: list[Row] = []
    for one, wish in zip(wanted, Piles(wanted, rules).wishes(rules), strict=True):
        rows += _moves(one, _kept(one.capture, wish, scope), namer, rules, library.root)
    return Plan(library.root, library.id, rules, tuple(rows))


def current(capture: Capture) -> tuple[str, str]:
    """The folder that a capture of the library lies in, and the stem that its files have in common."""
    folder, name = os.path.split(below(capture.id, capture.root))
    stem, tail = stem_of(name), capture.tails[0] if capture.tails else ""
    return folder, stem.removesuffix(tail) if tail else stem


def _kept(capture: Capture, wish: Wish, scope: Scope) -> Wish:
    folder, stem = current(capture)
    wish = wish if scope.folders else wish._replace(folder=folder)
    return wish if scope.names else Wish(wish.folder, stem)


def _fits(stem: str, wish: Wish) -> bool:
    """Whether a stem is one that the wish could have been given."""
    pattern = re.escape(wish.stem).replace(re.escape(COUNTER_SIGN), rf"\d{{{max(wish.digits, 1)},}}")
    return re.fullmatch(rf"{pattern}(?:_\d+|_b\d\d+)?", stem) is not None


def _moves(facts: Facts, wish: Wish, namer: Namer, rules: HouseRules, root: str) -> Iterable[Row]:
    capture = facts.capture
    folder, stem = current(capture)
    endings = _endings(capture, stem, rules)
    if namer.folders.spelt(wish.folder) == folder and _fits(stem, wish):
        if all(stem + ending == os.path.basename(path) for path, ending in endings.items()):
            return
        wish = Wish(folder, stem)
    own = [os.path.basename(path)[len(stem) :] for path in endings]
    namer.folders.give_back(folder, stem, own)
    named = namer.name(facts, wish, ends_of(tuple(endings.values())))
    for read in capture.files:
        file = read.file
        target = os.path.join(named.folder, named.stem + endings[file.path])
        if target != below(file.path, root):
            yield _row(facts, file.path, root, target, file.size, file.mtime_ns, named)


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
