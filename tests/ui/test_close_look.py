"""Up close in the real window: opened, walked through, scrubbed, closed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from jutrek import pixels
from jutrek.demo.shelf import specimens
from jutrek.library import Library
from jutrek.ui.app.start import application
from jutrek.ui.app.window import MainWindow
from jutrek.ui.viewer.claims import place
from jutrek.ui.viewer.close_look import CloseLook
from tests import making
from tests.making import put
from tests.ui.conftest import PATIENCE, gone, intake

NAMES = ["body.jpg", "encoded.mov", "take.wav", "raw.orf"]


@pytest.fixture
def window(qtbot: QtBot, library: Library, card: Path) -> Iterator[MainWindow]:
    """A window on a card of a still, a clip, a sound, and a raw without a preview, its day opened."""
    for name in NAMES:
        put(card / name, specimens()[name.replace("raw", "body")])
    application()
    window = MainWindow()
    window.begin(library.root, [str(card)])
    window.show()
    qtbot.waitExposed(window)
    page = intake(window)
    qtbot.waitUntil(lambda: page.board.plan is not None and page.board.captures == len(NAMES), timeout=PATIENCE)
    page.open_day("2026-05-14")
    yield window
    gone(window)


def look_at(window: MainWindow, name: str) -> CloseLook:
    """Choose a capture and press Space."""
    page = intake(window)
    capture = next(view for day in page.board.days for view in day.captures if view.name == name)
    page.grid.choose(capture.id)
    page.grid.setFocus()
    return page.close_look


def test_space_opens_and_space_closes(qtbot: QtBot, window: MainWindow) -> None:
    """It shows picture, claims and facts of the chosen capture, and gives the focus back."""
    look = look_at(window, "body.jpg")
    qtbot.keyClick(intake(window).grid, Qt.Key.Key_Space)
    assert look.isVisible()
    qtbot.waitUntil(lambda: look.stage.picture() is not None, timeout=PATIENCE)
    assert "body.jpg" in look.accessibleName()
    assert "The camera's time of shooting: 2026-05-14 10:26:13.42 +02:00, chosen" in look.claims.accessibleName()
    assert "Device: Arlen M2 · No. A2-10442" in look.facts.accessibleName()
    assert look.geometry().bottom() < intake(window).action_bar.y()
    qtbot.keyClick(look, Qt.Key.Key_Space)
    assert not look.isVisible()
    assert QApplication.focusWidget() is intake(window).grid


@pytest.mark.parametrize("name", ["body.jpg", "encoded.mov", "raw.orf"])
def test_why_there_is_no_picture_is_said(
    qtbot: QtBot, window: MainWindow, name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One that is too large says so; where there is none inside, that is said."""
    look = look_at(window, name)
    monkeypatch.setattr(pixels, "room", pixels.Room(100))
    qtbot.keyClick(intake(window).grid, Qt.Key.Key_Space)
    words = "There is no picture inside that can be shown." if "raw" in name else "too large to be shown"
    qtbot.waitUntil(lambda: words in look.stage.accessibleDescription(), timeout=PATIENCE)
    assert look.stage.picture() is None


def test_what_is_picked_is_what_fits_and_is_still_there(window: MainWindow) -> None:
    """Rows apart and side by side; what a burst that is opened or closed takes away is picked no more."""
    grid, views = intake(window).grid, intake(window).board.days[0].captures
    for view in views:
        # Those that lie below another one are uncovered.
        grid.choose(view.id)
    for wanted in range(1 << len(views)):
        fits = {view.id for at, view in enumerate(views) if wanted >> at & 1}
        grid.pick_like(lambda view, fits=fits: view.id in fits)  # type: ignore[misc]
        assert grid.picked() == tuple(view.id for view in views if view.id in fits)
    grid._model.show(views[:1])
    assert grid.picked() == ()


def test_arrows_walk_through_the_day(qtbot: QtBot, window: MainWindow) -> None:
    """The grid's choice goes along; at the ends it stays; the buttons do the same."""
    first = intake(window).board.days[0].captures[0]
    look = look_at(window, first.name)
    qtbot.keyClick(intake(window).grid, Qt.Key.Key_Space)
    seen = []
    for _ in range(len(NAMES) + 1):
        capture = look.capture()
        assert capture is not None
        seen.append(capture.name)
        assert intake(window).capture == capture.id
        qtbot.keyClick(look, Qt.Key.Key_Right)
    assert sorted(seen[:-1]) == sorted(NAMES)
    assert seen[-1] == seen[-2]
    assert not look.later.isEnabled()
    qtbot.mouseClick(look.earlier, Qt.MouseButton.LeftButton)
    capture = look.capture()
    assert capture is not None
    assert capture.name == seen[-3]
    qtbot.mouseClick(look.back, Qt.MouseButton.LeftButton)
    assert not look.isVisible()


def test_focus_stays_on_what_can_be_seen(qtbot: QtBot, window: MainWindow) -> None:
    """Tab goes round within it; a click on a button leaves Space to close it."""
    look = look_at(window, "body.jpg")
    intake(window).look_close()
    seen = []
    for _ in range(5):
        focused = QApplication.focusWidget()
        assert focused is not None
        seen.append(focused)
        qtbot.keyClick(focused, Qt.Key.Key_Tab)
    assert set(seen) <= {look, look.earlier, look.later, look.back}
    assert seen[0] is look
    look.setFocus()
    qtbot.mouseClick(look.later if look.later.isEnabled() else look.earlier, Qt.MouseButton.LeftButton)
    assert QApplication.focusWidget() is look
    qtbot.keyClick(look, Qt.Key.Key_Space)
    assert not look.isVisible()


def test_a_clip_is_walked_through_by_the_pointer(qtbot: QtBot, window: MainWindow) -> None:
    """Moving across it shows another frame; Shift and arrows do it from the keyboard; sound shows its waveform."""
    look = look_at(window, "encoded.mov")
    intake(window).grid.strip.look.click()
    stage = look.stage
    qtbot.waitUntil(lambda: stage.picture() is not None, timeout=PATIENCE)
    first = stage.picture()
    assert first is not None
    before = first.toImage()
    qtbot.mouseMove(stage, QPoint(stage.width() * 9 // 10, stage.height() // 2))
    qtbot.waitUntil(lambda: (now := stage.picture()) is not None and now.toImage() != before, timeout=PATIENCE)
    assert stage.share > 0.8
    assert stage.accessibleName().startswith("Picture of encoded.mov, at 0:0")
    qtbot.keyClick(look, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert stage.share < 0.9
    assert look.capture() is not None
    look.leave()
    look_at(window, "take.wav")
    intake(window).look_close()
    qtbot.waitUntil(lambda: stage.picture() is not None, timeout=PATIENCE)


def test_what_has_no_picture_says_so_and_stays_open_while_the_board_changes(
    qtbot: QtBot, window: MainWindow, card: Path
) -> None:
    """A raw without a preview still shows what is known. A capture that vanishes closes it."""
    look = look_at(window, "raw.orf")
    intake(window).look_close()
    qtbot.waitUntil(lambda: "no picture" in look.stage._words(), timeout=PATIENCE)
    assert look.claims.lines()
    assert look.grab().toImage().pixelColor(5, look.height() - 5).isValid()
    window.page("intake").add_source(str(put(card.parent / "more" / "B.JPG", making.jpeg(seed=5)).parent))
    qtbot.waitUntil(lambda: len(intake(window).board.sources) == 2, timeout=PATIENCE)
    assert look.isVisible()
    intake(window).removed_source.emit(str(card))
    qtbot.waitUntil(lambda: not look.isVisible(), timeout=PATIENCE)


def test_distances_are_placed_by_their_order_of_magnitude() -> None:
    """The chosen moment in the middle, a century at the ends, and everything in order between."""
    steps = [place(seconds) for seconds in (-1e12, -86_400, -3600, 0, 60, 3600, 86_400, 3e7)]
    assert steps == sorted(steps)
    assert (steps[0], steps[3]) == (-1, 0)
    assert max(steps) < 1
