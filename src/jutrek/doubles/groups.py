"""Finding all doubles of a library, degree by degree: same bytes, same picture or sound, same by looks, look alike.

Of files that are the same in one degree only the proposed keeper stands for them in the next, so that a group says one
thing. What a person said is no double stays out (`kept.py`).
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from jutrek.doubles.degrees import Degree, Group, one_press, two_presses
from jutrek.doubles.keeper import Known, is_dated, propose
from jutrek.doubles.learning import media, payload_prints
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import Kind
from jutrek.library import HomeFile, Library
from jutrek.library.contents import Content
from jutrek.library.fingerprint import full, quick

if TYPE_CHECKING:
    from jutrek.doubles.grayscale import Greys
    from jutrek.doubles.still_matching import Candidates
    from jutrek.library.ledger import Ledger

_KEPT_EVERY = 200

Report = Callable[[str, int, int], None]
"""Told what is going on, how far it is, and how far it goes."""


def find_groups(
    library: Library,
    ledger: Ledger,
    *,
    degrees: Iterable[Degree] = tuple(Degree),
    settled: Iterable[frozenset[bytes]] = (),
    stop: threading.Event,
    report: Report = lambda what, done, total: None,
) -> list[Group]:
    """Find the doubles of a library that was learnt.

    Args:
        degrees: which of them are wanted; the ones before them are looked at in any case.
        settled: quick fingerprints of files that somebody decided to keep beside each other.

    Returns:
        Groups, the strongest degree first, then those that free most.

    Raises:
        Stopped: when `stop` was set. What was compared is kept.
    """
    search = _Search(library, ledger, stop, report, list(settled))
    wanted = set(degrees)
    found: list[Group] = []
    rest = search.all_media()
    for degree, find in (
        (Degree.BYTES, search.same_bytes),
        (Degree.PAYLOAD, search.same_payload),
        (Degree.PICTURE, search.same_picture),
        (Degree.ALIKE, search.alike),
    ):
        if not wanted & set(list(Degree)[list(Degree).index(degree) :]):
            break
        groups = [search.group(files, degree) for files in find(rest)]
        gone = {one.path for group in groups for one in group.files[1:]}
        rest = [one for one in rest if one.path not in gone]
        found += [group for group in groups if degree in wanted and not search.is_settled(group)]
    order = list(Degree)
    return sorted(found, key=lambda group: (order.index(group.degree), -group.free, group.keeper))


@dataclass(slots=True)
class _Search:
    library: Library
    ledger: Ledger
    stop: threading.Event
    report: Report
    settled: list[frozenset[bytes]]
    known: Known = field(default_factory=lambda: Known({}))
    homes: dict[str, HomeFile] = field(default_factory=dict)
    close: list[tuple[Content, Content]] = field(default_factory=list)

    def all_media(self) -> list[Content]:
        """Everything that can be a double."""
        contents = self.ledger.contents.of_library()
        sidecars = {os.path.splitext(one.path)[0] for one in contents if one.kind == Kind.SIDECAR}
        beside = frozenset(
            one.path for one in contents if one.path in sidecars or os.path.splitext(one.path)[0] in sidecars
        )
        self.known = Known(self.ledger.all_filed(), beside, self.ledger.damaged())
        found = media(contents)
        self.homes = self.ledger.of_paths(one.path for one in found)
        return found

    def group(self, files: Sequence[Content], degree: Degree) -> Group:
        """The group that doubles are, with the proposed keeper."""
        ranked, why = propose(files, degree, self.known)
        marks = tuple(self.homes[one.path].quick or b"" for one in ranked)
        dated = [is_dated(one, self.known) for one in ranked]
        return Group(degree, ranked, ranked[0].path, why, marks, dated[0] and not any(dated[1:]))

    def is_settled(self, group: Group) -> bool:
        """Whether somebody decided to keep all of a group."""
        return any(set(group.marks) <= kept for kept in self.settled)

    def _path(self, one: Content) -> str:
        return self.ledger.stored.at(self.library.root, one.path)

    def same_bytes(self, files: Sequence[Content]) -> list[list[Content]]:
        """Same size, quick and full fingerprint. Full ones are made where they are needed, and kept."""
        alike: dict[tuple[int, bytes], list[Content]] = defaultdict(list)
        sizes: dict[int, list[Content]] = defaultdict(list)
        for one in files:
            sizes[one.size].append(one)
        for size, own in sizes.items():
            for one in own if len(own) > 1 else ():
                if mark := self._quick(one):
                    alike[size, mark].append(one)
        piles = [pile for pile in alike.values() if len(pile) > 1]
        groups: dict[bytes, list[Content]] = defaultdict(list)
        for number, pile in enumerate(piles):
            self.report("Comparing bytes", number, len(piles))
            for one in pile:
                if sum_ := self._full(one):
                    groups[sum_].append(one)
        return [group for group in groups.values() if len(group) > 1]

    def _quick(self, one: Content) -> bytes | None:
        home = self.homes[one.path]
        if home.quick is None:
            self._learn(one, lambda path: replace(home, quick=quick(path)))
        return self.homes[one.path].quick

    def _full(self, one: Content) -> bytes | None:
        home = self.homes[one.path]
        if home.full is None:
            self._learn(one, lambda path: replace(home, full=full(path, stop=self.stop)))
        return self.homes[one.path].full

    def _learn(self, one: Content, make: Callable[[str], HomeFile]) -> None:
        if self.stop.is_set():
            raise Stopped
        try:
            made = make(self._path(one))
        except SourceUnreadable:
            return
        self.homes[one.path] = made
        self.ledger.put([made])

    def same_payload(self, files: Sequence[Content]) -> list[list[Content]]:
        """Same picture or sound to the byte, other metadata."""
        piles: dict[tuple[str, int, bytes], list[Content]] = defaultdict(list)
        for one in files:
            if one.payload and one.mark:
                piles[one.kind, one.payload, one.mark].append(one)
        alike = [one for pile in piles.values() if len(pile) > 1 for one in pile]
        groups: dict[bytes, list[Content]] = defaultdict(list)
        self.report("Comparing pictures and sounds without their metadata", 0, len(alike))
        for one in payload_prints(alike, self.ledger, self._path, self.stop):
            groups[one.print or b""].append(one)
        return [group for group in groups.values() if len(group) > 1]

    def same_picture(self, files: Sequence[Content]) -> list[list[Content]]:
        """Same picture or sound in another encoding: found by looks, and compared."""
        pairs = self._stills([one for one in files if one.kind == Kind.STILL and one.looks])
        from jutrek.doubles.clip_matching import KINDS, pairs_of

        pairs += [pair for kind in KINDS for pair in pairs_of(files, kind)]
        return _joined(pairs)

    def _stills(self, stills: Sequence[Content]) -> list[tuple[Content, Content]]:
        """Pairs of stills that agree. What only looks alike is kept for the last degree."""
        from jutrek.doubles.aligned import SAME
        from jutrek.doubles.grayscale import Greys
        from jutrek.doubles.still_matching import Album

        self.report("Looking for pictures that look the same", 0, 0)
        album = Album([one.looks or b"" for one in stills])
        candidates = album.candidates(stop=self.stop)
        kept = self.ledger.contents.agreements()
        greys, same, made = Greys(), list[tuple[Content, Content]](), list[tuple[bytes, bytes, float]]()
        turn = sorted(candidates)
        try:
            for number, pair in enumerate(turn):
                self.report("Comparing pictures", number, len(turn))
                if self.stop.is_set():
                    raise Stopped
                one, other = stills[pair[0]], stills[pair[1]]
                if one_press(one, other):
                    continue
                share = 0.0
                if not two_presses(one, other):
                    share = self._share((one, other), pair, candidates, greys, kept, made)
                if share >= SAME:
                    same.append((one, other))
                elif album.plain(*pair):
                    self.close.append((one, other))
                if len(made) >= _KEPT_EVERY:
                    self.ledger.contents.put_agreements(made)
                    made.clear()
        finally:
            self.ledger.contents.put_agreements(made)
        return same

    def _share(
        self,
        two: tuple[Content, Content],
        pair: tuple[int, int],
        candidates: Candidates,
        greys: Greys,
        kept: dict[tuple[bytes, bytes], float],
        made: list[tuple[bytes, bytes, float]],
    ) -> float:
        """How far two stills agree, as it is kept, or compared now."""
        from jutrek.doubles.still_matching import share_of

        first, second = sorted(self._quick(one) or b"" for one in two)
        if (first, second) not in kept:
            try:
                kept[first, second] = share_of(greys, (self._path(two[0]), self._path(two[1])), candidates[pair])
            except SourceUnreadable:
                # It may be readable another time: what is not known is not kept.
                return 0.0
            made.append((first, second, kept[first, second]))
        return kept[first, second]

    def alike(self, files: Sequence[Content]) -> list[list[Content]]:
        """What looks alike and is not the same: bursts, series, one motif again."""
        there = {one.path for one in files}
        near: dict[str, dict[str, Content]] = defaultdict(dict)
        for one, other in self.close:
            if one.path in there and other.path in there:
                near[one.path][other.path] = other
                near[other.path][one.path] = one
        groups, taken = [], set[str]()
        for one in sorted(files, key=lambda one: (one.taken, one.path)):
            # Around one of them, not in a chain: the ends of a chain need not look alike.
            own = [other for path, other in near.get(one.path, {}).items() if path not in taken]
            if own and one.path not in taken:
                groups.append([one, *own])
                taken |= {one.path, *(other.path for other in own)}
        return groups


def _joined(pairs: Sequence[tuple[Content, Content]]) -> list[list[Content]]:
    """Groups of what pairs tie together."""
    leads: dict[str, str] = {}

    def lead(path: str) -> str:
        while leads.setdefault(path, path) != path:
            path = leads[path]
        return path

    for one, other in pairs:
        leads[lead(other.path)] = lead(one.path)
    groups: dict[str, dict[str, Content]] = defaultdict(dict)
    for pair in pairs:
        for one in pair:
            groups[lead(one.path)][one.path] = one
    return [list(group.values()) for group in groups.values()]
