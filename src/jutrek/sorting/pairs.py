"""Doubles within what is sorted: side by side, and which of them is the worse."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.doubles.degrees import Degree, Group

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.columns import Columns

    Rows = NDArray[np.int64]

_SAID = {
    Degree.BYTES: "the same", Degree.PAYLOAD: "the same picture", Degree.PICTURE: "the same picture, saved anew",
    Degree.ALIKE: "looks alike",
}  # fmt: skip


class Twin(NamedTuple):
    """A capture that is a double.

    Attributes:
        group: the rows of all captures of its group, the proposed keeper first.
        words: what is said of it.
        worse: whether another one of them is proposed to stay.
        follows: whether it stands behind another one of them.
    """

    group: tuple[int, ...]
    words: str
    worse: bool
    follows: bool = False


def twins_of(columns: Columns, groups: Iterable[Group]) -> dict[int, Twin]:
    """What is known of doubles, by row; a capture that is in several groups is told by the nearest degree.

    Args:
        columns: of the captures.
        groups: of doubles.
    """
    known = list(groups)
    rows = columns.rows_of(one.path for group in known for one in group.files)
    found: dict[int, Twin] = {}
    for group in known:
        own = tuple(dict.fromkeys(rows[one.path] for one in group.files if one.path in rows))
        for row in own if len(own) > 1 else ():
            worse = row != own[0]
            words = f"{_SAID[group.degree]}, the worse" if worse else f"{_SAID[group.degree]}, to keep"
            found.setdefault(row, Twin(own, words, worse))
    return found


def side_by_side(rows: Rows, twins: Mapping[int, Twin]) -> tuple[Rows, dict[int, Twin]]:
    """Rows with doubles behind the first of them, and what is said of those that are.

    Args:
        rows: in the order of shooting.
        twins: of captures that are doubles.
    """
    mine = list(rows[np.isin(rows, list(twins))].tolist()) if twins else []
    if not mine:
        return rows, {}
    present, behind, told = set(mine), {}, {}
    taken: set[int] = set()
    for row in mine:
        if row in taken:
            continue
        others = [one for one in twins[row].group if one in present and one not in taken and one != row]
        taken.update((row, *others))
        behind[row] = others
        told[row] = twins[row]
        told |= {one: twins[one]._replace(follows=True) for one in others}
    return np.array(list(_in_line(rows.tolist(), behind, taken)), np.int64), told


def _in_line(rows: Sequence[int], behind: Mapping[int, Sequence[int]], taken: set[int]) -> Iterable[int]:
    for row in rows:
        if row in behind:
            yield row
            yield from behind[row]
        elif row not in taken:
            yield row


def worse_of(rows: Rows, twins: Mapping[int, Twin], aside: Container[int] = ()) -> Rows:
    """The worse ones of the doubles that some rows are of: of each the better one stays.

    Args:
        rows: of captures.
        twins: of those that are doubles.
        aside: rows that were set aside since: what they were better than is none of the worse any more.
    """
    groups = {twins[row].group for row in rows.tolist() if row in twins}
    found = {one for group in groups if group[0] not in aside for one in group[1:]} - {group[0] for group in groups}
    return np.array(sorted(found), np.int64)
