"""The folders of a library as a tree, numbered so that what lies below a folder follows it."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from jutrek.disk import OWN_FOLDER

if TYPE_CHECKING:
    from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, eq=False)
class FolderTree:
    """All folders in which captures are, with those above them. The first one is the root.

    Attributes:
        paths: relative to the library; in the order in which they are walked.
        depths: how deep each lies; the root 0.
        ends: the number behind the last one below each.
        of_code: of each code of the column of folders its number here; -1 for what is not shown.
        numbers: of each path its number.
    """

    paths: tuple[str, ...]
    depths: NDArray[np.int32]
    ends: NDArray[np.int32]
    of_code: NDArray[np.int32]
    numbers: Mapping[str, int]

    @classmethod
    def of(cls, names: Sequence[str]) -> FolderTree:
        """The tree of the folders that codes lead to."""
        own = [tuple(name.split("/")) if name else () for name in names]
        shown = [parts for parts in own if not parts or parts[0] != OWN_FOLDER]
        every = {parts[:depth] for parts in shown for depth in range(len(parts) + 1)} | {()}
        ordered = sorted(every, key=lambda parts: [os.fsencode(one) for one in parts])
        numbers = {parts: number for number, parts in enumerate(ordered)}
        depths = np.array([len(parts) for parts in ordered], np.int32)
        ends = np.empty(len(ordered), np.int32)
        open_ones: list[int] = []
        for number, depth in enumerate(depths.tolist()):
            while open_ones and depths[open_ones[-1]] >= depth:
                ends[open_ones.pop()] = number
            open_ones.append(number)
        ends[open_ones] = len(ordered)
        codes = np.array([numbers.get(parts, -1) for parts in own], np.int32)
        paths = tuple("/".join(parts) for parts in ordered)
        return cls(paths, depths, ends, codes, dict(zip(paths, range(len(paths)), strict=True)))

    def counts(self, codes: NDArray[np.int32]) -> NDArray[np.int64]:
        """How many captures each folder has, with what lies deeper.

        Args:
            codes: the folders of the captures.
        """
        numbers = self.of_code[codes]
        own = np.bincount(numbers[numbers >= 0], minlength=len(self.paths))
        sums = np.concatenate([[0], np.cumsum(own)])
        found: NDArray[np.int64] = sums[self.ends] - sums[:-1]
        return found

    def number(self, path: str) -> int | None:
        """The number of a folder; None where there is none."""
        return self.numbers.get(path)

    def children(self, number: int) -> list[int]:
        """The folders right within one."""
        found, at, end = [], number + 1, int(self.ends[number])
        while at < end:
            found.append(at)
            at = int(self.ends[at])
        return found

    def parents(self, number: int) -> list[int]:
        """A folder and those above it, the root first."""
        path = self.paths[number]
        above = [number]
        while path:
            path = path.rpartition("/")[0]
            at = self.number(path)
            if at is None:
                break
            above.append(at)
        return above[::-1]
