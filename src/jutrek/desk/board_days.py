"""The rows of a board: shoots, and the months and years that they are put together in."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.board_captures import CLIP, CaptureView, State

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np
    from numpy.typing import NDArray

    from jutrek.captures import Device


class Marks(NamedTuple):
    """The captures of a row that have a time, as arrays.

    Attributes:
        devices: of each its device, by its number among those of the row.
        hours: of each its time, counted as the row's are; of a row with parts, from the first day there ever was.
        seconds: of each how long it lasts.
        clips: whether each is a clip.
    """

    devices: NDArray[np.int64]
    hours: NDArray[np.float64]
    seconds: NDArray[np.float64]
    clips: NDArray[np.bool_]


@dataclass(frozen=True)
class DayView:
    """A row of the board: a shoot, or a month or year of shoots, which opens into them.

    Made by `day_view`, which counts once what is drawn again and again.

    Attributes:
        key: a shoot's `2026-05-14` or `2026-05-14/2`; `2026-05` or `2026`; empty for captures without a date to trust.
        start: its first day; None for captures without a date to trust.
        captures: in the order of shooting.
        devices: those that took part, in the order of their letters.
        states: captures per state.
        sources: captures per source root.
        folders: captures per folder of the library that they go to or are in.
        hours: the first and the last hour, counted from the start of its first day, as fractions; past midnight they
            are more than 24. None where there is no time.
        words: what it was.
        begins, ends: local time of its first capture, and the end of its last one; None where there is no time.
        parts: the rows that it opens into; empty for a shoot.
    """

    key: str
    start: date | None
    captures: tuple[CaptureView, ...]
    devices: tuple[Device, ...]
    states: dict[State, int]
    sources: dict[str, int]
    folders: dict[str, int]
    hours: tuple[float, float] | None
    words: str = ""
    begins: datetime | None = None
    ends: datetime | None = None
    parts: tuple[DayView, ...] = ()

    def count(self, *states: State) -> int:
        """How many captures are in one of these states."""
        return sum(self.states.get(state, 0) for state in states)

    @cached_property
    def marks(self) -> Marks:
        """Where its captures are in time."""
        import numpy as np

        number = {device.key: at for at, device in enumerate(self.devices)}
        if self.parts:
            own = [(part.marks, [number[device.key] for device in part.devices], part) for part in self.parts]
            return Marks(
                np.concatenate([np.array(into, np.int64)[marks.devices] for marks, into, _ in own]),
                np.concatenate([marks.hours + _days_before(part) * 24 for marks, _, part in own]),
                np.concatenate([marks.seconds for marks, *_ in own]),
                np.concatenate([marks.clips for marks, *_ in own]),
            )
        timed = [view for view in self.captures if view.when is not None and view.timed]
        return Marks(
            np.array([number[view.device.key] for view in timed], np.int64),
            np.array([hour_of(view.when, self.start) for view in timed if view.when is not None], np.float64),
            np.array([view.duration for view in timed], np.float64),
            np.array([view.kind == CLIP for view in timed], np.bool_),
        )

    @property
    def is_shoot(self) -> bool:
        """Whether it is one shoot, which opens into its captures."""
        return self.start is not None and not self.parts


def _days_before(part: DayView) -> int:
    """Days from the first one there ever was to a shoot's; what has parts is counted from there already."""
    return part.start.toordinal() if part.start is not None and not part.parts else 0


def day_view(key: str, start: date | None, captures: Sequence[CaptureView], words: str = "") -> DayView:
    """A shoot's row from its captures, in the order of shooting.

    Args:
        key: the shoot's.
        start: its day; None for what has no date.
        captures: in the order of shooting.
        words: its description.
    """
    by_key = {view.device.key: view.device for view in captures}
    devices = sorted(by_key.values(), key=lambda device: (len(device.letter), device.letter))
    times = [view.when for view in captures if view.when is not None]
    hours = [hour_of(view.when, start) for view in captures if view.when is not None and view.timed]
    ends = [view.when + timedelta(seconds=view.duration) for view in captures if view.when is not None]
    return DayView(
        key,
        start,
        tuple(captures),
        tuple(devices),
        Counter(view.state for view in captures),
        Counter(view.source for view in captures),
        Counter(view.folder for view in captures if view.destination),
        (min(hours), max(hours)) if hours else None,
        words,
        min(times) if times else None,
        max(ends) if ends else None,
    )


def hour_of(when: datetime, day: date | None = None) -> float:
    """The hour as a fraction: 10.5 is half past ten; of a day before, 25.5 is half past one in the night after it."""
    hours = when.hour + when.minute / 60 + when.second / 3600
    return hours + 24 * (when.date() - day).days if day is not None else hours


MANY_DAYS, MANY_MONTHS = 60, 60


def gathered(days: Sequence[DayView]) -> tuple[DayView, ...]:
    """The rows of a board: shoots; months where there are very many days, years with their months beyond that.

    Captures without a date to trust stay as they are, at the end.
    """
    keys = [day.key for day in days if day.start is not None]
    if len({key[:10] for key in keys}) <= MANY_DAYS:
        return tuple(days)
    months = _together(days, 7)
    return months if len({key[:7] for key in keys}) <= MANY_MONTHS else _together(months, 4)


def _together(days: Sequence[DayView], length: int) -> tuple[DayView, ...]:
    piles: dict[str, list[DayView]] = {}
    rest = []
    for day in days:
        if day.start is None:
            rest.append(day)
        else:
            piles.setdefault(day.key[:length], []).append(day)
    rows = []
    for key, pile in piles.items():
        rows.append(_sum(key, date.fromisoformat((key + "-01-01")[:10]), pile))
    return (*rows, *rest)


def _sum(key: str, start: date, parts: Sequence[DayView]) -> DayView:
    """A row that opens into others: what they count, added up."""
    states: Counter[State] = Counter()
    sources: Counter[str] = Counter()
    folders: Counter[str] = Counter()
    devices: dict[str, Device] = {}
    for part in parts:
        states.update(part.states)
        sources.update(part.sources)
        folders.update(part.folders)
        devices.update({device.key: device for device in part.devices})
    hours = [hour for part in parts if part.hours for hour in part.hours]
    return DayView(
        key,
        start,
        tuple(view for part in parts for view in part.captures),
        tuple(sorted(devices.values(), key=lambda device: (len(device.letter), device.letter))),
        states,
        sources,
        folders,
        (min(hours), max(hours)) if hours else None,
        "",
        min((part.begins for part in parts if part.begins), default=None),
        max((part.ends for part in parts if part.ends), default=None),
        tuple(parts),
    )
