"""The grid of an open day: where its cells lie around the strip, what keys and the pointer do, and names that fit."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from jutrek.desk.settings import last_size
from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.grid import CaptureGrid
from jutrek.ui.pages.intake.view import IntakeView
from jutrek.ui.paint import fitting_name, width_of
from jutrek.ui.theme import current, font
from tests import making
from tests.making import WHEN, put
from tests.ui.conftest import PATIENCE, intake, ready

WIDE = 3 * 89 + 2


@pytest.fixture
def day(qtbot: QtBot, window: MainWindow, library: Library, card: Path) -> IntakeView:
    """The board of a card with six pictures of one day, which is open."""
    for number in range(6):
        put(card / "DCIM" / f"{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    view = intake(window)
    view.open_day(view.board.days[0].key)
    return view


@pytest.fixture
def grid(qtbot: QtBot, window: MainWindow, day: IntakeView) -> CaptureGrid:
    """The six of them, three side by side."""
    grid = CaptureGrid(current(), window.pictures, window)
    grid.resized.connect(lambda: grid.resize(WIDE, grid.height_for(WIDE)))
    grid.show_captures(day.board.days[0].captures)
    grid.resized.emit()
    grid.show()
    return grid


def at(grid: CaptureGrid, point: QPoint) -> int:
    """The row at a point."""
    return grid.indexAt(point).row()


def test_cells_lie_around_the_strip(grid: CaptureGrid) -> None:
    """It parts the line of the chosen one from the next; points are told from cells as cells are from points."""
    boxes = [grid.visualRect(grid.model().index(row, 0)) for row in range(6)]
    assert [at(grid, box.center()) for box in boxes] == list(range(6))
    grid.setCurrentIndex(grid.model().index(1, 0))
    strip = grid.strip.geometry()
    parted = [grid.visualRect(grid.model().index(row, 0)) for row in range(6)]
    assert parted[:3] == boxes[:3]
    assert boxes[1].bottom() < strip.top() < strip.bottom() < parted[4].top()
    assert (
        [at(grid, box.topLeft()) for box in parted] == [at(grid, box.bottomRight()) for box in parted] == list(range(6))
    )
    assert at(grid, strip.center()) == -1
    assert grid.height_for(WIDE) >= parted[5].bottom()
    grid.setCurrentIndex(grid.model().index(4, 0))
    assert [grid.visualRect(grid.model().index(row, 0)) for row in range(6)] == boxes
    assert grid.strip.geometry().top() > boxes[5].bottom()
    assert grid.strip.accessibleName().startswith(f"Name on arrival: {grid.model().views[4].name} becomes ")


def test_arrows_walk_by_lines_and_by_cells(qtbot: QtBot, grid: CaptureGrid) -> None:
    """Where there is none above or below they stay; with Shift everything between is selected, over the strip, too."""
    walked = []
    grid.setCurrentIndex(grid.model().index(1, 0))
    for key in ("Up", "Down", "Down", "Right", "Right", "Left", "Home", "End"):
        qtbot.keyClick(grid, getattr(Qt.Key, f"Key_{key}"))
        walked.append(grid.currentIndex().row())
    assert walked == [1, 4, 4, 5, 5, 4, 0, 5]
    qtbot.keyClick(grid, Qt.Key.Key_Home)
    qtbot.keyClick(grid, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert list(grid.picked()) == [view.id for view in grid.model().views[:4]]


def test_the_pointer_selects(qtbot: QtBot, grid: CaptureGrid) -> None:
    """A frame drawn from beside selects what it touches; while a button is down, nothing moves."""
    views, left = grid.model().views, Qt.MouseButton.LeftButton
    beside = QPoint(grid.visualRect(grid.model().index(5, 0)).right() + 8, 10)
    qtbot.mousePress(grid.viewport(), left, pos=beside)
    for step in (1, 2, 3):
        qtbot.mouseMove(grid.viewport(), QPoint(beside.x() - step * 50, 10 + step * 45))
    qtbot.mouseRelease(grid.viewport(), left, pos=QPoint(beside.x() - 150, 145))
    assert list(grid.picked()) == [views[row].id for row in (1, 2, 4, 5)]
    before = grid.strip.geometry()
    qtbot.mousePress(grid.viewport(), left, pos=grid.visualRect(grid.model().index(0, 0)).center())
    assert grid.strip.geometry() == before
    qtbot.mouseRelease(grid.viewport(), left, pos=QPoint(20, 60))
    assert grid.strip.geometry() != before
    assert grid.picked() == (views[0].id,)


def test_a_day_is_seen_in_three_sizes(qtbot: QtBot, day: IntakeView) -> None:
    """Ctrl with plus and minus; larger cells fill the row, and the size is remembered."""
    widths, grid = [], day.grid
    for key in (Qt.Key.Key_Plus, Qt.Key.Key_Plus, Qt.Key.Key_Plus, Qt.Key.Key_Minus):
        qtbot.keyClick(grid, key, Qt.KeyboardModifier.ControlModifier)
        grid.height_for(700)
        widths.append(grid.visualRect(grid.model().index(0, 0)).width())
    assert widths == [139, 174, 174, 139]
    qtbot.waitUntil(lambda: last_size() == 1, timeout=PATIENCE)


@pytest.mark.parametrize(
    ("name", "room", "fits"),
    [
        ("20260514_091723_A", "20260514_091723_A", "20260514_091723_A"),
        ("20260514_091723_bridge survey", "20260514_091723_br…", "20260514_091723_br…"),
        ("20260514_091723_A", "20260514_0917", "…_091723_A"),
        ("2026-05-14 09-17-23 A", "2026-05-14 0", "…09-17-2…"),
        ("DSC04411_edited", "DSC04411_ed", "DSC0…ited"),
    ],
)
def test_names_are_cut_behind_their_dates(window: MainWindow, name: str, room: str, fits: str) -> None:
    """Or before their times, where there is room for no more."""
    face = font(11)
    fitted = fitting_name(name, face, width_of(room, face) + 1)
    assert fitted.replace("… ", "…") == fits
    assert width_of(fitted, face) <= width_of(room, face) + 1


def test_a_capture_is_looked_at_up_close_from_its_strip(qtbot: QtBot, day: IntakeView) -> None:
    """By its button; and by the second of two clicks that lands on it."""
    day.grid.choose(day.board.days[0].captures[2].id)
    strip = day.grid.strip
    for press, on in ((qtbot.mouseClick, strip.look), (qtbot.mouseDClick, strip)):
        press(on, Qt.MouseButton.LeftButton)
        assert day.close_look.isVisible()
        qtbot.keyClick(day.close_look, Qt.Key.Key_Escape)
        assert not day.close_look.isVisible()


def test_what_an_open_row_holds_is_made_ahead_and_hides_nothing(qtbot: QtBot, small: MainWindow) -> None:
    when = intake(small).when
    when._opened = None
    small.page("intake").make_ahead()
    made = when._opened
    assert made is not None
    assert made.isHidden()
    when.open_day(when.days()[0].key)
    small.page("intake").make_ahead()
    assert when._opened is made
    assert made.isVisible()
