"""What changed outside, by content: moved, changed, gone, new; and what is being written is left alone."""

from __future__ import annotations

import json
import os
import random
import shutil
import threading
import time
from pathlib import Path

import pytest

from jutrek.filing import HouseRules
from jutrek.library import Filed, Library, Survey
from jutrek.library.ledger import Ledger
from jutrek.views.describing import describe
from jutrek.views.outside import outside
from tests import making
from tests.cli.calling import jutrek
from tests.making import WHEN, never, put


@pytest.fixture
def home(library: Library, ledger: Ledger) -> Library:
    """A library of which everything is known."""
    for number in range(8):
        name = f"{2020 + number // 4}/P{number}.jpg"
        when = WHEN.replace(minute=number)
        put(Path(library.root, name), making.jpeg(when, seed=number), when)
        ledger.put_filed([(name, Filed(f"2026-05-14T10:{number:02}:13", shoot=f"shoot {number}"))])
    looked(library, ledger)
    describe(library, ledger, HouseRules(), stop=never())
    return library


def looked(library: Library, ledger: Ledger, **how: bool) -> Survey:
    return outside(library, ledger, HouseRules(), rest=0, **how)


def shoot_of(ledger: Ledger, path: str) -> str:
    filed = ledger.filed(path)
    return filed.shoot if filed is not None else ""


def test_each_change_is_told_for_what_it_is(home: Library, ledger: Ledger) -> None:
    """A folder renamed, two names swapped, words written into a picture, another picture under a name."""
    root = Path(home.root)
    (root / "2020").rename(root / "first years")
    (root / "2021/P4.jpg").rename(root / "x")
    (root / "2021/P5.jpg").rename(root / "2021/P4.jpg")
    (root / "x").rename(root / "2021/P5.jpg")
    put(root / "2021/P6.jpg", (root / "2021/P6.jpg").read_bytes() + b"words")
    put(root / "2021/P7.jpg", making.jpeg(WHEN.replace(hour=23), seed=70), WHEN.replace(hour=23))
    put(root / "note.txt", b"new")
    seen = looked(home, ledger, take_in=False)
    assert looked(home, ledger) == seen
    assert set(seen.moves) == {
        *((f"2020/P{number}.jpg", f"first years/P{number}.jpg") for number in range(4)),
        ("2021/P4.jpg", "2021/P5.jpg"), ("2021/P5.jpg", "2021/P4.jpg"),
    }  # fmt: skip
    assert (seen.altered, seen.lost) == (("2021/P6.jpg",), ("2021/P7.jpg",))
    assert set(seen.came) == {"2021/P7.jpg", "note.txt"}
    shoots = {
        path: shoot_of(ledger, path) for path in ("first years/P2.jpg", "2021/P4.jpg", "2021/P6.jpg", "2021/P7.jpg")
    }
    assert list(shoots.values()) == ["shoot 2", "shoot 5", "shoot 6", ""]
    assert looked(home, ledger) == Survey(9)


@pytest.mark.parametrize("device", ["C1", "M2"])
def test_another_device_is_another_picture_and_other_words_are_not(home: Library, ledger: Ledger, device: str) -> None:
    """At the very time of the one that was there."""
    put(Path(home.root) / "2021/P4.jpg", making.jpeg(WHEN.replace(minute=4), seed=44, model=device) + b"x")
    seen = looked(home, ledger)
    told = ("2021/P4.jpg",)
    assert (seen.altered, seen.lost, seen.came) == ((told, (), ()) if device == "M2" else ((), told, told))


def test_what_is_being_written_is_left_until_it_rests(home: Library, ledger: Ledger) -> None:
    """Neither new nor, under a known name, changed or gone."""
    root, over = Path(home.root), threading.Event()
    whole = making.jpeg(WHEN.replace(hour=1), seed=99)

    def write() -> None:
        with (root / "coming.jpg").open("wb") as new, (root / "2021/P4.jpg").open("ab") as old:
            for at in range(0, len(whole), 16):
                for file, data in ((new, whole[at : at + 16]), (old, b"x")):
                    file.write(data)
                    file.flush()
                over.wait(0.02)
                if over.is_set():
                    break
            new.write(whole[at + 16 :])

    writer = threading.Thread(target=write)
    writer.start()
    try:
        time.sleep(0.1)
        seen = outside(home, ledger, HouseRules(), rest=0.3)
    finally:
        over.set()
        writer.join()
    assert (seen.came, seen.altered, seen.lost) == ((), (), ())
    assert seen.arriving == ("2021/P4.jpg", "coming.jpg")
    assert shoot_of(ledger, "2021/P4.jpg") == "shoot 4"
    seen = outside(home, ledger, HouseRules(), rest=0.05)
    assert (seen.came, seen.altered) == (("coming.jpg",), ("2021/P4.jpg",))


@pytest.mark.parametrize("seed", range(8))
def test_whatever_somebody_does_with_names_what_is_known_stays_with_content(
    home: Library, ledger: Ledger, seed: int
) -> None:
    """Moves, swaps, copies and removals at random, against what each content was."""
    rng, root = random.Random(seed), Path(home.root)
    truth = {path.read_bytes(): shoot_of(ledger, str(path.relative_to(root))) for path in root.rglob("P*.jpg")}
    for _ in range(6):
        paths = sorted(path for path in root.rglob("*.jpg") if ".jutrek" not in path.parts)
        for path in rng.sample(paths, rng.randrange(1, len(paths))):
            to = (
                root / rng.choice(("2020", "2021", "new", "new/deep")) / rng.choice((path.name, f"Q{rng.random()}.jpg"))
            )
            if path.exists() and not to.exists():
                to.parent.mkdir(parents=True, exist_ok=True)
                path.rename(to)
        one, two = rng.sample(sorted(root.rglob("*.jpg")), 2)
        for old, new in ((one, root / "aside"), (two, one), (root / "aside", two)):
            old.rename(new)
        seen = looked(home, ledger)
        assert (seen.lost, seen.altered, seen.came) == ((), (), ())
        for path in root.rglob("*.jpg"):
            if ".jutrek" not in path.parts:
                assert shoot_of(ledger, str(path.relative_to(root))) == truth[path.read_bytes()]


def test_from_the_command_line(home: Library) -> None:
    """JSON tells paths; a folder that moved is one line; what was looked at only is told again."""
    root = Path(home.root)
    assert jutrek("outside", home.root).stderr.startswith("Nothing changed: 8 files.")
    shutil.move(root / "2020", root / "old")
    os.remove(root / "2021/P4.jpg")
    for _ in range(2):
        said = json.loads(jutrek("outside", home.root, "--look", "--json").stdout)
        assert said == {
            "moved": [[f"2020/P{number}.jpg", f"old/P{number}.jpg"] for number in range(4)], "changed": [],
            "gone": ["2021/P4.jpg"], "new": [],
        }  # fmt: skip
    said = jutrek("outside", home.root)
    assert said.stdout.splitlines() == ["moved\t2020/\told/\t4 files", "gone\t2021/P4.jpg"]
    assert jutrek("outside", home.root, "--json").stdout == '{"moved": [], "changed": [], "gone": [], "new": []}\n'
