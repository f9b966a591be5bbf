"""Spans of time in people's ways: how they are written, and what they mean.

Weeks are those of ISO 8601: a week begins on Monday, and belongs to the year of its Thursday.
"""

from __future__ import annotations

import calendar
from datetime import date, timedelta

from jutrek.views.conditions import During, Lately, Unit

MONTHS = (
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
    "December",
)  # fmt: skip
DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
FIRST_YEAR, LAST_YEAR = 1800, 2200
"""Years that a sentence may name. Outside them a number is a number."""


def last_of_month(year: int, month: int) -> date:
    """The last day of a month."""
    return date(year, month, calendar.monthrange(year, month)[1])


def weeks_in(year: int) -> int:
    """How many weeks a year has: 52 or 53. The 28th of December lies in the last one."""
    return date(year, 12, 28).isocalendar().week


def year_span(year: int) -> During:
    """A year."""
    return During(Unit.YEAR, date(year, 1, 1), date(year, 12, 31))


def month_span(year: int, month: int) -> During:
    """A month."""
    return During(Unit.MONTH, date(year, month, 1), last_of_month(year, month))


def week_span(year: int, week: int) -> During:
    """A week.

    Raises:
        ValueError: where the year has no such week.
    """
    monday = date.fromisocalendar(year, week, 1)
    return During(Unit.WEEK, monday, monday + timedelta(days=6))


def day_span(day: date) -> During:
    """A day."""
    return During(Unit.DAY, day, day)


def lately(recent: Lately, today: date) -> During:
    """The span that is meant by “this week”, or “the last 3 months”, on a day. The last days end with that day."""
    if recent.count == 0:
        iso = today.isocalendar()
        return {
            Unit.YEAR: lambda: year_span(today.year), Unit.MONTH: lambda: month_span(today.year, today.month),
            Unit.WEEK: lambda: week_span(iso.year, iso.week), Unit.DAY: lambda: day_span(today),
        }[recent.unit]()  # fmt: skip
    if recent.unit in (Unit.DAY, Unit.WEEK):
        before = today - timedelta(days=recent.count * (7 if recent.unit is Unit.WEEK else 1))
    else:
        months = today.year * 12 + today.month - 1 - recent.count * (12 if recent.unit is Unit.YEAR else 1)
        year, month = divmod(months, 12)
        before = date(year, month + 1, min(today.day, last_of_month(year, month + 1).day))
    return During(Unit.DAY, before + timedelta(days=1), today)


def recently(recent: Lately) -> str:
    """The same in words, with the word before it: `in this week`, `in the last 30 days`."""
    if recent.count == 0:
        return f"in this {recent.unit}"
    return f"in the last {recent.count} {recent.unit}{'s' if recent.count > 1 else ''}"


def written(span: During) -> str:
    """A span in words, with the word before it: `in May 2026`, `from 12 to 18 May 2026`, `since 2024`."""
    if span.first is None or span.last is None:
        end = span.last if span.first is None else span.first
        assert end is not None
        words = f"{'until' if span.first is None else 'since'} {_bound(span.unit, end)}"
        return f"filed {words}" if span.filed else words
    words = _closed(span.unit, span.first, span.last)
    return f"filed under {words.partition(' ')[2]}" if span.filed else words


def _closed(unit: Unit, first: date, last: date) -> str:
    begin, end = _bound(unit, first), _bound(unit, last)
    if begin == end:
        return f"{'on' if unit is Unit.DAY else 'in'} {begin}"
    if unit is Unit.YEAR:
        return f"in {begin}–{end}"
    if unit is Unit.WEEK:
        one, other = first.isocalendar(), last.isocalendar()
        if one.year == other.year:
            return f"in weeks {one.week} to {other.week} of {one.year}"
        return f"from {begin} to {end}"
    if first.year != last.year:
        return f"from {begin} to {end}"
    if unit is Unit.DAY and first.month == last.month:
        return f"from {first.day} to {end}"
    return f"from {begin.removesuffix(f' {first.year}')} to {end}"


def _bound(unit: Unit, day: date) -> str:
    if unit is Unit.YEAR:
        return str(day.year)
    if unit is Unit.MONTH:
        return f"{MONTHS[day.month - 1]} {day.year}"
    if unit is Unit.WEEK:
        iso = day.isocalendar()
        return f"week {iso.week} of {iso.year}"
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def clock(minutes: int) -> str:
    """A time of day: `6:00`."""
    return f"{minutes // 60}:{minutes % 60:02}"
