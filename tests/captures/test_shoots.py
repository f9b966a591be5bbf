"""Days and shoots: where they begin, how they are split, joined and described."""

from __future__ import annotations

from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jutrek.captures import Capture, Decisions, Journeys, Shoot, filing_day, order, shoots_of
from jutrek.captures.decisions import Describe, JoinShoots, MoveToShoot, SplitShoot, Tell
from jutrek.captures.shoots import DAY_STARTS, GAP
from jutrek.filing import HouseRules
from jutrek.formats import Precision
from tests.captures.make import DAY, at, file, shot


def shots(*clocks: str, day: int = 14) -> list[Capture]:
    return [shot(f"{day}{clock.replace(':', '')}.JPG", at(clock, day)) for clock in clocks]


def keys(shoots: list[Shoot]) -> list[tuple[str, int]]:
    return [(shoot.key, len(shoot.captures)) for shoot in shoots]


FEAST = [*shots("18:00", "23:30"), *shots("01:30", "05:00", day=15)]


def test_the_night_belongs_to_the_day_before() -> None:
    """A feast that ends at 01:30 stays on its day; another house begins its days at midnight."""
    assert keys(shoots_of(FEAST, Decisions())) == [("2026-05-14", 3), ("2026-05-15", 1)]
    assert keys(shoots_of(FEAST, Decisions(), day_starts=timedelta(0))) == [("2026-05-14", 2), ("2026-05-15", 2)]


@pytest.mark.parametrize(
    ("local", "precision", "day"),
    [
        (datetime(2026, 5, 15, 3, 59, 59), Precision.SECOND, 14),
        (datetime(2026, 5, 15, 4), Precision.SECOND, 15),
        (datetime(2026, 5, 15, 3, 59), Precision.MINUTE, 14),
        (datetime(2026, 5, 15, 4), Precision.MINUTE, 15),
        (datetime(2026, 5, 15), Precision.DAY, 15),
    ],
)
def test_a_bare_date_is_its_own_day(local: datetime, precision: Precision, day: int) -> None:
    """Only what has a time of day can belong to the day before."""
    assert filing_day(local, precision) == date(2026, 5, day)
    house = HouseRules()
    assert (timedelta(minutes=house.day_starts), timedelta(minutes=house.gap)) == (DAY_STARTS, GAP)


def test_a_gap_begins_a_new_shoot() -> None:
    """Counted from the end of what was filmed, and of another length where the house says so."""
    long = shot("a.MOV", at("08:00"), seconds=3600)
    captures = [long, *shots("14:30", "21:00")]
    assert keys(shoots_of(captures, Decisions())) == [("2026-05-14", 2), ("2026-05-14/2", 1)]
    assert len(shoots_of(captures, Decisions(), gap=timedelta(hours=3))) == 3


def test_a_shoot_is_split_and_joined_again() -> None:
    """A split begins a shoot at a capture; a join holds over gaps and midnights; the later word counts."""
    captures = [*FEAST]
    split = SplitShoot(at("23:30")).on(Decisions())
    assert keys(shoots_of(captures, split)) == [("2026-05-14", 1), ("2026-05-14/2", 2), ("2026-05-15", 1)]
    joined = JoinShoots(at("18:00"), at("23:30")).on(split)
    assert (joined.splits, keys(shoots_of(captures, joined))) == (frozenset(), keys(shoots_of(captures, Decisions())))
    over = JoinShoots(at("01:30", 15), at("05:00", 15)).on(joined)
    assert keys(shoots_of(captures, over)) == [("2026-05-14", 4)]
    assert len(shoots_of(captures, SplitShoot(at("05:00", 15)).on(over))) == 2


def test_captures_go_with_another_shoot() -> None:
    """What was dropped on a shoot is filed with it, whatever its own date; alone it makes its day's shoot."""
    captures = [*FEAST]
    moved = MoveToShoot(frozenset({captures[3].id}), at("18:00")).on(Decisions())
    assert keys(shoots_of(captures, moved)) == [("2026-05-14", 4)]
    assert shoots_of(captures, moved)[0].day == date(2026, 5, 14)


def test_descriptions_stay_with_what_they_describe() -> None:
    """A description belongs to the shoot around its time, also when a clock fix moves that shoot's start."""
    captures = shots("08:00", "08:30", "16:00")
    made = Describe(DAY.date(), at("08:30"), " Bridge   survey ").on(Decisions())
    assert [shoot.words for shoot in shoots_of(captures, made)] == ["Bridge survey", ""]
    earlier = [shot("x.JPG", at("07:00")), *captures]
    assert [shoot.words for shoot in shoots_of(earlier, made)] == ["Bridge survey", ""]
    whole = Describe(DAY.date(), None, "All day").on(made)
    assert [shoot.words for shoot in shoots_of(captures, whole)] == ["All day", "All day"]
    again = Describe(DAY.date(), at("08:30"), "Bridge").on(made)
    assert [one.words for one in again.described] == ["Bridge"]


def test_some_captures_can_be_told_apart() -> None:
    """What was said of a selection makes it a shoot of its own on its day; no words put it back."""
    captures = shots("08:00", "08:10", "08:20")
    made = Tell(frozenset({captures[0].id, captures[2].id}), " Portraits ").on(
        Describe(DAY.date(), None, "Yard").on(Decisions())
    )
    shoots = shoots_of(captures, made)
    assert [(shoot.words, len(shoot.captures)) for shoot in shoots] == [("Portraits", 2), ("Yard", 1)]
    assert [shoot.key for shoot in shoots] == ["2026-05-14", "2026-05-14/2"]
    back = Tell(frozenset({captures[0].id, captures[2].id}), "").on(made)
    assert keys(shoots_of(captures, back)) == [("2026-05-14", 3)]


def test_dates_without_a_time_go_with_the_days_first_shoot() -> None:
    """They have no place in it, so they come last."""
    from jutrek.captures import group

    (bare,) = group([file("b.JPG", DAY, precision=Precision.DAY)])
    captures = sorted([*shots("08:00", "16:00"), bare], key=order)
    assert keys(shoots_of(captures, Decisions())) == [("2026-05-14", 2), ("2026-05-14/2", 1)]
    assert keys(shoots_of([bare], Decisions())) == [("2026-05-14", 1)]


minutes = st.lists(st.integers(0, 5 * 24 * 60), min_size=1, max_size=40)


@given(minutes, st.sets(st.integers(0, 5 * 24 * 60), max_size=5), st.integers(0, 12))
def test_every_capture_is_in_one_shoot(times: list[int], splits: set[int], starts: int) -> None:
    """However days and shoots are cut: none is lost, none is in two, and time runs on within each."""
    captures = sorted((shot(f"{n}.JPG", DAY + timedelta(minutes=t)) for n, t in enumerate(times)), key=order)
    made = Decisions(splits=frozenset(DAY + timedelta(minutes=one) for one in splits))
    shoots = shoots_of(captures, made, day_starts=timedelta(hours=starts))
    assert [capture.id for shoot in shoots for capture in shoot.captures] == [capture.id for capture in captures]
    assert len({shoot.key for shoot in shoots}) == len(shoots)
    for shoot in shoots:
        assert {filing_day(_local(one), Precision.SECOND, timedelta(hours=starts)) for one in shoot.captures} == {
            shoot.day
        }


def _local(capture: Capture) -> datetime:
    assert capture.moment is not None
    return capture.moment.local


@pytest.mark.parametrize(
    ("utc", "local"),
    [
        (datetime(2026, 5, 11, 21, 59), datetime(2026, 5, 11, 23, 59)),
        (datetime(2026, 5, 11, 23, 0), datetime(2026, 5, 12, 0, 0)),
        (datetime(2026, 5, 20, 12, 0), datetime(2026, 5, 20, 14, 0)),
    ],
)
def test_journeys_change_the_zone(utc: datetime, local: datetime) -> None:
    """From a day on another offset holds, until the next journey."""
    from datetime import UTC

    zone = Journeys(120, [(date(2026, 5, 12), 60), (date(2026, 5, 20), 120)])
    told = utc.replace(tzinfo=UTC).astimezone(zone)
    assert told.replace(tzinfo=None) == local
    assert told.utcoffset() == local - utc


def test_before_the_first_journey_this_machines_zone_holds() -> None:
    """Where no home zone was given. The tests run in UTC."""
    from datetime import UTC

    zone = Journeys(None, [(date(2026, 5, 12), 60)])
    assert datetime(2026, 5, 1, tzinfo=UTC).astimezone(zone).utcoffset() == timedelta(0)
