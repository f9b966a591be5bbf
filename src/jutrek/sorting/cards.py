"""The folders that may take what is chosen: those in use keep their numbers, the next useful ones stand behind them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.filing.rules import UNFILED_FOLDER
from jutrek.formats import Precision
from jutrek.sorting.targets import folders_of, is_pattern, stem_of_target
from jutrek.views.columns import NEVER, bit_of
from jutrek.views.conditions import State

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.filing.pieces import Setting
    from jutrek.views.columns import Columns
    from jutrek.views.folders import FolderTree

    Rows = NDArray[np.int64]

_AWAY = bit_of(State.GONE) | bit_of(State.ASIDE)
_SHOWN = 3
_PROPOSED = 6
"""So many folders there are at least, those in use among them, as far as there are any to propose."""
_OF_EACH = 3
HOUSE = "where the house files it"


class Card(NamedTuple):
    """A folder that may take captures.

    Attributes:
        target: the folder, or a pattern of folders.
        folder: the folder; of a pattern the one of what is chosen, the first of it.
        why: it is proposed; of a pattern in use, the pattern.
        captures: how many are in it, or deeper.
        last: the rows of those that were shot last.
    """

    target: str
    folder: str
    why: str
    captures: int
    last: tuple[int, ...]


class CardMaker:
    """Makes cards, of one state of a library."""

    def __init__(self, columns: Columns, tree: FolderTree, members: Rows, layout: str, setting: Setting) -> None:
        """
        Args:
            columns: of the captures.
            tree: their folders.
            members: rows of what is sorted: it proposes no folder.
            layout: of the house.
            setting: what the house calls months and kinds.
        """
        self._columns, self._tree, self._layout, self._setting = columns, tree, layout, setting
        self._number = tree.of_code[columns.folder]
        self._here = (columns.state & _AWAY == 0) & (self._number >= 0)
        others = self._here.copy()
        others[members] = False
        self._others = np.flatnonzero(others)
        self._made: dict[str, Card] = {}

    def cards(self, in_use: Sequence[str], chosen: Rows) -> list[Card]:
        """The cards for what is chosen.

        Args:
            in_use: targets, in the order of their numbers.
            chosen: rows of the captures.
        """
        cards = [self._card(one, one if is_pattern(one) else "", chosen) for one in in_use]
        known = {one.folder.casefold() for one in cards}
        for target, why in self._proposals(chosen):
            if len(cards) >= max(_PROPOSED, len(in_use) + 2):
                break
            card = self._card(target, why, chosen)
            if card.folder.casefold() not in known:
                known.add(card.folder.casefold())
                cards.append(card)
        return cards

    def _card(self, target: str, why: str, chosen: Rows) -> Card:
        folder = stem_of_target(target)
        if is_pattern(target) and len(chosen):
            folder = folders_of(target, self._columns, chosen[:1].tolist(), self._setting)[0]
        known = self._made.get(folder)
        if known is None:
            known = self._made[folder] = self._look(folder)
        return known._replace(target=target, why=why)

    def _look(self, folder: str) -> Card:
        number = self._tree.number(folder)
        if number is None:
            return Card(folder, folder, "", 0, ())
        within = (self._number >= number) & (self._number < self._tree.ends[number]) & self._here
        rows = np.flatnonzero(within)
        dated = rows[self._columns.moment[rows] != NEVER]
        last = (dated if len(dated) else rows)[-_SHOWN:]
        return Card(folder, folder, "", len(rows), tuple(last.tolist()))

    def _proposals(self, chosen: Rows) -> Iterator[tuple[str, str]]:
        """Folders that may be wanted, the likeliest first, and why."""
        columns, others = self._columns, self._others
        dated = chosen[columns.precision[chosen] >= Precision.DAY]
        if len(dated):
            same = others[np.isin(columns.filed[others], columns.filed[dated]) & self._to_the_day(others)]
            yield from ((one, "same day") for one in self._most(same))
        placed = chosen[columns.place[chosen] != 0]
        if len(placed):
            same = others[np.isin(columns.place[others], columns.place[placed])]
            yield from ((one, "same place") for one in self._most(same))
        yield self._layout, HOUSE
        latest = others[columns.moment[others] != NEVER][-400:]
        yield from ((one, "") for one in self._most(latest, 2 * _OF_EACH))

    def _to_the_day(self, rows: Rows) -> NDArray[np.bool_]:
        known: NDArray[np.bool_] = self._columns.precision[rows] >= Precision.DAY
        return known

    def _most(self, rows: Rows, count: int = _OF_EACH) -> Iterable[str]:
        """The folders that most of some captures lie in."""
        counts = np.bincount(self._number[rows])
        for number in np.argsort(-counts, kind="stable")[: count + 2].tolist():
            path = self._tree.paths[number]
            if counts[number] and path and path.split("/")[0] != UNFILED_FOLDER:
                yield path
