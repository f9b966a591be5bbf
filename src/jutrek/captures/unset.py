"""Clocks that were never set: a run of captures that begins where clocks begin, and what speaks for it and against.

A clock that lost its battery starts again at a point that its maker chose: midnight of a new year as a rule, or a day
of its firmware. New Year's night is also one of the most photographed nights of the year, and whole archives begin on
the first of January. So the date alone says nothing. It takes a run that begins within minutes of such a midnight, and
one of these: its days are turned into nights, since it was day when the clock said midnight; the counter goes on from
captures that are much later; what follows on the same card is years later. A date of 2000 and before needs less.

Satellite time that agrees speaks against it, and so does an offset that is stated, in years in which devices state one:
such a clock was set.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime, time, timedelta

from jutrek.captures.capture import Capture, counter_of
from jutrek.captures.moment import INSIDE, Doubtful, doubtful
from jutrek.formats import Claim, Precision

_FIRMWARE = ((2009, 7, 1), (2010, 7, 1), (2016, 8, 1), (2017, 4, 1))
"""Days other than New Year's at which clocks are known to begin."""
_OLD = 2000
"""In this year and before, a clock's beginning is likelier than a date."""
_WITHIN, _WITHIN_OLD = timedelta(minutes=20), timedelta(hours=24)
"""How soon after its beginning a clock is first seen: soon after the battery was put in; some later."""
_PAUSE, _LONG_BEFORE = timedelta(days=30), timedelta(days=300)
"""A run ends where nothing was made for so long; what is set right again lies long behind."""
_BY_HAND = frozenset({time(0), time(12)})
_EVENING = timedelta(hours=8)
"""What was made so shortly before midnight makes it a night like any other."""
_LONGEST = timedelta(days=60)
_DAYS, _STATES = timedelta(days=2), 2016
_EVENT = timedelta(minutes=5)
"""Captures that follow sooner than this are one event."""
_CELEBRATED = (
    8.0, 8.0, 7.0, 6.0, 4.0, 0.8, 0.2, 0.2, 0.6, 2.0, 4.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0,
    5.0, 6.0,
)  # fmt: skip
"""How often people press the button around a new year, by the hour of the day."""
_UNSET = (
    6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 5.0, 4.0, 3.0, 2.0, 1.5, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 2.0, 3.0,
    4.0, 5.0,
)  # fmt: skip
"""How often on days of a clock that began anew when the first picture of the morning was made."""
_ORDINARY = (
    1.0, 0.6, 0.3, 0.2, 0.2, 0.3, 0.8, 1.5, 3.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 5.0, 4.0,
    3.0, 2.0,
)  # fmt: skip
"""How often on other days."""


def _likelier(real: Sequence[float]) -> tuple[float, ...]:
    """By the hour, how much likelier it is that a clock was not set (a logarithm)."""
    return tuple(math.log(one / sum(_UNSET) / (other / sum(real))) for one, other in zip(_UNSET, real, strict=True))


_ON_THE_DAY, _LATER, _THAT_DAY = _likelier(_CELEBRATED), _likelier(_ORDINARY), timedelta(hours=20)
_ENOUGH = 2.5


def clocks_checked(captures: Sequence[Capture]) -> list[Capture]:
    """Doubt the captures of clocks that were never set."""
    own: dict[str, list[Capture]] = defaultdict(list)
    newest: dict[str, datetime] = {}
    for capture in captures:
        if capture.trusted and capture.moment and capture.moment.precision >= Precision.SECOND and not capture.is_scan:
            own[capture.device].append(capture)
            newest[capture.root] = max(newest.get(capture.root, datetime.min), capture.moment.local)
    doubted = {one.id for made in own.values() for run in _unset_runs(made, newest) for one in run}
    return [_doubted(one) if one.id in doubted else one for one in captures] if doubted else list(captures)


def _doubted(capture: Capture) -> Capture:
    moment = capture.moment
    if moment is None:
        return capture
    why = f"The clock was probably never set: it says {moment.local:%Y-%m-%d}."
    return replace(capture, moment=doubtful(moment, Doubtful.NEVER_SET, why))


def _local(capture: Capture) -> datetime:
    return capture.moment.local if capture.moment else datetime.min


def _unset_runs(made: Sequence[Capture], newest: Mapping[str, datetime]) -> list[list[Capture]]:
    """The runs of one device's captures that a clock made which was never set."""
    ordered = sorted(made, key=lambda one: (_local(one), counter_of(one.id) or 0))
    dates = [_local(one) for one in ordered]
    runs = []
    for zero in _beginnings(dates):
        first = bisect_left(dates, zero)
        run = _run(ordered, dates, first)
        if _speaks_for(zero, run, ordered, first, newest) and not any(_was_set(one) for one in run):
            runs.append(run)
    return runs


def _beginnings(dates: Sequence[datetime]) -> list[datetime]:
    """The points at which a clock may have begun, shortly before a first capture."""
    points = {datetime(date.year, 1, 1) for date in dates} | {datetime(*day) for day in _FIRMWARE}
    found = []
    for zero in sorted(points):
        first = bisect_left(dates, zero)
        within = _WITHIN_OLD if zero.year <= _OLD else _WITHIN
        if first < len(dates) and dates[first] - zero <= within:
            found.append(zero)
    return found


def _run(ordered: Sequence[Capture], dates: Sequence[datetime], first: int) -> list[Capture]:
    """The captures from one on, as long as there is no long pause."""
    end = first + 1
    while end < len(ordered) and dates[end] - dates[end - 1] <= _PAUSE:
        end += 1
    return list(ordered[first:end])


def _was_set(capture: Capture) -> bool:
    """Whether somebody, or a network, set the clock: its file carries satellite time that agrees, or states an offset.

    Devices state offsets since Exif 2.31 (2016). One that does so and says an earlier year is none that was set.
    """
    local, claims = _local(capture), capture.files[capture.dated_by].reading.claims
    return any(
        abs(claim.stamp.wall - local) < _DAYS if claim.at == "gps" else local.year >= _STATES and _states(claim)
        for claim in claims
        if claim.at in INSIDE
    )


def _states(claim: Claim) -> bool:
    return claim.stamp.offset is not None and not claim.stamp.offset.by_definition


def _speaks_for(
    zero: datetime, run: Sequence[Capture], ordered: Sequence[Capture], first: int, newest: Mapping[str, datetime]
) -> bool:
    start, end = _local(run[0]), _local(run[-1])
    later = max(newest.get(one.root, start) for one in run) - start > _LONG_BEFORE
    goes_on = end - start > _LONGEST
    if zero.year <= _OLD:
        # A year that somebody wrote by hand stands at midnight or noon, to the second.
        by_hand = all(_local(one).time() in _BY_HAND for one in run)
        return not by_hand and (later or not goes_on)
    if first and start - _local(ordered[first - 1]) < _EVENING:
        return False
    if _comes_after(run[0], ordered):
        return True
    return not goes_on and (later or (zero.month, zero.day) != (1, 1) or _turned_into_night(run))


def _turned_into_night(run: Sequence[Capture]) -> bool:
    """Whether its hours are rather those of a day that was taken for a night than of a night that was celebrated.

    Each event adds how much likelier its hour is for the one than for the other.
    """
    speaks, last, start = 0.0, datetime.min, _local(run[0])
    for capture in run:
        at = _local(capture)
        if at - last >= _EVENT:
            speaks += (_ON_THE_DAY if at - start < _THAT_DAY else _LATER)[at.hour]
        last = at
    return speaks > _ENOUGH


def _comes_after(one: Capture, ordered: Sequence[Capture]) -> bool:
    """Whether the capture before it by counter, in the same folder, is much later by its date."""
    counter, folder = counter_of(one.id), one.id.rpartition("/")[0]
    if counter is None:
        return False
    before = [
        (number, _local(other))
        for other in ordered
        if (number := counter_of(other.id)) is not None
        and 0 < counter - number <= 3
        and other.id.rpartition("/")[0] == folder
    ]
    return bool(before) and max(before)[1] - _local(one) > _LONG_BEFORE
