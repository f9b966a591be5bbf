"""The main window: a header, the pages, and the session behind them."""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import date
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSize, Qt, Signal
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeySequence,
)
from PySide6.QtWidgets import QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from jutrek.desk.board import Board
from jutrek.ui import paint
from jutrek.ui.doubles.desk import DoublesDesk
from jutrek.ui.header import KEYS, Header
from jutrek.ui.intake.desk import RunDesk
from jutrek.ui.intake.page import IntakePage
from jutrek.ui.journal.desk import JournalDesk
from jutrek.ui.rules.desk import RulesDesk
from jutrek.ui.theme import current
from jutrek.ui.thumbs import Thumbnails

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.desk.session import IntakeSession


class Bridge(QObject):
    """Carries a session's events from its thread to the window's."""

    told = Signal(object)


class MainWindow(QMainWindow):
    """One window, one intake."""

    def __init__(self) -> None:
        super().__init__()
        theme = current()
        self.setWindowTitle("Jutrek")
        self.setAcceptDrops(True)
        self.setMinimumSize(1024, 640)
        self.resize(1280, 800)
        self.thumbnails = Thumbnails(self.devicePixelRatioF(), self)
        self.header = Header(theme)
        self.page = IntakePage(theme, self.thumbnails)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.page)
        column.addWidget(self.pages, 1)
        self.setCentralWidget(body)
        self._session: IntakeSession | None = None
        self._bridge = Bridge()
        self._bridge.told.connect(self._hear)
        self._library = ""
        self._sources: list[str] = []
        self.watches_drives = False
        """Whether cards that appear are asked about."""
        self.learns = False
        """Whether libraries are looked through for doubles while nothing else is to be done."""
        self.house = RulesDesk(self)
        self.runs = RunDesk(self)
        self.journal = JournalDesk(self)
        self.doubles = DoublesDesk(self)
        self._connect()

    def _connect(self) -> None:
        page = self.page
        page.wanted_source.connect(self.choose_source)
        page.wanted_library.connect(self.choose_library)
        page.wanted_demo.connect(self.look_at_demo)
        page.removed_source.connect(lambda root: self.wish(lambda session: session.remove_source(root)))
        page.decided.connect(lambda changes: self.wish(lambda session: session.change(*changes)))
        page.answered.connect(lambda key, number: self.wish(lambda session: session.answer(key, number)))
        page.accepted_certain.connect(lambda: self.wish(lambda session: session.accept_certain()))
        page.wondered.connect(self._wonder)
        page.set_days.connect(self._set_days)
        page.saved.connect(self.choose_plan_file)
        self.header.choose.clicked.connect(self.choose_library)
        self.header.opened.connect(self.open_page)
        self.header.painted.connect(self._begin, Qt.ConnectionType.QueuedConnection)
        for keys, what in (
            ("Ctrl+O", self.choose_source),
            ("Ctrl+Return", self.go),
            ("Ctrl+S", self.save),
            ("Esc", self.widen),
            *((f"Ctrl+{key}", partial(self.open_page, number)) for number, key in enumerate(KEYS)),
            ("Ctrl+Z", self.undo),
            ("Ctrl+Shift+Z", self.redo),
        ):
            action = QAction(self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _=False, what=what: what())
            self.addAction(action)

        # Tab goes from → when → lands in; the header's button comes last.
        self.setTabOrder(page.action_bar.main, self.header.choose)
        self.setFocus()

    def open_page(self, number: int) -> None:
        """Open a page by its number."""
        desks = {1: self.doubles, 2: self.house, 3: self.journal}
        if number in desks:
            desks[number].open()
        else:
            self.pages.setCurrentWidget(self.page)
        self.header.mark(number)

    @property
    def session(self) -> IntakeSession | None:
        """The session, once the window was painted."""
        return self._session

    @property
    def on_intake(self) -> bool:
        """Whether the Intake page is the one that is open."""
        return self.pages.currentWidget() is self.page

    def go(self) -> None:
        """Do what the page that is open is about: bring home, or set aside."""
        if self.doubles.shown:
            self.doubles.page.go()
        else:
            self.runs.bring_home()

    def save(self) -> None:
        """Keep the rules, or save the plan: whatever the page that is open is about."""
        if self.house.shown:
            self.house.page.keep_or_refile()
        elif self.on_intake:
            self.choose_plan_file()

    def widen(self) -> None:
        """Go back by one step on the page that is open."""
        if self.on_intake:
            self.page.show_all()
        elif self.house.shown and self.house.page.refiling_open:
            self.house.page.open_section(0)
        elif self.doubles.shown and self.doubles.page.on_tray:
            self.doubles.page.open_tray(False)

    def begin(self, library: str, sources: list[str]) -> None:
        """Use a library (empty for none) and sources, as soon as the window has been painted."""
        self._library, self._sources = library, sources
        if self._session is not None:
            self._begin()

    def _begin(self) -> None:
        """Start the session, once the window has been painted for the first time."""
        if self._session is None:
            from jutrek.desk.session import IntakeSession

            self._session = IntakeSession(self._bridge.told.emit)
            self._session.learns = self.learns
            self.page.details = self._session.close_view
            if self.watches_drives:
                self._session.watch_drives()
        library, self._library = self._library, ""
        sources, self._sources = self._sources, []
        if library:
            self._session.open_library(library)
        for path in sources:
            self._session.add_source(path)

    def add_source(self, path: str) -> None:
        """Add a card or folder."""
        self.wish(lambda session: session.add_source(path))

    def choose_source(self) -> None:
        """Ask for a folder, and add it."""
        from PySide6.QtWidgets import QFileDialog

        path = QFileDialog.getExistingDirectory(self, "Add a card or folder")
        if path:
            self.add_source(path)

    def choose_library(self) -> None:
        """Ask for the library's folder, use it, and remember it."""
        from PySide6.QtWidgets import QFileDialog

        path = QFileDialog.getExistingDirectory(self, "The folder where your captures are at home")
        if path:
            self.wish(lambda session: session.open_library(path, chosen=True))

    def look_at_demo(self) -> None:
        """Make the demo where this person's data lie, and open it."""
        import platformdirs

        path = os.path.join(platformdirs.user_data_dir("jutrek"), "demo")
        self.wish(lambda session: session.open_demo(path))

    def choose_plan_file(self) -> None:
        """Ask for a file, and write the plan into it."""
        if self.page.board.plan is None or self.runs.running:
            return
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getSaveFileName(self, "Save the plan", "intake.plan.json", "Plans (*.plan.json)")
        if path:
            self.wish(lambda session: session.save_plan(path))

    def wish(self, wish: Callable[[IntakeSession], None]) -> None:
        """Pass a wish on to the session; what was said before is over."""
        self.page.notify("")
        self.house.notify("")
        self.journal.notify("")
        self.doubles.notify("")
        if self._session is not None:
            wish(self._session)

    def undo(self) -> None:
        """Take back what was decided last."""
        if self.house.shown:
            self.house.page.undo()
        elif self.doubles.shown:
            self.doubles.page.undo()
        elif self.on_intake and self.page.board.can_undo and not self.runs.running:
            words = self.page.board.can_undo
            self.wish(lambda session: session.undo())
            self.page.notify(f"Taken back: {words}.", "Ctrl+Shift+Z does it again.")

    def redo(self) -> None:
        """Decide again what was taken back last."""
        if self.house.shown:
            self.house.page.redo()
        elif self.on_intake and self.page.board.can_redo and not self.runs.running:
            words = self.page.board.can_redo
            self.wish(lambda session: session.redo())
            self.page.notify(f"Done again: {words}.", "Ctrl+Z takes it back.")

    def _wonder(self, key: str) -> None:
        if self._session is not None:
            self._session.preview(key)

    def _set_days(self, starts: int, gap: int, zone: int | None, journeys: tuple[tuple[date, int], ...]) -> None:
        self.wish(lambda session: session.set_days(day_starts=starts, gap=gap, zone=zone, journeys=journeys))

    def _hear(self, event: events.Event) -> None:
        from jutrek.desk import events

        page = self.page
        running = self.runs.running
        if any(desk.hear(event, running=running) for desk in (self.house, self.doubles, self.journal)):
            return
        if self.runs.hear(event):
            return
        match event:
            case events.BoardChanged(board):
                self._show_board(board)
            case events.Reading(root, files, all_files):
                page.show_reading(root, files, all_files)
            case events.Working():
                self._show_working(event)
            case events.Looking(done, total):
                page.show_meanwhile("comparing pictures", done, total)
            case events.Hearing(done, total):
                page.show_meanwhile("listening to recordings", done, total)
            case events.TakenUp():
                more = "What you had decided holds again; Ctrl+Z takes it back."
                page.notify("Taken up where you left off.", more)
            case events.Previewed(effect) if page.settling:
                page.settle.show_effect(effect)
            case events.Saved(path):
                page.notify("The plan is saved.", os.path.basename(path))
            case events.Trouble(root, error):
                if not root:
                    self.runs.break_off()
                page.notify("That did not work.", str(error), brick=True)

    def _show_working(self, event: events.Working) -> None:
        """Show on every page that something longer is going on."""
        done, total = event.done, event.total
        if event.sizes:
            figures = f"{paint.size_words(done)} of {paint.size_words(total)}"
        else:
            figures = f"{done:,} of {total:,}" if total else f"{done:,} files" if done else ""
        words = f"{event.what}." if event.what else ""
        for part in (self.page, self.house, self.journal, self.doubles):
            part.show_working(words, figures)

    def _show_board(self, board: Board) -> None:
        self.header.show_place(board.place)
        self.page.show_board(board)
        self.house.show_board(board)
        self.doubles.show_board(board)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()
            self.page.from_column.drop.show_over(True)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self.page.from_column.drop.show_over(False)

    def dropEvent(self, event: QDropEvent) -> None:
        self.page.from_column.drop.show_over(False)
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.add_source(url.toLocalFile())
        event.acceptProposedAction()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.runs.running and not self.runs.close_after and not self._may_close():
            event.ignore()
            return
        if self._session is not None:
            self._session.close()
            self._session = None
        self.thumbnails.close()
        self.page.end()
        self.house.end()
        self.doubles.end()
        super().closeEvent(event)

    def _may_close(self) -> bool:
        """Ask what becomes of the run that is at work. Stopping is safe either way."""
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox(self)
        box.setText("Files are being brought home.")
        box.setInformativeText("What is proven stays home. The rest is untouched on its source.")
        finish = box.addButton("Finish, then close", QMessageBox.ButtonRole.AcceptRole)
        stop = box.addButton("Stop now and close", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Keep the window", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(finish)
        box.exec()
        if box.clickedButton() is finish:
            self.runs.close_after = True
        return box.clickedButton() is stop

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)
