"""Intakes on which a clock is wrong: never set, off by hours to years, left on home time, put right midway."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from bench.intakes.world import (
    SUMMER,
    WINTER,
    Dice,
    Intake,
    always,
    attend,
    camera,
    day_of,
    days,
    happenings,
    phone,
    until,
)

_BEGINNINGS = (
    datetime(2000, 1, 1), datetime(1980, 1, 1), datetime(2004, 1, 1), datetime(2009, 7, 1), datetime(2012, 1, 1),
    datetime(2015, 1, 1), datetime(2018, 1, 1), datetime(2021, 1, 1), datetime(2008, 1, 1),
)  # fmt: skip


def _never_set(dice: Dice, first: datetime) -> tuple[datetime, float]:
    """Where a clock begins, and how far it is ahead by that."""
    usable = [one for one in _BEGINNINGS if one < first - timedelta(days=400)]
    zero = usable[int(dice.integers(len(usable)))] + timedelta(minutes=float(dice.uniform(0.5, 9)))
    return zero, (zero - first - timedelta(hours=2)).total_seconds()


def _card_of_an_unset_clock(dice: Dice, intake: Intake, happened: Sequence[datetime]) -> None:
    """Whatever happened, by a clock that began a few minutes before: that it is wrong can be noticed, and no more."""
    _, error = _never_set(dice, happened[0])
    body = camera("A")
    body.error, body.tellable, body.suspect = lambda _: error, lambda _: False, True
    attend(dice, intake, body, happened, share=1.0)


def never_set_alone(dice: Dice) -> Intake:
    """A card of which every picture is of the first days of a clock that nobody set."""
    intake = Intake(devices=1)
    _card_of_an_unset_clock(dice, intake, days(dice, day_of(dice, 2010), int(dice.integers(1, 4)), (8, 25)))
    return intake


def never_set_beside(dice: Dice) -> Intake:
    """The same beside another card of the same days, on which little was shot at the same moments."""
    intake = Intake(devices=2)
    start = day_of(dice, 2010)
    _card_of_an_unset_clock(dice, intake, days(dice, start, int(dice.integers(1, 4)), (8, 25)))
    attend(dice, intake, camera("B", model=4), days(dice, start, 2, (8, 25)))
    return intake


def never_set_for_weeks(dice: Dice) -> Intake:
    """A clock that ran for two weeks from its beginning, beside a right one."""
    intake = Intake(devices=2)
    start = day_of(dice, 2010)
    _card_of_an_unset_clock(dice, intake, days(dice, start, 14, (2, 8)))
    attend(dice, intake, camera("B", model=4), days(dice, start, 14, (2, 8)))
    return intake


def battery_out(dice: Dice) -> Intake:
    """The battery was out in the middle of a card; the clock began anew until it was set the next day."""
    intake = Intake(devices=1)
    day = day_of(dice, 2010)
    before, lost, after = (happenings(dice, day + timedelta(days=n), int(dice.integers(8, 20))) for n in range(3))
    _, error = _never_set(dice, lost[0])
    begin, end = lost[0] - timedelta(minutes=1), after[0] - timedelta(minutes=1)
    body = camera("A", start=int(dice.integers(1, 9000)))
    body.error = lambda utc: error if begin <= utc < end else 0.0
    body.tellable, body.suspect = lambda utc: not begin <= utc < end, True
    attend(dice, intake, body, [*before, *lost, *after], share=1.0, alone=0.0)
    return intake


def _one_off(dice: Dice, seconds: float, count: int = 1, *, known: bool = True) -> Intake:
    """Three devices over some days, one of them off."""
    intake = Intake(devices=3)
    happened = days(dice, day_of(dice, 2012), count, (30, 60))
    wrong = camera("B", model=4, start=400)
    wrong.error = lambda _: seconds
    attend(dice, intake, camera("A"), happened, share=0.75)
    attend(dice, intake, wrong, happened, share=0.75)
    attend(dice, intake, phone() if known else camera("C", model=1), happened, share=0.6)
    return intake


def an_hour_off(dice: Dice) -> Intake:
    """A camera that missed the change to summer time."""
    return _one_off(dice, float(dice.choice([-3600, 3600])), int(dice.integers(1, 4)))


def a_zone_off(dice: Dice) -> Intake:
    """A camera that is set to another zone."""
    return _one_off(dice, 3600.0 * float(dice.choice([-8, -5, -3, 2, 3, 7])), int(dice.integers(1, 4)))


def odd_minutes_off(dice: Dice) -> Intake:
    """A clock that nobody ever looked after."""
    return _one_off(dice, float(dice.choice([-1, 1]) * dice.integers(140, 1500)), int(dice.integers(1, 4)))


def half_a_day_off(dice: Dice) -> Intake:
    """Morning taken for evening."""
    return _one_off(dice, float(dice.choice([-43_200, 43_200])))


def half_a_day_off_for_days(dice: Dice) -> Intake:
    """The same over several days, where every shift by half a day has one the other way."""
    return _one_off(dice, float(dice.choice([-43_200, 43_200])), int(dice.integers(2, 5)))


def many_hours_off(dice: Dice) -> Intake:
    """Nine to fifteen hours, over several days."""
    return _one_off(dice, 3600.0 * float(dice.choice([-1, 1]) * dice.integers(9, 16)), int(dice.integers(2, 4)))


def a_day_off(dice: Dice) -> Intake:
    """A wrong day."""
    return _one_off(dice, 86_400.0 * float(dice.choice([-1, 1])), int(dice.integers(1, 3)))


def a_month_off(dice: Dice) -> Intake:
    """A wrong month."""
    return _one_off(dice, 86_400.0 * float(dice.choice([-31, -30, 30, 31])), int(dice.integers(1, 3)))


def a_year_off(dice: Dice) -> Intake:
    """A wrong year."""
    return _one_off(dice, 86_400.0 * float(dice.choice([-365, 365])), int(dice.integers(1, 3)))


def two_alone(dice: Dice) -> Intake:
    """Two cameras an hour apart, and nobody knows which is right."""
    intake = Intake(devices=2, may_ask=True)
    happened = happenings(dice, day_of(dice), int(dice.integers(30, 60)))
    wrong = camera("B", model=4, start=400)
    wrong.error = lambda _: 3600.0
    other = camera("A")
    wrong.tellable = other.tellable = lambda _: False
    attend(dice, intake, other, happened)
    attend(dice, intake, wrong, happened)
    return intake


def two_against_a_phone(dice: Dice) -> Intake:
    """Two cameras still on winter time, and a phone that states its offset."""
    intake = Intake(devices=3)
    happened = days(dice, day_of(dice, 2016), int(dice.integers(1, 3)), (30, 60))
    attend(dice, intake, camera("A", WINTER), happened, share=0.75)
    attend(dice, intake, camera("B", WINTER, model=4, start=400), happened, share=0.75)
    attend(dice, intake, phone(satellite=float(dice.choice([0.0, 0.6]))), happened, share=0.7)
    return intake


def home_time_abroad(dice: Dice) -> Intake:
    """On a journey the phone goes along with the zone; the camera stays on home time."""
    intake = Intake(devices=2)
    start = day_of(dice, 2017)
    then = start + timedelta(days=2)
    there = until(then, 120, 120 + 60 * int(dice.choice([-7, -6, -1, 1, 5, 6])))
    happened = days(dice, start, 5, (14, 30))
    attend(dice, intake, camera("A", SUMMER, there), happened, share=0.8)
    attend(dice, intake, phone(there, there), happened, share=0.8)
    return intake


def missed_summer_time(dice: Dice) -> Intake:
    """The change to summer time came in the middle of the card, and the camera missed it."""
    intake = Intake(devices=2)
    change = datetime(int(dice.integers(2016, 2026)), 3, 29, 1)
    there = until(change, 60, 120)
    happened = days(dice, change.replace(hour=0) - timedelta(days=2), 5, (14, 30))
    attend(dice, intake, camera("A", WINTER, there), happened, share=0.8)
    attend(dice, intake, phone(there, there), happened, share=0.8)
    return intake


def put_right_midway(dice: Dice) -> Intake:
    """A clock two hours ahead until somebody put it right; a phone was there."""
    intake = Intake(devices=2)
    happened = happenings(dice, day_of(dice, 2016), 60)
    middle = happened[int(dice.integers(20, 40))]
    body = camera("A", start=int(dice.integers(1, 9000)))
    body.error = lambda utc: 7200.0 if utc < middle else 0.0
    attend(dice, intake, body, happened, share=0.8)
    attend(dice, intake, phone(), happened, share=0.8)
    return intake


def drifting(dice: Dice) -> Intake:
    """A clock that loses or gains seconds every day, over weeks; a phone was there."""
    intake = Intake(devices=2)
    start, count = day_of(dice, 2016), int(dice.integers(8, 16))
    happened = days(dice, start, count, (15, 30))
    daily, first = float(dice.choice([-1, 1]) * dice.uniform(20, 90)), float(dice.uniform(-40, 40))
    body = camera("A", start=int(dice.integers(1, 5000)))
    body.error = lambda utc: first + daily * (utc - start) / timedelta(days=1)
    attend(dice, intake, body, happened, share=0.8)
    attend(dice, intake, phone(), happened, share=0.8)
    return intake


def an_hour_by_satellite(dice: Dice) -> Intake:
    """A clock an hour behind, with satellite time and a position: the zone there is known."""
    intake = Intake(devices=1)
    body = camera("A", WINTER)
    body.satellite, body.position = 0.9, (46.5, 8.0)
    day = datetime(int(dice.integers(2012, 2026)), int(dice.integers(5, 9)), int(dice.integers(1, 28)))
    attend(dice, intake, body, days(dice, day, int(dice.integers(1, 3)), (10, 25)))
    return intake


def off_by_satellite(dice: Dice) -> Intake:
    """A clock some minutes off its own satellite time."""
    intake = Intake(devices=1)
    off = float(dice.choice([-1, 1]) * dice.integers(150, 420))
    body = camera("A", always(120))
    body.satellite, body.states, body.error = 0.9, True, lambda _: off
    attend(dice, intake, body, days(dice, day_of(dice, 2015), 2, (10, 25)))
    return intake


WRONG = (
    never_set_alone, never_set_beside, never_set_for_weeks, battery_out, an_hour_off, a_zone_off, odd_minutes_off,
    half_a_day_off, half_a_day_off_for_days, many_hours_off, a_day_off, a_month_off, a_year_off, two_alone,
    two_against_a_phone, home_time_abroad, missed_summer_time, put_right_midway, drifting,
    an_hour_by_satellite, off_by_satellite,
)  # fmt: skip
