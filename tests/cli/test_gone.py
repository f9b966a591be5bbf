"""`jutrek gone`: what somebody deleted outside is missed, with all that was known of it, until it is back or let go."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import pytest

from jutrek.library import Library, Place, add_place
from jutrek.library.ledger import Ledger
from jutrek.transfer.checking import forget_gone
from tests import making
from tests.cli.calling import jutrek
from tests.making import WHEN, put, xmp


@pytest.fixture
def home(library: Library) -> Library:
    """Three captures, one with a raw and a sidecar; nothing was proven."""
    root = Path(library.root)
    for number, name in enumerate(("P0.jpg", "P1.jpg", "P1.dng", "P2.jpg")):
        data = making.dng(seed=1) if name.endswith("dng") else making.jpeg(WHEN, seed=number)
        put(root / "yard" / name, data)
    put(root / "yard/P1.xmp", xmp())
    jutrek("list", "-l", library.root)
    return library


def gone(home: Library, *more: str, code: int = 1) -> set[str]:
    said = jutrek("gone", "--json", *more, "-l", home.root, code=code).stdout
    return {json.loads(line)["path"] for line in said.splitlines()}


def listed(home: Library, sentence: str) -> list[str]:
    return jutrek("list", sentence, "-l", home.root).stdout.split()


def test_what_was_never_proven_is_missed_with_all_that_was_known(home: Library) -> None:
    for name in ("P0.jpg", "P1.jpg", "P1.dng", "P1.xmp"):
        (Path(home.root) / "yard" / name).unlink()
    assert gone(home) == {"yard/P0.jpg", "yard/P1.dng", "yard/P1.jpg"}
    # A raw and its picture are one capture still; dates, devices and folders hold.
    assert listed(home, "gone in May 2026 by M2") == ["yard/P0.jpg", "yard/P1.dng"]
    assert listed(home, "in May 2026") == ["yard/P2.jpg"]
    # What is back is missed no more: by its name, or by its content under another one.
    put(Path(home.root) / "yard/P0.jpg", making.jpeg(WHEN, seed=0))
    put(Path(home.root) / "elsewhere/P1.dng", making.dng(seed=1))
    other = put(Path(home.root) / "elsewhere/P1.jpg", making.jpeg(WHEN, seed=1))
    # Another one of its name and size, as its time says: nobody fingerprinted what is gone.
    os.utime(other, (1_700_000_000, 1_700_000_000))
    assert gone(home) == {"yard/P1.jpg"}


def test_missed_no_more_and_again(home: Library) -> None:
    (Path(home.root) / "yard/P0.jpg").unlink()
    (Path(home.root) / "yard/P2.jpg").unlink()
    said = jutrek("gone", "--let-go", "yard/P0.jpg", "-l", home.root, code=1)
    assert "1 file is missed no more" in said.stderr
    assert gone(home) == {"yard/P2.jpg"}
    jutrek("take-back", "1", "-l", home.root)
    assert gone(home) == {"yard/P0.jpg", "yard/P2.jpg"}
    assert gone(home, "--let-all-go", code=0) == set()
    assert listed(home, "gone") == []


def test_what_is_there_is_never_let_go_as_gone(home: Library) -> None:
    jutrek("check", "-l", home.root)
    assert gone(home, "--let-go", "yard/P2.jpg", code=0) == set()
    with Ledger(home.ledger_path) as ledger:
        assert forget_gone(home, ledger, ["yard/P2.jpg"]) == ("", 0)
        assert ledger.marks("")["yard/P2.jpg"].stands
    assert not [name for name in os.listdir(Path(home.root) / ".jutrek/journal") if "0002" in name]


def test_back_from_a_backup(home: Library, tmp_path: Path) -> None:
    (tmp_path / "Tarn").mkdir()
    tarn: Place = add_place(home, str(tmp_path / "Tarn"))
    jutrek("check", "-l", home.root)
    jutrek("catch-up", "-l", home.root)
    before = {one.name: one.read_bytes() for one in (Path(home.root) / "yard").iterdir()}
    put(Path(home.root) / "yard/late.jpg", making.jpeg(WHEN, seed=9))
    jutrek("list", "-l", home.root)
    shutil.rmtree(Path(home.root) / "yard")
    told = [json.loads(line) for line in jutrek("gone", "--json", "-l", home.root, code=1).stdout.splitlines()]
    assert {(one["path"], one["copies"]) for one in told} == {
        ("yard/late.jpg", 0), *((f"yard/{name}", 1) for name in before),
    }  # fmt: skip
    said = jutrek("gone", "--bring-back", "yard/P0.jpg", "-l", home.root, code=1)
    assert "1 file is back" in said.stderr
    jutrek("gone", "--bring-all-back", "-l", home.root, code=1)
    assert {one.name: one.read_bytes() for one in (Path(home.root) / "yard").iterdir()} == before
    assert gone(home) == {"yard/late.jpg"}
    assert Path(tarn.root, "yard/P0.jpg").exists()
    with Ledger(home.ledger_path) as ledger:
        assert {mark.path for mark in ledger.marks("").values() if mark.stands} >= {"yard/P0.jpg", "yard/P1.dng"}


def test_a_line_of_it_that_is_damaged_costs_what_it_said(home: Library) -> None:
    (Path(home.root) / "yard/P0.jpg").unlink()
    jutrek("list", "-l", home.root)
    for said in ("[", "[1]", '{"kind": 3, "taken": ["x"], "offset": "y", "path": "/etc/passwd"}'):
        with Ledger(home.ledger_path) as ledger, ledger._transaction() as connection:
            connection.execute("UPDATE lost SET said = ?", (said,))
        assert listed(home, "gone") == ["yard/P0.jpg"]
        assert gone(home) == {"yard/P0.jpg"}


def test_what_was_put_away_is_not_missed_by_a_ledger_that_was_lost(home: Library) -> None:
    """Such as sidecars that others took the place of: journals tell that they were proven."""
    jutrek("marks", "keep", "R", "-l", home.root)
    jutrek("marks", "keep", "P", "-l", home.root)
    for letter in "RP":
        jutrek("mark", "yard/P0.jpg", "--as", letter, "-l", home.root)
    Path(home.ledger_path).unlink()
    assert gone(home, code=0) == set()
    assert gone(home, "--let-all-go", code=0) == set()
