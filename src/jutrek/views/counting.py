"""How many captures of a view there are of each month, day, device, folder …"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from jutrek.formats import Precision
from jutrek.views.by import By
from jutrek.views.columns import KINDS, Columns, Names, day_of

if TYPE_CHECKING:
    from numpy.typing import NDArray


_LEAST = {By.MONTH: Precision.MONTH, By.WEEK: Precision.DAY, By.DAY: Precision.DAY}
_NAMED = {
    By.DEVICE: Names.DEVICE,
    By.FORMAT: Names.FORMAT,
    By.FOLDER: Names.FOLDER,
    By.LENS: Names.LENS,
    By.LIKELY: Names.LIKELY,
    By.PLACE: Names.PLACE,
}


def counted(columns: Columns, mask: NDArray[np.bool_], by: By) -> dict[str, int]:
    """How many captures there are of each value, in the order of the values; what has none counts under no name.

    Args:
        mask: which captures count.
        by: what they are counted by. Months are `2026-05`, weeks `2020-W53` (ISO 8601), days `2026-05-14`. A keyword
            counts for each of a capture's, so that sums may be larger.
    """
    if by in _LEAST:
        return _by_time(columns, mask, by)
    if by is By.KEYWORD:
        rows = np.repeat(mask, np.diff(columns.keyword_starts))
        found = _named(columns.names[Names.KEYWORD], np.bincount(columns.keywords[rows]))
        without = int(np.count_nonzero(mask & (np.diff(columns.keyword_starts) == 0)))
        return ({"": without} if without else {}) | found
    if by is By.KIND:
        return _named(KINDS, np.bincount(columns.kind[mask], minlength=len(KINDS)))
    names = _NAMED[by]
    return _named(columns.names[names], np.bincount(getattr(columns, names.value)[mask]))


def _by_time(columns: Columns, mask: NDArray[np.bool_], by: By) -> dict[str, int]:
    told = mask & (columns.precision >= _LEAST[by])
    days, counts = np.unique(columns.day[told], return_counts=True)
    found: dict[str, int] = {}
    for number, count in zip(days.tolist(), counts.tolist(), strict=True):
        day = day_of(number)
        if by is By.WEEK:
            iso = day.isocalendar()
            name = f"{iso.year}-W{iso.week:02}"
        else:
            name = day.isoformat()[: 7 if by is By.MONTH else 10]
        found[name] = found.get(name, 0) + count
    untold = int(np.count_nonzero(mask)) - int(counts.sum())
    return ({"": untold} if untold else {}) | found


def _named(names: tuple[str, ...], counts: NDArray[np.int64]) -> dict[str, int]:
    found = {names[code]: count for code, count in enumerate(counts.tolist()) if count}
    return dict(sorted(found.items()))
