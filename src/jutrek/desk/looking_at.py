"""A library as it is asked about without a window: its columns, current with the disk, and the rows of a view."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, NamedTuple

from jutrek.errors import NotPossible
from jutrek.library import open_library
from jutrek.library.ledger import Ledger
from jutrek.views.conditions import Is, Sort, State, Value, leaves
from jutrek.views.looking import Report, current

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from jutrek.filing import HouseRules
    from jutrek.library import Library
    from jutrek.views.columns import Columns
    from jutrek.views.conditions import Condition
    from jutrek.views.shelving import Stood


class Look(NamedTuple):
    """A library that is looked at.

    Attributes:
        home: the library.
        ledger: its ledger, open.
        columns: its captures.
        shelves: what stands on shelves; empty where nobody asks for it.
        troubles: sentences about what is damaged of rules, where they were needed, spots or shelves.
    """

    home: Library
    ledger: Ledger
    columns: Columns
    shelves: tuple[Stood, ...]
    troubles: tuple[str, ...]


@contextmanager
def looked_at(
    path: str,
    views: Sequence[Condition],
    *,
    stop: threading.Event,
    report: Report = lambda what, done, total: None,
) -> Iterator[Look]:
    """A library, with its columns current with the disk.

    Args:
        path: the library's.
        views: what will be asked of them: where one speaks of doubles, they are looked for first; of shelves, they
            are read; of places, it is said what is wrong with spots.
        stop: ends it when it is set.
        report: told what is going on, how far it is, and how far it goes.

    Raises:
        LibraryTrouble: when it can't be opened.
        Stopped: when `stop` was set.
    """
    spoken = [leaf for view in views for leaf in leaves(view)]
    home, troubles = open_library(path), list[str]()

    def rules() -> HouseRules:
        from jutrek.filing.rulebook import load_rules

        book = load_rules(home)
        troubles.extend(filter(None, [book.trouble]))
        return book.rules

    with Ledger(home.ledger_path) as ledger:
        if Is(State.DOUBLED) in spoken:
            from jutrek.doubles.learning import learn
            from jutrek.library import survey

            survey(home, ledger, stop=stop)
            learn(home, ledger, stop=stop, report=lambda done, total: report("Looking at files", done, total))
        columns = current(home, ledger, rules, stop=stop, report=report)
        if any(leaf.sort is Sort.PLACE for leaf in spoken):
            from jutrek.library.spots import spots_of

            troubles += spots_of(home)[1]
        shelves: tuple[Stood, ...] = ()
        if any(leaf.sort is Sort.SHELF for leaf in spoken):
            from jutrek.views.shelves import shelves_of
            from jutrek.views.shelving import stood

            found, bad = shelves_of(home)
            troubles += bad
            shelves = stood(found, columns, ledger)
        yield Look(home, ledger, columns, shelves, tuple(troubles))


def rows_of(look: Look, wanted: Condition) -> NDArray[np.int64]:
    """The rows of a view: in the order of shooting, or of the shelf that it shows.

    Raises:
        NotPossible: when it speaks of a shelf that is not there.
    """
    import numpy as np

    from jutrek.views.narrowing import held
    from jutrek.views.shelving import arranged

    there = {one.name.casefold() for one in look.shelves}
    for leaf in leaves(wanted):
        if isinstance(leaf, Value) and leaf.sort is Sort.SHELF and " ".join(leaf.text.split()).casefold() not in there:
            raise NotPossible(look.home.root, f"no shelf is called “{leaf.text}”")
    rows = np.flatnonzero(held(look.columns, wanted, look.shelves))
    order = arranged(rows, wanted, look.shelves)
    return rows if order is None else order
