"""Views of a session's library: read a little at a time, current with what the session learns."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TypeVar

import pytest

from jutrek.desk import events, viewing
from jutrek.desk.laid_out import View
from jutrek.desk.services.lookup import LookupService
from jutrek.desk.viewing import Views
from jutrek.errors import NotInside, NotPossible, Stopped
from jutrek.filing import HouseRules
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.library.spots import name_spot, spots_of
from jutrek.views import looking
from jutrek.views.sentence import parse
from jutrek.views.shelves import change, put_on, shelves_of
from jutrek.whereabouts import Spot
from tests import making
from tests.desk.talk import Ear, Talk
from tests.making import put

T = TypeVar("T")


@pytest.fixture
def root(library: Library) -> Path:
    """Thirty pictures of two months, and a clip's companion."""
    for number in range(30):
        when = datetime(2026, 4 + number % 2, 1 + number // 2, 9)
        put(Path(library.root) / f"2026/{number:02}.jpg", making.jpeg(when, seed=number))
    return Path(library.root)


def answer(session: Talk, job: Callable[[LookupService], T]) -> T:
    """What comes of a job of the lookup's."""
    came: list[T] = []
    session.ask_lookup(job, came.append)
    until = time.monotonic() + making.PATIENCE
    while not came and time.monotonic() < until:
        time.sleep(0.01)
    return came[0]


def shown(view: View) -> list[str]:
    return view.columns.paths(view.laid.rows)


def test_files_are_read_some_at_a_time_and_can_be_stopped(
    root: Path, library: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(viewing, "_AT_ONCE", 8)
    monkeypatch.setattr(viewing, "_A_MOMENT", 0.0)
    views, stop = Views(library, ledger), threading.Event()
    assert shown(views.lay(parse("stills"))) == []
    assert views.catch_up(stop, lambda *_: None) == 30
    assert views.read_some(stop) == 22
    stop.set()
    with pytest.raises(Stopped):
        while True:
            views.read_some(stop)
    stop.clear()
    assert views.renew(soon=False)
    assert len(shown(views.lay(parse("with a date")))) == 8
    assert len(shown(views.lay(parse("stills")))) == 30
    # What was kept of that does not count as all there is.
    whole = looking.current(library, Ledger(library.ledger_path), HouseRules, stop=threading.Event())
    assert whole.count == 30
    assert (whole.precision > 0).all()
    # Another look goes on where it was.
    again = Views(library, ledger)
    assert again.catch_up(stop, lambda *_: None) == 0
    until = time.monotonic() + making.PATIENCE
    while again.read_some(stop) and time.monotonic() < until:
        pass
    assert again.renew(soon=False)
    assert not again.renew(soon=False)
    assert len(shown(again.lay(parse("in May 2026")))) == 15
    assert again.lay(parse("in May 2026")).groups[0][2] == slice(0, 1)


def test_a_file_is_looked_at_up_close_and_nothing_outside_is(root: Path, library: Library, ledger: Ledger) -> None:
    views = Views(library, ledger)
    found = views.details("2026/03.jpg")
    assert found.picture.id == str(root / "2026" / "03.jpg")
    assert found.details.trusted
    for path in ("../other.jpg", "/etc/passwd", "2026/../../x"):
        with pytest.raises(NotInside):
            views.details(path)


def test_a_session_reads_what_files_say_before_it_looks_at_them(session: Talk, ear: Ear, root: Path) -> None:
    session.learns = True
    session.open_library(str(root))
    assert ear.wait(lambda event: isinstance(event, events.Described)).left == 0
    learning = ear.wait(lambda event: isinstance(event, events.Learning) and event.complete)
    assert learning.total
    put(root / "2027" / "new.jpg", making.jpeg(datetime(2027, 1, 1), seed=99))
    assert answer(session, lambda lookup: lookup.catch_up()) == 1
    assert answer(session, lambda lookup: lookup.read_some()) == 0
    assert answer(session, lambda lookup: lookup.views.renew(soon=False))
    assert shown(answer(session, lambda lookup: lookup.views.lay(parse("in 2027")))) == ["2027/new.jpg"]


def test_what_was_done_with_shelves_and_spots_is_taken_back_in_turn(root: Path, library: Library) -> None:
    with Ledger(library.ledger_path) as ledger:
        views = Views(library, ledger)
        views.catch_up(threading.Event(), lambda *_: None)
        while views.read_some(threading.Event()):
            pass
        views.renew(soon=False)
        assert views.put_on("A", ["2026/03.jpg", "2026/01.jpg", "2026/none.jpg"]) == 2
        assert views.name_spot(Spot("Gate", 39.42, 5.31)) is None
        assert views.name_spot(Spot("gate", 39.5, 5.31)) == Spot("Gate", 39.42, 5.31)
        assert views.put_on("A", ["2026/05.jpg"], shelves_of(library)[0][0].things[0]) == 1
        view = views.lay(parse("on shelf A"))
        assert view.columns.paths(view.rows) == ["2026/05.jpg", "2026/03.jpg", "2026/01.jpg"]
        assert (view.apart, len(view.groups)) == (None, 1)
        assert views.take_back() == "Shelves are as they were before."
        assert len(views.lay(parse("on shelf A")).rows) == 2
        assert views.take_back() == "“gate” is the spot that it was before."
        assert views.take_back() == "“Gate” is no spot any more."
        views.name_spot(Spot("Shed", 39.6, 5.31))
        name_spot(library, Spot("Shed", 39.7, 5.31))
        with pytest.raises(NotPossible, match="changed elsewhere"):
            views.take_back()
        assert spots_of(library)[0] == [Spot("Shed", 39.7, 5.31)]
        # Another station was quicker: what it did is not undone.
        change(library, lambda shelves: put_on(shelves, "B", ()))
        with pytest.raises(NotPossible, match="changed elsewhere"):
            views.take_back()
        assert [one.name for one in shelves_of(library)[0]] == ["A", "B"]
        assert views.take_back() == ""
