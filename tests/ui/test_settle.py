"""The board put right by touching it: lanes dragged, questions answered, shoots named, split and joined, taken back."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from jutrek.demo import Scenario
from jutrek.desk.board_captures import CaptureView, State
from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.days import DayRow
from jutrek.ui.pages.intake.dragging import CAPTURES
from jutrek.ui.pages.intake.settle.evidence import WaveChart
from jutrek.ui.pages.intake.view import IntakeView
from tests import making
from tests.making import WHEN, put
from tests.ui.conftest import PATIENCE, gone, intake, ready

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(qtbot: QtBot, window: MainWindow, demo: Scenario) -> IntakeView:
    """The demo on the board."""
    window.begin(demo.library, list(demo.sources))
    ready(qtbot, window, 5)
    return intake(window)


@pytest.fixture
def day(qtbot: QtBot, window: MainWindow, library: Library, card: Path) -> IntakeView:
    """A day of six pictures an hour apart, at 10:26 and so on, and one of the day after."""
    for number in range(6):
        put(card / f"P{number}.JPG", making.jpeg(WHEN + timedelta(hours=number), seed=number))
    put(card / "P9.JPG", making.jpeg(WHEN + timedelta(days=1), seed=9))
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    return intake(window)


def row_of(page: IntakeView, key: str) -> DayRow:
    return next(row for row in page.rows() if row.view.key == key)


def drag(qtbot: QtBot, widget: QWidget, start: QPoint, end: QPoint, held: Qt.KeyboardModifier | None = None) -> None:
    held = held or Qt.KeyboardModifier.NoModifier
    qtbot.mousePress(widget, LEFT, held, start)
    for step in range(1, 6):
        at = start + (end - start) * step / 5
        from PySide6.QtGui import QMouseEvent
        from PySide6.QtWidgets import QApplication

        move = QMouseEvent(QMouseEvent.Type.MouseMove, QPointF(at), QPointF(at), LEFT, LEFT, held)
        QApplication.sendEvent(widget, move)
    qtbot.mouseRelease(widget, LEFT, held, end)


def undone(qtbot: QtBot, window: MainWindow) -> None:
    """Ctrl+Z until nothing is left to take back."""
    before = intake(window).board.can_undo
    assert before
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not intake(window).board.can_undo, timeout=PATIENCE)


def times(page: IntakeView, letter: str) -> list[str]:
    views = [view for day in page.board.days for view in day.captures if view.device.letter == letter]
    return [f"{view.when:%d %H:%M}" for view in views if view.when]


def test_a_lane_is_dragged_and_its_clock_is_right(qtbot: QtBot, window: MainWindow, page: IntakeView) -> None:
    """A ghost goes along, dropping asks, and the plan's names follow; Ctrl+Z puts it back."""
    before = times(page, "B")
    row = row_of(page, "2026-05-14")
    lanes = row.lanes
    number = [sign for sign, *_ in lanes.lanes()].index("B")
    start = QPoint(100, lanes.top_of(number) + 3)
    by = round(3600 / lanes.seconds_per_pixel)
    drag(qtbot, lanes, start, start + QPoint(by, 0))
    assert row.ask is not None
    assert row.ask.accessibleName() == "Shift B · Hovar 4K by +01:00:00, in all of this intake?"
    qtbot.keyClick(row.ask.main, Qt.Key.Key_Escape)
    assert row.ask is None
    assert times(page, "B") == before
    drag(qtbot, lanes, start, start + QPoint(by, 0))
    assert row.ask is not None
    qtbot.mouseClick(row.ask.main, LEFT)
    qtbot.waitUntil(lambda: bool(page.board.can_undo), timeout=PATIENCE)
    assert times(page, "B") != before
    assert len(page.board.questions) == 3
    assert page.board.count(State.LOOK) == 14
    (bridge,) = (view for day in page.board.days for view in day.captures if view.name == "0004.MOV")
    assert bridge.new_name == "20260514_083207.mov"
    undone(qtbot, window)
    assert (times(page, "B"), len(page.board.questions)) == (before, 4)


def test_shift_drags_to_the_second(qtbot: QtBot, day: IntakeView) -> None:
    """Without it a drag snaps to whole quarter hours."""
    row = row_of(day, "2026-05-14")
    start = QPoint(60, row.lanes.top_of(0) + 3)
    heard: list[float] = []
    row.lanes.shifted.connect(lambda _, seconds: heard.append(seconds))
    for held in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier):
        drag(qtbot, row.lanes, start, start + QPoint(31, 0), held)
    assert heard[0] % 900 == 0
    assert heard[1] == round(31 * row.lanes.seconds_per_pixel)


def test_a_range_of_a_lane_is_selected(qtbot: QtBot, day: IntakeView) -> None:
    """Ctrl and a drag over a lane choose what lies within; the row opens."""
    row = row_of(day, "2026-05-14")
    y = row.lanes.top_of(0) + 3
    middle = 18 + round(2.5 * 3600 / row.lanes.seconds_per_pixel)
    drag(qtbot, row.lanes, QPoint(18, y), QPoint(middle, y), Qt.KeyboardModifier.ControlModifier)
    assert [Path(key).name for key in day.grid.picked()] == ["P0.JPG", "P1.JPG", "P2.JPG"]


def test_every_doubt_of_the_demo_is_settled(qtbot: QtBot, window: MainWindow, page: IntakeView) -> None:
    """The walk of the guide: six clicks, and nothing needs a look."""
    boxes = page.outcome._boxes()
    qtbot.mouseClick(page.outcome, LEFT, pos=boxes[-1].center())
    assert page.settling
    assert page.titles.accessibleName() == "Cards and folders, to settle, what that changes"
    assert window.header.tabs["intake"].text() == "Intake  33 to settle"
    cards = list(page.settle.cards.values())
    assert [card.question.certainty for card in cards] == ["certain", "likely", "likely", "only a day"]
    qtbot.waitUntil(lambda: "other names" in page.settle.effect.accessibleName(), timeout=PATIENCE)
    qtbot.mouseClick(cards[1], LEFT, pos=QPoint(8, 8))
    qtbot.waitUntil(lambda: "come home with it" in page.settle.effect.accessibleName(), timeout=PATIENCE)
    qtbot.mouseClick(page.action_bar.accept, LEFT)
    qtbot.waitUntil(lambda: len(page.board.questions) == 3, timeout=PATIENCE)
    for left in (2, 1, 0):
        qtbot.mouseClick(next(iter(page.settle.cards.values())).buttons[0], LEFT)
        qtbot.waitUntil(lambda left=left: len(page.board.questions) == left, timeout=PATIENCE)
    assert page.board.count(State.LOOK) == 0
    assert page.action_bar.main.text() == "Bring 200 home, not compared yet"
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not page.settling)
    assert len(page.rows()) == 6


def test_another_shift_is_typed(qtbot: QtBot, page: IntakeView) -> None:
    """What cannot be read is answered with a sentence, in place."""
    page.open_settle()
    card = next(iter(page.settle.cards.values()))
    qtbot.mouseClick(card.other, LEFT)
    assert card.ask is not None
    assert card.ask.field is not None
    qtbot.keyClicks(card.ask.field, "an hour")
    qtbot.keyClick(card.ask.field, Qt.Key.Key_Return)
    assert "A shift is written such as" in card.ask._words
    card.ask.field.setText("0:59:58")
    qtbot.keyClick(card.ask.field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(page.board.can_undo), timeout=PATIENCE)
    assert len(page.board.questions) == 3


def test_two_pictures_of_one_moment_tell_the_shift(qtbot: QtBot, page: IntakeView) -> None:
    """Side by side; a true time that is typed counts more. The proposal is where it opens."""
    page.open_settle()
    qtbot.mouseClick(next(iter(page.settle.cards.values())).match, LEFT)
    match = page.overlays.match
    assert match is not None
    assert match.isVisible()
    assert match.wrong.view is not None
    assert match.wrong.view.device.letter == "B"
    assert match.right.view is not None
    assert match.right.view.device.letter != "B"
    assert match.accept.text().startswith(("Shift by +00:59", "Shift by +01:00"))
    match.true_time.setText("half past nine")
    assert not match.accept.isEnabled()
    assert match.wrong.view.when is not None
    match.true_time.setText(f"{match.wrong.view.when + timedelta(hours=1):%Y-%m-%d %H:%M:%S}")
    assert match.accept.text() == "Shift by +01:00:00"
    qtbot.mouseClick(match.accept, LEFT)
    qtbot.waitUntil(lambda: len(page.board.questions) == 3, timeout=PATIENCE)
    page.overlays.match_pictures(page.board, page.board.questions[0].key)
    assert [view.when.year for view in match.wrong._views if view.when] == [2000] * 6
    qtbot.keyClick(match, Qt.Key.Key_Escape)
    assert not match.isVisible()


def test_a_shoot_is_described_in_place(qtbot: QtBot, window: MainWindow, day: IntakeView) -> None:
    """F2 or a click on its name; the words go into folder and names, and Ctrl+Z takes them out again."""
    row = row_of(day, "2026-05-14")
    row.setFocus()
    qtbot.keyClick(row, Qt.Key.Key_F2)
    assert row._edit is not None
    qtbot.keyClicks(row._edit, "Bridge: survey")
    qtbot.keyClick(row._edit, Qt.Key.Key_Return)
    assert row.view.words == "Bridge: survey"
    qtbot.waitUntil(lambda: bool(page_words(day)), timeout=PATIENCE)
    assert row.accessibleName().startswith("Thursday 14 May 2026, Bridge: survey, 6 captures")
    first = row.view.captures[0]
    assert first.destination == "2026/05/14 Bridge_ survey/20260514_102613 Bridge_ survey.jpg"
    qtbot.mouseClick(row, LEFT, pos=row._title_box().center() - QPoint(row._title_box().width() // 2 - 10, 0))
    assert row._edit is not None
    qtbot.keyClick(row._edit, Qt.Key.Key_Escape)
    undone(qtbot, window)
    assert (row.view.words, page_words(day)) == ("", "")


def page_words(page: IntakeView) -> str:
    """What the first shoot is called on the board itself."""
    return page.board.days[0].words


def pick(page: IntakeView, *names: str) -> None:
    views = [view for day in page.board.days for view in day.captures if view.name in names]
    page.grid.pick([view.id for view in views])
    page.grid.selected.emit()


def press(qtbot: QtBot, page: IntakeView, key: str) -> QPushButton:
    button = page.when.opened.buttons[key]
    assert button.isVisible()
    qtbot.mouseClick(button, LEFT)
    return button


def answer(qtbot: QtBot, page: IntakeView, text: str) -> None:
    ask = page.when.opened.ask
    assert ask is not None
    assert ask.field is not None
    ask.field.setText(text)
    qtbot.keyClick(ask.field, Qt.Key.Key_Return)


def test_a_shoot_is_split_and_joined(qtbot: QtBot, window: MainWindow, day: IntakeView) -> None:
    """At the chosen capture; the second one can be joined with the first again, and all of it taken back."""
    day.open_day("2026-05-14")
    pick(day, "P3.JPG")
    press(qtbot, day, "split")
    qtbot.waitUntil(lambda: [row.view.key for row in day.rows()][:2] == ["2026-05-14", "2026-05-14/2"])
    assert [len(row.view.captures) for row in day.rows()] == [3, 3, 1]
    row_of(day, "2026-05-14/2").joined.emit()
    qtbot.waitUntil(lambda: len(day.rows()) == 2, timeout=PATIENCE)
    window.current.undo()
    qtbot.waitUntil(lambda: len(day.rows()) == 3, timeout=PATIENCE)
    window.current.undo()
    qtbot.waitUntil(lambda: len(day.rows()) == 2, timeout=PATIENCE)
    window.current.redo()
    qtbot.waitUntil(lambda: len(day.rows()) == 3, timeout=PATIENCE)


def drop(row: DayRow, views: list[CaptureView]) -> None:
    mime = QMimeData()
    mime.setData(CAPTURES, "\0".join(view.id for view in views).encode())
    row.dropEvent(QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, mime, LEFT, Qt.KeyboardModifier.NoModifier))


def test_captures_are_dropped_on_a_shoot(qtbot: QtBot, small: MainWindow) -> None:
    """One with a date goes with the shoot; one without gets its day. Their own dates stay."""
    page = intake(small)
    drop(row_of(page, "2026-05-14"), [*page.board.days[1].captures, *page.board.days[-1].captures])
    qtbot.waitUntil(lambda: len(page.rows()) == 1, timeout=PATIENCE)
    placed = {view.name: view for view in page.board.days[0].captures}
    assert placed["B.JPG"].new_name == "20260515_102613.jpg"
    assert placed["D.JPG"].destination == "2026/05/20260514.jpg"
    assert page.grid.model().mimeTypes() == [CAPTURES]


def test_a_selection_is_shifted_dated_named_and_set_aside(qtbot: QtBot, day: IntakeView) -> None:
    """The bar above the pictures does with all of them what is typed once; nonsense is answered in place."""
    day.open_day("2026-05-14")
    pick(day, "P0.JPG", "P1.JPG")
    press(qtbot, day, "shift")
    answer(qtbot, day, "soon")
    assert day.when.opened.ask is not None
    answer(qtbot, day, "+0:10:00")
    qtbot.waitUntil(lambda: times(day, "A")[:2] == ["14 10:36", "14 11:36"], timeout=PATIENCE)
    pick(day, "P2.JPG")
    press(qtbot, day, "place")
    answer(qtbot, day, "2026-05")
    qtbot.waitUntil(lambda: day.board.can_undo == "the date given by hand", timeout=PATIENCE)
    placed = next(view for one in day.board.days for view in one.captures if view.name == "P2.JPG")
    assert placed.destination == "2026/05/202605.jpg"
    day.open_day("2026-05-14")
    pick(day, "P0.JPG", "P1.JPG")
    press(qtbot, day, "tell")
    answer(qtbot, day, "Portraits")
    qtbot.waitUntil(lambda: day.board.days[1].words == "Portraits", timeout=PATIENCE)
    assert [len(one.captures) for one in day.board.days[1:3]] == [2, 3]
    day.open_day(day.board.days[2].key)
    pick(day, "P3.JPG", "P4.JPG")
    press(qtbot, day, "carried")
    answer(qtbot, day, "Ilvar")
    qtbot.waitUntil(lambda: day.board.can_undo == "the operator", timeout=PATIENCE)
    assert [view.operator for one in day.board.days for view in one.captures].count("Ilvar") == 2
    pick(day, "P3.JPG", "P4.JPG")
    press(qtbot, day, "worded")
    answer(qtbot, day, "depot, snow")
    qtbot.waitUntil(lambda: day.board.can_undo == "the keywords", timeout=PATIENCE)
    assert [view.keywords for one in day.board.days for view in one.captures].count(("depot", "snow")) == 2
    pick(day, "P3.JPG", "P4.JPG")
    press(qtbot, day, "aside")
    qtbot.waitUntil(lambda: day.board.count(State.ASIDE) == 2, timeout=PATIENCE)
    assert "2 set aside" in day.outcome.accessibleName()
    day.open_day("")
    pick(day, "P3.JPG")
    assert press(qtbot, day, "aside").text() == "Take in again"
    qtbot.waitUntil(lambda: day.board.count(State.ASIDE) == 1, timeout=PATIENCE)


def test_delete_sets_aside(qtbot: QtBot, day: IntakeView) -> None:
    """Delete leaves the chosen captures out; nothing on the card is touched."""
    day.open_day("2026-05-14")
    pick(day, "P1.JPG")
    qtbot.keyClick(day.grid, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: day.board.count(State.ASIDE) == 1, timeout=PATIENCE)


def test_days_and_zones_are_changed_in_place(qtbot: QtBot, day: IntakeView) -> None:
    """A gap of half an hour parts every picture; what cannot be read is said."""
    qtbot.mouseClick(day.titles.days, LEFT)
    panel = day.overlays.days
    assert panel is not None
    assert [field.text() for field in panel.fields] == ["04:00", "6", "", ""]
    panel.fields[1].setText("0.5")
    panel.fields[3].setText("tomorrow +01:00")
    qtbot.mouseClick(panel.main, LEFT)
    assert panel.isVisible()
    assert "A day is written such as" in panel._trouble.text()
    panel.fields[3].setText("2026-05-12 +01:00")
    qtbot.mouseClick(panel.main, LEFT)
    qtbot.waitUntil(lambda: len(day.rows()) == 7, timeout=PATIENCE)
    assert day.titles.days.text() == "day starts 04:00 · new shoot after 0.5 h"
    assert day.board.journeys[0][1] == 60


def test_a_device_is_named_on_its_tile(qtbot: QtBot, window: MainWindow, day: IntakeView, library: Library) -> None:
    """F2 on a tile: its name and who carries it, kept in the library once something came home."""
    (tile,) = day.from_column.tiles.values()
    tile.setFocus()
    qtbot.keyClick(tile, Qt.Key.Key_F2)
    panel = day.overlays.device
    assert panel is not None
    assert not panel.part.isVisible()
    panel.fields[0].setText("Stills body")
    panel.fields[1].setText("Marta")
    qtbot.keyClick(panel.fields[1], Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: tile.accessibleName().startswith("A · Stills body, Marta"), timeout=PATIENCE)
    window.page("intake").go()
    qtbot.waitUntil(lambda: not window.runs.running, timeout=PATIENCE)
    assert "Marta" in (Path(library.own) / "devices.toml").read_text()


def test_bursts_lie_in_a_stack(qtbot: QtBot, page: IntakeView) -> None:
    """A click on the count, or Enter, opens it; Enter closes it again; a stack is selected as a whole."""
    page.open_day("2026-05-12/2")
    model = page.grid.model()
    assert (len(page.grid._model.all), model.rowCount()) == (7, 3)
    head = page.grid._model.views[2]
    page.grid.choose(head.id)
    assert len(page.grid.picked()) == 5
    qtbot.keyClick(page.grid, Qt.Key.Key_Return)
    assert model.rowCount() == 7
    qtbot.keyClick(page.grid, Qt.Key.Key_Return)
    box = page.grid.visualRect(model.index(2, 0))
    qtbot.mouseClick(page.grid.viewport(), LEFT, pos=box.topLeft() + QPoint(30, 12))
    assert model.rowCount() == 7


def test_years_open_into_months_and_shoots(qtbot: QtBot, window: MainWindow, library: Library, card: Path) -> None:
    """More days than can be seen are put together, and open in place; a shoot can be named to be opened."""
    for number in range(70):
        put(card / f"{number}.JPG", making.jpeg(WHEN - timedelta(days=31 * number), seed=number))
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    page = intake(window)
    rows = page.rows()
    assert {len(row.view.key) for row in rows} == {4}
    qtbot.mouseClick(rows[-1], LEFT, pos=QPoint(60, 20))
    month = page.rows()[len(rows)]
    assert (len(month.view.key), month._level) == (7, 1)
    assert month.accessibleName().startswith("January 2026, 1 capture")
    qtbot.mouseClick(month, LEFT, pos=QPoint(60, 20))
    qtbot.waitUntil(lambda: page.rows()[len(rows) + 1]._level == 2)
    page.open_day("2026-05-14")
    assert page.when.opened.parentWidget() is row_of(page, "2026-05-14")


def test_an_intake_in_work_is_taken_up_again(
    qtbot: QtBot, window: MainWindow, day: IntakeView, library: Library
) -> None:
    """Sources and decisions of a closed window are there again, and can be taken back."""
    day.when.decided.emit([_describe(day)])
    qtbot.waitUntil(lambda: bool(day.board.can_undo), timeout=PATIENCE)
    window.close()
    again = MainWindow()
    again.begin(library.root, [])
    again.show()
    ready(qtbot, again, 1)
    qtbot.waitUntil(lambda: intake(again).rows()[0].view.words == "Bridge", timeout=PATIENCE)
    assert "Taken up where you left off" in intake(again).action_bar.accessibleName()
    again.current.undo()
    qtbot.waitUntil(lambda: intake(again).rows()[0].view.words == "", timeout=PATIENCE)
    gone(again)


def _describe(page: IntakeView) -> object:
    from jutrek.captures.decisions import Describe

    start = page.board.days[0].start
    assert start is not None
    return Describe(start, None, "Bridge")


def test_what_two_devices_heard_is_shown_with_the_question(qtbot: QtBot, window: MainWindow, demo: Scenario) -> None:
    """While it listens the head says so; then two waves take the place of the lanes."""
    window.learns = True
    said: list[str] = []
    meanwhile = intake(window).show_meanwhile
    intake(window).show_meanwhile = lambda *told: (said.append(told[0]), meanwhile(*told))  # type: ignore[assignment]
    window.begin(demo.library, demo.sources[3:])
    page = intake(window)
    # Several minutes of sound are decoded meanwhile.
    qtbot.waitUntil(lambda: any(one.waves is not None for one in page.board.questions), timeout=5 * PATIENCE)
    assert "listening to recordings" in said
    assert page._meanwhile == "" or "comparing" in page._meanwhile
    page.open_settle()
    charts = [chart for card in page.settle.cards.values() for chart in card.findChildren(WaveChart)]
    (chart,) = charts
    words = chart.accessibleName()
    assert words.startswith("Sound of LAPEL-0")
    assert " over that of VELMORA-T0" in words
    assert not chart.grab().isNull()
