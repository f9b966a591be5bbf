"""How far a sorting went: its record beside what is at home now.

The disk has the last word. An answer holds unless its capture lies where it lay before: then it did not move, or came
back by whatever way, and is to go. Another one that came under the same path is told by its moment. What was filed
within the view that is sorted is told by where it was put; if it was moved on from there, by name and moment, where
just one capture has both.
"""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.sorting.record import At, Record, What
from jutrek.views.columns import NEVER

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.columns import Columns

    Rows = NDArray[np.int64]


class Standing(NamedTuple):
    """How far a sorting went.

    Attributes:
        rows: of the captures that are to go, in the order of shooting.
        filed: how many were filed, or left where they lie.
        aside: how many were set aside.
    """

    rows: Rows
    filed: int
    aside: int


def standing(record: Record, columns: Columns, rows: Rows) -> Standing:
    """How far a sorting went.

    Args:
        record: of it.
        columns: of the captures that are at home now.
        rows: of those in the view that is sorted, in the order of shooting.
    """
    moments = columns.moment[rows].tolist()
    here = {path: (at, moment) for at, (path, moment) in enumerate(zip(columns.paths(rows), moments, strict=True))}
    settled = np.zeros(len(rows), bool)
    filed = aside = 0
    lost: list[At] = []
    for old, what, at in _last_answers(record):
        place, moment = here.get(at.path, (-1, 0))
        if what is not What.ASIDE and place >= 0 and moment == at.moment:
            settled[place] = True
            filed += 1
        elif old in here and here[old][1] == at.moment:
            continue
        elif what is What.ASIDE:
            aside += 1
        else:
            filed += 1
            lost.append(at)
    if lost:
        settled[_moved_on(columns, rows, lost, settled)] = True
    return Standing(rows[~settled], filed, aside)


def _last_answers(record: Record) -> list[tuple[str, What, At]]:
    """What was answered last about each capture: two that had one path at two times are told apart by their moments."""
    last: dict[tuple[str, int], tuple[str, What, At]] = {}
    for answer in record.answers.values():
        for old, at in answer.captures.items():
            last[old, at.moment] = (old, answer.what, at)
    return list(last.values())


def _moved_on(columns: Columns, rows: Rows, lost: list[At], settled: NDArray[np.bool_]) -> list[int]:
    """Which of the view's captures are some that were filed and lie elsewhere by now."""
    wanted = {(at.path.rpartition("/")[2], at.moment) for at in lost if at.moment != NEVER}
    moments = np.array(sorted({moment for _, moment in wanted}), np.int64)
    maybe = np.flatnonzero(~settled & np.isin(columns.moment[rows], moments)).tolist()
    found = [(at, (columns.name(row), int(columns.moment[row]))) for at in maybe for row in (int(rows[at]),)]
    counts = Counter(key for _, key in found if key in wanted)
    alone = {key: at for at, key in found if counts[key] == 1}
    if not alone:
        return []
    # Only what is no longer where it was put: a double of it that lies in the view is another capture.
    asked = [(at.path, key) for at in lost if (key := (at.path.rpartition("/")[2], at.moment)) in alone]
    still = {(path, int(columns.moment[row])) for path, row in columns.rows_of(path for path, _ in asked).items()}
    return [alone[key] for path, key in asked if (path, key[1]) not in still]
