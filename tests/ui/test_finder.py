"""Ctrl+K: whatever a menu, a button or a key does can be found, done, and is told with its key."""

from __future__ import annotations

from collections.abc import Callable
from itertools import chain

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QMenu
from pytestqt.qtbot import QtBot
from shiboken6 import delete

from jutrek.desk.settings import last_uses
from jutrek.ui.app.finder import Finder
from jutrek.ui.app.registry import PAGES
from jutrek.ui.app.window import MainWindow
from jutrek.ui.shell.offers import Offer
from tests.ui.conftest import PATIENCE, intake

CONTROL = Qt.KeyboardModifier.ControlModifier


def opened(qtbot: QtBot, window: MainWindow, key: Qt.Key = Qt.Key.Key_K) -> Finder:
    """The finder, opened by its key."""
    window.activateWindow()
    qtbot.keyClick(window, key, CONTROL)
    (finder,) = window.findChildren(Finder)
    assert finder.isVisible()
    return finder


def taken(qtbot: QtBot, finder: Finder, typed: str) -> Offer:
    """Type something, and do the first that fits."""
    finder.field.setText(typed)
    qtbot.waitUntil(lambda: bool(finder.model.offers), timeout=PATIENCE)
    offer = finder.model.offers[0]
    with qtbot.waitSignal(finder.done, timeout=PATIENCE):
        qtbot.keyClick(finder.field, Qt.Key.Key_Return)
    assert not finder.isVisible()
    return offer


def test_things_of_the_board_are_found_and_gone_to(qtbot: QtBot, small: MainWindow) -> None:
    """A page, a day, a capture in it, a folder, a source; the focus is where it was, or where one went."""
    view, finder = intake(small), opened(qtbot, small)
    assert taken(qtbot, finder, "journal").keys == "Ctrl+6"
    assert small.current is small.page("journal")
    assert taken(qtbot, opened(qtbot, small), "2026-05-15").kind == "day"
    assert small.current is small.page("intake")
    assert view.when.open_key == "2026-05-15"
    offer = taken(qtbot, opened(qtbot, small), "e.wav")
    assert (offer.kind, offer.words) == ("capture", "E.WAV")
    assert view.capture.endswith("/E.WAV")
    folder = view.board.folders[-1].path
    assert taken(qtbot, opened(qtbot, small), folder).kind == "folder"
    assert view.narrowed
    assert taken(qtbot, opened(qtbot, small), "show everything").keys == "Esc"
    assert not view.narrowed
    source = next(iter(view.from_column.tiles.values()))
    taken(qtbot, opened(qtbot, small), source.title.lower())
    assert small.focusWidget() is source


def entries(open_menu: Callable[[], object]) -> list[str]:
    """What can be chosen in a menu that something opens."""
    seen: list[str] = []

    def look() -> None:
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        seen.extend(action.text() for action in menu.actions() if action.isEnabled() and action.text())
        menu.close()

    QTimer.singleShot(30, look)
    open_menu()
    QTest.qWait(60)
    return seen


def test_what_menus_and_buttons_do_is_found_with_its_key(qtbot: QtBot, small: MainWindow) -> None:
    """Every entry of every menu that can be chosen, and every button that can be pressed."""
    view = intake(small)
    view.open_day("2026-05-14")
    (tile,) = view.from_column.tiles.values()
    row = next(row for row in view.rows() if row.view.key == "2026-05-14")
    asked = QContextMenuEvent(QContextMenuEvent.Reason.Keyboard, QPoint(9, 9), QPoint(9, 9))
    menus: tuple[Callable[[], object], ...] = (
        lambda: qtbot.keyClick(tile, Qt.Key.Key_Menu),
        lambda: qtbot.keyClick(view.copies, Qt.Key.Key_Menu),
        lambda: row.contextMenuEvent(asked),
        view.when.opened.buttons["select"].click,
        view.titles.standings.click,
    )
    seen = [entries(menu) for menu in menus]
    assert all(seen)
    view.grid.selectAll()
    finder = opened(qtbot, small)
    offers = {offer.words: offer for offer in finder._offers("")}
    for words in chain(*seen):
        bare = words.rstrip("…").lstrip("0123456789, ")
        assert any(bare in offer for offer in offers), words
    for button in (view.action_bar.main, view.action_bar.save, view.when.opened.buttons["aside"]):
        assert button.text() in offers
    assert offers[view.action_bar.main.text()].keys == "Ctrl+Enter"
    assert offers["Say what it was…"].keys == "F2"
    assert {entry.title for entry in PAGES} <= set(offers)


def test_rules_and_runs_are_found_before_their_pages_were_opened(qtbot: QtBot, small: MainWindow) -> None:
    """They are made behind the line that is typed into."""
    intake(small).action_bar.main.click()
    qtbot.waitUntil(lambda: not small.runs.running, timeout=PATIENCE)
    finder = opened(qtbot, small)
    qtbot.waitUntil(lambda: len(dict(small.pages())) == len(PAGES), timeout=PATIENCE)
    finder.field.setText("intake files")
    qtbot.waitUntil(lambda: any(offer.kind == "run" for offer in finder.model.offers), timeout=PATIENCE)
    offer = taken(qtbot, finder, "read every file twice")
    assert offer.kind == "rule"
    assert small.current is small.page("rules")
    assert getattr(QApplication.focusWidget(), "text", str)() == offer.words


def test_arrows_walk_escape_ends_and_use_is_remembered(qtbot: QtBot, small: MainWindow) -> None:
    """The focus goes back to where it was; what was done comes first the next time, and at the next start."""
    view = intake(small)
    view.outcome.setFocus()
    finder = opened(qtbot, small)
    qtbot.keyClick(finder.field, Qt.Key.Key_Up)
    assert finder.list.currentIndex().row() == len(finder.model.offers) - 1
    qtbot.keyClick(finder.field, Qt.Key.Key_Down)
    assert finder.list.currentIndex().row() == 0
    assert finder.field.accessibleDescription().startswith(finder.model.offers[0].words)
    for _ in range(3):
        qtbot.keyClick(finder.field, Qt.Key.Key_Down)
    chosen = finder.model.offers[3].words
    finder.uses = {finder.model.offers[5].key: 9.0}
    finder.search_again()
    assert finder.model.offers[finder.list.currentIndex().row()].words == chosen != finder.model.offers[3].words
    finder.uses = {}
    qtbot.keyClick(finder.field, Qt.Key.Key_Escape)
    assert not finder.isVisible()
    assert small.focusWidget() is view.outcome
    gone = QLineEdit(view)
    gone.show()
    gone.setFocus()
    finder = opened(qtbot, small)
    delete(gone)
    finder.leave()
    taken(qtbot, opened(qtbot, small), "larger pictures")
    assert opened(qtbot, small).model.offers[0].words == "Larger pictures"
    qtbot.waitUntil(lambda: last_uses() == {"do:Larger pictures": 1.0}, timeout=PATIENCE)
    finder.field.setText("nothing is called so")
    assert not finder.model.offers
    assert finder.field.accessibleDescription() == "Nothing here fits that."
    qtbot.keyClick(finder.field, Qt.Key.Key_Return)
    assert finder.isVisible()


def test_what_is_no_longer_there_is_not_done(qtbot: QtBot, small: MainWindow) -> None:
    """A button that says something else by now, a card that was pulled: while somebody looks for them, both happen."""
    view = intake(small)
    finder = opened(qtbot, small)
    offers = {offer.words: offer for offer in finder._offers("")}
    (tile,) = view.from_column.tiles.values()
    (leave,) = [offer for words, offer in offers.items() if words.startswith("Leave it out of this intake")]
    bring = offers[view.action_bar.main.text()]
    view.action_bar.main.setText("Nothing to bring")
    bring.do()
    assert not small.runs.running
    small.page("intake").remove_source(tile.view.source.root)
    qtbot.waitUntil(lambda: not view.from_column.tiles, timeout=PATIENCE)
    leave.do()
    offers["Save the plan…"].do()


def test_a_page_is_narrowed_from_the_keyboard(qtbot: QtBot, small: MainWindow) -> None:
    """Ctrl+F offers what the page can be narrowed to, and nothing else."""
    finder = opened(qtbot, small, Qt.Key.Key_F)
    assert {offer.kind for offer in finder.model.offers} == {"only", "folder"}
    taken(qtbot, finder, "at home")
    view = intake(small)
    assert [capture.name for day in view.when.days() for capture in day.captures] == ["C.JPG"]
