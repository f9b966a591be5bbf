"""Turning on the Library page and while sorting: R to the right, Shift+R to the left; shown at once as it is."""

from __future__ import annotations

import os
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu

from jutrek.turning.ways import Way
from jutrek.ui import paint

if TYPE_CHECKING:
    from jutrek.desk.turning import TurnedCaptures
    from jutrek.errors import JutrekError
    from jutrek.ui.pages.library.captioning import Surface
    from jutrek.ui.pages.library.closely import Closely
    from jutrek.ui.pictures.service import Pictures

_WORDS = {
    Way.RIGHT: "To the right\tR", Way.LEFT: "To the left\tShift+R", Way.HALF: "Half around",
    Way.UPRIGHT: "As it was stored",
}  # fmt: skip


class Turning(QObject):
    """Ties turning to what shows captures."""

    def __init__(self, surface: Surface, closely: Closely, pictures: Pictures, parent: QObject) -> None:
        """
        Args:
            surface: shows captures.
            closely: shows one of them large.
            pictures: gives their pictures.
            parent: keeps it.
        """
        super().__init__(parent)
        self._at, self._closely, self._pictures = surface, closely, pictures
        self._root = ""
        self._at_work = 0
        """How many are being turned."""
        for keys, way in (("R", Way.RIGHT), ("Shift+R", Way.LEFT)):
            shortcut = QShortcut(
                QKeySequence(keys), surface.view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut
            )  # fmt: skip
            shortcut.activated.connect(partial(self.turn, way))

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer ways to turn what is chosen."""
        ways = menu.addMenu("Turn")
        for way, words in _WORDS.items():
            ways.addAction(words, partial(self.turn, way))

    def turn(self, way: Way) -> None:
        """Turn what is chosen."""
        meant = self._at.meant()
        if meant is None:
            return
        columns, rows = meant
        self._at.say("")
        self._at_work += 1
        self._at.ask(
            lambda at: (at.library.root, at.turning.go(columns, rows, way)), partial(self._turned, way), self._failed
        )

    def _turned(self, way: Way, came: tuple[str, TurnedCaptures]) -> None:
        root, done = came
        self._over()
        if done.run:
            self._at.remember(done.run)
        self.show_anew([os.path.join(root, path) for path in done.files])
        where = {Way.LEFT: " to the left", Way.RIGHT: " to the right", Way.HALF: " half around"}.get(way, "")
        more = done.why or "No pixel was touched. Ctrl+Z turns them back."
        words = f"{paint.counted(done.captures, 'capture')} turned{where}." if done.run else "Nothing was turned."
        self._at.say(words, more if done.run or done.why else "They stand so already.", brick=bool(done.why))
        self._at.renew()

    def _failed(self, error: JutrekError) -> None:
        self._over()
        self._at.say("Nothing was turned.", str(error), brick=True)

    def _over(self) -> None:
        """Behind the last one hash lists and backups follow."""
        self._at_work -= 1
        if not self._at_work:
            self._at.ask(lambda at: at.turning.follow(), self._followed)

    def _followed(self, why: str) -> None:
        if why:
            self._at.say("They are turned.", why, brick=True)

    def show_all_anew(self) -> None:
        """Something was taken back: nobody says of which files."""
        self._pictures.forget()
        self._show()

    def show_anew(self, paths: list[str]) -> None:
        """Show files as they are now."""
        self._pictures.forget(paths)
        self._show()

    def _show(self) -> None:
        self._at.grid.viewport().update()
        if self._closely.is_open:
            self._closely.show_anew()
