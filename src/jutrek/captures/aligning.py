"""Whose clock is right: lining up what devices did over the days.

People press buttons when something happens, so devices that were at the same place share their moments. For every shift
of one device's clock its presses are counted that fall on a press of the others; the count is a cross-correlation of
the one's presses with the other's presses widened by a window. A shift at which many more fall together than at the
shifts around it lines the clocks up. Clips that a recorder's take holds from start to end count likewise. Satellite
time, where a device writes it, tells the error of its own clock directly.

Chance is measured, not assumed: how much a count stands out is told in standard deviations of a binomial count whose
mean is taken from the shifts within three quarters of an hour around it, and a second shift that stands out nearly as
much takes the certainty away.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]

BIN = 5.0
"""Seconds of one step of the shift."""
REACH = 15 * 3600.0
"""How far a clock may be off and still be searched step by step, in seconds; whole days come on top."""
_DAY = 86_400.0
_WINDOWS = (20.0, 60.0)
_PAUSE = 20.0
"""Presses of one device that follow sooner than this are one event."""
_AROUND = 2700.0
_BESIDE = 300.0
_BUSIEST, _MOST_SHIFTS, _SPAN = 20, 24, 60
_FEW = 200_000
"""Events times edges of windows up to which they are counted one by one."""
"""Days that are looked at, shifts by whole days that are tried, and for devices that were out within how many days."""
AGREE = 90.0
"""Clocks that differ by no more than this, in seconds, are left alone."""
_LEAST_EVENTS = 4
_LIKELY, _CERTAIN, _CLEAR, _CLEAR_LIKELY = 9.0, 11.0, 1.5, 1.35
_LEAST_MATCHED = 6
_A_QUARTER, _SNAP = 900.0, 45.0


@dataclass(frozen=True, slots=True)
class Activity:
    """What one device did: starts and ends of its captures in seconds (any common zero), ordered by start.

    Attributes:
        takes: whether the captures are takes of sound.
        anchor: whether its clock is right for sure, since satellites say so.
        states: whether it states its offset: what knows its zone outweighs what does not.
    """

    starts: Floats
    ends: Floats
    takes: bool = False
    anchor: bool = False
    states: bool = False


@dataclass(frozen=True, slots=True)
class Alignment:
    """How one device lines up with others.

    Attributes:
        seconds: what its clock has to be shifted by.
        score: how much that shift stands out.
        second: how much the next best one does.
        at_zero: how much the clock as it stands does.
        matched, events: events that fall on a press of the others, of all.
        before: events that do so without a shift.
        holds: clips that lie within a take, after the shift.
    """

    seconds: float
    score: float
    second: float
    at_zero: float
    matched: int
    events: int
    before: int
    holds: int

    @property
    def certain(self) -> bool:
        """Whether this shift is the only one that explains what was shot.

        Of another day that is never certain: the same may have happened again.
        """
        return self._stands_out(_CERTAIN, _CLEAR) and self.matched >= _LEAST_MATCHED and not self._is_of_another_day

    @property
    def likely(self) -> bool:
        """Whether it is worth a question. Another day is not, where the day as it stands explains much itself."""
        explained = self._is_of_another_day and self.at_zero >= _LIKELY
        return self._stands_out(_LIKELY, _CLEAR_LIKELY) and not explained

    @property
    def _is_of_another_day(self) -> bool:
        return abs(self.seconds) > REACH

    def _stands_out(self, least: float, clear: float) -> bool:
        return self.score >= least and self.score >= clear * max(self.second, self.at_zero)


def align_all(
    activities: Mapping[str, Activity], agreed: tuple[Collection[str], bool] | None = None
) -> list[tuple[str, Alignment, bool]]:
    """Line up devices with those that agree with one another.

    Those that agree are the ones whose clocks are known by satellites, else those that state their offsets, else the
    largest group that lines up without a shift. Where there is no such group, or where as many or more agree against
    those that state their offsets, nothing is said for sure.

    Args:
        agreed: what `agreeing` told, where it is known already.

    Returns:
        Key, alignment, and whether it is known who is right, for every device that has to be shifted.
    """
    right, firm = agreed or agreeing(activities)
    enough = _with_enough(activities)
    if len(enough) < 2:
        return []
    found = []
    for key, one in enough.items():
        if key in right:
            continue
        alignment = align(one, [enough[other] for other in right])
        if alignment is not None and alignment.likely and abs(alignment.seconds) > AGREE:
            found.append((key, alignment, firm))
    return found


def agreeing(activities: Mapping[str, Activity]) -> tuple[set[str], bool]:
    """The devices that agree with one another, and whether it is known that they are right. See `align_all`."""
    enough = _with_enough(activities)
    return _agreeing(enough) if len(enough) > 1 else (set(), False)


def _with_enough(activities: Mapping[str, Activity]) -> dict[str, Activity]:
    return {key: one for key, one in activities.items() if len(events_of(one.starts)) >= _LEAST_EVENTS}


def _agreeing(activities: Mapping[str, Activity]) -> tuple[set[str], bool]:
    anchors = {key for key, one in activities.items() if one.anchor}
    stating = [key for key, one in activities.items() if one.states]
    groups = {key: {key} for key in activities}
    busy = sorted(activities, key=lambda key: -activities[key].starts.size)[:8]
    for one, other in combinations(busy, 2):
        # As they stand: that the same happened on another day, too, does not part them.
        found = nearest_shift(activities[one], [activities[other]], activities[other].starts)
        if found is not None and found.likely and abs(found.seconds) <= AGREE:
            joined = groups[one] | groups[other]
            for key in joined:
                groups[key] = joined
    if anchors:
        return set().union(*(groups[key] for key in anchors)), True

    def weight(group: set[str]) -> tuple[int, int]:
        return len(group), sum(activities[key].starts.size for key in group)

    largest = max(groups.values(), key=weight)
    if stating:
        # Several of them that do not agree with one another state what at least one of them has wrong.
        known = max((groups[key] for key in stating), key=weight)
        rest = max((len(group - known) for group in groups.values()), default=0)
        return known, len(known) > max(rest, 1)
    if len(largest) > 1:
        return largest, True
    return {busy[0]}, False


def align(one: Activity, others: Sequence[Activity]) -> Alignment | None:
    """Find the shift that lines a device up with others; None where the two have nothing to compare."""
    import numpy as np

    starts = np.sort(np.concatenate([other.starts for other in others]))
    if not len(events_of(one.starts)) or not starts.size:
        return None
    best: Alignment | None = None
    for days in _whole_days(one.starts, starts):
        moved = Activity(one.starts + days * _DAY, one.ends + days * _DAY, one.takes)
        found = nearest_shift(moved, others, starts)
        if found is None:
            continue
        if days:
            zero = _as_it_stands(best)
            seconds = found.seconds + days * _DAY
            other = best is not None and abs(seconds - best.seconds) > _BESIDE
            found = Alignment(
                seconds, found.score, max(found.second, best.score if best and other else 0.0), zero,
                found.matched, found.events, best.before if best else 0, found.holds,
            )  # fmt: skip
        if best is None or found.score > best.score:
            best = found
        elif abs(found.seconds - best.seconds) > _BESIDE:
            second = max(best.second, found.score)
            best = Alignment(
                best.seconds, best.score, second, best.at_zero, best.matched, best.events, best.before, best.holds
            )
    return best


def _as_it_stands(found: Alignment | None) -> float:
    """How much the clock as it stands stands out, from what was found within hours of it."""
    if found is None:
        return 0.0
    return max(found.at_zero, found.score if abs(found.seconds) <= AGREE + _BESIDE else 0.0)


def _whole_days(one: Floats, others: Floats) -> list[int]:
    """Shifts by whole days worth trying: none first; a day either way over several days; and whichever make days meet
    where the device was hardly ever out with the rest.
    """
    import numpy as np

    own, count = np.unique(one // _DAY, return_counts=True)
    theirs = np.unique(others // _DAY)
    if own[-1] - own[0] > _SPAN:
        return [0]
    if count[np.isin(own, theirs)].sum() * 5 >= count.sum():
        return [0, -1, 1] if theirs.size > 1 else [0]
    apart, votes = np.unique((theirs[None, :] - own[:, None]).ravel(), return_counts=True)
    ranked = apart[np.argsort(-votes, kind="stable")][:_MOST_SHIFTS]
    return [0, *(int(days) for days in ranked if days)]


def events_of(starts: Floats) -> Floats:
    """Presses that come after a pause."""
    import numpy as np

    if not starts.size:
        return starts
    return starts[np.concatenate(([True], np.diff(starts) > _PAUSE))]


def nearest_shift(one: Activity, others: Sequence[Activity], starts: Floats) -> Alignment | None:
    """The best shift within `REACH`."""
    import numpy as np

    lags = np.arange(-REACH, REACH + BIN / 2, BIN)
    events = events_of(one.starts)
    theirs = events_of(starts)
    scores, counts = [], []
    for window in _WINDOWS:
        ours = _falling_together(events, starts, window)
        back = _falling_together(theirs, one.starts, window)[::-1]
        scores.append(_standing_out(ours, len(events)) + _standing_out(back, len(theirs)))
        counts.append(ours)
    holds = _holding(one, others, lags)
    score = np.maximum(*scores) + _standing_out(holds, max(one.starts.size, 1))
    top = int(np.argmax(score))
    beside = score.copy()
    reach = int(_BESIDE / BIN)
    beside[max(0, top - reach) : top + reach + 1] = 0.0
    middle = lags.size // 2
    near_zero = score[middle - int(AGREE / BIN) : middle + int(AGREE / BIN) + 1]
    seconds = _fine(events, starts, float(lags[top]))
    at_zero = 0.0 if abs(seconds) <= AGREE + _BESIDE else float(near_zero.max())
    if counts[1][top] < 2:
        return None
    return Alignment(
        _snapped(seconds), float(score[top]), float(beside.max()), at_zero, int(counts[1][top]), len(events),
        int(counts[1][middle]), int(holds[top]),
    )  # fmt: skip


def _falling_together(events: Floats, presses: Floats, window: float) -> Floats:
    """For every shift of `events` from `-REACH` to `REACH`: how many fall within a window of a press.

    Day by day of the events, busiest days first: a day's events are correlated with the presses around that day.
    """
    import numpy as np

    bins, reach = int(_DAY / BIN), int(REACH / BIN)
    total = np.zeros(2 * reach + 1)
    days, count = np.unique(events // _DAY, return_counts=True)
    for day in days[np.argsort(-count, kind="stable")][:_BUSIEST]:
        zero = day * _DAY
        ours = events[(events >= zero) & (events < zero + _DAY)]
        low, high = np.searchsorted(presses, (zero - REACH - window, zero + _DAY + REACH + window))
        if low == high:
            continue
        steps = ((ours - zero) / BIN).astype(int)
        # One more at each end, for the steps that a window covers.
        cover = np.zeros(bins + 2 * reach + 1)
        left = np.ceil((presses[low:high] - window - zero + REACH) / BIN).clip(0, cover.size - 1).astype(int)
        right = np.floor((presses[low:high] + window - zero + REACH) / BIN + 1).clip(0, cover.size - 1).astype(int)
        np.add.at(cover, left, 1)
        np.add.at(cover, right, -1)
        wide = np.cumsum(cover)[:-1] > 0
        edges = np.flatnonzero(np.diff(wide, prepend=False, append=False))
        if len(steps) * len(edges) <= _FEW:
            total += _counted(edges, steps, total.size)
        else:
            pulse = np.bincount(steps, minlength=bins).astype(float)
            total += _correlated(wide.astype(float), pulse)[: total.size]
    return total


def _counted(edges: NDArray[np.int64], steps: NDArray[np.int64], count: int) -> Floats:
    """The first `count` elements of what `_correlated` finds, event by event: where there are few, that is faster.

    Args:
        edges: where windows begin and end, in turn.
        steps: where events are.
        count: how many shifts are wanted.
    """
    import numpy as np

    at = (edges[None, :] - steps[:, None]).clip(0, count)
    begins, ends = (np.bincount(at[:, first::2].ravel(), minlength=count + 1) for first in (0, 1))
    found: Floats = np.cumsum(begins - ends)[:count].astype(float)
    return found


def _correlated(wide: Floats, pulse: Floats) -> Floats:
    """Cross-correlation by FFT: element k is the sum of `wide[k + i] * pulse[i]`, a whole number.

    What is past the end of `wide` counts as its beginning, so only the first `len(wide) - len(pulse) + 1` are meant.
    """
    import numpy as np
    from scipy.fft import irfft, next_fast_len, rfft

    size = next_fast_len(wide.size, real=True)
    found: Floats = np.round(irfft(rfft(wide, size) * np.conj(rfft(pulse, size)), size))
    return found


def _standing_out(counts: Floats, events: int) -> Floats:
    """How far each count stands above those around it, in standard deviations; never below zero."""
    import numpy as np
    from scipy.ndimage import uniform_filter1d

    mean = uniform_filter1d(counts, int(2 * _AROUND / BIN), mode="nearest").clip(0.0)
    spread = np.sqrt(mean * (1 - (mean / max(events, 1)).clip(0, 0.95)) + 0.75)
    above: Floats = ((counts - mean) / spread).clip(0.0)
    return above


def _holding(one: Activity, others: Sequence[Activity], lags: Floats) -> Floats:
    """For every shift: how many clips lie within a take, from start to end with a few seconds to spare."""
    import numpy as np

    spare, total = 6.0, np.zeros(lags.size + 1)
    for other in others:
        if one.takes == other.takes:
            continue
        takes, clips = (one, other) if one.takes else (other, one)
        sign = -1.0 if one.takes else 1.0
        long = clips.ends - clips.starts > 2
        begin = takes.starts[None, :400] - clips.starts[long][:400, None] - spare
        end = takes.ends[None, :400] - clips.ends[long][:400, None] + spare
        fits = end > begin
        low, high = (begin[fits], end[fits]) if sign > 0 else (-end[fits], -begin[fits])
        near = (high > -REACH) & (low < REACH)
        at = np.ceil((low[near] + REACH) / BIN).clip(0, lags.size).astype(int)
        np.add.at(total, at, 1)
        np.add.at(total, np.floor((high[near] + REACH) / BIN + 1).clip(0, lags.size).astype(int), -1)
    held: Floats = np.cumsum(total)[:-1]
    return held


def to_nearest(moved: Floats, presses: Floats) -> Floats:
    """From each time to the nearest press, in seconds."""
    import numpy as np

    at = np.searchsorted(presses, moved).clip(1, max(presses.size - 1, 1))
    before, behind = presses[at - 1] - moved, presses[at.clip(0, presses.size - 1)] - moved
    nearest: Floats = np.where(np.abs(before) < np.abs(behind), before, behind)
    return nearest


def falls_together(moved: Floats, presses: Floats, window: float) -> NDArray[np.bool_]:
    """Of each time, whether a press lies within a window of it, in seconds."""
    import numpy as np

    low, high = np.searchsorted(presses, (moved - window, moved + window))
    together: NDArray[np.bool_] = high > low
    return together


def _fine(events: Floats, presses: Floats, seconds: float) -> float:
    """The shift to the second: the middle of what is left between events and their nearest presses."""
    import numpy as np

    for reach in (75.0, 45.0, 30.0):
        rest = to_nearest(events + seconds, presses)
        near = rest[np.abs(rest) <= reach]
        if near.size:
            seconds += float(np.median(near))
    return seconds


def _snapped(seconds: float) -> float:
    """Clocks are off by whole quarter hours far more often than by nearly that."""
    quarters = round(seconds / _A_QUARTER) * _A_QUARTER
    return quarters if math.isclose(seconds, quarters, abs_tol=_SNAP) else float(round(seconds))
