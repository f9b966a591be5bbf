"""A sorting as it is worked at: what is to go, in piles, and what was answered and is not done on the disk yet.

An answer counts at once; the disk follows. What could not be done comes back into its pile.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.sorting.piles import By, Pile, codes_of, counts_of, key_of
from jutrek.sorting.record import Record, What
from jutrek.sorting.sitting import Sitting
from jutrek.sorting.standing import Standing, standing

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.columns import Columns

    Rows = NDArray[np.int64]


class Given(NamedTuple):
    """An answer as it was given here."""

    what: What
    rows: Rows


class Bench:
    """A sorting, over the columns of its library.

    Attributes:
        record: as it was read.
        columns: of the captures at home.
        standing: how far it was when it was opened.
        sitting: what was answered in this sitting.
        stored: how many captures of the view are stored away: they are fetched first.
    """

    def __init__(self, record: Record, columns: Columns, rows: Rows) -> None:
        """
        Args:
            record: as it was read.
            columns: of the captures at home.
            rows: of those in the view that is sorted, in the order of shooting.
        """
        self.record, self.columns = record, columns
        at_root = columns.drive[rows] == 0
        self.stored = int(np.count_nonzero(~at_root))
        self.standing: Standing = standing(record, columns, rows[at_root])
        self._open = np.zeros(columns.count, bool)
        self._open[self.standing.rows] = True
        self._members = self.standing.rows
        self._unseen = 0
        """How many captures are to go again that were answered before it was opened."""
        self._given: dict[str, Given] = {}
        self.put_aside: set[int] = set()
        """Rows that were set aside since it was opened."""
        self._filed, self._aside = self.standing.filed, self.standing.aside
        self.sitting = Sitting.of(record)
        self._began: dict[By, dict[str, int]] = {}
        self._codes: dict[By, Rows] = {}
        self._code_of: dict[tuple[By, str], int] = {}

    # ---- figures

    @property
    def filed(self) -> int:
        """How many captures were filed, or left where they lie."""
        return self._filed

    @property
    def aside(self) -> int:
        """How many were set aside."""
        return self._aside

    @property
    def to_go(self) -> int:
        """How many are to go."""
        return int(np.count_nonzero(self._open)) + self._unseen

    @property
    def under_way(self) -> int:
        """How many captures were answered, and are not done on the disk yet."""
        return sum(len(one.rows) for one in self._given.values())

    def piles(self, by: By) -> list[Pile]:
        """All piles, those that are done among them, in the order of the first that was shot."""
        codes, is_open = self._codes_of(by), self._open[self._members]
        now = counts_of(self.columns, codes[is_open], by)
        began = self._began.get(by)
        if began is None:
            # What came since it began, or came back, makes a pile larger than it was.
            whole, head = counts_of(self.columns, codes, by), self.record.head.piles.get(by, {})
            began = {key: max(whole.get(key, 0), head.get(key, 0)) for key in [*head, *whole]}
            began = dict(sorted(began.items())) if by is By.MONTH else began
            began |= {"": began.pop("")} if "" in began else {}
            self._began[by] = began
        return [Pile(key, now.get(key, 0), count) for key, count in began.items()]

    def rows_of(self, by: By, pile: str) -> Rows:
        """The rows of what is to go in a pile, in the order of shooting."""
        codes, is_open = self._codes_of(by), self._open[self._members]
        wanted = self._code_of.get((by, pile))
        if wanted is None:
            wanted = next((one for one in np.unique(codes).tolist() if key_of(self.columns, by, one) == pile), None)
            if wanted is None:
                return self._members[:0]
            self._code_of[by, pile] = wanted
        rows: Rows = self._members[is_open & (codes == wanted)]
        return rows

    def rows_at(self, paths: Iterable[str]) -> Rows:
        """The rows of captures that were to go when this was opened, by the paths of their files."""
        found = self.columns.rows_of(paths)
        rows = np.array(sorted(found.values()), np.int64)
        return rows[np.isin(rows, self._members)]

    def _codes_of(self, by: By) -> Rows:
        """The numbers of the piles of all members; they stay as they are."""
        codes = self._codes.get(by)
        if codes is None:
            codes = self._codes[by] = codes_of(self.columns, self._members, by)
        return codes

    # ---- answers

    def answer(self, id_: str, what: What, rows: Rows) -> Rows:
        """Take an answer, which counts at once.

        Args:
            id_: tells it from others.
            what: what it says.
            rows: the captures that it is about.

        Returns:
            Those of them that were to go: the others were answered already.
        """
        rows = rows[self._open[rows]]
        if len(rows):
            self._open[rows] = False
            self._count(what, len(rows))
            if what is What.ASIDE:
                self.put_aside.update(rows.tolist())
            self._given[id_] = Given(what, rows)
        return rows

    def done(self, id_: str) -> None:
        """What an answer says was done."""
        self._given.pop(id_, None)

    def came_back(self, id_: str, rows: Rows | None = None) -> Rows:
        """Captures of an answer could not be moved, or were moved back.

        Args:
            id_: the answer's.
            rows: which of them; None for all.

        Returns:
            Those that are to go again.
        """
        given = self._given.pop(id_, None)
        if given is None:
            return np.zeros(0, np.int64)
        back = given.rows if rows is None else given.rows[np.isin(given.rows, rows)]
        self._reopen(given.what, back)
        return back

    def reopened(self, what: What, paths: Sequence[str]) -> Rows:
        """Captures were moved back that an answer, which was done, was about.

        Args:
            what: what the answer said.
            paths: of these captures, where they lie again.

        Returns:
            Those of them that are shown again; the others are as soon as it is opened anew.
        """
        rows = self.rows_at(paths)
        rows = rows[~self._open[rows]]
        self._reopen(what, rows)
        unseen = len(paths) - len(rows)
        self._unseen += unseen
        self._count(what, -unseen)
        return rows

    def _reopen(self, what: What, rows: Rows) -> None:
        self._open[rows] = True
        self._count(what, -len(rows))
        self.put_aside.difference_update(rows.tolist())

    def _count(self, what: What, captures: int) -> None:
        if what is What.ASIDE:
            self._aside += captures
        else:
            self._filed += captures
        self.sitting.add(captures)
