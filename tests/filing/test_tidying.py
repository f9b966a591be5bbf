"""Where captures would come to lie, and what is in their way."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from jutrek.errors import NotPossible
from jutrek.filing.tidying import (
    Answer,
    FileAt,
    Laid,
    Whole,
    Wish,
    checked_folder,
    checked_name,
    endings_of,
    lay,
    numbered,
)


def whole(root: Path, *paths: str, size: int = 3) -> Whole:
    """A capture of files that lie there."""
    for path in paths:
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(b"x" * size)
    return Whole(tuple(FileAt(path, size, os.stat(root / path).st_mtime_ns) for path in paths))


def moves(laid: Laid) -> dict[str, str]:
    return {os.path.relpath(row.source, row.root): row.destination or "" for row in laid.rows}


def test_a_capture_goes_whole_or_is_asked_about(tmp_path: Path) -> None:
    """With both kept all its files get one other stem, though only one name was taken."""
    one, two = whole(tmp_path, "a/P1.dng", "a/P1.jpg", "a/P1.jpg.xmp"), whole(tmp_path, "a/P2.jpg")
    whole(tmp_path, "b/p1.JPG", size=9)
    wishes = [Wish(one, "b"), Wish(two, "b")]
    asked = lay(str(tmp_path), wishes)
    assert [(clash.file.path, clash.there, clash.may_be_same) for clash in asked.clashes] == [
        ("a/P1.jpg", "b/p1.JPG", False)
    ]
    assert moves(asked) == {"a/P2.jpg": "b/P2.jpg"}
    both = lay(str(tmp_path), wishes, {"a/P1.dng": Answer.BOTH})
    assert both.clashes == ()
    assert moves(both) == {
        "a/P1.dng": "b/P1_2.dng", "a/P1.jpg": "b/P1_2.jpg", "a/P1.jpg.xmp": "b/P1_2.jpg.xmp", "a/P2.jpg": "b/P2.jpg",
    }  # fmt: skip
    left = lay(str(tmp_path), wishes, {"a/P1.dng": Answer.LEAVE})
    assert (left.stays, moves(left)) == (("a/P1.dng",), {"a/P2.jpg": "b/P2.jpg"})
    # What is not of one size is not the same, whatever somebody says.
    assert lay(str(tmp_path), wishes, otherwise=Answer.SAME).clashes == asked.clashes


def test_of_the_same_bytes_one_is_enough(tmp_path: Path) -> None:
    """Only the file whose equal is there is set aside; what else the capture has goes."""
    one = whole(tmp_path, "a/P1.jpg", "a/P1.xmp")
    whole(tmp_path, "b/P1.jpg")
    laid = lay(str(tmp_path), [Wish(one, "b")], otherwise=Answer.SAME)
    assert [(file.path, there) for file, there in laid.same] == [("a/P1.jpg", "b/P1.jpg")]
    assert moves(laid) == {"a/P1.xmp": "b/P1.xmp"}


def test_names_that_are_left_are_free_and_of_those_that_stay_not(tmp_path: Path) -> None:
    """A row is numbered by one further; if the last one stays, nobody gets its name."""
    three = [whole(tmp_path, f"a/T 0{number}.jpg") for number in (1, 2, 3)]
    wishes = numbered(three, "T", 2)
    assert moves(lay(str(tmp_path), wishes)) == {
        "a/T 01.jpg": "a/T 02.jpg", "a/T 02.jpg": "a/T 03.jpg", "a/T 03.jpg": "a/T 04.jpg",
    }  # fmt: skip
    whole(tmp_path, "a/T 04.jpg")
    laid = lay(str(tmp_path), wishes, otherwise=Answer.LEAVE)
    assert (moves(laid), laid.stays) == ({}, ("a/T 01.jpg", "a/T 02.jpg", "a/T 03.jpg"))
    again = lay(str(tmp_path), numbered(three, "T"))
    assert (again.rows, again.still) == ((), tuple(one.path for one in three))


def test_two_that_want_one_name_are_a_clash_too(tmp_path: Path) -> None:
    """Also where nothing lies there yet; folders are spelt as the disk has them."""
    one, two = whole(tmp_path, "a/P1.jpg"), whole(tmp_path, "c/P1.jpg")
    (tmp_path / "Bridge").mkdir()
    wishes = [Wish(one, "bridge"), Wish(two, "bridge")]
    clash = lay(str(tmp_path), wishes).clashes[0]
    assert (clash.capture, clash.to, clash.there, clash.may_be_same) == (
        "c/P1.jpg", "Bridge/P1.jpg", "a/P1.jpg", False,
    )  # fmt: skip
    assert moves(lay(str(tmp_path), wishes, otherwise=Answer.BOTH)) == {
        "a/P1.jpg": "Bridge/P1.jpg", "c/P1.jpg": "Bridge/P1_2.jpg",
    }  # fmt: skip


def test_what_stands_behind_the_stem_stays_behind_it() -> None:
    """Parts, edits, sidecars of any kind; what shares no stem keeps its extension, and no two become one."""
    assert endings_of(["P1.dng", "P1.jpg", "P1.jpg.xmp", "P1-Edit.tif", "P1.dng.note"]) == (
        "P1", [".dng", ".jpg", ".jpg.xmp", "-Edit.tif", ".dng.note"],
    )  # fmt: skip
    assert endings_of(["GX01.mp4", "GL01.lrv", "GL01.mp4"]) == ("GX01", [".mp4", ".lrv", "_2.mp4"])


@pytest.mark.parametrize(
    ("typed", "could"),
    [("a/b", "a_b"), ("what?", "what_"), ("x.", "x"), (".hidden", "_hidden"), ("con", "_con"), ("", "a letter")],
)
def test_names_that_no_disk_takes_are_refused_with_one_that_it_takes(typed: str, could: str) -> None:
    """While it is typed."""
    with pytest.raises(NotPossible, match=could):
        checked_name(typed)
    assert checked_name(" Boiler test ") == "Boiler test"
    assert checked_folder("/2026/05 Yard/") == "2026/05 Yard"
    with pytest.raises(NotPossible, match="2026/a_b"):
        checked_folder("2026/a?b")
    # What is there already is taken as it is called.
    assert checked_folder("what?/new", {"what?"}.__contains__) == "what?/new"
    with pytest.raises(NotPossible, match="a path to what is Jutrek's own"):
        checked_folder(".jutrek/tray", lambda path: True)
