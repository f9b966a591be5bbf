"""The main window: a header, the Intake page, and the session behind it."""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import date
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
)
from PySide6.QtWidgets import QMainWindow, QPushButton, QVBoxLayout, QWidget

from jutrek.desk.board import Board, Place, State
from jutrek.ui import paint
from jutrek.ui.intake.page import IntakePage
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, current, font
from jutrek.ui.thumbs import Thumbnails

if TYPE_CHECKING:
    from jutrek.desk import events
    from jutrek.desk.session import IntakeSession
    from jutrek.transfer import Outcome


class Bridge(QObject):
    """Carries a session's events from its thread to the window's."""

    told = Signal(object)


class Header(QWidget):
    """Jutrek's name at the left, the library at the right."""

    painted = Signal()
    """For the first time, and only then."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._place: Place | None = None
        self._was_painted = False
        self.setFixedHeight(46)
        self.choose = QPushButton("Choose a library…", self)
        self.choose.setProperty("link", True)

    def show_place(self, place: Place | None) -> None:
        """Show the library."""
        self._place = place
        self.choose.setText("Choose a library…" if place is None else "Change…")
        self._fit()
        self.update()

    def _fit(self) -> None:
        hint = self.choose.sizeHint()
        self.choose.setGeometry(self.width() - hint.width() - 12, 10, hint.width(), 26)

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.fillRect(self.rect(), theme.card)
        painter.setPen(theme.line)
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        paint.text(painter, QRect(18, 0, 90, 46), "Jutrek", font(20, BOLD), theme.accent)
        paint.text(painter, QRect(112, 0, 80, 46), "Intake", font(14, SEMIBOLD), theme.ink)
        painter.fillRect(QRect(110, 43, 48, 3), theme.accent)
        if self._place is not None:
            right = QRect(self.width() - 460, 6, 460 - self.width() + self.choose.x() - 6, 18)
            paint.text(painter, right, self._place.name, font(13, BOLD), theme.ink, align=paint.RIGHT)
            room = f"{paint.size_words(self._place.free)} free of {paint.size_words(self._place.total)}"
            paint.text(painter, right.translated(0, 17), room, font(12), theme.soft, align=paint.RIGHT)
        if not self._was_painted:
            self._was_painted = True
            self.painted.emit()


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
        column.addWidget(self.page, 1)
        self.setCentralWidget(body)
        self._session: IntakeSession | None = None
        self._bridge = Bridge()
        self._bridge.told.connect(self._hear)
        self._library = ""
        self._sources: list[str] = []
        self._running = False
        self._close_after = False
        self._connect()

    def _connect(self) -> None:
        page = self.page
        page.wanted_source.connect(self.choose_source)
        page.wanted_library.connect(self.choose_library)
        page.wanted_demo.connect(self.look_at_demo)
        page.removed_source.connect(lambda root: self._wish(lambda session: session.remove_source(root)))
        page.decided.connect(lambda changes: self._wish(lambda session: session.change(*changes)))
        page.answered.connect(lambda key, number: self._wish(lambda session: session.answer(key, number)))
        page.accepted_certain.connect(lambda: self._wish(lambda session: session.accept_certain()))
        page.wondered.connect(self._wonder)
        page.set_days.connect(self._set_days)
        page.brought.connect(self.bring_home)
        page.saved.connect(self.choose_plan_file)
        page.stopped.connect(self.stop)
        self.header.choose.clicked.connect(self.choose_library)
        self.header.painted.connect(self._begin, Qt.ConnectionType.QueuedConnection)
        for keys, what in (
            ("Ctrl+O", self.choose_source),
            ("Ctrl+Return", self.bring_home),
            ("Ctrl+S", self.choose_plan_file),
            ("Esc", page.show_all),
            ("Ctrl+Z", self.undo),
            ("Ctrl+Shift+Z", self.redo),
        ):
            action = QAction(self)
            action.setShortcut(QKeySequence(keys))
            action.triggered.connect(what)
            self.addAction(action)

        # Tab goes from → when → lands in; the header's button comes last.
        self.setTabOrder(page.action_bar.main, self.header.choose)
        self.setFocus()

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
            self.page.details = self._session.close_view
        library, self._library = self._library, ""
        sources, self._sources = self._sources, []
        if library:
            self._session.open_library(library)
        for path in sources:
            self._session.add_source(path)

    def add_source(self, path: str) -> None:
        """Add a card or folder."""
        self._wish(lambda session: session.add_source(path))

    def bring_home(self) -> None:
        """Carry out the plan that is shown."""
        if self._running or not self.page.action_bar.main.isEnabled():
            return
        self._running = True
        self._wish(lambda session: session.bring_home())
        self.page.action_bar.say("Beginning.", "The plan is written into the journal first.")
        self.page.action_bar.offer(0, running=True)

    def stop(self) -> None:
        """Stop the run, safely."""
        self.page.action_bar.say("Stopping.", "The files at hand are put away first.")
        if self._session is not None:
            self._session.stop()

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
            self._wish(lambda session: session.open_library(path, remember=True))

    def look_at_demo(self) -> None:
        """Make the demo where this person's data lie, and open it."""
        import platformdirs

        path = os.path.join(platformdirs.user_data_dir("jutrek"), "demo")
        self._wish(lambda session: session.open_demo(path))

    def choose_plan_file(self) -> None:
        """Ask for a file, and write the plan into it."""
        if self.page.board.plan is None or self._running:
            return
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getSaveFileName(self, "Save the plan", "intake.plan.json", "Plans (*.plan.json)")
        if path:
            self._wish(lambda session: session.save_plan(path))

    def _wish(self, wish: Callable[[IntakeSession], None]) -> None:
        """Pass a wish on to the session; what was said before is over."""
        self.page.notify("")
        if self._session is not None:
            wish(self._session)

    def undo(self) -> None:
        """Take back what was decided last."""
        if self.page.board.can_undo and not self._running:
            words = self.page.board.can_undo
            self._wish(lambda session: session.undo())
            self.page.notify(f"Taken back: {words}.", "Ctrl+Shift+Z does it again.")

    def redo(self) -> None:
        """Decide again what was taken back last."""
        if self.page.board.can_redo and not self._running:
            words = self.page.board.can_redo
            self._wish(lambda session: session.redo())
            self.page.notify(f"Done again: {words}.", "Ctrl+Z takes it back.")

    def _wonder(self, key: str) -> None:
        if self._session is not None:
            self._session.preview(key)

    def _set_days(self, starts: int, gap: int, zone: int | None, journeys: tuple[tuple[date, int], ...]) -> None:
        self._wish(lambda session: session.set_days(day_starts=starts, gap=gap, zone=zone, journeys=journeys))

    def _hear(self, event: events.Event) -> None:
        from jutrek.desk import events

        page = self.page
        match event:
            case events.BoardChanged(board):
                self._show_board(board)
            case events.Reading(root, files, all_files):
                page.show_reading(root, files, all_files)
            case events.Working(what, done, total):
                figures = f"{done:,} of {total:,}" if total else f"{done:,} files" if done else ""
                page.show_working(f"{what}." if what else "", figures)
            case events.Running():
                self._running = True
                page.show_running(event)
            case events.Ended(outcome):
                self._end_run()
                self._say_outcome(outcome)
            case events.Found(leftovers):
                left = sum(leftover.left for leftover in leftovers)
                home = sum(leftover.home for leftover in leftovers)
                more = f"{home:,} files came home and are proven; {left:,} are still on their sources."
                page.notify("The last run did not end.", more, "Bring the same sources home to finish it.")
            case events.TakenUp():
                page.notify("Taken up where you left off.", "What you had decided holds again; Ctrl+Z takes it back.")
            case events.Previewed(effect):
                if page.settling:
                    page.settle.show_effect(effect)
            case events.Saved(path):
                page.notify("The plan is saved.", os.path.basename(path))
            case events.Trouble(root, error):
                if not root:
                    self._end_run()
                page.notify("That did not work.", str(error), brick=True)

    def _show_board(self, board: Board) -> None:
        self.header.show_place(board.place)
        self.page.show_board(board)

    def _end_run(self) -> None:
        if self._running:
            self._running = False
            self.page.show_running(None)
            self.page.show_board(self.page.board)
            if self._close_after:
                self.close()

    def _say_outcome(self, outcome: Outcome) -> None:
        home, failed, trouble = outcome.home, len(outcome.failed), outcome.trouble
        came = f"{paint.counted(home, 'file')} brought home and proven."
        if trouble is not None:
            self.page.notify(str(trouble).split(".", maxsplit=1)[0] + ".", came, str(trouble), brick=True)
        elif failed:
            self.page.notify(
                f"{paint.counted(failed, 'file')} did not come home.", came, outcome.failed[0].why, brick=True
            )
        else:
            look = self.page.board.count(State.LOOK)
            stay = (
                f"{paint.counted(look, 'capture waits', 'captures wait')} for an answer about the date." if look else ""
            )
            self.page.notify(came, stay, "The cards are as they were.")

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
        if self._running and not self._close_after and not self._may_close():
            event.ignore()
            return
        if self._session is not None:
            self._session.close()
            self._session = None
        self.thumbnails.close()
        self.page.end()
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
            self._close_after = True
        return box.clickedButton() is stop

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)
