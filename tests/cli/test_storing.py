"""`jutrek store`, `fetch`, `archive`: as somebody types them."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from jutrek.library import Library, add_place
from tests.cli.calling import jutrek
from tests.making import WHEN, jpeg, put


@pytest.fixture
def home(library: Library, tmp_path: Path) -> Library:
    """Two folders of three captures each, and a place for a drive."""
    for number in range(6):
        year = 2024 + number % 2
        own = WHEN.replace(year=year, second=number)
        put(Path(library.root, f"{year}", "yard", f"P{number}.jpg"), jpeg(own, seed=number), own)
    (tmp_path / "Heron").mkdir()
    return library


def stored(home: Library) -> list[list[str]]:
    return [line.split("\t") for line in jutrek("list", "stored away", "-l", home.root).stdout.splitlines()]


def test_there_and_back(home: Library, tmp_path: Path) -> None:
    heron = tmp_path / "Heron"
    said = jutrek("store", "2024", "--on", heron, "--look", "-l", home.root)
    assert "3 files" in said.stderr
    assert "free there" in said.stderr
    assert not (heron / "2024").exists()
    said = jutrek("store", "2024", "--on", heron, "-l", home.root)
    assert "3 files are stored on Heron, 0 not." in said.stderr
    assert not Path(home.root, "2024").exists()
    assert stored(home) == [[f"2024/yard/P{number}.jpg", "on Heron"] for number in (0, 2, 4)]
    page = json.loads(jutrek("archive", "show", "--json", "-l", home.root).stdout)
    assert [(one["name"], one["files"], one["connected"]) for one in page] == [("Heron", 3, True)]
    assert "3 files as they were proven" in jutrek("check", "--backup", "Heron", "-l", home.root).stderr
    os.rename(heron, tmp_path / "away")
    assert [where for _, where in stored(home)] == ["on Heron, away"] * 3
    line = jutrek("list", "--json", "stored away", "-l", home.root).stdout.splitlines()[0]
    assert json.loads(line)["drive"] == {"name": "Heron", "connected": False}
    assert "Heron is away" in jutrek("fetch", "2024", "-l", home.root, code=2).stderr
    assert "stored away; fetch it first" in jutrek("tidy", "move", "2024", "--to", "x", "-l", home.root, code=2).stderr
    jutrek("marks", "keep", "R", "for the report", "-l", home.root)
    assert "can't be marked" in jutrek("mark", "2024/yard/P0.jpg", "--as", "R", "-l", home.root, code=1).stderr
    assert "away" in jutrek("archive", "show", "-l", home.root).stdout
    os.rename(tmp_path / "away", heron)
    done = json.loads(jutrek("fetch", "2024/yard/P0.jpg", "--json", "-l", home.root).stdout)
    assert (done["files"], done["done"]) == (1, 1)
    jutrek("store", "2025/yard", "-l", home.root)
    assert len(stored(home)) == 5
    jutrek("fetch", ".", "-l", home.root)
    assert (stored(home), len(list(Path(home.root, "2024", "yard").iterdir()))) == ([], 3)
    assert "nothing of 2024 is stored" in jutrek("fetch", "2024", "-l", home.root, code=2).stderr


def test_which_drive_is_meant_has_to_be_said(home: Library, tmp_path: Path) -> None:
    assert "say on which drive" in jutrek("store", "2024", "-l", home.root, code=2).stderr
    assert "there is no folder" in jutrek("store", "x", "--on", tmp_path / "Heron", "-l", home.root, code=2).stderr


def test_the_house_wants_two_copies(home: Library, tmp_path: Path) -> None:
    put(Path(home.root, ".jutrek", "house-rules.toml"), b"format = 1\n[copies]\nleast-copies = 2\n")
    said = jutrek("store", "2024", "--on", tmp_path / "Heron", "--look", "-l", home.root, code=1).stderr
    assert "3 files would stay" in said
    assert "there would be 1" in jutrek("store", "2024", "--on", tmp_path / "Heron", "-l", home.root, code=2).stderr
    (tmp_path / "Tarn").mkdir()
    add_place(home, str(tmp_path / "Tarn"))
    jutrek("check", "-l", home.root)
    jutrek("catch-up", "-l", home.root)
    jutrek("store", "2024", "--on", "Heron", "-l", home.root)
    assert len(stored(home)) == 3


def test_drives_are_called_otherwise_and_forgotten(home: Library, tmp_path: Path) -> None:
    jutrek("store", "2024", "--on", tmp_path / "Heron", "-l", home.root)
    jutrek("archive", "rename", "Heron", "Kestrel", "-l", home.root)
    assert stored(home)[0][1] == "on Kestrel"
    assert "3 files are stored on Kestrel" in jutrek("archive", "forget", "Kestrel", "-l", home.root, code=2).stderr
    said = jutrek("archive", "forget", "Kestrel", "--lost", "-l", home.root).stderr
    assert "3 files are gone" in said
    assert jutrek("archive", "show", "-l", home.root).stdout == ""
    assert len(jutrek("gone", "--json", "-l", home.root, code=1).stdout.splitlines()) == 3
    assert "no archive drive" in jutrek("archive", "forget", "Kestrel", "-l", home.root, code=2).stderr
    assert "neither a folder" in jutrek("store", "2025", "--on", "Kestrel", "-l", home.root, code=3).stderr
