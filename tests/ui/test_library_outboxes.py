"""Small copies of what the Library page shows, in a folder: asked for, filled behind, shown, and no longer kept."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from jutrek.desk.outboxes import outboxes
from jutrek.disk import Tree
from jutrek.errors import Stopped
from jutrek.library import Library
from jutrek.outboxes import step
from jutrek.outboxes.asked import Asked, Clips, Tells
from jutrek.outboxes.record import Stamp
from jutrek.outboxes.wanted import Wanted
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.page import LibraryPage
from jutrek.ui.pages.library.view import LibraryView
from jutrek.views.sentence import parse
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import home, page, until

__all__ = ["home", "page"]


def offered(page: LibraryView) -> QMenu:
    page.sentence.copies.click()
    return next(one for one in page.findChildren(QMenu) if one.isVisible())


def test_a_view_is_kept_in_a_folder_until_no_longer(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow, tmp_path: Path
) -> None:
    library, box = window.page("library"), tmp_path / "Phone"
    assert isinstance(library, LibraryPage)
    sheet = library.outboxes.sheet
    library.show(parse("in 2025"))
    until(qtbot, page, "in 2025", 5)
    menu = offered(page)
    assert [one.text() for one in menu.actions()] == ["Of this view, in a folder…"]
    menu.actions()[0].trigger()
    menu.close()
    assert sheet.isVisible()
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    assert not sheet.isVisible()
    library.outboxes._ask()
    sheet.fill.click()
    assert sheet.isVisible()  # Nobody knows where to.
    sheet._ask_folder = lambda title: str(box)
    sheet.where.click()
    for tell, said in ((Tells.OWNER, {Tells.DATES, Tells.OWNER}), (Tells.DATES, set()), (Tells.KEYWORDS, None)):
        sheet._turn(tell)
        assert said is None or sheet.like.tells == said
    sheet.clips.click()
    clips = next(one for one in sheet.findChildren(QMenu) if one.isVisible())
    clips.actions()[1].trigger()
    clips.close()
    assert (sheet.like.tells, sheet.like.clips) == ({Tells.DATES, Tells.KEYWORDS}, Clips.SMALL)
    sheet.fill.click()
    qtbot.waitUntil(lambda: "4 small copies in Phone" in page.bar.words(), timeout=PATIENCE)
    assert sorted(os.listdir(box)) == [f"{number:02}.jpg" for number in range(4, 8)]
    (box / "mine.txt").write_text("mine")
    os.unlink(Path(home.root, "2025/03/04.jpg"))
    menu = offered(page)
    (phone,) = (one.menu() for one in menu.actions() if isinstance(one.menu(), QMenu))
    assert [one.text() for one in phone.actions() if one.text()][:2] == ["Show in 2025", "Fill it now"]
    phone.actions()[1].trigger()
    menu.close()
    qtbot.waitUntil(lambda: "3 small copies in Phone" in page.bar.words(), timeout=PATIENCE)
    os.rename(box, tmp_path / "away")
    for _ in range(2):
        # It is told again to whoever asks again, and nothing else is said of it.
        page.notify("")
        library.outboxes._fill(str(box))
        qtbot.waitUntil(lambda: "Phone are not in step" in page.bar.words(), timeout=PATIENCE)
    os.rename(tmp_path / "away", box)
    library.outboxes._remove(str(box), copies=True)
    qtbot.waitUntil(lambda: "3 copies removed" in page.bar.words(), timeout=PATIENCE)
    assert os.listdir(box) == ["mine.txt"]
    assert Path(home.root, "2025/04/05.jpg").exists()


def test_one_that_is_being_filled_is_given_up(
    qtbot: QtBot, page: LibraryView, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def slow(folder: Tree, one: Wanted, asked: Asked, stop: threading.Event) -> Stamp:
        stop.wait(PATIENCE)
        raise Stopped

    library = window.page("library")
    assert isinstance(library, LibraryPage)
    monkeypatch.setattr(step, "make", slow)
    library.outboxes._add(str(tmp_path / "Phone"), Asked())
    qtbot.waitUntil(lambda: "Making small copies in Phone" in page.bar.words(), timeout=PATIENCE)
    library.outboxes._remove(str(tmp_path / "Phone"), copies=True)
    qtbot.waitUntil(lambda: "0 copies removed" in page.bar.words(), timeout=PATIENCE)
    assert outboxes() == ([], [])
