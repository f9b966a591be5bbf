"""Marks that are shown before they are written, until what is shown was read from what was written."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.library.marks import HouseMark
    from jutrek.views.columns import Columns


class MarksShown:
    """Marks that were given, and which of them are written."""

    def __init__(self) -> None:
        self._given: dict[int, tuple[list[str], str]] = {}
        self._written: set[int] = set()
        self._count = 0

    @property
    def written(self) -> frozenset[int]:
        """Those that are written, or could not be: columns that are built from now on tell."""
        return frozenset(self._written)

    def give(self, paths: Sequence[str], letter: str) -> int:
        """Captures are given a mark; the empty letter takes it off. Returns its number."""
        self._count += 1
        self._given[self._count] = list(paths), letter
        return self._count

    def is_written(self, number: int) -> None:
        """One was written, or could not be."""
        self._written.add(number)

    def are_read(self, numbers: Iterable[int]) -> None:
        """Columns were built that tell of these."""
        for number in numbers:
            self._given.pop(number, None)
            self._written.discard(number)

    def on(self, columns: Columns, marks: Sequence[HouseMark]) -> Columns:
        """Columns with all of them.

        Args:
            columns: of the captures.
            marks: of the house.
        """
        for paths, letter in self._given.values():
            meaning = next((one.meaning for one in marks if one.letter == letter), "")
            columns = columns.marked(list(columns.rows_of(paths).values()), letter, meaning)
        return columns
