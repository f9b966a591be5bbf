"""How far a sorting went, by its record and by what is at home: on random stories whose truth is known."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from jutrek.sorting.bench import Bench
from jutrek.sorting.piles import By
from jutrek.sorting.record import Answer, At, Head, Record, What
from jutrek.sorting.standing import standing
from jutrek.views.columns import Columns
from tests.sorting.made import columns_of, rows_of, shot, within

NOW = datetime(2026, 11, 20, 18, 0, tzinfo=UTC)


def record(captures: int = 0) -> Record:
    return Record(Head("00000001", "Mess", "in folder mess", NOW, captures, {}))


@dataclass
class Story:
    """A mess that somebody sorts, while others move things about. What it tells is the truth."""

    dice: random.Random
    files: dict[str, datetime] = field(default_factory=dict)
    """What is at home, by path."""
    truth: dict[str, str] = field(default_factory=dict)
    """Of each path in the mess whether it is to go, or settled."""
    record: Record = field(default_factory=record)
    filed = aside = number = 0

    def arrive(self, path: str = "") -> None:
        self.number += 1
        path = path or f"mess/{self.dice.choice('abc')}/IMG_{self.number:04}.jpg"
        self.files[path] = datetime(2020, 1, 1) + timedelta(minutes=self.number, seconds=self.dice.randrange(50))
        self.truth[path] = "to go"

    def _answer(self, what: What, path: str, to: str) -> Answer:
        moment = int((self.files[path] - datetime(1970, 1, 1)).total_seconds() * 1_000_000)
        one = Answer(f"{len(self.record.answers):08x}", NOW, what, to, {path: At(to or path, moment)})
        self.record.answers[one.id] = one
        return one

    def file(self, path: str, folder: str) -> None:
        to = f"{folder}/{path.rpartition('/')[2]}"
        if to in self.files:
            return
        self._answer(What.FILED, path, to)
        self.move(path, to)
        self.filed += 1

    def move(self, path: str, to: str) -> None:
        self.files[to] = self.files.pop(path)
        self.truth.pop(path)
        if to.startswith("mess/"):
            self.truth[to] = "settled"

    def step(self) -> None:
        left = [one for one, state in self.truth.items() if state == "to go"]
        settled = [one for one, state in self.truth.items() if state == "settled"]
        kind, path = self.dice.randrange(10), self.dice.choice(left)
        if kind < 3:
            self.file(path, self.dice.choice(("2020/yard", "mess/kept", "mess/kept/steam")))
        elif kind == 3:
            self._answer(What.ASIDE, path, "")
            del self.files[path], self.truth[path]
            self.aside += 1
        elif kind == 4:
            self._answer(What.LEFT, path, path)
            self.truth[path] = "settled"
            self.filed += 1
        elif kind == 5:
            # It was cut off before anything moved.
            self._answer(What.FILED, path, f"2020/yard/{path.rpartition('/')[2]}")
        elif kind == 6 and settled:
            # Somebody renames a folder in which it was filed, outside.
            old = self.dice.choice(settled)
            to = f"mess/renamed {self.number}/{old.rpartition('/')[2]}"
            self.number += 1
            self.files[to] = self.files.pop(old)
            self.truth[to] = self.truth.pop(old)
        elif kind == 7:
            # A copy of what was filed turns up in the mess: another capture, of the same name and moment.
            home = [one for one in self.files if one.startswith("2020/")]
            if home:
                old = self.dice.choice(home)
                to = f"mess/copies {self.number}/{old.rpartition('/')[2]}"
                self.number += 1
                self.files[to], self.truth[to] = self.files[old], "to go"
        elif kind == 8:
            # Another capture comes under a path that one had which was answered.
            free = [old for one in self.record.answers.values() for old in one.captures if old not in self.files]
            self.arrive(self.dice.choice(free) if free else "")
        else:
            self.arrive()

    def columns(self) -> Columns:
        return columns_of(shot(path, when) for path, when in self.files.items())


@pytest.mark.parametrize("seed", range(12))
def test_nothing_that_is_to_go_is_hidden_and_nothing_settled_is_asked_again(seed: int) -> None:
    story = Story(random.Random(seed))
    for _ in range(30):
        story.arrive()
    for _ in range(24):
        story.step()
    columns = story.columns()
    found = standing(story.record, columns, within(columns, "mess"))
    to_go = {path for path, state in story.truth.items() if state == "to go"}
    told = set(columns.paths(found.rows))
    assert to_go <= told
    # Of two that could be what was filed none is hidden.
    twins = {(path.rpartition("/")[2], story.files[path]) for path in to_go}
    assert all((path.rpartition("/")[2], story.files[path]) in twins for path in told - to_go)
    assert (found.filed, found.aside) == (story.filed, story.aside)


def test_what_came_back_by_whatever_way_is_to_go() -> None:
    columns = columns_of([shot("mess/a.jpg", datetime(2020, 5, 1)), shot("mess/b.jpg", datetime(2020, 5, 2))])
    known = record()
    moments = {columns.path(row): int(columns.moment[row]) for row in range(2)}
    known.answers["1"] = Answer("1", NOW, What.FILED, "yard", {"mess/a.jpg": At("yard/a.jpg", moments["mess/a.jpg"])})
    known.answers["2"] = Answer("2", NOW, What.ASIDE, "", {"mess/b.jpg": At("mess/b.jpg", moments["mess/b.jpg"])})
    found = standing(known, columns, np.arange(2))
    assert (list(found.rows), found.filed, found.aside) == ([0, 1], 0, 0)
    # Another one under the same path is another capture: what was filed stays so.
    later = columns_of([shot("mess/a.jpg", datetime(2021, 1, 1))])
    assert standing(known, later, np.arange(1))[1:] == (1, 1)
    assert list(standing(known, later, np.arange(1)).rows) == [0]


def test_two_that_look_the_same_are_both_to_go() -> None:
    """What was filed was moved on, and two captures could be it: none of them is hidden."""
    when = datetime(2020, 5, 1, 10)
    before = columns_of([shot("mess/a.jpg", when)])
    known = record()
    known.answers["1"] = Answer(
        "1", NOW, What.FILED, "mess/kept", {"mess/a.jpg": At("mess/kept/a.jpg", int(before.moment[0]))}
    )
    alone = columns_of([shot("mess/elsewhere/a.jpg", when)])
    assert not len(standing(known, alone, np.arange(1)).rows)
    two = columns_of([shot("mess/elsewhere/a.jpg", when), shot("mess/copy/a.jpg", when)])
    assert len(standing(known, two, np.arange(2)).rows) == 2
    # Unless one of them is where it was put itself.
    known.answers["2"] = Answer(
        "2", NOW, What.FILED, "mess/copy", {"mess/b/a.jpg": At("mess/copy/a.jpg", int(before.moment[0]))}
    )
    assert not len(standing(known, two, np.arange(2)).rows)


# ---- a bench


def test_an_answer_counts_at_once_and_comes_back() -> None:
    shots = [shot(f"mess/{n}.jpg", datetime(2020, 1 + n % 2, 1, 10, n)) for n in range(6)]
    columns = columns_of(shots)
    bench = Bench(record(6), columns, np.arange(6))
    assert [(one.key, one.to_go, one.began) for one in bench.piles(By.MONTH)] == [("2020-01", 3, 3), ("2020-02", 3, 3)]
    rows = bench.rows_of(By.MONTH, "2020-01")
    assert list(bench.answer("a", What.FILED, rows[:2])) == list(rows[:2])
    # What was answered is not answered again.
    assert list(bench.answer("b", What.ASIDE, rows)) == [rows[2]]
    assert (bench.filed, bench.aside, bench.to_go, bench.under_way, bench.put_aside) == (2, 1, 3, 3, {int(rows[2])})
    assert [(one.key, one.to_go) for one in bench.piles(By.MONTH)] == [("2020-01", 0), ("2020-02", 3)]
    assert list(bench.came_back("a", rows[:1])) == [rows[0]]
    bench.done("b")
    assert (bench.filed, bench.aside, bench.to_go, bench.under_way) == (1, 1, 4, 0)
    assert list(bench.reopened(What.ASIDE, [columns.path(int(rows[2]))])) == [rows[2]]
    assert (bench.aside, bench.to_go, bench.sitting.captures, bench.put_aside) == (0, 5, 1, set())
    # What was answered before it was opened is not shown before it is opened anew, and counts.
    assert not len(bench.reopened(What.FILED, ["mess/long ago.jpg"]))
    assert (bench.filed, bench.to_go) == (0, 6)


def test_what_is_stored_away_is_left_out() -> None:
    columns = columns_of([shot("mess/a.jpg", datetime(2020, 5, 1)), shot("mess/b.jpg", datetime(2020, 5, 2))])
    columns.drive[rows_of(columns, "mess/a.jpg")] = 1
    bench = Bench(record(), columns, np.arange(2))
    assert (bench.stored, bench.to_go) == (1, 1)
