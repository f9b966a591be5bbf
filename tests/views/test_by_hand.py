"""Orders by hand: held against plain lists, found by content wherever captures went, and joined by what is new."""

from __future__ import annotations

import os
import random
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest

from jutrek.errors import NotPossible, Stopped
from jutrek.filing import HouseRules
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.views.by_hand import arrange, by_hand, forget, orders_of
from jutrek.views.columns import Columns
from jutrek.views.looking import current
from jutrek.views.shelves import BY_HAND, shelves_of
from jutrek.views.shelving import Stood
from tests import making
from tests.cli.calling import jutrek
from tests.making import WHEN, never, put


@pytest.fixture
def home(library: Library) -> Library:
    for number in range(6):
        when = WHEN + timedelta(minutes=number)
        put(Path(library.root) / f"{'ab'[number % 2]}/P{number}.jpg", making.jpeg(when, seed=number), when)
    return library


def look(home: Library, ledger: Ledger) -> Columns:
    return current(home, ledger, HouseRules, stop=never())


def order(home: Library, ledger: Ledger) -> list[str]:
    columns = look(home, ledger)
    shown = by_hand(columns, np.arange(columns.count), orders_of(home, columns, ledger))
    return [Path(path).stem for path in columns.paths(shown)]


def put_before(home: Library, ledger: Ledger, *paths: str, before: str = "") -> None:
    columns = look(home, ledger)
    rows = columns.rows_of([*paths, before])
    arrange(columns, [rows[path] for path in paths], rows.get(before), home, ledger)


def test_random_orders_are_those_of_a_plain_list(home: Library, ledger: Ledger) -> None:
    """Captures of any number of orders and of none, against the rule spelt out one by one."""
    columns, chance = look(home, ledger), random.Random(3)
    for _ in range(300):
        rows = list(range(6))
        chance.shuffle(rows)
        cuts = sorted(chance.sample(range(7), 2))
        orders = [
            Stood(str(number), np.array(some, np.int64), (), ())
            for number, some in enumerate((rows[: cuts[0]], rows[cuts[0] : cuts[1]]))
        ]
        moments = sorted(chance.choices(range(4), k=6))
        columns = replace(columns, moment=np.array(moments, np.int64))
        shown = sorted(chance.sample(range(6), chance.randint(0, 6)))
        assert by_hand(columns, np.array(shown, np.int64), orders).tolist() == _one_by_one(columns, shown, orders)


def _one_by_one(columns: Columns, shown: list[int], orders: list[Stood]) -> list[int]:
    told: list[int] = []
    for folder in ("a", "b"):
        own = [row for row in shown if columns.path(row).startswith(folder)]
        most = max(orders, key=lambda one: sum(row in own for row in one.rows.tolist()))
        ranked = [row for row in most.rows.tolist() if row in own]
        joining = {at: list[int]() for at in range(len(ranked) + 1)}
        for row in (one for one in own if one not in ranked):
            later = (at for at, other in enumerate(ranked) if columns.moment[other] > columns.moment[row])
            joining[next(later, len(ranked))].append(row)
        told += [row for at, some in joining.items() for row in [*some, *ranked[at : at + 1]]]
    return told


def test_by_content_through_moves_and_renames_and_new_ones_join(home: Library, ledger: Ledger) -> None:
    put_before(home, ledger, "a/P4.jpg", before="a/P0.jpg")
    assert order(home, ledger) == ["P4", "P0", "P2", "P1", "P3", "P5"]
    put_before(home, ledger, "a/P2.jpg", "a/P0.jpg", before="a/P4.jpg")
    assert order(home, ledger)[:3] == ["P2", "P0", "P4"]
    root = Path(home.root)
    os.rename(root / "a", root / "other")
    os.rename(root / "other/P0.jpg", root / "other/renamed.jpg")
    assert order(home, ledger) == ["P1", "P3", "P5", "P2", "renamed", "P4"]
    # Before the first that was shot later: P2, though it stands before one that was shot earlier.
    put(root / "other/new.jpg", making.jpeg(WHEN + timedelta(seconds=70), seed=9))
    put(root / "other/last.jpg", making.jpeg(WHEN + timedelta(days=1), seed=10))
    assert order(home, ledger)[3:] == ["new", "P2", "renamed", "P4", "last"]
    jutrek("tidy", "move", "other/P4.jpg", "--to", "b", "-l", home.root)
    assert order(home, ledger) == ["P1", "P3", "P4", "P5", "new", "P2", "renamed", "last"]
    columns = look(home, ledger)
    forget(columns, "other", home, ledger)
    assert order(home, ledger)[4:] == ["renamed", "new", "P2", "last"]
    assert shelves_of(home, BY_HAND) == ((), [])


def test_orders_of_folders_that_took_one_anothers_names_stay_apart(home: Library, ledger: Ledger) -> None:
    put_before(home, ledger, "a/P4.jpg", before="a/P0.jpg")
    root = Path(home.root)
    for old, new in (("a", "c"), ("b", "a"), ("c", "b")):
        os.rename(root / old, root / new)
    look(home, ledger)
    put_before(home, ledger, "a/P5.jpg", before="a/P1.jpg")
    assert [one.name for one in shelves_of(home, BY_HAND)[0]] == ["a", "a (2)"]
    assert order(home, ledger) == ["P5", "P1", "P3", "P4", "P0", "P2"]


def test_within_one_folder_and_nothing_is_written_when_stopped(home: Library, ledger: Ledger) -> None:
    with pytest.raises(NotPossible, match="within a folder"):
        put_before(home, ledger, "a/P4.jpg", before="b/P1.jpg")
    stop = never()
    stop.set()
    columns = look(home, ledger)
    with pytest.raises(Stopped):
        arrange(columns, [4], 0, home, ledger, stop=stop)
    assert shelves_of(home, BY_HAND) == ((), [])


def test_a_damaged_line_costs_itself(home: Library, ledger: Ledger) -> None:
    put_before(home, ledger, "a/P4.jpg", before="a/P0.jpg")
    page = Path(home.root) / ".jutrek/orders.jsonl"
    page.write_bytes(page.read_bytes() + b'{"order": 3}\n{"shelf": "a"}\n')
    assert len(shelves_of(home, BY_HAND)[1]) == 2
    put_before(home, ledger, "a/P2.jpg", before="a/P4.jpg")
    assert (order(home, ledger)[:3], page.read_bytes().count(b'{"shelf": "a"}')) == (["P2", "P4", "P0"], 1)


def test_from_the_command_line(home: Library) -> None:
    jutrek("tidy", "order", "b/P5.jpg", "b/P3.jpg", "--before", "b/P1.jpg", "-l", home.root)
    said = jutrek("list", "in folder b", "--order", "hand", "-l", home.root).stdout.split()
    assert said == ["b/P5.jpg", "b/P3.jpg", "b/P1.jpg"]
    jutrek("tidy", "order", "b", "--forget", "-l", home.root)
    assert jutrek("list", "in folder b", "--order", "hand", "-l", home.root).stdout.split() == said[::-1]
    for wrong in (["b/P5.jpg", "--before", "a/P0.jpg"], ["b"], ["b/P5.jpg", "--forget", "--before", "b/P1.jpg"]):
        jutrek("tidy", "order", *wrong, "-l", home.root, code=2)
