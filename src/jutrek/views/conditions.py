"""What a view is narrowed by: conditions, and how they are joined.

A view is one condition. Leaves say one thing each; `both`, `either` and `no` join them, and bring them into one form:
nothing is nested that needs not be, nothing stands twice. So two
sentences that say the same in the same order are equal.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from enum import StrEnum


class Unit(StrEnum):
    """In which units a span of time is said."""

    YEAR = "year"
    MONTH = "month"
    WEEK = "week"
    DAY = "day"


class Sort(StrEnum):
    """What a leaf speaks of. “Or” between leaves of one sort joins just these."""

    TIME = "time"
    FILED = "filed"
    KIND = "kind"
    LIKELY = "likely"
    FORMAT = "format"
    DEVICE = "device"
    PERSON = "person"
    LENS = "lens"
    SHOOT = "shoot"
    PLACE = "place"
    KEYWORD = "keyword"
    MARK = "mark"
    RATING = "rating"
    FOLDER = "folder"
    RIGHT_IN = "right in"
    LENGTH = "length"
    SIZE = "size"
    PIXELS = "pixels"
    POSITION = "position"
    COPIES = "copies"
    STATE = "state"
    SHELF = "shelf"
    TEXT = "text"


class State(StrEnum):
    """What has become of a capture."""

    DOUBLED = "doubled"
    ASIDE = "set aside"
    UNFILED = "unfiled"
    GONE = "gone"
    CHANGED = "changed outside"
    MOVED = "moved outside"
    PROVEN = "proven"
    DAMAGED = "damaged"
    DOUBTFUL = "doubtful"
    STORED = "stored away"


class How(StrEnum):
    """How a measure compares."""

    EXACTLY = "exactly"
    AT_LEAST = "at least"
    AT_MOST = "at most"
    MORE = "more than"
    FEWER = "fewer than"


@dataclass(frozen=True, slots=True)
class During:
    """Shot within a span of days, by the clock at the place; or filed under one of them by the house's days.

    Attributes:
        unit: in which units it is said; both ends lie on its bounds.
        first, last: the first and the last day; None where there is no end. One of them is told.
        filed: whether the days are meant that captures are filed under.
    """

    unit: Unit
    first: date | None
    last: date | None
    filed: bool = False

    @property
    def sort(self) -> Sort:
        """What it speaks of."""
        return Sort.FILED if self.filed else Sort.TIME


@dataclass(frozen=True, slots=True)
class Lately:
    """Shot in the last so many days, weeks, months or years up to today; in the one that today lies in for 0."""

    unit: Unit
    count: int = 0
    sort = Sort.TIME


@dataclass(frozen=True, slots=True)
class InMonth:
    """Shot in a month (1 to 12) of any year."""

    month: int
    sort = Sort.TIME


@dataclass(frozen=True, slots=True)
class OnWeekday:
    """Shot on a day of the week, Monday being 0."""

    weekday: int
    sort = Sort.TIME


@dataclass(frozen=True, slots=True)
class AtHours:
    """Shot between two times of day, in minutes after midnight: from the first on, before the second.

    The second may lie before the first: then midnight is between them. 1440 ends a day.
    """

    start: int
    end: int
    sort = Sort.TIME


@dataclass(frozen=True, slots=True)
class Value:
    """Something of a capture is called so: its kind, a device, a keyword, a folder …"""

    sort: Sort
    text: str


@dataclass(frozen=True, slots=True)
class Some:
    """Something is known of a capture at all: it has keywords, a position, a date …"""

    sort: Sort


@dataclass(frozen=True, slots=True)
class Measure:
    """A number compares: length in milliseconds, size in bytes, pixels, rating, copies in backups."""

    sort: Sort
    how: How
    number: int


@dataclass(frozen=True, slots=True)
class Near:
    """Shot within so many metres of a position, in degrees of six decimals at most (WGS 84)."""

    latitude: float
    longitude: float
    metres: int
    sort = Sort.POSITION


@dataclass(frozen=True, slots=True)
class Around:
    """Shot within so many metres of something that was shot at a place of this name."""

    place: str
    metres: int
    sort = Sort.PLACE


@dataclass(frozen=True, slots=True)
class Is:
    """In a state."""

    state: State
    sort = Sort.STATE


@dataclass(frozen=True, slots=True)
class Text:
    """These words stand in the name, the folder, or what was said; each of them somewhere."""

    words: str
    sort = Sort.TEXT


Leaf = During | Lately | InMonth | OnWeekday | AtHours | Value | Some | Measure | Near | Around | Is | Text


@dataclass(frozen=True, slots=True)
class All:
    """All of its parts hold. Made by `both`; without parts it holds always."""

    parts: tuple[Condition, ...] = ()


@dataclass(frozen=True, slots=True)
class Any:
    """One of its parts holds. Made by `either`; without parts it never holds."""

    parts: tuple[Condition, ...] = ()


@dataclass(frozen=True, slots=True)
class Not:
    """Its part does not hold. Made by `no`."""

    part: Condition


Condition = Leaf | All | Any | Not
EVERYTHING, NOTHING = All(), Any()


def both(*parts: Condition) -> Condition:
    """All of them hold."""
    flat = _flat(parts, All)
    if NOTHING in flat:
        return NOTHING
    return flat[0] if len(flat) == 1 else All(flat)


def either(*parts: Condition) -> Condition:
    """One of them holds."""
    flat = _flat(parts, Any)
    if EVERYTHING in flat:
        return EVERYTHING
    return flat[0] if len(flat) == 1 else Any(flat)


def no(part: Condition) -> Condition:
    """It does not hold."""
    if part in (EVERYTHING, NOTHING):
        return NOTHING if part == EVERYTHING else EVERYTHING
    return part.part if isinstance(part, Not) else Not(part)


def _flat(parts: Iterable[Condition], kind: type[All | Any]) -> tuple[Condition, ...]:
    """Parts with those of the same kind opened, each once."""
    opened = (inner for one in parts for inner in (one.parts if isinstance(one, kind) else (one,)))
    return tuple(dict.fromkeys(opened))


def sort_of(part: Condition) -> Sort | None:
    """What a condition speaks of, where it speaks of one thing only."""
    if isinstance(part, Not):
        return sort_of(part.part)
    if isinstance(part, All | Any):
        sorts = {sort_of(one) for one in part.parts}
        return sorts.pop() if len(sorts) == 1 else None
    return part.sort


def leaves(part: Condition) -> Iterable[Leaf]:
    """All leaves, in their order."""
    if isinstance(part, Not):
        yield from leaves(part.part)
    elif isinstance(part, All | Any):
        for one in part.parts:
            yield from leaves(one)
    else:
        yield part
