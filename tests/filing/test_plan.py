"""The plan: where everything goes, names that never clash, and the same plan twice."""

from __future__ import annotations

import json
import os
import tempfile
import unicodedata
from dataclasses import replace
from datetime import date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jutrek.captures import Capture, Decisions, Moment, ReadFile, ShiftClock, Trust, group, settled, shoots_of
from jutrek.demo.shelf import specimens
from jutrek.demo.shelf.clips import clip_data
from jutrek.errors import PlanUnusable
from jutrek.filing import Action, HouseRules, Plan, Row, RuleError, Structure, Undated, Wishes, from_json, make_plan
from jutrek.filing.names import legal, same_name, stem_of, suffix_of
from jutrek.formats import Kind, Precision, Reading, read
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.sources import SourceFile
from tests import making
from tests.captures.make import file, shot
from tests.making import WHEN, planned, put


def where(plan: Plan) -> dict[str, str | None]:
    return {os.path.basename(row.source): row.destination for row in plan.rows}


def actions(plan: Plan) -> dict[str, Action]:
    return {os.path.basename(row.source): row.action for row in plan.rows}


def test_captures_are_filed_by_local_time(library: Library, ledger: Ledger, card: Path) -> None:
    """Year and month folders, names by date and time; companions keep one stem."""
    put(card / "DSC1.DNG", making.dng())
    put(card / "DSC1.JPG", making.jpeg())
    put(card / "DSC1.DNG.xmp", making.xmp())
    put(card / "T1.WAV", making.wav(WHEN + timedelta(hours=1)))
    assert where(planned(library, ledger, [card])) == {
        "DSC1.DNG": "2026/05/20260514_102613.dng",
        "DSC1.JPG": "2026/05/20260514_102613.jpg",
        "DSC1.DNG.xmp": "2026/05/20260514_102613.dng.xmp",
        "T1.WAV": "2026/05/20260514_112613.wav",
    }


def test_frames_of_one_second_are_told_apart_in_order(library: Library, ledger: Ledger, card: Path) -> None:
    """By sub-second, whatever their names."""
    for name, micro in (("C", 0), ("A", 500_000), ("B", 900_000)):
        put(card / f"{name}.JPG", making.jpeg(WHEN.replace(microsecond=micro), seed=micro))
    assert where(planned(library, ledger, [card])) == {
        "C.JPG": "2026/05/20260514_102613.jpg",
        "A.JPG": "2026/05/20260514_102613_500.jpg",
        "B.JPG": "2026/05/20260514_102613_900.jpg",
    }


@pytest.mark.parametrize("taken", ["20260514_102613.jpg", "20260514_102613.JPG", "20260514_102613.dng"])
def test_a_name_that_is_taken_on_disk_is_not_taken_again(
    library: Library, ledger: Ledger, card: Path, taken: str
) -> None:
    """Also where it differs only by case, and where another capture has the stem."""
    put(Path(library.root) / "2026" / "05" / taken, b"other content")
    put(card / "A.JPG", making.jpeg())
    assert where(planned(library, ledger, [card])) == {"A.JPG": "2026/05/20260514_102613_420.jpg"}


def test_extensions_follow_content(library: Library, ledger: Ledger, card: Path) -> None:
    """A JPEG named .MOV arrives as .jpg; one named .JPEG may keep its extension."""
    put(card / "A.MOV", making.jpeg())
    put(card / "B.JPEG", making.jpeg(WHEN + timedelta(minutes=1)))
    assert where(planned(library, ledger, [card])) == {
        "A.MOV": "2026/05/20260514_102613.jpg",
        "B.JPEG": "2026/05/20260514_102713.jpeg",
    }


@pytest.mark.parametrize(("undated", "folder"), [(Undated.STAY, None), (Undated.UNFILED, "Unfiled/")])
def test_what_has_no_trusted_date_stays_or_is_unfiled(
    library: Library, ledger: Ledger, card: Path, undated: Undated, folder: str | None
) -> None:
    """Under its own name; the choice is the person's."""
    put(card / "old scan.JPG", making.jpeg(None))
    (row,) = planned(library, ledger, [card], HouseRules(undated=undated)).rows
    assert row.destination == (folder and f"{folder}old scan.jpg")
    assert "only the file's own time" in row.why


def test_home_and_twins_and_what_is_no_capture(library: Library, ledger: Ledger, card: Path) -> None:
    """Everything on a card has a row with an action and a reason."""
    put(Path(library.root) / "x.jpg", making.jpeg())
    put(card / "HOME.JPG", making.jpeg())
    put(card / "A.JPG", making.jpeg(seed=1))
    put(card / "B.JPG", making.jpeg(seed=1))
    put(card / "EMPTY.JPG", b"")
    put(card / "notes.txt", b"words")
    (card / "link").symlink_to("A.JPG")
    plan = planned(library, ledger, [card])
    assert actions(plan) == {
        "HOME.JPG": Action.HOME, "A.JPG": Action.BRING, "B.JPG": Action.TWIN, "EMPTY.JPG": Action.STAY,
        "notes.txt": Action.STAY, "link": Action.STAY,
    }  # fmt: skip
    assert where(plan)["HOME.JPG"] == "x.jpg"
    assert where(plan)["B.JPG"] == where(plan)["A.JPG"]
    assert all(row.why.endswith(".") for row in plan.rows)


def test_where_an_original_stays_its_twin_stays(library: Library, ledger: Ledger, card: Path) -> None:
    """It says why; nothing is told to be where nothing will be."""
    for name in ("A.JPG", "B.JPG"):
        put(card / name, making.jpeg(None))
    plan = planned(library, ledger, [card], HouseRules(undated=Undated.STAY))
    assert actions(plan) == {"A.JPG": Action.STAY, "B.JPG": Action.STAY}
    assert where(plan) == {"A.JPG": None, "B.JPG": None}
    assert plan.rows[1].why.endswith(" That one stays, so this one stays too.")
    put(card / "C.JPG", making.jpeg(seed=4))
    days = {row.filed.day for row in planned(library, ledger, [card]).rows}
    assert days == {"2026-05-14"}


def test_of_twins_the_one_that_is_dated_is_brought(library: Library, ledger: Ledger, card: Path) -> None:
    """Of equal bytes, the file whose sidecar tells the date is the original."""
    put(card / "A received.jpg", making.jpeg(None))
    put(card / "B.jpg", making.jpeg(None))
    put(card / "B.xmp", making.xmp())
    plan = planned(library, ledger, [card])
    assert actions(plan) == {"B.jpg": Action.BRING, "B.xmp": Action.BRING, "A received.jpg": Action.TWIN}


def test_a_name_alone_dates_nothing_for_sure(library: Library, ledger: Ledger, card: Path) -> None:
    """Its date is shown, and the file stays until somebody looks."""
    put(card / "IMG_20260514_102613.jpg", making.jpeg(None))
    (row,) = planned(library, ledger, [card]).rows
    assert row.action is Action.STAY
    assert "only the file's name" in row.why


def test_companions_join_what_is_home(library: Library, ledger: Ledger, card: Path) -> None:
    """The JPEG of a raw that is home goes beside it, under its stem."""
    put(Path(library.root) / "walk" / "picture 1.dng", making.dng())
    put(card / "A.DNG", making.dng())
    put(card / "A.JPG", making.jpeg())
    assert where(planned(library, ledger, [card])) == {"A.DNG": "walk/picture 1.dng", "A.JPG": "walk/picture 1.jpg"}


def test_companions_join_a_raw_that_lies_elsewhere(library: Library, ledger: Ledger, card: Path) -> None:
    """Where developed pictures have a folder of their own: the raw's companions go to the raw, it to its own."""
    rules = HouseRules(developed="Developed/{year}", sidecars=True)
    put(Path(library.root) / "walk" / "picture 1.dng", making.dng())
    for name, content in (("A.DNG", making.dng()), ("A.JPG", making.jpeg()), ("A.pp3", b"settings")):
        put(card / name, content)
    at = where(planned(library, ledger, [card], rules))
    assert (at["A.DNG"], at["A.pp3"]) == ("walk/picture 1.dng", "walk/picture 1.pp3")
    assert at["A.JPG"] == "Developed/2026/picture 1.jpg"
    put(Path(library.root) / "pictures" / "one.jpg", making.jpeg())
    os.unlink(Path(library.root) / "walk" / "picture 1.dng")
    at = where(planned(library, ledger, [card], rules))
    assert at["A.JPG"] == "pictures/one.jpg"
    assert at["A.DNG"] == "2026/05/one.dng"


def test_planning_twice_gives_the_same_plan_and_json_keeps_it(library: Library, ledger: Ledger, card: Path) -> None:
    """A plan is a value; undecodable names survive the file."""
    put(card / os.fsdecode(b"A\xff\n.JPG"), making.jpeg())
    put(card / "B.JPG", making.jpeg(seed=1))
    plan = planned(library, ledger, [card])
    assert planned(library, ledger, [card]) == plan
    assert from_json(plan.as_json(), "x") == plan


def test_what_a_plan_does_not_tell_is_nothing(library: Library, ledger: Ledger, card: Path) -> None:
    """A row needs its source, root, action, destination and reason; whatever else is left out changes nothing."""
    put(card / "A.JPG", making.jpeg())
    plan = planned(library, ledger, [card])
    page = json.loads(plan.as_json())
    page["rows"] = [
        {key: row[key] for key in ("source", "root", "action", "destination", "why")} for row in page["rows"]
    ]
    (row,) = from_json(json.dumps(page), "x").rows
    assert row == Row(*plan.rows[0][:5])


@pytest.mark.parametrize(
    ("old", "new"),
    [('"jutrek-plan"', '"letter"'), ('"version": 1', '"version": 9'), ("2026/05/", "../../"), ("2026/05/", "/etc/"),
     ('"bring"', '"burn"'), ('"size": ', '"size": "a'), ("}", ""), ("2026/05/", ".jutrek/"),
     ("2026/05/", "2026/.jutrek-"), ("{", '{"a": ' * 9000),
     ("/Card A/", "/"), ('"root": "', '"root": "x'), ('"said": []', '"said": [["a"]]')],
)  # fmt: skip
def test_a_plan_file_that_is_not_one_is_refused(
    library: Library, ledger: Ledger, card: Path, old: str, new: str
) -> None:
    """Also one whose destinations lie outside the library."""
    put(card / "A.JPG", making.jpeg())
    text = planned(library, ledger, [card]).as_json()
    assert old in text
    with pytest.raises(PlanUnusable):
        from_json(text.replace(old, new), "x")


SIGNS = st.text(st.characters(codec="utf-8", exclude_characters="/\0"), min_size=1, max_size=12)
FRAMES = st.lists(
    st.tuples(SIGNS, st.sampled_from(["jpeg", "dng", "mp4", "wav"]), st.integers(0, 2), st.booleans()), max_size=14
)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(frames=FRAMES, on_disk=st.lists(SIGNS, max_size=3))
def test_no_two_files_ever_share_a_destination(
    frames: list[tuple[str, str, int, bool]], on_disk: list[str], tmp_path_factory: pytest.TempPathFactory
) -> None:
    """Whatever the names, dates and what lies in the library: names are legal, unique and free."""
    root = tmp_path_factory.mktemp("library")
    (root / "Unfiled").mkdir()
    for name in on_disk:
        (root / "Unfiled" / f"{legal(name)}.jpg").touch()
    captures = []
    for number, (name, container, second, trusted) in enumerate(frames):
        kind = {"mp4": Kind.CLIP, "wav": Kind.SOUND}.get(container, Kind.STILL)
        trust = Trust.SURE if trusted else Trust.DOUBTFUL
        moment = Moment(datetime(2026, 5, 14, 10, 0, second), None, Precision.SECOND, trust, 0, "Because.")
        path = f"/card/{number}/{name}.{container}"
        files = [ReadFile(SourceFile(path, "/card", 5, 0), Reading(kind, container), moment)]
        if second == 1:
            files.append(ReadFile(SourceFile(path + ".xmp", "/card", 5, 0), Reading(Kind.SIDECAR, "xmp"), None))
        captures.append(Capture(tuple(files), moment, "d"))
    plan = make_plan(Library(str(root), "id", "x"), HouseRules(undated=Undated.UNFILED), captures, {})
    destinations = [row.destination or "" for row in plan.rows]
    assert len({same_name(path) for path in destinations}) == len(destinations) == sum(len(c.files) for c in captures)
    existing = {same_name(f"Unfiled/{name}") for name in os.listdir(root / "Unfiled")}
    assert not existing & {same_name(path) for path in destinations}
    for path in destinations:
        name = os.path.basename(path)
        assert legal(name) == name
        assert len(name.encode()) <= 255
    for capture in captures:
        stems = {stem_of(os.path.basename(row.destination or "")) for row in plan.rows if row.capture == capture.id}
        assert len(stems) == 1


@pytest.mark.parametrize(
    ("name", "result"),
    [("a:b?.jpg", "a_b_.jpg"), ("CON.jpg", "_CON.jpg"), ("dots. .", "dots"), ("\n", "_"), ("...", "_"),
     (unicodedata.normalize("NFD", "Brücke"), "Brücke"), (os.fsdecode(b"\xff"), "_")],
)  # fmt: skip
def test_names_become_legal_everywhere(name: str, result: str) -> None:
    """Forbidden signs, reserved names, trailing dots, control signs, other forms, undecodable bytes."""
    assert legal(name) == result


@pytest.mark.parametrize(
    ("name", "container", "suffix"),
    [
        ("a", "jpeg", ".jpg"), ("a.NEF", "nef", ".nef"), ("a.NRW", "nef", ".nrw"), ("a.MOV", "raf", ".raf"),
        ("a.DNG.XMP", "xmp", ".dng.xmp"), ("my.trip.xmp", "xmp", ".trip.xmp"), ("a.MTS", "mpeg-ts", ".mts"),
        ("a.MOD", "mpeg-ps", ".mod"), ("MOV001.MOI", "moi", ".moi"), ("C0001M01.XML", "clipdata", "M01.xml"),
        ("data.XML", "clipdata", ".xml"), ("a.ABC", "raw", ".abc"), ("a", "raw", ".raw"), ("a.txt", "srt", ".srt"),
    ],
)  # fmt: skip
def test_suffixes_follow_content(name: str, container: str, suffix: str) -> None:
    """No extension, a foreign one, siblings of one format, sidecars with something between stem and extension."""
    assert suffix_of(name, container) == suffix


def test_every_format_of_the_shelf_keeps_a_right_extension() -> None:
    """What a format's files are called on the shelf is right for that format."""
    for name, data in specimens().items():
        with tempfile.NamedTemporaryFile(suffix=name) as file:
            file.write(data)
            file.flush()
            wanted = name[-7:] if name.endswith("M01.XML") else os.path.splitext(name)[1]
            assert suffix_of(name, read(file.name).format).lower() == wanted.lower()


def test_clip_data_travel_with_their_clip(library: Library, ledger: Ledger, card: Path) -> None:
    """They keep their number, so that they are found beside the clip in the library too."""
    put(card / "CLIP" / "C0001.MP4", making.mp4())
    put(card / "CLIP" / "C0001M01.XML", clip_data(WHEN, "+02:00", "Hovar", "4K", "H4-1"))
    plan = planned(library, ledger, [card])
    assert where(plan) == {"C0001.MP4": "2026/05/20260514_102613.mp4", "C0001M01.XML": "2026/05/20260514_102613M01.xml"}


def wished(library: Library, captures: list[Capture], wishes: Wishes, rules: HouseRules | None = None) -> Plan:
    return make_plan(library, rules or HouseRules(), captures, {}, (), wishes)


def test_shoots_go_into_folders_and_names(library: Library) -> None:
    """The folder goes by the day that the shoot is filed under, the name by the true time; of a bare year no day."""
    night = shot("1.JPG", datetime(2026, 6, 1, 1, 30))
    (year,) = group([file("2.JPG", datetime(2026, 1, 1), precision=Precision.YEAR)])
    shoots = [replace(one, words="Feast: part 1/2") for one in shoots_of([night, year], Decisions())]
    plan = wished(library, [night, year], Wishes(shoots=shoots))
    assert where(plan) == {
        "1.JPG": "2026/05/31 Feast_ part 1_2/20260601_013000 Feast_ part 1_2.jpg",
        "2.JPG": "2026/2026.jpg",
    }
    long = [replace(one, words="x" * 400) for one in shoots]
    (row,) = wished(library, [night], Wishes(long)).rows
    folder, name = os.path.split(row.destination or "")
    assert (folder[:14], len(folder), len(row.destination or "")) == ("2026/05/31 xxx", 160, 240 - len("_1234567"))
    assert name.startswith("20260601_013000 xxx")


def test_parts_and_tracks_keep_what_tells_them_apart(library: Library) -> None:
    """One stem, one tail each; a clip of the same second gets another stem."""
    files = [
        file("C/1.MOV", WHEN.replace(microsecond=0), seconds=60),
        file("C/2.MOV", WHEN.replace(microsecond=0) + timedelta(seconds=60), seconds=60),
        file("D/7.MOV", WHEN.replace(microsecond=0), seconds=5),
    ]
    plan = wished(library, group(files), Wishes())
    assert sorted(where(plan).values(), key=str) == [
        "2026/05/20260514_102613_2.mov", "2026/05/20260514_102613_p1.mov", "2026/05/20260514_102613_p2.mov",
    ]  # fmt: skip


def test_what_waits_stays_and_what_is_unfiled_keeps_its_name(library: Library) -> None:
    """Reasons of a person's decisions stand in the plan."""
    one, two = shot("1.JPG", WHEN), shot("2.JPG", WHEN)
    plan = wished(library, [one, two], Wishes(waits={one.id: "Set aside."}, unfiled=frozenset({two.id})))
    row = plan.rows[0]
    assert (row.action, row.destination, row.why) == (Action.STAY, None, "Set aside.")
    assert where(plan)["2.JPG"] == "Unfiled/2.jpg"


def test_plans_carry_dates_and_rules_of_all_kinds(library: Library) -> None:
    """What a plan says survives being written and read, also to a plan of before."""
    rules = HouseRules(
        journeys=((date(2026, 5, 12), 60),), zone=120, structure=Structure.BESIDE, sidecars=True, day_starts=0
    )
    capture = settled([shot("1.JPG", WHEN)], ShiftClock("arlen|m2|a21", 3600).on(Decisions()))[0]
    plan = wished(library, [capture], Wishes(operators={capture.id: "Ilvar"}), rules)
    (row,) = plan.rows
    assert (row.by.shift, row.by.operator, row.sidecar) == (3600, "Ilvar", "2026/05/20260514_112613.xmp")
    assert from_json(plan.as_json({"devices": []}), "x") == plan
    page = json.loads(plan.as_json())
    for entries in page["rows"]:
        for name in ("moment", "shift", "device", "operator", "shoot", "sidecar"):
            del entries[name]
    page["rules"] = {name: page["rules"][name] for name in ("layout", "name", "undated")}
    assert from_json(json.dumps(page), "x").rows[0].destination == row.destination
    page["rows"][0]["sidecar"] = "../../x.xmp"
    with pytest.raises(PlanUnusable):
        from_json(json.dumps(page), "x")


def test_a_pattern_may_say_its_first_number_and_shortening_is_told(tmp_path: Path) -> None:
    """It goes on from there; what had to be cut is said with the reason, of counted names too."""
    captures = [taken(f"/card/{number}.jpg", second=number) for number in (1, 2)]
    library = Library(str(tmp_path), "id", "x")
    plan = make_plan(library, HouseRules(name="{counter:3 from 100}"), captures, {})
    assert [row.destination for row in plan.rows] == ["2026/05/100.jpg", "2026/05/101.jpg"]
    long = "x" * 230
    for name, cut in (("{date}", False), (long + "{date}", True), (long + " {counter}", True), ("y {counter}", False)):
        plan = make_plan(library, HouseRules(name=name), captures[:1], {})
        assert plan.rows[0].why.endswith("shortened to fit.") is cut
    for wrong in ("{counter:0 from 5}", "{counter:4 from}", "{counter:12 from 4}", "{original-number:4 from 100}"):
        with pytest.raises(RuleError):
            HouseRules(name=wrong)


@pytest.mark.parametrize(
    ("letter", "count", "layout", "folder", "name", "units"),
    [("a", 205, 0, 4, 217, 222), ("a", 240, 0, 4, 227, 232), ("a", 240, 120, 124, 107, 232), ("ä", 125, 0, 4, 226, 120),
     ("ä", 200, 100, 160, 150, 158), ("🚂", 65, 0, 4, 224, 119), ("🚂", 65, 32, 132, 160, 151)],
)  # fmt: skip
def test_names_fit_where_a_library_may_live(
    letter: str, count: int, layout: int, folder: int, name: int, units: int, tmp_path: Path
) -> None:
    """Bytes of a folder and of a name, UTF-16 units of a path: room is left for a count, and no more is cut off."""
    rules = HouseRules(layout=letter * layout + "{year}", name=letter * count + "{date}")
    (row,) = make_plan(Library(str(tmp_path), "id", "x"), rules, [taken("/card/1.jpg", second=1)], {}).rows
    path = row.destination or ""
    assert [len(part.encode()) for part in os.path.split(path)] == [folder, name]
    assert len(path.encode("utf-16-le")) // 2 == units


def taken(path: str, *, second: int) -> Capture:
    moment = Moment(datetime(2026, 5, 14, 10, 0, second), None, Precision.SECOND, Trust.SURE, 0, "Because.")
    return Capture((ReadFile(SourceFile(path, "/card", 5, 0), Reading(Kind.STILL, "jpeg"), moment),), moment, "d")
