"""Ten ways to file, one after the other over the same library, and back: every tree exact, every byte as it was."""

from __future__ import annotations

from pathlib import Path

import pytest

from jutrek.filing import HouseRules, Per, Scheme
from jutrek.library import Library, new_library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring, last_refiling, plan_taking_back
from jutrek.transfer.saying import Words, say
from tests import making
from tests.making import WHEN, everything, never, planned, put
from tests.transfer.test_refiling import go, plan_of

SCHEMES = (
    HouseRules(),
    HouseRules(layout="{year}/{date} {shoot}", name="{date}_{time}_{letter}"),
    HouseRules(layout="{kind}/{year}/{month:name}", name="{shot:%d %H.%M.%S}< {place}>"),
    HouseRules(layout="{client}/{job}", name="{job}_{counter:4}", counter_per=Per.DAY, counter_start=1),
    HouseRules(layout="All", name="{date}"),
    HouseRules(layout="{year}/{week}", name="{original}"),
    HouseRules(layout="{year}", name="{date}_{counter:5}", counter_per=Per.LIBRARY, counter_start=100),
    HouseRules(layout="{shoot}/{device}", name="{time}< by {operator}>"),
    HouseRules(layout="{filed}", name="{hour}_{counter:2}", counter_per=Per.FOLDER),
    HouseRules(
        layout="Pictures/{year}-{month}", name="{date}-{time}",
        schemes=(Scheme(("sound",), layout="Sound/{filed}"), Scheme(words="Depot", layout="Depot", name="{counter:3}")),
    ),
)  # fmt: skip


TREES = (
    """
2025/05: 20250514_102613.jpg
2026/05: 20260514_100013.dng+jpg | 20260514_100713.dng+jpg | 20260514_101413.dng+jpg | 20260514_172613.jpg |
  20260514_172613_420.jpg | 20260514_172613_b03.jpg | 20260515_012613.wav | 20260515_102613.mp4
    """,
    """
2025/20250514: 20250514_102613.jpg
2026/20260514 Bridge survey: 20260514_100013.dng+jpg | 20260514_100713.dng+jpg | 20260514_101413.dng+jpg
2026/20260514 Depot: 20260514_172613.jpg | 20260514_172613_420.jpg | 20260514_172613_b03.jpg | 20260515_012613.wav
2026/20260515: 20260515_102613.mp4
    """,
    """
Clips/2026/May: 15 10.26.13.mp4
Sound/2026/May: 15 01.26.13.wav
Stills/2025/May: 14 10.26.13.jpg
Stills/2026/May: 14 10.00.13 Upper valley.dng+jpg | 14 10.07.13 Upper valley.dng+jpg |
  14 10.14.13 Upper valley.dng+jpg | 14 17.26.13.jpg | 14 17.26.13_420.jpg | 14 17.26.13_b03.jpg
    """,
    """
.: 0001.jpg | 0002.mp4 | 0004.jpg | 0005.jpg | 0006.jpg | 0007.wav
Velmora line/26-014: 26-014_0001.dng+jpg | 26-014_0002.dng+jpg | 26-014_0003.dng+jpg
    """,
    """
All: 20250514.jpg | 20260514.dng+jpg | 20260514_2.dng+jpg | 20260514_420.dng+jpg | 20260514_b01.jpg |
  20260514_b02.jpg | 20260514_b03.jpg | 20260515.wav | 20260515_2.mp4
    """,
    """
2025/20: X1.jpg
2026/20: BST0.jpg | BST1.jpg | BST2.jpg | C1.mp4 | DSC0.dng+jpg | DSC1.dng+jpg | DSC2.dng+jpg | T1.wav
    """,
    """
2025: 20250514_00100.jpg
2026: 20260514_00101.dng+jpg | 20260514_00102.dng+jpg | 20260514_00103.dng+jpg | 20260514_00104.jpg |
  20260514_00105.jpg | 20260514_00106.jpg | 20260515_00107.wav | 20260515_00108.mp4
    """,
    """
.: 102613.jpg | 102613_2.mp4
Bridge survey: 100013.dng+jpg | 100713.dng+jpg | 101413.dng+jpg
Depot: 012613 by Ilva.wav | 172613 by Ilva.jpg | 172613 by Ilva_420.jpg | 172613 by Ilva_b03.jpg
    """,
    """
20250514: 10_01.jpg
20260514: 01_07.wav | 10_01.dng+jpg | 10_02.dng+jpg | 10_03.dng+jpg | 17_04.jpg | 17_05.jpg | 17_06.jpg
20260515: 10_01.mp4
    """,
    """
Depot: 001.jpg | 002.jpg | 003.jpg
Pictures/2025-05: 20250514-102613.jpg
Pictures/2026-05: 20260514-100013.dng+jpg | 20260514-100713.dng+jpg | 20260514-101413.dng+jpg | 20260515-102613.mp4
Sound/20260514: 20260515-012613.wav
    """,
)
"""What each of them makes of the card: folder by folder, names with all their extensions."""


def fill(card: Path) -> None:
    """Pairs, a burst in one second, a recording in the night, a clip with its own sound, another year."""
    for number in range(3):
        when = WHEN.replace(minute=number * 7)
        put(card / "DCIM" / f"DSC{number}.DNG", making.dng(when))
        put(card / "DCIM" / f"DSC{number}.JPG", making.jpeg(when, seed=number))
    for number in range(3):
        put(card / "DCIM" / f"BST{number}.JPG", making.jpeg(WHEN.replace(hour=17), seed=20 + number))
    put(card / "DCIM" / "X1.JPG", making.jpeg(WHEN.replace(year=2025), seed=40, model="C1"))
    put(card / "CLIP" / "C1.MP4", making.mp4(WHEN.replace(day=15), media=b"clip"))
    put(card / "T1.WAV", making.wav(WHEN.replace(day=15, hour=1)))


def said(library: Library, ledger: Ledger) -> None:
    """What people say of it, by the names on the card: the same, however it is filed."""
    for path, one in ledger.all_filed().items():
        if "DSC" in one.original:
            say(library, ledger, [path], Words("Bridge survey @ Upper valley", job="26-014", client="Velmora line"))
        elif "BST" in one.original or "T1" in one.original:
            say(library, ledger, [path], Words("Depot", person="Ilva"))


Trees = dict[str, tuple[str, int, int]]


def tree(library: Library) -> Trees:
    """Content, time of change and mode of every file at home, by path."""
    found = {path[len(library.root) + 1 :]: one for path, one in everything(library.root).items() if one[0]}
    return {path: (one[0], one[1], one[3]) for path, one in found.items() if not path.startswith(".jutrek/")}


def names_in(text: str) -> set[str]:
    """The paths that a text of `TREES` tells."""
    found = set()
    for line in text.replace("|\n", "| ").strip().splitlines():
        folder, _, names = line.strip().partition(": ")
        for name in names.split(" | "):
            stem, _, endings = name.strip().rpartition(".")
            found |= {f"{folder}/{stem}.{ending}".removeprefix("./") for ending in endings.split("+")}
    return found


def home_by(rules: HouseRules, root: Path, card: Path) -> tuple[Library, Ledger]:
    root.mkdir()
    library = new_library(str(root))
    ledger = Ledger(f"{root}.sqlite")
    assert bring(planned(library, ledger, [card], rules), library, ledger, stop=never()).failed == []
    survey(library, ledger)
    said(library, ledger)
    return library, ledger


@pytest.mark.parametrize("number", range(len(SCHEMES)))
def test_a_scheme_is_reached_from_any_other(number: int, tmp_path: Path, card: Path) -> None:
    """What was filed by the scheme before lies, re-filed, as if it had been re-filed from the house's own rules."""
    fill(card)
    rules = SCHEMES[number]
    (library, ledger), (other, others) = (
        home_by(start, tmp_path / name, card) for start, name in ((SCHEMES[number - 1], "one"), (HouseRules(), "two"))
    )
    for home, own in ((library, ledger), (other, others)):
        go(plan_of(home, own, rules), home, own)
        assert plan_of(home, own, rules).rows == ()
    assert tree(library).keys() == tree(other).keys()
    ledger.close()
    others.close()


def test_ten_schemes_there_and_back(tmp_path: Path, card: Path) -> None:
    fill(card)
    library, ledger = home_by(SCHEMES[0], tmp_path / "home", card)
    trees = [tree(library)]
    for rules in SCHEMES[1:]:
        outcome = go(plan_of(library, ledger, rules), library, ledger)
        assert (outcome.failed, outcome.trouble) == ([], None)
        trees.append(tree(library))
        assert sorted(trees[-1].values()) == sorted(trees[0].values())
    for made, expected in zip(trees, TREES, strict=True):
        assert made.keys() == names_in(expected)
    while last := last_refiling(library):
        assert tree(library) == trees.pop()
        back, left = plan_taking_back(library, last)
        assert left == []
        go(back, library, ledger, takes_back=last)
    assert tree(library) == trees.pop()
    assert trees == []
    ledger.close()
