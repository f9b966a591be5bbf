"""What is likely no photograph, on made-up names and sizes whose truth is known: misses and false alarms counted."""

from __future__ import annotations

import random
from collections import Counter

import pytest

from jutrek.filing import HouseRules
from jutrek.library.knowledge import Knowledge, KnownFile
from jutrek.sorting.piles import By, codes_of, counts_of
from jutrek.views.building import built
from jutrek.views.conditions import Sort, no
from jutrek.views.guessing import guess
from jutrek.views.laying import Layer
from jutrek.views.sentence import parse

CAMERAS = [
    (6000, 4000),
    (4032, 3024),
    (4000, 3000),
    (5472, 3648),
    (3264, 2448),
    (1600, 1200),
    (2592, 1944),
    (4608, 3456),
]
SCREENS = [(1920, 1080), (2532, 1170), (2400, 1080), (2560, 1440), (1334, 750), (2732, 2048), (3840, 2160)]
SHEETS = [(3508, 2480), (2339, 1654), (3300, 2550), (1754, 1240), (3496, 2472), (7016, 4960)]


def turned(dice: random.Random, size: tuple[int, int]) -> tuple[int, int]:
    return size if dice.random() < 0.5 else size[::-1]


def photograph(dice: random.Random) -> tuple[str, str, str, str, tuple[int, int]]:
    """A photograph: from a camera, sent about without metadata, cut, or exported."""
    word = dice.choice(["IMG", "DSC", "Scandinavia", "bridge", "Document hall", "screen door", "recut", "Belegschaft"])
    name, size = f"{word}_{dice.randrange(10**4):04}", turned(dice, dice.choice(CAMERAS))
    how = dice.randrange(4)
    if how == 0:
        return "still", dice.choice(["jpeg", "heif", "dng", "tiff"]), name, "Arlen M2", size
    if how == 1:
        return "still", "jpeg", name, "", (size[0] * 2 // 5, size[1] * 2 // 5)
    cut = dice.randrange(300, 3000), dice.randrange(300, 3000)
    return "still", "jpeg" if how == 2 else "png", name, "", cut


def screenshot(dice: random.Random) -> tuple[str, str, str, str, tuple[int, int]]:
    size = turned(dice, dice.choice(SCREENS))
    if dice.random() < 0.5:
        name = dice.choice(
            ["Screenshot_20260514-101500", "Screen Shot 2026-05-14", "Bildschirmfoto vom 3. Mai", "screencap 3"]
        )
        return "still", dice.choice(["png", "jpeg"]), name, "", size
    return "still", "png", f"IMG_{dice.randrange(10**4):04}", "", size


def paper(dice: random.Random) -> tuple[str, str, str, str, tuple[int, int]]:
    if dice.random() < 0.5:
        name = dice.choice(["Scan 3", "scan0012", "receipt_boiler", "Rechnung 12", "reçu"])
        return "still", "jpeg", name, dice.choice(["", "Lyd ScanDesk 3"]), (1800, 1300)
    long, short = dice.choice(SHEETS)
    return (
        "still",
        dice.choice(["tiff", "jpeg"]),
        f"page {dice.randrange(99)}",
        "",
        turned(dice, (long + dice.randrange(-10, 10), short + dice.randrange(-10, 10))),
    )


def test_misses_and_false_alarms() -> None:
    dice = random.Random(7)
    told: Counter[tuple[str, str]] = Counter()
    for truth, make in (("photograph", photograph), ("screenshot", screenshot), ("paper", paper)):
        for _ in range(2000):
            kind, container, name, model, size = make(dice)
            told[truth, guess(kind, container, f"{name}.{container}", model, "", size)] += 1
    assert told["screenshot", "screenshot"] == told["paper", "paper"] == 2000
    # What was cut to a sheet or a screen by chance.
    assert told["photograph", "photograph"] >= 1990


@pytest.mark.parametrize("told", [
    ("still", "png", "Screenshot.png", "Arlen M2", "", (1920, 1080)),
    ("still", "png", "a.png", "", "35 mm", (1920, 1080)),
    ("clip", "mp4", "screenshot.mp4", "", "", (1920, 1080)), ("still", "jpeg", "a.jpg", "", "", (1920, 1080)),
    ("still", "png", "a.png", "", "", (0, 0)), ("still", "gif", "a.gif", "", "", (3508, 2480)),
])  # fmt: skip
def test_what_speaks_against_it(told: tuple[str, str, str, str, str, tuple[int, int]]) -> None:
    assert guess(*told) == ("photograph" if told[0] == "still" else "")


def test_it_is_a_share_a_sentence_and_a_pile() -> None:
    def file(name: str, width: int, height: int, model: str = "") -> KnownFile:
        return KnownFile(name, 10, kind="still", format="png", width=width, pixels=width * height, model=model)

    columns = built(Knowledge([
        file("a/1.png", 1080, 2400), file("a/2.png", 300, 200), file("a/3.png", 400, 300), file("a/scan 1.png", 20, 30),
    ]), HouseRules(), {})  # fmt: skip
    layer = Layer(columns)
    bar = layer.lay(parse("everything")).bars[Sort.LIKELY]
    assert [(part.words, part.captures) for part in bar] == [("photographs", 2), ("screenshots", 1), ("papers", 1)]
    for part in bar:
        assert len(layer.lay(part.condition).rows) == part.captures
        assert len(layer.lay(no(part.condition)).rows) == 4 - part.captures
    assert layer.lay(parse("not likely screenshots not likely papers")).bars[Sort.LIKELY] == bar
    rows = layer.lay(parse("everything")).rows
    assert counts_of(columns, codes_of(columns, rows, By.LIKELY), By.LIKELY) == {
        "screenshot": 1,
        "photograph": 2,
        "paper": 1,
    }
