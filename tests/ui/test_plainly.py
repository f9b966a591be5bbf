"""The window among hostile names, and the ways out of what is not brought or gone."""

from __future__ import annotations

import ast
import os
from pathlib import Path
from urllib.parse import quote_from_bytes

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QLabel, QWidget
from pytestqt.qtbot import QtBot

import jutrek.ui
from jutrek.captures.decisions import SetAside
from jutrek.desk.board_captures import State
from jutrek.desk.events import PlaceState
from jutrek.library import LIBRARY, Library, Place, add_place
from jutrek.library.ledger import Ledger
from jutrek.library.unwanted import declared
from jutrek.transfer import bring
from jutrek.ui.app.registry import PAGES
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.page import IntakePage
from jutrek.ui.pages.intake.unbrought import UnbroughtDialog
from jutrek.ui.pages.journal.places import PlaceCard
from jutrek.ui.plainly import Label, name_first, plain, tip
from jutrek.ui.theme import current
from tests import making
from tests.making import WHEN, never, planned, put
from tests.transfer.test_release import certify
from tests.ui.conftest import PATIENCE, intake, ready

NO_KEYS = Qt.KeyboardModifier.NoModifier
HOSTILE = "<b>bold</b>\u202egpj.exe\x1b[31m"


def test_labels_and_tips_show_what_they_are_given(qtbot: QtBot) -> None:
    """No markup, no signs that turn text; line breaks stay."""
    label, widget = Label(HOSTILE), QWidget()
    for one in (label, widget):
        qtbot.addWidget(one)
    assert label.textFormat() is Qt.TextFormat.PlainText
    assert label.text() == r"<b>bold</b>\u202egpj.exe\x1b[31m"
    label.setText("a\u202eb\nc")
    assert label.text() == "a\\u202eb\nc"
    tip(widget, f"{HOSTILE}\nsecond")
    assert widget.toolTip() == r"&lt;b&gt;bold&lt;/b&gt;\u202egpj.exe\x1b[31m<br>second"
    tip(widget, "a & b")
    assert widget.toolTip() == "a & b"
    assert plain("Bridge") == "Bridge"


def test_no_label_of_the_window_takes_markup(qtbot: QtBot, small: MainWindow) -> None:
    """Also those that are made later."""
    for entry in PAGES:
        small.go_to(entry.key)
    labels = [one for one in small.findChildren(QLabel) if one.textFormat() is not Qt.TextFormat.PlainText]
    # Those that a form makes for its fields have words of our own.
    assert [one.text() for one in labels if one.buddy() is None] == []


def test_what_was_not_brought_is_listed_with_its_ways(
    qtbot: QtBot, library: Library, ledger: Ledger, card: Path
) -> None:
    """Ticked one by one; the buttons say what they do."""
    put(card / "A.JPG", making.jpeg())
    put(card / f"{HOSTILE}.bin".replace("/", ""), b"x")
    put(card / "lost+found" / "#1", b"rescued")
    put(card / "worn\udcff.bin", b"y")
    bring(planned(library, ledger, [card]), library, ledger, stop=never())
    dialog = UnbroughtDialog(current(), certify(card, library, ledger))
    qtbot.addWidget(dialog)
    assert dialog.list.count() == 3
    assert not dialog.ticked and not dialog.unwanted.isEnabled()
    dialog.all.click()
    assert dialog.unwanted.text() == "Declare 3 things unwanted"
    assert "worn\udcff.bin" in dialog.ticked
    assert all("\u202e" not in dialog.list.item(row).text() for row in range(3))
    dialog.list.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert dialog.unwanted.text() == "Declare 2 things unwanted"
    assert len(dialog.ticked) == 2
    dialog.bring.click()
    assert dialog.along


def test_a_card_becomes_safe_by_a_word_that_can_be_taken_back(
    qtbot: QtBot, window: MainWindow, library: Library, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The verdict names what is open; declared unwanted it is safe; taken back it is not."""
    put(card / "A.JPG", making.jpeg())
    put(card / "INDEX.BIN", b"x")
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    intake(window).action_bar.main.click()
    qtbot.waitUntil(lambda: not window.runs.running, timeout=PATIENCE)

    def released() -> str:
        view = intake(window).board.sources[0].released
        return view.words if view is not None else ""

    intake(window).from_column.proved.emit(str(card))
    qtbot.waitUntil(lambda: "1 thing was not brought" in released(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: intake(window).action_bar.answers[0].text() == "What was not brought…", timeout=PATIENCE)

    def ticked(dialog: UnbroughtDialog) -> int:
        dialog.all.click()
        return UnbroughtDialog.DialogCode.Accepted

    monkeypatch.setattr(UnbroughtDialog, "exec", ticked)
    intake(window).action_bar.answers[0].click()
    qtbot.waitUntil(lambda: released().startswith("Safe to clear"), timeout=PATIENCE)
    assert [one.path for one in declared(library)] == ["INDEX.BIN"]
    intake(window).action_bar.answers[0].click()
    qtbot.waitUntil(lambda: "1 thing was not brought" in released(), timeout=PATIENCE)
    assert declared(library) == []


def test_what_is_gone_can_be_missed_no_more(qtbot: QtBot, library: Library, tmp_path: Path) -> None:
    """The place's card offers it beside mending; what is partly copied is told."""
    (tmp_path / "Tarn").mkdir()
    tarn = add_place(library, str(tmp_path / "Tarn"))
    card = PlaceCard(current(), PlaceState(tarn, True, 3, "", bad=2))
    quiet = PlaceCard(current(), PlaceState(Place(LIBRARY, "home", library.root), True, 3, "", partly=5_000_000))
    for one in (card, quiet):
        qtbot.addWidget(one)
    with qtbot.waitSignal(card.wanted) as heard:
        card.buttons["let go"].click()
    assert heard.args == ["let go", tarn.id]
    assert "let go" not in quiet.buttons
    assert "5.0 MB of files that were partly copied." in quiet.accessibleName()


def test_a_name_that_is_no_text_is_a_name_like_any_other(
    qtbot: QtBot, window: MainWindow, library: Library, tmp_path: Path
) -> None:
    """Its card is dropped, its picture shown, it is chosen, set aside, brought home, proven; the card is left out."""
    card = os.fsencode(tmp_path) + b"/caf\xe9 card"
    os.makedirs(card + b"/DCIM")
    for name, seed in ((b"latin\xe9\xff.jpg", 1), (b"b.jpg", 2)):
        Path(os.fsdecode(card + b"/DCIM/" + name)).write_bytes(making.jpeg(WHEN.replace(minute=seed), seed=seed))
    root, odd = os.fsdecode(card), os.fsdecode(card + b"/DCIM/latin\xe9\xff.jpg")
    window.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    data = QMimeData()
    data.setData("text/uri-list", b"file://" + quote_from_bytes(card).encode() + b"\r\nhttp://velmora/x\r\n")
    window.dropEvent(QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NO_KEYS))
    ready(qtbot, window, 1)
    view = intake(window)
    view.open_day(view.board.days[0].key)
    chosen: list[str] = []
    view.grid.chosen.connect(chosen.append)
    for name in (f"{root}/DCIM/b.jpg", odd):
        view.grid.choose(name)
    assert chosen[-1] == odd
    qtbot.waitUntil(lambda: window.pictures.of(view.board.days[0].captures[0]) is not None, timeout=PATIENCE)
    page = window.page("intake")
    assert isinstance(page, IntakePage)
    page.decide([SetAside(frozenset({odd}))])
    qtbot.waitUntil(lambda: view.board.count(State.ASIDE) == 1, timeout=PATIENCE)
    window.page("intake").undo()
    qtbot.waitUntil(lambda: view.board.count(State.BRING) == 2 and view.action_bar.main.isEnabled(), timeout=PATIENCE)
    view.action_bar.main.click()
    qtbot.waitUntil(lambda: bool((known := view.board.sources[0].released) and known.safe), timeout=PATIENCE)
    view.from_column.tiles[root].removed.emit(root)
    qtbot.waitUntil(lambda: not view.board.sources, timeout=PATIENCE)


def test_no_signal_carries_text() -> None:
    """Qt's text drops bytes that are none: ids and paths go as they are."""
    kinds = [
        ast.unparse(node) for path in Path(jutrek.ui.__file__).parent.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Call) and ast.unparse(node.func) == "Signal"
    ]  # fmt: skip
    assert len(kinds) > 50
    assert [kind for kind in kinds if "str" in kind] == []


def test_a_name_stands_before_its_folder() -> None:
    """A row that is too narrow cuts the folder off, and never the date that a name begins with."""
    assert name_first("2026/05/20260514_080809 Bridge.jpg") == "20260514_080809 Bridge.jpg · 2026/05"
    assert name_first("a.jpg") == "a.jpg"
    assert "\n" not in name_first("x\n/a\n.jpg")
