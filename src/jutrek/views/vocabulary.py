"""What there is in a library to be named in sentences."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from jutrek.views.columns import Columns, Names
from jutrek.views.conditions import Sort

_SORTS = {
    Sort.DEVICE: Names.DEVICE, Sort.PERSON: Names.PERSON, Sort.LENS: Names.LENS, Sort.SHOOT: Names.SHOOT,
    Sort.PLACE: Names.PLACE,
    Sort.FORMAT: Names.FORMAT, Sort.MARK: Names.MARK, Sort.FOLDER: Names.FOLDER, Sort.RIGHT_IN: Names.FOLDER,
}  # fmt: skip


def names_of(columns: Columns, shelves: Iterable[str] = ()) -> dict[Sort, list[str]]:
    """The names of each sort, those of most captures first; those of shelves in their order."""
    found = {sort: _by_count(columns.names[names], getattr(columns, names.value)) for sort, names in _SORTS.items()}
    found[Sort.KEYWORD] = _by_count(columns.names[Names.KEYWORD], columns.keywords)
    found[Sort.SHELF] = list(shelves)
    return found


def _by_count(names: tuple[str, ...], codes: np.ndarray) -> list[str]:
    counts = np.bincount(codes, minlength=len(names))
    return [names[code] for code in np.argsort(-counts, kind="stable").tolist() if names[code] and counts[code]]
