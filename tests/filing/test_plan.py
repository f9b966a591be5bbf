"""The plan: where everything goes, names that never clash, and the same plan twice."""

from __future__ import annotations

import os
from datetime import datetime
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jutrek.captures import Capture, Moment, ReadFile, Trust
from jutrek.errors import PlanUnusable
from jutrek.filing import Action, HouseRules, Plan, RuleError, Undated, from_json, make_plan
from jutrek.filing.names import legal, same_name, stem_of
from jutrek.formats import Kind, Precision, Reading
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.sources import SourceFile
from tests import making
from tests.making import planned, put


def where(plan: Plan) -> dict[str, str | None]:
    return {os.path.basename(row.source): row.destination for row in plan.rows}


def actions(plan: Plan) -> dict[str, Action]:
    return {os.path.basename(row.source): row.action for row in plan.rows}


@pytest.mark.parametrize("taken", ["20260514_102613.jpg", "20260514_102613.JPG", "20260514_102613.dng"])
def test_a_name_that_is_taken_on_disk_is_not_taken_again(
    library: Library, ledger: Ledger, card: Path, taken: str
) -> None:
    """Also where it differs only by case, and where another capture has the stem."""
    put(Path(library.root) / "2026" / "05" / taken, b"other content")
    put(card / "A.JPG", making.jpeg())
    assert where(planned(library, ledger, [card])) == {"A.JPG": "2026/05/20260514_102613_420.jpg"}


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


def test_planning_twice_gives_the_same_plan_and_json_keeps_it(library: Library, ledger: Ledger, card: Path) -> None:
    """A plan is a value; undecodable names survive the file."""
    put(card / os.fsdecode(b"A\xff\n.JPG"), making.jpeg())
    put(card / "B.JPG", making.jpeg(seed=1))
    plan = planned(library, ledger, [card])
    assert planned(library, ledger, [card]) == plan
    assert from_json(plan.as_json(), "x") == plan


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


def taken(path: str, *, second: int) -> Capture:
    moment = Moment(datetime(2026, 5, 14, 10, 0, second), None, Precision.SECOND, Trust.SURE, 0, "Because.")
    return Capture((ReadFile(SourceFile(path, "/card", 5, 0), Reading(Kind.STILL, "jpeg"), moment),), moment, "d")
