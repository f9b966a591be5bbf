"""Folders in which nothing lies are removed, and made again; whatever lies anywhere in one keeps it."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from jutrek.disk import inside
from jutrek.library import Library
from jutrek.transfer.empty_folders import empty_folders, remove_empty
from tests.cli.calling import jutrek
from tests.making import put


@pytest.fixture
def home(library: Library) -> Library:
    root = Path(library.root)
    for folder in ("a/b/c", "a/d", "e/f", "g", "ascmhl"):
        (root / folder).mkdir(parents=True)
    put(root / "e/P1.jpg", b"x")
    (root / "g/link").symlink_to(root / "a")
    return library


def folders(home: Library) -> set[str]:
    return {os.path.relpath(top, home.root) for top, *_ in os.walk(home.root) if ".jutrek" not in top} - {"."}


def test_removed_and_made_again(home: Library) -> None:
    before = folders(home)
    assert empty_folders(home) == ["a/b/c", "e/f", "a/d", "a/b", "a"]
    assert empty_folders(home, "a/b") == ["a/b/c", "a/b"]
    assert "5 empty folders would be removed" in jutrek("tidy", "empty", "--look", "-l", home.root).stderr
    assert folders(home) == before
    jutrek("tidy", "empty", "a/b", "-l", home.root)
    assert before - folders(home) == {"a/b", "a/b/c"}
    jutrek("tidy", "empty", "-l", home.root)
    assert folders(home) == {"e", "g", "ascmhl"}
    assert jutrek("take-back", "2", "--dry-run", "-l", home.root).stdout.split() == ["a", "a/d", "e/f"]
    for run in "21":
        assert "there again" in jutrek("take-back", run, "-l", home.root).stderr
    assert folders(home) == before


def test_what_comes_meanwhile_keeps_its_folder(home: Library) -> None:
    found = empty_folders(home)
    put(Path(home.root) / "a/d/late.jpg", b"x")
    assert remove_empty(home, found)[1] == 3
    assert (Path(home.root) / "a/d/late.jpg").exists()


@pytest.mark.parametrize("seed", range(20))
def test_random_trees(library: Library, seed: int) -> None:
    """Against a walk from below."""
    chance, root = random.Random(seed), Path(library.root)
    paths = [Path()]
    for number in range(30):
        paths.append(chance.choice(paths) / str(number))
        (root / paths[-1]).mkdir()
        if chance.random() < 0.3:
            (root / paths[-1] / "file").touch()
    full = {above for file in root.rglob("file") for above in file.relative_to(root).parents}
    assert set(empty_folders(library)) == {str(one) for one in paths if one not in full and one != Path()}
    assert remove_empty(library, empty_folders(library))[1] == 30 - len(full - {Path()})


def test_a_very_deep_one(library: Library) -> None:
    deep = inside("/".join(["a"] * 900))
    library.tree.make_folders(deep)
    assert len(empty_folders(library)) == 900
