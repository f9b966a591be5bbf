"""Which captures a view holds: a sentence laid over the columns."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Callable, Sequence
from datetime import date
from functools import singledispatchmethod
from typing import TYPE_CHECKING

import numpy as np

from jutrek.formats import Precision
from jutrek.views.columns import KINDS, NO_DAY, Columns, Names, bit_of, day_number
from jutrek.views.conditions import (
    All,
    Any,
    Around,
    AtHours,
    Condition,
    During,
    How,
    InMonth,
    Is,
    Lately,
    Measure,
    Near,
    Not,
    OnWeekday,
    Some,
    Sort,
    State,
    Text,
    Unit,
    Value,
    leaves,
)
from jutrek.views.spans import lately

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.views.shelving import Stood

    Mask = NDArray[np.bool_]

_AWAY = frozenset({State.GONE, State.ASIDE})
_DAY_US, _MINUTE_US = 86_400_000_000, 60_000_000
_LEAST = {Unit.YEAR: Precision.YEAR, Unit.MONTH: Precision.MONTH, Unit.WEEK: Precision.DAY, Unit.DAY: Precision.DAY}
_NAMES = {
    Sort.LIKELY: Names.LIKELY, Sort.DEVICE: Names.DEVICE, Sort.PERSON: Names.PERSON, Sort.LENS: Names.LENS,
    Sort.SHOOT: Names.SHOOT,
    Sort.FOLDER: Names.FOLDER, Sort.RIGHT_IN: Names.FOLDER, Sort.MARK: Names.MARK, Sort.FORMAT: Names.FORMAT,
    Sort.KEYWORD: Names.KEYWORD, Sort.PLACE: Names.PLACE,
}  # fmt: skip
_BY_WORDS = frozenset({Sort.DEVICE, Sort.PERSON, Sort.LENS, Sort.SHOOT, Sort.PLACE})
_EARTH = 6_371_000.0
"""Its mean radius in metres."""


def held(columns: Columns, view: Condition, shelves: Sequence[Stood] = ()) -> Mask:
    """Which captures a view holds.

    Of what is gone, or was set aside, a view holds nothing unless it speaks of that.

    Args:
        columns: of the library.
        view: what is wanted.
        shelves: what stands on shelves; the view may speak of them.

    Returns:
        A truth value for each row.
    """
    return Narrowing(columns, shelves).of(view) & held_back(columns, view)


def held_back(columns: Columns, view: Condition) -> Mask:
    """What a view may hold at all: what is gone or was set aside only where it speaks of that."""
    spoken = {leaf.state for leaf in leaves(view) if isinstance(leaf, Is)}
    away = sum(bit_of(state) for state in _AWAY - spoken)
    mask: Mask = columns.state & away == 0
    return mask


def folded(text: str) -> str:
    """A text as it is compared: in small letters, composed, without what is written twice."""
    return unicodedata.normalize("NFC", text).casefold()


class Narrowing:
    """Masks of conditions over columns."""

    def __init__(self, columns: Columns, shelves: Sequence[Stood] = ()) -> None:
        self._columns, self._shelves = columns, shelves
        self._folded: dict[Names, list[str]] = {}
        self._lowered: NDArray[np.uint8] | None = None

    @singledispatchmethod
    def of(self, view: Condition) -> Mask:
        """Which rows a condition holds for."""
        raise TypeError(type(view))

    @of.register(All)
    def _(self, view: All) -> Mask:
        mask = np.ones(self._columns.count, bool)
        for part in view.parts:
            mask &= self.of(part)
        return mask

    @of.register(Any)
    def _(self, view: Any) -> Mask:
        mask = np.zeros(self._columns.count, bool)
        for part in view.parts:
            mask |= self.of(part)
        return mask

    @of.register(Not)
    def _(self, view: Not) -> Mask:
        mask: Mask = ~self.of(view.part)
        return mask

    # ---- time

    @of.register(During)
    def _(self, view: During) -> Mask:
        columns = self._columns
        days = columns.filed if view.filed else columns.day
        mask = days != NO_DAY
        if view.first is not None:
            mask &= days >= day_number(view.first)
        if view.last is not None:
            mask &= days <= day_number(view.last)
        # A month that is known only by its year is in none of its months.
        known: Mask = mask & (columns.precision >= _LEAST[view.unit])
        return known

    @of.register(Lately)
    def _(self, view: Lately) -> Mask:
        mask: Mask = self.of(lately(view, date.today()))
        return mask

    @of.register(InMonth)
    def _(self, view: InMonth) -> Mask:
        columns = self._columns
        months = columns.day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12 + 1
        mask: Mask = (months == view.month) & (columns.precision >= Precision.MONTH)
        return mask

    @of.register(OnWeekday)
    def _(self, view: OnWeekday) -> Mask:
        # The first day, 1 January 1970, was a Thursday.
        weekdays = (self._columns.day.astype(np.int64) + 3) % 7
        mask: Mask = (weekdays == view.weekday) & (self._columns.precision >= Precision.DAY)
        return mask

    @of.register(AtHours)
    def _(self, view: AtHours) -> Mask:
        columns = self._columns
        minutes = columns.moment % _DAY_US // _MINUTE_US
        after, before = minutes >= view.start, minutes < view.end
        mask: Mask = (after & before if view.start < view.end else after | before) & (
            columns.precision >= Precision.MINUTE
        )
        return mask

    # ---- what is called so

    @of.register(Value)
    def _(self, view: Value) -> Mask:
        columns = self._columns
        if view.sort is Sort.KIND:
            kind: Mask = columns.kind == KINDS.index(view.text)
            return kind
        if view.sort is Sort.SHELF:
            return self._on_shelf(folded(" ".join(view.text.split())))
        names = columns.names[_NAMES[view.sort]]
        fits = np.fromiter(map(_fitting(view), names), bool, len(names))
        if view.sort is Sort.MARK:
            fits |= np.fromiter(map(_fitting(view), columns.names[Names.MEANING]), bool, len(names))
        if view.sort in _BY_WORDS and view.text in names:
            # What is called just so is meant, and not what has these words and others.
            fits = np.fromiter((name == view.text for name in names), bool, len(names))
        if view.sort is Sort.FORMAT:
            bits = np.uint64(sum(1 << code for code in np.flatnonzero(fits).tolist() if code < 64))
            form: Mask = columns.formats & bits != 0
            return form
        if view.sort is Sort.KEYWORD:
            return self._of_words(fits)
        found: Mask = fits[getattr(columns, _NAMES[view.sort].value)]
        return found

    def _on_shelf(self, name: str | None) -> Mask:
        """Rows on the shelf of a name, or on any."""
        mask = np.zeros(self._columns.count, bool)
        for shelf in self._shelves:
            if name is None or folded(shelf.name) == name:
                mask[shelf.rows] = True
        return mask

    def _of_words(self, fits: Mask) -> Mask:
        """Rows with keywords that fit, by their codes."""
        columns = self._columns
        sums = np.concatenate([[0], np.cumsum(fits[columns.keywords])])
        mask: Mask = sums[columns.keyword_starts[1:]] > sums[columns.keyword_starts[:-1]]
        return mask

    @of.register(Some)
    def _(self, view: Some) -> Mask:
        columns = self._columns
        masks: dict[Sort, Callable[[], Mask]] = {
            Sort.TIME: lambda: columns.day != NO_DAY,
            Sort.KEYWORD: lambda: columns.keyword_starts[1:] > columns.keyword_starts[:-1],
            Sort.POSITION: lambda: ~np.isnan(columns.latitude),
            Sort.RATING: lambda: columns.rating > 0,
            Sort.MARK: lambda: columns.mark > 0,
            Sort.LENS: lambda: columns.lens > 0,
            Sort.SHOOT: lambda: columns.shoot > 0,
            Sort.DEVICE: lambda: columns.device > 0,
            Sort.PLACE: lambda: columns.place > 0,
            Sort.SHELF: lambda: self._on_shelf(None),
        }
        return masks[view.sort]()

    @of.register(Measure)
    def _(self, view: Measure) -> Mask:
        columns = self._columns
        values: NDArray[np.int64] = getattr(columns, view.sort.value)
        compare = {
            How.EXACTLY: np.equal, How.AT_LEAST: np.greater_equal, How.AT_MOST: np.less_equal, How.MORE: np.greater,
            How.FEWER: np.less,
        }[view.how]  # fmt: skip
        mask: Mask = compare(values, min(view.number, np.iinfo(np.int64).max))
        # Of a still there is no length, of what was not rated no rating.
        return mask & (values > 0) if view.sort in (Sort.LENGTH, Sort.RATING, Sort.PIXELS) else mask

    @of.register(Near)
    def _(self, view: Near) -> Mask:
        columns = self._columns
        latitude, longitude = np.radians(columns.latitude, dtype=float), np.radians(columns.longitude, dtype=float)
        own = math.radians(view.latitude), math.radians(view.longitude)
        # The haversine formula.
        angle = (
            np.sin((latitude - own[0]) / 2) ** 2
            + np.cos(latitude) * math.cos(own[0]) * np.sin((longitude - own[1]) / 2) ** 2
        )
        with np.errstate(invalid="ignore"):
            mask: Mask = 2 * _EARTH * np.arcsin(np.sqrt(np.clip(angle, 0, 1))) <= view.metres
        return mask

    @of.register(Around)
    def _(self, view: Around) -> Mask:
        columns = self._columns
        known = ~np.isnan(columns.latitude)
        there = known & self.of(Value(Sort.PLACE, view.place))
        mask = np.zeros(columns.count, bool)
        if there.any():
            from scipy.spatial import cKDTree

            from jutrek.whereabouts.nearest import metres, unit

            points = unit(columns.latitude, columns.longitude)
            distances = cKDTree(np.unique(np.round(points[there], 6), axis=0)).query(points[known], k=1)[0]
            mask[known] = metres(distances) <= view.metres
        return mask

    @of.register(Is)
    def _(self, view: Is) -> Mask:
        mask: Mask = self._columns.state & bit_of(view.state) != 0
        return mask

    @of.register(Text)
    def _(self, view: Text) -> Mask:
        mask = np.ones(self._columns.count, bool)
        for word in folded(view.words).split():
            mask &= self._with_word(word)
        return mask

    def _with_word(self, word: str) -> Mask:
        """Rows in whose name, folder or words a text stands."""
        columns = self._columns
        mask = np.zeros(columns.count, bool)
        for names in (Names.FOLDER, Names.SHOOT, Names.SAID):
            fits = self._having(names, word)
            if fits.any():
                mask |= fits[getattr(columns, names.value)]
        mask |= self._of_words(self._having(Names.KEYWORD, word))
        mask |= self._named(word)
        return mask

    def _having(self, names: Names, word: str) -> Mask:
        """In which of a list of names a text stands."""
        if names not in self._folded:
            self._folded[names] = list(map(folded, self._columns.names[names]))
        return np.array([word in one for one in self._folded[names]], bool)

    def _named(self, word: str) -> Mask:
        """Rows in whose name a text stands, wherever names are told apart by their starts."""
        columns = self._columns
        if not word.isascii():
            # Rarely asked for, and capital letters beyond ASCII are not told by their bytes.
            return np.array([word in folded(columns.name(row)) for row in range(columns.count)], bool)
        if self._lowered is None:
            self._lowered = np.frombuffer(columns.name_bytes.tobytes().lower(), np.uint8)
        whole, wanted = self._lowered, word.encode("ascii")
        begins = np.flatnonzero(whole[: max(0, len(whole) - len(wanted) + 1)] == wanted[0])
        for further, sign in enumerate(wanted[1:], 1):
            begins = begins[whole[begins + further] == sign]
        mask = np.zeros(columns.count, bool)
        rows = np.searchsorted(columns.name_starts, begins, side="right") - 1
        # Names follow one another without a gap: what goes on in the next one is in neither.
        mask[rows[begins + len(wanted) <= columns.name_starts[rows + 1]]] = True
        return mask


def _fitting(view: Value) -> Callable[[str], bool]:
    """What tells whether a name is meant by one that was said."""
    said = folded(view.text)
    if view.sort in (Sort.FOLDER, Sort.RIGHT_IN):
        return _fitting_folder(said, deeper=view.sort is Sort.FOLDER)
    if view.sort in (Sort.KEYWORD, Sort.MARK, Sort.FORMAT):
        wanted = said.strip().removeprefix(".") if view.sort is Sort.FORMAT else said.strip()
        if view.sort is Sort.FORMAT:
            wanted = {"jpg": "jpeg", "tif": "tiff"}.get(wanted, wanted)
        return lambda name: bool(name) and folded(name) == wanted
    words = set(said.split())
    return lambda name: bool(name) and (folded(name) == said or words <= set(folded(name).split()))


def _fitting_folder(said: str, *, deeper: bool) -> Callable[[str], bool]:
    """A folder by its path from the root where it begins with a slash, else by the last parts of its path."""
    from_root = said.startswith("/")
    wanted = f"/{said.strip('/')}/" if said.strip("/") else "/"

    def fits(name: str) -> bool:
        path = f"/{folded(name)}/" if name else "/"
        if wanted == "/":
            return deeper or path == "/"
        if from_root:
            return path.startswith(wanted) if deeper else path == wanted
        return wanted in path if deeper else path.endswith(wanted)

    return fits
