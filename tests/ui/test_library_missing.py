"""What is gone, on the Library page: shown as it was, brought back from a backup, or missed no more."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from jutrek.library import Library, add_place
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.page import LibraryPage
from jutrek.ui.pages.library.view import LibraryView
from jutrek.views.sentence import parse
from tests.cli.calling import jutrek
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import CONTROL, home, page

__all__ = ["home", "page"]


def offers(library: LibraryPage) -> dict[str, bool]:
    menu = QMenu(library.view)
    library.missing.add_to_menu(menu)
    return {one.text(): one.isEnabled() for one in menu.actions() if one.text()}


def test_back_from_a_backup_or_missed_no_more(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow, tmp_path: Path
) -> None:
    library = window.page("library")
    assert isinstance(library, LibraryPage)
    (tmp_path / "Tarn").mkdir()
    add_place(home, str(tmp_path / "Tarn"))
    jutrek("check", "-l", home.root)
    jutrek("catch-up", "-l", home.root)
    (tmp_path / "Tarn/2024/03/00.jpg").unlink()
    jutrek("check", "--backup", "Tarn", "-l", home.root, code=1)
    page.grid.pick_all()
    assert offers(library) == {}
    for name in ("2024/03/00.jpg", "2025/03/04.jpg"):
        (Path(home.root) / name).unlink()
    library.show(parse("gone"))
    qtbot.waitUntil(lambda: len(page.grid.rows) == 2, timeout=PATIENCE)
    assert page.view is not None
    assert page.view.columns.paths(page.grid.rows.tolist()) == ["2024/03/00.jpg", "2025/03/04.jpg"]
    page.notify("")
    assert "misses them no more" in page.bar.words()
    page.grid.choose(0)
    assert offers(library) == {"Bring back from a backup": False, "Miss no more": True}
    page.grid.pick_all()
    library.missing.bring_back(library.missing._gone()[0])
    qtbot.waitUntil(lambda: "1 file is back" in page.bar.words(), timeout=PATIENCE)
    assert "No connected backup has 1 of them." in page.bar.words()
    qtbot.waitUntil(lambda: len(page.grid.rows) == 1, timeout=PATIENCE)
    assert (Path(home.root) / "2025/03/04.jpg").exists()
    page.grid.choose(0)
    library.missing.forget(library.missing._gone()[0])
    qtbot.waitUntil(lambda: len(page.grid.rows) == 0, timeout=PATIENCE)
    qtbot.waitUntil(lambda: "missed no more" in page.bar.words(), timeout=PATIENCE)
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    qtbot.waitUntil(lambda: len(page.grid.rows) == 1, timeout=PATIENCE)
    assert page.bar.words().startswith("Taken back.")
