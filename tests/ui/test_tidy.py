"""Garbage is looked for in small steps while a window is open, and never in the middle of something."""

from __future__ import annotations

import gc
import weakref

from PySide6.QtCore import Qt

from jutrek.ui.app import tidy
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
