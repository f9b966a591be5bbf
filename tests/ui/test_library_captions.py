"""Captions on the Library page: by K, keywords and words are said of what is chosen, and changed everywhere."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from jutrek.filing.rulebook import keep_rules, load_rules
from jutrek.formats import read
from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.caption_sheet import CaptionSheet
from jutrek.ui.pages.library.view import LibraryView
from jutrek.wording.packet import Packet
from jutrek.wording.properties import SUBJECT, Field
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import CONTROL, home, page
from tests.ui.test_library_tidying import choose, typed

__all__ = ["home", "page"]


def opened(qtbot: QtBot, page: LibraryView) -> CaptionSheet:
    """Press K over the pictures, and wait until all is read."""
    page.activateWindow()
    page.grid.setFocus()
    qtbot.waitUntil(page.grid.hasFocus, timeout=PATIENCE)
    qtbot.keyClick(page.grid, Qt.Key.Key_K)
    sheet = page.captions
    qtbot.waitUntil(lambda: sheet.isVisible() and sheet.fields[Field.TITLE].isEnabled(), timeout=PATIENCE)
    return sheet


def chips(sheet: CaptionSheet) -> list[str]:
    return [one.text() for one in sheet.words.chips]


def write(qtbot: QtBot, page: LibraryView, says: str) -> None:
    """Write it down by the keys, and wait until that is told."""
    qtbot.keyClick(page.captions.fields[Field.TITLE], Qt.Key.Key_Return, CONTROL)
    qtbot.waitUntil(lambda: page.bar.words().startswith(says), timeout=PATIENCE)
    assert not page.captions.isVisible()


def words(home: Library, stem: str) -> list[str]:
    path = Path(home.root) / f"{stem}.xmp"
    return Packet(path.read_bytes()).items(SUBJECT) if path.exists() else []


def until_shown(qtbot: QtBot, page: LibraryView, path: str, wanted: tuple[str, ...]) -> None:
    def shown() -> bool:
        columns = page.view.columns if page.view is not None else None
        return columns is not None and columns.words(columns.row_of(path)) == wanted

    qtbot.waitUntil(shown, timeout=PATIENCE)


def test_by_keys_and_back(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    choose(page, "2024/03/00.jpg", "2025/03/04.jpg")
    sheet = opened(qtbot, page)
    assert (chips(sheet), sheet.write.isEnabled()) == ([], False)
    qtbot.keyClicks(sheet.word, "line > depot")
    qtbot.keyClick(sheet.word, Qt.Key.Key_Return)
    assert (chips(sheet), sheet.word.text()) == (["+ depot · under line"], "")
    sheet.fields[Field.TITLE].setFocus()
    qtbot.keyClicks(sheet.fields[Field.TITLE], "Boiler test")
    assert sheet._sum.text() == "Gives depot; says “Title”."
    write(qtbot, page, "2 captures say it now.")
    assert words(home, "2024/03/00") == words(home, "2025/03/04") == ["line", "depot"]
    until_shown(qtbot, page, "2024/03/00.jpg", ("line", "depot"))
    # A third one says nothing yet: what only some have is told, and stays as it is unless somebody says so.
    choose(page, "2024/03/00.jpg", "2025/03/04.jpg", "2024/04/01.jpg")
    sheet = opened(qtbot, page)
    assert chips(sheet) == ["depot · 2 of 3", "line · 2 of 3"]
    assert sheet.fields[Field.TITLE].placeholderText() == "2 different ones"
    assert sheet.fields[Field.RIGHTS].placeholderText() == ""
    sheet.words.chips[0].click()
    assert chips(sheet)[0] == "+ depot"
    sheet.words.chips[0].click()
    assert chips(sheet)[0] == "− depot"
    sheet.words.chips[0].click()
    assert (chips(sheet)[0], sheet.touched) == ("depot · 2 of 3", False)
    sheet.words.chips[0].click()
    write(qtbot, page, "1 capture says it now.")
    assert words(home, "2024/04/01") == ["line", "depot"]
    assert Packet((Path(home.root) / "2025/03/04.xmp").read_bytes()).text(Field.TITLE.value) == "Boiler test"
    until_shown(qtbot, page, "2024/04/01.jpg", ("line", "depot"))
    for _ in range(2):
        window.page("library").undo()
    qtbot.waitUntil(lambda: not list(Path(home.root).glob("20*/**/*.xmp")), timeout=PATIENCE)


def test_what_is_typed_is_completed(qtbot: QtBot, page: LibraryView, home: Library) -> None:
    (Path(home.own) / "keywords.txt").write_text("line\n  engines = locomotives\n  depot\nyard\n  depot\n")
    choose(page, "2024/03/00.jpg")
    sheet = opened(qtbot, page)
    qtbot.keyClicks(sheet.word, "loco")
    assert sheet.word._model.stringList() == ["engines  = locomotives  under line"]
    qtbot.keyClick(sheet.word, Qt.Key.Key_Tab)
    assert chips(sheet) == ["+ engines · under line"]
    sheet._take("depot")
    assert "more than once" in sheet._sum.text()
    qtbot.keyClicks(sheet.word, "depot")
    popup = sheet.word.completer().popup()
    # What begins so is not meant until it is marked.
    assert not popup.currentIndex().isValid()
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Return):
        qtbot.keyClick(popup, key)
    qtbot.waitUntil(lambda: len(chips(sheet)) == 2, timeout=PATIENCE)
    assert (chips(sheet)[1], sheet.word.text()) == ("+ depot · under yard", "")
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    assert not sheet.isVisible()
    assert words(home, "2024/03/00") == []


def test_a_keyword_is_called_otherwise_everywhere(qtbot: QtBot, page: LibraryView, home: Library) -> None:
    choose(page, "2024/03/00.jpg", "2025/03/04.jpg")
    sheet = opened(qtbot, page)
    sheet._take("depot")
    write(qtbot, page, "2 captures say it now.")
    until_shown(qtbot, page, "2025/03/04.jpg", ("depot",))
    choose(page, "2024/03/00.jpg")
    sheet = opened(qtbot, page)
    captions = page.window().page("library").captions  # type: ignore[attr-defined]
    captions._ask_name("depot")
    typed(qtbot, page, "yard")
    qtbot.waitUntil(lambda: page.asking.bar is not None and page.asking.bar.field is None, timeout=PATIENCE)
    assert page.asking.bar is not None
    assert page.asking.bar._words == "depot becomes yard on 2 captures."
    page.asking.bar.main.click()
    qtbot.waitUntil(lambda: words(home, "2025/03/04") == ["yard"] == words(home, "2024/03/00"), timeout=PATIENCE)
    qtbot.waitUntil(lambda: (Path(home.own) / "keywords.txt").read_text() == "yard\n", timeout=PATIENCE)
    until_shown(qtbot, page, "2025/03/04.jpg", ("yard",))


def test_by_house_rule_it_stands_in_the_files(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow
) -> None:
    """What is said there is shown again, changed, and undone to the same bytes."""
    keep_rules(home, replace(load_rules(home).rules, inside=True))
    path = Path(home.root) / "2024/03/00.jpg"
    before = path.read_bytes()
    for keyword, credit in (("line > depot", "the depot"), ("snow", "the yard")):
        choose(page, "2024/03/00.jpg")
        sheet = opened(qtbot, page)
        qtbot.keyClicks(sheet.word, keyword)
        qtbot.keyClick(sheet.word, Qt.Key.Key_Return)
        sheet.fields[Field.CREDIT].selectAll()
        qtbot.keyClicks(sheet.fields[Field.CREDIT], credit)
        write(qtbot, page, "1 capture says it now.")
        told = read(str(path)).wording
        assert told is not None and keyword.rpartition(" ")[2] in told.keywords
        until_shown(qtbot, page, "2024/03/00.jpg", told.keywords)
    choose(page, "2024/03/00.jpg")
    assert opened(qtbot, page).fields[Field.CREDIT].text() == "the yard"
    assert not list(Path(home.root).glob("20*/**/*.xmp"))
    for _ in range(2):
        window.page("library").undo()
    qtbot.waitUntil(lambda: path.read_bytes() == before, timeout=PATIENCE)
