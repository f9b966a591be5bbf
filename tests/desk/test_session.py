"""The intake session: what a face hears, from the first source to the last proof. No Qt."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from jutrek.demo import Scenario
from jutrek.desk import answers, events, reader
from jutrek.desk.board import Board
from jutrek.desk.board_captures import State
from jutrek.desk.board_days import gathered, hour_of
from jutrek.desk.questions import Effect
from jutrek.desk.services import runs, sources
from jutrek.desk.settings import last_library, remember_library
from jutrek.desk.workbench import Workbench
from jutrek.errors import LibraryMissing, SourceRefused, SourceUnreadable, Stopped
from jutrek.filing import HouseRules, Undated, from_json
from jutrek.library import Library
from jutrek.transfer import Outcome
from jutrek.transfer.lock import locked
from tests import making
from tests.desk.talk import Ear, Talk
from tests.making import WHEN, names_below, put


def test_the_demo_from_cards_to_home(session: Talk, ear: Ear, demo: Scenario) -> None:
    """Sources are read, every question settled in a few answers, the run proves it, a second one brings nothing."""
    session.open_library(demo.library)
    for path in demo.sources:
        session.add_source(path)
    board = ear.board(lambda board: len(board.sources) == 5)
    assert board.captures == 214
    assert (board.count(State.BRING), board.count(State.HOME), board.count(State.LOOK)) == (167, 14, 33)
    assert [source.device.letter for source in board.sources if source.device] == ["A", "B", "C", "D", "P"]
    days = ["12", "12/2", "14", "15", "17", "18"]
    assert [day.key for day in board.days] == [f"2026-05-{day}" for day in days] + [""]
    (may,) = (folder for folder in board.folders if folder.path == "2026/05")
    assert (may.coming, may.exists) == (167, False)
    assert [(question.certainty, len(question.captures)) for question in board.questions] == [
        ("certain", 19), ("likely", 6), ("likely", 5), ("only a day", 3),
    ]  # fmt: skip
    session.preview(board.questions[0].key)
    told = ear.wait(Effect)
    assert dict(told.figures) == {"other names": 19, "now beside a sound take": 16}
    assert told.samples[0] == ("20260512_074308.mov", "20260512_084308.mov", "2026/05")
    session.accept_certain()
    for question in board.questions[1:]:
        session.answer(question.key, 0)
    board = ear.board(lambda board: not board.questions)
    assert (board.count(State.BRING), board.count(State.HOME), board.count(State.LOOK)) == (200, 14, 0)
    session.bring()
    ended = ear.wait(Outcome)
    assert (ended.failed, ended.trouble) == ([], None)
    session.keep_rules(HouseRules())
    board = ear.board()
    assert (board.count(State.BROUGHT), board.count(State.HOME), board.count(State.LOOK)) == (200, 14, 0)
    assert board.bring_bytes == 0


def test_many_cards_are_sorted_together(
    session: Talk, ear: Ear, library: Library, card: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The first one is seen at once; what a next card makes stale is not begun. Each says how much was read on it."""
    sortings = []
    sort = Workbench.sources_changed
    monkeypatch.setattr(Workbench, "sources_changed", lambda bench: sortings.append(1) or sort(bench))
    monkeypatch.setattr(sources, "_SORTED_EVERY", 1e9)
    cards = [card, *(tmp_path / f"Card {letter}" for letter in "BCDEF")]
    for number, root in enumerate(cards):
        put(root / "A.JPG", making.jpeg(WHEN.replace(hour=number), seed=number))
    session.open_library(library.root)
    ear.board()
    for root in cards:
        session.add_source(str(root))
    board = ear.board(lambda board: len(board.sources) == 6 and not any(one.unsorted for one in board.sources))
    assert (board.captures, board.count(State.BRING), len(sortings)) == (6, 6, 2)
    boards = [one.board for one in ear.all if isinstance(one, events.BoardChanged)]
    assert next(one for one in boards if one.captures).captures == 1
    between = [one for one in boards if any(view.unsorted for view in one.sources)]
    assert all(one.plan is None for one in between)
    session.remove_source(str(cards[-1]))
    board = ear.board(lambda board: len(board.sources) == 5)
    assert (board.captures, len(sortings)) == (5, 3)


def test_undated_captures_go_to_unfiled_when_asked(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """The choice changes the plan at once, and nothing is read again."""
    put(card / "A.JPG", making.jpeg(None))
    session.open_library(library.root)
    session.add_source(str(card))
    assert ear.board(lambda board: board.captures == 1).count(State.LOOK) == 1
    session.keep_rules(HouseRules(undated=Undated.UNFILED))
    board = ear.board(lambda board: board.count(State.BRING) == 1)
    assert board.days[0].captures[0].destination == "Unfiled/A.jpg"


def test_twins_are_shown_as_such_until_their_original_is_home(
    session: Talk, ear: Ear, library: Library, card: Path
) -> None:
    """Before the run one is brought and one is its twin; after it both are home."""
    put(card / "A.JPG", making.jpeg())
    put(card / "B" / "A.JPG", making.jpeg())
    session.open_library(library.root)
    session.add_source(str(card))
    board = ear.board(lambda board: board.captures == 2)
    assert (board.count(State.BRING), board.count(State.TWIN)) == (1, 1)
    session.bring()
    board = ear.board(lambda board: board.count(State.TWIN) == 0)
    assert (board.count(State.BROUGHT), board.count(State.HOME)) == (1, 1)


def test_trouble_stands_where_it_happened(
    session: Talk, ear: Ear, library: Library, tmp_path: Path, card: Path
) -> None:
    """A source that cannot be read, one inside the library, and a library that is none."""
    session.open_library(library.root)
    (Path(library.root) / "2026").mkdir()
    for path, error in ((str(tmp_path / "none"), SourceUnreadable), (library.root + "/2026", SourceRefused)):
        session.add_source(path)
        heard = ear.wait(events.Trouble)
        assert (heard.root, type(heard.error)) == (path, error)
    put(card / "A.JPG", making.jpeg())
    session.add_source(str(card))
    assert len(ear.board(lambda board: board.captures == 1).sources) == 1
    session.open_library(str(tmp_path / "none"))
    heard = ear.wait(events.Trouble)
    assert heard.root == ""
    for ask in (session.of_library, session.of_lookup):
        ask(lambda _: "there is none")
        assert isinstance(ear.wait(events.Trouble).error, LibraryMissing)


def test_a_fault_of_our_own_is_told_and_survived(
    session: Talk, ear: Ear, library: Library, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The session goes on after an error that nobody foresaw."""
    put(card / "A.JPG", making.jpeg())
    session.open_library(library.root)
    with monkeypatch.context() as patch:
        patch.setattr("jutrek.desk.reader.read_source", lambda *_, **__: 1 / 0)
        session.add_source(str(card))
        heard = ear.wait(events.Trouble)
        assert "ZeroDivisionError" in str(heard.error)
    session.remove_source(str(card))
    session.add_source(str(card))
    assert ear.board(lambda board: board.captures == 1)


def test_reading_can_be_stopped(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """The source that was being read is not on the board; it can be added again."""
    for number in range(300):
        put(card / f"{number}.JPG", making.jpeg(seed=number))
    session.open_library(library.root)
    session.add_source(str(card))
    ear.wait(events.Reading)
    session.stop()
    assert ear.board(lambda board: not board.sources).captures == 0
    session.add_source(str(card))
    assert ear.board(lambda board: board.captures == 300)


def test_a_stop_also_ends_a_run_that_waits_to_begin(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """What was stopped before it began does not begin afterwards."""
    for number in range(300):
        put(card / f"{number}.JPG", making.jpeg(seed=number))
    session.open_library(library.root, chosen=True)
    session.add_source(str(card))
    session.bring()
    session.stop()
    ear.wait(lambda event: isinstance(event, events.Trouble) and isinstance(event.error, Stopped))
    assert names_below(library.root) == set()
    assert last_library() == library.root


def test_a_library_chosen_after_its_source_is_kept_apart(
    session: Talk, ear: Ear, library: Library, tmp_path: Path, card: Path
) -> None:
    """A source that holds the library is read again without it; one that lies in it is refused."""
    put(Path(library.root) / "2026" / "x.jpg", making.jpeg(seed=5))
    put(card / "A.JPG", making.jpeg())
    for path in (tmp_path, Path(library.root) / "2026"):
        session.add_source(str(path))
    ear.wait(lambda event: isinstance(event, events.BoardChanged) and event.board.captures == 2)
    session.open_library(library.root)
    heard = ear.wait(events.Trouble)
    assert isinstance(heard.error, SourceRefused)
    board = ear.board(lambda board: board.captures == 1)
    assert [view.name for day in board.days for view in day.captures] == ["A.JPG"]


def test_a_source_can_be_taken_out_and_a_plan_saved(
    session: Talk, ear: Ear, library: Library, card: Path, tmp_path: Path
) -> None:
    """A saved plan is the plan that was shown."""
    put(card / "A.JPG", making.jpeg())
    put(tmp_path / "more" / "B.JPG", making.jpeg(seed=1))
    session.open_library(library.root)
    session.add_source(str(card))
    session.add_source(str(tmp_path / "more"))
    ear.board(lambda board: board.captures == 2)
    session.remove_source(str(tmp_path / "more"))
    board = ear.board(lambda board: board.captures == 1)
    session.save_plan(str(tmp_path / "x.json"))
    ear.wait(str)
    assert from_json((tmp_path / "x.json").read_text(), "x") == board.plan
    session.save_plan(str(tmp_path / "none" / "x.json"))
    ear.wait(events.Trouble)


def test_a_file_that_fails_is_marked_and_tried_again(session: Talk, ear: Ear, library: Library, card: Path) -> None:
    """Its row says why; the next run takes it along."""
    path = put(card / "A.JPG", making.jpeg())
    session.open_library(library.root)
    session.add_source(str(card))
    ear.board(lambda board: board.captures == 1)
    os.utime(path, (5, 5))
    session.bring()
    view = ear.board(lambda board: board.count(State.FAILED) == 1).days[0].captures[0]
    assert "changed since the plan" in view.why
    stamp = int(
        (WHEN - WHEN.replace(year=1970, month=1, day=1, hour=0, minute=0, second=0, microsecond=0))
        / timedelta(seconds=1)
    )
    os.utime(path, (stamp, stamp))
    session.bring()
    assert ear.board(lambda board: board.count(State.BROUGHT) == 1)


@pytest.mark.parametrize(("days", "length"), [(3, 10), (70, 7), (62 * 31, 4)])
def test_many_days_become_months_and_years(
    session: Talk, ear: Ear, library: Library, card: Path, days: int, length: int
) -> None:
    """Rows stay few enough to be seen at once."""
    count = min(days, 70)
    for number in range(count):
        when = WHEN - timedelta(days=number * days // count)
        put(card / f"{number}.JPG", making.jpeg(when, seed=number, model=f"M{number % 3}"))
    session.open_library(library.root)
    session.add_source(str(card))
    board = ear.board(lambda board: board.captures == count)
    assert board.rows == gathered(board.days)
    assert {len(day.key) for day in board.rows} == {length}
    for row in board.rows:
        for at, view in enumerate(row.captures):
            assert view.when is not None
            since = view.when.date() if row.parts else row.start
            hours = (view.when.toordinal() * 24 if row.parts else 0) + hour_of(view.when, since)
            assert row.marks.hours[at] == pytest.approx(hours, abs=1e-6)
            assert row.devices[row.marks.devices[at]] == view.device
            assert (row.marks.seconds[at], row.marks.clips[at]) == (view.duration, view.kind == "clip")


def test_the_library_is_remembered(tmp_path: Path) -> None:
    """Damaged settings count as none."""
    assert last_library() == ""
    remember_library("/somewhere/über")
    assert last_library() == "/somewhere/über"
    put(tmp_path / "xdg" / "jutrek" / "settings.toml", b"= broken")
    assert last_library() == ""


def test_the_core_runs_where_there_is_no_qt() -> None:
    """Every room below the window imports without PySide6."""
    code = (
        "import sys; sys.modules['PySide6'] = None\n"
        "from jutrek.cli.commands import app_of; app_of(); import jutrek.cli.planning, jutrek.cli.bringing\n"
        "import jutrek.desk.session, jutrek.desk.pictures, jutrek.demo\n"
        "assert not [name for name in sys.modules if name.startswith(('PySide6.', 'shiboken'))]"
    )
    subprocess.run([sys.executable, "-c", code], check=True)


@pytest.mark.long
def test_recordings_are_listened_to_while_nothing_else_is_to_do(session: Talk, ear: Ear, demo: Scenario) -> None:
    """What was likely by its presses becomes certain, to the second, and shows what both heard."""
    session.learns = True
    session.open_library(demo.library)
    for path in demo.sources[3:]:
        session.add_source(path)

    def heard(board: Board) -> bool:
        return any(question.waves is not None for question in board.questions)

    # Several minutes of sound are decoded meanwhile.
    event = ear.wait(lambda event: isinstance(event, events.BoardChanged) and heard(event.board), patience=90.0)
    board = event.board
    (question,) = (one for one in board.questions if one.waves is not None)
    assert (question.certainty, question.shift, question.answers[0]) == ("certain", -443.0, "Shift by -0:07:23")
    assert question.waves is not None
    assert question.waves.take.sign == "D"
    assert min(len(question.waves.clip.loud), len(question.waves.take.loud)) > 50
    session.accept_certain()
    ear.board(lambda board: not heard(board))
    session.undo()
    ear.board(heard)
    session.remove_source(demo.sources[3])
    ear.board(lambda board: len(board.sources) == 1 and not heard(board))


def test_a_library_is_had_as_soon_as_another_jutrek_has_left_it(session: Talk, ear: Ear, library: Library) -> None:
    """Why it cannot be had yet is said once; nobody has to ask again."""
    with locked(library):
        session.open_library(library.root)
        assert "Another Jutrek is at work" in str(ear.wait(events.Trouble).error)
        time.sleep(2.5)
        assert not [one for one in ear.heard if isinstance(one, events.Trouble)]
    assert ear.board().place


def test_the_library_does_not_wait_for_an_intake_nor_a_question_for_a_run(
    session: Talk, ear: Ear, library: Library, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While a source is being read the library is checked; while a run is at work the journal is read."""
    reading, bringing, gate = threading.Event(), threading.Event(), threading.Event()
    read, carry_out = reader.read_source, runs.bring

    def slow_read(*args: Any, **kwargs: Any) -> Any:
        reading.set()
        assert gate.wait(20)
        return read(*args, **kwargs)

    def slow_bring(*args: Any, **kwargs: Any) -> Any:
        bringing.set()
        assert gate.wait(20)
        return carry_out(*args, **kwargs)

    monkeypatch.setattr(reader, "read_source", slow_read)
    monkeypatch.setattr(runs, "bring", slow_bring)
    put(card / "A.JPG", making.jpeg())
    session.open_library(library.root)
    session.add_source(str(card))
    assert reading.wait(20)
    session.of_library(lambda at: at.checks.check(""))
    assert not ear.wait(answers.CheckEnded).checked.bad
    gate.set()
    ear.board(lambda board: board.count(State.BRING) == 1)
    gate.clear()
    session.bring()
    assert bringing.wait(20)
    session.of_lookup(lambda at: at.tell_records())
    assert [record.kind for record in ear.wait(events.RecordsKnown).records] == ["check"]
    gate.set()
    assert ear.wait(Outcome).home == 1
