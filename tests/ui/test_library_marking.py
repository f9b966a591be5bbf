"""Marks on the Library page: by M and a letter, from menus, up close; taken back on the disk."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from jutrek.library import Library
from jutrek.library.marks import HouseMark, marks_of
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.marking import MarksMenu
from jutrek.ui.pages.library.view import LibraryView
from jutrek.views.columns import Names
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import CONTROL, home, page
from tests.ui.test_library_tidying import choose, typed

__all__ = ["home", "page"]


def asked(qtbot: QtBot, page: LibraryView) -> MarksMenu:
    """Press M over the pictures, or up close."""
    on = page.closely.look if page.closely.is_open and page.closely.look is not None else page.grid
    # Where no window manager runs, a popup that closes leaves no window active.
    page.activateWindow()
    on.setFocus()
    qtbot.waitUntil(on.hasFocus, timeout=PATIENCE)
    qtbot.keyClick(on, Qt.Key.Key_M)
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), MarksMenu), timeout=PATIENCE)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, MarksMenu)
    return menu


def marks(page: LibraryView) -> dict[str, str]:
    assert page.view is not None
    columns = page.view.columns
    names = columns.names[Names.MARK]
    return {columns.path(row): names[columns.mark[row]] for row in range(columns.count) if columns.mark[row]}


def until_marked(qtbot: QtBot, page: LibraryView, wanted: dict[str, str]) -> None:
    """Wait until it is shown, and written."""
    qtbot.waitUntil(lambda: marks(page) == wanted and page._notice is not None, timeout=PATIENCE)


def sidecar(home: Library, stem: str) -> bytes:
    path = Path(home.root) / f"{stem}.xmp"
    return path.read_bytes() if path.exists() else b""


def write_down(qtbot: QtBot, page: LibraryView, text: str) -> str:
    """Write down a mark by the menu, and wait until it can be chosen."""
    next(one for one in asked(qtbot, page).actions() if one.text() == "Write down a mark…").trigger()
    QApplication.activePopupWidget().close()
    said = typed(qtbot, page, text)
    letter = text[0].upper()
    qtbot.waitUntil(
        lambda: page.view is not None and letter in {one.letter for one in page.view.marks}, timeout=PATIENCE
    )
    return said


def test_by_a_letter_and_back(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    before = marks(page)
    choose(page, "2024/03/00.jpg", "2025/03/04.jpg")
    assert write_down(qtbot, page, "q for the report") == "Q, iris: for the report"
    assert write_down(qtbot, page, "W") == "W, rose: nothing in words"
    assert marks_of(home)[0] == [HouseMark("Q", "for the report"), HouseMark("W", "", "rose")]
    page.notify("")
    page.grid.setFocus()
    qtbot.keyClick(asked(qtbot, page), Qt.Key.Key_Q)
    assert QApplication.activePopupWidget() is None
    until_marked(qtbot, page, before | {"2024/03/00.jpg": "Q", "2025/03/04.jpg": "Q"})
    qtbot.waitUntil(lambda: page.bar.words().startswith("2 captures marked Q, for the report."), timeout=PATIENCE)
    assert b'Label="Q"' in sidecar(home, "2024/03/00")
    # What is chosen stays chosen, and is marked otherwise.
    qtbot.keyClick(asked(qtbot, page), Qt.Key.Key_Backspace)
    until_marked(qtbot, page, before)
    qtbot.waitUntil(lambda: b'Label=""' in sidecar(home, "2024/03/00"), timeout=PATIENCE)
    for wanted in ({"2024/03/00.jpg": "Q", "2025/03/04.jpg": "Q"}, {}):
        qtbot.waitUntil(lambda: page.bar.words().startswith(("2 captures", "Taken back")), timeout=PATIENCE)
        page.notify("")
        page.activateWindow()
        qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE)
        qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
        until_marked(qtbot, page, before | wanted)
    assert sidecar(home, "2024/03/00") == b""
    # Then the list of marks, the last one first.
    for left in (["Q"], []):
        qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
        qtbot.waitUntil(lambda: [one.letter for one in marks_of(home)[0]] == left, timeout=PATIENCE)  # noqa: B023


def test_up_close_what_is_seen_is_marked(qtbot: QtBot, page: LibraryView, home: Library) -> None:
    before = marks(page)
    choose(page, "2024/03/00.jpg", "2025/03/04.jpg")
    write_down(qtbot, page, "Q for the report")
    page.grid.setFocus()
    page.look()
    look = page.closely.look
    assert look is not None
    look.setFocus()
    qtbot.keyClick(asked(qtbot, page), Qt.Key.Key_Q)
    until_marked(qtbot, page, before | {"2025/03/04.jpg": "Q"})
    qtbot.waitUntil(lambda: "Q for the report" in look.facts.accessibleName(), timeout=PATIENCE)
    capture = look.capture()
    assert capture is not None
    assert capture.destination == "2025/03/04.jpg"


def test_a_mark_is_changed_and_forgotten_from_the_menu(qtbot: QtBot, page: LibraryView, home: Library) -> None:
    choose(page, "2024/03/00.jpg")
    write_down(qtbot, page, "Q for the report")
    assert page.asking.bar is None
    page.grid.setFocus()

    def entry(*words: str) -> None:
        menu: QMenu | None = asked(qtbot, page)
        for word in words:
            assert menu is not None
            action = next(one for one in menu.actions() if one.text().partition("\t")[0] == word)
            menu = action.menu()
        action.trigger()
        if (open_one := QApplication.activePopupWidget()) is not None:
            open_one.close()

    entry("Change a mark", "for the report", "Colour", "sky")
    qtbot.waitUntil(lambda: marks_of(home)[0] == [HouseMark("Q", "for the report", "sky")], timeout=PATIENCE)
    qtbot.waitUntil(lambda: page.view is not None and page.view.marks[0].colour == "sky", timeout=PATIENCE)
    entry("Write down a mark…")
    assert typed(qtbot, page, "W  For the Report") == "Another mark is called so already."
    typed(qtbot, page, "QQ for the report")
    assert page.asking.bar is not None
    page.back()
    entry("Change a mark", "for the report", "Forget it")
    qtbot.waitUntil(lambda: marks_of(home)[0] == [], timeout=PATIENCE)


def test_letters_jump_on_the_stairs(qtbot: QtBot, page: LibraryView) -> None:
    page.turn()
    page.stairs.setFocus()
    qtbot.keyClick(page.stairs, Qt.Key.Key_M)
    assert QApplication.activePopupWidget() is None


def test_a_folder_is_marked_and_back(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    """By M over the folders; it is said, and shown in the stairs; on the disk it lies in the folder."""
    choose(page, "2024/03/00.jpg")
    write_down(qtbot, page, "Q for the report")
    assert page.view is not None
    panel = page.folders.list
    panel.rows.open_all(True)
    panel.mark("2025/03")
    page.activateWindow()
    panel.setFocus()
    qtbot.waitUntil(panel.hasFocus, timeout=PATIENCE)
    qtbot.keyClick(panel, Qt.Key.Key_M)
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), MarksMenu), timeout=PATIENCE)
    qtbot.keyClick(QApplication.activePopupWidget(), Qt.Key.Key_Q)
    qtbot.waitUntil(lambda: page.view is not None and page.view.mark_of("2025/03") == "Q", timeout=PATIENCE)
    assert b'Label="Q"' in sidecar(home, "2025/03/.folder")
    assert any("marked Q" in str(panel.rows.index(at).data()) for at in range(panel.rows.rowCount()))
    page.turn()
    page.stairs.go("2025/03")
    page.grab()
    page.turn()
    page.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE)
    qtbot.waitUntil(lambda: "marked Q" in page.bar.words(), timeout=PATIENCE)
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    qtbot.waitUntil(lambda: page.view is not None and page.view.mark_of("2025/03") == "", timeout=PATIENCE)
    assert sidecar(home, "2025/03/.folder") == b""
