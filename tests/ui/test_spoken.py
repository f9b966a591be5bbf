"""What is painted in one widget is there, part by part, for those who don't see it."""

from __future__ import annotations

import gc

import pytest
from PySide6.QtCore import QRect
from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QApplication, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from jutrek.ui.app.start import application
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.lanes import Lanes
from jutrek.ui.pages.intake.outcome import OutcomeBar
from jutrek.ui.pages.intake.titles import ColumnTitles
from jutrek.ui.pages.rules.pathedit import PathEditor
from jutrek.ui.widgets.spoken import Part, Spoken
from tests.ui.conftest import PATIENCE, intake


def children(widget: QWidget) -> list[QAccessibleInterface]:
    """The children of a widget, as a reader of the screen gets them."""
    found = QAccessible.queryAccessibleInterface(widget)
    return [found.child(number) for number in range(found.childCount())]


def names(widget: QWidget) -> list[str]:
    """Their names."""
    return [child.text(QAccessible.Text.Name) for child in children(widget)]


def test_parts_of_the_board_are_told_where_they_are(qtbot: QtBot, small: MainWindow) -> None:
    """Shares of the outcome, titles, lanes and the pieces of a pattern."""
    (bar,) = small.findChildren(OutcomeBar)
    assert names(bar) == ["3 to bring home", "1 at home", "1 need a look"]
    new, home = children(bar)[:2]
    assert home.rect().left() > new.rect().right()
    assert QAccessible.queryAccessibleInterface(bar).childAt(*new.rect().center().toTuple()) is new
    assert new.state().checkable
    assert not new.state().checked
    (titles,) = small.findChildren(ColumnTitles)
    heads = ["Cards and folders", "Days", "Goes to"]
    assert [name for name in names(titles) if name in heads] == heads
    view = intake(small)
    view.open_day(view.board.days[0].key)
    assert any("moment" in name for lanes in small.findChildren(Lanes) for name in names(lanes))
    small.go_to("rules")
    editors = small.findChildren(PathEditor)
    qtbot.waitUntil(lambda: "year: 2026" in {name for editor in editors for name in names(editor)}, timeout=PATIENCE)


class Painted(QWidget, Spoken):
    """Two parts behind a button."""

    parts = 2

    def spoken_parts(self) -> list[Part]:
        return [Part(f"a\u202eb{number}", QRect(number, 0, 1, 1), number == 1) for number in range(self.parts)]


@pytest.mark.parametrize("later", [False, True])
def test_a_widget_may_go_while_somebody_asks_for_its_parts(qtbot: QtBot, later: bool) -> None:
    """Qt keeps what it was given by a number of its own."""
    application()
    for _ in range(6):
        widget = Painted()
        QPushButton("first", widget)
        assert names(widget) == ["first", r"a\u202eb0", r"a\u202eb1"]
        found = children(widget)
        assert [child.state().checked for child in found[1:]] == [False, True]
        assert QAccessible.queryAccessibleInterface(widget).indexOfChild(found[2]) == 2
        numbers = [QAccessible.uniqueId(child) for child in found]
        widget.parts = 1
        assert len(children(widget)) == 2
        assert not found[2].isValid()
        if later:
            widget.deleteLater()
            QApplication.sendPostedEvents(None, 52)
        del widget, found
        gc.collect()
        assert [QAccessible.accessibleInterface(number) for number in numbers] == [None] * 3
