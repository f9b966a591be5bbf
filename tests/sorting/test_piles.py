"""Piles, what goes along, doubles side by side, the folders that are proposed, how a sitting is told."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from jutrek.doubles.degrees import Degree, Group
from jutrek.filing import HouseRules
from jutrek.library.contents import Content
from jutrek.sorting.along import along
from jutrek.sorting.cards import HOUSE, CardMaker
from jutrek.sorting.pairs import side_by_side, twins_of, worse_of
from jutrek.sorting.piles import By, codes_of, counts_of
from jutrek.sorting.record import Answer, At, Head, Record, What
from jutrek.sorting.sitting import Sitting
from jutrek.views.columns import Columns, Names
from jutrek.views.folders import FolderTree
from tests.sorting.made import columns_of, rows_of, shot, within

DAY = datetime(2026, 1, 10, 9, 12)


def counted(columns: Columns, by: By) -> dict[str, int]:
    rows = np.arange(columns.count)
    return counts_of(columns, codes_of(columns, rows, by), by)


def test_piles_by_month() -> None:
    """Of a year without a month, of a doubtful date, of none."""
    columns = columns_of([
        shot("a.jpg", "2025-12-31T23:59:59"), shot("b.jpg", "2026-01-01T00:00:00"), shot("c.jpg", "2026-01"),
        shot("d.jpg", "2026"), shot("e.jpg"), shot("f.jpg", "2026-01-05T10:00:00", trust="doubtful"),
    ])  # fmt: skip
    found = counted(columns, By.MONTH)
    assert found == {"2025-12": 1, "2026": 1, "2026-01": 2, "": 2}
    assert list(found)[-1] == ""


def test_piles_by_what_is_known() -> None:
    """In the order of the first that was shot; what has none comes last."""
    columns = columns_of([
        shot("z/1.jpg", DAY), shot("a/2.jpg", DAY + timedelta(days=1), device="skarv|p4|", shoot="Bridge @ Ilvar"),
        shot("z/3.jpg", DAY + timedelta(days=2), shoot="Snow"),
    ])  # fmt: skip
    assert list(counted(columns, By.FOLDER).items()) == [("z", 2), ("a", 1)]
    assert list(counted(columns, By.SHOOT).items()) == [("Bridge @ Ilvar", 1), ("Snow", 1), ("", 1)]
    assert list(counted(columns, By.PLACE).items()) == [("Ilvar", 1), ("", 2)]
    assert list(counted(columns, By.DEVICE).items()) == [("A Arlen C1", 2), ("B Skarv P4", 1)]


def test_what_goes_along_widens() -> None:
    """The burst, then the shoot, then the day and device, then the day; and no further."""
    seconds = (0, 1, 2, 4, 600, 1200)
    shots = [shot(f"m/{n}.jpg", DAY + timedelta(seconds=at), shoot="Snow" if n < 5 else "") for n, at in
             enumerate(seconds)]  # fmt: skip
    shots += [shot("m/6.jpg", DAY + timedelta(seconds=1), device="skarv|p4|"), shot("m/7.jpg", DAY + timedelta(days=1))]
    columns = columns_of(shots)
    rows, told = np.arange(columns.count), []
    chosen = rows_of(columns, "m/1.jpg")
    while (more := along(columns, rows, chosen)) is not None:
        chosen = more.rows
        told.append((more.words, sorted(one[2] for one in columns.paths(chosen))))
    assert told == [
        ("same burst", ["0", "1", "2"]),
        ("same shoot", ["0", "1", "2", "3", "4"]),
        ("same day and device", ["0", "1", "2", "3", "4", "5"]),
        ("same day", ["0", "1", "2", "3", "4", "5", "6"]),
    ]
    assert along(columns, rows, rows[:0]) is None
    minutes = columns_of([shot("a.jpg", "2026-01-10T09:12"), shot("b.jpg", "2026-01-10T09:12")])
    widened = along(minutes, np.arange(2), np.arange(1))
    assert widened is not None
    assert widened.words == "same day and device"
    undated = columns_of([shot("a.jpg"), shot("b.jpg")])
    assert along(undated, np.arange(2), np.arange(1)) is None


def group(degree: Degree, *paths: str) -> Group:
    files = tuple(Content(path, 5, 1) for path in paths)
    return Group(degree, files, paths[0], "", tuple(b"" for _ in paths))


def test_doubles_stand_side_by_side() -> None:
    columns = columns_of([shot(f"m/{n}.jpg", DAY + timedelta(minutes=n)) for n in range(6)])
    rows = np.arange(6)
    twins = twins_of(columns, [group(Degree.BYTES, "m/4.jpg", "m/1.jpg"), group(Degree.ALIKE, "m/5.jpg", "gone.jpg")])
    ordered, told = side_by_side(rows, twins)
    assert list(ordered) == [0, 1, 4, 2, 3, 5]
    assert {row: (one.worse, one.follows) for row, one in told.items()} == {1: (True, False), 4: (False, True)}
    assert list(worse_of(rows[:2], twins)) == [1]
    # What it was worse than was set aside: now it is the last one.
    assert not len(worse_of(rows[:2], twins, {4}))
    # Its double is not in this pile: it stands where it is, and is told.
    assert list(side_by_side(rows[:3], twins)[0]) == [0, 1, 2]
    assert list(side_by_side(rows[:3], twins)[1]) == [1]


def test_one_of_each_group_always_stays() -> None:
    """Where the better one of one group is the worse one of another."""
    columns = columns_of([shot(f"m/{n}.jpg", DAY + timedelta(minutes=n)) for n in range(4)])
    twins = twins_of(columns, [
        group(Degree.BYTES, "m/0.jpg", "m/1.jpg"), group(Degree.ALIKE, "m/2.jpg", "m/0.jpg"),
        group(Degree.ALIKE, "m/1.jpg", "m/3.jpg"),
    ])  # fmt: skip
    assert list(worse_of(np.arange(4), twins)) == [3]


def maker(columns: Columns, members: str) -> CardMaker:
    rules = HouseRules()
    tree = FolderTree.of(columns.names[Names.FOLDER])
    return CardMaker(columns, tree, within(columns, members), rules.layout, rules.setting(filed=True))


def test_folders_in_use_keep_their_numbers_and_useful_ones_follow() -> None:
    columns = columns_of([
        shot("mess/1.jpg", DAY), shot("mess/2.jpg", DAY + timedelta(days=40), shoot="Bridge @ Ilvar"),
        shot("Snow/a.jpg", DAY), shot("Snow/b.jpg", DAY + timedelta(hours=1)),
        shot("Ilvar/c.jpg", DAY - timedelta(days=400), shoot="Walk @ Ilvar"),
        shot("Unfiled/d.jpg", DAY), shot("Late/e.jpg", DAY + timedelta(days=300)),
    ])  # fmt: skip
    made, used = maker(columns, "mess"), ["Late", "Theme/{year} {place}"]
    found = made.cards(used, rows_of(columns, "mess/1.jpg"))
    assert [(one.target, one.folder, one.why) for one in found[:3]] == [
        ("Late", "Late", ""), ("Theme/{year} {place}", "Theme/2026", "Theme/{year} {place}"),
        ("Snow", "Snow", "same day"),
    ]  # fmt: skip
    assert found[3][:3] == (HouseRules().layout, "2026/01", HOUSE)
    assert found[2].captures == 2
    assert columns.paths(found[2].last) == ["Snow/a.jpg", "Snow/b.jpg"]
    placed = made.cards(used, rows_of(columns, "mess/2.jpg"))
    assert [(one.folder, one.why) for one in placed[1:3]] == [
        ("Theme/2026 Ilvar", used[1]), ("Ilvar", "same place")
    ]  # fmt: skip
    for cards in (found, placed):
        assert len({one.folder for one in cards}) == len(cards)
    assert not {"Unfiled", "mess"} & {one.folder for one in (*found, *placed)}


def sat(*minutes: float, captures: int = 1) -> Record:
    begins = datetime(2026, 11, 20, 18, 0, tzinfo=UTC)
    known = Record(Head("0", "x", "", begins, 500, {}))
    for number, at in enumerate(minutes):
        own = {f"{number}/{one}": At("", 0) for one in range(captures)}
        known.answers[str(number)] = Answer(str(number), begins + timedelta(minutes=at), What.FILED, "", own)
    return known


@pytest.mark.parametrize(
    ("minutes", "captures", "now", "words"),
    [
        ((0, 300, 302, 306, 312), 5, 313, "20 captures in 12 minutes in this sitting; some 3 hours to go at this pace"),
        ((0, 2), 1, 3, "2 captures in 2 minutes in this sitting"),
        ((0,), 3, 1, "3 captures in this sitting"),
        ((0, 2), 1, 60, ""),
        ((), 1, 0, ""),
    ],
)
def test_a_sitting_is_told(minutes: tuple[float, ...], captures: int, now: float, words: str) -> None:
    """From its first answer after a break on; a pace only once it is known."""
    at = datetime(2026, 11, 20, 18, 0, tzinfo=UTC) + timedelta(minutes=now)
    assert Sitting.of(sat(*minutes, captures=captures), at.timestamp()).words(337) == words


def test_a_sitting_goes_on_and_begins_anew() -> None:
    sitting = Sitting()
    for at in (1000.0, 1060.0, 1200.0):
        sitting.add(4, at)
    assert (sitting.captures, sitting.seconds_left(24)) == (12, 400.0)
    sitting.add(-2, 1201.0)
    assert sitting.captures == 10
    sitting.add(1, 9000.0)
    assert (sitting.captures, sitting.began) == (1, 9000.0)
