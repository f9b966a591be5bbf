"""Whether stills look the same: close looks name candidates, and a comparison of the pictures decides.

A picture that was turned or mirrored is found by its look alone, one that was cut or framed by looks of parts. Each hit
says how the one lies in the other, which is where the comparison begins.
"""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jutrek.doubles.aligned import SAME, agreement
from jutrek.doubles.grayscale import Greys
from jutrek.doubles.looks import PARTS, TURNS, WHOLE, Box, framed, turn, turned
from jutrek.doubles.search import RADIUS, Index, Words
from jutrek.errors import Stopped

WIDE = 10
"""Bits that looks of copies may differ in, where words or a frame were laid over them."""
_GRAIN = 22
"""Bits that grains of copies may differ in where neither was turned or cut."""
_WORDS = 3 + len(PARTS)
_TRIES = 3
_MOST = 48
"""Candidates of one still in one way."""


class Hit(NamedTuple):
    """That a still's look is close to another one's.

    Attributes:
        way: how the other one is turned to lie on the first.
        part, other_part: number of the part of the first, and of the other one, that show the same: 0 is the whole,
            -1 what is within its frame, others count `PARTS` from 1.
        bits: how many bits differ.
    """

    way: int
    part: int
    other_part: int
    bits: int


Candidates = dict[tuple[int, int], list[Hit]]
"""Hits by the numbers of two stills, the smaller one first."""


class _Shelf:
    """Words of stills, each once, with the stills that have it: thousands may have the same, or one close to it."""

    def __init__(self, words: Words) -> None:
        self._words, inverse = np.unique(words, return_inverse=True)
        self._stills = np.argsort(inverse, kind="stable")
        self._starts = np.searchsorted(inverse[self._stills], np.arange(len(self._words) + 1))
        self._index = Index(self._words)

    def close(self, asking: NDArray[np.int64], words: Words, radius: int) -> Iterator[tuple[int, int, int]]:
        """For stills and their words the stills whose words are close, the `_MOST` closest, and the differing bits."""
        unique, inverse = np.unique(words, return_inverse=True)
        pairs = self._index.close(unique, radius)
        bits = np.bitwise_count(unique[pairs[:, 0]] ^ self._words[pairs[:, 1]])
        turn = np.lexsort((pairs[:, 1], bits, pairs[:, 0]))
        near: dict[int, list[tuple[int, int]]] = defaultdict(list)
        for query, word, many in zip(
            pairs[turn, 0].tolist(), pairs[turn, 1].tolist(), bits[turn].tolist(), strict=True
        ):
            room = _MOST + 1 - len(near[query])
            if room > 0:
                stills = self._stills[self._starts[word] : self._starts[word + 1]][:room]
                near[query] += [(still, many) for still in stills.tolist()]
        for still, query in zip(asking.tolist(), inverse.tolist(), strict=True):
            for other, many in near.get(query, ()):
                yield still, other, many


class Album:
    """Looks of stills that can be searched.

    Args:
        looks: as `Looks.as_bytes` gives them, one for each still.
    """

    def __init__(self, looks: Sequence[bytes]) -> None:
        words = np.frombuffer(b"".join(looks), "<u8").reshape(-1, _WORDS).astype(np.uint64)
        self._whole, self._grain, self._within = words[:, 0], words[:, 1], words[:, 2]
        self._parts = [words[:, 3 + number] for number in range(len(PARTS))]
        self._index = _Shelf(self._whole)
        self._frames = _Shelf(self._within)

    def __len__(self) -> int:
        return len(self._whole)

    def candidates(
        self,
        asking: NDArray[np.int64] | None = None,
        *,
        stop: threading.Event | None = None,
        parts: bool = True,
    ) -> Candidates:
        """Which stills may show the same.

        Args:
            asking: numbers of the stills that are asked about; None for all.
            parts: whether pictures that were cut, framed, turned or mirrored are looked for, too.

        Raises:
            Stopped: when `stop` was set.
        """
        own = np.arange(len(self)) if asking is None else asking
        found: Candidates = defaultdict(list)

        def take(shelf: _Shelf, words: Words, how: tuple[int, int, int]) -> None:
            if stop is not None and stop.is_set():
                raise Stopped
            way, part, other_part = how
            for one, other, many in shelf.close(own, words[own], WIDE if how == (0, 0, 0) else RADIUS + 1):
                if one < other:
                    found[one, other].append(Hit(_back(way), part, other_part, many))
                elif other < one:
                    found[other, one].append(Hit(way, other_part, part, many))

        take(self._index, self._whole, (0, 0, 0))
        if parts:
            for way in range(1, TURNS):
                take(self._index, turned(self._whole, way), (way, 0, 0))
            take(self._index, self._within, (0, -1, 0))
            take(self._frames, self._within, (0, -1, -1))
            for number, words in enumerate(self._parts):
                take(self._index, words, (0, number + 1, 0))
        return found

    def plain(self, one: int, other: int) -> bool:
        """Whether two stills look alike as they are, by both of their fingerprints."""
        bits = int(np.bitwise_count(self._whole[one] ^ self._whole[other]))
        grain = int(np.bitwise_count(self._grain[one] ^ self._grain[other]))
        return bits <= WIDE and grain <= _GRAIN


def _back(way: int) -> int:
    """The way that undoes a way: those two that both mirror once and swap undo one another, all others themselves."""
    return {5: 6, 6: 5}.get(way, way)


def share_of(greys: Greys, paths: tuple[str, str], hits: Sequence[Hit]) -> float:
    """How far two stills agree, tried in the ways that their looks suggest, likely ones first.

    Returns:
        The largest share of agreeing blocks, 0..1; 0 where a content gives no picture.

    Raises:
        SourceUnreadable: when a file cannot be read now.
    """
    one, other = greys.of(paths[0]), greys.of(paths[1])
    if one is None or other is None:
        return 0.0
    best = 0.0
    for hit in sorted(set(hits), key=lambda hit: (hit.bits, bool(hit.way), abs(hit.part) + abs(hit.other_part)))[
        :_TRIES
    ]:
        laid = turn(other, hit.way)
        found = agreement(one, laid, _box(one, hit.part), _box(laid, hit.other_part))
        best = max(best, found.share)
        if best >= SAME:
            break
    return best


def _box(picture: object, part: int) -> Box:
    if part < 0:
        return framed(np.asarray(picture, np.float32))
    return PARTS[part - 1] if part else WHOLE
