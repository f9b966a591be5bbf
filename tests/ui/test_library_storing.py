"""Archive drives on the Library page: stored, shown while the drive is away, fetched, taken back."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from jutrek.library import Library, add_drive
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.page import LibraryPage
from jutrek.ui.pages.library.view import LibraryView
from jutrek.ui.pages.library.words import spoken
from jutrek.views.sentence import parse
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import CONTROL, home, page

__all__ = ["home", "page"]


def offers(library: LibraryPage, folder: str) -> dict[str, bool]:
    menu = QMenu(library.view)
    library.storing.add_to_folder_menu(menu, folder)
    return {one.text(): one.isEnabled() for one in menu.actions() if one.text()}


def test_a_folder_is_stored_seen_while_away_and_fetched(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow, tmp_path: Path
) -> None:
    library = window.page("library")
    assert isinstance(library, LibraryPage)
    assert page.view is not None
    heron = tmp_path / "Heron"
    heron.mkdir()
    before = len(page.grid.rows)
    assert offers(library, "2024") == {"Store on an archive drive…": True}
    library.storing.ask_drive("2024")
    bar = page.asking.bar
    assert bar is not None
    assert bar.field is not None
    bar.field.setText("Kestrel")
    assert not bar.main.isEnabled()
    bar.field.setText(str(heron))
    assert bar.main.isEnabled()
    qtbot.keyClick(bar.field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "stored on Heron: 2024" in page.bar.words(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: "2024" in page.view.folder_drives, timeout=PATIENCE)
    assert not Path(home.root, "2024").exists()
    assert len(page.grid.rows) == before
    assert offers(library, "2024/03") == {"Fetch from Heron": True}
    assert "Heron: " in page.drives.accessibleName()
    os.rename(heron, tmp_path / "away")
    library.activated()

    def away() -> bool:
        library.show(parse("stored away"))
        return [one.here for one in page.view.drives] == [False]

    qtbot.waitUntil(away, timeout=PATIENCE)
    qtbot.waitUntil(lambda: 0 < len(page.grid.rows) < before, timeout=PATIENCE)
    row = int(page.grid.rows[0])
    assert spoken(page.view, row).endswith("on Heron, away")
    assert offers(library, "2024/03") == {"Fetch from Heron, which is away": False}
    from jutrek.desk.pictures import home_picture
    from jutrek.formats import Kind

    assert home_picture(page.view.whole(row), Kind.STILL, (200, 130)) is not None
    page.grid.choose(0)
    page.look()
    look = page.closely.look
    assert look is not None
    qtbot.waitUntil(lambda: "what was kept" in look.accessibleDescription() or look.isVisible(), timeout=PATIENCE)
    page.closely.leave()
    os.rename(tmp_path / "away", heron)
    library.activated()
    qtbot.waitUntil(lambda: [one.here for one in page.view.drives] == [True], timeout=PATIENCE)
    library.storing.fetch(["2024"])
    qtbot.waitUntil(lambda: "fetched from Heron" in page.bar.words(), timeout=PATIENCE)
    assert Path(home.root, "2024").exists()
    page.activateWindow()
    qtbot.wait(100)
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    qtbot.waitUntil(lambda: not Path(home.root, "2024").exists(), timeout=PATIENCE)


def test_a_folder_is_dragged_to_a_drive(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow, tmp_path: Path
) -> None:
    library = window.page("library")
    assert isinstance(library, LibraryPage)
    assert page.view is not None
    (tmp_path / "Heron").mkdir()
    add_drive(home, str(tmp_path / "Heron"))
    library.activated()
    qtbot.waitUntil(lambda: [one.here for one in page.view.drives] == [True], timeout=PATIENCE)
    on_it = page.drives.mapToGlobal(QPoint(20, page.drives.height() - 10))
    page.folders.list.carried.emit("2025", on_it)
    library_itself = page.drives.mapToGlobal(QPoint(20, 5))
    assert page.drives.drive_at(library_itself) is None
    page.folders.list.dropped.emit("2024", library_itself)
    page.folders.list.dropped.emit("2025", on_it)
    qtbot.waitUntil(lambda: "stored on Heron: 2025" in page.bar.words(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: page.view.folder_drives.keys() >= {"2025"}, timeout=PATIENCE)
    assert Path(home.root, "2024").exists()
    assert offers(library, "2025") == {"Fetch from Heron": True}
