"""What sentences find, against the same asked of every capture one by one."""

from __future__ import annotations

import json
import math
import random
from collections import Counter
from collections.abc import Callable
from datetime import date, datetime, timedelta

import numpy as np
import pytest

from jutrek.captures import Device, Trust
from jutrek.filing import HouseRules
from jutrek.library.knowledge import Knowledge, KnownFile
from jutrek.views.building import built
from jutrek.views.by import By
from jutrek.views.columns import TRUSTS, Columns
from jutrek.views.counting import counted
from jutrek.views.laying import by_days
from jutrek.views.narrowing import held
from jutrek.views.sentence import parse
from jutrek.whereabouts import Spot, Whereabouts

DEVICES = {"arlen|m2|": Device("arlen|m2|", "Arlen M2", "A"), "hovar|4k|": Device("hovar|4k|", "Hovar 4K", "B")}
SPOTS = (Spot("Gate", 47.25, 11.4, 20), Spot("Yard", 47.2502, 11.4003, 500))
FOLDERS = ("", "2026/05 May", "2026/05 May/clips", "2026/05 May west", "Unfiled", "old/2026/05 May", "Ä-2026")
WORDS = ("bridge", "Steam", "viaduct north", "Überfahrt")


def shots() -> list[KnownFile]:
    """Captures of all kinds around the turns of days, weeks, months and years, some of them told only in part."""
    chance, made = random.Random(7), []
    begin = datetime(2020, 12, 26, 23, 40)
    for number in range(900):
        when = begin + timedelta(minutes=chance.randrange(0, 60 * 24 * 12)) if number < 500 else datetime(
            2024 + number % 3, 1 + number % 12, 1 + number % 28, number % 24, number % 60
        )  # fmt: skip
        length = chance.choice((19, 19, 19, 19, 10, 7, 4, 0))
        clip = chance.random() < 0.3
        folder = chance.choice(FOLDERS)
        place = chance.choice(((None, None), (47.25, 11.4), (47.2501, 11.4003), (-33.5, 151.0)))
        made.append(KnownFile(
            f"{folder}/{number:04}_{'Über' if number == 3 else ''}Boiler.jpg" if folder else f"{number:04}_Valve.jpg",
            chance.randrange(10**8), str(number % 850).encode(), moment=when.isoformat()[:length] if number % 2 else "",
            taken=when.isoformat()[:length], trust=chance.choice(("sure", "likely", "doubtful")) if length else "",
            device=chance.choice(("arlen|m2|", "hovar|4k|", "lyd|r6|")), model="Lyd R6",
            kind="clip" if clip else "still", format=chance.choice(("jpeg", "dng")),
            lens=chance.choice(("", "35 mm", "16-35 mm")),
            operator=chance.choice(("", "Ilva Brandt")), shoot=chance.choice(("", "Bridge survey", "Depot @ Shed")),
            keywords=json.dumps(chance.sample(WORDS, chance.randrange(3))) if chance.random() < 0.7 else "",
            label=chance.choice(("", "R", "P")), rating=chance.choice((0, 3, 5)), latitude=place[0],
            longitude=place[1], pixels=chance.choice((0, 12_000_000, 24_000_000)),
            milliseconds=chance.randrange(60_000) if clip else 0, copies=chance.randrange(3),
            found=chance.choice(("", "proven", "rotted", "changed")), moved=chance.random() < 0.1,
            proved=f"2026-{1 + number % 12:02}-{2 + number % 27:02}T08:00:00Z",
        ))  # fmt: skip
    return sorted(made, key=lambda one: one.path.encode())


@pytest.fixture(scope="module")
def known() -> list[KnownFile]:
    return shots()


@pytest.fixture(scope="module")
def columns(known: list[KnownFile]) -> Columns:
    away = Knowledge(known, [KnownFile("2026/05 May/lost.jpg", 5)], [(".jutrek/tray/x.jpg", 6)])
    return built(away, HouseRules(), DEVICES, Whereabouts(SPOTS))


def told(one: KnownFile) -> str:
    return one.moment or one.taken


def day(one: KnownFile) -> date | None:
    return date.fromisoformat(told(one)[:10]) if len(told(one)) >= 10 else None


def on(first: date, last: date) -> Callable[[KnownFile], bool]:
    return lambda one: (found := day(one)) is not None and first <= found <= last


def far(one: KnownFile, latitude: float, longitude: float) -> float:
    """Metres, by the cosine law."""
    a, b, c, d = map(math.radians, (one.latitude or 0, latitude, one.longitude or 0, longitude))
    return 6_371_000 * math.acos(min(1, math.sin(a) * math.sin(b) + math.cos(a) * math.cos(b) * math.cos(c - d)))


def house_day(one: KnownFile) -> date | None:
    if len(told(one)) < 10:
        return None
    when = datetime.fromisoformat(told(one))
    return (when - timedelta(hours=4)).date() if len(told(one)) > 10 else when.date()


TWICE = Counter((one.size, one.quick) for one in shots())
TRUTH: dict[str, Callable[[KnownFile], bool]] = {
    "everything": lambda one: True,
    "nothing": lambda one: False,
    "week 53 of 2020": on(date(2020, 12, 28), date(2021, 1, 3)),
    "filed under 31 December 2020": lambda one: house_day(one) == date(2020, 12, 31),
    "in 2020": lambda one: told(one)[:4] == "2020",
    "in December 2020": lambda one: told(one)[:7] == "2020-12",
    "from 28 to 30 December 2020": on(date(2020, 12, 28), date(2020, 12, 30)),
    "since 2025": lambda one: told(one)[:4] >= "2025",
    "before 1 January 2021": lambda one: (found := day(one)) is not None and found < date(2021, 1, 1),
    "in any January": lambda one: told(one)[5:7] == "01",
    "on Sundays": lambda one: (found := day(one)) is not None and found.weekday() == 6,
    "between 22:00 and 4:00": lambda one: len(told(one)) > 10 and (told(one)[11:13] >= "22" or told(one)[11:13] < "04"),
    "before 6:30": lambda one: len(told(one)) > 10 and told(one)[11:16] < "06:30",
    "undated": lambda one: not told(one),
    "with a doubtful date": lambda one: bool(told(one)) and not one.moment and one.trust == "doubtful",
    "clips or stills": lambda one: True,
    "clips longer than 20 seconds": lambda one: one.kind == "clip" and one.milliseconds > 20_000,
    "shorter than 20 seconds": lambda one: 0 < one.milliseconds < 20_000,
    "by A": lambda one: one.device == "arlen|m2|",
    "by hovar": lambda one: one.device == "hovar|4k|",
    "by lyd r6 or A Arlen M2": lambda one: one.device in ("lyd|r6|", "arlen|m2|"),
    "carried by Ilva": lambda one: bool(one.operator),
    "with lens 35 mm": lambda one: one.lens == "35 mm",
    "without a lens": lambda one: not one.lens,
    "of bridge": lambda one: one.shoot == "Bridge survey",
    "with keyword steam": lambda one: "Steam" in json.loads(one.keywords or "[]"),
    "without keyword STEAM or überfahrt": lambda one: (
        not {"Steam", "Überfahrt"} & set(json.loads(one.keywords or "[]"))
    ),
    "without keywords": lambda one: not json.loads(one.keywords or "[]"),
    "marked R": lambda one: one.label == "R",
    "unmarked": lambda one: not one.label,
    "rated at least 4 or unrated": lambda one: (one.rating or 9) >= 4,
    "rated at most 3": lambda one: one.rating == 3,
    "as DNG": lambda one: one.format == "dng",
    "as jpg": lambda one: one.format == "jpeg",
    'in folder "2026/05 May"': lambda one: "/2026/05 May/" in f"/{one.path}",
    'in folder "/2026/05 May"': lambda one: one.path.startswith("2026/05 May/"),
    'right in folder "/2026/05 May"': lambda one: one.path.startswith("2026/05 May/") and one.path.count("/") == 2,
    'right in folder "/"': lambda one: "/" not in one.path,
    "larger than 50 MB": lambda one: one.size > 50_000_000,
    "with more than 12 megapixels": lambda one: one.pixels > 12_000_000,
    "with fewer than 13 megapixels": lambda one: one.pixels == 12_000_000,
    "in fewer than 2 backups": lambda one: one.copies < 2,
    "with a position": lambda one: one.latitude is not None,
    "within 20 m of 47.25, 11.4": lambda one: one.latitude is not None and far(one, 47.25, 11.4) <= 20,
    "near 47.25, 11.4": lambda one: one.latitude is not None and far(one, 47.25, 11.4) <= 5_000,
    "near shed": lambda one: one.shoot.endswith("Shed"),
    "near Gate": lambda one: not one.shoot.endswith("Shed") and one.latitude == 47.25,
    "near Yard": lambda one: not one.shoot.endswith("Shed") and one.latitude == 47.2501,
    "within 100 m of Gate": lambda one: (one.latitude or 0) > 47,
    "within 20 m of Gate": lambda one: one.latitude == 47.25,
    "within 9 km of nowhere": lambda one: False,
    "without a place": lambda one: not one.shoot.endswith("Shed") and one.latitude is None,
    "unfiled": lambda one: one.path.startswith("Unfiled/"),
    "doubled": lambda one: TWICE[one.size, one.quick] > 1,
    "damaged": lambda one: one.found == "rotted",
    "changed outside": lambda one: one.found == "changed",
    "moved outside": lambda one: one.moved,
    "not proven": lambda one: one.found != "proven",
    '"05 boiler"': lambda one: "Boiler" in one.path and ("05" in one.path or "05" in one.shoot),
    '"überfahrt"': lambda one: "Überfahrt" in json.loads(one.keywords or "[]"),
    '"ÜBER 0003"': lambda one: "0003" in one.path,
    '"ä-2026"': lambda one: one.path.startswith("Ä-2026"),
    "stills in 2024 or clips by B": lambda one: (
        (one.kind == "still" and told(one)[:4] == "2024") or (one.kind == "clip" and one.device == "hovar|4k|")
    ),
}


@pytest.mark.parametrize("text", TRUTH)
def test_a_sentence_finds_what_it_says(text: str, known: list[KnownFile], columns: Columns) -> None:
    found = sorted(columns.paths(np.flatnonzero(held(columns, parse(text)))))
    assert found == sorted(one.path for one in known if TRUTH[text](one))


def test_what_is_not_there_is_found_only_where_it_is_asked_for(columns: Columns) -> None:
    assert columns.count == 902
    assert columns.paths(np.flatnonzero(held(columns, parse("gone")))) == ["2026/05 May/lost.jpg"]
    assert columns.paths(np.flatnonzero(held(columns, parse("set aside")))) == [".jutrek/tray/x.jpg"]
    assert held(columns, parse("gone or set aside")).sum() == 2
    assert held(columns, parse("not gone")).sum() == 900


def test_counts_are_those_of_what_is_held(known: list[KnownFile], columns: Columns) -> None:
    mask = held(columns, parse("stills"))
    stills = [one for one in known if one.kind == "still"]
    weeks = Counter(
        f"{iso.year}-W{iso.week:02}" if (found := day(one)) and (iso := found.isocalendar()) else "" for one in stills
    )
    assert counted(columns, mask, By.WEEK) == weeks
    assert counted(columns, mask, By.MONTH) == Counter(told(one)[:7] if len(told(one)) >= 7 else "" for one in stills)
    assert counted(columns, mask, By.DAY) == Counter(told(one)[:10] if len(told(one)) >= 10 else "" for one in stills)
    words = Counter(word for one in stills for word in json.loads(one.keywords or '[""]') or [""])
    assert counted(columns, mask, By.KEYWORD) == words
    assert counted(columns, mask, By.FOLDER) == Counter(one.path.rpartition("/")[0] for one in stills)
    assert counted(columns, mask, By.KIND) == {"still": len(stills)}
    assert counted(columns, mask, By.DEVICE) == Counter(
        {"arlen|m2|": "A Arlen M2", "hovar|4k|": "B Hovar 4K"}.get(one.device, "Lyd R6") for one in stills
    )


def test_captures_stand_in_the_order_of_shooting(columns: Columns) -> None:
    moments = [columns.when(row) for row in range(columns.count)]
    dated = [one for one in moments if one is not None]
    assert moments[: len(dated)] == sorted(dated)
    assert not any(moments[len(dated) :])


def test_what_is_not_described_stands_with_the_shoot_around_it() -> None:
    shoots = ("", "Depot", "", "Depot", "Yard", "", "", "Line")
    files = [
        KnownFile(
            f"{number}.jpg", 1, kind="still", shoot=shoot, taken=f"2026-05-{14 + number // 5}T12:00:0{number}"
        )
        for number, shoot in enumerate(shoots)
    ]  # fmt: skip
    columns = built(Knowledge(files), HouseRules(), {})
    days = [(words, rows.start, rows.stop) for _, words, rows in by_days(columns, np.arange(8))]
    assert days == [("Depot", 0, 4), ("Yard", 4, 5), ("Line", 5, 8)]


def test_files_of_one_name_are_one_capture_unless_their_dates_say_otherwise() -> None:
    noon, later = "2026-05-14T12:00:00", "2026-05-14T12:01:30"

    def file(name: str, kind: str, form: str, taken: str = noon, copies: int = 1) -> KnownFile:
        return KnownFile(f"a/{name}", 10, kind=kind, format=form, taken=taken, trust="sure", copies=copies)

    files = [
        file("1.dng", "still", "dng"), file("1.dng.xmp", "sidecar", "xmp", ""),
        file("1.jpg", "still", "jpeg", copies=0),
        file("2.jpg", "still", "jpeg"), file("2.mov", "clip", "mov", later), file("3.mov", "clip", "mov"),
        file("3_p2.mov", "clip", "mov", later), file("4.jpg", "still", "jpeg"), file("4.mov", "clip", "mov", ""),
        file("5.txt", "other", "unknown", ""), file("6.xmp", "sidecar", "xmp"),
    ]  # fmt: skip
    columns = built(Knowledge(sorted(files, key=lambda one: one.path)), HouseRules(), {})
    rows = {columns.path(row): row for row in range(columns.count)}
    assert {path: columns.companions(row) for path, row in rows.items()} == {
        "a/1.dng": ["a/1.jpg", "a/1.dng.xmp"], "a/2.jpg": [], "a/2.mov": [], "a/3.mov": ["a/3_p2.mov"],
        "a/4.jpg": ["a/4.mov"], "a/6.xmp": [],
    }  # fmt: skip
    assert columns.size[rows["a/1.dng"]] == 30
    assert columns.copies[rows["a/1.dng"]] == 0
    assert held(columns, parse("as jpeg"))[rows["a/1.dng"]]


def test_no_files_make_columns_that_hold_nothing() -> None:
    columns = built(Knowledge([]), HouseRules(), {})
    assert not held(columns, parse('stills in 2026 "x" without keywords or near 1, 1')).any()
    assert counted(columns, held(columns, parse("")), By.KEYWORD) == {}


def test_trust_is_spelt_as_captures_spell_it() -> None:
    assert set(TRUSTS[1:]) == {one.value for one in Trust}
