"""Sources of which everything is home: planned by their bytes alone, and only where that gives the same plan."""

from __future__ import annotations

from pathlib import Path

import pytest

from jutrek.desk.known import plan_of_known
from jutrek.filing import Action, HouseRules, Plan
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.sources import known_source
from jutrek.transfer import bring
from tests import making
from tests.making import WHEN, names_below, never, planned, put

JUNK = b"an index"


def known(library: Library, ledger: Ledger, *cards: Path) -> Plan | None:
    sources = [known_source(str(card)) for card in cards]
    return plan_of_known(sources, library, ledger, HouseRules(), stop=never(), report=lambda *_: None)


@pytest.fixture
def full(library: Library, ledger: Ledger, card: Path) -> Path:
    """A card of which everything is home, but for what a card keeps for itself."""
    for number in range(4):
        put(card / "DCIM" / f"P{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    put(card / "DCIM" / "P1.pp3", b"settings")
    put(card / "MISC" / "INDEX.BIN", JUNK)
    assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).failed == []
    return card


def told(plan: Plan) -> set[tuple[str, Action, str | None]]:
    return {(row.source, row.action, row.destination) for row in plan.rows}


def test_a_card_that_is_put_in_again_is_planned_by_its_bytes(library: Library, ledger: Ledger, full: Path) -> None:
    """As it is planned when it is read: what is no capture stays, with the reason."""
    plan = known(library, ledger, full)
    assert plan is not None
    assert told(plan) == told(planned(library, ledger, [full]))
    (stays,) = [row for row in plan.rows if row.action is Action.STAY]
    assert stays.why
    empty = full.parent / "empty"
    empty.mkdir()
    nothing = known(library, ledger, empty)
    assert nothing is not None
    assert nothing.rows == ()


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("DCIM/P9.JPG", making.jpeg(seed=9)), ("DCIM/P1.xmp", making.xmp()), ("DCIM/P2.txt", b"a note"),
        ("DCIM/P2.JPG.txt", b"a note"), ("DCIM/P2-Edit.psd", b"layers"),
    ],
)  # fmt: skip
def test_a_card_with_anything_new_is_read(name: str, data: bytes, library: Library, ledger: Ledger, full: Path) -> None:
    """A picture, or a sidecar of any kind of one that is home."""
    put(full / name, data)
    assert known(library, ledger, full) is None
    (row,) = planned(library, ledger, [full]).to_bring()
    assert row.source == str(full / name)


def test_a_card_with_very_many_strangers_is_read(library: Library, ledger: Ledger, full: Path) -> None:
    """More than every second file: then it is another card."""
    for number in range(6):
        put(full / "MISC" / f"{number}.BIN", JUNK + bytes([number]))
    assert known(library, ledger, full) is None


def test_two_pictures_keep_sidecars_of_the_same_bytes(library: Library, ledger: Ledger, card: Path) -> None:
    """What is said of one picture is not said of another by the same words: each comes home beside its own."""
    for number in range(3):
        put(card / "DCIM" / f"P{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    for name in ("P0.xmp", "P1.JPG.xmp"):
        put(card / "DCIM" / name, making.xmp())
    for name in ("P0.JPG", "P0.xmp"):
        put(card / "copy" / name, (card / "DCIM" / name).read_bytes())
    stays = {row.source: row for row in planned(library, ledger, [card]).rows if row.action is Action.TWIN}
    assert sorted(stays) == [str(card / "copy" / "P0.JPG"), str(card / "copy" / "P0.xmp")]
    assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).failed == []
    at_home = {name for name in names_below(library.root) if name.endswith(".xmp")}
    assert at_home == {"2026/05/20260514_100013.xmp", "2026/05/20260514_100113.jpg.xmp"}
    for _ in range(2):
        assert {row.action for row in planned(library, ledger, [card]).rows} == {Action.HOME}
        assert known(library, ledger, card) is not None
    (Path(library.root) / "2026/05/20260514_100113.jpg.xmp").unlink()
    assert known(library, ledger, card) is None
    (again,) = planned(library, ledger, [card]).to_bring()
    assert (again.source, again.destination) == (
        str(card / "DCIM" / "P1.JPG.xmp"), "2026/05/20260514_100113.jpg.xmp",
    )  # fmt: skip


def test_a_sidecar_whose_name_was_taken_is_home_when_it_comes_again(
    library: Library, ledger: Ledger, card: Path
) -> None:
    """It lies under a name of its own then, and is known by where it came from."""
    put(card / "P0.JPG", making.jpeg())
    assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).failed == []
    put(Path(library.root) / "2026" / "05" / "20260514_102613.xmp", b"what another program wrote")
    put(card / "P0.xmp", making.xmp())
    assert bring(planned(library, ledger, [card]), library, ledger, stop=never()).failed == []
    assert {row.action for row in planned(library, ledger, [card]).rows} == {Action.HOME}
    put(card / "P0.JPG", making.jpeg(WHEN.replace(minute=7), seed=7))
    assert {row.action for row in planned(library, ledger, [card]).rows} == {Action.BRING}, "another picture, same path"
