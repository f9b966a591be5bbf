"""What is one capture stays one: sidecars of any kind, folders by form, and what people do by hand in between."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from jutrek.desk.library_captures import read_library
from jutrek.filing import HouseRules, Plan
from jutrek.filing.refiling import Scope, kept_by_hand
from jutrek.library import Library, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring, last_refiling, plan_taking_back
from jutrek.transfer.setting_aside import set_aside
from tests import making
from tests.making import WHEN, everything, names_below, never, planned, put
from tests.transfer.doubled import drop
from tests.transfer.test_refiling import go, plan_of

APART = HouseRules(layout="Raw/{year}", developed="Developed/{year}/{month}", name="{date}_{time}")


def at_home(library: Library) -> set[str]:
    return {name for name in names_below(library.root) if not name.startswith((".jutrek", "ascmhl"))}


def brought(library: Library, ledger: Ledger, card: Path, rules: HouseRules | None = None) -> Plan:
    survey(library, ledger)
    plan = planned(library, ledger, [card], rules)
    assert bring(plan, library, ledger, stop=never()).failed == []
    return plan


@pytest.fixture
def pair(card: Path) -> Path:
    """A card with a raw, its picture, and what editors wrote of them."""
    put(card / "DCIM" / "DSC1.DNG", making.dng())
    put(card / "DCIM" / "DSC1.JPG", making.jpeg(seed=1))
    put(card / "DCIM" / "DSC1.pp3", b"settings")
    put(card / "DCIM" / "DSC1.JPG.pp3", b"settings of the picture")
    put(card / "DCIM" / "DSC1-Edit.psd", b"layers")
    put(card / "DCIM" / "INDEX.txt", b"an index")
    return card


BOTH = {
    "Raw/2026/20260514_102613.dng", "Raw/2026/20260514_102613.pp3", "Raw/2026/20260514_102613-Edit.psd",
    "Developed/2026/05/20260514_102613.jpg", "Developed/2026/05/20260514_102613.jpg.pp3",
}  # fmt: skip
USUAL = {f"2026/05/20260514_102613{end}" for end in (".dng", ".jpg", ".pp3", ".jpg.pp3", "-Edit.psd")}


def test_a_pair_lies_in_two_folders_by_rule(library: Library, ledger: Ledger, pair: Path) -> None:
    """Under one name that is free in both, counted or not; re-filed together and back, with every sidecar."""
    put(Path(library.root, "Developed", "2026", "05", "20260514_102613.jpg"), b"somebody's")
    plan = brought(library, ledger, pair, APART)
    assert at_home(library) - {"Developed/2026/05/20260514_102613.jpg"} == {
        name.replace("102613", "102613_420") for name in BOTH
    }
    assert next(row.destination for row in plan.rows if row.source.endswith("INDEX.txt")) is None
    assert plan_of(library, ledger, APART).rows == ()
    before = everything(library.root)
    assert go(plan_of(library, ledger, HouseRules()), library, ledger).failed == []
    assert USUAL < at_home(library)
    assert plan_of(library, ledger, HouseRules()).rows == ()
    for row in (plan := plan_taking_back(library, last_refiling(library))[0]).rows:
        assert row.destination
    assert go(plan, library, ledger, takes_back=last_refiling(library)).failed == []
    assert {path: one for path, one in everything(library.root).items() if ".jutrek" not in path and one[0]} == {
        path: one for path, one in before.items() if ".jutrek" not in path and one[0]
    }
    counted = HouseRules(layout="Raw", developed="Developed", name="{counter:3}")
    put(Path(library.root, "Developed", "001.jpg"), b"somebody's")
    assert go(plan_of(library, ledger, counted), library, ledger).failed == []
    assert {"Raw/002.dng", "Developed/002.jpg", "Developed/002.jpg.pp3", "Raw/002-Edit.psd"} < at_home(library)
    assert plan_of(library, ledger, counted).rows == ()
    names_only = plan_of(library, ledger, APART, Scope(folders=False))
    assert {row.destination for row in names_only.rows} == {
        "Raw/20260514_102613.dng", "Raw/20260514_102613.pp3", "Raw/20260514_102613-Edit.psd",
        "Developed/20260514_102613.jpg", "Developed/20260514_102613.jpg.pp3",
    }  # fmt: skip


def test_what_comes_later_goes_to_its_own_folder(library: Library, ledger: Ledger, pair: Path) -> None:
    """The raw after its picture, which a re-filing parts; then a sidecar of each."""
    later = put(pair.parent / "later" / "DCIM" / "DSC1.DNG", (pair / "DCIM" / "DSC1.DNG").read_bytes())
    for name in ("DSC1.JPG", "DSC1.JPG.pp3"):
        put(later.parent / name, (pair / "DCIM" / name).read_bytes())
    (pair / "DCIM" / "DSC1.DNG").unlink()
    brought(library, ledger, pair, APART)
    moved = plan_of(library, ledger, APART)
    assert moved.rows == ()
    rows = {row.source: row.destination for row in planned(library, ledger, [later.parents[1]], APART).to_bring()}
    assert rows == {str(later): "Raw/2026/20260514_102613.dng"}
    brought(library, ledger, later.parents[1], APART)
    assert go(plan_of(library, ledger, APART), library, ledger).failed == []
    assert at_home(library) == BOTH
    note = put(pair.parent / "last" / "DCIM" / "DSC1.JPG.txt", b"a note")
    put(note.with_name("DSC1.txt"), b"another one")
    assert {row.destination for row in planned(library, ledger, [note.parents[1]], APART).to_bring()} == {
        "Developed/2026/05/20260514_102613.jpg.txt", "Raw/2026/20260514_102613.txt",
    }  # fmt: skip


def test_what_was_moved_and_renamed_by_hand_stays_one_capture(library: Library, ledger: Ledger, pair: Path) -> None:
    """A name that somebody gave is kept for all of the capture, and told; asked for, it is made anew."""
    brought(library, ledger, pair)
    home = Path(library.root)
    (home / "Best").mkdir()
    (home / "2026/05/20260514_102613.jpg").rename(home / "Best" / "Sunrise.jpg")
    (home / "2026/05/20260514_102613.dng").rename(home / "Best" / "20260514_102613.dng")
    survey(library, ledger)
    found = read_library(library, ledger, HouseRules(), stop=never(), report=lambda *_: None)
    assert len(found.facts) == 1
    assert kept_by_hand(found.facts, found.known, Scope(), found.given) == ("Best/Sunrise.jpg",)
    assert kept_by_hand(found.facts, found.known, Scope(by_hand=True), found.given) == ()
    plan = plan_of(library, ledger, HouseRules())
    assert {os.path.relpath(row.source, library.root): row.destination for row in plan.rows} == {
        "Best/Sunrise.jpg": "2026/05/Sunrise.jpg", "Best/20260514_102613.dng": "2026/05/Sunrise.dng",
        "2026/05/20260514_102613.pp3": "2026/05/Sunrise.pp3",
        "2026/05/20260514_102613.jpg.pp3": "2026/05/Sunrise.jpg.pp3",
        "2026/05/20260514_102613-Edit.psd": "2026/05/Sunrise-Edit.psd",
    }  # fmt: skip
    asked = plan_of(library, ledger, HouseRules(), Scope(by_hand=True))
    assert {row.destination for row in asked.rows} == {"2026/05/20260514_102613.dng", "2026/05/20260514_102613.jpg"}
    assert go(plan, library, ledger).failed == []
    assert plan_of(library, ledger, HouseRules()).rows == ()
    (home / "2026/05/Sunrise.dng").rename(home / "2026/05/20260514_102613.dng")
    survey(library, ledger)
    back = {row.destination for row in plan_of(library, ledger, HouseRules()).rows}
    assert back == USUAL - {"2026/05/20260514_102613.dng"}


def test_only_what_was_filed_as_one_is_one(library: Library, ledger: Ledger, card: Path) -> None:
    """A raw and its picture on two cards are two captures until somebody moves one; two pictures always are."""

    def captures() -> list[int]:
        survey(library, ledger)
        found = read_library(library, ledger, HouseRules(), stop=never(), report=lambda *_: None)
        return sorted(len(one.capture.files) for one in found.facts)

    for number, data in enumerate((making.dng(), making.jpeg(seed=1), making.jpeg(seed=2))):
        put(card.parent / f"slot{number}" / "DCIM" / f"DSC1.{'DNG' if not number else 'JPG'}", data)
        brought(library, ledger, card.parent / f"slot{number}")
        assert captures() == [1] * (number + 1)
    assert at_home(library) == {f"2026/05/20260514_102613{end}" for end in (".dng", "_420.jpg", "_2.jpg")}
    moved = Path(library.root, "2026/05/20260514_102613_420.jpg").rename(Path(library.root, "mine.jpg"))
    assert captures() == [1, 1, 1]
    Path(library.root, "2026/05/20260514_102613_2.jpg").unlink()
    assert captures() == [2]
    assert moved.exists()


def pictures(library: Library) -> dict[str, str]:
    """The digests of all pictures at home."""
    return {path: one[0] for path, one in everything(library.root).items() if path.endswith(".jpg")}


def swap_pictures(library: Library) -> None:
    """Swap the names of the two pictures that are home."""
    one, two = (Path(path) for path in sorted(pictures(library)))
    one.rename(one.with_name("x"))
    two.rename(one)
    one.with_name("x").rename(two)


def test_names_that_were_swapped_are_put_right(library: Library, ledger: Ledger, card: Path) -> None:
    """Each file keeps what it was filed by: a re-filing gives one name, and the next the other, once that is free."""
    for number in range(2):
        put(card / f"P{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    brought(library, ledger, card)
    before = pictures(library)
    swap_pictures(library)
    assert survey(library, ledger).moved == 2
    assert plan_of(library, ledger, HouseRules()).rows == ()
    for _ in range(2):
        plan = plan_of(library, ledger, HouseRules(), Scope(by_hand=True))
        assert go(plan, library, ledger).failed == []
    assert before == pictures(library)


def test_sidecars_follow_what_is_set_aside(library: Library, ledger: Ledger, card: Path) -> None:
    """Of any kind, but none that another file needs, and never a picture that was made of it."""
    home = Path(library.root)
    for name in ("a.jpg", "b.jpg"):
        put(home / name, making.jpeg())
    for name in ("b.pp3", "b.jpg.pp3", "b-Edit.psd", "b-Edit.tif.txt", "bc.pp3"):
        put(home / name, b"x")
    put(home / "b-Edit.tif", making.jpeg(seed=5))
    survey(library, ledger)
    assert set_aside([drop(library, "b.jpg", "a.jpg")], library, ledger, stop=never()).failed == []
    assert at_home(library) == {"a.jpg", "b-Edit.tif", "b-Edit.tif.txt", "bc.pp3", "b-Edit.psd"}


def test_a_sidecar_joins_its_picture_at_home(library: Library, ledger: Ledger, pair: Path) -> None:
    """Where one picture came from that path, and it says no other date; a name that is taken keeps it waiting."""
    brought(library, ledger, pair)
    card = pair.parent / "later"
    put(card / "DCIM" / "DSC1.xmp", making.xmp())
    put(card / "DCIM" / "DSC1.JPG.txt", b"a note")
    put(card / "DCIM" / "DSC1.pp3", b"other settings")
    put(card / "DCIM" / "DSC1.DNG.xmp", making.xmp("2026-05-14T19:00:00+02:00"))
    put(card / "OTHER" / "DSC1.pp3", b"of another picture")
    alone = planned(library, ledger, [card], HouseRules(beside=False))
    assert {row.destination for row in alone.rows} == {None, "2026/05/20260514_190000.dng.xmp"}
    rows = {os.path.relpath(row.source, card): row.destination for row in brought(library, ledger, card).rows}
    assert rows == {
        "DCIM/DSC1.xmp": "2026/05/20260514_102613.xmp", "DCIM/DSC1.JPG.txt": "2026/05/20260514_102613.jpg.txt",
        "DCIM/DSC1.pp3": None, "OTHER/DSC1.pp3": None, "DCIM/DSC1.DNG.xmp": "2026/05/20260514_190000.dng.xmp",
    }  # fmt: skip
    (card.parent / "other").mkdir()
    other = new_library(str(card.parent / "other"))
    with Ledger(other.ledger_path) as own:
        for number in range(2):
            source = card.parent / f"card{number}"
            put(source / "OTHER" / "DSC1.JPG", making.jpeg(WHEN.replace(year=2020 + number), seed=number))
            brought(other, own, source)
        (row,) = [row for row in planned(other, own, [card]).rows if row.source.endswith("OTHER/DSC1.pp3")]
        assert row.destination is None


def test_pictures_that_were_swapped_between_pairs_go_back_to_their_raws(
    library: Library, ledger: Ledger, card: Path
) -> None:
    """Lying under another one's name makes nothing a part of its capture; what was brought beside it stays."""
    for number in range(2):
        when = WHEN.replace(minute=number)
        put(card / f"P{number}.DNG", making.dng(when, seed=number), when)
        put(card / f"P{number}.JPG", making.jpeg(when, seed=number + 5), when)
    brought(library, ledger, card)
    before = pictures(library)
    swap_pictures(library)
    put(card.parent / "later" / "P0.txt", b"a note")
    brought(library, ledger, card.parent / "later")
    found = read_library(library, ledger, HouseRules(), stop=never(), report=lambda *_: None)
    assert sorted(len(one.capture.files) for one in found.facts) == [2, 3]
    for _ in range(2):
        assert go(plan_of(library, ledger, HouseRules(), Scope(by_hand=True)), library, ledger).failed == []
    assert before == pictures(library)
    assert plan_of(library, ledger, HouseRules()).rows == ()


def test_names_are_free_in_the_second_folder_too(library: Library, ledger: Ledger, card: Path) -> None:
    """Of two raws that go to different folders, with pictures that go to the same."""
    for number, folder in enumerate("AB"):
        put(card / folder / "DSC1.DNG", making.dng(seed=number))
        put(card / folder / "DSC1.JPG", making.jpeg(seed=number))
    rules = HouseRules(layout="{original-folder}", developed="All", name="{date}")
    brought(library, ledger, card, rules)
    developed = sorted(name for name in at_home(library) if name.startswith("All/"))
    assert len(developed) == 2
    raws = {Path(name).stem: name for name in at_home(library) if name.endswith(".dng")}
    assert {Path(name).stem for name in developed} == raws.keys()
    assert plan_of(library, ledger, rules).rows == ()
