"""Which files are carried together.

To sync one file costs a disk nearly as much as to sync a dozen, and of small files that is most of what they cost. So
small ones are carried in bundles: all are written, then all synced, then all read back. Large ones go alone.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from jutrek.filing import Row

SMALL = 1024 * 1024
"""Bytes of the largest file that is bundled."""
_BUNDLE = 16
"""Files of a bundle."""
FEW = 4
"""Bundles for each thread, at least: what ends last should not keep the others waiting."""
_DESCRIPTORS = 480
"""Of what a process may have open (1,024 by custom), what files on their way may take."""


def most_at_once(threads: int, places: int) -> int:
    """How many files a bundle may hold: of each its source is open, and in each place its file and its folder."""
    return max(1, min(_BUNDLE, _DESCRIPTORS // max(1, threads * (1 + 2 * places))))


def bundled(rows: Sequence[Row], numbers: Sequence[int], threads: int, most: int) -> Iterator[list[int]]:
    """The numbers of rows in bundles, each number in one.

    Args:
        rows: all rows of the run.
        numbers: those to be bundled, in the order in which they are carried.
        threads: how many carry them.
        most: files of one bundle, as `most_at_once` tells.
    """
    small = sum(rows[number].size <= SMALL for number in numbers)
    most = max(1, min(most, small // (threads * FEW)))
    bundle: list[int] = []
    for number in numbers:
        if rows[number].size > SMALL:
            yield [number]
            continue
        bundle.append(number)
        if len(bundle) == most:
            yield bundle
            bundle = []
    if bundle:
        yield bundle
