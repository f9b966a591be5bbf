"""Runs in the window: places, pausing, questions, pulled cards, releases, clearing; and the Journal page."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog
from pytestqt.qtbot import QtBot

from jutrek.desk import events
from jutrek.filing import Row
from jutrek.library import Library, Place, add_place
from jutrek.library.ledger import Ledger
from jutrek.sources import Drive
from jutrek.transfer import Listener, bring, carry
from jutrek.transfer.flight import Flight
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.intake.clearing import ClearDialog
from tests import making
from tests.making import WHEN, names_below, planned, put
from tests.ui.conftest import PATIENCE, intake, ready


@pytest.fixture(autouse=True)
def opened(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """Where a desktop's program for showing files writes down what it was given."""
    told, program = tmp_path / "shown", tmp_path / "bin" / "xdg-open"
    put(program, f'#!/bin/sh\necho "$1" > "{told}.new"; mv "{told}.new" "{told}"\n'.encode()).chmod(0o755)
    monkeypatch.setenv("PATH", str(program.parent), prepend=os.pathsep)
    return told


@pytest.fixture
def tarn(library: Library, tmp_path: Path) -> Place:
    """A second place."""
    (tmp_path / "Tarn").mkdir()
    return add_place(library, str(tmp_path / "Tarn"))


@pytest.fixture
def two(qtbot: QtBot, window: MainWindow, library: Library, card: Path, tarn: Place) -> MainWindow:
    """A window with a card of four captures, and two places; one picture is at home only in the library."""
    put(Path(library.root) / "x.jpg", making.jpeg(WHEN.replace(minute=3), seed=3))
    for number in range(4):
        put(card / "DCIM" / f"A{number}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    window.begin(library.root, [str(card)])
    ready(qtbot, window, 1)
    qtbot.waitUntil(lambda: len(intake(window).board.places) == 1, timeout=PATIENCE)
    return window


def words(window: MainWindow) -> str:
    return intake(window).action_bar.words()


def bring_home(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.mouseClick(intake(window).action_bar.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.runs.running, timeout=PATIENCE)


class Held:
    """Carriers that wait at every file until they are let go."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.go = threading.Event()
        self.begun: list[str] = []
        copy = carry.Carrier._copy

        def hold(carrier: carry.Carrier, flight: Flight) -> None:
            self.begun.append(flight.row.source)
            while not self.go.is_set():
                carrier._watch.look()
                time.sleep(0.01)
            copy(carrier, flight)

        monkeypatch.setattr(carry.Carrier, "_copy", hold)


def test_a_run_into_two_places_is_shown_proved_and_reported(
    qtbot: QtBot, two: MainWindow, library: Library, tarn: Place, monkeypatch: pytest.MonkeyPatch, opened: Path
) -> None:
    """While it runs: places, speed, what is done behind it; it pauses and goes on; then safe or not, and why."""
    page, held = intake(two), Held(monkeypatch)
    qtbot.mouseClick(page.action_bar.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(held.begun) and page.ticks.isVisible(), timeout=PATIENCE)
    assert page.after.isVisible()
    assert not page.tree.isVisible()
    assert page.copies.accessibleName().count("read back") == 2
    qtbot.mouseClick(page.action_bar.pause, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: words(two).startswith("Paused."), timeout=PATIENCE)
    qtbot.mouseClick(page.action_bar.pause, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not words(two).startswith("Paused."), timeout=PATIENCE)
    two.go_to("journal")
    journal = two.page("journal").view
    qtbot.waitUntil(lambda: len(journal.run.model.files) == 3, timeout=PATIENCE)
    assert {file.what for file in journal.run.model.files} == {"to come"}
    assert journal.bar.words().startswith("It is at work.")
    two.go_to("intake")
    held.go.set()
    qtbot.waitUntil(lambda: not two.runs.running, timeout=PATIENCE)
    assert "3 files brought home and proven." in words(two)
    assert names_below(tarn.root) == names_below(library.root) - {"x.jpg"}
    (tile,) = page.from_column.tiles.values()
    assert tile.accessibleName().endswith("not safe to clear")
    assert "Not safe to clear: Tarn lacks 1 of 4 files." in tile.toolTip()
    assert "is missing 1 file" in page.copies.accessibleName()
    page.copies.caught_up.emit(tarn.id)
    qtbot.waitUntil(lambda: words(two).startswith("1 file brought to Tarn."), timeout=PATIENCE)
    qtbot.mouseClick(tile.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: tile.accessibleName().endswith("safe to clear") and tile.button.text() == "Eject",
                    timeout=PATIENCE)  # fmt: skip
    assert words(two).startswith("Safe to clear: all 4 files are proven in library and Tarn.")
    two.page("intake").runs.open_report()
    qtbot.waitUntil(opened.exists, timeout=PATIENCE)
    assert Path(opened.read_text().strip()).read_bytes().startswith(b"<!doctype html>")
    Path(two.page("intake").runs.report).unlink()
    two.page("intake").runs.open_report()
    qtbot.waitUntil(lambda: "it is not there any more" in words(two), timeout=PATIENCE)


def test_a_full_place_is_asked_about_in_place(
    qtbot: QtBot, two: MainWindow, library: Library, tarn: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The run waits; going on without the place brings everything home all the same."""
    full = threading.Event()
    write = carry.Copy.write

    def no_room(copy: carry.Copy, *rest: object) -> None:
        if copy.target.root == tarn.root and not full.is_set():
            raise OSError(28, os.strerror(28))
        write(copy, *rest)  # type: ignore[arg-type]

    monkeypatch.setattr(carry.Copy, "write", no_room)
    page = intake(two)
    qtbot.mouseClick(page.action_bar.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.action_bar.asking, timeout=PATIENCE)
    assert words(two).startswith("Tarn is full.")
    assert [button.text() for button in page.action_bar.answers] == ["Room was made: go on", "Go on without Tarn"]
    qtbot.mouseClick(page.action_bar.answers[1], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not two.runs.running, timeout=PATIENCE)
    assert len(names_below(library.root)) == 4
    assert names_below(tarn.root) == set()
    assert "A backup dropped out." in words(two)


def stopped_run(library: Library, card: Path) -> None:
    """A run that was stopped after its first files, without an end: as after a kill."""
    stop = threading.Event()

    def step(name: str, row: Row) -> None:
        if name == "begin" and row.source.endswith("A20.JPG"):
            stop.set()

    with Ledger(library.ledger_path) as ledger:
        plan = planned(library, ledger, [card])
        outcome = bring(plan, library, ledger, stop=stop, listener=Listener(step=step))
    path = Path(library.own, "journal", f"{outcome.run}.jsonl")
    path.write_bytes(b"".join(path.read_bytes().splitlines(keepends=True)[:-1]))


@pytest.mark.parametrize("choice", ["Finish", "Take it back"])
def test_what_was_cut_off_is_finished_or_rolled_back(
    choice: str, qtbot: QtBot, window: MainWindow, library: Library, card: Path
) -> None:
    """The next start offers both."""
    for number in range(40):
        put(card / f"A{number:02}.JPG", making.jpeg(WHEN.replace(minute=number), seed=number))
    stopped_run(library, card)
    assert 0 < len(names_below(library.root)) < 40
    window.begin(library.root, [])
    bar = intake(window).action_bar
    qtbot.waitUntil(lambda: bar.asking, timeout=PATIENCE)
    assert words(window).startswith("The last run did not end.")
    button = next(one for one in bar.answers if one.text() == choice)
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    wanted = 40 if choice == "Finish" else 0
    qtbot.waitUntil(lambda: len(names_below(library.root)) == wanted, timeout=PATIENCE)
    qtbot.waitUntil(lambda: not window.runs.running, timeout=PATIENCE)


def test_a_card_is_cleared_only_after_a_last_look(
    qtbot: QtBot, two: MainWindow, card: Path, tarn: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The button names the act and the number; leaving it removes nothing."""
    intake(two).copies.caught_up.emit(tarn.id)
    qtbot.waitUntil(lambda: words(two).startswith("1 file brought"), timeout=PATIENCE)
    bring_home(qtbot, two)
    (tile,) = intake(two).from_column.tiles.values()
    qtbot.waitUntil(lambda: tile.button.text() == "Eject", timeout=PATIENCE)
    seen: list[str] = []

    def answer(code: QDialog.DialogCode) -> Callable[[ClearDialog], QDialog.DialogCode]:
        def show(dialog: ClearDialog) -> QDialog.DialogCode:
            seen.append(f"{dialog.main.text()} ({dialog.list.count()})")
            return code

        return show

    monkeypatch.setattr(ClearDialog, "exec", answer(QDialog.DialogCode.Rejected))
    tile.cleared.emit(str(card))
    assert seen == ["Clear 4 files from Card A (4)"]
    assert len(list(card.rglob("*.JPG"))) == 4
    monkeypatch.setattr(ClearDialog, "exec", answer(QDialog.DialogCode.Accepted))
    tile.cleared.emit(str(card))
    qtbot.waitUntil(lambda: words(two).startswith("4 files cleared from Card A."), timeout=PATIENCE)
    assert not list(card.rglob("*.JPG"))
    assert len(names_below(tarn.root)) == 4


def test_cards_that_appear_are_asked_about(qtbot: QtBot, window: MainWindow, library: Library, card: Path) -> None:
    """Not in a dialog; a yes reads it, and the question goes with the card."""
    put(card / "DCIM" / "A.JPG", making.jpeg())
    window.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    drive = Drive("/bus/a", "/bus/d", "/dev/sdb1", "CARD A", "", "exfat", 64 * 10**9, str(card))
    other = Drive("/bus/b", "/bus/e", "/dev/sdc1", "Stick", "", "vfat", 10**9, str(library.root))
    column = intake(window).from_column
    window.client.hub.tell(events.DrivesChanged(((drive, True), (other, False))))
    assert list(column.appeared) == ["/bus/a"]
    window.client.hub.tell(events.DrivesChanged(()))
    assert not column.appeared
    window.client.hub.tell(events.DrivesChanged(((drive, True),)))
    tile = column.appeared["/bus/a"]
    assert tile.accessibleName() == "CARD A appeared, 64.0 GB"
    qtbot.mouseClick(tile.button, Qt.MouseButton.LeftButton)
    ready(qtbot, window, 1)
    assert list(column.tiles) == [str(card)]


@pytest.fixture
def journal(qtbot: QtBot, two: MainWindow) -> Iterator[MainWindow]:
    """The Journal page after an intake."""
    bring_home(qtbot, two)
    two.go_to("journal")
    page = two.page("journal").view
    qtbot.waitUntil(lambda: bool(page.list.rows.records) and bool(page.places.cards), timeout=PATIENCE)
    yield two


def said(window: MainWindow) -> str:
    return window.page("journal").view.bar.words()


def choose(qtbot: QtBot, window: MainWindow, kind: str) -> None:
    page = window.page("journal").view
    records = page.list.rows.records
    number = next(number for number, record in enumerate(records) if record.kind == kind)
    page.list.setCurrentIndex(page.list.rows.index(number))
    qtbot.waitUntil(lambda: bool(page.run.model.files) or kind == "release", timeout=PATIENCE)


def test_the_journal_tells_and_takes_back(
    qtbot: QtBot, journal: MainWindow, library: Library, tarn: Place, opened: Path
) -> None:
    """An intake opens into its files; taken back it is gone from both places; done again it is back."""
    page = journal.page("journal").view
    choose(qtbot, journal, "intake")
    assert [one.what for one in page.run.model.files] == ["proven, with 1 backup"] * 3
    assert page.run.head.accessibleName().endswith("Proven in library: 3 files, Tarn: 3 files.")
    page.more.click()
    qtbot.waitUntil(opened.exists, timeout=PATIENCE)
    before = names_below(library.root)
    page.main.click()
    qtbot.waitUntil(lambda: said(journal).startswith("3 files put away."), timeout=PATIENCE)
    assert (names_below(library.root), names_below(tarn.root)) == ({"x.jpg"}, set())
    qtbot.waitUntil(lambda: page.list.rows.records[0].kind == "take back", timeout=PATIENCE)
    choose(qtbot, journal, "take back")
    assert page.main.text() == "Do again what was taken back"
    page.main.click()
    qtbot.waitUntil(lambda: names_below(library.root) == before, timeout=PATIENCE)
    qtbot.waitUntil(lambda: said(journal).startswith("3 files home again."), timeout=PATIENCE)


def test_a_single_move_is_taken_back(qtbot: QtBot, journal: MainWindow, library: Library) -> None:
    """Only the files that are selected."""
    page = journal.page("journal").view
    choose(qtbot, journal, "intake")
    page.run.table.selectRow(0)
    assert page.main.text() == "Take 1 file back"
    gone = page.run.model.files[0].path
    page.main.click()
    qtbot.waitUntil(lambda: gone not in names_below(library.root), timeout=PATIENCE)
    assert len(names_below(library.root)) == 3


def test_places_are_caught_up_checked_and_mended(
    qtbot: QtBot, journal: MainWindow, library: Library, tarn: Place
) -> None:
    """What is missing is brought, what rotted is found and mended, each with a button that says how much."""
    cards = journal.page("journal").view.places
    assert cards.cards[tarn.id].buttons["catch up"].text() == "Bring 1 file"
    cards.cards[tarn.id].buttons["catch up"].click()
    qtbot.waitUntil(lambda: "catch up" not in cards.cards[tarn.id].buttons, timeout=PATIENCE)
    name = sorted(names_below(tarn.root))[0]
    path = Path(tarn.root, name)
    good, stamp = path.read_bytes(), path.stat()
    path.write_bytes(good[:-1] + bytes([good[-1] ^ 1]))
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    cards.cards[tarn.id].buttons["check"].click()
    qtbot.waitUntil(lambda: "mend" in cards.cards[tarn.id].buttons, timeout=PATIENCE)
    assert "1 file rotted, unreadable or gone." in cards.cards[tarn.id].accessibleName()
    cards.cards[tarn.id].buttons["mend"].click()
    qtbot.waitUntil(lambda: "mend" not in cards.cards[tarn.id].buttons, timeout=PATIENCE)
    assert path.read_bytes() == good


def test_a_record_that_was_changed_is_marked(qtbot: QtBot, journal: MainWindow, library: Library) -> None:
    """In the headline, in the list, and in the run itself."""
    page = journal.page("journal").view
    path = min(Path(library.own, "journal").glob("*.jsonl"))
    path.write_bytes(path.read_bytes().replace(b'"row": 1', b'"row": 7', 1))
    journal.go_to("journal")
    qtbot.waitUntil(lambda: any(record.broken for record in page.list.rows.records), timeout=PATIENCE)
    choose(qtbot, journal, "intake")
    assert said(journal).startswith("This record was changed.")


def test_a_window_that_is_closed_over_a_run_closes_behind_it(
    qtbot: QtBot, two: MainWindow, tarn: Place, monkeypatch: pytest.MonkeyPatch
) -> None:
    """If that was the answer; it can stop at once, too."""
    held = Held(monkeypatch)
    qtbot.mouseClick(intake(two).action_bar.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(held.begun), timeout=PATIENCE)
    assert not two.close()
    qtbot.mouseClick(two.parting.finish, Qt.MouseButton.LeftButton)
    assert two.parting.words().startswith("The window closes when this is done.")
    assert two.isVisible()
    held.go.set()
    qtbot.waitUntil(lambda: not two.isVisible(), timeout=PATIENCE)
    assert len(names_below(tarn.root)) == 3


def test_a_window_stays_open_for_what_did_not_come_home(
    qtbot: QtBot, two: MainWindow, card: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It was to close behind the run; somebody wants to see this."""
    held = Held(monkeypatch)
    qtbot.mouseClick(intake(two).action_bar.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(held.begun), timeout=PATIENCE)
    two.close()
    two.parting.finish.click()
    os.utime(held.begun[0], (5, 5))
    held.go.set()
    qtbot.waitUntil(lambda: not two.runs.running, timeout=PATIENCE)
    assert two.isVisible()
    assert not two.parting.isVisible()
    two.runs.running = True
    two.close()
    two.parting.stop.click()
    assert not two.isVisible()
