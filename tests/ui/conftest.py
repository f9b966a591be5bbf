"""A window for the tests of the interface, and short ways to drive it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from jutrek.library import Library
from jutrek.ui.app.start import application
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.page import IntakePage
from jutrek.ui.pages.intake.view import IntakeView
from tests import making
from tests.making import WHEN, put

PATIENCE = int(1000 * making.PATIENCE)
"""In milliseconds."""


def intake(window: MainWindow) -> IntakeView:
    """What the Intake page shows."""
    page = window.page("intake")
    assert isinstance(page, IntakePage)
    return page.view


def gone(window: MainWindow) -> None:
    """Close a window and delete it with all that is in it: widgets that pile up make every later test slower."""
    window.close_now()
    assert window.leave(making.PATIENCE)
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def window(qtbot: QtBot) -> Iterator[MainWindow]:
    """An open, empty window."""
    application()
    window = MainWindow()
    window.show()
    qtbot.waitExposed(window)
    yield window
    gone(window)


def ready(qtbot: QtBot, window: MainWindow, sources: int) -> None:
    """Wait until this many sources are read and planned. One that is being read shows no captures yet."""
    page = intake(window)

    def are_read() -> bool:
        board, busy = page.board, window.client.words_of(window.page("intake").minds)[0]
        read = [bool(one.captures) for one in board.sources] == [True] * sources
        return board.plan is not None and read and not busy

    qtbot.waitUntil(are_read, timeout=PATIENCE)


@pytest.fixture
def small(qtbot: QtBot, window: MainWindow, library: Library, card: Path) -> MainWindow:
    """A window with one card of five captures: two days, one at home, one without a date."""
    put(Path(library.root) / "x.jpg", making.jpeg(seed=3))
    put(card / "DCIM" / "A.JPG", making.jpeg())
    put(card / "DCIM" / "B.JPG", making.jpeg(WHEN.replace(day=15), seed=1))
    put(card / "DCIM" / "C.JPG", making.jpeg(seed=3))
    put(card / "DCIM" / "D.JPG", making.jpeg(None))
    put(card / "DCIM" / "E.WAV", making.wav(WHEN.replace(hour=12)))
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    return window
