"""The window over disks that hang: it says so, goes on, and closes at once."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import pytest
from pytestqt.qtbot import QtBot

from jutrek.desk.board_captures import State
from jutrek.library import Library, new_library
from jutrek.ui.app.window import MainWindow
from tests import making
from tests.conftest import Medium
from tests.making import WHEN, names_below, put
from tests.ui.conftest import PATIENCE, intake

Media = Callable[[str], Medium]


@pytest.fixture
def card(medium: Media, window: MainWindow) -> Iterator[Medium]:
    """A card on a medium that answers again before the window's threads are waited for."""
    card = medium("Card A")
    for number in range(30):
        put(card.below / "DCIM" / f"DSC{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    yield card
    window.close()
    card.fail()


def says(window: MainWindow, words: str) -> Callable[[], bool]:
    """Whether the action bar says something."""
    return lambda: words in intake(window).action_bar.words()


def test_a_card_that_hangs_is_told_on_its_tile(
    qtbot: QtBot, window: MainWindow, library: Library, card: Medium
) -> None:
    """For how long; it is chosen and left out as ever, and closing waits for nothing."""
    card.fail(hangs=True)
    window.begin(library.root, [str(card.top)])
    tiles = intake(window).from_column.tiles
    qtbot.waitUntil(lambda: str(card.top) in tiles and "not answered for" in tiles[str(card.top)].accessibleName(),
                    timeout=PATIENCE)  # fmt: skip
    assert "not read yet" in tiles[str(card.top)].accessibleName()
    assert "read from 0 of 1 source" in intake(window).headline.accessibleName()
    assert not intake(window).action_bar.stop.isVisible()
    window.page("intake").remove_source(str(card.top))
    qtbot.waitUntil(lambda: not tiles, timeout=PATIENCE)
    window.page("intake").take([str(card.top)])
    qtbot.wait(100)
    began = time.monotonic()
    window.close()
    assert time.monotonic() - began < 0.2


@pytest.mark.long
def test_a_library_that_hangs_has_a_state_and_a_way_out(
    qtbot: QtBot, window: MainWindow, card: Medium, medium: Media
) -> None:
    """Something is said at once, Stop is there, and what it did not answer is said when it was pressed."""
    disk = medium("Archive")
    new_library(str(disk.top))
    disk.fail(hangs=True)
    time.sleep(1.1)
    window.begin(str(disk.top), [str(card.top)])
    bar = intake(window).action_bar
    qtbot.waitUntil(says(window, "Archive"), timeout=PATIENCE)
    qtbot.waitUntil(says(window, "Archive has not answered for 2 s."), timeout=PATIENCE)
    assert bar.stop.isVisible()
    bar.stop.click()
    qtbot.waitUntil(says(window, "was let go"), timeout=PATIENCE)
    disk.fail()
    qtbot.waitUntil(lambda: intake(window).board.captures == 30, timeout=PATIENCE)


@pytest.mark.long
def test_a_run_whose_card_hangs_says_so_and_stops(
    qtbot: QtBot, window: MainWindow, library: Library, card: Medium
) -> None:
    """What was said stands while nothing moves, and `Stopping` until it has stopped."""
    card.fail(read_speed=150_000)
    window.begin(library.root, [str(card.top)])
    page, bar = intake(window), intake(window).action_bar
    qtbot.waitUntil(lambda: page.board.plan is not None and page.board.count(State.BRING) == 30, timeout=PATIENCE)
    qtbot.waitUntil(bar.main.isEnabled, timeout=PATIENCE)
    bar.main.click()
    qtbot.waitUntil(lambda: bool(names_below(library.root)), timeout=PATIENCE)
    card.fail(hangs=True)
    qtbot.waitUntil(says(window, "Card A has not answered for"), timeout=PATIENCE)
    qtbot.wait(300)
    assert says(window, "Card A has not answered for")()
    bar.stop.click()
    qtbot.waitUntil(lambda: not window.runs.running, timeout=PATIENCE)
