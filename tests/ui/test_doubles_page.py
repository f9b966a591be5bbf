"""The Doubles page: settled by eye, with the keyboard or the pointer; what was set aside, and the way back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from jutrek.demo.copies import worded
from jutrek.doubles.degrees import Degree
from jutrek.formats import read
from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.doubles.view import DoublesView
from jutrek.ui.pages.intake.narrowing import standings_of
from jutrek.ui.shell.offers import buttons_of
from tests.doubles.common import encoded, put, scene, shot
from tests.making import WHEN, names_below
from tests.making import put as put_file
from tests.ui.conftest import PATIENCE, intake, ready

Press = Callable[..., None]


@pytest.fixture
def mess(library: Library) -> Library:
    """Two files twice, one of them with words besides, a small export, and a series of four."""
    for seed in (0, 1):
        put(library, f"2026/05/{seed}.jpg", shot(seed))
        put(library, f"mess/{seed} (1).jpg", shot(seed))
    put(library, "mess/words.jpg", worded(shot(0), ["bridge"], "Velmora Line Trust"))
    put(library, "mess/small.jpg", encoded(scene(1).resize((150, 100))))
    for number in range(4):
        put(library, f"2026/06/{number}.jpg", shot(3, WHEN + timedelta(seconds=number), quality=80 + number))
    return library


@pytest.fixture
def page(qtbot: QtBot, window: MainWindow, mess: Library) -> DoublesView:
    """The page with all doubles, the first group open."""
    window.learns = True
    window.begin(mess.root, [])
    window.go_to("doubles")
    page = window.page("doubles").view
    qtbot.waitUntil(lambda: len(page._all) == 5 and bool(page._facts), timeout=PATIENCE)
    return page


@pytest.fixture
def press(qtbot: QtBot, page: DoublesView) -> Press:
    """Presses a key on the list of groups."""

    def key(*keys: Qt.Key) -> None:
        for one in keys:
            qtbot.keyClick(page.list.view, one)

    return key


def test_degrees_groups_facts_and_reasons_are_shown(qtbot: QtBot, page: DoublesView) -> None:
    """With figures; what differs from the framed one is marked."""
    assert [chip.text() for chip in page.list.chips.values()] == [
        "Exactly the same 2", "Same picture, other notes 1", "Same picture, saved another way 1", "Look alike 1",
    ]  # fmt: skip
    assert page.headline.accessibleName().startswith("5 groups of doubles ")
    assert page.bar.words().startswith("Group 1 of 2.")
    qtbot.mouseClick(page.list.chips[Degree.PAYLOAD], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.facts.differing() != (), timeout=PATIENCE)
    assert page.facts.differing() == ("Picture or sound", "Keywords and rights")
    assert "Why 0.jpg is proposed to stay: it lies in a dated folder" in page.facts.accessibleName()
    assert page.carry.text() == "Carry over into its sidecar: bridge · © Velmora Line Trust"
    assert page.piles.buttons[0].text() == "The proposed ones stay"
    assert page.piles.labels[0].text().startswith("In 1 group: sets 1 file aside, ")
    qtbot.mouseClick(page.list.chips[Degree.PICTURE], Qt.MouseButton.LeftButton)
    assert page.piles.isHidden()


def test_pictures_are_zoomed_moved_and_blinked_together(qtbot: QtBot, page: DoublesView, press: Press) -> None:
    """By wheel and pointer; of more than three the columns follow the frame."""
    pair = page.pair
    page.list.choose_degree(Degree.ALIKE)
    qtbot.waitUntil(lambda: len(page._facts.get(page.list.group().key, ())) == 4 and pair.whole(), timeout=PATIENCE)
    assert pair.shown() == (0, 1, 2)
    press(Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert (page.frame, pair.shown()) == (3, (1, 2, 3))
    press(Qt.Key.Key_Right)
    assert page.frame == 3
    qtbot.keyPress(page.list.view, Qt.Key.Key_Space)
    assert pair.blinking
    qtbot.keyRelease(page.list.view, Qt.Key.Key_Space)
    assert not pair.blinking
    box = pair.columns()[0]
    at = QPointF(box.left() + box.width() * 0.75, box.center().y())
    wheel = QWheelEvent(
        at, QPointF(pair.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(pair, wheel)
    assert pair.zoom == pytest.approx(1.25)
    assert pair.middle.x() == pytest.approx(0.5 + 0.25 * (1 - 1 / 1.25))
    before = pair.middle.x()
    start = box.center()
    qtbot.mousePress(pair, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(pair, start + QPoint(30, 0))
    qtbot.mouseRelease(pair, Qt.MouseButton.LeftButton, pos=start + QPoint(30, 0))
    assert pair.middle.x() < before
    assert page.frame == 3
    qtbot.mouseClick(pair, Qt.MouseButton.LeftButton, pos=start)
    assert page.frame == 1
    press(Qt.Key.Key_Minus, Qt.Key.Key_Minus)
    assert (pair.zoom, pair.middle.x()) == (1.0, 0.5)


def test_one_key_decides_and_another_takes_it_back(
    qtbot: QtBot, window: MainWindow, page: DoublesView, press: Press
) -> None:
    """Nothing moves before it is carried out; decisions of many groups at once count as one."""
    first = page.list.group()
    press(Qt.Key.Key_Right, Qt.Key.Key_Return)
    assert page.decided.verdicts[first.key].keeper == first.files[1].path
    assert page.list.row == 1
    press(Qt.Key.Key_A)
    assert page.piles.made.text().startswith("Decided: 1 file to set aside, ")
    assert page.piles.made.text().endswith("all stay in 1 group.")
    assert page.list.model.fate(page.list.groups()[1]) == "all stay"
    press(Qt.Key.Key_Up)
    assert page.frame == 1
    press(Qt.Key.Key_Backspace)
    assert first.key not in page.decided.verdicts
    window.current.undo()
    window.current.undo()
    assert list(page.decided.verdicts) == [first.key]
    assert window.header.tabs["doubles"].text() == f"Doubles  {len(page._all) - 1}"
    window.current.undo()
    qtbot.mouseClick(page.piles.buttons[0], Qt.MouseButton.LeftButton)
    assert len(page.decided.verdicts) == 2
    window.current.undo()
    assert page.decided.verdicts == {}
    assert not page.piles.go.isVisible()


def test_a_mess_is_cleared_with_nothing_lost(
    qtbot: QtBot, window: MainWindow, page: DoublesView, press: Press, mess: Library
) -> None:
    """Set aside, looked at once more, some taken back, the rest to the trash; words went over to the keeper."""
    before = names_below(mess.root)
    qtbot.mouseClick(page.piles.buttons[0], Qt.MouseButton.LeftButton)
    page.list.choose_degree(Degree.PAYLOAD)
    qtbot.waitUntil(lambda: page.carry.text() != "", timeout=PATIENCE)
    press(Qt.Key.Key_Return)
    page.list.choose_degree(Degree.PICTURE)
    qtbot.waitUntil(lambda: page.list.group().key in page._facts, timeout=PATIENCE)
    press(Qt.Key.Key_Return)
    page.list.choose_degree(Degree.ALIKE)
    press(Qt.Key.Key_A)
    assert page.piles.go.text() == "Set 4 files aside"
    window.current.go()
    qtbot.waitUntil(lambda: len(page.tray.items) == 4 and not page._all, timeout=PATIENCE)
    qtbot.waitUntil(lambda: page.bar.words().startswith("4 files set aside."), timeout=PATIENCE)
    qtbot.waitUntil(lambda: page.headline.accessibleName().startswith("No doubles"), timeout=PATIENCE)
    kept = {name for name in before if not name.startswith("mess/")}
    assert names_below(mess.root) == kept | {"2026/05/0.xmp"}
    said = read(f"{mess.root}/2026/05/0.xmp").wording
    assert said is not None
    assert (said.keywords, said.rights) == (("bridge",), "Velmora Line Trust")
    qtbot.mouseClick(page.tray_link, Qt.MouseButton.LeftButton)
    assert page.main.text() == "Put 4 files into the trash"
    row = next(row for row, item in enumerate(page.tray.items) if item.was == "mess/small.jpg")
    page.tray.setCurrentIndex(page.tray.model().index(row, 0))
    assert page.both.text() == "Take 1 file back"
    qtbot.mouseClick(page.both, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(page.tray.items) == 3 and bool(page._all), timeout=PATIENCE)
    assert Path(mess.root, "mess/small.jpg").exists()
    qtbot.waitUntil(lambda: not page._working, timeout=PATIENCE)
    window.current.go()
    qtbot.waitUntil(lambda: page.tray.items == () and not page.on_tray, timeout=PATIENCE)
    qtbot.waitUntil(lambda: page.bar.words().startswith("3 files in the trash, "), timeout=PATIENCE)
    window.current.back()
    assert not page.on_tray


def test_a_keeper_that_vanished_is_told_on_the_page(
    qtbot: QtBot, window: MainWindow, page: DoublesView, mess: Library
) -> None:
    """The file that was to go stays, and the sentence says why."""
    qtbot.mouseClick(page.piles.buttons[0], Qt.MouseButton.LeftButton)
    Path(mess.root, "2026/05/0.jpg").unlink()
    window.current.go()
    qtbot.waitUntil(lambda: page.bar.words().startswith("1 file set aside."), timeout=PATIENCE)
    assert "which was to stay, is gone" in page.bar.words()
    assert Path(mess.root, "mess/0 (1).jpg").exists()


def test_looking_through_a_library_is_told_and_can_be_paused(
    qtbot: QtBot, window: MainWindow, library: Library
) -> None:
    """A library that was not looked at offers to go on; an empty one says that there is nothing."""
    put(library, "a.jpg", shot(0))
    window.begin(library.root, [])
    window.go_to("doubles")
    page = window.page("doubles").view
    qtbot.waitUntil(lambda: page.pause.text() == "Go on looking", timeout=PATIENCE)
    paused = "Looking through the library paused at"
    qtbot.waitUntil(lambda: page.headline.accessibleName().startswith(paused), timeout=PATIENCE)
    qtbot.mouseClick(page.pause, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.headline.accessibleName().startswith("No doubles"), timeout=PATIENCE)
    assert page.pause.isHidden()
    qtbot.waitUntil(lambda: page.bar.words() == "Nothing to decide here.", timeout=PATIENCE)


def test_a_decision_holds_for_the_files_that_were_seen_only(page: DoublesView, press: Press) -> None:
    """A group that has another file by then, or a changed one, is open again."""
    one, other = page.list.groups()
    press(Qt.Key.Key_Return, Qt.Key.Key_Return)
    assert len(page.decided.verdicts) == 2
    changed = replace(one, files=(one.files[0], one.files[1]._replace(mtime_ns=7)))
    page.show_doubles((changed, other), (), page._root)
    assert list(page.decided.verdicts) == [other.key]
    assert one.key not in page._facts


def test_looking_for_doubles_can_be_stopped_and_goes_on(
    qtbot: QtBot, window: MainWindow, page: DoublesView
) -> None:  # fmt: skip
    """With a word about it; when the page is opened again, they are looked for again."""
    qtbot.waitUntil(lambda: not page._working, timeout=PATIENCE)
    page.stopped.emit()
    assert page.bar.words().startswith("Stopped.")
    page._all = ()
    window.go_to("intake")
    window.go_to("doubles")
    qtbot.waitUntil(lambda: len(page._all) == 5, timeout=PATIENCE)


def test_the_board_is_narrowed_by_standing_and_shows_the_home_one_beside(
    qtbot: QtBot, window: MainWindow, library: Library, card: Path
) -> None:
    """Doubles are asked about with what they are the same as; up close both are shown."""
    put(library, "2026/a.jpg", shot(0))
    put_file(card / "same.jpg", shot(0))
    put_file(card / "words.jpg", worded(shot(0), ["bridge"], ""))
    put_file(card / "new.jpg", shot(4, WHEN + timedelta(minutes=5)))
    window.learns = True
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    page = intake(window)
    qtbot.waitUntil(lambda: any(one.about_doubles for one in page.board.questions), timeout=PATIENCE)
    assert standings_of(page.board) == {"new": 1, "home": 1, "retagged": 1}
    page.overlays.narrowed.emit("retagged")
    assert [view.name for day in page.when.days() for view in day.captures] == ["words.jpg"]
    assert page.titles.clear.text() == "only same picture, other notes · show all"
    window.current.back()
    (day,) = page.board.days
    page.open_day(day.key)
    words = next(view for view in day.captures if view.name == "words.jpg")
    page.grid.choose(words.id)
    page.look_close()
    look = page.close_look
    assert look.beside.isVisible()
    qtbot.waitUntil(lambda: look.beside.picture() is not None, timeout=PATIENCE)
    look.leave()
    page.open_settle()
    (question,) = [one for one in page.board.questions if one.about_doubles]
    card_ = page.settle.cards[question.key]
    assert [button.text() for button in card_.buttons] == ["Leave on the source", "Bring it, too"]
    assert not card_.other.isVisible()
    qtbot.mouseClick(card_.buttons[1], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not page.board.questions, timeout=PATIENCE)
    assert page.board.count() == 0


def test_what_keys_do_can_be_found(qtbot: QtBot, window: MainWindow, page: DoublesView) -> None:
    """Each key of the page but those that walk, and hold."""
    offers = {offer.keys: offer for offer in (*window.current.offers(""), *buttons_of(page))}
    assert {"Backspace", "Left", "Right", "+", "−", "A", "Enter"} <= set(offers)
    first = page.list.group()
    assert first is not None
    offers["Right"].do()
    assert page.frame == 1
    offers["Left"].do()
    assert page.frame == 0
    offers["A"].do()
    assert first.key in page.decided.verdicts
    page.list.step(-1)
    offers["Backspace"].do()
    assert first.key not in page.decided.verdicts


def test_how_many_there_are_is_told_before_the_page_is_opened(qtbot: QtBot, window: MainWindow, mess: Library) -> None:
    """They are counted while nothing else is to be done; what is decided later counts less."""
    window.learns = True
    window.begin(mess.root, [])
    tab = window.header.tabs["doubles"]
    qtbot.waitUntil(lambda: tab.text() == "Doubles  5", timeout=PATIENCE)
    assert window.current is window.page("intake")
    window.go_to("doubles")
    page = window.page("doubles").view
    qtbot.waitUntil(lambda: len(page._all) == 5 and bool(page._facts), timeout=PATIENCE)
    qtbot.keyClick(page.list.view, Qt.Key.Key_A)
    assert tab.text() == "Doubles  4"
