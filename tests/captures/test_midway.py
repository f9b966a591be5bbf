"""Clocks that were wrong for a time: which part of a card, by how much, and where it begins."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest

from jutrek.captures import Capture, Decisions, Doubt, find_doubts, propose, settled
from jutrek.captures.decisions import ShiftClock, TakeAsItIs
from jutrek.formats import DeviceFacts
from tests.captures.make import M2, at, file, moment, shot
from tests.captures.test_doubts import devices

PHONE = DeviceFacts("Skarv", "P4")


def out(count: int, day: int) -> list[datetime]:
    """Moments of a day at which two devices press."""
    dice = np.random.default_rng(day)
    seconds = dice.choice(np.arange(8 * 3600, 18 * 3600, 240), count, replace=False) + dice.uniform(0, 100, count)
    return [at("00:00", day) + timedelta(seconds=float(second)) for second in np.sort(seconds)]


def story(*wrong: float) -> list[Capture]:
    """A camera and a phone, day by day; how far the camera's clock is behind on each, in hours."""
    from jutrek.captures import group

    files, number = [], 0
    for day, hours in enumerate(wrong, 10):
        for when in out(16, day):
            number += 1
            files.append(file(f"P/IMG_{when:%Y%m%d_%H%M%S}.jpg", when, PHONE, root="/phone", offset=120))
            files.append(file(f"DSC{number:05}.JPG", when + timedelta(seconds=4) - timedelta(hours=hours), M2))
    return group(files)


def doubts(captures: list[Capture], decisions: Decisions | None = None) -> list[Doubt]:
    decided = decisions or Decisions()
    laid = settled(captures, decided)
    return find_doubts(laid, devices(laid), decided, propose(laid))


@pytest.mark.parametrize(
    ("wrong", "part", "says"),
    [
        ((0, 0, 1, 1), (2, 4), r"ran 1:00:00 behind the others from 2026-05-12 \d\d:\d\d on"),
        ((1, 1, 0, 0), (0, 2), r"ran 1:00:00 behind the others until 2026-05-11 \d\d:\d\d"),
        ((0, 6, 6, 0), (1, 3), r"ran 6:00:00 behind the others from 2026-05-11 .* to 2026-05-12 .*"),
        ((0, -2, 0), (1, 2), r"ran 2:00:00 ahead of the others from 2026-05-11 .* to 2026-05-11 .*"),
    ],
)
def test_a_part_of_a_card_is_found_and_put_right(wrong: tuple[float, ...], part: tuple[int, int], says: str) -> None:
    """On the days on which the clock was wrong, and no others; afterwards nothing is asked."""
    captures = story(*wrong)
    (doubt,) = doubts(captures)
    days = {moment(one).local.date() for one in captures if one.id in doubt.captures}
    assert re.search(f"{says}$", doubt.headline)
    assert len(doubt.captures) == 16 * (part[1] - part[0])
    assert {day.day for day in days} <= set(range(9 + part[0], 11 + part[1]))
    assert isinstance(doubt.answers[0].change, ShiftClock)
    assert doubt.shift == 3600 * wrong[part[0]]
    assert not doubts(captures, doubt.answers[0].change.on(Decisions()))
    assert isinstance(doubt.answers[1].change, TakeAsItIs)
    assert not doubts(captures, doubt.answers[1].change.on(Decisions()))


def test_a_clock_that_is_put_right_midway_jumps_there() -> None:
    """The change is put where the clock itself jumps, by the counter, and not at a pause."""
    captures = story(0)
    camera = sorted((one for one in captures if one.id.startswith("/card")), key=lambda one: one.id)
    early = {one.id for one in camera[:8]}
    moved = [shot(one.id, moment(one).local + timedelta(hours=2), M2) if one.id in early else one for one in captures]
    (doubt,) = doubts(moved)
    assert (set(doubt.captures), doubt.shift) == (early, -7200)
    # Around the jump nothing was shot together, and there is a longer pause right behind it.
    quiet = {one.id for one in camera[6:11]}
    times = {one.id: moment(one).local for one in camera}
    later = [timedelta(0) if one.id <= camera[8].id else timedelta(hours=3) for one in camera]
    rest = [one for one in moved if not one.id.startswith("/card") and
            all(abs(moment(one).local - times[key]) > timedelta(minutes=2) for key in quiet)]  # fmt: skip
    spread = [
        shot(one.id, times[one.id] + more + timedelta(hours=2 * (one.id in early)), M2)
        for one, more in zip(camera, later, strict=True)
    ]
    phones = [shot(one.id, moment(one).local + (timedelta(hours=3) if moment(one).local > times[camera[8].id] else
                                                timedelta(0)), PHONE, root="/phone") for one in rest]  # fmt: skip
    stating = [replace(one, files=(replace(one.files[0], reading=rest[n].files[0].reading),), moment=replace(
        moment(rest[n]), local=moment(one).local)) for n, one in enumerate(phones)]  # fmt: skip
    (doubt,) = doubts([*spread, *stating])
    assert set(doubt.captures) == early


@pytest.mark.parametrize("wrong", [(0, 0, 0), (1, 1, 1)])
def test_what_is_always_the_same_is_no_part(wrong: tuple[float, ...]) -> None:
    """A clock that was always right, or always wrong, is not put right for a part."""
    assert all(not isinstance(one.answers[0].change, ShiftClock) or not one.answers[0].change.captures
               for one in doubts(story(*wrong)))  # fmt: skip
