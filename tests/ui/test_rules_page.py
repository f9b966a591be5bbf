"""The House rules page: composed by mouse and by keyboard, tried at once, kept, and laid over what is home."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from jutrek.desk.examples import example_facts
from jutrek.desk.inboxes import inboxes
from jutrek.desk.records import records_of
from jutrek.filing import Cleared, HouseRules, OnArrival, Undated
from jutrek.filing.pattern import Piece
from jutrek.filing.rulebook import FILE, load_rules, rules_text
from jutrek.library import Library
from jutrek.transfer.journal import Kind
from jutrek.transfer.saying import Words
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.rules.chips import MIME, PieceMenu, StockChip, forms_of
from jutrek.ui.pages.rules.inboxes import InboxesSection
from jutrek.ui.pages.rules.pathedit import PathEditor
from jutrek.ui.pages.rules.saying import SayDialog
from jutrek.ui.pages.rules.view import RulesView
from tests.making import names_below
from tests.ui.conftest import PATIENCE, intake

KEYS = Qt.Key


@pytest.fixture
def page(qtbot: QtBot, small: MainWindow) -> RulesView:
    """The page, opened by its shortcut on an intake of five captures."""
    small.activateWindow()
    qtbot.waitUntil(small.isActiveWindow)
    QTest.keyClick(small, KEYS.Key_5, Qt.KeyboardModifier.ControlModifier)
    page = small.page("rules").view
    qtbot.waitUntil(lambda: bool(page.trial and page.trial.tally and page.trial.facts), timeout=PATIENCE)
    return page


def tried(qtbot: QtBot, page: RulesView, wanted: Callable[[set[str]], bool]) -> None:
    """Wait until the rules that are shown have been tried, and where captures go is as wanted."""

    def is_so() -> bool:
        trial = page.trial
        if trial is None or trial.tally is None or trial.rules != page.rules:
            return False
        return wanted({f"{row.folder}/{row.name}" for row in map(trial.row, range(len(trial.rows)))})

    qtbot.waitUntil(is_so, timeout=PATIENCE)


def type_into(widget: QWidget, *keys: Qt.Key | str | tuple[Qt.Key, Qt.KeyboardModifier]) -> None:
    for key in keys:
        if isinstance(key, str):
            QTest.keyClicks(widget, key)
        elif isinstance(key, tuple):
            QTest.keyClick(widget, *key)
        else:
            QTest.keyClick(widget, key)


def menu_of(qtbot: QtBot) -> PieceMenu:
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), PieceMenu), timeout=PATIENCE)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, PieceMenu)
    return menu


def text(page: RulesView) -> str:
    return page.composer.field.text()


def test_a_layout_is_composed_by_keyboard_alone(
    qtbot: QtBot, small: MainWindow, page: RulesView, library: Library
) -> None:
    """From the list to the path by Tab, typed, moved, made optional, kept by a shortcut; the intake follows."""
    assert small.focusWidget() is page.menu.list
    for _ in range(40):
        if small.focusWidget() is page.composer.path:
            break
        QTest.keyClick(small.focusWidget(), KEYS.Key_Tab)
    path = page.composer.path
    assert small.focusWidget() is path
    type_into(path, KEYS.Key_Home, *[KEYS.Key_Delete] * 20)
    assert text(page) == ""
    chips = {chip.text(): chip for chip in page.composer.stock.stops() if isinstance(chip, StockChip)}
    for name in ("year", "month name"):
        chips[name].setFocus()
        type_into(chips[name], KEYS.Key_Space)
        assert small.focusWidget() is path
        type_into(path, "/")
    type_into(path, "by ")
    chips["camera letter"].setFocus()
    type_into(chips["camera letter"], KEYS.Key_Space)
    assert text(page) == "{year}/{month:name}/by {letter}"
    type_into(path, KEYS.Key_Return)
    menu = menu_of(qtbot)
    next(action for action in menu.actions() if action.text() == "Only when there is one").trigger()
    menu.close()
    assert text(page) == "{year}/{month:name}/<by {letter}>"
    alt = Qt.KeyboardModifier.AltModifier
    type_into(path, KEYS.Key_Home, KEYS.Key_Right, (KEYS.Key_Right, alt), KEYS.Key_Backspace, KEYS.Key_Left)
    assert text(page) == "/{month:name}/<by {letter}>"
    undo = (KEYS.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert "a layout begins below the library" in page.bar.words()
    assert not page.keep.isEnabled()
    type_into(small, undo)
    assert text(page) == "{year}/{month:name}/<by {letter}>"
    assert page.keep.isEnabled()
    tried(qtbot, page, lambda paths: "2026/May/by A/20260514_102613.jpg" in paths)
    assert page.bar.words().startswith("Changed, not kept yet.")
    assert load_rules(library).rules == HouseRules()
    # The offscreen platform does not give the window its focus back when a menu has closed.
    small.activateWindow()
    qtbot.waitUntil(small.isActiveWindow)
    type_into(small, (KEYS.Key_S, Qt.KeyboardModifier.ControlModifier))
    qtbot.waitUntil(lambda: page.bar.words().startswith("Kept."), timeout=PATIENCE)
    assert load_rules(library).rules.layout == "{year}/{month:name}/<by {letter}>"
    board = lambda: {view.folder for day in intake(small).board.days for view in day.captures}  # noqa: E731
    qtbot.waitUntil(lambda: "2026/May/by A" in board(), timeout=PATIENCE)
    type_into(small, (KEYS.Key_1, Qt.KeyboardModifier.ControlModifier))
    assert small.current is small.page("intake")


def centre(path: PathEditor, number: int) -> QPoint:
    return path.box(number).center()


def drag(path: PathEditor, start: QPoint, end: QPoint) -> None:
    QTest.mousePress(path, Qt.MouseButton.LeftButton, pos=start)
    for share in (0.2, 0.6, 1.0):
        QTest.mouseMove(path, start + (end - start) * share)
    path.repaint()
    QTest.mouseRelease(path, Qt.MouseButton.LeftButton, pos=end)


def drop(path: PathEditor, piece: Piece, at: QPoint) -> None:
    """Drop a piece of the stock."""
    data = QMimeData()
    data.setData(MIME, f"{piece.name}:{piece.form}".encode())
    args = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    enter = QDragEnterEvent(at, *args)
    QApplication.sendEvent(path, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(path, QDragMoveEvent(at, *args))
    QApplication.sendEvent(path, QDropEvent(QPointF(at), *args))


def test_chips_are_dragged_in_about_and_out(qtbot: QtBot, page: RulesView) -> None:
    """And pressed, and their formats chosen from their menu."""
    path = page.composer.path
    page.composer.take("{year}/{month}")
    drop(path, Piece("month", "name"), path.box(2).topRight() + QPoint(20, 10))
    assert text(page) == "{year}/{month}{month:name}"
    drag(path, centre(path, 3), path.box(0).topLeft() + QPoint(1, 15))
    assert text(page) == "{month:name}{year}/{month}"
    drag(path, centre(path, 0), centre(path, 0) + QPoint(0, 300))
    assert text(page) == "{year}/{month}"
    QTest.mouseClick(path, Qt.MouseButton.LeftButton, pos=centre(path, 2))
    assert (path.caret, path.current()) == (3, 2)
    QTest.mouseDClick(path, Qt.MouseButton.LeftButton, pos=centre(path, 2))
    menu = menu_of(qtbot)
    assert [action.text() for action in menu.actions()][:3] == ["as usual\t05", "name\tMay", "short\tMay"]
    next(action for action in menu.actions() if action.text().startswith("name")).trigger()
    menu.close()
    assert text(page) == "{year}/{month:name}"
    chip = next(one for one in page.composer.stock.stops() if one.text() == "kind")  # type: ignore[attr-defined]
    QTest.mouseClick(chip, Qt.MouseButton.LeftButton)
    assert text(page) == "{year}/{month:name}{kind}"
    tried(qtbot, page, lambda paths: "2026/MaySound/20260514_122613.wav" in paths)
    assert "kind" in path.accessibleName()


def test_text_that_is_no_pattern_is_pointed_at_and_loses_nothing(qtbot: QtBot, page: RulesView) -> None:
    """The chips stay as they were, nothing can be kept, and mending it goes on; a slash is refused in a name."""
    field = page.composer.field
    field.setFocus()
    field.selectAll()
    type_into(field, "{year}/{mnoth}")
    assert page.composer.trouble.text() == "At character 9: there is no piece “mnoth”. Did you mean “month”?"
    assert page.bar.words().startswith("This can't be kept yet.")
    assert (page.keep.isEnabled(), page.composer.path.isEnabled()) == (False, False)
    assert page.rules.layout != field.text()
    page.grab()
    field.selectAll()
    type_into(field, "{year}/{month}")
    assert not page.composer.trouble.isVisible()
    assert page.rules.layout == "{year}/{month}"
    assert page.keep.isEnabled()
    page.put_back.click()
    assert (text(page), page.changed) == (HouseRules().layout, False)
    page.menu.list.setFocus()
    type_into(page.menu.list, KEYS.Key_Down)
    assert page.title.words == "What it is called"
    path = page.composer.path
    path.setFocus()
    type_into(path, "/")
    assert "folders belong to" in page.composer.trouble.text()
    type_into(path, "-x")
    assert page.rules.name == f"{HouseRules().name}-x"


def test_some_captures_have_a_scheme_of_their_own(qtbot: QtBot, page: RulesView) -> None:
    """Added, its conditions set, tied to everything's name until it has its own, and taken out again."""
    add = next(one for one in page.composer.tabs.findChildren(QPushButton) if one.text() == "For some only…")
    add.click()
    assert [scheme.kinds for scheme in page.rules.schemes] == [("sound",)]
    tried(qtbot, page, lambda paths: any(path.startswith("Sound/2026") for path in paths))
    conditions = page.composer.conditions
    conditions.kinds["sound"].click()
    conditions.kinds["still"].click()
    type_into(conditions.device, "A")
    assert (page.rules.schemes[0].kinds, page.rules.schemes[0].device) == (("still",), "A")
    page.open_section(1)
    page.composer.take("{time}")
    assert page.rules.schemes[0].name == "{time}"
    page.composer.take(page.rules.name)
    assert page.rules.schemes[0].name == ""
    conditions.out.click()
    assert page.rules.schemes == ()


def test_a_starting_point_is_taken_and_only_what_stands_out_is_shown(qtbot: QtBot, page: RulesView) -> None:
    """The tree follows; rows can be narrowed to those that ask for a look."""
    page.menu.starts.setCurrentRow(3)
    type_into(page.menu.starts, KEYS.Key_Return)
    assert text(page) == "{week-year}/W{week}"
    tried(qtbot, page, lambda paths: any(path.startswith("2026/W20") for path in paths))
    qtbot.waitUntil(lambda: page.tree.topLevelItem(0).child(0).text(0) == "W20", timeout=PATIENCE)
    every = page.table.rows.rowCount()
    page.tried_title.only.click()
    assert 0 < page.table.rows.rowCount() < every
    index = page.table.rows.index(page.table.rows.rowCount() - 1, 0)
    assert "no date" in str(index.data(Qt.ItemDataRole.AccessibleTextRole))
    assert "fit" in page.tried_title.words()


def test_the_other_sections_change_their_rules(qtbot: QtBot, page: RulesView) -> None:
    """Days, trust, doubles, copies, words and devices; what cannot be read is said and not taken."""
    days, trust, doubles, copies, words = (page.forms.open(number) for number in range(2, 7))
    page.open_section(2)
    days.starts.selectAll()  # type: ignore[attr-defined]
    type_into(days.starts, "05:30")  # type: ignore[attr-defined]
    assert page.rules.day_starts == 330
    type_into(days.gap, "x")  # type: ignore[attr-defined]
    assert "Hours are written" in page.bar.words()
    assert not page.keep.isEnabled()
    page.open_section(3)
    trust.list.setCurrentRow(7)  # type: ignore[attr-defined]
    trust.up.click()  # type: ignore[attr-defined]
    trust.undated.click()  # type: ignore[attr-defined]
    assert (page.rules.trust[6], page.rules.undated) == ("file", Undated.UNFILED)
    page.open_section(4)
    doubles.beside.click()  # type: ignore[attr-defined]
    page.open_section(5)
    copies.extensions.setCurrentIndex(1)  # type: ignore[attr-defined]
    copies.twice.click()  # type: ignore[attr-defined]
    copies.lists.click()  # type: ignore[attr-defined]
    assert (page.rules.twice, page.rules.second_sum, page.rules.hash_lists) == (True, False, False)
    copies.language.setText("xx_yy")  # type: ignore[attr-defined]
    copies.take()
    assert "No language" in page.bar.words()
    page.open_section(6)
    type_into(words.words, "rail, bridge,rail")  # type: ignore[attr-defined]
    words.originals.click()  # type: ignore[attr-defined]
    assert (page.rules.saying.words, page.rules.originals, page.rules.beside) == (("rail", "bridge"), True, False)
    page.open_section(7)
    assert page.forms.currentWidget().isVisible()


def test_what_is_home_is_re_filed_and_taken_back(
    qtbot: QtBot, small: MainWindow, page: RulesView, library: Library
) -> None:
    """Planned on the page, moved, told, and taken back by a button; Escape leaves the plan."""
    small.go_to("intake")
    small.runs.bring_home()
    qtbot.waitUntil(lambda: not small.runs.running and "proven" in intake(small).action_bar.words(), timeout=PATIENCE)
    before = names_below(library.root)
    small.go_to("rules")
    page.start_from(page_start("Kind, then date"))
    page.keep_or_refile()
    qtbot.waitUntil(lambda: page.plan_refiling.isEnabled() and not page.changed, timeout=PATIENCE)
    page.plan_refiling.click()
    qtbot.waitUntil(lambda: page.refiling.model.rowCount() == 3, timeout=PATIENCE)
    assert page.refiling.years.count() == 2
    assert page.keep.text() == "Move 3 files"
    type_into(small, KEYS.Key_Escape)
    assert not page.refiling_open
    page.plan_refiling.click()
    qtbot.waitUntil(lambda: page.refiling.model.rowCount() == 3 and page.keep.isEnabled(), timeout=PATIENCE)
    page.refiling.table.selectRow(0)
    assert page.keep.text() == "Move the 1 chosen"
    page.refiling.table.clearSelection()
    page.keep.click()
    qtbot.waitUntil(lambda: page.bar.words().startswith("3 files moved."), timeout=PATIENCE)
    assert any(name.startswith("Sound/2026/05/") for name in names_below(library.root))
    page.take_back.click()
    qtbot.waitUntil(lambda: page.keep.text() == "Move 3 files" and page.keep.isEnabled(), timeout=PATIENCE)
    assert "back to where" in page.refiling.words.text()
    page.keep.click()
    qtbot.waitUntil(lambda: "back where they were" in page.bar.words(), timeout=PATIENCE)
    assert names_below(library.root) == before


def test_what_captures_are_is_said_anew_by_a_selection(
    qtbot: QtBot, small: MainWindow, page: RulesView, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of one capture, as it is; the plan follows it, nothing else is touched, and the Journal takes it back."""
    small.go_to("intake")
    small.runs.bring_home()
    qtbot.waitUntil(lambda: not small.runs.running and "proven" in intake(small).action_bar.words(), timeout=PATIENCE)
    small.go_to("rules")
    page.plan_refiling.click()
    view, model = page.refiling, page.refiling.model
    qtbot.waitUntil(lambda: model.planned is not None and bool(model.planned.home), timeout=PATIENCE)
    assert not view.say.isEnabled()
    assert model.rowCount() == 0
    before = names_below(library.root)
    view.staying.click()
    last = len(before) - 2
    assert model.rowCount() == last + 1, "all but what was there before Jutrek"
    view.table.selectRow(last)
    assert not page.keep.isEnabled()
    asked: list[SayDialog] = []

    def answer(dialog: SayDialog) -> int:
        asked.append(dialog)
        assert not dialog.main.isEnabled()
        type_into(dialog.fields["shoot"], "the snow plough")
        type_into(dialog.fields["person"], "Runa")
        return SayDialog.DialogCode.Accepted

    monkeypatch.setattr(SayDialog, "exec", answer)
    chosen = model.capture(last)
    view.say.click()
    assert asked[0].words == Words(shoot="the snow plough", person="Runa")
    qtbot.waitUntil(lambda: page.bar.words().startswith("Said of 1 file."), timeout=PATIENCE)
    qtbot.waitUntil(lambda: model.planned is not None and bool(model.planned.home), timeout=PATIENCE)
    assert model.planned is not None
    (row,) = [row for row in model.planned.plan.rows if row.capture == chosen]
    assert "the snow plough" in (row.destination or "").split("/")[2]
    assert names_below(library.root) == before
    rows = [(model.capture(number), model.data(model.index(number, 0))) for number in range(model.rowCount())]
    assert all(Path(capture).stem == Path(str(shown).partition(" · ")[0]).stem for capture, shown in rows)
    (run,) = [one for one in records_of(library) if one.kind is Kind.SAY]
    assert run.can_take_back


def test_of_captures_that_differ_only_what_was_changed_is_said(qtbot: QtBot) -> None:
    """What differs stays as it is; what is the same of all is shown, and can be taken away."""
    ours = [
        one._replace(said={"job": "26-014"}, operator=name) for one, name in zip(example_facts(), "ab", strict=False)
    ]
    dialog = SayDialog(ours, ours)
    qtbot.addWidget(dialog)
    assert (dialog.words, dialog.main.isEnabled()) == (Words(), False)
    assert dialog.fields["person"].placeholderText() == "different: a, b"
    dialog.fields["job"].clear()
    assert dialog.words == Words(job="")
    dialog.fields["person"].setText("  c ")
    assert dialog.words == Words(job="", person="c")
    dialog.fields["person"].clear()
    assert dialog.words == Words(job="")


def page_start(words: str) -> object:
    from jutrek.filing.starting import STARTS

    return next(start for start in STARTS if start.words == words)


def test_rules_come_from_elsewhere_and_a_broken_file_is_said(
    qtbot: QtBot, small: MainWindow, page: RulesView, library: Library, tmp_path: Path
) -> None:
    """Another's rules are shown first, and can be put back; an intake says what it is for where rules ask."""
    theirs = tmp_path / "theirs.toml"
    theirs.write_text(rules_text(HouseRules(layout="{job}/{year}")))
    small.page("rules").read_rules(str(theirs))
    qtbot.waitUntil(lambda: text(page) == "{job}/{year}", timeout=PATIENCE)
    assert page.bar.words().startswith("These are the other rules.")
    page.keep_or_refile()
    qtbot.waitUntil(lambda: intake(small).board.asks == ("job",), timeout=PATIENCE)
    small.go_to("intake")
    about = intake(small).titles.about
    assert (about.isVisible(), about.text()) == (True, "say the job…")
    about.click()
    panel = intake(small).overlays.about
    assert panel is not None
    type_into(panel.fields[0], "26-014", KEYS.Key_Return)
    qtbot.waitUntil(lambda: about.text() == "job 26-014", timeout=PATIENCE)
    folders = {view.folder for day in intake(small).board.days for view in day.captures}
    assert "26-014/2026" in folders
    Path(library.own, FILE).write_text("[filing\n")
    small.page("intake").ask_intake(lambda intake: intake.open_library(library.root))
    qtbot.waitUntil(lambda: "rules file is broken" in intake(small).action_bar.words(), timeout=PATIENCE)
    small.go_to("rules")
    assert text(page) == "{job}/{year}"


def test_without_captures_rules_are_tried_on_made_up_ones(qtbot: QtBot, window: MainWindow) -> None:
    """And cannot be kept before there is a library."""
    qtbot.waitUntil(lambda: window.client.session is not None, timeout=PATIENCE)
    window.go_to("rules")
    page = window.page("rules").view
    tried(qtbot, page, lambda paths: any("Bridge survey" in path for path in paths))
    page.start_from(page_start("Year / month"))
    assert page.changed
    assert not page.keep.isEnabled()


def test_every_piece_has_its_formats_and_stock_chips_have_help() -> None:
    """As a menu offers them."""
    assert list(forms_of("counter")) == ["", "2", "3", "4", "5", "6"]
    assert "%d.%m.%y" in list(forms_of("date"))
    assert list(forms_of("year")) == [""]


def test_inboxes_are_ruled_and_watched(
    qtbot: QtBot, small: MainWindow, page: RulesView, library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    phone = tmp_path / "Phone"
    phone.mkdir()
    page.open_section(8)
    form = page.forms.open(8)
    assert isinstance(form, InboxesSection)
    form.arrivals.setCurrentIndex(2)
    form.cleared.setCurrentIndex(1)
    assert (page.rules.arrivals, page.rules.cleared) == (OnArrival.LEAVE, Cleared.TRASH)
    monkeypatch.setattr(small.page("rules"), "ask_folder", lambda title: str(phone))
    form.add.click()
    qtbot.waitUntil(lambda: list(form.rows) == [str(phone)], timeout=PATIENCE)
    assert [one.root for one in inboxes()[0]] == [str(phone)]
    form.rows[str(phone)].click()
    qtbot.waitUntil(lambda: not form.rows, timeout=PATIENCE)
    assert inboxes()[0] == []
