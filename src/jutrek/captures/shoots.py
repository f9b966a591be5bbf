"""Days and shoots: captures without a long gap between them, and the day that they are filed under."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from jutrek.captures.capture import Capture
from jutrek.captures.decisions import Decisions
from jutrek.formats import Precision

DAY_STARTS, GAP = timedelta(hours=4), timedelta(hours=6)


@dataclass(frozen=True, slots=True)
class Shoot:
    """Captures that belong together in time.

    Attributes:
        key: its day, with a number from the day's second shoot on: `2026-05-14`, `2026-05-14/2`.
        day: the day that it is filed under.
        words: what it was; empty where nobody said.
        captures: in the order of shooting.
        start, end: from the first capture to the end of the last one, local.
    """

    key: str
    day: date
    words: str
    captures: tuple[Capture, ...]
    start: datetime
    end: datetime


def filing_day(local: datetime, precision: Precision, day_starts: timedelta = DAY_STARTS) -> date:
    """The day that a time belongs to: before the day's start it is the day before. A bare date is its own day."""
    return (local - day_starts).date() if precision >= Precision.MINUTE else local.date()


def shoots_of(
    captures: Iterable[Capture], decisions: Decisions, *, day_starts: timedelta = DAY_STARTS, gap: timedelta = GAP
) -> list[Shoot]:
    """Part captures into shoots.

    Days part them, and so do gaps within a day, and splits; joins hold them together, also from one day to the next.

    Args:
        captures: in the order of shooting; those without a date are left out.
    """
    piles = _parted([one for one in captures if one.moment is not None], decisions, day_starts, gap)
    if decisions.moved:
        piles = _moved(piles, decisions, day_starts)
    if decisions.told:
        piles = _told(piles, decisions)
    counts: dict[date, int] = defaultdict(int)
    shoots = []
    for pile in piles:
        first = pile[0].moment
        if first is None:
            continue
        day = filing_day(first.local, first.precision, day_starts)
        counts[day] += 1
        key = f"{day}" if counts[day] == 1 else f"{day}/{counts[day]}"
        end = max(_end(capture) for capture in pile)
        shoots.append(Shoot(key, day, "", tuple(pile), first.local, end))
    return _described(shoots, decisions) if decisions.described or decisions.told else shoots


def _told(piles: list[list[Capture]], decisions: Decisions) -> list[list[Capture]]:
    """Captures of which somebody said what they were stand apart from the rest of their shoot."""
    parted: list[list[Capture]] = []
    for pile in piles:
        by_words: dict[str, list[Capture]] = defaultdict(list)
        for capture in pile:
            by_words[decisions.told.get(capture.id, "")].append(capture)
        parted += by_words.values()
    return sorted(parted, key=lambda pile: _start(pile[0]))


def _start(capture: Capture) -> datetime:
    return capture.moment.local if capture.moment else datetime.min


def _end(capture: Capture) -> datetime:
    return _start(capture) + timedelta(seconds=capture.duration)


def _parted(
    captures: Sequence[Capture], decisions: Decisions, day_starts: timedelta, gap: timedelta
) -> list[list[Capture]]:
    piles: list[list[Capture]] = []
    bare: dict[date, list[Capture]] = defaultdict(list)
    splits, joins = sorted(decisions.splits), decisions.joins
    day: date | None = None
    end = last = datetime.min
    for capture in captures:
        if capture.moment is None:
            continue
        at = capture.moment.local
        own = filing_day(at, capture.moment.precision, day_starts)
        if capture.moment.precision < Precision.MINUTE:
            bare[own].append(capture)
            continue
        begins = day is None or own != day or at - end >= gap
        if splits and bisect_right(splits, last) < bisect_right(splits, at):
            begins = True
        elif begins and joins and any(one <= at and other >= last for one, other in joins):
            begins = not piles
        if begins:
            piles.append([])
            end = at
        piles[-1].append(capture)
        # A shoot that was joined over midnight stays on its first day until something parts it.
        day, last, end = own, at, max(end, at + timedelta(seconds=capture.duration))
    return _with_bare(piles, bare, day_starts)


def _with_bare(
    piles: list[list[Capture]], bare: dict[date, list[Capture]], day_starts: timedelta
) -> list[list[Capture]]:
    """Captures of which only the day is known go with the day's first shoot, at its end."""
    if not bare:
        return piles
    for pile in piles:
        pile.extend(bare.pop(_day(pile[0], day_starts), []))
    return sorted([*piles, *bare.values()], key=lambda pile: _start(pile[0]))


def _moved(piles: list[list[Capture]], decisions: Decisions, day_starts: timedelta) -> list[list[Capture]]:
    staying = [[one for one in pile if one.id not in decisions.moved] for pile in piles]
    hosts = [pile for pile in staying if pile]
    leftover: list[list[Capture]] = []
    for pile in piles:
        for capture in pile:
            at = decisions.moved.get(capture.id)
            if at is None:
                continue
            day = filing_day(at, Precision.SECOND, day_starts)
            near = [host for host in hosts if _day(host[0], day_starts) == day]
            if near:
                min(near, key=lambda host: _distance(host, at)).append(capture)
            else:
                leftover.append([capture])
    for host in hosts:
        # The first keeps its place: a shoot's day is the day of what was there before anything was moved to it.
        host[1:] = sorted(host[1:], key=_start)
    return sorted(hosts + leftover, key=lambda pile: _start(pile[0]))


def _day(capture: Capture, day_starts: timedelta) -> date:
    moment = capture.moment
    return filing_day(moment.local, moment.precision, day_starts) if moment else date.min


def _distance(pile: Sequence[Capture], at: datetime) -> timedelta:
    start, end = _start(pile[0]), max(_end(capture) for capture in pile)
    return max(start - at, at - end, timedelta(0))


def _described(shoots: list[Shoot], decisions: Decisions) -> list[Shoot]:
    by_day: dict[date, list[int]] = defaultdict(list)
    words: dict[int, str] = {}
    for number, shoot in enumerate(shoots):
        told = decisions.told.get(shoot.captures[0].id, "")
        if told:
            words[number] = told
        else:
            by_day[shoot.day].append(number)
    for one in decisions.described:
        own = by_day.get(one.day, [])
        at = one.at
        if at is not None and own:
            own = [min(own, key=lambda number: _distance(shoots[number].captures, at))]
        words |= dict.fromkeys(own, one.words)
    return [
        Shoot(shoot.key, shoot.day, words.get(number, ""), shoot.captures, shoot.start, shoot.end)
        for number, shoot in enumerate(shoots)
    ]
