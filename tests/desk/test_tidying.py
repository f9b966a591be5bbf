"""Tidying for a face: what goes along, merging, and taking it back, on real files."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from jutrek.desk import tidying
from jutrek.desk.naming_anew import named_by
from jutrek.desk.places import Places
from jutrek.desk.taking_back import take_back
from jutrek.desk.tidying import Act, Tidied, Tidying, gathered, tidy
from jutrek.errors import NotPossible
from jutrek.filing import HouseRules
from jutrek.filing.tidying import Answer
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.transfer import Listener
from jutrek.transfer.folder_moves import FolderMove
from jutrek.transfer.tray import tray_of
from jutrek.views.columns import Columns
from jutrek.views.looking import current
from jutrek.views.shelves import change, put_on, shelves_of
from jutrek.views.shelving import stood, things_of
from tests import making
from tests.making import WHEN, names_below, never, put


@pytest.fixture
def home(library: Library) -> Iterator[Library]:
    """A library that somebody filled by hand."""
    root = Path(library.root)
    for number in range(3):
        when = WHEN.replace(minute=number)
        put(root / "yard" / f"P{number}.jpg", making.jpeg(when, seed=number))
    put(root / "yard" / "P0.dng", making.dng(WHEN.replace(minute=0)))
    for name in ("P0.xmp", "P0.jpg.note", "P0.jpg.d.txt", "P0.rating", "P10.note", "readme.txt"):
        put(root / "yard" / name, name.encode())
    put(root / "depot" / "P1.jpg", making.jpeg(WHEN.replace(minute=1), seed=1))
    put(root / "depot" / "deep" / "P2.jpg", making.jpeg(WHEN.replace(hour=3), seed=7))
    yield library


def seen(library: Library, ledger: Ledger) -> Columns:
    return current(library, ledger, HouseRules, stop=never())


def names(library: Library) -> set[str]:
    return {one for one in names_below(library.root) if not one.startswith(".jutrek/")}


def rows(columns: Columns, *paths: str) -> list[int]:
    found = columns.rows_of(paths)
    return [found[path] for path in paths]


def done(wanted: Tidying, library: Library, ledger: Ledger) -> Tidied:
    return tidy(wanted, library, ledger, Places(), stop=never())


def back(library: Library, ledger: Ledger, told: Tidied) -> None:
    for run in reversed(told.runs):
        _, left = take_back(library, ledger, run, Places(), stop=never(), listener=Listener())
        assert left == []


def test_all_that_belongs_to_a_capture_goes_along(home: Library, ledger: Ledger) -> None:
    """Also what other programs wrote for it; what belongs to another or to none stays."""
    before, columns = names(home), seen(home, ledger)
    wholes, left = gathered(home, columns, rows(columns, "yard/P0.jpg"))
    assert left == []
    assert {one.path for one in wholes[0].files} == {
        f"yard/{name}" for name in ("P0.dng", "P0.jpg", "P0.xmp", "P0.jpg.note", "P0.jpg.d.txt", "P0.rating")
    }
    told = done(tidying.renaming(home, wholes, "Boiler"), home, ledger)
    assert (told.captures, told.files, told.why) == (1, 6, "")
    assert {one for one in names(home) if "Boiler" in one} == {
        f"yard/Boiler{end}" for end in (".dng", ".jpg", ".xmp", ".jpg.note", ".jpg.d.txt", ".rating")
    }
    back(home, ledger, told)
    assert names(home) == before
    os.remove(os.path.join(home.root, "yard/P2.jpg"))
    nothing, gone = gathered(home, columns, rows(columns, "yard/P2.jpg"))
    assert (nothing, gone) == ([], ["yard/P2.jpg is gone."])
    wanted = tidying.renaming(home, nothing, "Boiler", gone)
    assert (wanted.is_nothing, wanted.left) == (True, ("yard/P2.jpg is gone.",))


def test_what_may_belong_to_two_goes_along_with_one(home: Library, ledger: Ledger) -> None:
    """With the one whose whole name it bears; else with the first."""
    put(Path(home.root) / "yard" / "P0.tif", making.jpeg(WHEN.replace(hour=20), seed=20))
    put(Path(home.root) / "yard" / "P0.of.both.txt", b"x")
    columns = seen(home, ledger)
    found = rows(columns, "yard/P0.tif", "yard/P0.jpg")
    assert found[0] != found[1]
    files = [one.path for whole in gathered(home, columns, found)[0] for one in whole.files]
    assert len(files) == len(set(files)) == 8


def test_folders_are_merged_and_come_apart_again(home: Library, ledger: Ledger) -> None:
    """The same bytes are kept once, what has another content under a name told apart; strangers go along."""
    before, columns = names(home), seen(home, ledger)
    with pytest.raises(NotPossible, match="a part of it"):
        tidying.merging(home, columns, "depot", "depot/deep")
    wanted = tidying.merging(home, columns, "depot", "yard")
    assert [(one.file.path, one.may_be_same) for one in wanted.clashes] == [("depot/P1.jpg", True)]
    with pytest.raises(NotPossible, match="decide first"):
        done(wanted, home, ledger)
    told = done(tidying.decided(home, wanted, {"depot/P1.jpg": Answer.SAME}), home, ledger)
    assert (told.files, len(told.runs)) == (2, 2)
    assert names(home) == {one for one in before if not one.startswith("depot")} | {"yard/deep/P2.jpg"}
    assert [(one.was, one.keeper) for one in tray_of(home)] == [("depot/P1.jpg", "yard/P1.jpg")]
    back(home, ledger, told)
    assert names(home) == before
    told = done(tidying.merging(home, seen(home, ledger), "yard", "all"), home, ledger)
    assert {one.partition("/")[0] for one in names(home)} == {"all", "depot"}
    back(home, ledger, told)
    assert names(home) == before


def test_one_that_was_said_to_be_the_same_and_is_not_stays(home: Library, ledger: Ledger) -> None:
    """The bytes decide, not their number."""
    data = bytearray((Path(home.root) / "depot/P1.jpg").read_bytes())
    data[-1] ^= 1
    put(Path(home.root) / "depot/P1.jpg", bytes(data))
    before, columns = names(home), seen(home, ledger)
    wholes, _ = gathered(home, columns, rows(columns, "depot/P1.jpg"))
    wanted = tidying.decided(home, tidying.moving(home, wholes, "yard"), {}, Answer.SAME)
    told = done(wanted, home, ledger)
    assert told.trouble and "its bytes are not those of" in told.why
    assert names(home) == before


def test_what_stands_on_a_shelf_follows_its_folder(home: Library, ledger: Ledger) -> None:
    """Though the ledger knew nothing of its content; and what was set aside stands on none until it is back."""
    columns = seen(home, ledger)
    change(
        home, lambda shelves: put_on(shelves, "Report", things_of(columns, rows(columns, "yard/P1.jpg"), home, ledger))
    )
    ledger.put_quick([])
    with ledger._transaction() as connection:
        connection.execute("UPDATE files SET quick = NULL")
    wanted = tidying.moving_folders(home, [FolderMove("yard", "2026/yard")], Act.MOVE, "to 2026")
    told = done(wanted, home, ledger)
    assert (told.folders, told.files) == (1, 0)
    columns = seen(home, ledger)
    shelf = stood(shelves_of(home)[0], columns, ledger)[0]
    assert columns.paths(shelf.rows) == ["2026/yard/P1.jpg"]
    wholes, _ = gathered(home, columns, shelf.rows.tolist())
    aside = done(tidying.putting_aside(wholes), home, ledger)
    assert (aside.captures, len(tray_of(home))) == (1, 1)
    assert [one.path for one in stood(shelves_of(home)[0], seen(home, ledger), ledger)[0].missing] != []
    back(home, ledger, aside)
    back(home, ledger, told)
    assert len(stood(shelves_of(home)[0], seen(home, ledger), ledger)[0].rows) == 1


def test_folders_that_cannot_move_are_told_before(home: Library, ledger: Ledger) -> None:
    """One whose name is taken may be merged."""
    wanted = tidying.moving_folders(home, [FolderMove("depot", "yard")], Act.RENAME, "depot to yard")
    assert (wanted.folders, wanted.taken, wanted.is_nothing) == ((), (FolderMove("depot", "yard"),), True)
    for old, new, why in (("depot", "depot/deep/x", "into itself"), ("gone", "x", "no such folder")):
        with pytest.raises(NotPossible, match=why):
            tidying.moving_folders(home, [FolderMove(old, new)], Act.MOVE, "")
    with pytest.raises(NotPossible, match="the folder that it lies in"):
        tidying.moving_folders(home, [FolderMove("depot", "x"), FolderMove("depot/deep", "y")], Act.MOVE, "")


def test_a_pattern_is_tried_and_names_all_files_of_a_capture(home: Library, ledger: Ledger) -> None:
    """Folders stay; those that are called so already are left out."""
    columns = seen(home, ledger)
    wholes, _ = gathered(home, columns, rows(columns, "yard/P0.jpg", "yard/P1.jpg"))
    wishes = named_by(home, ledger, HouseRules(), wholes, "{date}_{time}", stop=never())
    assert {one.stem for one in wishes} == {"20260514_100013", "20260514_100113"}
    told = done(tidying.numbering(home, wishes, "by a pattern"), home, ledger)
    assert told.files == 7
    assert {os.path.basename(one).partition(".")[0] for one in names(home) if one.startswith("yard/2")} == {
        wish.stem for wish in wishes
    }
    columns = seen(home, ledger)
    found = [row for row in range(columns.count) if columns.path(row).startswith("yard/2")]
    assert named_by(home, ledger, HouseRules(), gathered(home, columns, found)[0], "{date}_{time}", stop=never()) == []
    with pytest.raises(NotPossible, match="nothing"):
        named_by(home, ledger, HouseRules(), wholes, "{nothing}", stop=never())


def test_copies_are_proven_and_known_as_their_originals_are(home: Library, ledger: Ledger) -> None:
    """Taken back they are put away; where a name is taken they are told apart, or left."""
    before, columns = names(home), seen(home, ledger)
    wholes, _ = gathered(home, columns, rows(columns, "yard/P0.jpg"))
    told = done(tidying.moving(home, wholes, "sent", copies=True), home, ledger)
    assert (told.captures, told.files) == (1, 6)
    assert names(home) == before | {one.replace("yard/", "sent/") for one in before if "yard/P0." in one}
    mark = ledger.mark_of("sent/P0.jpg")
    assert mark is not None
    assert mark.stands
    again = tidying.moving(home, wholes, "sent", copies=True)
    assert {one.may_be_same for one in again.clashes} == {False}
    assert tidying.decided(home, again, {}, Answer.LEAVE).is_nothing
    both = done(tidying.decided(home, again, {}, Answer.BOTH), home, ledger)
    assert {one for one in names(home) if "P0_2" in one} != set()
    back(home, ledger, both)
    back(home, ledger, told)
    assert names(home) == before
