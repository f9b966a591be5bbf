"""`jutrek adopt`, `doubles`, `find` and what `plan` and `bring` say of doubles."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from jutrek.demo.copies import worded
from jutrek.library import new_library
from jutrek.library.kept import keep_beside
from jutrek.library.ledger import Ledger
from tests.cli.test_rules import Jutrek, home, jutrek  # noqa: F401
from tests.doubles.common import encoded, scene, shot
from tests.making import names_below, put


@pytest.fixture
def mess(home: Path) -> Path:  # noqa: F811
    """A library with a file twice, and a small export of it."""
    put(home / "2026/05/a.jpg", shot(0))
    put(home / "mess/a.jpg", shot(0))
    put(home / "mess/small.jpg", encoded(scene(0).resize((150, 100))))
    return home


def test_a_library_is_adopted_and_its_doubles_are_listed(jutrek: Jutrek, mess: Path) -> None:  # noqa: F811
    """One JSON object for each group and line; only what changed is looked at again; nothing is changed."""
    before = names_below(str(mess))
    assert "3 files, 3 looked at; 3 new" in jutrek("adopt", mess).stderr
    put(mess / "2026/05/b.jpg", shot(5))
    assert "4 files, 1 looked at; 1 new" in jutrek("adopt", mess).stderr
    told = jutrek("doubles", mess, "--json").stdout.splitlines()
    assert [json.loads(line) for line in told] == [
        {"degree": "bytes", "files": ["2026/05/a.jpg", "mess/a.jpg"], "keeper": "2026/05/a.jpg",
         "why": "It lies in a dated folder."},
        {"degree": "picture", "files": ["2026/05/a.jpg", "mess/small.jpg"], "keeper": "2026/05/a.jpg",
         "why": "It says which device made it, it has more pixels and it has a date."},
    ]  # fmt: skip
    plain = jutrek("doubles", mess, "--degree", "bytes")
    assert plain.stdout.splitlines()[1] == "\t\tmess/a.jpg"
    assert plain.stderr.startswith("1 group of doubles; without those that look alike 0.0 MB")
    assert jutrek("doubles", mess, "--degree", "alike", "--json").stdout == ""
    library = new_library(str(mess))
    with Ledger(library.ledger_path) as ledger:
        marks = [one.quick or b"" for one in ledger.of_paths(["2026/05/a.jpg", "mess/a.jpg"]).values()]
    keep_beside(library, [marks])
    assert len(jutrek("doubles", mess, "--json").stdout.splitlines()) == 1
    assert names_below(str(mess)) == before | {"2026/05/b.jpg"}


def test_do_i_have_this(jutrek: Jutrek, mess: Path, tmp_path: Path) -> None:  # noqa: F811
    """0 when all is home, else 1; folders are walked; what cannot be is said."""
    asked = tmp_path / "asked"
    put(asked / "1.jpg", shot(0))
    told = jutrek("find", asked / "1.jpg", "--library", mess, "--json").stdout.splitlines()
    assert [json.loads(line) for line in told] == [
        {"path": str(asked / "1.jpg"), "standing": "home", "at": ["2026/05/a.jpg", "mess/a.jpg"]}
    ]
    put(asked / "sub/2.jpg", worded(shot(0), ["bridge"], ""))
    put(asked / "3.jpg", shot(9))
    plain = jutrek("find", asked, "--library", mess, code=1).stdout.splitlines()
    assert sorted(line.split("\t")[0] for line in plain) == ["home", "new", "retagged"]
    assert "there is no such folder" in jutrek("find", asked, "--library", tmp_path / "none", code=3).stderr
    assert "lies inside the library" in jutrek("find", mess / "mess", "--library", mess, code=2).stderr
    assert not (tmp_path / "none").exists()
    assert "there is no such folder" in jutrek("adopt", tmp_path / "none", code=3).stderr


def test_plans_ask_about_what_is_there_with_other_metadata(
    jutrek: Jutrek, mess: Path, card: Path  # noqa: F811
) -> None:  # fmt: skip
    """Once the library was adopted. What waits is told, and stays; house rules can have it otherwise."""
    put(card / "1.jpg", worded(shot(0), ["bridge"], ""))
    jutrek("adopt", mess)
    told = jutrek("plan", card, "--library", mess)
    assert "1 picture is at home already, with other notes" in told.stderr
    assert jutrek("bring", card, "--library", mess, code=1).stdout == f"stay\t{card}/1.jpg\t-\n"
    jutrek("rules", "set", "--library", mess, "doubles.retagged=bring")
    jutrek("bring", card, "--library", mess)
    assert "2026/05/20260514_102613.jpg" in names_below(str(mess))
