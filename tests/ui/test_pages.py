"""Pages as the window treats them: listed once, told what concerns them, and nothing of each other."""

from __future__ import annotations

import importlib
import json
import os
import re
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QAbstractItemView
from pytestqt.qtbot import QtBot

from jutrek.desk.settings import last_library, remember_library, remember_window
from jutrek.library import Library
from jutrek.ui.app import registry
from jutrek.ui.app.keys import KeySheet, words_of
from jutrek.ui.app.registry import PAGES, Entry
from jutrek.ui.app.start import application
from jutrek.ui.app.whereabouts import keep, take_up
from jutrek.ui.app.window import MainWindow
from jutrek.ui.widgets.teaching import Teaching
from tests import making
from tests.making import put
from tests.ui.conftest import PATIENCE, gone, intake, ready
from tests.ui.sixth import SixthPage


@pytest.fixture
def six(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> Iterator[MainWindow]:
    """A window with one page more: this line is all that it takes."""
    monkeypatch.setattr(registry, "PAGES", (*PAGES, Entry("sixth", "A sixth", "Ctrl+9", "tests.ui.sixth")))
    application()
    window = MainWindow()
    window.show()
    qtbot.waitExposed(window)
    yield window
    gone(window)


def sixth(window: MainWindow) -> SixthPage:
    page = window.page("sixth")
    assert isinstance(page, SixthPage)
    return page


def test_a_sixth_page_is_a_folder_and_a_line(qtbot: QtBot, six: MainWindow, library: Library) -> None:
    """It has its tab and its keys, hears what every page hears, and asks; closing ends it."""
    assert [tab.text() for tab in six.header.tabs.values()][-1] == "A sixth"
    six.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(six).board.place is not None, timeout=PATIENCE)
    six.activateWindow()
    qtbot.keyClick(six, Qt.Key.Key_9, Qt.KeyboardModifier.ControlModifier)
    page = sixth(six)
    assert (six.current, page.shown, six.header.tabs["sixth"].isChecked()) == (page, True, True)
    control, shift = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
    for key in (Qt.Key.Key_Return, Qt.Key.Key_S, Qt.Key.Key_Z):
        qtbot.keyClick(six, key, control)
    qtbot.keyClick(six, Qt.Key.Key_Z, control | shift)
    qtbot.keyClick(six, Qt.Key.Key_Escape)
    heard = [one for one in page.told if not one.startswith("working")]
    assert heard == ["activated", "go", "save", "undo", "redo", "back"]
    qtbot.keyClick(six, Qt.Key.Key_1, control)
    assert (page.shown, six.current) == (False, six.page("intake"))
    six.close()
    assert page.told[-1] == "end"


def test_trouble_stands_where_it_was_asked_for(qtbot: QtBot, six: MainWindow, library: Library) -> None:
    """And nowhere else, whichever page is shown meanwhile; without a library there is a reason, too."""
    qtbot.waitUntil(lambda: six.client.session is not None, timeout=PATIENCE)
    page = sixth(six)
    page.fail()
    qtbot.waitUntil(lambda: any("there is none yet" in one for one in page.told), timeout=PATIENCE)
    six.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(six).board.place is not None, timeout=PATIENCE)
    six.page("intake").notify("A word.", "that stays")
    page.fail()
    qtbot.waitUntil(lambda: any("only a try" in one for one in page.told), timeout=PATIENCE)
    assert intake(six).action_bar.words() == "A word. that stays"


def test_a_run_that_waits_is_not_broken_off_by_somebody_elses_trouble(
    qtbot: QtBot, six: MainWindow, library: Library, card: Path
) -> None:
    """It begins when its turn comes."""
    page, gate = sixth(six), threading.Event()
    put(card / "A.JPG", making.jpeg())
    six.begin(library.root, [str(card)])
    ready(qtbot, six, 1)
    page.ask_library(lambda _: gate.wait(20))
    six.page("intake").go()
    page.fail()
    gate.set()
    qtbot.waitUntil(lambda: any("only a try" in one for one in page.told), timeout=PATIENCE)
    qtbot.waitUntil(lambda: not six.runs.running, timeout=PATIENCE)
    assert "brought home and proven" in intake(six).action_bar.words()


def test_every_page_of_the_registry_can_be_opened(window: MainWindow) -> None:
    """By its own keys; no two share any."""
    assert len({entry.keys for entry in PAGES}) == len({entry.key for entry in PAGES}) == len(PAGES)
    for entry in PAGES:
        assert window.go_to(entry.key).shown
        assert window.header.tabs[entry.key].toolTip() == entry.keys


def test_the_window_is_as_it_was_left(qtbot: QtBot, window: MainWindow) -> None:
    """Its size and its page; for the first time it fits its screen, and what is remembered wrong is nothing."""
    take_up(window)
    assert window.height() <= max(window.minimumHeight(), window.screen().availableSize().height() - 40)
    remember_library("/somewhere")
    window.resize(1024, 700)
    window.go_to("journal")
    keep(window)
    assert last_library() == "/somewhere"
    window.resize(1024, 640)
    window.go_to("intake")
    take_up(window)
    assert (window.width(), window.height(), window.current) == (1024, 700, window.page("journal"))
    for geometry, page in (("00" * 40, "nowhere"), ("no number", ""), ("", "\0")):
        remember_window(geometry, page)
        take_up(window)
        assert window.current is window.page("journal")


def test_an_empty_page_teaches(qtbot: QtBot, window: MainWindow, library: Library) -> None:
    """What will stand there, instead of an empty table; it makes way for what there is."""
    window.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    for key, words in (("doubles", "What you have twice"), ("journal", "Every change on disk")):
        view = window.go_to(key).widget
        (teaching,) = view.findChildren(Teaching)
        assert teaching.isVisible()
        assert teaching.accessibleName().startswith(words)
        assert not any(table.isVisible() for table in view.findChildren(QAbstractItemView))


KEYS = {"Backtab": "Shift+Tab", "Return": "Enter", "Escape": "Esc", "Equal": "+", "Plus": "+", "Minus": "−"}
"""Keys that are told by another name."""


@pytest.mark.parametrize("entry", PAGES)
def test_all_keys_are_told(qtbot: QtBot, window: MainWindow, entry: Entry) -> None:
    """By F1: those of the window as they are bound, and those that the page's own code asks for; each once."""
    page = window.go_to(entry.key)
    qtbot.keyClick(window, Qt.Key.Key_F1)
    (sheet,) = window.findChildren(KeySheet)
    bound = [
        words_of(action.shortcut().toString(QKeySequence.SequenceFormat.PortableText)) for action in window.actions()
    ]
    assert len(set(bound)) == len(bound)
    assert set(bound) <= sheet.keys
    folder = Path(importlib.import_module(entry.package).__file__ or "").parent
    asked = {name for path in folder.rglob("*.py") for name in re.findall(r"Key\.Key_(\w+)", path.read_text())}
    told = {one for words in sheet.keys for one in re.split("[, ]+", words)}
    assert {KEYS.get(name, name) for name in asked} <= told
    assert len({one for one, _ in page.keys}) == len(page.keys)
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not window.findChildren(KeySheet), timeout=PATIENCE)


WHERE = """
import os, sys
from jutrek.ui.app.start import application
from jutrek.ui.app.whereabouts import keep, take_up
from jutrek.ui.app.window import MainWindow
app, window = application(), MainWindow()
take_up(window)
window.show()
app.processEvents()
print(*window.frameGeometry().getRect(), flush=True)
if sys.argv[1:]:
    window.setGeometry(*map(int, sys.argv[1:]))
    app.processEvents()
    keep(window)
os._exit(0)
"""


def test_a_window_comes_onto_a_screen_that_is_there(tmp_path: Path) -> None:
    """It was left on a larger one beside: there again while that is there, else whole on the one that is."""
    small = {"name": "small", "x": 0, "y": 0, "width": 1280, "height": 800}
    large = {"name": "large", "x": 1280, "y": 0, "width": 2560, "height": 1440}

    def opened(*screens: dict[str, object], left: tuple[int, ...] = ()) -> QRect:
        more = {"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
        page = tmp_path / "screens.json"
        page.write_text(json.dumps({"screens": [screen | more for screen in screens]}))
        told = subprocess.run(
            [sys.executable, "-c", WHERE, *map(str, left)], check=True, capture_output=True, text=True, timeout=60,
            env={**os.environ, "QT_QPA_PLATFORM": f"offscreen:configfile={page}"},
        )  # fmt: skip
        return QRect(*map(int, told.stdout.split()))

    opened(small, large, left=(1400, 100, 2000, 1200))
    assert opened(small, large).contains(QRect(1400, 100, 2000, 1200))
    assert QRect(0, 0, 1290, 800).contains(opened(small))
