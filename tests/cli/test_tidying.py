"""`jutrek tidy`: what is home, moved by hand from the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from jutrek.library import Library
from tests import making
from tests.cli.calling import jutrek
from tests.making import WHEN, names_below, put


@pytest.fixture
def home(library: Library) -> Library:
    for number in range(3):
        put(Path(library.root) / "yard" / f"P{number}.jpg", making.jpeg(WHEN.replace(minute=number), seed=number))
    put(Path(library.root) / "yard" / "P0.xmp", b"<x/>")
    put(Path(library.root) / "depot" / "P1.jpg", making.jpeg(WHEN.replace(hour=20), seed=8))
    return library


def names(library: Library) -> set[str]:
    return {one for one in names_below(library.root) if not one.startswith(".jutrek/")}


def test_each_act_and_back(home: Library) -> None:
    """What would move is said with --look; done, it tells how to take it back; taken back, all is as it was."""
    before = names(home)
    acts = (
        (["move", "yard/P0.jpg", "--to", "2026"], {"2026/P0.jpg", "2026/P0.xmp"}),
        (["move", "--that", "in 2026", "--own"], set()),
        (["rename", "yard/P0.jpg", "Boiler test"], {"yard/Boiler test.jpg", "yard/Boiler test.xmp"}),
        (["rename", "yard", "the yard"], {"the yard/P0.jpg"}),
        (["level", "yard", "--name", "2026"], {"2026/yard/P2.jpg"}),
        (["number", "yard/P2.jpg", "yard/P0.jpg", "--name", "Tour"], {"yard/Tour 01.jpg", "yard/Tour 02.xmp"}),
        (["name", "yard/P0.jpg", "--pattern", "{date}_{time}"], {"yard/20260514_100013.xmp"}),
        (["merge", "depot", "yard", "--taken", "both"], {"yard/P1_2.jpg"}),
        (["aside", "yard/P0.jpg"], set()),
    )  # fmt: skip
    for act, come in acts:
        look = jutrek("tidy", *act, "--look", "-l", home.root, code=1 if "--own" in act else 0)
        assert names(home) == before, act
        if "--own" in act:
            assert "can't be" in look.stderr
            continue
        said = jutrek("tidy", *act, "-l", home.root)
        assert names(home) != before and come <= names(home), (act, said.stderr)
        number = said.stderr.partition("take-back ")[2].partition("`")[0]
        jutrek("take-back", number, "-l", home.root)
        assert names(home) == before, act


def test_a_name_that_is_taken_is_asked_about(home: Library) -> None:
    """Nothing moves, and the code says so; JSON tells both."""
    act = ("tidy", "move", "depot/P1.jpg", "--to", "yard", "-l", home.root)
    said = jutrek(*act, code=1)
    assert "depot/P1.jpg can't be yard/P1.jpg: yard/P1.jpg has that name" in said.stderr
    assert json.loads(jutrek(*act, "--json", code=1).stdout)["clashes"] == [
        {"from": "depot/P1.jpg", "to": "yard/P1.jpg", "there": "yard/P1.jpg"}
    ]
    assert jutrek(*act, "--taken", "leave").stderr == "There is nothing to do.\n"
    assert json.loads(jutrek(*act, "--taken", "both", "--json").stdout)["files"] == 1
    assert "at the top already" in jutrek("tidy", "up", "yard", "-l", home.root, code=2).stderr


@pytest.mark.parametrize(
    ("act", "words"),
    [
        (("move", "nothing.jpg", "--to", "x"), "it is no capture or folder"),
        (("move", "../x", "--to", "x"), "it is not in the library"),
        (("move", "yard/P0.jpg", "--to", "../x"), "it is not in the library"),
        (("move", "yard/P0.jpg", "--to", ".jutrek/x"), "it is not in the library"),
        (("move", "yard/P0.jpg", "--to", "a?"), "a_ could be taken"),
        (("move", "yard", "--to", "yard/deeper"), "into itself"),
        (("rename", "yard/P0.jpg", "a/b"), "a_b could be taken"),
        (("merge", "yard", "yard/x"), "a part of it"),
        (("move", "--to", "x"), "nothing is meant"),
        (("move", "yard/P0.jpg"), "say where to"),
        (("rename", "yard", "ascmhl"), "it can't lie there"),
        (("aside", "yard"), "it is a folder"),
        (("number", "yard", "yard/P0.jpg", "--name", "x"), "it is a folder"),
    ],
)
def test_what_cannot_be_done_is_said(home: Library, act: tuple[str, ...], words: str) -> None:
    """And nothing moves."""
    before = names(home)
    said = jutrek("tidy", *act, "-l", home.root, code=2)
    assert words in " ".join(said.stderr.replace("│", " ").split())
    assert names(home) == before
