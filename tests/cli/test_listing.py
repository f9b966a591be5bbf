"""`jutrek list` and `jutrek view`: what a library holds, from scripts."""

from __future__ import annotations

import json
import os
import re
from collections import Counter
from datetime import datetime
from pathlib import Path

import pytest

from jutrek.demo import Scenario
from jutrek.library import Library
from tests import making
from tests.cli.calling import jutrek
from tests.making import put

DOCS = Path(__file__).parents[2] / "docs" / "sentences.md"


@pytest.fixture
def home(library: Library) -> Library:
    """Captures around the last week of 2020, one in no year, one with a companion."""
    root = Path(library.root)
    for day, name in ((27, "a"), (28, "b"), (31, "c")):
        put(root / "2020" / f"{name}.jpg", making.jpeg(datetime(2020, 12, day, 0, 0, 1), seed=day))
    put(root / "2021" / "d.jpg", making.jpeg(datetime(2021, 1, 3, 23, 59, 59), seed=3))
    put(root / "2021" / "e.dng", making.dng(datetime(2021, 1, 4), seed=4))
    put(root / "2021" / "e.jpg", making.jpeg(datetime(2021, 1, 4), seed=4))
    put(root / os.fsdecode(b"odd \xff") / "line\nbreak\x1b[31m.jpg", making.jpeg(None, seed=5))
    return library


def test_a_week_belongs_to_the_year_of_its_thursday(home: Library) -> None:
    said = jutrek("list", "week 53 of 2020", "-l", home.root)
    assert said.stdout.splitlines() == ["2020/b.jpg", "2020/c.jpg", "2021/d.jpg"]
    assert said.stderr == "3 captures: in week 53 of 2020.\n"
    assert jutrek("list", "week", "53", "of", "2020", "--count", "-l", home.root).stdout == "3\n"
    weeks = dict(line.split("\t")[::-1] for line in jutrek("list", "--by", "week", "-l", home.root).stdout.splitlines())
    assert weeks == {"2020-W52": "1", "2020-W53": "3", "2021-W01": "1", "(none)": "1"}


def test_json_has_an_object_for_each_capture(home: Library) -> None:
    lines = jutrek("list", "--json", "-l", home.root).stdout.splitlines()
    told = [json.loads(line) for line in lines]
    e = next(one for one in told if one["path"] == "2021/e.dng")
    assert e == {
        "path": "2021/e.dng", "companions": ["2021/e.jpg"], "kind": "still", "format": "dng",
        "moment": {"local": "2021-01-04T00:00:00.0", "offset": "+02:00", "precision": "subsecond", "trust": "sure"},
        "device": "Arlen M2", "lens": "35 mm f/1.8", "likely": "photograph", "keywords": [], "mark": None,
        "folder": "2021", "copies": 0, "standing": "home", "size": e["size"], "drive": None,
    }  # fmt: skip
    assert e["size"] == sum((Path(home.root) / path).stat().st_size for path in ("2021/e.dng", "2021/e.jpg"))
    odd = told[-1]
    assert odd["moment"] is None
    assert os.fsencode(odd["path"]) == b"odd \xff/line\nbreak\x1b[31m.jpg"
    plain = jutrek("list", "undated", "-l", home.root).stdout
    assert plain == "odd \\xff/line\\nbreak\\x1b[31m.jpg\n"
    kinds = [json.loads(line) for line in jutrek("list", "--by", "kind", "--json", "-l", home.root).stdout.splitlines()]
    assert kinds == [{"by": "kind", "value": "still", "count": 6}]
    assert json.loads(jutrek("list", "--count", "--json", "-l", home.root).stdout) == {"count": 6}


def test_what_is_no_sentence_is_pointed_at(home: Library) -> None:
    said = jutrek("list", "stills", "boiler", "-l", home.root, code=2)
    assert "“boiler” is no word of a sentence" in said.stderr
    assert "stills boiler\n           ^" in said.stderr
    assert jutrek("list", "x" * 20_001, "-l", home.root, code=2).stdout == ""


def test_doubles_are_looked_for_before_they_are_listed(home: Library) -> None:
    put(Path(home.root) / "again.jpg", (Path(home.root) / "2020" / "b.jpg").read_bytes())
    assert jutrek("list", "doubled", "-l", home.root).stdout.splitlines() == ["again.jpg", "2020/b.jpg"]


def test_the_disk_is_what_counts(home: Library) -> None:
    assert jutrek("list", "--count", "-l", home.root).stdout == "6\n"
    (Path(home.root) / "2020" / "a.jpg").rename(Path(home.root) / "moved.jpg")
    (Path(home.root) / "2020" / "c.jpg").unlink()
    found = jutrek("list", "in December 2020", "-l", home.root).stdout.splitlines()
    assert found == ["moved.jpg", "2020/b.jpg"]


def test_views_are_kept_listed_and_removed(home: Library) -> None:
    said = jutrek("view", "keep", "Turn of the year", "from", "28 December 2020", "to 3 January 2021", "-l", home.root)
    assert "“Turn of the year” shows from 28 December 2020 to 3 January 2021." in said.stderr
    assert "53 weeks of 2020 kept." in jutrek("view", "weeks", "2020", "-l", home.root).stderr
    listed = jutrek("view", "list", "-l", home.root).stdout.splitlines()
    assert listed[0].split("\t") == ["3", "Turn of the year", "from 28 December 2020 to 3 January 2021", ""]
    assert listed[53].split("\t") == ["3", "Week 53 of 2020", "in week 53 of 2020", "Weeks of 2020"]
    found = jutrek("list", "since 2021", "--view", "turn of the YEAR", "-l", home.root).stdout
    assert found == "2021/d.jpg\n"
    assert "It showed: from 28" in jutrek("view", "remove", "Turn of the year", "-l", home.root).stderr
    jutrek("list", "--view", "Turn of the year", "-l", home.root, code=2)
    jutrek("view", "keep", "x", "no sentence", "-l", home.root, code=2)


def test_the_examples_of_the_manual_find_what_it_says(demo: Scenario) -> None:
    examples = re.findall(r"^\| `(.+)` \| (\d+) \|$", DOCS.read_text(), re.MULTILINE)
    assert len(examples) == 10
    assert Counter(said for said, _ in examples).most_common(1)[0][1] == 1
    found = {said: int(jutrek("list", said, "--count", "-l", demo.library).stdout) for said, _ in examples}
    assert found == {said: int(count) for said, count in examples}


def test_shelves_have_an_order_of_their_own(home: Library) -> None:
    def on(name: str) -> list[str]:
        return jutrek("list", "on", "shelf", name, "-l", home.root).stdout.splitlines()

    said = jutrek("shelf", "put", "Posters", "in", "2020", "or", "as", "dng", "-l", home.root)
    assert said.stderr.startswith("4 captures put on “Posters”, 4 of them new on it.")
    jutrek("shelf", "put", "posters", '"d.jpg"', "--before", "2020/b.jpg", "-l", home.root)
    assert on("POSTERS") == ["2020/a.jpg", "2021/d.jpg", "2020/b.jpg", "2020/c.jpg", "2021/e.dng"]
    assert jutrek("shelf", "take", "Posters", '"b.jpg"', "-l", home.root).stderr.startswith("1 capture taken off")
    Path(home.root, "2020", "c.jpg").unlink()
    told = json.loads(jutrek("shelf", "list", "--json", "-l", home.root).stdout)
    assert told == {"name": "Posters", "count": 3, "missing": ["2020/c.jpg"]}
    jutrek("shelf", "rename", "Posters", "Walls", "-l", home.root)
    jutrek("shelf", "remove", "walls", "-l", home.root)
    jutrek("list", "on", "shelf", "Walls", "-l", home.root, code=2)
    assert jutrek("shelf", "back", "-l", home.root).stdout == "4\tWalls\n"
    assert on("Walls") == ["2020/a.jpg", "2021/d.jpg", "2021/e.dng"]
    jutrek("view", "keep", "W", "on shelf Walls", "-l", home.root)
    assert jutrek("view", "list", "-l", home.root).stdout.startswith("3\tW\t")
    for words in (("put", "Walls", '"a"', "--before", "2021/none.jpg"), ("take", "None", '"a"'), ("remove", "x")):
        jutrek("shelf", *words, "-l", home.root, code=2)
