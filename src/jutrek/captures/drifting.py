"""Clocks that gain or lose some seconds every day: over weeks they are minutes off, by another shift on every day.

Each day of a device tells a shift of its own, as far as it tells one. Where the shifts of some days lie on one line
over time, and far more of the device's events fall on a press of the others along that line than by any one shift, the
clock drifts. The line is the one through two days that most others lie near, and is then fitted to the single events
(iterated least squares).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import combinations, groupby
from typing import TYPE_CHECKING

from jutrek.captures.aligning import AGREE, Activity, Alignment, events_of, falls_together, nearest_shift, to_nearest
from jutrek.captures.capture import Capture

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

_DAY = 86_400.0
_LEAST_EVENTS, _LEAST_DAYS, _MOST_DAYS = 6, 4, 40
"""Events that a day needs to tell a shift, days that must lie on the line, and days that are looked at."""
_TELLS, _NEAR, _CLOSE = 6.0, 45.0, 20.0
_BEYOND = 2 * _DAY
"""How far beyond the first and the last day that tell the line is believed, in seconds."""
_BETTER = 1.2
"""How many times the events that the best single shift explains must lie along the line."""


@dataclass(frozen=True, slots=True)
class Drift:
    """How a clock went off, day by day.

    Attributes:
        days: each day on which it was too far off to be left alone, what it has to be shifted by then, in seconds, and
            the ids of what was made.
        daily: seconds that the shift grows by from day to day.
        matched, events: events along the line that fall on a press of the others, of all.
        before: events that do so as the clock stands.
    """

    days: tuple[tuple[date, float, frozenset[str]], ...]
    daily: float
    matched: int
    events: int
    before: int


def drift_of(made: Sequence[Capture], others: Sequence[Activity]) -> Drift | None:
    """How the clock drifted by which captures were made; None where it did not, or where that can't be told.

    Args:
        made: captures of one device, each with a moment to the second.
        others: devices whose clocks are known.
    """
    import numpy as np

    if not others:
        return None
    presses = np.sort(np.concatenate([other.starts for other in others]))
    days = _days_of(made)
    if len(days) < _LEAST_DAYS or not presses.size:
        return None
    events = np.concatenate([events_of(times) for _, times, _ in days])
    points = [(times.mean(), found.seconds) for _, times, found in _told(days, others, presses)]
    line = _line_through(points)
    if line is None:
        return None
    slope, level = _fitted(events, presses, *line)
    spread = (events[-1] - events[0]) * abs(slope)
    matched = int(falls_together(events + level + slope * events, presses, _CLOSE).sum())
    constant = max(
        int(falls_together(events + shift, presses, _CLOSE).sum())
        for shift in (0.0, *(seconds for _, seconds in points))
    )
    if spread <= AGREE or matched < _BETTER * constant:
        return None
    first, last = points[0][0] - _BEYOND, points[-1][0] + _BEYOND
    off = [
        (day, float(round(level + slope * times.mean())), ids) for day, times, ids in days if first <= times[0] <= last
    ]
    wrong = tuple((day, seconds, ids) for day, seconds, ids in off if abs(seconds) > AGREE)
    before = int(falls_together(events, presses, _CLOSE).sum())
    return Drift(wrong, slope * _DAY, matched, events.size, before) if wrong else None


_Day = tuple[date, "Floats", frozenset[str]]


def _days_of(made: Sequence[Capture]) -> list[_Day]:
    """Each day by the device's own clock, the times of its captures in seconds since 1970, and their ids.

    A night belongs to the day before, so that no feast is cut in two.
    """
    import numpy as np

    zero, night = datetime(1970, 1, 1), timedelta(hours=4)
    dated = sorted((one.moment.local, one.id) for one in made if one.moment)
    days = []
    for day, own in groupby(dated, lambda at: (at[0] - night).date()):
        of_day = list(own)
        times = np.array([(at - zero).total_seconds() for at, _ in of_day])
        days.append((day, times, frozenset(key for _, key in of_day)))
    return days


def _told(days: Sequence[_Day], others: Sequence[Activity], presses: Floats) -> list[tuple[date, Floats, Alignment]]:
    """What shift each of the busiest days tells."""
    import numpy as np

    busy = sorted(days, key=lambda day: -day[1].size)[:_MOST_DAYS]
    told = []
    for day, times, _ in sorted(busy, key=lambda day: day[0]):
        events = events_of(times)
        low, high = np.searchsorted(presses, (times[0] - _DAY, times[-1] + _DAY))
        if events.size >= _LEAST_EVENTS and low < high:
            found = nearest_shift(Activity(events, events), others, presses[low:high])
            if found is not None and found.score >= _TELLS:
                told.append((day, times, found))
    return told


def _line_through(points: Sequence[tuple[float, float]]) -> tuple[float, float] | None:
    """Slope and level of the line near most of these (seconds, shift); None where too few lie near any."""
    best, on_best = None, 0
    for (at, shift), (then, later) in combinations(points, 2):
        slope = (later - shift) / (then - at)
        level = shift - slope * at
        near = sum(abs(level + slope * when - told) <= _NEAR for when, told in points)
        if near > on_best:
            best, on_best = (slope, level), near
    return best if on_best >= _LEAST_DAYS else None


def _fitted(events: Floats, presses: Floats, slope: float, level: float) -> tuple[float, float]:
    """The line, fitted to what is left between the events along it and their nearest presses."""
    import numpy as np

    middle = events.mean()
    for reach in (60.0, 40.0, 25.0):
        rest = to_nearest(events + level + slope * events, presses)
        near = np.abs(rest) <= reach
        if near.sum() > _LEAST_DAYS:
            more, shift = np.polyfit(events[near] - middle, rest[near], 1)
            slope, level = slope + float(more), level + float(shift - more * middle)
    return slope, level
