"""The Library page: looked at by time and by folder, narrowed by pointer, keys and a sentence."""

from __future__ import annotations

import os
from datetime import datetime
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from jutrek.library import Library, new_library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.library.lines import Group, Lines
from jutrek.ui.pages.library.view import LibraryView
from jutrek.ui.plainly import Label
from jutrek.views.conditions import EVERYTHING, Is, Sort, State
from jutrek.views.kept import keep_weeks, kept_views
from jutrek.views.laying import Apart
from jutrek.views.saying import sentence
from jutrek.views.sentence import parse
from tests import making
from tests.making import put
from tests.ui.conftest import PATIENCE, intake

LEFT, CONTROL, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def home(library: Library) -> Library:
    """Fourteen captures of three years, of two devices, in folders of three levels; one has no date."""
    root = Path(library.root)
    for number in range(12):
        when = datetime(2024 + number // 4, 3 + number % 4, 5 + number, 10, number)
        model = "M2" if number % 2 else "C1"
        put(root / f"{when:%Y/%m}" / f"{number:02}.jpg", making.jpeg(when, seed=number, model=model))
    put(root / "2025/03/sound.wav", making.wav(datetime(2025, 3, 30, 9)))
    put(root / "inbox" / "nothing.jpg", making.jpeg(None, seed=77))
    return library


@pytest.fixture
def page(qtbot: QtBot, window: MainWindow, home: Library) -> LibraryView:
    """The page with all of the library, read."""
    window.resize(1280, 800)
    window.begin(home.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    window.go_to("library")
    page = window.page("library").view
    assert isinstance(page, LibraryView)
    qtbot.waitUntil(
        lambda: page.view is not None and len(page.view.laid.months) == 12 and not page._unread, timeout=PATIENCE
    )
    assert len(page.grid.rows) == 14
    return page


def shown(page: LibraryView) -> list[str]:
    assert page.view is not None
    return page.view.columns.paths(page.grid.rows)


def until(qtbot: QtBot, page: LibraryView, said: str, captures: int) -> None:
    """Wait until a view is shown."""
    qtbot.waitUntil(
        lambda: page.view is not None and sentence(page.view.laid.view) == said and len(page.grid.rows) == captures,
        timeout=PATIENCE,
    )


def test_a_picture_is_found_by_its_month(qtbot: QtBot, page: LibraryView) -> None:
    cell = next(one for one in page.wall._cells if one.words == "April 2025")
    qtbot.mouseClick(page.wall, LEFT, pos=cell.box.center())
    until(qtbot, page, "in April 2025", 1)
    assert shown(page) == ["2025/04/05.jpg"]
    # Once more opens its days in place; a day narrows further; the same once more takes it out.
    cell = next(one for one in page.wall._cells if one.words == "April 2025")
    qtbot.mouseClick(page.wall, LEFT, pos=cell.box.center())
    day = next(one for one in page.wall._cells if one.words == "10 April 2025")
    assert day.captures == 1
    qtbot.mouseClick(page.wall, LEFT, pos=day.box.center())
    until(qtbot, page, "on 10 April 2025", 1)
    page.wall.setFocus()
    qtbot.keyClick(page.wall, Qt.Key.Key_Escape)
    until(qtbot, page, "everything", 14)


def test_a_span_is_dragged_or_walked_on_the_wall(qtbot: QtBot, page: LibraryView) -> None:
    cells = {one.words: one.box.center() for one in page.wall._cells}
    qtbot.mousePress(page.wall, LEFT, pos=cells["May 2024"])
    qtbot.mouseMove(page.wall, cells["March 2025"])
    page.wall._cursor = next(at for at, one in enumerate(page.wall._cells) if one.words == "March 2025")
    qtbot.mouseRelease(page.wall, LEFT, pos=cells["March 2025"])
    until(qtbot, page, "from May 2024 to March 2025", 4)
    page.wall.setFocus()
    qtbot.keyClick(page.wall, Qt.Key.Key_Home)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
        qtbot.keyClick(page.wall, key)
    assert page.wall.spoken_parts()[page.wall._cursor].words.endswith(("capture", "captures"))
    qtbot.mouseClick(page.weeks, LEFT)
    assert {one.words for one in page.wall._cells} >= {"week 1 of 2024", "week 52 of 2026"}


def test_share_bars_keep_several_and_leave_out(qtbot: QtBot, page: LibraryView) -> None:
    bar = page.bars.bars[Sort.DEVICE]
    boxes = {one.part.words: one.box.center() for one in bar._stretches if one.part is not None}
    qtbot.mouseClick(bar, LEFT, pos=boxes["Arlen C1"])
    until(qtbot, page, "by Arlen C1", 6)
    # The bar counts what the others leave, and not what it keeps itself.
    assert {part.words: part.captures for part in page.view.laid.bars[Sort.DEVICE]}["Arlen M2"] == 6  # type: ignore[union-attr]
    boxes = {one.part.words: one.box.center() for one in bar._stretches if one.part is not None}
    qtbot.mouseClick(bar, LEFT, CONTROL, boxes["Arlen M2"])
    until(qtbot, page, "by Arlen C1 or by Arlen M2", 12)
    qtbot.mouseClick(page.sentence.parts[0], LEFT)
    menu = next(one for one in page.sentence.findChildren(QMenu) if one.isVisible())
    menu.actions()[0].trigger()
    menu.close()
    until(qtbot, page, "everything", 14)
    kinds = page.bars.bars[Sort.KIND]
    kinds.setFocus()
    qtbot.keyClick(kinds, Qt.Key.Key_Enter, CONTROL | SHIFT)
    until(qtbot, page, "not stills", 1)


def test_a_sentence_is_typed_and_what_may_follow_is_offered(qtbot: QtBot, page: LibraryView) -> None:
    qtbot.keyClick(page, Qt.Key.Key_E, CONTROL)
    field = page.sentence.field
    qtbot.waitUntil(field.hasFocus, timeout=PATIENCE)
    qtbot.keyClicks(field, "stills by Arl")
    assert "Arlen M2" in [one.text for one in page.sentence._completions]
    qtbot.keyClick(field, Qt.Key.Key_Tab)
    qtbot.keyClicks(field, "in 202")
    assert field.property("wrong") is True
    assert page.sentence.trouble.text()
    qtbot.keyClicks(field, "6")
    qtbot.keyClick(field, Qt.Key.Key_Enter)
    assert page.view is not None
    qtbot.waitUntil(lambda: len(page.grid.rows) == 2, timeout=PATIENCE)
    assert not page.sentence.typing
    assert page.grid.hasFocus()
    assert page.sentence.count.text() == "2 captures"


def test_a_picture_is_found_by_folder_keys_alone(qtbot: QtBot, page: LibraryView) -> None:
    qtbot.keyClick(page.grid, Qt.Key.Key_F3)
    stairs = page.stairs
    qtbot.waitUntil(stairs.hasFocus, timeout=PATIENCE)
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Down):
        qtbot.keyClick(stairs, key)
    assert stairs.path == "2025/03"
    assert shown(page) == ["2025/03/04.jpg", "2025/03/sound.wav"]
    qtbot.keyClicks(stairs, "05")
    assert stairs.path == "2025/05"
    qtbot.keyClick(stairs, Qt.Key.Key_Down)
    assert page.grid.hasFocus()
    qtbot.keyClick(page.grid, Qt.Key.Key_Space)
    look = page.closely.look
    assert look is not None
    qtbot.waitUntil(lambda: "time of shooting" in look.accessibleName(), timeout=PATIENCE)
    assert "06.jpg, Arlen C1" in look.accessibleName()
    qtbot.keyClick(look, Qt.Key.Key_Escape)
    qtbot.keyClick(page.grid, Qt.Key.Key_Up)
    assert stairs.hasFocus()
    qtbot.keyClick(stairs, Qt.Key.Key_Up)
    qtbot.keyClick(stairs, Qt.Key.Key_Up)
    assert stairs.path == ""
    # Down goes where one was last.
    qtbot.keyClick(stairs, Qt.Key.Key_Down)
    assert stairs.path == "2025"
    qtbot.keyClick(stairs, Qt.Key.Key_F3)
    assert page.grid.hasFocus()
    assert len(shown(page)) == 14


def test_captures_are_chosen_by_keys_and_pointer(qtbot: QtBot, page: LibraryView) -> None:
    grid = page.grid
    grid.setFocus()
    qtbot.keyClick(grid, Qt.Key.Key_Right)
    qtbot.keyClick(grid, Qt.Key.Key_Right, SHIFT)
    qtbot.keyClick(grid, Qt.Key.Key_Right, CONTROL)
    qtbot.keyClick(grid, Qt.Key.Key_Right, CONTROL)
    qtbot.keyClick(grid, Qt.Key.Key_Space, CONTROL)
    assert grid._picked.nonzero()[0].tolist() == [0, 1, 3]
    assert page.bar.words().startswith("3 chosen.")
    assert "3 captures" in page.chosen.accessibleName()
    first, last = grid._lines.box(0), grid._lines.box(2)
    view = grid.viewport()
    qtbot.mousePress(view, LEFT, pos=first.topLeft() + QPoint(1, 1))
    for at in (first.center(), last.center()):
        qtbot.mouseMove(view, at)
        grid.mouseMoveEvent(_moved(at))
    qtbot.mouseRelease(view, LEFT, pos=last.center())
    assert grid._picked.nonzero()[0].tolist() == [0, 1, 2]
    qtbot.keyClick(grid, Qt.Key.Key_C, CONTROL)
    assert QApplication.clipboard().text().endswith("2024/03/00.jpg")
    assert [part.pressed for part in grid.spoken_parts()][:4] == [True, True, True, False]


def _moved(at: QPoint) -> object:
    from PySide6.QtCore import QEvent, QPointF
    from PySide6.QtGui import QMouseEvent

    return QMouseEvent(QEvent.Type.MouseMove, QPointF(at), QPointF(at), LEFT, LEFT, Qt.KeyboardModifier.NoModifier)


def test_days_folders_or_nothing_stand_apart(qtbot: QtBot, page: LibraryView) -> None:
    page.grid.choose(5)
    current, days, paths = page.grid.row, page.grid._lines.height, shown(page)
    page.set_apart(Apart.NOTHING)
    qtbot.waitUntil(lambda: len(page.grid._lines.groups) == 1, timeout=PATIENCE)
    assert page.grid._lines.height < days
    page.set_apart(Apart.FOLDERS)
    qtbot.waitUntil(lambda: len(page.grid._lines.groups) == 13, timeout=PATIENCE)
    assert shown(page) == sorted(paths, key=lambda path: (path.rpartition("/")[0], paths.index(path)))
    titles = [group.title[1] for group in page.grid._lines.groups]
    assert titles == sorted({path.rpartition("/")[0] for path in paths})
    assert page.grid.row == current
    qtbot.mouseClick(page.lined, LEFT)
    menu = next(one for one in page.findChildren(QMenu) if one.isVisible())
    next(one for one in menu.actions() if one.text() == "by day").trigger()
    menu.close()
    qtbot.waitUntil(lambda: page.grid._lines.height == days, timeout=PATIENCE)


def test_folders_are_sought_opened_and_narrowed_to(qtbot: QtBot, page: LibraryView) -> None:
    rows = page.folders.list.rows
    names = lambda: [rows.name(row) for row in rows.rows]  # noqa: E731
    assert names() == [rows.name(0), "2024", "2025", "2026", "inbox"]
    qtbot.mouseClick(page.all_open, LEFT)
    assert len(rows.rows) == 17
    qtbot.keyClicks(page.folders.field, "2025 -03")
    assert names() == [rows.name(0), "2025", "04", "05", "06"]
    page.folders.field.clear()
    qtbot.mouseClick(page.all_shut, LEFT)
    page.folders.list.setFocus()
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Enter):
        qtbot.keyClick(page.folders.list, key)
    until(qtbot, page, "in folder /2024/03", 1)
    page.hide_trunk("2024/03")
    assert names()[:4] == ["03", "04", "05", "06"]


def test_what_wants_attention_is_a_click_away(qtbot: QtBot, page: LibraryView, home: Library) -> None:
    links = page.attention.links
    assert links[Is(State.GONE)].isHidden()
    # Nothing was proven yet, and no backup is there.
    assert page.attention.proof.isHidden()
    assert links[parse("in no backup")].text() == "14 in no backup"  # type: ignore[index]
    assert links[parse("not proven")].text() == "14 not read back"  # type: ignore[index]
    assert page.drives.accessibleName().startswith("library: ")
    (Path(home.root) / "inbox" / "nothing.jpg").unlink()
    put(Path(home.root) / "Unfiled" / "new.jpg", making.jpeg(datetime(2026, 7, 1), seed=88))
    page.window().go_to("library")  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: not links[Is(State.UNFILED)].isHidden(), timeout=PATIENCE)
    qtbot.mouseClick(links[Is(State.UNFILED)], LEFT)
    until(qtbot, page, "unfiled", 1)
    assert shown(page) == ["Unfiled/new.jpg"]


def test_a_long_sentence_has_room_for_what_it_says(qtbot: QtBot, page: LibraryView, window: MainWindow) -> None:
    """Links stand in a menu where there is little room; parts that have none are counted."""
    bar, library = page.sentence, window.page("library")
    assert bar.copies.isVisible() and not bar.others.isVisible() and not bar.rest.isVisible()
    said = (
        "stills in 2025 without keywords unrated not marked smaller than 90 MB not in folder inbox without a position"
    )
    library.show(parse(said))  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: len(bar.parts) == 8, timeout=PATIENCE)
    for wide in (1280, 900, 700):
        window.resize(wide, 800)
        qtbot.waitUntil(
            lambda: all(one.width() >= one.sizeHint().width() for one in (bar.count, *bar.parts) if one.isVisible()),
            timeout=PATIENCE,
        )
        shown = [one for one in bar.parts if one.isVisible()]
        assert len(shown) == 8 or bar.rest.text() == f"and {8 - len(shown)} more"
        assert bar.others.isVisible() is not bar.copies.isVisible()
    assert len(shown) < 8 and bar.others.isVisible()
    bar.others.click()
    menu = next(one for one in bar.findChildren(QMenu) if one.isVisible())
    assert [one.text() for one in menu.actions()] == ["Say what you want", "Keep this view", "Small copies…"]
    menu.close()
    bar.rest.click()
    assert bar.typing


def test_views_are_kept_and_chosen_again(qtbot: QtBot, page: LibraryView, window: MainWindow, home: Library) -> None:
    keep_weeks(home, 2024)
    library = window.page("library")
    library.ask_lookup(lambda lookup: lookup.keep_view("Sounds", "sounds"))
    qtbot.waitUntil(lambda: len(kept_views(home)[0]) == 53, timeout=PATIENCE)
    qtbot.mouseClick(page.sentence.count, LEFT)
    qtbot.waitUntil(lambda: any(one.isVisible() for one in page.findChildren(QMenu)), timeout=PATIENCE)
    menu = next(one for one in page.findChildren(QMenu) if one.isVisible())
    assert [one.text() for one in menu.actions() if one.text()] == ["Weeks of 2024", "Sounds", "Keep no longer"]
    menu.actions()[1].trigger()
    menu.close()
    until(qtbot, page, "sounds", 1)
    qtbot.mouseClick(page.sentence.keep, LEFT)
    ask = page.asking.bar
    assert ask is not None
    assert ask.field is not None
    qtbot.keyClicks(ask.field, "Takes")
    qtbot.keyClick(ask.field, Qt.Key.Key_Enter)
    qtbot.waitUntil(lambda: kept_views(home)[0][-1][:2] == ("Takes", "sounds"), timeout=PATIENCE)
    qtbot.mouseClick(page.sentence.keep, LEFT)
    page.back()
    assert page.asking.bar is None
    library.show(EVERYTHING)  # type: ignore[attr-defined]
    until(qtbot, page, "everything", 14)


def test_another_library_shows_nothing_of_this_one(
    qtbot: QtBot, page: LibraryView, window: MainWindow, tmp_path: Path
) -> None:
    other = tmp_path / "other"
    other.mkdir()
    new_library(str(other))
    window.page("intake").ask_intake(lambda intake: intake.open_library(str(other)))
    qtbot.waitUntil(lambda: page.view is not None and page.view.root == str(other), timeout=PATIENCE)
    assert page.sentence.count.text() == "0 captures"


def test_a_library_of_nothing_says_so(qtbot: QtBot, window: MainWindow, library: Library) -> None:
    window.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    window.go_to("library")
    page = window.page("library").view
    qtbot.waitUntil(lambda: page.view is not None, timeout=PATIENCE)
    assert page.sentence.count.text() == "0 captures"
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Space, Qt.Key.Key_F3):
        qtbot.keyClick(page.grid, key)
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_X):
        qtbot.keyClick(page.stairs, key)
    assert not page.closely.is_open


@pytest.mark.parametrize("columns", [1, 3, 7])
def test_lines_by_arithmetic_are_those_of_a_plain_walk(columns: int) -> None:
    counts = [1, 2, 9, 1, 1, 3, 7, 14, 2]
    firsts = [sum(counts[:number]) for number in range(len(counts))]
    groups = [
        Group((number, ""), first, count) for number, (first, count) in enumerate(zip(firsts, counts, strict=True))
    ]
    lines = Lines(groups, columns, QSize(20, 10), 5)
    boxes = [lines.box(at) for at in range(sum(counts))]
    assert all(not one.intersects(other) for at, one in enumerate(boxes) for other in boxes[:at])
    assert max(box.right() for box in boxes) < columns * 20
    assert max(box.bottom() for box in boxes) == lines.height - 1
    for area in (QRect(0, 0, 500, lines.height), QRect(25, 12, 30, 31), QRect(0, lines.height - 4, 9, 3)):
        assert sorted(lines.cells_in(area)) == [at for at, box in enumerate(boxes) if box.intersects(area)]
    for at, box in enumerate(boxes):
        assert lines.at(box.center().x(), box.center().y()) == at
        below, above = lines.moved(at, 1), lines.moved(at, -1)
        assert below == at or boxes[below].top() > box.top()
        assert above == at or boxes[above].top() < box.top()


def test_the_sentence_of_the_finder_opens_the_library(qtbot: QtBot, page: LibraryView, window: MainWindow) -> None:
    offers = list(window.page("library").offers("stills in 2024"))
    assert [one.words for one in offers] == ["stills in 2024"]
    offers[0].do()
    until(qtbot, page, "stills in 2024", 4)
    assert parse("stills in 2024") == page.wanted
    assert os.path.isdir(page.view.root)  # type: ignore[union-attr]


def test_shelves_are_filled_and_ordered_by_keys_and_by_pointer(
    qtbot: QtBot, page: LibraryView, home: Library, window: MainWindow
) -> None:
    grid, strip = page.grid, page.shelves
    page.another.click()
    assert page.asking.bar is not None
    assert page.asking.bar.field is not None
    qtbot.keyClicks(page.asking.bar.field, "Posters")
    qtbot.keyClick(page.asking.bar.field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(page.view and page.view.shelves), timeout=PATIENCE)
    paths = shown(page)
    for at in (4, 2, 6):
        grid.choose(at, add=True)
    carry(qtbot, page, 2, strip.mapToGlobal(strip._boxes()[0].center()))
    qtbot.waitUntil(lambda: len(page.view.shelves[0].rows) == 3, timeout=PATIENCE)  # type: ignore[union-attr]
    qtbot.mouseClick(strip, LEFT, pos=strip._boxes()[0].center())
    until(qtbot, page, "on shelf Posters", 3)
    assert shown(page) == [paths[2], paths[4], paths[6]]
    # By keys to the front, and taken back.
    grid.setFocus()
    grid.choose(2)
    qtbot.keyClick(grid, Qt.Key.Key_Left, SHIFT | CONTROL)
    ordered(qtbot, page, [paths[2], paths[6], paths[4]])
    assert grid.at == 1
    qtbot.keyClick(grid, Qt.Key.Key_Home, SHIFT | CONTROL)
    ordered(qtbot, page, [paths[6], paths[2], paths[4]])
    qtbot.keyClick(window, Qt.Key.Key_Z, CONTROL)
    ordered(qtbot, page, [paths[2], paths[6], paths[4]])
    # By pointer behind the last; in front of itself it stays.
    grid.choose(0)
    carry(qtbot, page, 0, grid.viewport().mapToGlobal(grid._lines.box(2).center() + QPoint(20, 0)))
    ordered(qtbot, page, [paths[6], paths[4], paths[2]])
    grid.choose(1)
    window.page("library").shelving.take_off()  # type: ignore[attr-defined]
    ordered(qtbot, page, [paths[6], paths[2]])
    assert [Path(home.root, one).exists() for one in paths] == [True] * 14


def carry(qtbot: QtBot, page: LibraryView, at: int, to: QPoint) -> None:
    """Carry what is chosen, taken at one of it, to a point of the screen."""
    view, start = page.grid.viewport(), page.grid._lines.box(at).center()
    qtbot.mousePress(view, LEFT, pos=start)
    for point in (start + QPoint(20, 20), view.mapFromGlobal(to)):
        event = QMouseEvent(
            QMouseEvent.Type.MouseMove, QPointF(point), QPointF(view.mapToGlobal(point)), LEFT, LEFT,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        QApplication.sendEvent(view, event)
    assert page.findChild(Label, options=Qt.FindChildOption.FindDirectChildrenOnly).isVisible()
    qtbot.mouseRelease(view, LEFT, pos=view.mapFromGlobal(to))


def ordered(qtbot: QtBot, page: LibraryView, paths: list[str]) -> None:
    qtbot.waitUntil(lambda: shown(page) == paths, timeout=PATIENCE)
