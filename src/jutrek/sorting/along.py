"""What goes along with captures of a pile: the same burst, the same shoot, the same day and device."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.formats import Precision
from jutrek.views.columns import NEVER

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.columns import Columns

    Rows = NDArray[np.int64]

_BURST = 1_500_000
"""Microseconds between two frames of a burst, at most."""


class Along(NamedTuple):
    """Captures that go along: the words that say why, and all of them, those that are chosen among them."""

    words: str
    rows: Rows


def along(columns: Columns, rows: Rows, chosen: Rows) -> Along | None:
    """What goes along with what is chosen, the nearest first: once that is chosen, too, what is next.

    Args:
        columns: of the captures.
        rows: those that may come along, in the order of shooting.
        chosen: those that are chosen; some of them.
    """
    if not len(chosen):
        return None
    has = np.isin(rows, chosen)
    tried = (("same burst", _burst), ("same shoot", _shoot), ("same day and device", _day), ("same day", _any_device))
    for words, which in tried:
        found = which(columns, rows, has) | has
        if np.count_nonzero(found) > np.count_nonzero(has):
            return Along(words, rows[found])
    return None


def _burst(columns: Columns, rows: Rows, has: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The frames that one device made right after one another."""
    found = np.zeros(len(rows), bool)
    for device in np.unique(columns.device[rows[has]]).tolist():
        own = np.flatnonzero(columns.device[rows] == device)
        moments = columns.moment[rows[own]]
        timed = columns.precision[rows[own]] >= Precision.SECOND
        follows = (np.diff(moments) <= _BURST) & timed[1:] & timed[:-1] & (moments[:-1] != NEVER)
        run = np.concatenate([[0], np.cumsum(~follows)])
        found[own[np.isin(run, run[has[own]])]] = True
    return found


def _shoot(columns: Columns, rows: Rows, has: NDArray[np.bool_]) -> NDArray[np.bool_]:
    shoots = columns.shoot[rows]
    wanted = np.unique(shoots[has])
    return np.isin(shoots, wanted[wanted != 0])


def _day(columns: Columns, rows: Rows, has: NDArray[np.bool_]) -> NDArray[np.bool_]:
    pairs = columns.filed[rows].astype(np.int64) * (len(columns.device) + 1) + columns.device[rows]
    return np.isin(pairs, pairs[has & _dated(columns, rows)]) & _dated(columns, rows)


def _any_device(columns: Columns, rows: Rows, has: NDArray[np.bool_]) -> NDArray[np.bool_]:
    days, dated = columns.filed[rows], _dated(columns, rows)
    return np.isin(days, days[has & dated]) & dated


def _dated(columns: Columns, rows: Rows) -> NDArray[np.bool_]:
    dated: NDArray[np.bool_] = columns.precision[rows] >= Precision.DAY
    return dated
