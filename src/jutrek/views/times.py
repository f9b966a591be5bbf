"""Reading spans of time, days of the week and hours out of a sentence."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date, timedelta
from typing import NamedTuple

from jutrek.views.conditions import AtHours, Condition, During, InMonth, Lately, OnWeekday, Unit, either
from jutrek.views.spans import DAYS, MONTHS, day_span, last_of_month, month_span, week_span, weeks_in, year_span
from jutrek.views.tokens import DAY_OF, MONTH_OF, is_date
from jutrek.views.walking import SentenceError, Walk

_CLOCK = re.compile(r"(\d{1,2}):(\d{2})")
_DAY = re.compile(r"\d{1,2}")
_COUNT = re.compile(r"\d{1,4}")
_MOST = 1000
"""The most days, weeks, months or years that may be meant by the last ones."""
_UNITS = {word: unit for unit in Unit for word in (unit.value, f"{unit.value}s")}
_OPEN = ("since", "until", "before", "after")
_BEFORE = ("in", "on", "from", *_OPEN)


class _Bound(NamedTuple):
    """One end of a span as far as it is told: `12` of `12 to 18 May 2026`, `May`, `week 3`.

    `at` is where it stands in the text.
    """

    at: int
    year: int | None = None
    month: int | None = None
    day: int | None = None
    week: int | None = None


class TimeWords:
    """Reads what a sentence says about time."""

    def __init__(self, walk: Walk) -> None:
        self.walk = walk

    def time(self) -> Condition:
        """A time with the word before it."""
        walk = self.walk
        if walk.take("between"):
            return self._hours_between()
        filed = walk.take("filed") is not None
        word = walk.take("under", *_OPEN) if filed else walk.take(*_BEFORE)
        if filed and word is None:
            raise walk.trouble("The word “under” has to follow.")
        if word in ("before", "after") and walk.token is not None and _CLOCK.fullmatch(walk.token.text):
            minutes = self._clock()
            return AtHours(0, minutes) if word == "before" else AtHours(minutes, 1440)
        if word == "in" and walk.take("any"):
            month = walk.take(*MONTH_OF)
            if month is None:
                raise walk.trouble("A month has to follow: in any May.")
            return InMonth(MONTH_OF[month])
        if word == "in" and (recent := self._lately()) is not None:
            return recent
        found = self.bare_time()
        if found is None:
            walk.want(*MONTHS, *(f"{day}s" for day in DAYS), "week", "any", "this week", "the last 30 days", "folder")
            raise walk.trouble("A time has to follow, such as May 2026, 12 to 18 May 2026, or week 53 of 2020.")
        if filed or word in _OPEN:
            if not isinstance(found, During):
                raise walk.trouble("A year has to follow: May 2026.")
            return self._open(replace(found, filed=filed), word)
        return found

    def _lately(self) -> Lately | None:
        """This week, or the last 30 days; None where neither stands here."""
        walk = self.walk
        if walk.take("this"):
            unit = walk.take(*(one.value for one in Unit))
            if unit is None:
                walk.want(*Unit)
                raise walk.trouble("A day, week, month or year has to follow: in this week.")
            return Lately(Unit(unit))
        if not walk.take_all("the", "last"):
            return None
        token = walk.token
        number = walk.next().text if token is not None and _COUNT.fullmatch(token.text) else ""
        unit = walk.take(*_UNITS) if number else None
        if not 1 <= int(number or 0) <= _MOST or unit is None:
            if not number:
                walk.want("7 days", "12 months")
            raise walk.trouble(f"It has to be how many days, weeks, months or years, {_MOST} at most: the last 7 days.")
        return Lately(_UNITS[unit], int(number))

    def _open(self, span: During, word: str | None) -> Condition:
        """A span without one of its ends."""
        assert span.first is not None
        assert span.last is not None
        if word == "since":
            return replace(span, last=None)
        if word == "until":
            return replace(span, first=None)
        if word == "before":
            return replace(span, first=None, last=span.first - timedelta(days=1))
        if word == "after":
            return replace(span, first=span.last + timedelta(days=1), last=None)
        return span

    def bare_time(self) -> Condition | None:
        """A time without a word before it; None where none stands here."""
        walk = self.walk
        if (day := walk.take(*DAY_OF)) is not None:
            return OnWeekday(DAY_OF[day])
        if walk.take("weekends", "weekend"):
            return either(OnWeekday(5), OnWeekday(6))
        first = self._bound()
        if first is None:
            return None
        mark = walk.mark()
        if walk.take("to", "–"):
            walk.take("weeks", "week") if first.week is not None else None
            last = self._bound(in_weeks=first.week is not None)
            if last is not None:
                return self._span(first, last)
            walk.back_to(mark)
        return self._single(first)

    def _bound(self, *, in_weeks: bool = False) -> _Bound | None:
        walk = self.walk
        token = walk.token
        if token is None or token.quoted:
            return None
        at = token.start
        if in_weeks or walk.take("week", "weeks"):
            return self._week(at)
        if is_date(token.text):
            walk.next()
            parts = [int(part) for part in token.text.split("-")]
            return _Bound(at, *parts)
        mark = walk.mark()
        day = int(walk.next().text) if _DAY.fullmatch(token.text) else None
        word = walk.take(*MONTH_OF)
        if day is None and word is None:
            return None
        if word is None:
            # A day alone is the first of two.
            if walk.sees("to", "–"):
                return _Bound(at, None, None, day)
            walk.back_to(mark)
            return None
        return _Bound(at, self._year(), MONTH_OF[word], day)

    def _week(self, at: int) -> _Bound:
        walk = self.walk
        token = walk.token
        if token is None or not _DAY.fullmatch(token.text):
            raise walk.trouble("The number of a week has to follow: week 53 of 2020.")
        week = int(walk.next().text)
        year = self._year() if walk.take("of") else None
        return _Bound(at, year, week=week)

    def _year(self) -> int | None:
        token = self.walk.token
        if token is None or token.quoted or len(token.text) != 4 or not is_date(token.text):
            return None
        return int(self.walk.next().text)

    def _single(self, bound: _Bound) -> Condition:
        if bound.month is not None and bound.year is None and bound.day is None:
            return InMonth(bound.month)
        return self._closed(bound)

    def _closed(self, bound: _Bound) -> During:
        """A bound that is told whole, as a span."""
        if bound.year is None:
            # “week 53” and “12 May” are told in part.
            raise SentenceError(bound.at, "It has to be said of which year.")
        if bound.week is not None:
            weeks = weeks_in(bound.year)
            if not 1 <= bound.week <= weeks:
                raise SentenceError(bound.at, f"{bound.year} has {weeks} weeks.")
            return week_span(bound.year, bound.week)
        if bound.month is None:
            return year_span(bound.year)
        if not 1 <= bound.month <= 12:
            raise SentenceError(bound.at, "A year has twelve months.")
        if bound.day is None:
            return month_span(bound.year, bound.month)
        days = last_of_month(bound.year, bound.month).day
        if not 1 <= bound.day <= days:
            raise SentenceError(bound.at, f"{MONTHS[bound.month - 1]} {bound.year} has {days} days.")
        return day_span(date(bound.year, bound.month, bound.day))

    def _span(self, first: _Bound, last: _Bound) -> Condition:
        """From one bound to another one; what the first does not tell is as in the last."""
        end = self._closed(last)
        if first.year is None:
            first = first._replace(year=last.year)
        if first.month is None and first.day is not None:
            first = first._replace(month=last.month)
        begin = self._closed(first)
        if begin.unit is not end.unit:
            raise SentenceError(last.at, f"It begins with a {begin.unit}, and has to end with one.")
        assert begin.first is not None
        assert end.last is not None
        if begin.first > end.last:
            raise SentenceError(last.at, "It ends before it begins.")
        return During(end.unit, begin.first, end.last)

    def _hours_between(self) -> Condition:
        start = self._clock()
        self.walk.must("and")
        end = self._clock()
        if start == end:
            raise self.walk.trouble("Between two times that differ.")
        return AtHours(start, end)

    def _clock(self) -> int:
        walk = self.walk
        found = None if walk.token is None else _CLOCK.fullmatch(walk.token.text)
        if found is None or int(found[2]) > 59 or not 0 <= int(found[1]) * 60 + int(found[2]) <= 1440:
            raise walk.trouble("A time of day has to follow, such as 6:30.")
        walk.next()
        return int(found[1]) * 60 + int(found[2])
