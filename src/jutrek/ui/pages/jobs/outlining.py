"""Writing outlines: ties their view to the library that keeps them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, QTimer, Signal
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from jutrek.jobs.shelf import Kept
from jutrek.ui.pages.jobs.outline_view import OutlineView
from jutrek.ui.plainly import caption, plain

if TYPE_CHECKING:
    from jutrek.desk.jobs import JobsSeen
    from jutrek.desk.outlines import Tried
    from jutrek.desk.worker import Ticket
    from jutrek.jobs.drawing import Drawn
    from jutrek.ui.shell.page import Page

_PAUSE = 150
_NEW = """\
# A line that begins with a number sign is a note. Folders are lines, what lies in one is moved in.
about: What this is for
blank: client : needed
blank: title : up to 40 signs

jobs/{year}/{job} {client} {title}
    1 raw : captures by {device}
    2 work
    3 handed over
"""


class Outlining(QObject):
    """Opens outlines, keeps them, makes others."""

    ended = Signal(object)
    """The person goes back to the jobs: the name of the outline that was open."""

    def __init__(self, page: Page, view: OutlineView, ask_folder: Callable[[str], str]) -> None:
        super().__init__(page)
        self._page, self._view, self._ask_folder = page, view, ask_folder
        self._kept: Kept | None = None
        self._seen: JobsSeen | None = None
        self._reading: Ticket[Tried] | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PAUSE)
        self._later.timeout.connect(self._read)
        view.changed.connect(self._later.start)
        view.kept.connect(self.keep)
        view.left.connect(self._leave)
        view.more_asked.connect(self._offer)
        view.dropped.connect(self._add_starter)

    @property
    def name(self) -> str:
        """The outline that is open; empty for none."""
        return self._kept.name if self._kept is not None else ""

    def open(self, kept: Kept | None, seen: JobsSeen | None) -> None:
        """Open an outline, or a new one."""
        self._seen = seen
        if kept is None:
            self.make_new()
            return
        self._kept = kept
        self._view.open_on(kept)
        self._view.written.setFocus()
        self._read()

    def make_new(self) -> None:
        """Ask for a name, and write a new outline."""
        if name := self._ask_name("A new outline", "What it is called:", ""):
            self._page.ask_library(lambda library: library.jobs.keep_outline(name, _NEW), self._open_kept)

    def keep(self) -> None:
        """Keep what is written."""
        name, text = self.name, self._view.written.toPlainText()
        if name:
            self._page.ask_library(lambda library: library.jobs.keep_outline(name, text), self._say_kept)

    def _say_kept(self, kept: Kept) -> None:
        self._kept = kept
        self._view.written.document().setModified(False)
        self._view.notify("Kept.")
        self._read()

    def _open_kept(self, kept: Kept) -> None:
        self.open(kept, self._seen)

    def _leave(self) -> None:
        if self._view.written.document().isModified():
            # What was written is never lost by leaving it; faults are told where it is used.
            self.keep()
        self.ended.emit(self.name)

    def _read(self) -> None:
        kept = self._kept
        if kept is None:
            return
        if self._reading is not None:
            self._reading.give_up()
        name, text, starters = kept.name, self._view.written.toPlainText(), kept.starters
        self._reading = self._page.ask_lookup(lambda lookup: lookup.try_outline(name, text, starters), self._show)

    def _show(self, tried: Tried) -> None:
        if tried.kept.name == self.name:
            self._view.show_read(tried.kept, tried.whole, tried.why)

    # ---- more

    def _offer(self, at: QWidget) -> None:
        menu = QMenu(at)
        for kept in self._seen.outlines if self._seen is not None else ():
            if kept.name != self.name:
                menu.addAction(caption(f"Open {kept.name}"), partial(self._switch, kept))
        menu.addSeparator()
        menu.addAction("A new one…", self.make_new)
        menu.addAction("One made from a folder…", self._from_folder)
        menu.addAction("Copy one from another library…", self._from_library)
        if self.name:
            menu.addSeparator()
            menu.addAction("Put this one into the trash", self._remove)
        menu.popup(at.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def _switch(self, kept: Kept) -> None:
        if self._view.written.document().isModified():
            self.keep()
        self.open(kept, self._seen)

    def _from_folder(self) -> None:
        if (folder := self._ask_folder("The folder that jobs are to begin like")) and (
            name := self._ask_name("An outline of this folder", "What it is called:", folder.rpartition("/")[2])
        ):
            self._page.ask_library(lambda library: library.jobs.outline_from(folder, name), self._say_drawn)

    def _say_drawn(self, made: tuple[Kept, Drawn]) -> None:
        kept, drawn = made
        self.open(kept, self._seen)
        self._view.notify(f"Made from the folder; {drawn.left:,} files were left out.")

    def _from_library(self) -> None:
        if (other := self._ask_folder("The library that has the outline")) and (
            name := self._ask_name("Copy an outline", "What it is called there:", "")
        ):
            self._page.ask_library(lambda library: library.jobs.copy_outline(other, name), self._open_kept)

    def _remove(self) -> None:
        name = self.name
        self._kept = None
        self._view.written.document().setModified(False)
        self._page.ask_library(lambda library: library.jobs.remove_outline(name), lambda _: self.ended.emit(""))

    def _add_starter(self, path: str, line: int) -> None:
        name = self.name

        def say(starter: str) -> None:
            self._view.written.add_starter(starter, line)
            if self._kept is not None:
                # It lies beside the outline from now on, also before that is kept.
                self._kept = self._kept.beside(starter)
            self._read()

        self._page.ask_library(lambda library: library.jobs.add_starter(name, path), say)

    def _ask_name(self, title: str, words: str, proposed: str) -> str:
        name, is_given = QInputDialog.getText(self._view, title, words, text=plain(proposed))
        return " ".join(name.split()) if is_given else ""
