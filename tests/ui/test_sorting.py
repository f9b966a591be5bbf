"""Sorting by hand in the window: by keys alone, by pointer, left and gone on with, taken back on the disk."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from jutrek.desk.answers import DoublesFound
from jutrek.doubles.degrees import Degree, Group
from jutrek.library import Library
from jutrek.library.contents import Content
from jutrek.sorting.piles import By
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.page import LibraryPage
from jutrek.ui.pages.library.sorting.shown import Shown
from jutrek.views.conditions import Sort, Value
from jutrek.wording.properties import Field
from tests import making
from tests.making import names_below, put
from tests.ui.conftest import PATIENCE, intake
from tests.ui.test_library_page import CONTROL, LEFT, SHIFT

MESS = Value(Sort.FOLDER, "/mess")
ALT, NONE = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def home(library: Library) -> Library:
    """A mess of twelve captures of two months, two of them the same, and some folders that take them."""
    root = Path(library.root)
    for number in range(12):
        when = datetime(2025, 3 + number // 6, 2, 10, number) + timedelta(seconds=number % 2)
        put(root / "mess" / f"IMG_{number:02}.jpg", making.jpeg(when, seed=number // 2 if number < 2 else number))
    put(root / "mess" / "copy.jpg", (root / "mess" / "IMG_05.jpg").read_bytes())
    for number, folder in enumerate(("Depot", "Engine No. 4", "Volunteers")):
        put(root / folder / "a.jpg", making.jpeg(datetime(2024, 1 + number, 5, 9), seed=50 + number))
    put(root / "Volunteers" / "IMG_11.jpg", making.jpeg(datetime(2024, 8, 5, 9), seed=60))
    return library


class Sorter:
    """One who sorts in the window."""

    def __init__(self, qtbot: QtBot, window: MainWindow, page: LibraryPage, home: Library) -> None:
        self.qtbot, self.window, self.page, self.home = qtbot, window, page, home
        self.begin()

    def begin(self) -> None:
        self.page.sorting.begin(MESS)
        self.qtbot.waitUntil(lambda: self.page.sorting.is_open, timeout=PATIENCE)
        self.view = self.shown.view

    @property
    def shown(self) -> Shown:
        assert self.page.sorting.shown is not None
        return self.page.sorting.shown

    @property
    def figures(self) -> tuple[int, int, int]:
        assert self.shown.found is not None
        bench = self.shown.found.bench
        return bench.filed, bench.aside, bench.to_go

    @property
    def names(self) -> set[str]:
        return {one for one in names_below(self.home.root) if not one.startswith(".jutrek/")}

    @property
    def pictures(self) -> list[str]:
        assert self.shown.found is not None
        return [one.rpartition("/")[2] for one in self.shown.found.bench.columns.paths(self.view.grid.rows)]

    def key(self, key: Qt.Key, held: Qt.KeyboardModifier = NONE) -> None:
        QTest.keyClick(QApplication.focusWidget() or self.view.grid, key, held)

    def until(self, what: Callable[[], bool]) -> None:
        self.qtbot.waitUntil(what, timeout=PATIENCE)

    def settled(self) -> None:
        """Wait until the disk followed."""
        assert self.shown.found is not None
        bench = self.shown.found.bench
        self.until(lambda: not bench.under_way)

    def number(self, folder: str) -> Qt.Key:
        at = next(at for at, one in enumerate(self.view.cards.cards) if one.folder == folder)
        return Qt.Key(Qt.Key.Key_1 + at)

    def renewed(self, what: Callable[[], object]) -> None:
        """Do something, and wait until what is on the disk is shown anew."""
        before = self.shown.found
        what()
        self.until(lambda: self.shown.found is not before)


@pytest.fixture
def sorter(qtbot: QtBot, window: MainWindow, home: Library) -> Sorter:
    window.resize(1280, 800)
    window.begin(home.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    window.go_to("library")
    page = window.page("library")
    assert isinstance(page, LibraryPage)
    qtbot.waitUntil(
        lambda: page.view.view is not None and len(page.view.view.laid.months) == 6 and len(page.view.grid.rows) == 17,
        timeout=PATIENCE,
    )
    return Sorter(qtbot, window, page, home)


def test_by_keys_alone(sorter: Sorter) -> None:
    """A number and Enter, a typed folder, aside, left; a key by itself moves nothing; all of it taken back."""
    before, view = sorter.names, sorter.view
    assert sorter.figures == (0, 0, 13)
    assert [one.to_go for one in view.piles._piles] == [7, 6]
    sorter.key(sorter.number("Depot"))
    assert QApplication.focusWidget() is view.cards
    assert (view.destination.where.text(), view.main.isEnabled()) == ("Depot", True)
    assert sorter.figures == (0, 0, 13)
    sorter.key(Qt.Key.Key_Return)
    assert sorter.figures == (1, 0, 12)
    assert sorter.pictures[0] == "IMG_01.jpg"
    assert QApplication.focusWidget() is view.grid
    # The folder that took it comes first now, and keeps its number.
    assert sorter.number("Depot") is Qt.Key.Key_1
    sorter.key(Qt.Key.Key_Right, SHIFT)
    assert view.main.text() == "File 2 there"
    sorter.key(Qt.Key.Key_1)
    sorter.key(Qt.Key.Key_E)
    assert view.destination.field.text() == "e"
    sorter.key(Qt.Key.Key_Tab)
    assert view.destination.field.text() == "Engine No. 4"
    QTest.keyClicks(view.destination.field, "/{year}")
    assert view.destination.where.text() == "Engine No. 4 / 2025"
    assert "The folder will be new." in view.destination.how.text()
    sorter.key(Qt.Key.Key_Return)
    sorter.key(Qt.Key.Key_Delete)
    sorter.key(Qt.Key.Key_L)
    assert sorter.figures == (4, 1, 8)
    sorter.settled()
    assert {"Depot/IMG_00.jpg", "Engine No. 4/2025/IMG_01.jpg", "Engine No. 4/2025/IMG_02.jpg"} <= sorter.names
    assert "mess/IMG_03.jpg" not in sorter.names
    assert "mess/IMG_04.jpg" in sorter.names
    for figures in ((3, 1, 9), (3, 0, 10), (1, 0, 12), (0, 0, 13)):
        sorter.key(Qt.Key.Key_Z, CONTROL)
        sorter.until(lambda figures=figures: sorter.figures == figures)  # type: ignore[misc]
    assert sorter.names == before
    sorter.key(Qt.Key.Key_Z, CONTROL)
    sorter.until(lambda: view.bar.words().startswith("Nothing was answered"))


def test_it_goes_on_where_it_was(sorter: Sorter) -> None:
    """Left, and opened again; its folders keep their numbers; a pile that is done folds; and it can be ended."""
    sorter.key(Qt.Key.Key_Down, ALT)
    assert sorter.shown.pile == "2025-04"
    sorter.view.grid.pick_all()
    sorter.key(sorter.number("Engine No. 4"))
    sorter.key(Qt.Key.Key_Return)
    sorter.settled()
    assert sorter.shown.pile == "2025-03"
    assert [one.to_go for one in sorter.view.piles._piles] == [7, 0]
    sorter.shown.pile_by(By.DEVICE)
    sorter.key(Qt.Key.Key_Escape)
    assert not sorter.page.sorting.is_open
    sorter.until(lambda: sorter.page.widget.currentWidget() is sorter.page.view)
    sorter.page.view.sorts.click()
    sorter.until(lambda: isinstance(QApplication.activePopupWidget(), QMenu))
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    assert [one.text() for one in menu.actions()] == ["Sort what is shown: 17 captures", "", "Go on with mess: 7 to go"]
    menu.actions()[2].trigger()
    menu.close()
    sorter.until(lambda: sorter.page.sorting.is_open)
    assert (sorter.figures, sorter.shown.by) == ((6, 0, 7), By.DEVICE)
    assert sorter.number("Engine No. 4") is Qt.Key.Key_1
    sorter.view.end.click()
    sorter.begin()
    assert sorter.figures == (0, 0, 7)


def test_what_is_taken_comes_back_and_is_decided(sorter: Sorter) -> None:
    sorter.shown.go_to("2025-04")
    sorter.view.grid.choose(5)
    assert sorter.pictures[5] == "IMG_11.jpg"
    sorter.key(sorter.number("Volunteers"))
    sorter.key(Qt.Key.Key_Return)
    assert sorter.figures == (1, 0, 12)
    sorter.until(lambda: sorter.figures == (0, 0, 13))
    assert "IMG_11.jpg is taken in Volunteers." in sorter.view.bar.words()
    assert sorter.shown.went == {"Volunteers": []}
    sorter.view.decide.click()
    assert sorter.view.clashes.isVisible()
    sorter.key(Qt.Key.Key_Delete)
    assert sorter.figures == (0, 0, 13)
    sorter.key(Qt.Key.Key_B)
    sorter.until(lambda: sorter.figures == (1, 0, 12) and "Volunteers/IMG_11_2.jpg" in sorter.names)
    assert not sorter.view.decide.isVisible()


def test_the_worse_of_doubles(sorter: Sorter) -> None:
    """Side by side, and set aside by a key; where the better one is set aside, none of them is the worse."""
    files = tuple(Content(f"mess/{name}.jpg", 5, 1) for name in ("IMG_05", "copy"))
    group = Group(Degree.BYTES, files, files[0].path, "", (b"", b""))
    sorter.page.sorting._know_doubles(DoublesFound((group,), ()))
    at = sorter.pictures.index("IMG_05.jpg")
    assert sorter.pictures[at + 1] == "copy.jpg"
    sorter.view.grid.choose(at + 1)
    assert "W sets the worse aside." in sorter.view.bar.words()
    sorter.key(Qt.Key.Key_W)
    sorter.settled()
    assert sorter.figures == (0, 1, 12)
    assert "mess/copy.jpg" not in sorter.names
    sorter.view.grid.choose(0)
    sorter.key(Qt.Key.Key_W)
    assert sorter.view.bar.words().startswith("Nothing here is the worse")
    assert sorter.figures == (0, 1, 12)


def test_what_goes_along_is_offered(sorter: Sorter) -> None:
    assert "Same day and device, 6 more: Shift+Space adds them." in sorter.view.bar.words()
    sorter.key(Qt.Key.Key_Space, SHIFT)
    assert len(sorter.view.grid.picked()) == 7
    sorter.key(Qt.Key.Key_Space, SHIFT)
    assert sorter.view.bar.words().startswith("Nothing more of this pile")


def test_typed_folders_are_spelled_alike(sorter: Sorter) -> None:
    """A slip is pointed out; what can't be is said, and nothing moves; a short form of the house is kept."""
    place = sorter.view.destination
    for typed, said in (
        ("volunters", "Is “Volunteers” meant? Tab takes that one"), ("../x", "can't lie there"), ("{yaer}", "year"),
    ):  # fmt: skip
        place.begin(typed)
        assert said in place.how.text()
    sorter.key(Qt.Key.Key_Return)
    assert sorter.figures == (0, 0, 13)
    place.begin("volunters")
    sorter.key(Qt.Key.Key_Tab)
    assert place.field.text() == "Volunteers"
    place.begin("vlt = Velmora line trust")
    sorter.renewed(lambda: sorter.key(Qt.Key.Key_Return))
    place.begin("")
    QTest.keyClicks(place.field, "vlt {year}")
    assert place.field.text() == "Velmora line trust {year}"
    sorter.key(Qt.Key.Key_Return)
    sorter.settled()
    assert "Velmora line trust 2025/IMG_00.jpg" in sorter.names


def test_by_the_pointer(sorter: Sorter) -> None:
    """Dragged onto a folder; a click alone chooses it, and a double click takes what is chosen."""
    view = sorter.view
    at = next(at for at, one in enumerate(view.cards.cards) if one.folder == "Depot")
    centre = view.cards._box(at).center()
    QTest.mouseClick(view.cards.viewport(), LEFT, NONE, centre)
    assert sorter.figures == (0, 0, 13)
    assert view.cards.target == "Depot"
    QTest.mouseDClick(view.cards.viewport(), LEFT, NONE, centre)
    assert sorter.figures == (1, 0, 12)
    at = next(at for at, one in enumerate(view.cards.cards) if one.folder == "Volunteers")
    place = view.cards.viewport().mapToGlobal(view.cards._box(at).center())
    view.grid.carried.emit(place)
    assert view.cards._over == at
    view.grid.dropped.emit(place)
    assert sorter.figures == (2, 0, 11)
    view.grid.dropped.emit(QPoint(0, 0))
    assert sorter.figures == (2, 0, 11)
    sorter.settled()
    assert {"Depot/IMG_00.jpg", "Volunteers/IMG_01.jpg"} <= sorter.names
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, view.cards._box(0).center(), QPoint(0, 0))
    QApplication.sendEvent(view.cards.viewport(), event)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    menu.actions()[0].trigger()
    menu.close()
    assert sorter.shown.in_use == ["Volunteers"]


def test_what_changes_outside_is_shown(sorter: Sorter) -> None:
    """A capture that somebody else moves away leaves its pile, and is told; a folder that is gone is made again."""
    root = Path(sorter.home.root)
    sorter.view.grid.choose(1)
    sorter.key(Qt.Key.Key_L)
    sorter.settled()
    put(root / "Elsewhere" / "x.jpg", (root / "mess" / "IMG_08.jpg").read_bytes())
    (root / "mess" / "IMG_08.jpg").unlink()
    sorter.page._outside = True
    sorter.page._look_again()
    sorter.until(lambda: sorter.figures == (1, 0, 11))
    assert "1 went elsewhere meanwhile" in sorter.view.progress.accessibleName()
    for one in (root / "Depot").iterdir():
        one.unlink()
    (root / "Depot").rmdir()
    sorter.key(sorter.number("Depot"))
    sorter.key(Qt.Key.Key_Return)
    sorter.settled()
    assert "Depot/IMG_02.jpg" in sorter.names


def test_what_just_came_home_is_sorted_at_once(qtbot: QtBot, small: MainWindow, library: Library) -> None:
    small.runs.bring_home()
    bar = intake(small).action_bar
    qtbot.waitUntil(lambda: not small.runs.running and "proven" in bar.words(), timeout=PATIENCE)
    offered = next(one for one in bar.answers if one.text() == "Sort by hand")
    assert offered.isVisible()
    offered.click()
    page = small.page("library")
    assert isinstance(page, LibraryPage)
    qtbot.waitUntil(lambda: page.sorting.is_open, timeout=PATIENCE)
    shown = page.sorting.shown
    assert shown is not None
    assert shown.found is not None
    assert shown.found.bench.to_go == 3
    assert shown.found.bench.record.head.view == 'on shelf "From Card A"'
    assert small.current is page


def test_what_is_sorted_is_captioned(sorter: Sorter) -> None:
    """By K; taken back before the answer that was given before it, and after it that one."""
    sheet, grid = sorter.view.captions, sorter.view.grid
    sorter.window.activateWindow()
    grid.choose(0)
    first = sorter.pictures[0]
    sorter.key(Qt.Key.Key_L)
    sorter.settled()
    before = sorter.figures
    grid.setFocus()
    QTest.keyClick(grid, Qt.Key.Key_K)
    sorter.until(lambda: sheet.isVisible() and sheet.fields[Field.TITLE].isEnabled())
    sheet._take("depot")
    sorter.page.go()
    sorter.until(lambda: sorter.view.bar.words().startswith("1 capture says it now."))
    assert any(name.endswith(".xmp") for name in sorter.names)
    sorter.page.undo()
    sorter.until(lambda: not any(name.endswith(".xmp") for name in sorter.names))
    assert sorter.figures == before
    sorter.page.undo()
    sorter.until(lambda: first in sorter.pictures)
