"""Where many rules would have the files of one card, name by name, with the reasons.

`chronicle.txt`, `refiled.txt` and `half_home.txt` were read line by line and found right.
"""

from __future__ import annotations

import os
from datetime import date, datetime, timedelta
from pathlib import Path

from jutrek.captures import Decisions
from jutrek.captures.decisions import ClockFix, Described
from jutrek.desk.library_captures import read_library
from jutrek.filing import Extensions, HouseRules, Per, Scheme, Structure, Undated, from_json
from jutrek.filing.pieces import PIECES
from jutrek.filing.refiling import Scope, kept_by_hand, plan_refiling
from jutrek.filing.rulebook import parse_rules, rules_text
from jutrek.library import Library, survey
from jutrek.library.ledger import Ledger
from jutrek.transfer import bring
from tests import making
from tests.making import WHEN, names_below, never, planned, put
from tests.told import as_told

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
    HouseRules(layout="{year}", name="{shoot} {counter:2}", developed="{year}/{shoot}"),
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
    for hour, name in enumerate(("dots..JPG", ".hidden.JPG", ".JPG", "no ending", "two.old.JPG"), 5):
        put(card / "names" / name, making.jpeg(WHEN.replace(hour=hour), seed=40 + hour, model="C3"))
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
    as_told(PAGE, lines)


SCOPES = (
    Scope(), Scope(strangers=True), Scope(strangers=True, by_hand=True), Scope(folders=False, strangers=True),
    Scope(names=False, strangers=True), Scope(year=2020), Scope(folder="2026/05", strangers=True),
    Scope(without=("2026/05/14 Bridge_ survey Ä_Ö",)), Scope(since=date(2026, 1, 1), by_hand=True),
)  # fmt: skip


def test_all_rules_file_a_library_anew_as_they_did(
    library: Library, ledger: Ledger, card: Path, tmp_path: Path
) -> None:
    """A library with strangers in it, names and folders given by hand, and one name twice: rule by rule, in parts."""
    fill(card)
    home = Path(library.root)
    first = bring(planned(library, ledger, [card], RULES[9], SAID), library, ledger, stop=never())
    assert not first.failed
    more = tmp_path / "more"
    for number in range(4):
        put(more / f"N{number}.JPG", making.jpeg(WHEN + timedelta(days=number), seed=90 + number))
    put(more / "N1.DNG", making.dng(WHEN + timedelta(days=1)))
    put(more / "CLIP" / "C9.MP4", making.mp4(WHEN + timedelta(days=9)))
    assert not bring(planned(library, ledger, [more], HouseRules(), SAID), library, ledger, stop=never()).failed
    put(home / "old" / "theirs.jpg", making.jpeg(WHEN.replace(hour=9), seed=9))
    put(home / "2026" / "05" / "20260514_102613.jpg", making.jpeg(WHEN, seed=10))
    put(home / "2026" / "05" / "note.txt", b"a note")
    by_name = {path.name: path for path in home.rglob("*.*")}
    for old, new in (("20260515_102613.dng", "Crane.dng"), ("20260515_102613.jpg", "Crane.JPG")):
        by_name[old].rename(by_name[old].with_name(new))
    (home / "STILLS").mkdir()
    by_name["20260517_102613.jpg"].rename(home / "STILLS" / "20260517_102613.jpg")
    survey(library, ledger, stop=never(), report=lambda *_: None)
    lines = [f"at home {name}" for name in sorted(names_below(library.root)) if not name.startswith((".", "_"))]
    for one in RULES:
        for scope in SCOPES if one in RULES[:3] else SCOPES[:4]:
            found = read_library(library, ledger, one, stop=never(), report=lambda *_: None)
            plan = plan_refiling(library, one, found.facts, found.known, scope, found.given)
            assert from_json(plan.as_json(), "x") == plan
            lines.append(f"== {one.layout} | {one.name} | {scope}")
            for row in sorted(plan.rows, key=lambda row: row.source):
                source = os.path.relpath(row.source, library.root)
                lines.append(f"{source}: {row.destination} {row.counter or '-'} {row.number}")
            kept = kept_by_hand(found.facts, found.known, scope, found.given)
            lines.append(f"by hand {sorted(kept)}")
    as_told(PAGE.with_name("refiled.txt"), lines)


def test_what_is_home_already_changes_the_plan_as_it_did(
    library: Library, ledger: Ledger, card: Path, tmp_path: Path
) -> None:
    """Half a card is home: the rest of its captures, sidecars without pictures, twins, and what is no capture."""
    fill(card)
    structure = card / "PRIVATE" / "M4ROOT"
    put(structure / "CLIP" / "C2.MP4", making.mp4(WHEN + timedelta(hours=4)))
    half = tmp_path / "half"
    for name in ("DCIM/DSC1.DNG", "DCIM/DSC2.jpeg", "odd [1] é/at 3.JPG", "PRIVATE/M4ROOT/CLIP/C2.MP4"):
        put(half / name, (card / name).read_bytes())
    for name in ("DSC2.xmp", "DSC3.jpeg.xmp", "DSC2.THM", "notes.txt", "readme.xmp"):
        put(card / "DCIM" / name, making.xmp() if name.endswith("xmp") else name.encode())
    put(card / "again" / "at 23.JPG", (card / "odd [1] é" / "at 23.JPG").read_bytes())
    put(card / "again" / "none.JPG", (card / "none.JPG").read_bytes())
    put(structure / "CLIP" / "C2M01.XML", b"<NonRealTimeMeta/>")
    put(structure / "MEDIAPRO.XML", b"<MediaProfile/>")
    put(structure / "empty.bin", b"")
    put(card / "empty.JPG", b"")
    assert not bring(planned(library, ledger, [half]), library, ledger, stop=never()).failed
    lines = [f"at home {name}" for name in sorted(names_below(library.root)) if not name.startswith((".", "_"))]
    for one in (*RULES, HouseRules(beside=False, layout="{year}"), HouseRules(developed="{year}/d", beside=True)):
        plan = planned(library, ledger, [card], one, SAID)
        lines.append(f"== {one.layout} | {one.name} | {one.beside}")
        for row in sorted(plan.rows, key=lambda row: row.source):
            lines.append(f"{row.source}: {row.action} {row.destination} {row.why} {row.sidecar}")
    as_told(PAGE.with_name("half_home.txt"), [line.replace(str(card), "CARD") for line in lines])
