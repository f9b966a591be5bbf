"""What a window does beside: it looks for garbage in small steps, and imports what is not needed at its start."""

from __future__ import annotations

import gc
import subprocess
import sys
import weakref

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from jutrek.ui.app import ahead, tidy
from jutrek.ui.app.ahead import Ahead
from jutrek.ui.app.tidy import Tidy
from jutrek.ui.app.window import MainWindow
from tests.ui.conftest import PATIENCE


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
    qtbot.waitUntil(lambda: "jutrek.ui.pages.rules.view" in imported, timeout=PATIENCE)
    shown.end()
    qtbot.wait(20)
    before = list(imported)
    qtbot.wait(50)
    assert imported == before
    assert before.index("jutrek.desk.trying") < before.index("jutrek.ui.pages.rules.menu")
    assert before.index("jutrek.ui.pages.rules.menu") < before.index("jutrek.ui.pages.rules.view")


WATCHED = """
import os, sys, threading, time
from importlib.abc import MetaPathFinder

class Watch(MetaPathFinder):
    def find_spec(self, name, *_):
        if name.startswith("jutrek.ui.") and threading.current_thread() is not threading.main_thread():
            print(name, flush=True)

sys.meta_path.insert(0, Watch())
from jutrek.ui.app.start import application
from jutrek.ui.app.window import MainWindow
from tests.ui.conftest import PATIENCE
app, window = application(), MainWindow()
window.show()
until = time.monotonic() + 60
while "jutrek.ui.pages.rules.page" not in sys.modules and time.monotonic() < until:
    app.processEvents()
print("all" if "jutrek.ui.pages.rules.page" in sys.modules else "late", flush=True)
os._exit(0)
"""


def test_no_class_of_qt_is_defined_beside_the_windows_thread() -> None:
    """Painting would meet it half made, and end the process."""
    told = subprocess.run([sys.executable, "-c", WATCHED], check=False, capture_output=True, text=True, timeout=120)
    assert told.stdout.split() == ["all"]
