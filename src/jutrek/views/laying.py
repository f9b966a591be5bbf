"""A view laid out for looking: captures, wall, share bars, folders; each bar counts what the others leave."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from jutrek.formats import Precision
from jutrek.views.columns import KINDS, NO_DAY, STATES, Columns, Names, bit_of, day_of
from jutrek.views.conditions import (
    All,
    Condition,
    How,
    Is,
    Measure,
    Some,
    Sort,
    State,
    Value,
    both,
    either,
    no,
    sort_of,
)
from jutrek.views.folders import FolderTree
from jutrek.views.narrowing import Narrowing, held_back
from jutrek.views.ordering import ordered
from jutrek.views.orders import Order

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.shelving import Stood

BARS = (Sort.KIND, Sort.LIKELY, Sort.DEVICE, Sort.LENS, Sort.PLACE, Sort.KEYWORD, Sort.MARK, Sort.COPIES, Sort.STATE)
"""What there is a share bar of, in their order."""
MOST_PARTS = 24
"""Parts of a bar that are told one by one: those of most captures."""
_MASKS_KEPT = 64
_STATES = (
    State.UNFILED, State.DOUBLED, State.CHANGED, State.MOVED, State.DAMAGED, State.DOUBTFUL, State.STORED, State.PROVEN,
)  # fmt: skip
_NAMED = {
    Sort.LIKELY: Names.LIKELY, Sort.DEVICE: Names.DEVICE,
    Sort.LENS: Names.LENS, Sort.MARK: Names.MARK, Sort.PLACE: Names.PLACE,
}  # fmt: skip
_COPIES = 3


class Part(NamedTuple):
    """A part of a share bar.

    Attributes:
        condition: what keeps it.
        words: what it is called.
        captures: how many, of what the other bars leave.
        chosen: whether the view keeps it.
    """

    condition: Condition
    words: str
    captures: int
    chosen: bool


class Safety(NamedTuple):
    """How safe the captures at home are.

    Attributes:
        bare: how many of them are in no backup.
        unproven: how many of them were never read back, or not since they changed.
        oldest: the day of the oldest proof of the others, as a number; None where there are none.
    """

    bare: int
    unproven: int
    oldest: int | None


class Laid(NamedTuple):
    """A view laid out.

    Attributes:
        view: what it is.
        rows: of its captures, in the order of shooting.
        size: bytes of them.
        days: the first and the last day on which they were shot, as numbers of days; None where none is dated.
        months: how many there are of each month of what time leaves, by (year, month).
        by_day: the same of each day, by `date.toordinal`.
        bars: the parts of each share bar, those of most captures first.
        folders: how many there are in each folder of `FolderTree`, with what lies deeper.
        all_folders: the same of all captures at home.
        attention: how many captures at home are in a state that wants to be looked at.
        safety: how safe all captures at home are.
    """

    view: Condition
    rows: NDArray[np.int64]
    size: int
    days: tuple[int, int] | None
    months: Mapping[tuple[int, int], int]
    by_day: Mapping[int, int]
    bars: Mapping[Sort, tuple[Part, ...]]
    folders: NDArray[np.int64]
    all_folders: NDArray[np.int64]
    attention: Mapping[State, int]
    safety: Safety


class Layer:
    """Lays out views of one library's columns. What parts of sentences hold is kept: most of them stay from one view
    to the next."""

    def __init__(self, columns: Columns, shelves: Sequence[Stood] = ()) -> None:
        self.columns, self.shelves = columns, tuple(shelves)
        self.tree = FolderTree.of(columns.names[Names.FOLDER])
        self._narrowing = Narrowing(columns, shelves)
        self._masks: OrderedDict[Condition, NDArray[np.bool_]] = OrderedDict()
        self._day = date.today()
        self._months = _months_of(columns)
        at_home = held_back(columns, both())
        self._all_folders = self.tree.counts(columns.folder[at_home])
        days = columns.proved[at_home]
        proved = days[days != NO_DAY]
        self._safety = Safety(
            int(np.count_nonzero(columns.copies[at_home] == 0)), len(days) - len(proved),
            int(proved.min()) if len(proved) else None,
        )  # fmt: skip
        self._attention = {
            state: int(np.count_nonzero(columns.state & bit_of(state))) if state in (State.GONE, State.ASIDE)
            else int(np.count_nonzero(at_home & (columns.state & bit_of(state) != 0)))
            for state in STATES
        }  # fmt: skip

    def lay(self, view: Condition) -> Laid:
        """Lay out a view."""
        columns = self.columns
        parts = view.parts if isinstance(view, All) else (view,)
        sorts = [sort_of(one) for one in parts]
        away = held_back(columns, view)
        masks = [self._mask(one) for one in parts]
        whole = _of_all(masks, away)

        def without(*left_out: Sort) -> NDArray[np.bool_]:
            """What all parts hold but those that speak of some sorts."""
            if not any(one in left_out for one in sorts):
                return whole
            return _of_all([mask for mask, sort in zip(masks, sorts, strict=True) if sort not in left_out], away)

        rows = np.flatnonzero(whole)
        dated = columns.day[rows][columns.precision[rows] >= Precision.DAY]
        return Laid(
            view, rows, int(columns.size[rows].sum()), (int(dated.min()), int(dated.max())) if len(dated) else None,
            *self._wall(without(Sort.TIME)), {sort: self._bar(sort, without(sort), parts) for sort in BARS},
            self.tree.counts(columns.folder[rows]), self._all_folders, self._attention, self._safety,
        )  # fmt: skip

    def _mask(self, part: Condition) -> NDArray[np.bool_]:
        if (today := date.today()) != self._day:
            # What is meant by this week goes on with the day.
            self._masks.clear()
            self._day = today
        known = self._masks.get(part)
        if known is None:
            known = self._masks[part] = self._narrowing.of(part)
            if len(self._masks) > _MASKS_KEPT:
                self._masks.popitem(last=False)
        self._masks.move_to_end(part)
        return known

    def _wall(self, mask: NDArray[np.bool_]) -> tuple[dict[tuple[int, int], int], dict[int, int]]:
        months = self._months[mask]
        months = months[months >= 0]
        if not len(months):
            return {}, {}
        counts = np.bincount(months)
        by_month = {(int(month) // 12, int(month) % 12 + 1): int(counts[month]) for month in np.flatnonzero(counts)}
        days = self.columns.day[mask & (self.columns.precision >= Precision.DAY)]
        if not len(days):
            return by_month, {}
        first = int(days.min())
        of_days = np.bincount(days - first)
        begins = day_of(first).toordinal()
        return by_month, {begins + int(day): int(of_days[day]) for day in np.flatnonzero(of_days)}

    def _bar(self, sort: Sort, mask: NDArray[np.bool_], parts: Sequence[Condition]) -> tuple[Part, ...]:
        columns, said = self.columns, frozenset(_alternatives(parts, sort))
        if sort is Sort.KIND:
            counts = np.bincount(columns.kind[mask], minlength=len(KINDS))
            found = [(Value(sort, name), f"{name}s", int(counts[code])) for code, name in enumerate(KINDS)]
            return _parts(found, said)
        if sort is Sort.KEYWORD:
            return _parts(self._keywords(mask), said)
        if sort is Sort.COPIES:
            return _parts(self._copies(mask), said, sort=False)
        if sort is Sort.STATE:
            counts_of = (
                (state, int(np.count_nonzero(mask & (columns.state & bit_of(state) != 0)))) for state in _STATES
            )
            return _parts([(Is(state), state.value, count) for state, count in counts_of], said)
        names = _NAMED[sort]
        counts = np.bincount(getattr(columns, names.value)[mask], minlength=1)
        of_codes = _of_codes(sort, columns.names[names], counts)
        if sort is Sort.LIKELY:
            # Of what is no still nothing is guessed.
            return _parts([(one, f"{words}s", count) for one, words, count in of_codes if isinstance(one, Value)], said)
        return _parts(of_codes, said)

    def _keywords(self, mask: NDArray[np.bool_]) -> list[tuple[Condition, str, int]]:
        columns = self.columns
        each = np.diff(columns.keyword_starts)
        counts = np.bincount(columns.keywords[np.repeat(mask, each)], minlength=1)
        counts[0] = np.count_nonzero(mask & (each == 0))
        return _of_codes(Sort.KEYWORD, columns.names[Names.KEYWORD], counts)

    def _copies(self, mask: NDArray[np.bool_]) -> list[tuple[Condition, str, int]]:
        counts = np.bincount(np.minimum(self.columns.copies[mask], _COPIES), minlength=_COPIES + 1)
        found: list[tuple[Condition, str, int]] = []
        for number, count in enumerate(counts.tolist()):
            how = How.AT_LEAST if number == _COPIES else How.EXACTLY
            words = f"in {number or 'no'} backup{'' if number < 2 else 's'}{' or more' if number == _COPIES else ''}"
            found.append((Measure(Sort.COPIES, how, number), words, count))
        return found


def _of_all(masks: Iterable[NDArray[np.bool_]], away: NDArray[np.bool_]) -> NDArray[np.bool_]:
    whole = away.copy()
    for mask in masks:
        whole &= mask
    return whole


def _months_of(columns: Columns) -> NDArray[np.int32]:
    """Of each row its month, counted from the year 0; -1 where that is not told."""
    months = columns.day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) + 1970 * 12
    return np.where((columns.precision >= Precision.MONTH) & (months >= 0), months, -1).astype(np.int32)


def _of_codes(sort: Sort, names: Sequence[str], counts: NDArray[np.int64]) -> list[tuple[Condition, str, int]]:
    """The parts of names by their codes; of the empty name, that there is none."""
    most = np.argsort(-counts, kind="stable")[: MOST_PARTS + 1].tolist()
    return [
        (Value(sort, names[code]) if code else no(Some(sort)), names[code] or "none", int(counts[code]))
        for code in most
        if counts[code]
    ]


def _alternatives(parts: Sequence[Condition], sort: Sort) -> Iterable[Condition]:
    """What the parts of a view keep of a sort, one by one."""
    for part in parts:
        if sort_of(part) is sort:
            yield from getattr(part, "parts", (part,))


def _parts(
    found: Iterable[tuple[Condition, str, int]], said: frozenset[Condition], *, sort: bool = True
) -> tuple[Part, ...]:
    made = [
        Part(condition, words, count, condition in said)
        for condition, words, count in found
        if count or condition in said
    ]
    return tuple(sorted(made, key=lambda part: -part.captures) if sort else made)


# ---- changing a view by a click


def keeping(view: Condition, condition: Condition, *, more: bool = False) -> Condition:
    """A view that keeps a part of a share bar, in place of what it kept of that sort; kept alone, it is taken out.

    Args:
        view: as it is.
        condition: what keeps the part.
        more: whether what is kept of that sort stays: the part is put to it, or taken from it.
    """
    sort = sort_of(condition)
    parts = view.parts if isinstance(view, All) else (view,)
    said = [one for one in parts if sort_of(one) is sort]
    known = [inner for one in said for inner in _alternatives([one], sort)] if sort is not None else []
    if more:
        now = [one for one in known if one != condition] if condition in known else [*known, condition]
    else:
        now = [] if known == [condition] else [condition]
    return _put(view, said, either(*now) if now else None)


def leaving_out(view: Condition, condition: Condition) -> Condition:
    """A view that leaves a part of a share bar out, or takes it in again."""
    parts = view.parts if isinstance(view, All) else (view,)
    denied = no(condition)
    if denied in parts:
        return both(*(one for one in parts if one != denied))
    return both(*(one for one in parts if one != condition), denied)


def without(view: Condition, part: Condition) -> Condition:
    """A view without one of its parts."""
    parts = view.parts if isinstance(view, All) else (view,)
    return both(*(one for one in parts if one != part))


def timed(view: Condition, span: Condition | None) -> Condition:
    """A view of another span of time, or of any."""
    parts = view.parts if isinstance(view, All) else (view,)
    return _put(view, [one for one in parts if sort_of(one) is Sort.TIME], span)


def _put(view: Condition, instead_of: Sequence[Condition], part: Condition | None) -> Condition:
    """A view with a part in the place of others, or behind all."""
    parts = list(view.parts if isinstance(view, All) else (view,))
    at = next((number for number, one in enumerate(parts) if one in instead_of), len(parts))
    rest = [one for one in parts if one not in instead_of]
    return both(*rest[:at], *([part] if part is not None else []), *rest[at:])


def _filled(shoots: NDArray[np.int32], days: NDArray[np.int32]) -> NDArray[np.int32]:
    """Shoots, where those of which nothing is said belong to the one before them on their day, or else behind them."""
    count = np.arange(len(shoots))
    found = shoots
    for step in (1, -1):
        own, of_day = found[::step], days[::step]
        last = np.maximum.accumulate(np.where(own != 0, count, -1))
        same_day = (last >= 0) & (of_day[last] == of_day)
        found = np.where((own == 0) & same_day, own[last], own)[::step]
    return found


class Apart(StrEnum):
    """What stands apart from one another in a view."""

    DAYS = "by day"
    FOLDERS = "folder by folder"
    NOTHING = "in one row"


Groups = list[tuple[int | None, str, slice]]
"""Groups of rows: the day (None without one), what it was, or the folder; which rows."""


def apart(
    columns: Columns,
    tree: FolderTree,
    rows: NDArray[np.int64],
    what: Apart,
    by: Order = Order.MOMENT,
    hand: Sequence[Stood] = (),
) -> tuple[NDArray[np.int64], Groups]:
    """Rows in the order in which they are shown, and their groups.

    Args:
        columns: of the captures.
        tree: their folders.
        rows: in the order of shooting.
        what: stands apart.
        by: in which order within what stands apart. Days stand apart only in the order of shooting.
        hand: the orders by hand.
    """
    if what is Apart.DAYS and by is Order.MOMENT:
        return rows, by_days(columns, rows)
    rows = ordered(columns, rows, by, hand)
    if what is not Apart.FOLDERS or not len(rows):
        return rows, [(None, "", slice(0, len(rows)))] if len(rows) else []
    numbers = tree.of_code[columns.folder[rows]]
    order = np.argsort(numbers, kind="stable")
    numbers = numbers[order]
    begins = np.flatnonzero(np.concatenate([[True], numbers[1:] != numbers[:-1]])).tolist()
    groups: Groups = [
        (None, tree.paths[numbers[start]] if numbers[start] >= 0 else "", slice(start, end))
        for start, end in zip(begins, [*begins[1:], len(rows)], strict=True)
    ]
    return rows[order], groups


def by_days(columns: Columns, rows: NDArray[np.int64]) -> Groups:
    """Rows in the order of shooting, by days and shoots: the day (None without one), what it was, which rows."""
    if not len(rows):
        return []
    days = np.where(columns.precision[rows] >= Precision.DAY, columns.filed[rows], np.iinfo(np.int32).min)
    shoots = _filled(columns.shoot[rows], days)
    begins = np.flatnonzero(np.concatenate([[True], (days[1:] != days[:-1]) | (shoots[1:] != shoots[:-1])]))
    ends = [*begins[1:].tolist(), len(rows)]
    names = columns.names[Names.SHOOT]
    return [
        (int(days[start]) if days[start] != np.iinfo(np.int32).min else None, names[shoots[start]], slice(start, end))
        for start, end in zip(begins.tolist(), ends, strict=True)
    ]
