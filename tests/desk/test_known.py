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
from tests.making import WHEN, never, planned, put

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
