"""Asking for small copies in a folder: a sentence whose blanks are filled, over the sentence of the Library page."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import TypeVar

from PySide6.QtCore import QEvent, QPoint, QRect, Qt, Signal
from PySide6.QtGui import QAction, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from jutrek.outboxes.asked import MOST, Asked, Clips, Tells, asked
from jutrek.ui import paint
from jutrek.ui.plainly import Label, caption, plain, tip
from jutrek.ui.theme import Theme, font
from jutrek.ui.widgets.askbar import keeps_escape

_T = TypeVar("_T")
_HEIGHT, _LONGEST = 118, 90
_LENGTHS = {
    1024: "1,024 pixels", 1280: "1,280 pixels", 2048: "2,048 pixels", 3840: "3,840 pixels", MOST: "all their pixels",
}  # fmt: skip
_CLIPS = {Clips.FRAME: "their first frame", Clips.SMALL: "small clips", Clips.NONE: "nothing"}
_NAMES = {"": "as they are at home", "{date} {time}": "by date and time", "{date}< {shoot}>": "by date and shoot"}
_TELLS = {
    Tells.DATES: "dates", Tells.KEYWORDS: "keywords", Tells.POSITIONS: "positions",
    Tells.OWNER: "who made them and their rights",
}  # fmt: skip
_NOTE = (
    "Kept in step from now on: what leaves the view leaves the folder. Nothing in it is touched that was not made "
    "here; what others change there stays."
)


class OutboxSheet(QWidget):
    """What copies are to be like, and where. Escape leaves it."""

    wanted = Signal(object, object)
    """The folder, and what copies are to be like."""
    left = Signal()

    def __init__(self, theme: Theme, parent: QWidget, ask_folder: Callable[[str], str]) -> None:
        """
        Args:
            theme: colours and sizes.
            parent: over which it lies.
            ask_folder: asks for a folder; empty where none was chosen.
        """
        super().__init__(parent)
        self._theme, self._ask_folder = theme, ask_folder
        self.folder, self.like = "", Asked()
        self.setAutoFillBackground(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._what = Label("")
        self.where, self.length, self.clips, self.says, self.names = (self._blank() for _ in range(5))
        self.where.clicked.connect(self._choose)
        self.length.clicked.connect(lambda: self._offer(self.length, _LENGTHS, self.like.longest, "longest"))
        self.clips.clicked.connect(lambda: self._offer(self.clips, _CLIPS, self.like.clips, "clips"))
        self.names.clicked.connect(lambda: self._offer(self.names, _NAMES, self.like.names, "names"))
        self.says.clicked.connect(self._offer_words)
        self.fill, self.leave = QPushButton("Fill it"), QPushButton("Leave it")
        self.fill.setProperty("main", True)
        for button in (self.fill, self.leave):
            button.setProperty("small", True)
        self.fill.clicked.connect(self._fill)
        self.leave.clicked.connect(self._close)
        self._note = Label(_NOTE)
        self._note.setFont(font(12))
        self._note.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(6)
        column.addLayout(_line(self._what, self.where, Label("with"), self.length, Label("on the longer side,")))
        column.addLayout(_line(
            Label("clips as"), self.clips, Label("saying"), self.says, Label("and called"), self.names,
        ))  # fmt: skip
        last = QHBoxLayout()
        last.addWidget(self._note, 1)
        last.addWidget(self.fill)
        last.addWidget(self.leave)
        column.addLayout(last)
        self.hide()

    def _blank(self) -> QPushButton:
        button = QPushButton("")
        button.setProperty("chip", True)
        return button

    def open(self, view: str, captures: int, place: QRect) -> None:
        """Ask about a view.

        Args:
            view: its sentence.
            captures: how many it shows now.
            place: where its sentence stands.
        """
        self.folder, self.like = "", Asked()
        said = view if len(view) <= _LONGEST else f"{view[: _LONGEST - 1]}…"
        self._what.setText(f"Small copies of {said}, {captures:,} now, in")
        self.setGeometry(place.x(), place.y(), place.width(), _HEIGHT)
        self._show()
        self.show()
        self.raise_()
        self.where.setFocus()

    def _show(self) -> None:
        like = self.like
        self.where.setText(caption(self.folder.rstrip("/").rpartition("/")[2]) if self.folder else "which folder?")
        tip(self.where, self.folder or "The folder; a program that syncs may carry it away")
        self.length.setText(_LENGTHS.get(like.longest, f"{like.longest:,} pixels"))
        self.clips.setText(_CLIPS[like.clips])
        self.says.setText(", ".join(words for tell, words in _TELLS.items() if tell in like.tells) or "nothing")
        self.names.setText(_NAMES.get(like.names, plain(like.names)))
        self.fill.setEnabled(bool(self.folder))
        tip(self.fill, "" if self.folder else "Which folder?")

    # ---- what is answered

    def _choose(self) -> None:
        self.folder = self._ask_folder("The folder that small copies are kept in") or self.folder
        self._show()
        (self.fill if self.folder else self.where).setFocus()

    def _offer(self, button: QPushButton, offers: Mapping[_T, str], now: _T, what: str) -> None:
        menu = self._menu()
        for one, words in offers.items():
            action = menu.addAction(words, partial(self._take, **{what: one}))
            action.setCheckable(True)
            action.setChecked(one == now)
        menu.popup(button.mapToGlobal(QPoint(0, button.height())))

    def _offer_words(self) -> None:
        menu = self._menu()
        for one, words in _TELLS.items():
            action = QAction(words, menu, checkable=True, checked=one in self.like.tells)
            action.triggered.connect(partial(self._turn, one))
            menu.addAction(action)
        menu.popup(self.says.mapToGlobal(QPoint(0, self.says.height())))

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        return menu

    def _turn(self, tell: Tells) -> None:
        """Say something more, or less. Whatever else is said, dates are: without them nothing is."""
        tells = self.like.tells ^ {tell}
        self._take(tells=frozenset() if tell is Tells.DATES and tell not in tells else tells)

    def _take(self, **changes: object) -> None:
        like = self.like
        values = {
            "longest": like.longest, "quality": like.quality, "clips": like.clips, "tells": like.tells,
            "names": like.names, **changes,
        }  # fmt: skip
        self.like = asked(**values)
        self._show()

    def _fill(self) -> None:
        if self.folder:
            self.hide()
            self.wanted.emit(self.folder, self.like)
            self.left.emit()

    def _close(self) -> None:
        self.hide()
        self.left.emit()

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._close()
        else:
            super().keyPressEvent(event)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        paint.card(QPainter(self), self.rect(), self._theme.card, self._theme.line)


def _line(*parts: QWidget) -> QHBoxLayout:
    line = QHBoxLayout()
    line.setSpacing(6)
    for part in parts:
        line.addWidget(part)
    line.addStretch(1)
    return line
