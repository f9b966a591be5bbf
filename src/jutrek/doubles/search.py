"""Searching for close looks among very many: by bands, not by comparing all with all.

Two words of 64 bits that differ in at most 7 bits agree, but for one bit at most, in one of their four bands of 16 bits
(there are only 7 differences for four bands). So every band of every word is looked up as it is and with each of its
bits changed: 68 look-ups. What is found is compared in full. Of what differs in more bits, much is found as well.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

RADIUS = 6
"""Bits that close looks differ in at most; all pairs up to 7 are found."""
_BAND, _BANDS = 16, 4
_MASKS = np.array([0, *(1 << bit for bit in range(_BAND))], np.int64)
_AT_ONCE = 400_000
"""Candidates that are compared at once; it limits the memory."""

Words = NDArray[np.uint64]
Pairs = NDArray[np.int64]
"""Shape (n, 2): numbers of a query and of a word that it is close to."""


class Index:
    """Words that can be searched.

    Args:
        words: shape (n,).
    """

    def __init__(self, words: Words) -> None:
        self._words = np.ascontiguousarray(words, np.uint64)
        self._bands = []
        for band in range(_BANDS):
            keys = _keys(self._words, band)
            order = np.argsort(keys, kind="stable").astype(np.int32)
            starts = np.zeros((1 << _BAND) + 1, np.int64)
            np.cumsum(np.bincount(keys, minlength=1 << _BAND), out=starts[1:])
            self._bands.append((order, starts))

    def close(self, queries: Words, radius: int = RADIUS) -> Pairs:
        """All words that differ from queries in at most `radius` bits, each pair once, ordered by query.

        Args:
            queries: shape (m,).
        """
        found = [pairs for band in range(_BANDS) for pairs in self._in_band(queries, band, radius)]
        if not found:
            return np.empty((0, 2), np.int64)
        keyed = np.unique(np.concatenate(found))
        return np.stack([keyed // len(self._words), keyed % len(self._words)], axis=1)

    def _in_band(self, queries: Words, band: int, radius: int) -> Iterator[NDArray[np.int64]]:
        """Close pairs by one band, as query × number of words + word."""
        order, starts = self._bands[band]
        keys = _keys(queries, band)
        for mask in _MASKS:
            at = keys ^ mask
            first, counts = starts[at], starts[at + 1] - starts[at]
            some = np.flatnonzero(counts)
            for part in _parts(counts[some]):
                asking = some[part]
                own = counts[asking]
                query = np.repeat(asking, own)
                within = np.arange(len(query)) - np.repeat(np.cumsum(own) - own, own)
                word = order[np.repeat(first[asking], own) + within]
                near = np.bitwise_count(queries[query] ^ self._words[word]) <= radius
                yield query[near] * len(self._words) + word[near]


def close_pairs(words: Words, radius: int = RADIUS) -> Pairs:
    """All pairs of words that differ in at most `radius` bits; shape (n, 2), the smaller number first.

    Of words that are the same, each is paired with the first of them only, and stands for them no further: thousands
    of black pictures are thousands of pairs, not millions.
    """
    unique, first, inverse = np.unique(words, return_index=True, return_inverse=True)
    found = Index(unique).close(unique, radius)
    apart = found[found[:, 0] < found[:, 1]]
    pairs = np.sort(first[apart], axis=1)
    own = first[inverse]
    again = np.flatnonzero(own != np.arange(len(words)))
    same = np.stack([own[again], again], axis=1)
    joined = np.concatenate([pairs, same]).astype(np.int64)
    return joined[np.lexsort((joined[:, 1], joined[:, 0]))]


def _keys(words: Words, band: int) -> NDArray[np.int64]:
    return ((words >> np.uint64(_BAND * band)) & np.uint64(0xFFFF)).astype(np.int64)


def _parts(counts: NDArray[np.int64]) -> Iterator[slice]:
    """Stretches of queries that have about `_AT_ONCE` candidates together."""
    ends = np.cumsum(counts)
    start = 0
    while start < len(counts):
        done = int(ends[start - 1]) if start else 0
        end = max(start + 1, int(np.searchsorted(ends, done + _AT_ONCE, side="right")))
        yield slice(start, end)
        start = end
