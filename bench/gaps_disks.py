"""Gaps of the window's loop over disks that hang, pictures that want all memory, and a library that another has.

Media are real mounts (FUSE) that answer nothing until they are healed. See `bench/gaps.py` for how gaps are taken.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from tests import making

from bench.hostile import fill_hostile
from bench.torture.world import Medium
from jutrek.library import new_library
from jutrek.simulate.faults import Faults
from jutrek.transfer.lock import locked

if TYPE_CHECKING:
    from bench.gaps import Gaps
    from jutrek.ui.app.window import MainWindow

_FILES = 300
_PATIENCE = 60.0
_STILL = 1.2
"""Seconds behind which nothing of a medium's names is answered from the system's cache."""


@contextmanager
def _media(folder: str, *names: str) -> Iterator[list[Medium]]:
    made = [Medium.make(Path(folder), name, "faulty") for name in names]
    try:
        yield made
    finally:
        # All of them first: a child of this process that closes files of one that hangs would hang as well.
        for medium in made:
            medium.heal()
        for medium in made:
            medium.close()


def _card(below: Path, first: int) -> None:
    for number in range(first, first + _FILES):
        making.put(below / "DCIM" / f"DSC{number:05}.JPG", making.jpeg(seed=number))


def _until(gaps: Gaps, holds: Callable[[], object]) -> None:
    until = time.monotonic() + _PATIENCE
    while not holds():
        if time.monotonic() > until:
            raise TimeoutError("the window did not come that far")
        gaps.rest(0.02)


def hanging(gaps: Gaps, window: MainWindow, folder: str) -> None:
    """A card that hangs, a run whose library hangs, a library that hangs as it is opened, and the end over all that."""
    page = window.page("intake")
    view = page.view
    with _media(folder, "Card A", "Card B", "Archive", "Heron") as (card, other, home, heron):
        for number, medium in enumerate((card, other)):
            _card(medium.below, number * _FILES)
        for disk in (home, heron):
            new_library(str(disk.top))
        window.begin(str(home.top), [str(card.top)])
        _until(gaps, lambda: view.board.plan is not None and view.board.captures == _FILES)
        other.fail(Faults(hangs=True))
        time.sleep(_STILL)
        gaps.told("a card that hangs is added", lambda: page.take([str(other.top)]), 4.0)
        card.fail(Faults(hangs=True))
        time.sleep(_STILL)
        day = view.board.days[0]
        gaps.told("a shoot of a card that hangs is opened", lambda: view.open_day(day.key), 3.0)
        gaps.told("one of its pictures is looked at closely", view.look_close, 3.0)
        gaps.told("the card that hangs is left out", lambda: page.remove_source(str(other.top)), 2.0)
        card.heal()
        _until(gaps, view.action_bar.main.isEnabled)
        card.fail(Faults(read_speed=400_000))
        view.action_bar.main.click()
        _until(gaps, lambda: window.runs.running and any(Path(home.below).glob("2026/*/*")))
        home.fail(Faults(hangs=True))
        gaps.told("a run whose library hangs", lambda: None, 4.0)
        gaps.told("it is told to stop", view.action_bar.stop.click, 2.0)
        heron.fail(Faults(hangs=True))
        time.sleep(_STILL)
        gaps.told("a library that hangs is opened", lambda: window.begin(str(heron.top), []), 4.0)
        gaps.told("it is given up", view.action_bar.stop.click, 2.0)
        began = time.perf_counter()
        window.close_now()
        print(f"{'the window is closed over all that':62} {(time.perf_counter() - began) * 1000:6.0f} ms, wanted 200")
        gaps.rest(0.5)


def hostile(gaps: Gaps, window: MainWindow, folder: str) -> None:
    """Pictures that are small on disk and large once they are decoded."""
    card, home = Path(folder, "Card"), Path(folder, "Home")
    for made in (card, home):
        made.mkdir(parents=True)
    fill_hostile(card)
    new_library(str(home))
    window.begin(str(home), [str(card)])
    view = window.page("intake").view
    _until(gaps, lambda: view.board.plan is not None and view.board.captures)
    day = view.board.days[0]
    gaps.told("a shoot of pictures that want all memory is opened", lambda: view.open_day(day.key), 6.0)
    for capture in day.captures[-3:]:
        view.grid.choose(capture.id)
        gaps.told(f"{capture.name} is looked at closely", view.look_close, 4.0)


def two_starts(gaps: Gaps, window: MainWindow, folder: str) -> None:
    """A library that another Jutrek is at work in."""
    os.makedirs(folder)
    library = new_library(folder)
    _card(Path(folder), 0)
    view = window.page("intake").view
    with locked(library):
        gaps.told("a library that another Jutrek has is opened", lambda: window.begin(folder, []), 3.0)
    gaps.told("the other one ends, and it is had", lambda: None, 3.0)
    _until(gaps, lambda: view.board.place is not None)
