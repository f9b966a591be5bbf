"""Where many rules would have the files of one card, name by name, with the reasons.

`chronicle.txt` was read line by line and found right. With `KEEP_CHRONICLE=1` it is written anew: what changed then is
read as if it were code.
"""

from __future__ import annotations

import os
from datetime import date, datetime, timedelta
from pathlib import Path

from jutrek.captures import Decisions
from jutrek.captures.decisions import ClockFix, Described
from jutrek.filing import Extensions, HouseRules, Per, Scheme, Structure, Undated, from_json
from jutrek.filing.pieces import PIECES
from jutrek.filing.rulebook import parse_rules, rules_text
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from tests import making
from tests.making import WHEN, planned, put

PAGE = Path(__file__).with_name("chronicle.txt")
LONG = "Everything that the volunteers did between the upper viaduct and the depot, " * 3
SAID = Decisions(
    described=(
        Described(WHEN.date(), None, "Bridge: survey Ä/Ö"), Described(date(2020, 12, 31), None, LONG),
        Described(date(2026, 5, 13), None, "con."),
    ),
    fixes=(ClockFix("lyd|r6|r60417", 3600.0),),
    said={"job": "7", "client": "Velmora line", "place": "Upper viaduct"},
)  # fmt: skip
FORMS = {"filed": "%d.%m.%y %A %b %G-%V %j %u", "date": "%Y-%m-%d", "counter": "4 from 100", "original-number": "6"}
"""Forms of pieces beside those that have names."""
RULES = (
    HouseRules(),
    HouseRules(layout="{kind}/{week-year}/{week}", name="{original}", extensions=Extensions.UPPER),
    HouseRules(layout="All", name="{shoot}", extensions=Extensions.KEPT, undated=Undated.UNFILED),
    HouseRules(layout="{year}< {shoot}>", name="{counter:3}<_{job}>", counter_per=Per.SHOOT, counter_start=7),
    HouseRules(layout="{year}", name="{date}_{counter}", counter_per=Per.DAY, day_starts=0, language="de"),
    HouseRules(layout="{month:name}", name="{weekday}_{time}", language="de", zone=-480, gap=30),
    HouseRules(developed="{year}/developed", beside=False, kinds={"still": "Foto", "clip": "Film", "sound": "Ton"}),
    HouseRules(schemes=(
        Scheme(kinds=("clip",), layout="Film/{year}"), Scheme(device="m2", name="{model}_{time}"),
        Scheme(words="bridge", layout="Bridge", name="{counter}"),
    ), counter_per=Per.INTAKE),
    HouseRules(layout="{year}", originals=True, structure=Structure.BESIDE),
    HouseRules(layout="{year}", sidecars=True, developed="{year}/d", name="{counter}", counter_per=Per.SHOOT),
    HouseRules(journeys=((date(2026, 5, 14), 600), (date(2026, 5, 15), 120)), zone=0, counter_per=Per.LIBRARY),
)  # fmt: skip


def fill(card: Path) -> None:
    """Pairs, one second three times, a day's edges, a year's end, names of all kinds, and no date at all."""
    put(card / "DCIM" / "DSC1.DNG", making.dng())
    put(card / "DCIM" / "DSC1.JPG", making.jpeg())
    put(card / "DCIM" / "DSC1.DNG.xmp", making.xmp())
    for number, micro in enumerate((0, 500_000, 900_000)):
        put(card / "DCIM" / f"DSC{number + 2}.jpeg", making.jpeg(WHEN.replace(hour=11, microsecond=micro), seed=number))
    for hour in (0, 3, 4, 23):
        put(card / "odd [1] é" / f"at {hour}.JPG", making.jpeg(WHEN.replace(hour=hour), seed=30 + hour, model="C1"))
    put(card / "CLIP" / "C0001.MP4", making.mp4(WHEN + timedelta(hours=3)))
    put(card / "CLIP" / "T1.WAV", making.wav(WHEN + timedelta(hours=1)))
    put(card / "LAST.JPG", making.jpeg(datetime(2020, 12, 31, 23, 59, 59), seed=50, model="C2"))
    put(card / "FIRST.JPG", making.jpeg(datetime(2021, 1, 1, 12), seed=51, offset="-09:30", model="C2"))
    put(card / "none.JPG", making.jpeg(None, seed=60))


def test_all_rules_file_as_they_did(library: Library, ledger: Ledger, card: Path) -> None:
    """Also through a page of rules, and a plan that was saved."""
    fill(card)
    lines = []
    for one in RULES:
        assert parse_rules(rules_text(one), "x") == one
        plan = planned(library, ledger, [card], one, SAID)
        assert from_json(plan.as_json(), "x") == plan
        lines.append(f"== {one.layout} | {one.name}")
        for row in sorted(plan.rows, key=lambda row: row.source):
            told = (str(row.action), row.destination, row.why, row.counter, row.number, row.sidecar)
            lines.append(f"{row.source}: {told}")
    lines += [f"by {tuple(row.by)}" for row in plan.rows]
    pieces = [(name, form) for name, kind in PIECES.items() for form in ("", *kind.forms, FORMS.get(name, ""))]
    for name, form in dict.fromkeys(pieces):
        piece = f"{{{name}:{form}}}" if form else f"{{{name}}}"
        plan = planned(library, ledger, [card], HouseRules(layout="X", name=f"<{piece}_>{{letter}}"), SAID)
        names = (str(row.destination)[2:] for row in sorted(plan.rows, key=lambda row: row.source))
        lines.append(f"{piece} {' · '.join(names)}")
    lines = [line.replace(str(card), "CARD") for line in lines]
    if os.environ.get("KEEP_CHRONICLE"):
        PAGE.write_text("\n".join(lines) + "\n")
    assert lines == PAGE.read_text().splitlines()
