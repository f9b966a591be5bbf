"""Turning on the Library page: R and Shift+R, in the grid and up close, shown at once, and turned back to the same."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from jutrek.formats import read
from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.page import LibraryPage
from jutrek.ui.pages.library.view import LibraryView
from tests.making import WHEN, put
from tests.turning.test_patching import picture
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import home, page
from tests.ui.test_library_tidying import choose

__all__ = ["home", "page"]

_NAMES = "2024/03/00.jpg", "2025/03/04.jpg"


def orientations(home: Library) -> list[int]:
    return [read(os.path.join(home.root, one)).orientation for one in _NAMES]


def test_by_keys_up_close_and_back(qtbot: QtBot, page: LibraryView, library: Library, window: MainWindow) -> None:
    for name in _NAMES:
        put(Path(library.root, name), picture("JPEG", quality=90), WHEN)
    top = window.page("library")
    assert isinstance(top, LibraryPage)
    top.read_again()
    before = [Path(library.root, one).read_bytes() for one in _NAMES]
    choose(page, *_NAMES)
    page.activateWindow()
    page.grid.setFocus()
    qtbot.waitUntil(page.grid.hasFocus, timeout=PATIENCE)
    qtbot.keyClick(page.grid, Qt.Key.Key_R)
    qtbot.waitUntil(lambda: page.bar.words().startswith("2 captures turned to the right."), timeout=PATIENCE)
    assert orientations(library) == [6, 6]
    choose(page, _NAMES[0])
    page.look()
    look = page.closely.look
    assert look is not None
    qtbot.waitUntil(lambda: tall(page) is True, timeout=PATIENCE)
    look.setFocus()
    qtbot.keyClick(look, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: page.bar.words().startswith("1 capture turned to the left."), timeout=PATIENCE)
    assert orientations(library) == [1, 6]
    qtbot.waitUntil(lambda: tall(page) is False, timeout=PATIENCE)
    page.back()
    menu = QMenu()
    top.turning.add_to_menu(menu)
    (ways,) = (one.menu() for one in menu.actions())
    assert isinstance(ways, QMenu)
    next(one for one in ways.actions() if one.text() == "Half around").trigger()
    qtbot.waitUntil(lambda: page.bar.words().startswith("1 capture turned half around."), timeout=PATIENCE)
    assert orientations(library) == [3, 6]
    for left in ([1, 6], [6, 6], [1, 1]):
        qtbot.waitUntil(lambda: not page._working, timeout=PATIENCE)
        top.undo()
        qtbot.waitUntil(lambda: orientations(library) == left, timeout=PATIENCE)  # noqa: B023
    assert [Path(library.root, one).read_bytes() for one in _NAMES] == before


def test_letters_that_jump_to_folders_turn_nothing(qtbot: QtBot, page: LibraryView, library: Library) -> None:
    for name in _NAMES:
        put(Path(library.root, name), picture("JPEG"), WHEN)
    choose(page, _NAMES[0])
    page.turn()
    page.activateWindow()
    for on in (page.stairs, page.folders.list):
        page.folders.setVisible(True)
        page.right.setVisible(True)
        on.setFocus()
        qtbot.waitUntil(on.hasFocus, timeout=PATIENCE)
        for key in (Qt.Key.Key_R, Qt.Key.Key_K):
            qtbot.keyClick(on, key)
        qtbot.wait(150)
        assert not page.captions.isVisible()
    assert "turned" not in page.bar.words()
    assert orientations(library) == [1, 1]


def tall(page: LibraryView) -> bool | None:
    """Whether what is shown up close is taller than wide; None while it is not shown."""
    shown = page.closely.look.stage.picture() if page.closely.look is not None else None
    return None if shown is None else shown.height() > shown.width()
