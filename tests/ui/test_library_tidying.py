"""Tidying on the Library page: by keys and by pointer, taken back on the disk."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QMenu, QWidget
from pytestqt.qtbot import QtBot

from jutrek.desk import outside_watch
from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.page import LibraryPage
from jutrek.ui.pages.library.view import LibraryView
from jutrek.views.laying import Apart
from jutrek.views.orders import Order
from tests.making import WHEN, jpeg, names_below, put
from tests.ui.conftest import PATIENCE
from tests.ui.test_library_page import CONTROL, LEFT, SHIFT, home, page

__all__ = ["home", "page"]


def names(library: Library) -> set[str]:
    return {one for one in names_below(library.root) if not one.startswith(".jutrek/")}


def until_lies(qtbot: QtBot, library: Library, *paths: str, page: LibraryView) -> None:
    """Wait until files lie there, and the page says that they moved."""
    qtbot.waitUntil(lambda: set(paths) <= names(library) and page._notice is not None, timeout=PATIENCE)
    qtbot.waitUntil(lambda: page.view is not None and _known(page, paths), timeout=PATIENCE)


def _known(page: LibraryView, paths: tuple[str, ...]) -> bool:
    return page.view is not None and len(page.view.columns.rows_of(paths)) == len(paths)


def back(qtbot: QtBot, page: LibraryView, window: MainWindow, library: Library, before: set[str]) -> None:
    """Take back what was done last, and wait until it is."""
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    qtbot.waitUntil(lambda: names(library) == before, timeout=PATIENCE)
    qtbot.waitUntil(lambda: _known(page, tuple(before)), timeout=PATIENCE)


def typed(qtbot: QtBot, page: LibraryView, text: str) -> str:
    """Type an answer in place; returns what was said of it."""
    assert page.asking.bar is not None
    assert page.asking.bar.field is not None
    field, bar = page.asking.bar.field, page.asking.bar
    field.setText(text)
    if field.completer() is not None:
        field.completer().popup().hide()
    said = bar._words
    qtbot.keyClick(field, Qt.Key.Key_Return)
    return said


def choose(page: LibraryView, *paths: str) -> None:
    assert page.view is not None
    page.grid.setFocus()
    shown = page.view.columns.paths(page.grid.rows)
    for number, path in enumerate(paths):
        page.grid.choose(shown.index(path), add=number > 0)


def test_by_keys_and_back(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    """To a folder, called otherwise, numbered, set aside, a folder renamed; each taken back on the disk."""
    before = names(home)
    choose(page, "2024/03/00.jpg", "2025/03/04.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_M, CONTROL)
    assert page.asking.bar is not None
    assert not page.asking.bar.main.isEnabled()
    assert typed(qtbot, page, "Velmora/2024") == "Velmora/2024 will be new."
    until_lies(qtbot, home, "Velmora/2024/00.jpg", "Velmora/2024/04.jpg", page=page)
    assert page.bar.words().startswith("2 captures moved.")
    qtbot.waitUntil(lambda: len(page.grid.picked()) == 2, timeout=PATIENCE)
    assert page.view is not None
    assert page.view.columns.paths(page.grid.picked()) == ["Velmora/2024/00.jpg", "Velmora/2024/04.jpg"]
    back(qtbot, page, window, home, before)
    choose(page, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_F2)
    assert typed(qtbot, page, "Boiler") == "Call 00.jpg:"
    until_lies(qtbot, home, "2024/03/Boiler.jpg", page=page)
    back(qtbot, page, window, home, before)
    choose(page, "2025/03/04.jpg", "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_F2)
    assert typed(qtbot, page, "Tour") == "Tour 01 … 02"
    until_lies(qtbot, home, "2024/03/Tour 01.jpg", "2025/03/Tour 02.jpg", page=page)
    back(qtbot, page, window, home, before)
    choose(page, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: "2024/03/00.jpg" not in names(home), timeout=PATIENCE)
    qtbot.waitUntil(lambda: len(page.grid.rows) == 13, timeout=PATIENCE)
    back(qtbot, page, window, home, before)
    page.folders.list.mark("2025/03")
    page.folders.list.setFocus()
    qtbot.keyClick(page.folders.list, Qt.Key.Key_F2)
    assert "07 _ x could be taken" in typed(qtbot, page, "07 / x")
    assert page.asking.bar is not None
    typed(qtbot, page, "March")
    until_lies(qtbot, home, "2025/March/04.jpg", "2025/March/sound.wav", page=page)
    back(qtbot, page, window, home, before)


def test_an_answer_is_about_what_was_chosen_then(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow
) -> None:
    """Captures that come while a question stands are counted before those that were chosen, and are not meant."""
    before = names(home)
    choose(page, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_M, CONTROL)
    count = page.view.columns.count if page.view is not None else 0
    for number in range(3):
        put(Path(home.root, f"2000/{number}.jpg"), jpeg(WHEN.replace(year=2000, second=number), seed=70 + number))
    window.page("library").renew()  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: page.view is not None and page.view.columns.count == count + 3, timeout=PATIENCE)
    typed(qtbot, page, "elsewhere")
    until_lies(qtbot, home, "elsewhere/00.jpg", page=page)
    came = {f"2000/{number}.jpg" for number in range(3)}
    assert names(home) == (before | came | {"elsewhere/00.jpg"}) - {"2024/03/00.jpg"}


def test_in_hand_and_put_elsewhere(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    """By keys; and into a folder of their own, whose name is proposed."""
    before = names(home)
    qtbot.keyClick(page.grid, Qt.Key.Key_V, CONTROL)
    assert page.bar.words().startswith("Nothing is in hand.")
    choose(page, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_X, CONTROL)
    assert names(home) == before
    page.folders.list.mark("inbox")
    qtbot.keyClick(page.grid, Qt.Key.Key_V, CONTROL)
    until_lies(qtbot, home, "inbox/00.jpg", page=page)
    back(qtbot, page, window, home, before)
    choose(page, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_M, CONTROL | SHIFT)
    assert page.asking.bar is not None
    assert page.asking.bar.field is not None
    assert page.asking.bar.field.text() == "2024/03/2024-03-05"
    page.back()
    assert page.asking.bar is None


def drag(widget: QWidget, start: QPoint, to: QPoint, *, drop: bool = True) -> None:
    """By the pointer, from a point of the screen to another one."""
    kinds = [QMouseEvent.Type.MouseButtonPress, QMouseEvent.Type.MouseMove, QMouseEvent.Type.MouseMove]
    points = [start, (start + to) / 2, to]
    if drop:
        kinds.append(QMouseEvent.Type.MouseButtonRelease)
        points.append(to)
    for kind, point in zip(kinds, points, strict=True):
        button = Qt.MouseButton.NoButton if kind is QMouseEvent.Type.MouseMove else LEFT
        held = Qt.MouseButton.NoButton if kind is QMouseEvent.Type.MouseButtonRelease else LEFT
        event = QMouseEvent(
            kind, QPointF(widget.mapFromGlobal(point)), QPointF(point), button, held, Qt.KeyboardModifier.NoModifier
        )
        QApplication.sendEvent(widget, event)


def at(page: LibraryView, folder: str) -> QPoint:
    """Where a folder is on the screen."""
    assert page.view is not None
    panel, number = page.folders.list, page.view.tree.number(folder)
    index = panel.rows.index(panel.rows.rows.index(number))  # type: ignore[arg-type]
    panel.scrollTo(index)
    return panel.viewport().mapToGlobal(panel.visualRect(index).center())


def test_by_pointer(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    """Captures to a folder, and a folder into another one; the one that would take them is marked."""
    before, panel = names(home), page.folders.list
    choose(page, "2024/03/00.jpg")
    qtbot.wait(50)
    start = page.grid.viewport().mapToGlobal(page.grid._lines.box(page.grid.at).center() - QPoint(0, page.grid._top()))
    drag(page.grid.viewport(), start, at(page, "inbox"), drop=False)
    assert panel.folder_at(at(page, "inbox")) == "inbox"
    assert panel.rows.over >= 0
    assert page.held.isVisible()
    drag(page.grid.viewport(), start, at(page, "inbox"))
    until_lies(qtbot, home, "inbox/00.jpg", page=page)
    assert (panel.rows.over, page.held.isVisible()) == (-1, False)
    back(qtbot, page, window, home, before)
    drag(panel.viewport(), at(page, "inbox"), at(page, "2024"))
    until_lies(qtbot, home, "2024/inbox/nothing.jpg", page=page)
    back(qtbot, page, window, home, before)
    # Where one of the name is there already, they may be merged.
    drag(panel.viewport(), at(page, "inbox"), at(page, "inbox"))
    page_ = window.page("library")
    assert isinstance(page_, LibraryPage)
    page_.tidying._move_folder("inbox", "2025/03")
    qtbot.waitUntil(lambda: page.asking.bar is not None, timeout=PATIENCE)
    assert page.asking.bar is not None
    page.asking.bar.main.click()
    until_lies(qtbot, home, "2025/03/nothing.jpg", page=page)


@pytest.mark.parametrize(("key", "lies"), [("B", "inbox/nothing_2.jpg"), ("L", "2024/03/nothing.jpg")])
def test_a_name_that_is_taken(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow, key: str, lies: str
) -> None:
    """Both pictures are shown, nothing has moved; Escape leaves it so."""
    choose(page, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_F2)
    typed(qtbot, page, "nothing")
    until_lies(qtbot, home, "2024/03/nothing.jpg", page=page)
    before = names(home)
    for last in (False, True):
        choose(page, "2024/03/nothing.jpg")
        qtbot.keyClick(page.grid, Qt.Key.Key_M, CONTROL)
        typed(qtbot, page, "inbox")
        qtbot.waitUntil(page.clashes.isVisible, timeout=PATIENCE)
        assert page.clashes.clash is not None
        assert (page.clashes.clash.there, page.main.isVisible()) == ("inbox/nothing.jpg", False)
        assert names(home) == before
        qtbot.keyClick(page.clashes, Qt.Key.Key_S)
        assert page.clashes.isVisible()
        if not last:
            qtbot.keyClick(page.clashes, Qt.Key.Key_Escape)
            assert (page.clashes.isVisible(), page.bar.words()) == (False, "Nothing was moved.")
    qtbot.keyClick(page.clashes, getattr(Qt.Key, f"Key_{key}"))
    until_lies(qtbot, home, lies, page=page)


def test_folders_have_a_menu(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    """One level up, a new one above."""
    before, library = names(home), window.page("library")
    assert isinstance(library, LibraryPage)
    menu = QMenu()
    library.tidying.add_to_folder_menu(menu, "2024/03")
    acts = {action.text().partition("\t")[0]: action for action in menu.actions()}
    acts["Up a level"].trigger()
    until_lies(qtbot, home, "03/00.jpg", page=page)
    back(qtbot, page, window, home, before)
    acts["A new folder above it…"].trigger()
    typed(qtbot, page, "spring")
    until_lies(qtbot, home, "2024/spring/03/00.jpg", page=page)
    back(qtbot, page, window, home, before)
    assert Path(home.root, "2024/03").is_dir()


def test_what_changed_outside_is_told_when_the_page_is_opened(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow
) -> None:
    """What moved stays where it was in every view; what is gone is named."""
    root = Path(home.root)
    (root / "2024/03").rename(root / "2024/March")
    (root / "inbox/nothing.jpg").unlink()
    window.go_to("intake")
    window.go_to("library")
    qtbot.waitUntil(lambda: _known(page, ("2024/March/00.jpg",)), timeout=PATIENCE)
    assert page.bar.words().startswith("Outside, 1 file was moved, 1 is gone. What moved was found again")
    assert "inbox/nothing.jpg" in page.bar.words()


def test_captures_stand_in_another_order(qtbot: QtBot, page: LibraryView, home: Library) -> None:
    """By name they stand in one row, and by days in the order of shooting again; numbers follow what is shown."""
    page.set_order(Order.SIZE)
    qtbot.waitUntil(lambda: page.view is not None and page.view.apart is Apart.NOTHING, timeout=PATIENCE)
    assert page.view is not None
    sizes = page.view.columns.size[page.grid.rows].tolist()
    assert sizes == sorted(sizes, reverse=True)
    assert page._middle_title._words == "THE LARGEST FIRST"
    page.set_apart(Apart.DAYS)
    qtbot.waitUntil(lambda: page.view is not None and page.view.apart is Apart.DAYS, timeout=PATIENCE)
    assert page.order is Order.MOMENT


def test_in_an_order_by_hand(qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow) -> None:
    """By keys and by the pointer, within a folder; taken back; in the stairs alike."""
    page.set_apart(Apart.FOLDERS)
    page.set_order(Order.HAND)

    def until(*wanted: str) -> None:
        shown = lambda: [page.view.columns.path(row) for row in page.grid.rows.tolist()] if page.view else []  # noqa: E731
        qtbot.waitUntil(lambda: [one for one in shown() if "2025/03" in one] == list(wanted), timeout=PATIENCE)

    one, other = "2025/03/04.jpg", "2025/03/sound.wav"
    until(one, other)
    qtbot.waitUntil(lambda: page._middle_title._words.endswith("BY HAND"), timeout=PATIENCE)
    choose(page, other)
    qtbot.keyClick(page.grid, Qt.Key.Key_Left, CONTROL | SHIFT)
    until(other, one)
    assert page.view is not None
    assert [page.view.columns.path(row) for row in page.grid.picked().tolist()] == [other]
    # A gap in another folder takes none.
    choose(page, other, "2024/03/00.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_Left, CONTROL | SHIFT)
    assert "within a folder" in page.bar.words()
    choose(page, one)
    grid, box = page.grid, page.grid._lines.box(page.grid.at)
    start = grid.viewport().mapToGlobal(box.center() - QPoint(0, grid._top()))
    drag(grid.viewport(), start, start - QPoint(box.width() + box.width() // 3, 0))
    until(one, other)
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    until(other, one)
    page.turn()
    page.stairs.go("2025/03")
    until(other, one)


def test_what_changes_outside_is_shown_while_the_page_is_looked_at(
    qtbot: QtBot, page: LibraryView, home: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also where no folder changed; what the page does itself is not told as somebody else's."""
    monkeypatch.setattr(outside_watch, "_RESTS", 0.1)
    qtbot.wait(500)
    root = Path(home.root)
    (root / "2024/03").rename(root / "2024/March")
    qtbot.waitUntil(lambda: "Outside, 1 file was moved" in page.bar.words(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: _known(page, ("2024/March/00.jpg",)), timeout=PATIENCE)
    page.notify("")
    made = (root / "2025/03/04.jpg").read_bytes()
    (root / "2025/03/04.jpg").write_bytes(made + b"more")
    qtbot.waitUntil(lambda: "1 is another version" in page.bar.words(), timeout=PATIENCE)
    choose(page, "2025/03/04.jpg")
    qtbot.keyClick(page.grid, Qt.Key.Key_F2)
    typed(qtbot, page, "Mine")
    until_lies(qtbot, home, "2025/03/Mine.jpg", page=page)
    qtbot.wait(800)
    assert page.bar.words().startswith("1 capture renamed.")
