"""Orders by hand within folders: kept by content, so they survive moves and renames; what is new joins by its moment.

`LIBRARY/.jutrek/orders.jsonl`, laid out as shelves are: the order of lines is the order. Each order is called by the
folder in which it was made, for who reads the page; which folder it is for is told by what lies there now.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain, count
from typing import TYPE_CHECKING

import numpy as np

from jutrek.errors import NotPossible, shown
from jutrek.views.columns import Columns, Names, bit_of
from jutrek.views.conditions import State
from jutrek.views.shelves import BY_HAND, LONGEST_NAME, Shelf, Shelves, Thing, change, shelves_of
from jutrek.views.shelving import Stood, stood, things_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.library import Library
    from jutrek.library.ledger import Ledger

    Rows = NDArray[np.int64]

_AWAY = bit_of(State.GONE) | bit_of(State.ASIDE)


def orders_of(library: Library, columns: Columns, ledger: Ledger) -> tuple[Stood, ...]:
    """The orders by hand of a library, each with the captures that are in it now."""
    return stood(shelves_of(library, BY_HAND)[0], columns, ledger)


def by_hand(columns: Columns, rows: Rows, orders: Sequence[Stood]) -> Rows:
    """Rows in the order by hand: by folders, and within each by its own order.

    In a folder most of whose ordered captures are of one order that one counts; all others stand by their moments:
    before the first of its captures that was shot later.

    Args:
        columns: of the captures.
        rows: in the order of shooting.
        orders: by hand.
    """
    order, place = np.full(columns.count, -1, np.int64), np.zeros(columns.count, np.int64)
    for number, one in enumerate(orders):
        order[one.rows], place[one.rows] = number, np.arange(len(one.rows))
    names = columns.names[Names.FOLDER]
    rank = np.empty(len(names), np.int64)
    rank[sorted(range(len(names)), key=names.__getitem__)] = np.arange(len(names))
    sorted_rows = rows[np.argsort(rank[columns.folder[rows]], kind="stable")]
    folders = columns.folder[sorted_rows]
    ends = np.flatnonzero(folders[1:] != folders[:-1]) + 1
    parts = np.split(sorted_rows, ends)
    return np.concatenate([_in_folder(columns, part, order[part], place[part]) for part in parts])


def _in_folder(columns: Columns, rows: Rows, order: Rows, place: Rows) -> Rows:
    """The rows of one folder, which are in the order of shooting, in its own order."""
    known = order[order >= 0]
    if not len(known):
        return rows
    own = order == np.bincount(known).argmax()
    ranked = rows[own][np.argsort(place[own], kind="stable")]
    others = rows[~own]
    # Before the first that was shot later: where the latest moment so far first goes beyond it.
    before = np.searchsorted(np.maximum.accumulate(columns.moment[ranked]), columns.moment[others], side="right")
    keys = np.concatenate([np.arange(len(ranked)) * 2 + 1, before * 2])
    together: Rows = np.concatenate([ranked, others])[np.argsort(keys, kind="stable")]
    return together


def arrange(
    columns: Columns,
    moved: Sequence[int],
    before: int | None,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event | None = None,
    report: Callable[[int, int], None] = lambda done, total: None,
) -> tuple[Shelves, Shelves]:
    """Put captures in another place in their folder.

    Args:
        columns: of the library.
        moved: rows of captures of one folder, in the order that they are to have.
        before: the row of the one that they are put in front of; None for the end.
        library: the library.
        ledger: its ledger, open.
        stop: ends it when it is set; nothing is changed then.
        report: told how many files were looked at, of how many: what is not known by its content yet is read for it.

    Returns:
        What the orders were, and what they are now.

    Raises:
        NotPossible: when they do not lie in one folder, or it cannot be written.
        Stopped: when it was stopped.
    """
    folders = {int(columns.folder[row]) for row in [*moved, *([before] if before is not None else [])]}
    if len(folders) != 1:
        raise NotPossible(library.root, "an order by hand is one within a folder; these lie in several")
    code = folders.pop()
    whole = np.flatnonzero((columns.folder == code) & (columns.state & _AWAY == 0))
    own = set(moved)
    left = [row for row in by_hand(columns, whole, orders_of(library, columns, ledger)).tolist() if row not in own]
    at = left.index(before) if before is not None and before in left else len(left)
    wanted = [*left[:at], *moved, *left[at:]]
    things = things_of(columns, wanted, library, ledger, stop=stop, report=report)
    folder = columns.names[Names.FOLDER][code]
    return change(library, lambda orders: _with(orders, folder, things), BY_HAND)


def forget(columns: Columns, folder: str, library: Library, ledger: Ledger) -> tuple[Shelves, Shelves]:
    """Let the captures right in a folder stand by moment again. Returns and raises as `arrange`."""
    names = columns.names[Names.FOLDER]
    if folder not in names:
        raise NotPossible(shown(folder), "no capture lies in it")
    rows = set(np.flatnonzero(columns.folder == names.index(folder)).tolist())
    orders = orders_of(library, columns, ledger)
    gone = {
        thing.key for one in orders for row, thing in zip(one.rows.tolist(), one.things, strict=True) if row in rows
    }  # fmt: skip
    return change(library, lambda known: tuple(_without(known, gone)), BY_HAND)


def _with(orders: Shelves, folder: str, things: Sequence[Thing]) -> Shelves:
    """Orders with one of a folder; what is in it is in none of the others any more."""
    own = {one.key: one for one in things}
    rest = tuple(_without(orders, own.keys()))
    return (*rest, Shelf(_name(folder, rest), tuple(own.values())))


def _without(orders: Shelves, keys: Iterable[tuple[int, bytes]]) -> Iterator[Shelf]:
    """Orders without some contents. One that has a single content left orders nothing."""
    gone = set(keys)
    for one in orders:
        left = tuple(thing for thing in one.things if thing.key not in gone)
        if len(left) > 1:
            yield Shelf(one.name, left)


def _name(folder: str, others: Shelves) -> str:
    """What an order is called: by its folder, and a number where another one is called so."""
    plain = "".join(sign if sign.isprintable() else "?" for sign in folder)[-LONGEST_NAME:] or "/"
    taken = {one.name.casefold() for one in others}
    names = chain([plain], (f"{plain} ({number})" for number in count(2)))
    return next(name for name in names if name.casefold() not in taken)
