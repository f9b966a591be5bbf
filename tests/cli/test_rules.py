"""House rules and re-filing on the command line."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from jutrek.demo import Scenario
from jutrek.library import new_library
from tests import making
from tests.cli import calling
from tests.cli.calling import Said
from tests.making import names_below, put

Jutrek = Callable[..., Said]


@pytest.fixture
def jutrek() -> Jutrek:
    """The program as a call within this process, with the exit code that is expected of it."""
    return calling.jutrek


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """An empty folder for a library."""
    (tmp_path / "home").mkdir()
    return Path(new_library(str(tmp_path / "home")).root)


def test_rules_are_shown_set_checked_and_copied(jutrek: Jutrek, home: Path, tmp_path: Path) -> None:
    """By table and key; what is no rule is refused with the place; nothing of a wrong call is kept."""
    jutrek("rules", "set", "--library", home, "filing.layout={year}/{kind}", "days.start=05:00", "sidecars.words=['a']")
    shown = jutrek("rules", "show", "--library", home).stdout
    assert 'layout = "{year}/{kind}"' in shown
    for wrong, says in (
        ("filing.layout={yer}", "Did you mean “year”?"),
        ("filing.nothing=1", "names no rule"),
        ("sidecars.words=[", "sidecars.words: it takes a list"),
        ("counter.start=abc", "counter.start: it takes a whole number from 0 to 999,999,999"),
        ("counter.start=-1", "it takes a whole number from 0"),
        ("filing.name={counter:99}", "a number of digits from 1 to 9"),
        ("filing.layout=", "a layout needs a folder"),
        ("scheme.1.layout=x", "there is no scheme 1"),
        ("scheme.new.layout=/x", "scheme.1.layout: At character 1"),
        ("scheme.new.colour=x", "there is no such rule"),
        ("scheme.new.kinds=sound", "scheme.1.kinds"),
        ("counter.start='a'", "counter.start"),
    ):
        assert says in " ".join(jutrek("rules", "set", "--library", home, wrong, code=2).stderr.split())
    pointed = jutrek("rules", "set", "--library", home, "filing.layout={year}/../x", code=2).stderr
    assert "    {year}/../x\n           ^" in pointed
    assert jutrek("rules", "show", "--library", home).stdout == shown
    jutrek("rules", "set", "--library", home, "scheme.new.words=a", "scheme.new.name={date}", "scheme.1.device=B")
    jutrek("rules", "set", "--library", home, 'scheme.new.kinds=["sound"]', "scheme.new.layout=S/{year}")
    told = jutrek("rules", "show", "--library", home).stdout
    assert 'device = "B"\nwords = "a"\nname = "{date}"\n\n[[scheme]]\nkinds = ["sound"]\nlayout = "S/{year}"' in told
    jutrek("rules", "set", "--library", home, "scheme.1=", "scheme.1=")
    assert jutrek("rules", "show", "--library", home).stdout == shown
    assert "\n    x|y\n     ^" in jutrek("rules", "try", home, "-l", home, "--layout", "x|y", code=2).stderr
    assert "can be used" in jutrek("rules", "check", home).stdout
    exported = put(tmp_path / "ours.toml", shown.encode())
    (tmp_path / "second").mkdir()
    jutrek("rules", "show", "--library", tmp_path / "second", code=3)
    jutrek("library", "new", tmp_path / "second")
    jutrek("rules", "set", "--library", tmp_path / "second", "--from", exported, "filing.name={date}")
    assert 'name = "{date}"' in jutrek("rules", "show", "--library", tmp_path / "second").stdout
    exported.write_text("[filing]\nlayout = '{'\n")
    assert "line 2" in jutrek("rules", "check", exported, code=3).stderr
    jutrek("rules", "set", "--library", home, code=2)


def test_rules_are_tried_without_a_trace(jutrek: Jutrek, demo: Scenario) -> None:
    """On sources or on what is home; as rows, or as the tree; nothing is kept."""
    before = names_below(demo.library)
    told = jutrek(
        "rules", "try", *demo.sources, "--library", demo.library, "--layout", "{client}/{place}/{filed}< {shoot}>",
        "--name", "{time}_{letter}", "--say", "client=Velmora line",
        "--describe", "2026-05-14=Bridge survey @ Upper valley",
    )  # fmt: skip
    rows = [line.split("\t") for line in told.stdout.splitlines()]
    assert any(row[1] == "Velmora line/Upper valley/20260514 Bridge survey" for row in rows)
    assert "205 of 214 names fit" in told.stderr
    tree = jutrek("rules", "try", "--library", demo.library, "--tree").stdout.splitlines()
    assert tree[:2] == ["2024  29", "  04  4"]
    assert names_below(demo.library) == before
    for wrong in (("--layout", "{x}"), ("--say", "colour=red"), ("--describe", "14 May=x")):
        jutrek("rules", "try", *demo.sources, "--library", demo.library, *wrong, code=2)


def test_plans_follow_house_rules_and_options(jutrek: Jutrek, home: Path, card: Path) -> None:
    """Kept rules hold, an option holds for once, and a broken file is told with what holds instead."""
    put(card / "A.JPG", making.jpeg())
    jutrek("rules", "set", "--library", home, "filing.layout={kind}")
    assert "Stills/20260514_102613.jpg" in jutrek("plan", card, "--library", home).stdout
    once = jutrek("plan", card, "--library", home, "--layout", "{job}/x", "--name", "{hour}", "--say", "job=7").stdout
    assert "7/x/10.jpg" in once
    jutrek("plan", card, "--library", home, "--name", "{hour}/", code=2)
    (home / ".jutrek" / "house-rules.toml").write_text("[filing]\nlayout = 3\n")
    broken = jutrek("plan", card, "--library", home)
    assert "line 2" in broken.stderr
    assert "last good rules hold" in broken.stderr
    assert "Stills/" in broken.stdout


def test_a_library_is_re_filed(jutrek: Jutrek, home: Path, card: Path, tmp_path: Path) -> None:
    """Shown first, moved with --go or from a saved plan, taken back; other calls are refused."""
    put(card / "A.JPG", making.jpeg())
    put(card / "B.WAV", making.wav())
    jutrek("bring", card, "--library", home)
    before = names_below(home)
    jutrek("rules", "set", "--library", home, "filing.layout={kind}", "filing.name={original}")
    shown = jutrek("refile", "--library", home)
    assert shown.stdout.splitlines() == [
        "2026/05/20260514_102613.wav\tSound/B.wav",
        "2026/05/20260514_102613_420.jpg\tStills/A.jpg",
    ]
    assert names_below(home) == before
    saved = tmp_path / "refile.plan.json"
    jutrek("refile", "--library", home, "--out", saved)
    moved = jutrek("refile", "--library", home, "--plan", saved, "--json")
    assert [json.loads(line)["moved"] for line in moved.stdout.splitlines()] == [True, True]
    assert names_below(home) == {"Stills/A.jpg", "Sound/B.wav"}
    assert "0 files would move" in jutrek("refile", "--library", home).stderr
    (home / "Sound" / "B.wav").write_bytes(b"edited")
    back = jutrek("refile", "--library", home, "--take-back", code=1)
    assert "B.wav was changed since" in back.stderr
    assert names_below(home) == {"2026/05/20260514_102613_420.jpg", "Sound/B.wav"}
    assert json.loads(jutrek("refile", "--library", home, "--json", "--only", "folders").stdout)["rows"]
    jutrek("refile", "--library", home, "--only", "sounds", code=2)
    jutrek("refile", "--library", home, "--take-back", "--plan", saved, code=2)
    jutrek("refile", "--library", home, "--plan", put(tmp_path / "x", b"no plan"), code=2)
    jutrek("refile", "--library", home, "--go", "--year", "2026")
