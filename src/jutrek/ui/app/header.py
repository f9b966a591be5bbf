"""The head of the window: Jutrek's name, its pages, the library."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, Signal
from PySide6.QtGui import QFont, QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.desk.board import Storage
from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.ui.app.registry import Entry

_FIND, _FIND_LEAST = 210, 96
"""How wide the button is that finds things, and at least, in pixels."""


class Header(QWidget):
    """Jutrek's name and its pages at the left, the library at the right."""

    painted = Signal()
    """For the first time, and only then."""
    opened = Signal(object)
    """A page, by its key."""

    def __init__(self, theme: Theme, pages: Sequence[Entry], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._place: Storage | None = None
        self._was_painted = False
        self.setFixedHeight(46)
        self._titles = {page.key: page.title for page in pages}
        self.tabs = {page.key: QPushButton(page.title, self) for page in pages}
        for page in pages:
            tab = self.tabs[page.key]
            tab.setProperty("page", True)
            tab.setCheckable(True)
            tab.setToolTip(page.keys)
            tab.clicked.connect(lambda _=False, key=page.key: self.opened.emit(key))
        self._lay_tabs()
        self.finds = QPushButton("Find or do…  Ctrl+K", self)
        self.finds.setProperty("chip", True)
        self.finds.setToolTip("Type to find a day, a capture, a folder, a run, a rule; or to do something")
        self.choose = QPushButton("Choose a library…", self)
        self.choose.setProperty("link", True)

    def _lay_tabs(self) -> None:
        left = 102
        for tab in self.tabs.values():
            wide = paint.width_of(tab.text(), font(14, SEMIBOLD)) + 20
            tab.setGeometry(left, 8, wide, 30)
            left += wide + 8

    def show_figure(self, key: str, words: str) -> None:
        """Say a figure beside the name of a page; none where the words are empty."""
        text = f"{self._titles[key]}  {words}".strip()
        if text != self.tabs[key].text():
            self.tabs[key].setText(text)
            self._lay_tabs()
            self._fit()
            self.update()

    def mark(self, key: str) -> None:
        """Mark the page that is open."""
        for one, tab in self.tabs.items():
            tab.setChecked(one == key)
        self.update()

    def show_place(self, place: Storage | None) -> None:
        """Show the library."""
        self._place = place
        self.choose.setText("Choose a library…" if place is None else "Change…")
        self._fit()
        self.update()

    def _fit(self) -> None:
        hint = self.choose.sizeHint()
        self.choose.setGeometry(self.width() - hint.width() - 12, 10, hint.width(), 26)
        wide = max((paint.width_of(words, face) for words, face in self._library_words()), default=0)
        right, left = self.choose.x() - wide - 24, max(tab.geometry().right() for tab in self.tabs.values()) + 16
        self.finds.setGeometry(max(left, right - _FIND), 10, max(_FIND_LEAST, min(_FIND, right - left)), 26)

    def _library_words(self) -> list[tuple[str, QFont]]:
        """What is said of the library, and how."""
        if self._place is None:
            return []
        room = f"{paint.size_words(self._place.free)} free of {paint.size_words(self._place.total)}"
        return [(self._place.name, font(13, BOLD)), (room, font(12))]

    def resizeEvent(self, event: object) -> None:
        self._fit()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.fillRect(self.rect(), theme.card)
        painter.setPen(theme.line)
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        paint.text(painter, QRect(18, 0, 90, 46), "Jutrek", font(20, BOLD), theme.accent)
        open_tab = next((tab for tab in self.tabs.values() if tab.isChecked()), next(iter(self.tabs.values())))
        painter.fillRect(QRect(open_tab.x() + 8, 43, open_tab.width() - 16, 3), theme.accent)
        left = self.finds.geometry().right() + 10
        line = QRect(left, 6, self.choose.x() - 6 - left, 18)
        for words, face in self._library_words():
            paint.text(painter, line, words, face, theme.ink if face.bold() else theme.soft, align=paint.RIGHT)
            line.translate(0, 17)
        if not self._was_painted:
            self._was_painted = True
            self.painted.emit()
