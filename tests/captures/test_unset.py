"""Clocks that were never set: what speaks for it, and what against, one by one."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest

from jutrek.captures import ReadFile, group
from tests.captures.make import every, file

ZERO = datetime(2015, 1, 1, 0, 4)


def card(*times: datetime, start: int = 1, **about: object) -> list[ReadFile]:
    """What a camera without a zone made, by its counter."""
    return [file(f"DCIM/C{n:04}.JPG", when, **about) for n, when in enumerate(times, start)]  # type: ignore[arg-type]


def doubted(*files: ReadFile) -> int:
    """How many captures are of a clock that was never set."""
    return sum(not capture.trusted for capture in group(files))


DAY_AS_NIGHT = [ZERO + timedelta(hours=hours) for hours in (0, 0.5, 3, 4.5, 5, 6, 7)]
PARTY = every(10, 18, ZERO)


@pytest.mark.parametrize(
    ("files", "count"),
    [
        (card(*DAY_AS_NIGHT), 7),
        (card(*PARTY), 0),
        (card(*every(10, 18, ZERO.replace(month=7, year=2009))), 18),
        (card(*every(10, 6, ZERO.replace(year=2000))), 6),
        (card(*every(10, 6, datetime(2000, 1, 1, 9))), 6),
        (card(*every(10, 6, ZERO.replace(hour=9))), 0),
        (card(datetime(1995, 1, 1), datetime(1995, 1, 1, 12)), 0),
    ],
    ids=["a day as a night", "a night", "a day of the firmware", "old", "old, later", "a morning", "by hand"],
)
def test_what_a_run_tells_by_itself(files: list[ReadFile], count: int) -> None:
    """Hours, the day on which it begins, and how soon."""
    assert doubted(*files) == count


def test_the_evening_before_makes_it_a_night() -> None:
    """Whoever was there before midnight has a clock that runs."""
    evening = [ZERO - timedelta(hours=2), ZERO - timedelta(hours=1)]
    assert doubted(*card(*evening, *DAY_AS_NIGHT)) == 0


def test_a_counter_that_goes_on_from_much_later_tells() -> None:
    """The battery was out in the middle of a card: also of a run that could be a celebration; of no other card."""
    before = every(10, 5, ZERO.replace(year=2019))
    for_months = [*PARTY, *(PARTY[-1] + timedelta(days=7 * week) for week in range(1, 15))]
    assert doubted(*card(*before, *for_months)) == len(for_months)
    assert doubted(*card(*for_months)) == 0
    assert doubted(*card(*before, start=500), *[file(f"OTHER/C{n:04}.JPG", when, root="/other")
                                               for n, when in enumerate(PARTY, 505)]) == 0  # fmt: skip


def test_what_was_set_is_believed() -> None:
    """Satellite time that agrees; an offset in a year in which devices state one, and not before."""
    satellite = [file(f"C{n}.JPG", when, satellite=when - timedelta(hours=1)) for n, when in enumerate(DAY_AS_NIGHT)]
    assert doubted(*satellite) == 0
    later = [when.replace(year=2018) for when in DAY_AS_NIGHT]
    assert (doubted(*card(*later)), doubted(*card(*later, offset=60)), doubted(*card(*DAY_AS_NIGHT, offset=60))) == (
        7,
        0,
        7,
    )
