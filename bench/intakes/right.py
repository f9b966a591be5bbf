"""Intakes on which every clock is right, as far as anybody could tell: nothing is to be asked about."""

from __future__ import annotations

from datetime import datetime, timedelta

from bench.intakes.world import (
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
    recorder,
    until,
)
from jutrek.formats import Kind


def weekend(dice: Dice) -> Intake:
    """One camera, two days."""
    intake = Intake(devices=1)
    attend(dice, intake, camera("A", start=int(dice.integers(1, 9000))), days(dice, day_of(dice), 2, (10, 60)))
    return intake


def holiday(dice: Dice) -> Intake:
    """A camera and a phone, two weeks."""
    intake = Intake(devices=2)
    happened = days(dice, day_of(dice), 14, (4, 25))
    attend(dice, intake, camera("A", start=int(dice.integers(1, 9000))), happened)
    attend(dice, intake, phone(), happened)
    return intake


def team(dice: Dice) -> Intake:
    """Cameras, a recorder and a phone at one feast, some seconds apart."""
    intake = Intake(devices=4)
    happened = happenings(dice, day_of(dice), int(dice.integers(25, 90)))
    for body in (camera("A"), camera("B", model=4, start=700), recorder(), phone()):
        off = float(dice.uniform(-8, 8))
        body.error = lambda _, off=off: off
        attend(dice, intake, body, happened)
    return intake


def strangers(dice: Dice) -> Intake:
    """Three people who were elsewhere, on the same days."""
    intake = Intake(devices=3)
    start = day_of(dice)
    for number, letter in enumerate("ABC"):
        attend(dice, intake, camera(letter, model=number, start=1000 * number + 1), days(dice, start, 2, (8, 40)))
    return intake


def year_from_new_year(dice: Dice) -> Intake:
    """A camera that was out on New Year's night, and all year."""
    intake = Intake(devices=1)
    year = int(dice.integers(2004, 2026))
    start = datetime(year, 1, 1) + timedelta(minutes=int(dice.integers(1, 90)) - 60)
    moments = [start + timedelta(minutes=3 * n) for n in range(int(dice.integers(4, 30)))]
    for n in range(int(dice.integers(40, 60))):
        moments += happenings(dice, datetime(year, 1, 1) + timedelta(days=1 + n * 6), int(dice.integers(1, 6)))
    body = camera("A", WINTER, WINTER, start=int(dice.integers(1, 9000)))
    body.states = bool(dice.random() < 0.5)
    attend(dice, intake, body, moments, share=1.0, alone=0.0)
    return intake


def phone_from_new_year(dice: Dice) -> Intake:
    """A phone's pictures of a year, from the fireworks on."""
    intake = Intake(devices=1)
    year = int(dice.integers(2016, 2026))
    moments = [datetime(year - 1, 12, 31, 23, 1) + timedelta(minutes=2 * n) for n in range(12)]
    for n in range(50):
        moments += happenings(dice, datetime(year, 1, 2) + timedelta(days=n * 7), int(dice.integers(1, 5)))
    attend(dice, intake, phone(WINTER, WINTER, satellite=0.6), moments, share=1.0, alone=0.0)
    return intake


def archive(dice: Dice) -> Intake:
    """Years of pictures in one folder, that begin on New Year's Day."""
    intake = Intake(devices=1)
    year = int(dice.integers(2003, 2015))
    moments = []
    for n in range(int(dice.integers(3, 7))):
        moments += [datetime(year + n, 1, 1, 11) + timedelta(minutes=7 * k) for k in range(6)]
        for k in range(int(dice.integers(5, 25))):
            moments += happenings(dice, datetime(year + n, 1, 3) + timedelta(days=14 * k), int(dice.integers(1, 8)))
    body = camera("A", WINTER, WINTER)
    attend(dice, intake, body, sorted(moments), share=1.0, alone=0.0)
    return intake


def new_year_party(dice: Dice) -> Intake:
    """Two cameras over a New Year's night."""
    intake = Intake(devices=2)
    year = int(dice.integers(2004, 2027))
    start = datetime(year - 1, 12, 31, 19)
    happened = sorted(start + timedelta(minutes=float(dice.uniform(0, 420))) for _ in range(int(dice.integers(20, 60))))
    attend(dice, intake, camera("A", WINTER, WINTER), happened)
    attend(dice, intake, camera("B", WINTER, WINTER, model=4, start=300), happened)
    return intake


def after_midnight(dice: Dice) -> Intake:
    """A New Year's night from the fireworks on, until late, and the day after."""
    intake = Intake(devices=1)
    start = datetime(int(dice.integers(2004, 2027)) - 1, 12, 31, 23) + timedelta(minutes=float(dice.uniform(0.5, 15)))
    hours = float(dice.uniform(1.5, 4.5))
    moments = [
        start,
        *(start + timedelta(hours=float(dice.uniform(0, hours))) for _ in range(int(dice.integers(8, 60)))),
    ]
    if dice.random() < 0.5:
        moments += happenings(dice, datetime(start.year + 1, 1, 1) + timedelta(hours=3), int(dice.integers(3, 12)))
    attend(dice, intake, camera("A", WINTER, WINTER), sorted(moments), share=1.0, alone=0.0)
    return intake


def flight_west(dice: Dice) -> Intake:
    """A camera that states its offset flies west: its local time falls behind."""
    intake = Intake(devices=1)
    day = day_of(dice, 2018)
    there = until(day + timedelta(hours=14), 120, 120 - 60 * int(dice.integers(5, 10)))
    body = camera("A", there, there, start=int(dice.integers(1, 900)))
    body.states = True
    first = [day + timedelta(hours=9, minutes=6 * n) for n in range(int(dice.integers(10, 25)))]
    then = [day + timedelta(hours=14, minutes=20 + 7 * n) for n in range(int(dice.integers(10, 25)))]
    attend(dice, intake, body, [*first, *then], share=1.0, alone=0.0)
    return intake


def repeated_hour(dice: Dice) -> Intake:
    """A night in October: the clock goes back an hour by itself, and states its offset."""
    intake = Intake(devices=1)
    change = datetime(int(dice.integers(2015, 2026)), 10, 25, 1)
    zone = until(change, 120, 60)
    body = camera("A", zone, zone)
    body.states = True
    start = change - timedelta(minutes=50)
    attend(dice, intake, body, [start + timedelta(minutes=2 * n) for n in range(45)], share=1.0, alone=0.0)
    return intake


def timetable(dice: Dice) -> Intake:
    """The same trains on Saturday and on Sunday, a camera on each day: a question, but never a certain one."""
    intake = Intake(devices=2, may_ask=True)
    day, later = day_of(dice), int(dice.choice([1, 1, 7]))
    happened = happenings(dice, day, int(dice.integers(14, 40)))
    again = [at + timedelta(days=later, seconds=float(dice.normal(0, 8))) for at in happened]
    first, other = camera("A"), camera("B", model=4, start=500)
    first.tellable = other.tellable = lambda _: False
    attend(dice, intake, first, happened, share=0.9, alone=0.05)
    attend(dice, intake, other, again, share=0.9, alone=0.05)
    return intake


def timetable_with_phone(dice: Dice) -> Intake:
    """The same on both days, and a phone that was there on both."""
    intake = Intake(devices=3)
    day, later = day_of(dice, 2016), int(dice.choice([1, 7]))
    happened = happenings(dice, day, int(dice.integers(14, 40)))
    again = [at + timedelta(days=later, seconds=float(dice.normal(0, 8))) for at in happened]
    attend(dice, intake, camera("A"), happened, share=0.9, alone=0.05)
    attend(dice, intake, camera("B", model=4, start=500), again, share=0.9, alone=0.05)
    attend(dice, intake, phone(), [*happened[::2], *again[::2]], share=0.8)
    return intake


def full_counter(dice: Dice) -> Intake:
    """The counter begins anew at 9999."""
    intake = Intake(devices=1)
    attend(dice, intake, camera("A", start=9999 - int(dice.integers(5, 40))), days(dice, day_of(dice), 3, (15, 30)))
    return intake


def two_of_a_model(dice: Dice) -> Intake:
    """Two devices of one model that write no serial, in one flat folder."""
    intake = Intake(devices=2)
    happened = days(dice, day_of(dice), 2, (10, 30))
    first, other = int(dice.integers(1, 400)), int(dice.integers(3000, 9000))
    for start in (first, other):
        body = camera("A", start=start)
        assert body.facts is not None
        body.facts, body.folder, body.root, body.name = (
            body.facts._replace(serial=""),
            "",
            "/home/ilva/Mixed",
            "IMG_{n:04}",
        )
        attend(dice, intake, body, happened, alone=0.4)
    return intake


def journey_stated(dice: Dice) -> Intake:
    """A phone on a journey over zones, with everything stated."""
    intake = Intake(devices=1)
    start = day_of(dice, 2017)
    zone = until(start + timedelta(days=2), 120, int(dice.choice([-240, 0, 345, 540])))
    attend(dice, intake, phone(zone, zone, satellite=0.7), days(dice, start, 6, (5, 15)))
    return intake


def late_feast(dice: Dice) -> Intake:
    """A feast over midnight, clips and stills."""
    intake = Intake(devices=2)
    start = day_of(dice) + timedelta(hours=17)
    happened = sorted(start + timedelta(minutes=float(dice.uniform(0, 500))) for _ in range(40))
    attend(dice, intake, camera("A"), happened)
    clips = camera("B", model=2)
    clips.kind, clips.claim, clips.name, clips.states = Kind.CLIP, "qt:creationdate", "C{n:04}", True
    attend(dice, intake, clips, happened, share=0.5)
    return intake


def abroad(dice: Dice) -> Intake:
    """A camera set to the zone of where it is, with satellite time: its offset follows."""
    intake = Intake(devices=1)
    minutes = int(dice.choice([-300, 60, 330, 540]))
    body = camera("A", always(minutes), always(minutes))
    body.satellite = 0.8
    attend(dice, intake, body, days(dice, day_of(dice, 2010), 3, (6, 20)))
    return intake


RIGHT = (
    weekend, holiday, team, strangers, year_from_new_year, phone_from_new_year, archive, new_year_party,
    after_midnight, flight_west,
    repeated_hour, timetable, timetable_with_phone, full_counter, two_of_a_model, journey_stated, late_feast, abroad,
)  # fmt: skip
