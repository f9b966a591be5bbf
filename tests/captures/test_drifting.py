"""Clocks that go off by seconds a day: found along a line, put right day by day, and taken for nothing else."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest

from jutrek.captures import Capture, Certainty, Decisions, Doubt, find_doubts, group, propose, settled
from jutrek.captures.decisions import ShiftClocks
from jutrek.formats import DeviceFacts
from tests.captures.make import M2, file, moment
from tests.captures.test_doubts import devices

PHONE = DeviceFacts("Skarv", "P4")
START = datetime(2026, 5, 4)
Behind = Callable[[float], float]
"""How far a clock is behind, in seconds, by the days since the start."""


def made(behind: Behind, days: int = 10, *, alone: int = 0, quiet: int = 0) -> list[Capture]:
    """A camera and a phone at the same 18 moments of each day; on the last days alone, or at two moments only."""
    dice, files, number = np.random.default_rng(7), [], 0
    for day in range(days):
        for second in np.sort(
            dice.choice(np.arange(8 * 3600, 19 * 3600, 200), 18 if day < days - quiet else 2, replace=False)
        ):
            number += 1
            when = START + timedelta(days=day, seconds=float(second + dice.uniform(0, 90)))
            shown = (when - timedelta(seconds=behind(day + second / 86_400))).replace(microsecond=0)
            files.append(file(f"DSC{number:05}.JPG", shown, M2))
            if day < days - alone:
                files.append(file(f"P/IMG_{when:%Y%m%d_%H%M%S}.jpg", when, PHONE, root="/phone", offset=120))
    return group(files)


def doubts(captures: list[Capture], decisions: Decisions | None = None) -> list[Doubt]:
    decided = decisions or Decisions()
    laid = settled(captures, decided)
    return find_doubts(laid, devices(laid), decided, propose(laid))


@pytest.mark.parametrize("daily", [40.0, -75.0])
def test_each_day_is_put_right_by_its_own_shift(daily: float) -> None:
    captures = made(lambda day: daily * day)
    (doubt,) = doubts(captures)
    side = "behind" if daily > 0 else "ahead"
    assert doubt.certainty is Certainty.LIKELY
    assert f"It {'loses' if daily > 0 else 'gains'} {abs(daily):.0f} s a day" in doubt.evidence
    assert re.search(rf"drifted: 0:0\d:\d\d ({side}) on 2026-05-0\d, 0:\d\d:\d\d \1 on 2026-05-13$", doubt.headline)
    change = doubt.answers[0].change
    assert isinstance(change, ShiftClocks)
    assert all(abs(shift.seconds) > 90 for shift in change.shifts)
    laid = {one.id: moment(one).local for one in settled(captures, change.on(Decisions()))}
    for one in captures:
        if one.id in doubt.captures:
            days = (laid[one.id] - START) / timedelta(days=1)
            assert abs((laid[one.id] - moment(one).local).total_seconds() - daily * days) < 45
    assert all(laid[one.id] == moment(one).local for one in captures if one.id not in doubt.captures)
    assert not doubts(captures, change.on(Decisions()))
    assert not doubts(captures, doubt.answers[1].change.on(Decisions()))


@pytest.mark.parametrize(
    "behind",
    [
        pytest.param(lambda day: 5.0 * day, id="never far off"),
        pytest.param(lambda day: 3600.0 if day >= 5 else 0.0, id="once by an hour"),
        pytest.param(lambda day: 120.0 if day >= 5 else 0.0, id="once by two minutes"),
        pytest.param(lambda day: 400.0 + 8.0 * day, id="by nearly the same on all days"),
        pytest.param(lambda day: 900.0 * day, id="broken"),
        pytest.param(lambda day: 700.0 * (int(day * 7) % 5), id="back and forth"),
    ],
)
def test_other_ways_to_be_off_are_no_drift(behind: Behind) -> None:
    assert not [one for one in propose(made(behind)) if one.drift is not None]


def test_two_days_alone_tell_no_drift() -> None:
    """The clock may as well have been set between them."""
    captures = made(lambda day: 110.0 * int(day), 4, quiet=2)
    assert all(one.drift is None for one in propose(captures))


def test_the_line_is_not_believed_far_beyond_the_days_that_tell_it() -> None:
    """Weeks later nothing is known: what was made then is left as it is."""
    captures = made(lambda day: 60.0 * day, 20, alone=10)
    (drift,) = [one.drift for one in propose(captures) if one.drift is not None]
    assert max(day for day, _, _ in drift.days) <= (START + timedelta(days=12)).date()


def test_of_some_that_were_left_out_nothing_is_shifted() -> None:
    captures = made(lambda day: 60.0 * day)
    out = frozenset(one.id for one in captures if moment(one).local.day == 12 and moment(one).local.hour > 12)
    (doubt,) = doubts(captures, replace(Decisions(), aside=out))
    assert out and not out & set(doubt.captures)
    change = doubt.answers[0].change
    assert isinstance(change, ShiftClocks)
    assert not out & frozenset().union(*(shift.captures for shift in change.shifts))
