"""Disks that hang: real mounts that answer nothing. Each is named, holds up nothing else, and can be given up."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from jutrek.desk import events
from jutrek.desk.board_captures import State
from jutrek.desk.events import Who
from jutrek.errors import NoAnswer
from jutrek.library import Library, add_place, new_library
from tests import making
from tests.conftest import Medium
from tests.desk.talk import Ear, Talk
from tests.making import WHEN, names_below, put

Media = Callable[[str], Medium]


@pytest.fixture
def session(ear: Ear, medium: Media) -> Iterator[Talk]:
    """A session that ends before its media do."""
    session = Talk(ear)
    yield session
    session.close(making.PATIENCE)


def says(words: str) -> Callable[[Any], bool]:
    """Whether something that goes on is told in these words."""
    return lambda event: isinstance(event, events.Working) and words in event.what


def left_behind_ended() -> None:
    """Wait until what was left behind has come to its end, now that its disk answers."""
    deadline = time.monotonic() + making.PATIENCE
    while sum(thread.name in (Who.LIBRARY, Who.INTAKE) for thread in threading.enumerate()) > 2:
        assert time.monotonic() < deadline
        time.sleep(0.02)


def on_card(medium: Medium, count: int = 2) -> Medium:
    """A card with some stills."""
    for number in range(count):
        put(medium.below / "DCIM" / f"DSC{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    return medium


def test_a_card_that_hangs_holds_up_no_other(session: Talk, ear: Ear, medium: Media, library: Library) -> None:
    """It is said within a tenth of a second that it is read, then that it does not answer; later it is gone on with."""
    good, bad = on_card(medium("Card A")), on_card(medium("Card B"), 3)
    session.open_library(library.root)
    ear.board()
    bad.fail(hangs=True)
    began = time.monotonic()
    session.add_source(str(bad.top))
    session.add_source(str(good.top))
    ear.wait(lambda event: isinstance(event, events.Reading) and event.root == str(bad.top))
    assert time.monotonic() - began < 0.1 * making.PATIENCE / 20
    board = ear.board(lambda board: board.count(State.BRING) == 2)
    silent = ear.wait(events.Silent)
    assert (silent.root, silent.seconds >= 2) == (str(bad.top), True)
    assert [source.source.name for source in board.sources] == ["Card B", "Card A"]
    session.bring()
    ear.wait(lambda event: getattr(event, "home", 0) == 2)
    bad.fail()
    ear.wait(lambda event: event == events.Silent(str(bad.top), 0))
    ear.board(lambda board: board.captures == 5 and board.count(State.BRING) == 1)


@pytest.mark.long
def test_a_card_that_hangs_can_be_left_out(session: Talk, ear: Ear, medium: Media) -> None:
    """Also before it is known not to answer; whatever it answers then is not heard of."""
    bad = on_card(medium("Card B"))
    bad.fail(hangs=True)
    session.add_source(str(bad.top))
    ear.wait(events.Reading)
    began = time.monotonic()
    session.stop(Who.INTAKE)
    ear.wait(events.Trouble)
    assert time.monotonic() - began < 1
    session.add_source(str(bad.top))
    ear.wait(events.Silent)
    session.remove_source(str(bad.top))
    assert ear.wait(events.Silent).seconds == 0
    ear.wait(lambda event: isinstance(event, events.BoardChanged) and not event.board.sources)
    ear.heard.clear()
    bad.fail()
    time.sleep(1.5)
    assert not [event for event in ear.heard if isinstance(event, events.BoardChanged) and event.board.sources]


@pytest.mark.long
@pytest.mark.parametrize("when", ["it is opened", "it is looked through", "it is compared with"])
def test_a_library_that_hangs_is_named_and_can_be_let_go(
    when: str, session: Talk, ear: Ear, medium: Media, card: Path, library: Library
) -> None:
    """What was read and decided stays; another library, or the same one later, is used as ever."""
    disk = medium("Archive")
    other, library = library, new_library(str(disk.top))
    put(card / "A.JPG", making.jpeg())
    if when != "it is opened":
        session.open_library(library.root)
        ear.board()
    if when == "it is looked through":
        session.add_source(str(card))
        ear.board(lambda board: board.count(State.BRING) == 1)
    disk.fail(hangs=True)
    time.sleep(1.1)
    if when == "it is opened":
        session.open_library(library.root)
    elif when == "it is looked through":
        session.of_library(lambda at: at.places.tell())
    if when != "it is looked through":
        session.add_source(str(card))
    ear.wait(says("Archive has not answered for 2 s"))
    session.stop(Who.INTAKE, Who.LIBRARY)
    began = time.monotonic()
    trouble = ear.wait(lambda event: isinstance(getattr(event, "error", None), NoAnswer))
    assert time.monotonic() - began < 1
    assert str(trouble.error).startswith("Archive has not answered for ")
    ear.wait(lambda event: isinstance(event, events.BoardChanged) and event.board.place is None)
    session.open_library(other.root)
    board = ear.board(lambda board: board.count(State.BRING) == 1)
    assert board.place and board.place.root == other.root
    disk.fail()
    left_behind_ended()
    session.open_library(library.root)
    ear.board(lambda board: board.place is not None and board.place.root == library.root)


@pytest.mark.long
def test_a_run_whose_disk_hangs_is_told_and_can_be_given_up(
    session: Talk, ear: Ear, medium: Media, library: Library
) -> None:
    """It is said which disk; what came home before is home, and the rest comes with the next run."""
    source = on_card(medium("Card A"), 40)
    source.fail(read_speed=200_000)
    session.open_library(library.root)
    session.add_source(str(source.top))
    ear.board(lambda board: board.count(State.BRING) == 40)
    session.bring()
    ear.wait(lambda event: isinstance(event, events.Running) and event.progress.files > 1)
    source.fail(hangs=True)
    ear.wait(says("Card A has not answered"))
    session.stop(Who.INTAKE)
    ear.wait(lambda event: isinstance(getattr(event, "error", None), NoAnswer))
    source.fail()
    left_behind_ended()
    session.open_library(library.root)
    ear.board(lambda board: 0 < board.count(State.BRING) < 40 or board.count(State.HOME) > 1)
    session.bring()
    ear.wait(lambda event: getattr(event, "home", 0) > 0, 60)
    assert len(names_below(library.root)) == 40


@pytest.mark.long
def test_a_place_that_hangs_is_not_there(session: Talk, ear: Ear, medium: Media, card: Path, library: Library) -> None:
    """The library is opened and used without it, and it is told as any place that is not connected."""
    heron = medium("Heron")
    add_place(library, str(heron.top), "Heron")
    put(card / "A.JPG", making.jpeg())
    heron.fail(hangs=True)
    time.sleep(1.1)
    session.open_library(library.root)
    session.add_source(str(card))
    board = ear.board(lambda board: board.count(State.BRING) == 1)
    assert [(place.name, place.here) for place in board.places] == [("Heron", False)]


def test_what_hangs_does_not_keep_a_session_from_ending(session: Talk, ear: Ear, medium: Media) -> None:
    """It ends at once; what hangs is left, and ends by itself when its disk answers."""
    disk = medium("Archive")
    library = new_library(str(disk.top))
    disk.fail(hangs=True)
    time.sleep(1.1)
    session.open_library(library.root)
    ear.wait(says("Archive"))
    began = time.monotonic()
    session.end()
    assert time.monotonic() - began < 0.2
    assert not session.close(0.1)
    disk.fail()
    assert session.close(making.PATIENCE)
