"""Shelves: order and content by hand, held against plain lists; what stands on one is found wherever it went."""

from __future__ import annotations

import os
import random
import threading
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest

from jutrek.disk import FileStamp
from jutrek.errors import NotPossible, PageBroken, Stopped
from jutrek.filing import HouseRules
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.views import looking
from jutrek.views.columns import Columns
from jutrek.views.narrowing import held
from jutrek.views.sentence import parse
from jutrek.views.shelves import Shelves, Thing, back, change, put_on, removed, renamed, shelves_of, take_off
from jutrek.views.shelving import Stood, arranged, stood, things_of
from tests import making
from tests.making import put

ODD = os.fsdecode(b"\xe9te \xff/line\nbreak.jpg")
THINGS = [Thing(number, bytes(16), f"{number}.jpg", "2026-05-14T09:00:00") for number in range(9)]


def test_order_by_hand_is_that_of_a_plain_list(library: Library) -> None:
    chance, plain, now = random.Random(11), [], ()
    for _ in range(300):
        some = chance.sample(THINGS, chance.randrange(1, 5))
        if chance.random() < 0.3 and now:
            now = take_off(now, "the  Report", some)
            plain = [one for one in plain if one not in some]
        else:
            before = chance.choice([None, *plain])
            now = put_on(now, "The report", some, before)
            rest = [one for one in plain if one not in some]
            # In front of what follows the place, of what stays where it is.
            ahead = plain[plain.index(before) :] if before is not None else []
            at = next((rest.index(one) for one in ahead if one in rest), len(rest))
            plain = [*rest[:at], *some, *rest[at:]]
        assert [list(one.things) for one in now] == [plain]
    odd = put_on(now, "Überfahrt", [THINGS[0]._replace(path=ODD)])
    change(library, lambda _: odd)
    assert shelves_of(library) == (odd, [])


def test_shelves_are_made_named_and_done_away_with(library: Library) -> None:
    change(library, lambda shelves: put_on(put_on(shelves, " A  b ", THINGS[:2]), "C", ()))
    assert [one.name for one in shelves_of(library)[0]] == ["A b", "C"]
    for how, why in (
        (lambda shelves: take_off(shelves, "D", ()), "no shelf is called so"),
        (lambda shelves: removed(shelves, "D"), "no shelf is called so"),
        (lambda shelves: renamed(shelves, "c", "a B"), "another shelf is called so"),
        (lambda shelves: put_on(shelves, "a\x1b", ()), "signs that can be printed"),
    ):  # fmt: skip
        with pytest.raises(NotPossible, match=why):
            change(library, how)
    change(library, lambda shelves: renamed(shelves, "a b", "A B"))
    before = shelves_of(library)
    change(library, lambda shelves: removed(shelves, "a b"))
    assert [one.name for one in shelves_of(library)[0]] == ["C"]
    assert back(library) == before
    assert [one.name for one in back(library)[0]] == ["C"]


def test_a_damaged_line_costs_only_itself_and_stays(library: Library) -> None:
    change(library, lambda shelves: put_on(shelves, "A", THINGS[:2]))
    page = Path(library.root, ".jutrek", "shelves.jsonl")
    bad = b'{"shelf": "A", "path": "../../etc/passwd", "size": 3, "quick": "00"}\n{"shelf": 3}\nnone\n'
    page.write_bytes(bad + page.read_bytes())
    shelves, told = shelves_of(library)
    assert [len(one.things) for one in shelves] == [2]
    assert ["line 1: path" in told[0], "line 2: shelf" in told[1], len(told)] == [True, True, 3], told
    change(library, lambda shelves: put_on(shelves, "A", THINGS[2:3]))
    assert page.read_bytes().endswith(bad)
    page.unlink()
    page.mkdir()
    with pytest.raises(PageBroken):
        change(library, lambda shelves: put_on(shelves, "A", THINGS))


@pytest.fixture
def root(library: Library) -> Path:
    root = Path(library.root)
    for number in range(5):
        put(root / "2026" / f"{number}.jpg", making.jpeg(datetime(2026, 5, 1 + number), seed=number))
    put(root / ODD, making.jpeg(datetime(2026, 5, 9), seed=9))
    return root


def look(library: Library, ledger: Ledger) -> Columns:
    return looking.current(library, ledger, HouseRules, stop=threading.Event())


def on(name: str, library: Library, ledger: Ledger) -> tuple[list[str], int]:
    """What stands on a shelf, in its order, and how much is missing."""
    columns = look(library, ledger)
    shelves = stood(shelves_of(library)[0], columns, ledger)
    view = parse(f'on shelf "{name}"')
    rows = arranged(np.flatnonzero(held(columns, view, shelves)), view, shelves)
    assert rows is not None
    assert set(rows.tolist()) == set(np.flatnonzero(held(columns, view, shelves)).tolist())
    return columns.paths(rows.tolist()), len(next(one for one in shelves if one.name == name).missing)


def shelve(name: str, paths: list[str], library: Library, ledger: Ledger) -> tuple[Shelves, tuple[Stood, ...]]:
    columns = look(library, ledger)
    rows = columns.rows_of(paths)
    things = things_of(columns, [rows[path] for path in paths], library, ledger)
    now = change(library, lambda shelves: put_on(shelves, name, things))[1]
    return now, stood(now, columns, ledger)


def test_what_stands_on_a_shelf_survives_moves_and_renames(root: Path, library: Library, ledger: Ledger) -> None:
    paths = ["2026/3.jpg", ODD, "2026/0.jpg", "2026/1.jpg"]
    shelve("Report", paths, library, ledger)
    assert on("Report", library, ledger) == (paths, 0)
    (root / "new").mkdir()
    os.rename(root / "2026/3.jpg", root / "new" / "three.jpg")
    # Names that are exchanged are no trouble: it is content that stands there.
    os.rename(root / "2026/0.jpg", root / "2026/x.jpg")
    os.rename(root / "2026/4.jpg", root / "2026/0.jpg")
    os.rename(root / ODD, root / "new" / os.fsdecode(b"\xff.jpg"))
    (root / "2026/1.jpg").unlink()
    there = ["new/three.jpg", os.path.join("new", os.fsdecode(b"\xff.jpg")), "2026/x.jpg"]
    assert on("Report", library, ledger) == (there, 1)
    assert found("on no shelf", library, ledger) == ["2026/2.jpg", "2026/0.jpg"]
    put(root / "back" / "1.jpg", making.jpeg(datetime(2026, 5, 2), seed=1))
    stamp, again = look_stamp(ledger, library, "back/1.jpg"), shelves_of(library)[0][0].things[3].quick
    # A fingerprint of a file that was changed meanwhile is not kept.
    ledger.put_quick([("back/1.jpg", stamp._replace(mtime_ns=1), again)])
    assert ledger.of_paths(["back/1.jpg"])["back/1.jpg"].quick is None
    ledger.put_quick([("back/1.jpg", stamp, again)])
    assert on("Report", library, ledger) == ([*there, "back/1.jpg"], 0)


def found(text: str, library: Library, ledger: Ledger) -> list[str]:
    columns = look(library, ledger)
    shelves = stood(shelves_of(library)[0], columns, ledger)
    return columns.paths(np.flatnonzero(held(columns, parse(text), shelves)))


def look_stamp(ledger: Ledger, library: Library, path: str) -> FileStamp:
    look(library, ledger)
    return FileStamp.seen(os.lstat(os.path.join(library.root, path)))


def test_what_was_changed_in_place_stays_and_another_one_is_not_taken_for_it(
    root: Path, library: Library, ledger: Ledger
) -> None:
    shelve("Report", ["2026/1.jpg", "2026/2.jpg"], library, ledger)
    # Another program wrote into the file; the moment is the same.
    with open(root / "2026/1.jpg", "ab") as file:
        file.write(b"more")
    # And a picture of another day took the path of one that is gone.
    (root / "2026/2.jpg").write_bytes(making.jpeg(datetime(2026, 8, 1), seed=20) + b".")
    (root / "2026").touch()
    os.utime(root / "2026", ns=(1, 1))
    assert on("Report", library, ledger) == (["2026/1.jpg"], 1)
    # Put there again it is what it was, and not there twice.
    columns = look(library, ledger)
    shelf = stood(shelves_of(library)[0], columns, ledger)[0]
    again = things_of(columns, shelf.rows.tolist(), library, ledger, shelf)
    assert [one.key for one in again] == [shelf.things[0].key]
    stop = threading.Event()
    stop.set()
    with pytest.raises(Stopped):
        things_of(columns, [0], library, ledger, stop=stop)
