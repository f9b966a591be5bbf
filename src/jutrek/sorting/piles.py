"""Piles of captures: by month, device, place, shoot, folder or likeliness, in the order of the first that was shot."""

from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.formats import Precision
from jutrek.views.columns import TRUSTS, Columns, Names

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Rows = NDArray[np.int64]

_DOUBTFUL = TRUSTS.index("doubtful")
_NO_MONTH = -1


class By(StrEnum):
    """What piles are made by."""

    MONTH = "month"
    DEVICE = "device"
    PLACE = "place"
    SHOOT = "shoot"
    FOLDER = "folder"
    LIKELY = "likely"


_NAMES = {By.DEVICE: Names.DEVICE, By.PLACE: Names.PLACE, By.SHOOT: Names.SHOOT, By.FOLDER: Names.FOLDER,
          By.LIKELY: Names.LIKELY}  # fmt: skip


class Pile(NamedTuple):
    """A pile.

    Attributes:
        key: tells it from others: `2026-05`, `2026` where only the year is known, or what a device, place, shoot or
            folder is called, or what it likely is; empty for what has none, or no date to trust.
        to_go: how many captures are left in it.
        began: how many there were.
    """

    key: str
    to_go: int
    began: int


def codes_of(columns: Columns, rows: Rows, by: By) -> Rows:
    """Of each row a number that is the same for all of its pile."""
    if by is not By.MONTH:
        own: Rows = getattr(columns, _NAMES[by].value)[rows].astype(np.int64)
        return own
    day, precision = columns.day[rows], columns.precision[rows]
    months = day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)
    # Thirteen to a year: the first stands for a year of which no month is known.
    years, month = months // 12 + 1970, months % 12 + 1
    code = years * 13 + np.where(precision >= Precision.MONTH, month, 0)
    trusted = (precision >= Precision.YEAR) & (columns.trust[rows] != _DOUBTFUL)
    found: Rows = np.where(trusted, code, _NO_MONTH)
    return found


def key_of(columns: Columns, by: By, code: int) -> str:
    """The key of a pile by its number."""
    if by is not By.MONTH:
        return str(columns.names[_NAMES[by]][code])
    if code == _NO_MONTH:
        return ""
    year, month = divmod(code, 13)
    return f"{year:04}-{month:02}" if month else f"{year:04}"


def counts_of(columns: Columns, codes: Rows, by: By) -> dict[str, int]:
    """How many captures each pile has, by its key: in the order of their first one; what has no key comes last.

    Args:
        columns: of the captures.
        codes: of them, by `codes_of`.
        by: what piles are made by.
    """
    if not len(codes):
        return {}
    least = int(codes.min())
    counts = np.bincount(codes - least)
    present = np.flatnonzero(counts)
    first = np.full(len(counts), len(codes), np.int64)
    # Backwards, so that the first row of each pile is the one that stays.
    first[codes[::-1] - least] = np.arange(len(codes) - 1, -1, -1)
    ordered = present[np.argsort(first[present], kind="stable")].tolist()
    found = {key_of(columns, by, code + least): int(counts[code]) for code in ordered}
    if "" in found:
        found[""] = found.pop("")
    return found
