"""What waits for a person waits: no run, pulled card, error, restart or clock decides it."""

from __future__ import annotations

import os
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest

from jutrek.captures.decisions import BringAlong
from jutrek.demo import stills
from jutrek.demo.copies import worded
from jutrek.desk import events
from jutrek.desk.board import Board
from jutrek.desk.board_captures import State
from jutrek.desk.intake import standings_of
from jutrek.doubles import Standing
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.transfer import Outcome
from tests.desk.talk import Ear, Talk
from tests.doubles.common import put, scene, shot
from tests.making import WHEN, names_below, never
from tests.making import put as put_file

COUNT = 8


@pytest.fixture(params=[False, True], ids=["not learning", "learning"])
def session(request: pytest.FixtureRequest, ear: Ear) -> Iterator[Talk]:
    session = Talk(ear)
    session.learns = request.param
    yield session
    session.close()


@pytest.fixture
def pairs(card: Path) -> Path:
    """A card of pictures, each a second time with other words."""
    for number in range(COUNT):
        data = shot(number, WHEN + timedelta(minutes=number))
        put_file(card / "DCIM" / f"{number}.JPG", data)
        put_file(card / "SENT" / f"{number} sent.JPG", worded(data, ["bridge"], ""))
    return card


def waits(board: Board) -> bool:
    """Whether all copies wait, and nothing of the intake is to come."""
    return board.plan is not None and board.count(State.LOOK) == COUNT and board.count(State.BRING) == 0


def test_nothing_that_waits_is_ever_brought_unasked(session: Talk, ear: Ear, library: Library, pairs: Path) -> None:
    """After a run, when the button is pressed again and again, with the card pulled, and back, and after a restart."""
    session.open_library(library.root)
    session.add_source(str(pairs))
    board = ear.board(lambda board: board.count(State.BRING) == board.count(State.LOOK) == COUNT)
    assert {view.standing for day in board.days for view in day.captures if view.state is State.LOOK} == {"retagged"}
    for _ in range(4):
        session.bring()
        ear.wait(Outcome)
        session.of_library(lambda at: at.places.tell())
        ear.board(waits)
    assert len(names_below(library.root)) == COUNT
    os.rename(pairs, f"{pairs} away")
    session.bring()
    ear.wait(Outcome)
    session.of_library(lambda at: at.places.tell())
    ear.wait(events.PlacesKnown)
    assert len(names_below(library.root)) == COUNT
    os.rename(f"{pairs} away", pairs)
    again = Ear()
    second = Talk(again)
    try:
        second.open_library(library.root)
        second.add_source(str(pairs))
        again.board(lambda board: board.plan is not None and board.count(State.LOOK) == COUNT)
        second.bring()
        again.wait(Outcome)
    finally:
        second.close()
    assert len(names_below(library.root)) == COUNT


def test_what_was_found_by_looks_is_not_forgotten(ear: Ear, library: Library, card: Path) -> None:
    """By whoever does not look at pictures, and by the command line; until its equal is gone, or it is another."""
    put(library, "2026/a.jpg", shot(0))
    small = scene(0).resize((150, 100))
    put_file(card / "small.jpg", stills.jpeg(small, stills.Shot(WHEN, "Arlen", "M2", "A2-1")))
    first = Talk(ear)
    first.learns = True
    try:
        first.open_library(library.root)
        first.add_source(str(card))
        board = ear.board(lambda board: any(one.about_doubles for one in board.questions))
        assert (board.count(State.LOOK), board.not_compared) == (1, 0)
    finally:
        first.close()

    def standing() -> Standing:
        from jutrek.desk.intake import make_captures, read_source
        from jutrek.sources import known_source

        with Ledger(library.ledger_path) as ledger:
            found = read_source(known_source(str(card)), library, stop=never(), report=lambda *_: None)
            captures = make_captures([found])
            told = standings_of(captures, library, ledger, stop=never(), report=lambda *_: None)
            return told[captures[0].id].standing

    assert standing() is Standing.REENCODED
    Path(library.root, "2026/a.jpg").rename(Path(library.root, "2026/b.jpg"))
    os.utime(card / "small.jpg", (1, 1))
    assert standing() is Standing.NEW


def test_what_was_not_compared_yet_is_counted(ear: Ear, library: Library, card: Path) -> None:
    """With an empty library nothing is to be compared; with one that was not looked at, all of it."""
    put_file(card / "1.JPG", shot(1))
    session = Talk(ear)
    try:
        session.open_library(library.root)
        session.add_source(str(card))
        assert ear.board(lambda board: board.count(State.BRING) == 1).not_compared == 0
        put(library, "2026/a.jpg", shot(0))
        session.add_source(str(card.parent / "nothing"))
        ear.board(lambda board: board.not_compared == 1)
    finally:
        session.close()


def test_other_files_come_along_by_a_decision_that_can_be_taken_back(ear: Ear, library: Library, card: Path) -> None:
    """As they are, under their own paths; known by content the next time."""
    put_file(card / "1.JPG", shot(1))
    put_file(card / "PRIVATE" / "INDEX.BDM", b"index")
    session = Talk(ear)
    try:
        session.open_library(library.root)
        session.add_source(str(card))
        ear.board(lambda board: board.plan is not None and len(board.plan.to_bring()) == 1)
        session.change(BringAlong(frozenset({str(card)})))
        ear.board(lambda board: board.plan is not None and len(board.plan.to_bring()) == 2)
        session.undo()
        ear.board(lambda board: board.plan is not None and len(board.plan.to_bring()) == 1)
        session.redo()
        ear.board(lambda board: board.plan is not None and len(board.plan.to_bring()) == 2)
        session.bring()
        ear.wait(Outcome)
    finally:
        session.close()
    assert "Brought along/Card A/PRIVATE/INDEX.BDM" in names_below(library.root)
