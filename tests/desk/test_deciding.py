"""What is decided in a session: taken back, kept between two starts, remembered by the library."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, datetime, timedelta
from pathlib import Path

import pytest

from jutrek.captures import Decisions
from jutrek.captures.decisions import (
    CarriedBy,
    Change,
    Describe,
    GivenDate,
    JoinShoots,
    LeaveUnfiled,
    MoveToShoot,
    NameDevice,
    SetAside,
    SetDate,
    ShiftClock,
    SplitDevice,
    SplitShoot,
    TakeAsItIs,
    Tell,
    WordBy,
)
from jutrek.desk import drafts, events
from jutrek.desk.board_captures import State
from jutrek.desk.drafts import Draft
from jutrek.desk.typed import clock_of, journeys_of, placed_of, shift_of
from jutrek.formats import Precision
from jutrek.library import Library
from jutrek.transfer import Outcome
from tests import making
from tests.desk.talk import Ear, Talk
from tests.making import WHEN, put

DAY = WHEN.date()
ONE = frozenset({"/card/a.jpg"})
ALL_KINDS: tuple[Change, ...] = (
    ShiftClock("b", 3600.0),
    ShiftClock("b", -1.5, ONE),
    SetDate((("/card/b.jpg", GivenDate(datetime(2026, 5, 1), Precision.MONTH)),)),
    TakeAsItIs(ONE, "c"),
    LeaveUnfiled(frozenset({"/card/\udcff.jpg"})),
    SetAside(ONE),
    Describe(DAY, WHEN, "Bridge"),
    Describe(DAY, None, "All day"),
    Tell(ONE, "Portraits"),
    SplitShoot(WHEN),
    JoinShoots(WHEN + timedelta(hours=2), WHEN + timedelta(hours=9)),
    MoveToShoot(ONE, WHEN),
    NameDevice("b", "Camcorder", "Ilvar"),
    CarriedBy(ONE, "Marta"),
    WordBy(ONE, ("depot", "snow")),
    SplitDevice("d"),
)


def decided(*changes: Change) -> Decisions:
    made = Decisions()
    for change in changes:
        made = change.on(made)
    return made


def test_a_draft_keeps_everything() -> None:
    """Every kind of decision, the sources and the rules come back as they were."""
    changed = {"day_starts": 0, "gap": 90, "zone": None, "journeys": ((date(2026, 5, 12), 60),)}
    draft = Draft(("/card", "/inbox"), decided(*ALL_KINDS), changed, {"/card/a.jpg": (1, 2**62)})
    drafts.keep("id", draft)
    assert drafts.load("id") == draft
    drafts.forget("id")
    drafts.forget("id")
    assert drafts.load("id") is None


def test_a_draft_of_before_is_understood() -> None:
    """It held all rules of days; those that are not as usual were changed."""
    drafts.keep("id", Draft(("/card",), Decisions(), {"day_starts": 0, "gap": 360, "zone": None, "journeys": ()}))
    path = Path(drafts._path("id"))
    page = json.loads(path.read_text())
    del page["decisions"]["said"]
    path.write_text(json.dumps(page | {"version": 1, "rules": page["rules"] | {"undated": "unfiled"}}))
    assert drafts.load("id") == Draft(("/card",), Decisions(), {"day_starts": 0})


@pytest.mark.parametrize("change", ALL_KINDS, ids=lambda change: type(change).__name__)
def test_every_change_changes_something_and_has_a_name(change: Change) -> None:
    """So that it can be taken back, and said what was."""
    assert change.on(Decisions()) != Decisions()
    assert change.words


@pytest.mark.parametrize("text", ["", "{}", '{"version": 9}', '{"version": 1, "sources": 3}', "\0\xff"])
def test_a_damaged_draft_is_none(text: str) -> None:
    """The intake begins anew; nothing else is lost."""
    drafts.keep("id", Draft((), Decisions()))
    path = Path(drafts._path("id"))
    path.write_text(text, encoding="latin-1")
    assert drafts.load("id") is None


def day(card: Path, count: int = 3) -> None:
    for number in range(count):
        put(card / f"{number}.JPG", making.jpeg(WHEN + timedelta(minutes=number), seed=number))


@pytest.fixture
def working(library: Library, card: Path) -> tuple[Ear, Talk]:
    """A session with a library and a card of three pictures."""
    day(card)
    ear = Ear()
    session = Talk(ear)
    session.open_library(library.root)
    session.add_source(str(card))
    ear.board(lambda board: board.captures == 3)
    return ear, session


def test_steps_are_taken_back_and_done_again(working: tuple[Ear, Talk]) -> None:
    """Each by its name; a new step forgets what was taken back; nothing decided is no step."""
    ear, session = working
    device = ear_device(session)
    session.change(Describe(DAY, None, "Bridge"))
    session.change(ShiftClock(device, 0.0))
    session.change(ShiftClock(device, 60.0))
    board = ear.board(lambda board: board.can_undo == "the clock fix")
    assert board.days[0].captures[0].new_name == "20260514_102713 Bridge.jpg"
    session.undo()
    board = ear.board(lambda board: board.can_redo == "the clock fix")
    assert (board.can_undo, board.days[0].captures[0].new_name) == ("the description", "20260514_102613 Bridge.jpg")
    session.undo()
    session.undo()
    assert ear.board(lambda board: not board.can_undo).days[0].words == ""
    session.redo()
    assert ear.board(lambda board: board.can_undo == "the description").days[0].words == "Bridge"
    session.change(SetAside(frozenset({board.days[0].captures[0].id})))
    board = ear.board(lambda board: board.count(State.ASIDE) == 1)
    assert (board.can_redo, board.count(State.BRING)) == ("", 2)
    session.close()


def ear_device(session: Talk) -> str:
    return next(iter(session._intake._bench.story.devices))


def test_a_closed_intake_goes_on(working: tuple[Ear, Talk], library: Library) -> None:
    """The next session of the library has sources and decisions again, and forgets them when all is home."""
    ear, session = working
    session.change(Describe(DAY, None, "Bridge"))
    ear.board(lambda board: board.can_undo != "")
    session.close()
    again = Ear()
    session = Talk(again)
    session.open_library(library.root)
    again.wait(events.TakenUp)
    board = again.board(lambda board: board.captures == 3)
    assert board.days[0].words == "Bridge"
    session.bring()
    again.wait(Outcome)
    session.close()
    assert drafts.load(library.id) is None
    third = Ear()
    session = Talk(third)
    session.open_library(library.root)
    assert third.board().earlier == ("Bridge",)
    session.close()


def test_without_sources_there_is_no_draft(working: tuple[Ear, Talk], library: Library, card: Path) -> None:
    """Taking the last source out ends the intake."""
    ear, session = working
    assert drafts.load(library.id) is not None
    session.remove_source(str(card))
    ear.board(lambda board: not board.sources)
    session.close()
    assert drafts.load(library.id) is None


def test_a_card_that_is_away_is_waited_for(
    working: tuple[Ear, Talk], library: Library, card: Path, tmp_path: Path
) -> None:
    """Its decisions stay in the draft, whatever else goes on, and hold when it is there again."""
    ear, session = working
    session.change(SetAside(frozenset({str(card / "0.JPG")})))
    ear.board(lambda board: board.count(State.ASIDE) == 1)
    session.close()
    card.rename(tmp_path / "away")
    other = Ear()
    session = Talk(other)
    session.open_library(library.root)
    put(tmp_path / "inbox" / "x.JPG", making.jpeg(seed=50))
    session.add_source(str(tmp_path / "inbox"))
    other.board(lambda board: board.captures == 1)
    session.close()
    (tmp_path / "away").rename(card)
    third = Ear()
    session = Talk(third)
    session.open_library(library.root)
    assert third.board(lambda board: board.captures == 4).count(State.ASIDE) == 1
    session.close()


def test_a_draft_knows_its_files_again(working: tuple[Ear, Talk], library: Library, card: Path) -> None:
    """A formatted card bears its names anew: what was decided about the old file does not touch the new one."""
    _, session = working
    first, second = (str(card / name) for name in ("0.JPG", "1.JPG"))
    session.change(SetAside(frozenset({first, second})), ShiftClock(ear_device(session), 60.0, frozenset({first})))
    working[0].board(lambda board: board.count(State.ASIDE) == 2)
    session.close()
    put(card / "0.JPG", making.jpeg(WHEN, seed=77), WHEN + timedelta(days=7))
    again = Ear()
    session = Talk(again)
    session.open_library(library.root)
    board = again.board(lambda board: board.captures == 3)
    views = {view.name: view for one in board.days for view in one.captures}
    assert (views["0.JPG"].state, views["0.JPG"].new_name) == (State.BRING, "20260514_102613.jpg")
    assert views["1.JPG"].state is State.ASIDE
    session.close()


def test_nothing_single_becomes_something_whole() -> None:
    """A fix of captures that are gone is no fix of their device."""
    made = decided(ShiftClock("b", 60.0, ONE), ShiftClock("b", 3600.0), SetAside(ONE))
    assert made.about == ONE
    assert made.without(ONE) == decided(ShiftClock("b", 3600.0))


def test_a_saved_plan_tells_the_story(working: tuple[Ear, Talk], tmp_path: Path) -> None:
    """Captures, devices, shoots and doubts stand beside the rows."""
    ear, session = working
    session.save_plan(str(tmp_path / "x.json"))
    ear.wait(str)
    page = json.loads((tmp_path / "x.json").read_text())
    assert [len(page[name]) for name in ("devices", "shoots", "captures", "doubts", "rows")] == [1, 1, 3, 0, 3]
    assert page["captures"][0]["moment"]["why"].startswith("Date from")
    session.close()


def test_zones_are_changed_without_reading_again(library: Library, card: Path) -> None:
    """What is known in UTC moves with the house's zone."""
    put(card / "1.MP4", making.mp4(WHEN))
    ear = Ear()
    session = Talk(ear)
    session.open_library(library.root)
    session.add_source(str(card))
    ear.board(lambda board: board.captures == 1)
    (card / "1.MP4").unlink()
    session.set_days(day_starts=240, gap=360, zone=300, journeys=())
    board = ear.board(lambda board: board.zone == 300)
    assert board.days[0].captures[0].new_name == "20260514_152613.mp4"
    session.close()


@pytest.mark.parametrize(
    ("text", "wall", "precision"),
    [
        ("2026", datetime(2026, 1, 1), Precision.YEAR),
        ("2026-5", datetime(2026, 5, 1), Precision.MONTH),
        ("2026-05-14", datetime(2026, 5, 14), Precision.DAY),
        (" 2026-05-14  9:30 ", datetime(2026, 5, 14, 9, 30), Precision.MINUTE),
        ("2026-05-14T09:30:05", datetime(2026, 5, 14, 9, 30, 5), Precision.SECOND),
    ],
)
def test_dates_of_any_precision_are_typed(text: str, wall: datetime, precision: Precision) -> None:
    """And shown as far as they are known."""
    placed = placed_of(text)
    assert (placed.wall, placed.precision) == (wall, precision)
    assert placed_of(str(placed)) == placed


@pytest.mark.parametrize("text", ["", "14 May", "2026-13", "2026-02-30", "2026-05-14 25:00", "26-05-14"])
def test_what_is_no_date_is_said(text: str) -> None:
    """In a sentence that shows how one is written."""
    with pytest.raises(ValueError, match="date"):
        placed_of(text)


def test_shifts_times_and_journeys_are_typed() -> None:
    """Signs may be left out; days may stand before; journeys come in any order."""
    assert [shift_of(text) for text in ("+1:00:00", "-0:07:23", "2d", "+2d 1:00", "1", "0")] == [
        3600, -443, 172_800, 176_400, 3600, 0,
    ]  # fmt: skip
    assert clock_of("4:05") == 245
    assert journeys_of("2026-05-20 +02:00; 2026-05-12 -03:30") == ((date(2026, 5, 12), -210), (date(2026, 5, 20), 120))
    assert journeys_of(" ") == ()
    with pytest.raises(ValueError, match="journey"):
        journeys_of("2026-05-12")


def test_decisions_are_values() -> None:
    """The same decisions are equal, whatever way led to them."""
    assert decided(*ALL_KINDS) == decided(*ALL_KINDS)
    assert replace(decided(*ALL_KINDS), aside=frozenset()) == SetAside(ONE, back=True).on(decided(*ALL_KINDS))


def test_decisions_do_not_wait_for_reading(
    library: Library, card: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While a source is being read, what is decided about others is drawn up at once."""
    monkeypatch.setattr("jutrek.desk.hub._EVERY", 0.0)
    day(card)
    more = tmp_path / "more"
    for number in range(400):
        put(more / f"{number}.JPG", making.jpeg(WHEN + timedelta(days=3, minutes=number), seed=number))
    order: list[str] = []

    def tell(event: events.Event) -> None:
        if isinstance(event, events.Reading) and event.root == str(more):
            order.append("reading")
            if event.files and "asked" not in order:
                order.append("asked")
                session.change(Describe(DAY, None, "Bridge"))
        if isinstance(event, events.BoardChanged) and event.board.can_undo and "shown" not in order:
            order.append("shown")
        ear(event)

    ear = Ear()
    session = Talk(tell)
    session.open_library(library.root)
    session.add_source(str(card))
    session.add_source(str(more))
    ear.board(lambda board: board.captures == 403)
    session.close()
    assert order.index("shown") < len(order) - 1
    assert order[order.index("shown") + 1] == "reading"


def test_what_a_fix_did_is_told(working: tuple[Ear, Talk]) -> None:
    """On the source's tile, and up close."""
    ear, session = working
    session.change(ShiftClock(ear_device(session), 3600.0))
    board = ear.board(lambda board: board.can_undo != "")
    assert board.sources[0].shift == 3600.0
    close = session.details(board.days[0].captures[0].id)
    assert close is not None
    assert ("Clock fix", "+1:00:00") in close.facts
    session.close()
