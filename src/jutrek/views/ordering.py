"""The order in which captures of a view are shown: by moment, or by what else tells them apart."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from jutrek.views.by_hand import by_hand
from jutrek.views.columns import Columns, Names
from jutrek.views.orders import Order

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.shelving import Stood

_DIGITS = re.compile(r"(\d+)")


def ordered(columns: Columns, rows: NDArray[np.int64], order: Order, hand: Sequence[Stood] = ()) -> NDArray[np.int64]:
    """Rows in an order.

    Args:
        columns: of the captures.
        rows: in the order of shooting.
        order: which one.
        hand: the orders by hand.
    """
    if order is Order.MOMENT or len(rows) < 2:
        return rows
    if order is Order.HAND:
        return by_hand(columns, rows, hand)
    if order is Order.NAME:
        keys = [_natural(path.rpartition("/")[2]) for path in columns.paths(rows)]
        return rows[sorted(range(len(rows)), key=keys.__getitem__)]
    return rows[np.argsort(_keys(columns, rows, order), kind="stable")]


def _keys(columns: Columns, rows: NDArray[np.int64], order: Order) -> NDArray[np.int64]:
    """Numbers by which rows are ordered, the least first."""
    if order is Order.SIZE:
        return -columns.size[rows]
    if order is Order.RATING:
        return -columns.rating[rows].astype(np.int64)
    if order is Order.CHANGED:
        return -columns.changed[rows]
    if order is Order.KIND:
        return columns.kind[rows].astype(np.int64) * 256 + columns.format[rows]
    # What has no mark comes last.
    names = columns.names[Names.MARK]
    rank = {code: number for number, code in enumerate(sorted(range(1, len(names)), key=lambda code: names[code]))}
    of_code = np.array([len(names), *(rank[code] for code in range(1, len(names)))], np.int64)
    ranks: NDArray[np.int64] = of_code[columns.mark[rows]]
    return ranks


def _natural(name: str) -> tuple[tuple[int, str], ...]:
    """A name as people order it: `P2` before `P10`."""
    if name.isascii() and not any(sign.isdigit() for sign in name):
        return ((-1, name.lower()),)
    return tuple(
        (int(part), "") if part.isdigit() and part.isascii() else (-1, part.casefold())
        for part in _DIGITS.split(name)
        if part
    )
