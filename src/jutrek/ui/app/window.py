"""The main window: a frame around the pages. It knows no page by name."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import TYPE_CHECKING
from urllib.parse import unquote_to_bytes, urlsplit

from PySide6.QtCore import QMimeData, QSize, Qt, QTimer
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDropEvent,
    QKeySequence,
)
from PySide6.QtWidgets import QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from jutrek.desk import events
from jutrek.desk.events import Who
from jutrek.desk.pool import Pool
from jutrek.errors import JutrekError
from jutrek.ui.app import registry
from jutrek.ui.app.header import Header
from jutrek.ui.app.keys import ADD, FIND, HELP, NARROW, TOLD, KeySheet, words_of
from jutrek.ui.app.parting import Parting
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.shell.client import Client
from jutrek.ui.shell.context import Context
from jutrek.ui.shell.page import Page
from jutrek.ui.shell.runs import RunControl
from jutrek.ui.shell.showing import FileShower
from jutrek.ui.theme import Theme, current

if TYPE_CHECKING:
    from jutrek.transfer import Outcome
    from jutrek.ui.app.ahead import Ahead
    from jutrek.ui.app.gathering import Gathering
    from jutrek.ui.app.tidy import Tidy

_THREADS = 4
"""That make pictures."""


class MainWindow(QMainWindow):
    """One window, one intake.

    Attributes:
        client: the way to the session.
        entries: its pages.
        runs: the run of the intake.
        pictures: thumbnails, and the threads behind them.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Jutrek")
        self.setAcceptDrops(True)
        self.setMinimumSize(1024, 640)
        self.resize(1280, 800)
        self.entries = registry.PAGES
        self.client = Client(self)
        self.runs = RunControl(self.client)
        self.pictures = Pictures(Pool(_THREADS), self.devicePixelRatioF(), self)
        self.shower = FileShower(self)
        self._context = Context(
            current(),
            self.pictures,
            self.client,
            self.runs,
            self.go_to,
            self.shower.show_file,
            self.look_into,
            self.sort_by_hand,
        )
        self.header = Header(self._context.theme, self.entries)
        self._stack = QStackedWidget()
        self.parting = Parting(self._context.theme)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self._stack, 1)
        column.addWidget(self.parting)
        self.setCentralWidget(body)
        self._pages: dict[str, Page] = {}
        self._library = ""
        self._sources: list[str] = []
        self._tidy: Tidy | None = None
        self._ahead: Ahead | None = None
        self._gathering: Gathering | None = None
        self.watches_drives = False
        """Whether cards that appear are asked about."""
        self.learns = False
        """Whether libraries are looked through for doubles while nothing else is to be done."""
        self._closes_now = False
        self._connect()
        QWidget.setTabOrder(self.go_to(self._first).last_stop, self.header.choose)
        self.setFocus()

    def _connect(self) -> None:
        self.header.choose.clicked.connect(lambda: self._tell(lambda page: page.choose_library()))
        self.header.opened.connect(self.go_to)
        self.header.painted.connect(self._begin, Qt.ConnectionType.QueuedConnection)
        self.client.worked.connect(self._show_working)
        self.shower.refused.connect(self.tell_fault)
        self.client.on(events.BoardChanged, lambda event: self.header.show_place(event.board.place))
        self.runs.ended.connect(self._part)
        self.runs.failed.connect(lambda _: self.parting.end())
        self.client.worked.connect(lambda _: self._part())
        self.parting.stopped.connect(self.close_now)
        self._on(ADD, lambda: self.page(self._first).add())
        self._on(HELP, self.show_keys)
        self._on(FIND, self.find)
        self._on(NARROW, lambda: self.find(narrows=True))
        self.header.finds.clicked.connect(lambda _=False: self.find())
        for entry in self.entries:
            self._on(entry.keys, partial(self.go_to, entry.key))
        for keys, _, what in TOLD:
            self._on(keys, partial(self._tell, what))

    def _on(self, keys: str, what: Callable[[], object]) -> None:
        action = QAction(self)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _=False: what())
        self.addAction(action)

    def _tell(self, what: Callable[[Page], None]) -> None:
        """Tell the page that is open something."""
        what(self.current)

    def tell_fault(self, fault: JutrekError) -> None:
        """Say on the page that is open what an error of no page's means for the files."""
        self.current.say_trouble(fault)

    # ---- pages

    @property
    def theme(self) -> Theme:
        """Its colours."""
        return self._context.theme

    @property
    def _first(self) -> str:
        return self.entries[0].key

    @property
    def current(self) -> Page:
        """The page that is open."""
        return next(page for page in self._pages.values() if page.shown)

    def page(self, key: str) -> Page:
        """A page by its key; made when it is asked for for the first time."""
        if key not in self._pages:
            entry = next(entry for entry in self.entries if entry.key == key)
            page = self._pages[key] = entry.make(self._context)
            page.setParent(self)
            page.figured.connect(lambda: self.header.show_figure(key, page.figure))
            self.header.show_figure(key, page.figure)
            self._stack.addWidget(page.widget)
            page.working(*self.client.words_of(page.minds))
        return self._pages[key]

    def pages(self) -> Iterable[tuple[str, Page]]:
        """The pages that were made, by their keys."""
        return self._pages.items()

    def go_to(self, key: str) -> Page:
        """Open a page by its key."""
        opened = self.page(key)
        for page in self._pages.values():
            page.shown = page is opened
        self._stack.setCurrentWidget(opened.widget)
        self.header.mark(key)
        opened.activated()
        return opened

    def look_into(self, folder: str) -> None:
        """Show what lies in a folder of the library."""
        self.go_to("library").look_into(folder)

    def sort_by_hand(self, name: str, paths: Sequence[str]) -> None:
        """Open what sorts captures that just came home."""
        self.go_to("library").sort(name, paths)

    def show_keys(self) -> None:
        """Show the keys of the page that is open."""
        entry = next(entry for entry in self.entries if self._pages.get(entry.key) is self.current)
        everywhere = [(words_of(keys), what) for keys, what, _ in TOLD]
        everywhere += [(ADD, "add a card or folder"), *((one.keys, one.title) for one in self.entries)]
        everywhere += [(FIND, "find or do anything"), (NARROW, "show only some of the page"), (HELP, "these keys")]
        KeySheet(self._context.theme, entry.title, self.current.keys, everywhere, self).open()

    def find(self, *, narrows: bool = False) -> None:
        """Let the person type to find or do something; or only to narrow what the page shows."""
        if self._gathering is None:
            from jutrek.ui.app.gathering import Gathering

            self._gathering = Gathering(self, self)
        self._gathering.open(narrows=narrows)

    def _show_working(self, who: Who) -> None:
        """Show on every page that it concerns that something longer is going on."""
        for page in self._pages.values():
            if who in page.minds:
                page.working(*self.client.words_of(page.minds))

    # ---- the beginning

    def begin(self, library: str, sources: list[str]) -> None:
        """Use a library (empty for none) and sources, as soon as the window has been painted."""
        self._library, self._sources = library, sources
        if self.client.session is not None:
            self._begin()

    def _begin(self) -> None:
        """Start the session, once the window has been painted for the first time."""
        if self._tidy is None:
            from jutrek.ui.app.ahead import Ahead
            from jutrek.ui.app.tidy import Tidy

            self._tidy, self._ahead = Tidy(self), Ahead(self)
            self._ahead.done.connect(self._make_early)
        first, begun = self.page(self._first), self.client.session is not None
        session = self.client.start()
        if not begun:
            session.learns = self.learns
            if self.watches_drives:
                session.watch_drives()
        library, self._library = self._library, ""
        sources, self._sources = self._sources, []
        if library:
            first.ask_intake(lambda intake: intake.open_library(library))
        first.take(sources)

    def _make_early(self) -> None:
        """Make the pages that say figures before they are opened, and what first acts need."""
        for entry in self.entries:
            if entry.figures:
                self.page(entry.key)
        QTimer.singleShot(0, self.page(self._first), self.page(self._first).make_ahead)

    # ---- what hangs over it

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if _dropped(event.mimeData()):
            event.acceptProposedAction()
            self.page(self._first).hover(True)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self.page(self._first).hover(False)

    def dropEvent(self, event: QDropEvent) -> None:
        first = self.page(self._first)
        first.hover(False)
        first.take(_dropped(event.mimeData()))
        event.acceptProposedAction()

    # ---- the end

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._carried and not self._closes_now:
            event.ignore()
            self.parting.ask(self._carried)
            return
        # Nobody waits here for a disk that may not answer: see `leave`.
        self.client.end()
        self.pictures.end()
        for page in self._pages.values():
            page.end()
        for beside in (self._tidy, self._ahead):
            if beside is not None:
                beside.end()
        super().closeEvent(event)

    def leave(self, patience: float) -> bool:
        """Once it is closed: wait until everything that was at work behind it has ended, for some seconds.

        Returns:
            Whether it has. What has not hangs on a disk, and can only be left behind with the process.
        """
        until = time.monotonic() + patience
        ended = self.client.join(patience)
        return self.pictures.join(max(0.0, until - time.monotonic())) and ended

    @property
    def _carried(self) -> str:
        """What is going on that copies or moves files; empty where nothing is."""
        return "Files are being brought home." if self.runs.running else self.client.changes

    def close_now(self) -> None:
        """Close over whatever goes on; it is stopped, safely."""
        self._closes_now = True
        self.close()

    def _part(self, outcome: Outcome | None = None) -> None:
        """What went on may have ended: close if that was waited for, unless a run left something to be seen."""
        if self._carried or self.parting.isHidden():
            return
        fine = outcome is None or not (outcome.failed or outcome.trouble or outcome.gone or outcome.lost)
        closes = self.parting.waits and fine
        self.parting.end()
        if closes:
            self.close()

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)


def _dropped(data: QMimeData) -> list[str]:
    """The local paths that hang over the window (RFC 8089), byte by byte: as text, a name that is none is another."""
    parts = [urlsplit(bytes(url.toEncoded().data()).decode("ascii", "replace")) for url in data.urls()]
    found = (
        unquote_to_bytes(part.path) for part in parts if part.scheme == "file" and part.netloc in ("", "localhost")
    )
    return [os.fsdecode(path) for path in found if path]
