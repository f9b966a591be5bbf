"""The real window, driven as people drive it, on Qt's offscreen platform."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QAccessible, QColor, QDropEvent
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from jutrek.demo import Scenario
from jutrek.desk.board_captures import State
from jutrek.library import Library
from jutrek.transfer import carry
from jutrek.transfer.lock import locked
from jutrek.ui import paint
from jutrek.ui.app.start import picture_of_window
from jutrek.ui.app.window import MainWindow
from jutrek.ui.theme import DARK, LIGHT, Theme
from tests import making
from tests.making import WHEN, names_below, put
from tests.ui.conftest import PATIENCE, intake, ready


def bring(qtbot: QtBot, window: MainWindow) -> None:
    """Press the main button and wait for the end."""
    qtbot.mouseClick(intake(window).action_bar.main, Qt.MouseButton.LeftButton)
    assert window.runs.running
    # A whole intake, each file synced: on a busy disk that takes its time.
    qtbot.waitUntil(lambda: not window.runs.running, timeout=3 * PATIENCE)


def words(window: MainWindow) -> str:
    """What the action bar says."""
    return intake(window).action_bar.accessibleName()


def test_the_demo_goes_through_in_the_window(qtbot: QtBot, window: MainWindow, demo: Scenario) -> None:
    """From five sources to all home, with what became of every row; a second time there is nothing to bring."""
    window.begin(demo.library, list(demo.sources))
    ready(qtbot, window, 5)
    page = intake(window)
    assert page.action_bar.main.text() == "Bring 167 home, not compared yet"
    assert page.outcome.accessibleName() == "Outcome: 167 to bring home, 14 at home, 33 need a look"
    rows = page.rows()
    assert rows[2].accessibleName() == (
        "Thursday 14 May 2026, 69 captures · 7 devices · 07:32 – 15:27, 57 new, 4 home, 8 to settle"
    )
    assert rows[-1].accessibleName().startswith("9 captures without a date to trust")
    qtbot.mouseClick(rows[2], Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    assert page.grid.isVisible()
    qtbot.keyClick(page.grid, Qt.Key.Key_Right)
    qtbot.keyClick(page.grid, Qt.Key.Key_Right)
    view = page.board.find(page.capture)
    assert view is not None
    assert view.new_name in page.grid.strip.accessibleName()
    qtbot.waitUntil(window.pictures.idle, timeout=PATIENCE)
    bring(qtbot, window)
    plan = page.board.plan
    assert plan is not None
    assert "282 files brought home and proven" in words(window)
    assert page.board.count(State.BROUGHT) == 167
    assert not page.action_bar.main.isEnabled()
    assert {row.destination for row in plan.rows if row.destination} <= names_below(demo.library)
    tiles = [tile.accessibleName() for tile in page.from_column.tiles.values()]
    assert tiles[0] == "A · Arlen M2, Card A · card, 120 stills · 33.0 MB, safe to clear"
    assert tiles[4].endswith("14 need a look, 3 open questions")


def test_the_board_narrows_by_outcome_and_by_folder(qtbot: QtBot, small: MainWindow) -> None:
    """A click on a share or a folder narrows, another widens; Escape shows all."""
    page = intake(small)
    boxes = page.outcome._boxes()
    qtbot.mouseClick(page.outcome, Qt.MouseButton.LeftButton, pos=boxes[1].center())
    assert [(row.view.key, len(row.view.captures)) for row in page.rows()] == [("2026-05-14", 1)]
    assert page.titles.clear.text() == "only at home · show all"
    qtbot.mouseClick(page.outcome, Qt.MouseButton.LeftButton, pos=boxes[1].center())
    assert len(page.rows()) == 3
    page.outcome.setFocus()
    qtbot.keyClick(page.outcome, Qt.Key.Key_Left)
    qtbot.keyClick(page.outcome, Qt.Key.Key_Return)
    assert [(row.view.key, len(row.view.captures)) for row in page.rows()] == [("2026-05-14", 2), ("2026-05-15", 1)]
    small.activateWindow()
    qtbot.keyClick(small, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: len(page.rows()) == 3)
    page.tree.itemActivated.emit(page.tree.topLevelItem(0).child(0), 0)
    assert [len(row.view.captures) for row in page.rows()] == [2, 1]
    qtbot.mouseClick(page.titles.clear, Qt.MouseButton.LeftButton)
    assert len(page.rows()) == 3


def test_days_and_captures_are_walked_by_keyboard(qtbot: QtBot, small: MainWindow) -> None:
    """Enter opens a day, arrows walk its captures, Escape closes it and gives the focus back."""
    page = intake(small)
    row = page.rows()[0]
    row.setFocus()
    qtbot.keyClick(row, Qt.Key.Key_Return)
    assert page.grid.hasFocus()
    qtbot.keyClick(page.grid, Qt.Key.Key_Home)
    qtbot.keyClick(page.grid, Qt.Key.Key_Right)
    model = page.grid.model()
    said = [model.data(model.index(number, 0), Qt.ItemDataRole.AccessibleTextRole) for number in range(3)]
    assert said == [
        "A.JPG, 10:26:13, device A, to bring home, as 20260514_102613.jpg",
        "C.JPG, 10:26:13, device A, home already, as x.jpg",
        "E.WAV, 12:26:13, device C, to bring home, as 20260514_122613.wav",
    ]
    assert page.capture.endswith("C.JPG")
    qtbot.keyClick(page.grid, Qt.Key.Key_Escape)
    assert not page.grid.isVisible()
    assert row.hasFocus()


def test_days_below_the_fold_follow_in_a_moment(qtbot: QtBot, window: MainWindow, library: Library, card: Path) -> None:
    """A board of many days is shown at once as far as it can be seen, and in full soon after."""
    for number in range(28):
        put(card / f"{number}.JPG", making.jpeg(WHEN.replace(day=1 + number), seed=number))
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    qtbot.waitUntil(
        lambda: [row.view.key for row in intake(window).rows()] == [d.key for d in intake(window).board.days]
    )
    assert len(intake(window).rows()) == 28
    intake(window).open_day("2026-05-28")
    assert intake(window).when.opened.parentWidget() is intake(window).rows()[-1]


def test_many_devices_share_the_last_lane(qtbot: QtBot, window: MainWindow, library: Library, tmp_path: Path) -> None:
    """Six lanes at most; none of the devices is left out of the picture."""
    cards = [tmp_path / f"Card {letter}" for letter in "ABCDEFG"]
    for number, card in enumerate(cards):
        put(card / "DCIM" / "X.JPG", making.jpeg(seed=number, model=f"M{number}"))
    window.begin(library.root, [str(card) for card in cards])
    ready(qtbot, window, 7)
    lanes = intake(window).rows()[0].lanes.lanes()
    assert [(sign, len(devices)) for sign, _, devices in lanes] == [
        ("A", 1),
        ("B", 1),
        ("C", 1),
        ("D", 1),
        ("E", 1),
        ("+2", 2),
    ]


def test_ribbons_follow_the_rows(qtbot: QtBot, small: MainWindow) -> None:
    """Whatever moves a row, the ribbons are painted anew where it is."""
    page = intake(small)
    painted: list[list[float]] = []
    page.from_gutter._ribbons = lambda: painted.append(sorted(r.right for r in page._ends.from_sources())) or ()
    first, second = page.rows()[:2]
    first.hide()
    shift = page.when_area.mapTo(page, QPoint()).y() - page.from_gutter.mapTo(page, QPoint()).y()

    def heights() -> list[float]:
        return sorted(row.y() + row.anchor + shift for row in page.rows())

    qtbot.waitUntil(lambda: second.y() == first.y(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: bool(painted) and painted[-1] == heights(), timeout=2000)


def test_walking_goes_on_while_boards_come(qtbot: QtBot, small: MainWindow, tmp_path: Path) -> None:
    """A new source keeps the open day open, its focus where it was, and the chosen capture chosen."""
    page = intake(small)
    page.open_day("2026-05-15")
    qtbot.keyClick(page.grid, Qt.Key.Key_Home)
    chosen = page.capture
    assert chosen.endswith("B.JPG")
    put(tmp_path / "more" / "0.JPG", making.jpeg(WHEN.replace(day=15, hour=9), seed=7))
    put(tmp_path / "more" / "1.JPG", making.jpeg(WHEN.replace(day=13), seed=8))
    small.page("intake").add_source(str(tmp_path / "more"))
    ready(qtbot, small, 2)
    assert page.grid.hasFocus()
    assert page.grid.currentIndex().row() == 1
    assert page.capture == chosen
    assert page.rows()[2].view.key == "2026-05-15"
    assert page.when.opened.parentWidget() is page.rows()[2]


def test_undated_captures_can_be_taken_to_unfiled(qtbot: QtBot, small: MainWindow, library: Library) -> None:
    """Their row opens the question, and one of its answers takes them along."""
    page = intake(small)
    qtbot.mouseClick(page.rows()[-1].settle, Qt.MouseButton.LeftButton)
    (card,) = page.settle.cards.values()
    button = next(button for button in card.buttons if button.text() == "Leave unfiled")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.board.count(State.BRING) == 4, timeout=PATIENCE)
    bring(qtbot, small)
    assert "Unfiled/D.jpg" in names_below(library.root)


def test_focus_goes_from_when_to_lands(qtbot: QtBot, small: MainWindow) -> None:
    """Tab walks outcome, sources, days, folders, actions; every stop can be seen."""
    small.activateWindow()
    intake(small).outcome.setFocus()
    seen: list[str] = []
    for _ in range(12):
        focused = QApplication.focusWidget()
        assert isinstance(focused, QWidget)
        seen.append(type(focused).__name__)
        qtbot.keyClick(focused, Qt.Key.Key_Tab)
    assert seen[:4] == ["OutcomeBar", "SourceTile", "DropTile", "DayRow"]
    assert seen.index("DayRow") < seen.index("FolderTree") < seen.index("QPushButton", seen.index("FolderTree"))
    # What an open row holds comes behind the row, and what is asked in it before its pictures.
    view = intake(small)
    view.open_day(view.board.days[0].key)
    view.grid.selectAll()
    view.when.opened.buttons["place"].click()
    seen = []
    for _ in range(6):
        focused = QApplication.focusWidget()
        seen.append(type(focused).__name__)
        qtbot.keyClick(focused, Qt.Key.Key_Tab)
    assert seen == ["QLineEdit", "QPushButton", "QPushButton", "CaptureGrid", "QPushButton", "DayRow"]


def test_trouble_stays_until_something_else_is_done(
    qtbot: QtBot, small: MainWindow, library: Library, tmp_path: Path, card: Path
) -> None:
    """A sentence is not swept away by the next board; without a plan there is nothing to bring."""
    small.page("intake").add_source(str(tmp_path / "none"))
    qtbot.waitUntil(lambda: "could not be read" in words(small), timeout=PATIENCE)
    qtbot.wait(150)
    assert "could not be read" in words(small)
    small.page("intake").remove_source(str(card))
    qtbot.waitUntil(lambda: not intake(small).board.sources, timeout=PATIENCE)
    assert words(small).startswith("Ready.")
    assert not intake(small).action_bar.main.isEnabled()


def test_a_second_window_has_the_library_once_the_first_has_left_it(
    qtbot: QtBot, window: MainWindow, library: Library
) -> None:
    """It says why it has none until then, and nothing of that afterwards."""
    with locked(library):
        window.begin(library.root, [])
        qtbot.waitUntil(lambda: "Another Jutrek is at work" in intake(window).action_bar.words(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    assert "Another Jutrek" not in intake(window).action_bar.words()


def test_without_a_library_nothing_can_be_brought(qtbot: QtBot, window: MainWindow, card: Path) -> None:
    """The board shows what is on the card, and asks for a library."""
    put(card / "A.JPG", making.jpeg())
    window.begin("", [str(card)])
    qtbot.waitUntil(lambda: intake(window).board.captures == 1, timeout=PATIENCE)
    qtbot.waitUntil(lambda: "No library yet" in words(window), timeout=PATIENCE)
    assert not intake(window).action_bar.main.isEnabled()
    window.page("intake").go()
    assert not window.runs.running


def test_screen_readers_hear_what_is_drawn(small: MainWindow) -> None:
    """Rows and the drop tile are buttons with names, the grid is a list, the tree a tree."""
    page = intake(small)
    page.open_day("2026-05-14")
    widgets = (page.rows()[0], page.from_column.drop, page.grid, page.tree, page.action_bar.main)
    seen = [QAccessible.queryAccessibleInterface(widget) for widget in widgets]
    assert [(told.role().name, told.text(QAccessible.Text.Name)) for told in seen] == [
        ("Button", "Thursday 14 May 2026, 3 captures · 2 devices · 10:26 – 12:26, 2 new, 1 home"),
        ("Button", "Add a card or folder"),
        ("List", "Captures of this day"),
        ("Tree", "Folders of the library"),
        ("Button", "Bring 3 home, not compared yet"),
    ]


def test_folders_are_dropped_into_the_window(qtbot: QtBot, small: MainWindow, tmp_path: Path) -> None:
    """A dropped folder becomes a source; a dropped file says that it is none; Delete takes a source out."""
    inbox = put(tmp_path / "Phone inbox" / "P.JPG", making.jpeg(seed=8, model="P4")).parent
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(inbox)), QUrl.fromLocalFile(str(inbox / "P.JPG"))])
    small.dropEvent(
        QDropEvent(
            QPointF(5, 5), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )
    ready(qtbot, small, 2)
    tile = intake(small).from_column.tiles[str(inbox)]
    qtbot.waitUntil(lambda: tile.accessibleName().startswith("P · Arlen P4, Phone inbox"), timeout=PATIENCE)
    qtbot.keyClick(tile, Qt.Key.Key_Delete)
    ready(qtbot, small, 1)


def test_a_run_can_be_stopped_and_closing_asks(
    qtbot: QtBot, small: MainWindow, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Stop ends it safely and says so; the window does not close over a run without asking."""
    began = []

    def hold(self: carry.Carrier, *_: object) -> None:
        began.append(True)
        while True:
            self._watch.look()
            time.sleep(0.02)

    monkeypatch.setattr(carry.Carrier, "_copy", hold)
    intake(small).action_bar.main.click()
    qtbot.waitUntil(lambda: bool(began), timeout=PATIENCE)
    assert not small.close()
    assert small.parting.words().startswith("Files are being brought home.")
    qtbot.keyClick(small.parting.finish, Qt.Key.Key_Return)
    assert small.parting.waits
    qtbot.keyClick(small.parting.stay, Qt.Key.Key_Escape)
    assert not (small.parting.waits or small.parting.isVisible())
    assert not small.close()
    qtbot.mouseClick(small.parting.stay, Qt.MouseButton.LeftButton)
    assert not small.parting.isVisible()
    qtbot.waitUntil(intake(small).action_bar.stop.isVisible)
    qtbot.mouseClick(intake(small).action_bar.stop, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not small.runs.running, timeout=PATIENCE)
    assert words(small).startswith("Stopped.")
    assert names_below(library.root) == {"x.jpg"}
    monkeypatch.undo()
    ready(qtbot, small, 1)
    bring(qtbot, small)
    assert len(names_below(library.root)) == 4


def test_a_file_that_fails_stands_in_its_row(qtbot: QtBot, small: MainWindow, card: Path) -> None:
    """The capture, the bar and the tile say what did not come home, in brick."""
    os.utime(card / "DCIM" / "A.JPG", (5, 5))
    bring(qtbot, small)
    page = intake(small)
    assert words(small).startswith("1 file did not come home.")
    assert "1 not home" in page.outcome.accessibleName()
    page.open_day("2026-05-14")
    page.grid.choose(str(card / "DCIM" / "A.JPG"))
    assert "changed since the plan" in page.grid.strip.accessibleName()
    assert "1 not home" in page.from_column.tiles[str(card)].accessibleName()


def test_a_menu_that_outlives_its_card_names_nothing(qtbot: QtBot, small: MainWindow, card: Path) -> None:
    """A card is pulled while its menu is open."""
    page = intake(small)
    small.page("intake").remove_source(str(card))
    qtbot.waitUntil(lambda: not page.from_column.tiles, timeout=PATIENCE)
    page.from_column.named.emit(str(card))
    assert page.overlays.device is None or not page.overlays.device.isVisible()


def test_an_empty_window_teaches(window: MainWindow) -> None:
    """Without library and sources it says what to do, and offers nothing that cannot be done."""
    assert "No library yet" in words(window)
    assert intake(window).headline.accessibleName().startswith("Nothing has come in yet")
    assert not intake(window).action_bar.main.isEnabled()
    assert not intake(window).action_bar.save.isEnabled()
    assert intake(window).welcome.isVisible()


def test_the_demo_can_be_had_from_an_empty_window(
    qtbot: QtBot, window: MainWindow, demo: Scenario, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One button makes the demo where the person's data lie, and opens it."""
    monkeypatch.setattr("platformdirs.user_data_dir", lambda _: os.path.dirname(demo.root))
    qtbot.waitUntil(lambda: window.client.session is not None)
    qtbot.mouseClick(intake(window).welcome.demo, Qt.MouseButton.LeftButton)
    ready(qtbot, window, 5)
    assert not intake(window).welcome.isVisible()


@pytest.mark.long
def test_painting_over_and_over_is_clean(qtbot: QtBot, small: MainWindow) -> None:
    """A bad pair of Qt and Python aborts within a few hundred paints; this one does not."""
    intake(small).open_day("2026-05-14")
    for _ in range(300):
        intake(small).repaint()
        intake(small).grid.viewport().repaint()
    assert small.grab().width() == small.width()


def test_a_picture_of_the_window_is_written(library: Library, card: Path, tmp_path: Path) -> None:
    """As where there is no screen."""
    put(card / "A.JPG", making.jpeg())
    picture_of_window([str(card)], library.root, str(tmp_path / "w.png"))
    assert (tmp_path / "w.png").stat().st_size > 10_000


def contrast(a: QColor, b: QColor) -> float:
    """WCAG 2.2: the ratio of relative luminances."""

    def luminance(colour: QColor) -> float:
        parts = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in colour.getRgbF()[:3]]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
def test_text_can_be_read(theme: Theme) -> None:
    """At least 4.5:1 for every text on every ground it stands on, in both variants."""
    pairs = [(theme.ink, theme.paper), (theme.ink, theme.card), (theme.soft, theme.paper), (theme.soft, theme.card),
             (theme.accent, theme.card), (theme.on_accent, theme.accent), (theme.amber, theme.amber_wash),
             (theme.soft, theme.amber_wash), (theme.on_accent, theme.amber), (theme.brick, theme.card),
             (theme.on_accent, theme.brick), (theme.ink, theme.track), *((theme.card, one) for one in theme.devices),
             *((one, theme.accent_wash) for one in (theme.ink, theme.soft, theme.accent, theme.amber, theme.brick)),
             *((one, theme.paper) for one in (theme.accent, theme.amber, theme.brick))]  # fmt: skip
    assert min(contrast(*pair) for pair in pairs) >= 4.5


@pytest.mark.parametrize(
    ("size", "said"),
    [(0, "0 B"), (999, "999 B"), (1500, "2 kB"), (2_340_000, "2.3 MB"), (164e6, "164 MB"), (31.8e9, "31.8 GB"),
     (1.21e12, "1.21 TB")],
)  # fmt: skip
def test_sizes_are_decimal_as_on_the_cards(size: float, said: str) -> None:
    """Units of 1000, few digits."""
    assert paint.size_words(size) == said


def test_lengths_and_waits_are_said_calmly() -> None:
    """Lengths as on a counter; what is left in round figures."""
    assert [paint.length_words(seconds) for seconds in (7.6, 75, 3723)] == ["0:08", "1:15", "1:02:03"]
    assert [paint.time_left_words(seconds) for seconds in (None, 4, 47, 350)] == [
        "Working out how long it takes.", "A few seconds left.", "About 50 seconds left.", "About 6 minutes left.",
    ]  # fmt: skip
