"""The Jobs page: a sentence that is filled, what it makes, versions, outlines that are written; and a card that comes
into a job."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from PySide6.QtCore import QDate, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from jutrek.library import Library
from jutrek.ui.app.window import MainWindow
from jutrek.ui.pages.jobs.page import JobsPage
from jutrek.ui.pages.jobs.view import JobsView
from jutrek.ui.pages.library.page import LibraryPage
from tests.jobs.outlines import keep
from tests.making import WHEN, jpeg, put
from tests.ui.conftest import PATIENCE, intake, ready

NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


@pytest.fixture
def jobs(qtbot: QtBot, window: MainWindow, library: Library) -> JobsPage:
    """The page, with one outline."""
    keep(library)
    window.begin(library.root, [])
    qtbot.waitUntil(lambda: intake(window).board.place is not None, timeout=PATIENCE)
    page = window.go_to("jobs")
    assert isinstance(page, JobsPage)
    qtbot.waitUntil(page.view.sentence.isVisible, timeout=PATIENCE)
    return page


def fill(qtbot: QtBot, view: JobsView, **words: str) -> None:
    for field in view.sentence.fields:
        if field.name in words:
            field.clear()
            qtbot.keyClicks(field, words[field.name])


def start(qtbot: QtBot, jobs: JobsPage, number: str, title: str = "Boiler test") -> None:
    view = jobs.view
    fill(qtbot, view, client="VLT", title=title)
    qtbot.waitUntil(lambda: view.main.isEnabled() and number in view.main.text(), timeout=PATIENCE)
    qtbot.keyClick(view.sentence.fields[-1], Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: f"Job {number} is started." in view.bar.words(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: view.rows.job is not None and view.rows.job.placed.job.number == number, timeout=PATIENCE)


def test_started_by_a_sentence_and_taken_back(qtbot: QtBot, jobs: JobsPage, library: Library) -> None:
    view = jobs.view
    qtbot.waitUntil(lambda: "“client” has to be filled in" in view.sentence.accessibleDescription(), timeout=PATIENCE)
    assert not view.main.isEnabled()
    fill(qtbot, view, client="nobody", title="x")
    qtbot.waitUntil(lambda: "none of the choices" in view.sentence.accessibleDescription(), timeout=PATIENCE)
    assert view.sentence.fields[0].property("wrong")
    fill(qtbot, view, client="VLT", title="Boiler test")
    qtbot.waitUntil(
        lambda: "drone if wished" in " ".join(one.words for one in view.stairs.spoken_parts()), timeout=PATIENCE
    )
    drone = next(one for one in view.stairs.spoken_parts() if one.words.startswith("drone"))
    assert drone.pressed is False
    qtbot.mouseClick(view.stairs, Qt.MouseButton.LeftButton, pos=drone.box.center())
    qtbot.waitUntil(lambda: any(one.words.startswith("maps") for one in view.stairs.spoken_parts()), timeout=PATIENCE)
    start(qtbot, jobs, "0001")
    folder = Path(library.root, view.rows.jobs[0].placed.folder)
    assert (folder / "2 work/drone/maps").is_dir() and not (folder / "2 work/maps").exists()
    assert view.sentence.fields[0].text() == "" and jobs.figure == "1"
    jobs.undo()
    qtbot.waitUntil(lambda: not view.rows.jobs, timeout=PATIENCE)
    assert not folder.exists()


def test_the_number_can_be_chosen(qtbot: QtBot, jobs: JobsPage) -> None:
    start(qtbot, jobs, "0001")
    jobs.view.sentence.number.clear()
    qtbot.keyClicks(jobs.view.sentence.number, "0001")
    fill(qtbot, jobs.view, client="MUS", title="Other")
    qtbot.waitUntil(
        lambda: "0001 is the number you chose" in jobs.view.sentence.accessibleDescription(), timeout=PATIENCE
    )
    jobs.go()
    qtbot.waitUntil(lambda: "0001 is given already" in jobs.view.bar.words(), timeout=PATIENCE)
    assert jobs.view.sentence.fields[1].text() == "Other"


def test_a_folder_that_is_there_is_added_to_only_by_its_button(qtbot: QtBot, jobs: JobsPage, library: Library) -> None:
    theirs = put(Path(library.root, "jobs/2025/0001 VLT Yard/0001 notes.md"), b"theirs")
    jobs.view.sentence.day.setDate(QDate(2025, 3, 1))
    fill(qtbot, jobs.view, client="VLT", title="Yard")
    qtbot.waitUntil(lambda: jobs.view.main.text() == "Add what is missing", timeout=PATIENCE)
    assert "jobs/2025/0001 VLT Yard is there already" in jobs.view.sentence.accessibleDescription()
    qtbot.keyClick(jobs.view.sentence.fields[-1], Qt.Key.Key_Return)
    qtbot.wait(100)
    assert not jobs.view.rows.jobs and os.listdir(theirs.parent) == ["0001 notes.md"]
    qtbot.mouseClick(jobs.view.main, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "1 file was there already" in jobs.view.bar.words(), timeout=PATIENCE)
    assert theirs.read_bytes() == b"theirs" and (theirs.parent / "2 work").is_dir()


def test_versions(qtbot: QtBot, jobs: JobsPage, library: Library) -> None:
    start(qtbot, jobs, "0001")
    view = jobs.view
    work = Path(library.root, view.rows.jobs[0].placed.folder, "2 work")
    put(work / "0001_boiler-test_final.otio", b"vague")
    jobs.activated()
    qtbot.waitUntil(lambda: "“0001_boiler-test_final.otio” tells no version" in spoken(view), timeout=PATIENCE)
    view.work.setFocus()
    qtbot.keyClick(view.work, Qt.Key.Key_Right)
    qtbot.keyClick(view.work, Qt.Key.Key_Return)
    qtbot.waitUntil((work / "0001_boiler-test_v02.otio").exists, timeout=PATIENCE)
    qtbot.waitUntil(lambda: "call it 0001_boiler-test_v03.otio" in spoken(view), timeout=PATIENCE)
    chip = next(one for one in view.work.spoken_parts() if one.words.startswith("call it"))
    qtbot.mouseClick(view.work, Qt.MouseButton.LeftButton, pos=chip.box.center())
    qtbot.waitUntil((work / "0001_boiler-test_v03.otio").exists, timeout=PATIENCE)
    qtbot.waitUntil(lambda: "is called" in view.bar.words(), timeout=PATIENCE)
    jobs.undo()
    qtbot.waitUntil((work / "0001_boiler-test_final.otio").exists, timeout=PATIENCE)


def spoken(view: JobsView) -> str:
    return " | ".join(one.words for one in view.work.spoken_parts())


def test_an_outline_is_written_and_the_next_job_follows(
    qtbot: QtBot, jobs: JobsPage, library: Library, tmp_path: Path
) -> None:
    qtbot.mouseClick(jobs.view.edit, Qt.MouseButton.LeftButton)
    page = jobs.outline_view
    text = page.written
    qtbot.waitUntil(lambda: "drone" in " ".join(one.words for one in page.stairs.spoken_parts()), timeout=PATIENCE)
    line = next(at for at, one in enumerate(text.lines()) if one.strip().startswith("music"))
    text.choose(line, line + 1)
    qtbot.keyClick(text, Qt.Key.Key_Backtab)
    assert text.lines()[line] == "    music : unless left out"
    qtbot.keyClick(text, Qt.Key.Key_Up, ALT)
    qtbot.keyClick(text, Qt.Key.Key_End)
    qtbot.keyClicks(text, " : twice")
    qtbot.waitUntil(
        lambda: "can't be used yet" in page.bar.words() and len(text.extraSelections()) == 1, timeout=PATIENCE
    )
    assert text.extraSelections()[0].cursor.selectedText() == "twice"  # type: ignore[attr-defined]
    for _ in range(len(" : twice")):
        qtbot.keyClick(text, Qt.Key.Key_Backspace)
    starter = put(tmp_path / "sheet.svg", b"<svg>{jutrek title}</svg>")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(starter))])
    raw = next(at for at, one in enumerate(text.lines()) if one.strip().startswith("1 raw"))
    where = QPointF(text.box_of(raw).center())
    text.dropEvent(QDropEvent(where, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE))
    qtbot.waitUntil(lambda: "        sheet.svg : from sheet.svg" in text.lines(), timeout=PATIENCE)
    gutter = text.gutter
    notes = next(at for at, one in enumerate(text.lines()) if "notes.md" in one)
    places = [QPoint(6, text.box_of(at).center().y()) for at in (notes, raw)]
    qtbot.mousePress(gutter, Qt.MouseButton.LeftButton, pos=places[0])
    qtbot.mouseMove(gutter, places[1])
    qtbot.mouseRelease(gutter, Qt.MouseButton.LeftButton, pos=places[1])
    assert text.lines()[raw].strip().startswith("{job} notes.md")
    qtbot.mouseClick(page.back, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: jobs.stack.currentIndex() == 0, timeout=PATIENCE)
    start(qtbot, jobs, "0001", "a <b>")
    folder = Path(library.root, jobs.view.rows.jobs[0].placed.folder)
    assert (folder / "music").is_dir()
    assert (folder / "1 raw/sheet.svg").read_text() == "<svg>a &lt;b&gt;</svg>"


def test_a_card_comes_into_a_job(
    qtbot: QtBot, jobs: JobsPage, window: MainWindow, library: Library, card: Path
) -> None:
    start(qtbot, jobs, "0001")
    put(card / "DCIM/A.JPG", jpeg())
    qtbot.mouseClick(jobs.view.bring, Qt.MouseButton.LeftButton)
    board = intake(window)
    qtbot.waitUntil(lambda: board.board.into == "0001 VLT Boiler test", timeout=PATIENCE)
    window.page("intake").add_source(str(card))  # type: ignore[attr-defined]
    ready(qtbot, window, 1)
    assert board.titles.job.isVisible() and board.titles.job.text() == "into 0001 VLT Boiler test"
    (folder,) = (one.path for one in board.board.folders if one.path.startswith("jobs/"))
    assert folder == f"{jobs.view.rows.jobs[0].placed.folder}/1 raw/Arlen M2"
    window.page("intake").undo()
    qtbot.waitUntil(lambda: board.board.into == "", timeout=PATIENCE)
    window.page("intake").redo()
    qtbot.waitUntil(lambda: board.board.into != "", timeout=PATIENCE)
    window.page("intake").go()
    qtbot.waitUntil(lambda: Path(library.root, folder, "20260514_102613.jpg").exists(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: board.board.into == "", timeout=PATIENCE)
    window.go_to("jobs")
    qtbot.waitUntil(lambda: jobs.view.rows.jobs[0].counts[0] == ("raw", 1), timeout=PATIENCE)
    qtbot.mouseClick(jobs.view.show_, Qt.MouseButton.LeftButton)
    shown = window.page("library").view  # type: ignore[attr-defined]
    qtbot.waitUntil(
        lambda: (shown.view is not None and "in folder" in str(shown.bar.words() or "")) or len(shown.grid.rows) == 1,
        timeout=PATIENCE,
    )


def take_along(qtbot: QtBot, page: LibraryPage, *, copies: bool) -> None:
    """Take the first capture along into the first job; when the jobs are offered, another one is chosen."""
    page.view.grid.choose(0)
    page.taking.ask()
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), QMenu), timeout=PATIENCE)
    page.view.grid.choose(1)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    copied = menu.actions()[-1].menu()
    assert isinstance(copied, QMenu)
    (copied if copies else menu).actions()[0].trigger()
    menu.close()


def test_what_is_at_home_is_taken_along(qtbot: QtBot, jobs: JobsPage, window: MainWindow, library: Library) -> None:
    first = put(Path(library.root, "2026/yard/P1.jpg"), jpeg())
    other = put(Path(library.root, "2026/yard/P2.jpg"), jpeg(WHEN.replace(year=2027), seed=2))
    start(qtbot, jobs, "0001")
    folder = jobs.view.rows.jobs[0].placed.folder
    page = window.go_to("library")
    assert isinstance(page, LibraryPage)
    qtbot.waitUntil(lambda: page.view.view is not None and len(page.view.grid.rows) == 2, timeout=PATIENCE)
    take_along(qtbot, page, copies=True)
    came = Path(library.root, folder, "1 raw/P1.jpg")
    qtbot.waitUntil(came.exists, timeout=PATIENCE)
    assert first.read_bytes() == came.read_bytes()
    qtbot.waitUntil(lambda: len(page.view.grid.rows) == 3, timeout=PATIENCE)
    page.undo()
    qtbot.waitUntil(lambda: not came.exists() and len(page.view.grid.rows) == 2, timeout=PATIENCE)
    take_along(qtbot, page, copies=False)
    qtbot.waitUntil(lambda: came.exists() and not first.exists(), timeout=PATIENCE)
    assert other.exists()
