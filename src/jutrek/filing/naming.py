"""Folder and name for every capture by house rules: what is wished, and what is free.

Where a wish is taken, the thousandth of the second is put behind it, else the number of the frame in its burst, else a
count; a name with a counter counts on.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from itertools import repeat
from typing import NamedTuple

from jutrek.captures import Capture, ReadFile, developed_beside_raw
from jutrek.filing.counting import Numbers
from jutrek.filing.facts import Facts
from jutrek.filing.folders import Also, Ends, Folders, ends_of
from jutrek.filing.names import legal, shortened, stem_of
from jutrek.filing.pattern import Pattern, parse
from jutrek.filing.pieces import COUNTER_SIGN, counted_by
from jutrek.filing.rules import UNFILED_FOLDER, HouseRules
from jutrek.filing.writing import Columns, folder_of, stem_from, stems_from, write
from jutrek.formats import Precision
from jutrek.library import GivenNumber


class Mark(StrEnum):
    """What is to be said about a name."""

    CLASH = "clash"
    EARLY = "early"
    UNDATED = "undated"
    SHORTENED = "shortened"
    CHANGED = "changed"


class Wish(NamedTuple):
    """What the rules would have for a capture.

    Attributes:
        folder: legal; as wished, not yet as spelt on disk.
        stem: legal; where the number of a counter goes, its sign stands.
        digits: how many digits that number has at least; 0 where there is no counter.
        changed: whether something in them had to be changed to be legal.
        developed: the folder of what a device developed beside its raw, where that is another one; else empty.
        first: the first number of its counter; None where that is the house's.
    """

    folder: str
    stem: str
    digits: int = 0
    changed: bool = False
    developed: str = ""
    first: int | None = None


_NO_WISH = Wish("", "")


class Named(NamedTuple):
    """What a capture is called.

    Attributes:
        folder, stem: free, and taken by it now.
        key, number: what its counter counts within, and its number; an empty key where there is none.
        developed: the folder of what was developed beside a raw, where that is another one; else empty.
    """

    folder: str
    stem: str
    key: str = ""
    number: int = 0
    developed: str = ""


class Piles:
    """Facts sorted by the scheme that they are filed by, with their columns; kept while only patterns change."""

    def __init__(self, facts: Sequence[Facts], rules: HouseRules) -> None:
        self.facts, self.rules = facts, rules
        by_scheme: list[list[int]] = [[] for _ in range(len(rules.schemes) + 1)]
        if not rules.schemes:
            by_scheme[0] = list(range(len(facts)))
        else:
            for number, one in enumerate(facts):
                by_scheme[rules.scheme_of(one)].append(number)
        self.numbers = by_scheme
        self._folders = [Columns([facts[at] for at in own], rules.setting(filed=True)) for own in by_scheme]
        self._names = [Columns(columns.facts, rules.setting(filed=False)) for columns in self._folders]

    def fit(self, facts: Sequence[Facts], rules: HouseRules) -> bool:
        """Whether they hold for these facts and rules, too."""
        mine = self.rules
        conditions = [[(one.kinds, one.device, one.words) for one in some.schemes] for some in (mine, rules)]
        same = conditions[0] == conditions[1] and mine.setting(filed=True) == rules.setting(filed=True)
        return same and self.facts is facts

    def wishes(self, rules: HouseRules) -> list[Wish]:
        """What rules that fit would have for every capture, in the order of the facts."""
        wishes: list[Wish] = [_NO_WISH] * len(self.facts)
        cleaned: dict[str, str] = {}
        for scheme, (layout, name) in enumerate(rules.patterns()):
            own = self.numbers[scheme]
            folders, names = write(layout, self._folders[scheme]), write(name, self._names[scheme])
            for text in set(folders.texts):
                cleaned[text] = rules.below_job(folder_of(text))
            stems = stems_from(names.texts)
            for place, stem in enumerate(stems):
                if not stem:
                    stems[place] = _own_stem(self.facts[own[place]].capture)
            odd, count = folders.odd | names.odd, len(own)
            changed: Iterable[bool] = map(odd.__contains__, range(count)) if odd else repeat(False, count)
            width, first = _counter(name)
            digits: Iterable[int] = repeat(width, count)
            if name.uses("counter"):
                digits = [width if COUNTER_SIGN in stem else 0 for stem in stems]
            developed = self._developed(scheme, rules, cleaned) if rules.developed else repeat("", count)
            layouts, firsts = [cleaned[text] for text in folders.texts], repeat(first, count)
            made = zip(layouts, stems, digits, changed, developed, firsts, strict=True)
            if count == len(wishes):
                return list(map(Wish._make, made))
            for at, wish in zip(own, made, strict=True):
                wishes[at] = Wish._make(wish)
        return wishes

    def _developed(self, scheme: int, rules: HouseRules, cleaned: dict[str, str]) -> Iterator[str]:
        """Where captures would have what was developed beside their raws, as far as that is another folder."""
        texts = write(parse(rules.developed), self._folders[scheme]).texts
        for at, text in zip(self.numbers[scheme], texts, strict=True):
            if not developed_beside_raw(self.facts[at].capture):
                yield ""
                continue
            if text not in cleaned:
                cleaned[text] = rules.below_job(folder_of(text))
            yield cleaned[text]


def _counter(name: Pattern) -> tuple[int, int | None]:
    """How many digits the counter of a pattern has at least, 0 without one; and its first number, if it says one."""
    counters = [counted_by(piece.form) for piece in name.pieces() if piece.name == "counter"]
    first = next((one for _, one in counters if one is not None), None)
    return max((width for width, _ in counters), default=0), first


def _own_stem(capture: Capture) -> str:
    """The stem that a capture has on its source. Dots that hide a file are no part of it."""
    return legal(stem_of(os.path.basename(capture.primary.file.path).lstrip(".")))


class Namer:
    """Gives free names in a library, one capture after the other, in the order of shooting."""

    def __init__(self, folders: Folders, numbers: Numbers, captures: Iterable[Capture], rules: HouseRules) -> None:
        """
        Args:
            rules: the house rules.
            captures: all, in the order of shooting, those included that get no name.
        """
        self.folders, self._numbers, self._rules = folders, numbers, rules
        counts: Counter[str] = Counter()
        self._frames: dict[str, int] = {}
        for capture in captures:
            if capture.stack:
                counts[capture.stack] += 1
                self._frames[capture.id] = counts[capture.stack]

    def unfiled(self, capture: Capture) -> Wish:
        """The wish for a capture that goes to Unfiled: it keeps its own name."""
        return Wish(self._rules.below_job(UNFILED_FOLDER), _own_stem(capture))

    def name_apart(self, facts: Facts, wish: Wish, files: Iterable[tuple[ReadFile, str]]) -> Named:
        """Take a free name for files of which those that were developed beside a raw go to a folder of their own.

        Args:
            files: with what their names carry behind the stem.
        """
        apart = developed_beside_raw(facts.capture)
        with_raw: list[str] = []
        others: list[str] = []
        for read, ending in files:
            (others if read.file.path in apart else with_raw).append(ending)
        if not with_raw:
            named = self.name(facts, wish._replace(folder=wish.developed), ends_of(tuple(others)))
            return named._replace(developed=named.folder)
        also = Also(self.folders.spelt(wish.developed), ends_of(tuple(others))) if others else None
        return self.name(facts, wish, ends_of(tuple(with_raw)), also)

    def name(self, facts: Facts, wish: Wish, ends: Ends, also: Also | None = None) -> Named:
        """Take a free name.

        Args:
            wish: what the rules would have.
            ends: what the names of its files carry behind the stem.
            also: the same for what was developed beside a raw, and the folder that it goes to.
        """
        folder = self.folders.spelt(wish.folder)
        if wish.digits:
            return self._counted(facts, wish, folder, ends, also)
        stem = self.folders.take(folder, wish.stem, ends, lambda: self._tails(facts.capture), also)
        return Named(folder, stem, developed=also.folder if also else "")

    def _tails(self, capture: Capture) -> list[str]:
        moment, tails = capture.moment, []
        if moment is not None and moment.precision >= Precision.SUBSECOND:
            tails.append(f"_{moment.local.microsecond // 1000:03}")
        if capture.id in self._frames:
            tails.append(f"_b{self._frames[capture.id]:02}")
        return tails

    def _counted(self, facts: Facts, wish: Wish, folder: str, ends: Ends, also: Also | None) -> Named:
        key = self._numbers.key(facts, wish.folder)
        places = [(folder, ends), *([(also.folder, also.ends)] if also else [])]
        room = min(self.folders.room(one, own) for one, own in places)
        while True:
            number = self._numbers.next(key, wish.first)
            stem = _numbered(wish.stem, f"{number:0{wish.digits}}", room)
            if not any(self.folders.has(one, stem, own) for one, own in places):
                stem = self.folders.take(folder, stem, ends, also=also)
                return Named(folder, stem, key, number, also.folder if also else "")

    def gave(self, facts: Facts, wish: Wish, number: GivenNumber, ends: Ends, also: Also | None) -> str:
        """The stem that a wish with a counter was given with a number; empty where it is counted within another.

        Args:
            facts: of the capture.
            wish: what it should be called.
            number: the one it was given.
            ends: what its files carry behind the stem.
            also: another folder in which the stem must be free.
        """
        if number.counter != self._numbers.key(facts, wish.folder):
            return ""
        room = self.folders.room(self.folders.spelt(wish.folder), ends)
        if also is not None:
            room = min(room, self.folders.room(also.folder, also.ends))
        return _numbered(wish.stem, f"{number.number:0{wish.digits}}", room)


def _numbered(stem: str, number: str, room: int) -> str:
    """A stem with its number, which is never what is cut off."""
    if len(stem) * 4 + len(number) < room:
        return stem_from(stem.replace(COUNTER_SIGN, number))
    parts = stem.split(COUNTER_SIGN)
    budget = room - (len(parts) - 1) * len(number)
    if sum(len(part.encode()) for part in parts) > budget:
        parts = [shortened(part, budget // len(parts)) for part in parts]
    return stem_from(number.join(parts)) or number


def was_cut(wish: Wish, named: Named) -> bool:
    """Whether a name had to be shortened, to fit into what disks and paths allow."""
    if not wish.digits:
        return not named.stem.startswith(wish.stem)
    return any(part.strip(". ") not in named.stem for part in wish.stem.split(COUNTER_SIGN))


def marks_of(facts: Facts, wish: Wish, named: Named) -> tuple[Mark, ...]:
    """What is to be said about a name that was given."""
    marks = [Mark.CHANGED] if wish.changed else []
    moment = facts.capture.moment
    if was_cut(wish, named):
        marks.append(Mark.SHORTENED)
    elif not wish.digits and named.stem != wish.stem:
        marks.append(Mark.CLASH)
    if moment is not None and facts.day is not None and facts.day < moment.local.date():
        marks.append(Mark.EARLY)
    return tuple(marks)


def given(named: Sequence[Named]) -> Mapping[str, int]:
    """The highest number that was given within each key."""
    highest: dict[str, int] = {}
    for one in named:
        if one.key:
            highest[one.key] = max(highest.get(one.key, 0), one.number)
    return highest
