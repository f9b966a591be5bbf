"""Doubles in a session: learnt while idle, questions on the board, decisions about groups, what is set aside."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from datetime import timedelta
from functools import partial
from pathlib import Path

import pytest

from jutrek.captures.decisions import BringDoubles, SetAside
from jutrek.demo import stills
from jutrek.demo.copies import worded
from jutrek.desk import answers, drafts, events
from jutrek.desk.board import home_view
from jutrek.desk.board_captures import State
from jutrek.desk.doubles import Decided, Verdict, carried_words, drops_of, facts_of, piles_of, summary_of
from jutrek.desk.services.library import LibraryServices
from jutrek.disk import FileStamp
from jutrek.doubles.degrees import Degree, Group
from jutrek.errors import Stopped
from jutrek.filing import HouseRules, OnDouble
from jutrek.library import Library
from jutrek.library.contents import Content
from jutrek.library.kept import kept_beside
from jutrek.library.ledger import Ledger
from jutrek.transfer import Outcome
from jutrek.transfer.setting_aside import Drop
from jutrek.transfer.tray import Emptied
from tests.desk.talk import Ear, Talk
from tests.doubles.common import encoded, groups_of, put, scene, shot
from tests.making import WHEN, names_below
from tests.making import put as put_file


@pytest.fixture
def session(ear: Ear) -> Iterator[Talk]:
    """A session that learns."""
    session = Talk(ear)
    session.learns = True
    yield session
    session.close()


def complete(event: events.Event) -> bool:
    """Whether a library is known as a whole."""
    return isinstance(event, events.Learning) and event.complete


def found(event: events.Event) -> bool:
    """Whether doubles were found."""
    return isinstance(event, answers.DoublesFound)


@pytest.fixture
def mess(library: Library) -> Library:
    """A library with a file twice, and one of it with words."""
    data = shot(0)
    put(library, "2026/05/a.jpg", data)
    put(library, "mess/a (1).jpg", data)
    put(library, "mess/words.jpg", worded(data, ["bridge"], "Velmora Line Trust"))
    return library


def test_a_library_is_learnt_while_nothing_else_is_to_be_done(
    session: Talk, ear: Ear, mess: Library, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It can be paused, goes on, and what an intake holds is told again when all is known."""
    monkeypatch.setattr("jutrek.desk.services.learner._AT_ONCE", 2)
    for number in range(60):
        put(mess, f"more/{number}.jpg", shot(100 + number, quality=50))
    put_file(card / "1.jpg", worded(shot(0), ["yard"], ""))
    put_file(card / "2.jpg", encoded(scene(0).resize((150, 100))))
    put_file(card / "3.jpg", shot(7))
    session.add_source(str(card))
    session.open_library(mess.root)
    ear.wait(lambda e: isinstance(e, events.Learning) and 0 < e.done < e.total)
    session.pause_learning(True)
    paused = ear.wait(lambda e: isinstance(e, events.Learning) and e.paused)
    assert (paused.complete, paused.done < paused.total) == (False, True)
    session.pause_learning(False)
    ear.wait(complete)
    board = ear.board(lambda board: any(one.about_doubles for one in board.questions))
    waiting = {view.name: (view.standing, view.state) for day in board.days for view in day.captures}
    assert waiting["1.jpg"] == ("retagged", State.LOOK)
    assert waiting["3.jpg"] == ("new", State.BRING)
    (question,) = [one for one in board.questions if one.about_doubles]
    assert question.headline == "1 picture is at home already, with other notes"
    assert [view.name for view in question.pictures] == ["1.jpg", "a.jpg"]
    view = board.find(question.captures[0])
    assert view is not None
    beside = home_view(view, board)
    assert beside is not None
    assert beside.id == f"{mess.root}/2026/05/a.jpg"
    session.answer(question.key, 1)
    board = ear.board(lambda board: not any(one.about_doubles for one in board.questions))
    assert board.find(view.id).state is State.BRING  # type: ignore[union-attr]
    session.ask_intake(lambda _: "all that was decided is done", ear)
    ear.wait(str)
    kept = drafts.load(mess.id)
    assert kept is not None
    assert kept.decisions.both == {view.id}
    session.undo()
    session.answer(question.key, 0)
    board = ear.board(lambda board: board.count(State.ASIDE) == 1)


def test_counting_gives_way_to_whatever_is_wanted(session: Talk, ear: Ear, mess: Library) -> None:
    """It is begun while nothing else is to be done, and ends as soon as something is."""
    session.open_library(mess.root)
    assert ear.wait(lambda event: isinstance(event, events.DoublesCounted)).groups == 2
    for wanted, told in ((lambda: True, Stopped), (lambda: False, 2)):
        session.ask_library(partial(_counted, wanted), ear)
        assert ear.wait(lambda event, told=told: event == told) == told


def _counted(wanted: Callable[[], bool], library: LibraryServices) -> object:
    try:
        return library.doubles.count(wanted)
    except Stopped:
        return Stopped


def test_looks_are_compared_and_can_be_interrupted(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """A smaller export with its date waits for an answer; a look-alike comes, and says what it is like."""
    put(library, "a.jpg", shot(0))
    put(library, "b.jpg", shot(3))
    small = scene(0).resize((150, 100))
    put_file(card / "small.jpg", stills.jpeg(small, stills.Shot(WHEN, "Arlen", "M2", "A2-1")))
    put_file(card / "next.jpg", shot(3, WHEN + timedelta(seconds=2), quality=70))
    session.open_library(library.root)
    session.add_source(str(card))
    ear.wait(complete)
    board = ear.board(lambda board: any(one.about_doubles for one in board.questions))
    states = {view.name: (view.standing, view.state) for day in board.days for view in day.captures}
    assert states == {"small.jpg": ("re-encoded", State.LOOK), "next.jpg": ("look-alike", State.BRING)}
    session.keep_rules(HouseRules(reencoded=OnDouble.STAY, alike=OnDouble.ASK))
    board = ear.board(lambda board: board.count(State.ASIDE) == 1)
    assert [view.standing for day in board.days for view in day.captures if view.state is State.LOOK] == ["look-alike"]
    session.keep_rules(HouseRules(reencoded=OnDouble.BRING))
    ear.board(lambda board: board.count(State.BRING) == 2)


def test_a_better_one_is_proposed_to_come_and_companions_are_not_asked_about(
    session: Talk, ear: Ear, library: Library, card: Path
) -> None:
    """Also where house rules leave other encodings on their source; a raw whose picture is home comes beside it."""
    about = stills.Shot(WHEN, "Arlen", "M2", "A2-1")
    put(library, "small.jpg", encoded(scene(1).resize((150, 100))))
    put(library, "2026/pair.jpg", stills.jpeg(scene(6, (900, 600)), about))
    put_file(card / "whole.jpg", shot(1, WHEN + timedelta(hours=1)))
    put_file(card / "P.JPG", stills.jpeg(scene(6, (900, 600)), about))
    put_file(card / "P.DNG", stills.dng(scene(6, (900, 600)), about))
    session.open_library(library.root)
    session.keep_rules(HouseRules(reencoded=OnDouble.STAY))
    session.add_source(str(card))
    board = ear.board(lambda board: any(one.about_doubles for one in board.questions))
    (question,) = [one for one in board.questions if one.about_doubles]
    assert question.answers == ("Bring it", "Leave on the source")
    assert "has more pixels" in question.evidence
    states = {view.name: view.state for day in board.days for view in day.captures}
    assert states == {"whole.jpg": State.LOOK, "P.DNG": State.BRING}


def test_groups_are_found_opened_set_aside_and_put_back(
    session: Talk, ear: Ear, mess: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What stays together is remembered; what is gone from the tray is in the trash; trouble says so."""
    session.open_library(mess.root)
    ear.wait(complete)
    session.of_library(lambda at: at.doubles.find())
    told = ear.wait(found)
    assert [group.degree for group in told.groups] == [Degree.BYTES, Degree.PAYLOAD]
    session.of_lookup(lambda at: at.facts_of(told.groups[1]))
    opened = ear.wait(lambda answer: type(answer) is tuple)
    assert carried_words(opened, 0) == "bridge · © Velmora Line Trust"
    assert carried_words(opened, 1) == ""
    verdicts = [Verdict(told.groups[0], "2026/05/a.jpg"), Verdict(told.groups[1], "")]
    session.of_library(lambda at: at.doubles.settle(Decided().with_all(verdicts)))
    ended = ear.wait(Outcome)
    assert ended.home == 1
    session.of_library(lambda at: at.doubles.find())
    again = ear.wait(found)
    assert again.groups == ()
    assert [one.was for one in again.tray] == ["mess/a (1).jpg"]
    assert len(kept_beside(mess)) == 1
    session.of_library(lambda at: at.doubles.empty_tray(again.tray))
    emptied = ear.wait(Emptied)
    assert emptied.files == 1
    session.of_library(lambda at: at.runs.take_back(emptied.run))
    session.of_library(lambda at: at.runs.take_back(ended.run))
    ear.wait(lambda e: isinstance(e, answers.TakenBack) and e.outcome.home == 1 and e.outcome.run != "")
    ear.wait(lambda e: isinstance(e, answers.TakenBack) and e.outcome.home == 1)
    assert "mess/a (1).jpg" in names_below(mess.root)


def content(path: str, size: int = 10) -> Content:
    return Content(path, size, 1, "still", "jpeg", 60, 40, taken="2026-05-14T10:00:00")


def group(degree: Degree, *paths: str, dated: bool = True) -> Group:
    """A group, its first file the proposed keeper."""
    files = tuple(map(content, paths))
    return Group(degree, files, paths[0], "It is the older file.", tuple(path.encode() for path in paths), dated)


def test_decisions_follow_one_another() -> None:
    """A file that is the keeper here and goes there: what stays there stays for both."""
    same, other = group(Degree.BYTES, "a", "b"), group(Degree.PICTURE, "a", "c")
    decided = Decided().with_all([Verdict(same, "a"), Verdict(other, "c", carries=False)])
    assert drops_of(decided) == [
        Drop("b", FileStamp(10, 1), "c", FileStamp(10, 1), Degree.PICTURE, True),
        Drop("a", FileStamp(10, 1), "c", FileStamp(10, 1), Degree.PICTURE, False),
    ]
    round_about = Decided().with_all([Verdict(same, "a"), Verdict(group(Degree.PAYLOAD, "b", "a"), "b")])
    assert drops_of(round_about) == []
    assert decided.before == Decided()
    assert [one.path for one in decided.dropped] == ["b", "a"]
    assert decided.without(other.key).dropped == (content("b"),)
    assert Decided().with_all([Verdict(same, "")]).kept == (same,)


def test_many_groups_are_decided_at_once_only_where_content_is_the_same() -> None:
    """Never by looks; with figures before; what is decided already is left out."""
    groups = [
        group(Degree.BYTES, "2026/05/a", "b"), group(Degree.BYTES, "c", "d", dated=False),
        group(Degree.PICTURE, "e", "f"), group(Degree.ALIKE, "g", "h"),
    ]  # fmt: skip
    whole, dated = piles_of(groups, Decided())
    assert (whole.words, len(whole.groups), whole.files, whole.size) == ("The proposed ones stay", 2, 2, 20)
    assert (dated.words, [one.keeper for one in dated.groups]) == ("Those in dated folders stay", ["2026/05/a"])
    assert not whole.carries
    assert piles_of([group(Degree.PAYLOAD, "a", "b")], Decided())[0].carries
    (left,) = piles_of(groups, Decided().with_all([Verdict(groups[0], "b")]))
    assert [one.keeper for one in left.groups] == ["c"]


def test_what_tells_files_apart_is_said_in_words(mess: Library, ledger: Ledger) -> None:
    """Also of a file that is gone by now."""
    groups = groups_of(mess, ledger)
    same, tagged = groups
    assert summary_of(same).differs == "exactly the same"
    about = summary_of(tagged)
    assert (about.files, about.when, about.differs, about.dates_differ) == (
        "2 files", "14 May 2026", "keywords differ", False,
    )  # fmt: skip
    keeper, other = facts_of(tagged, mess, ledger)
    assert keeper.words[:3] == ("a.jpg", "2026 / 05", "14 May 2026, 10:26:13 +02:00")
    assert keeper.words[4] == other.words[4]
    assert (keeper.words[5], other.words[5]) == ("none", "bridge · © Velmora Line Trust")
    assert other.words[6:] == ("no", "found when the library was looked at")
    Path(mess.root, "mess/words.jpg").unlink()
    gone = facts_of(tagged, mess, ledger)[1]
    assert (gone.view, gone.words[0], gone.words[2]) == (None, "words.jpg", "")


def test_decisions_about_doubles_are_values() -> None:
    """Bringing takes back setting aside; a draft without them is read as one that decides nothing."""
    from jutrek.captures import Decisions

    made = SetAside(frozenset({"a"})).on(Decisions())
    made = BringDoubles(frozenset({"a"})).on(made)
    assert (made.both, made.aside) == ({"a"}, frozenset())
    assert made.about == {"a"}
    assert made.without(frozenset({"a"})) == Decisions()


def test_an_error_of_idle_work_is_told_once(
    session: Talk, ear: Ear, mess: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """And the session goes on with what people want."""
    stop = threading.Event()

    def broken(*_: object, **__: object) -> None:
        stop.set()
        raise OSError("the drive is gone")

    monkeypatch.setattr("jutrek.desk.services.learner.survey", broken)
    session.open_library(mess.root)
    ear.wait(events.Trouble)
    assert stop.is_set()
    session.of_lookup(lambda at: at.tell_records())
    ear.wait(events.RecordsKnown)
    assert sum(isinstance(e, events.Trouble) for e in ear.heard) == 0
