"""What a window does beside: it looks for garbage in small steps, and imports what is not needed at its start."""

from __future__ import annotations

import gc
import weakref

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from jutrek.ui.app import ahead, tidy
from jutrek.ui.app.ahead import Ahead
from jutrek.ui.app.tidy import Tidy
from jutrek.ui.app.window import MainWindow


class Cycle:
    """Holds itself."""

    def __init__(self) -> None:
        self.own = self


def test_what_holds_itself_goes_soon_and_what_came_in_a_burst_when_nobody_looks(window: MainWindow) -> None:
    """Python looks for nothing by itself; a burst is set apart, not walked through; at the end all is as it was."""
    own = Tidy(window)
    assert not gc.isenabled()
    gone = weakref.ref(Cycle())
    own.turn()
    assert gone() is None
    kept, burst = weakref.ref(Cycle()), [[number] for number in range(2 * tidy._BURST)]
    frozen = gc.get_freeze_count()
    own.turn()
    assert gc.get_freeze_count() >= frozen + len(burst)
    assert kept() is not None
    own._on_state(Qt.ApplicationState.ApplicationActive)
    assert kept() is not None
    own._on_state(Qt.ApplicationState.ApplicationInactive)
    assert kept() is None
    assert gc.get_freeze_count() >= len(burst), "what lives on is set apart again"
    own.end()
    assert gc.isenabled()
    assert gc.get_freeze_count() == 0


def test_what_survived_long_is_looked_at_now_and_then(window: MainWindow) -> None:
    """Also where nobody turns to another window for hours."""
    own = Tidy(window)
    old = Cycle()
    for _ in range(2 * tidy._OLDER):
        own.turn()
    gone = weakref.ref(old)
    del old
    for _ in range(tidy._OLDEST):
        own.turn()
    assert gone() is None
    own.end()


def test_the_rest_of_the_window_is_imported_once_it_is_shown(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """A while after it, and no more once the window is closed."""
    imported: list[str] = []
    monkeypatch.setattr(ahead, "import_module", imported.append)
    monkeypatch.setattr(ahead, "_SOON", 1)
    closed = Ahead()
    closed.end()
    qtbot.wait(50)
    assert imported == []
    shown = Ahead()
    qtbot.waitUntil(lambda: "jutrek.ui.pages.rules.view" in imported)
    shown.end()
    qtbot.wait(100)
    assert "jutrek.ui.pages.journal.page" in imported
    assert "jutrek.ui.widgets.statebar" not in imported
