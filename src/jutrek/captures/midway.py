"""Clocks that were wrong for a time: left on home time on a journey, not set to summer time, put right midway.

A device's events are gone through in the order of shooting, beside those of devices whose clocks are known. Each event
speaks for a shift of its clock as far as one of the others' presses lies where the shift puts it, and as far as that
is no chance: how often a press lies there anyway is taken from the shifts around. The likeliest course of shifts, in
which every change has its price, is found by dynamic programming (Viterbi). Where it changes, the change is put at the
longest pause that fits, or where the clock itself jumps.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import TYPE_CHECKING

from jutrek.captures.aligning import AGREE, Activity, falls_together, nearest_shift
from jutrek.captures.capture import Capture, counter_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

_PAUSE, _LONG = 20.0, 6 * 3600.0
"""Seconds after which a press is another event, and after which a stretch of events ends."""
_STRETCH, _LEAST, _MOST_STRETCHES, _MOST_SHIFTS = 16, 5, 24, 10
_WORTH_TRYING = 6.0
_CLOSE, _SAME = 20.0, 90.0
_NEAR = 4
"""Events beyond those that tell, among which a clock's own jump is still taken for the change."""
_BESIDE = (-1500.0, -1100.0, -700.0, -400.0, 400.0, 700.0, 1100.0, 1500.0)
"""Shifts around one, in seconds, at which a press lies where an event would be by chance only."""
_TOGETHER = 0.55
"""How often devices that are out together press at the same time."""
_PRICE, _ENOUGH, _LEAST_MATCHED, _SHARE = 9.0, 12.0, 6, 0.25
"""What a change of the shift costs, and how much likelier a part must be so than as it stands (logarithms)."""


@dataclass(frozen=True, slots=True)
class Part:
    """A part of what a device made, during which its clock was wrong.

    Attributes:
        seconds: what its clock has to be shifted by.
        captures: ids, in the order of shooting.
        matched, events: events that fall on a press of the others then, of all.
        before: events that do so as the clock stands.
    """

    seconds: float
    captures: tuple[str, ...]
    matched: int
    events: int
    before: int


def parts_of(made: Sequence[Capture], others: Sequence[Activity]) -> list[Part]:
    """The parts of what a device made, during which its clock was wrong; none where it was always or never so.

    Args:
        made: its captures, each with a moment to the second.
        others: devices whose clocks are known.
    """
    import numpy as np

    ordered = _in_order(made)
    times = np.array([(_at(one) - datetime(1970, 1, 1)).total_seconds() for one in ordered])
    presses = np.sort(np.concatenate([other.starts for other in others])) if others else np.array([])
    if times.size < 2 * _LEAST or not presses.size:
        return []
    events = np.flatnonzero(np.concatenate(([True], np.abs(np.diff(times)) > _PAUSE)))
    shifts = _worth_trying(times[events], others, presses)
    if len(shifts) < 2:
        return []
    close = np.array([falls_together(times[events] + shift, presses, _CLOSE) for shift in shifts])
    speaks = np.array([_speaks(times[events], shift, presses, own) for shift, own in zip(shifts, close, strict=True)])
    course = _likeliest(speaks)
    bounds = [0, *(np.flatnonzero(np.diff(course)) + 1), course.size]
    if len(bounds) < 3:
        return []
    edges = [0, *(_edge(times, events, close, course, bound) for bound in bounds[1:-1]), times.size]
    found = []
    for number, (begin, end) in enumerate(pairwise(bounds)):
        which, zero = int(course[begin]), shifts.index(0.0)
        more = float((speaks[which, begin:end] - speaks[zero, begin:end]).sum())
        matched = int(close[which, begin:end].sum())
        if which != zero and more >= _ENOUGH and matched >= max(_LEAST_MATCHED, _SHARE * (end - begin)):
            ids = tuple(one.id for one in ordered[edges[number] : edges[number + 1]])
            found.append(Part(shifts[which], ids, matched, int(end - begin), int(close[zero, begin:end].sum())))
    return found


def _at(capture: Capture) -> datetime:
    return capture.moment.local if capture.moment else datetime.min


def _in_order(made: Sequence[Capture]) -> list[Capture]:
    """In the order of shooting: by counter, as clocks may jump, where all have one and none is twice; else by time."""
    counters = [counter_of(one.id) for one in made]
    folders = {one.id.rpartition("/")[0] for one in made}
    if None not in counters and len(folders) == 1 and len(set(counters)) == len(counters):
        return sorted(made, key=lambda one: counter_of(one.id) or 0)
    return sorted(made, key=_at)


def _worth_trying(events: Floats, others: Sequence[Activity], presses: Floats) -> list[float]:
    """Shifts that stand out in some stretch of the events; that of the clock as it stands is always among them."""
    import numpy as np

    pauses = np.flatnonzero(np.abs(np.diff(events)) > _LONG) + 1
    stretches = [
        part
        for block in np.split(events, pauses)
        for part in np.array_split(block, max(1, round(block.size / _STRETCH)))
        if part.size >= _LEAST
    ]
    shifts = [0.0]
    for stretch in stretches[:: max(1, math.ceil(len(stretches) / _MOST_STRETCHES))]:
        own = np.sort(stretch)
        found = nearest_shift(Activity(own, own), others, presses)
        if found is not None and found.score >= _WORTH_TRYING and len(shifts) < _MOST_SHIFTS:
            shifts += [found.seconds] if all(abs(found.seconds - one) > _SAME for one in shifts) else []
    return [one for one in shifts if not one or abs(one) > AGREE]


def _speaks(events: Floats, shift: float, presses: Floats, close: NDArray[np.bool_]) -> Floats:
    """How much each event speaks for a shift: the logarithm of how much likelier it is with it than by chance.

    Where the others were not out, an event says nothing.
    """
    import numpy as np

    around = np.array([falls_together(events + shift + beside, presses, _CLOSE) for beside in _BESIDE])
    chance = around.mean(axis=0).clip(0.03, 0.9)
    together = np.maximum(_TOGETHER, chance)
    speaks: Floats = np.where(close, np.log(together / chance), np.log((1 - together) / (1 - chance)))
    low, high = np.searchsorted(presses, (events + shift - 2 * _BESIDE[-1], events + shift + 2 * _BESIDE[-1]))
    return np.where(high > low, speaks, np.minimum(speaks, 0.0))


def _likeliest(speaks: Floats) -> NDArray[np.int64]:
    """The likeliest course of shifts over the events, by their numbers."""
    import numpy as np

    shifts, events = speaks.shape
    best, came = speaks[:, 0].copy(), np.zeros((events, shifts), dtype=np.int64)
    for event in range(1, events):
        top = int(np.argmax(best))
        changes = best[top] - _PRICE > best
        came[event] = np.where(changes, top, np.arange(shifts))
        best = np.where(changes, best[top] - _PRICE, best) + speaks[:, event]
    course = np.zeros(events, dtype=np.int64)
    course[-1] = int(np.argmax(best))
    for event in range(events - 1, 0, -1):
        course[event - 1] = came[event, course[event]]
    return course


def _edge(
    times: Floats, events: NDArray[np.int64], close: NDArray[np.bool_], course: NDArray[np.int64], bound: int
) -> int:
    """The capture with which another shift begins: behind the longest pause between events that tell, or a jump."""
    import numpy as np

    before, after = int(course[bound - 1]), int(course[bound])
    low = bound - 1
    while low > 0 and not (close[before, low] and not close[after, low]):
        low -= 1
    high = bound
    while high < len(course) - 1 and not (close[after, high] and not close[before, high]):
        high += 1
    wide_low, wide_high = max(low - _NEAR, 0), min(high + _NEAR, len(course) - 1)
    jumps = np.flatnonzero(np.diff(times[events[wide_low] : events[wide_high] + 1]) < -_PAUSE)
    if jumps.size == 1:
        return int(events[wide_low] + 1 + jumps[0])
    return int(events[low] + 1 + int(np.argmax(np.diff(times[events[low] : events[high] + 1]))))
