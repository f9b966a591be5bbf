"""The places of copies: their room before a run, how far each is during one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from jutrek.desk.board import Board, Storage
from jutrek.ui import paint
from jutrek.ui.plainly import caption, tip
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.desk.events import PlaceState
    from jutrek.transfer import Progress, Stream

_TOP, _EACH = 34, 56


class CopiesPanel(QWidget):
    """Every place with its name, its bar, and a line below."""

    added = Signal()
    forgotten = Signal(object)
    caught_up = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._places: tuple[Storage, ...] = ()
        self._needed = 0
        self._streams: dict[str, Stream] = {}
        self._states: dict[str, PlaceState] = {}
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.add = QPushButton("Add a backup…", self)
        self.add.setProperty("link", True)
        self.add.setToolTip("A folder on another drive that gets a copy of everything")
        self.add.clicked.connect(self.added)
        self._fit()

    def show_board(self, board: Board) -> None:
        """Show where a board's captures go."""
        self._places = (board.place, *board.places) if board.place is not None else ()
        self._needed = board.bring_bytes
        self._fit()

    def show_states(self, states: tuple[PlaceState, ...]) -> None:
        """Learn what places lack."""
        self._states = {state.place.id: state for state in states}
        self._say()
        self.update()

    def show_progress(self, progress: Progress | None) -> None:
        """Show how far each place is; None goes back to its room."""
        self._streams = {stream.name: stream for stream in progress.places} if progress is not None else {}
        self.add.setVisible(progress is None and bool(self._places))
        self._say()
        self.update()

    def words_of(self, place: Storage) -> tuple[str, str, bool]:
        """What is said of a place: below its bar at the left and at the right, and whether that is bad news."""
        stream = self._streams.get(place.id)
        if stream is not None:
            if stream.lost:
                return stream.lost, "", True
            done = f"{paint.size_words(stream.bytes)} of {paint.size_words(stream.all_bytes)} read back"
            return done, f"{paint.size_words(stream.speed)}/s" if stream.speed else "", False
        if not place.here:
            return "not connected; it is caught up later", "", False
        if lacks := self._lacks(place):
            return f"is missing {paint.counted(lacks, 'file')}: Enter brings them", "", False
        takes = f"this intake takes {paint.size_words(self._needed)}" if self._needed else "nothing more to copy"
        if self._needed > place.free:
            return f"too small: {paint.size_words(self._needed)} to copy", "", True
        return takes, "", False

    def _lacks(self, place: Storage) -> int:
        """How many files a connected place lacks."""
        state = self._states.get(place.id)
        return state.lacks if state is not None and place.here else 0

    def _fit(self) -> None:
        shown = max(1, len(self._places))
        self.setFixedHeight(_TOP + _EACH * shown + (26 if self._places else 0))
        self.add.setVisible(bool(self._places) and not self._streams)
        self.add.setGeometry(8, self.height() - 32, self.add.sizeHint().width(), 24)
        self._say()
        self.update()

    def _say(self) -> None:
        said = []
        for place in self._places:
            free = f"{paint.size_words(place.free)} free, " if place.here else ""
            said.append(f"{place.name}: {free}{self.words_of(place)[0]}")
        self.setAccessibleName(f"Copies: {'; '.join(said) or 'no library is chosen'}")
        tip(self, "\n".join(place.root for place in self._places))

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        edge = theme.accent if self.hasFocus() else theme.line
        paint.card(painter, self.rect(), theme.card, edge, width=2 if self.hasFocus() else 1)
        line = QRect(14, 10, self.width() - 28, 18)
        paint.text(
            painter, line, "Library and backups" if self._streams else "Copies", font(12.5, SEMIBOLD), theme.soft
        )
        if not self._places:
            paint.text(painter, line.translated(0, 24), "No library is chosen.", font(13), theme.soft)
        for number, place in enumerate(self._places):
            self._paint_place(painter, QRect(14, _TOP + _EACH * number, self.width() - 28, 18), place)

    def _paint_place(self, painter: QPainter, row: QRect, place: Storage) -> None:
        theme, stream = self._theme, self._streams.get(place.id)
        left, right, bad = self.words_of(place)
        free = f"{paint.size_words(place.free)} free" if place.here else ""
        used = paint.text(painter, row, free, font(12), theme.soft, align=paint.RIGHT)
        ink = theme.ink if place.here else theme.soft
        paint.text(painter, row.adjusted(0, 0, -used - 10, 0), place.name, font(13, BOLD), ink)
        track = QRect(row.left(), row.bottom() + 5, row.width(), 5)
        if stream is not None:
            colour = theme.brick if stream.lost else theme.accent
            paint.bar(painter, track, stream.bytes / (stream.all_bytes or 1), colour, theme.track)
        elif place.here:
            total = place.total or 1
            taken = place.total - place.free
            paint.bar(painter, track, (taken + self._needed) / total, theme.brick if bad else theme.accent, theme.track)
            paint.bar(painter, track, taken / total, theme.home.lighter(130), Qt.GlobalColor.transparent)
        else:
            paint.bar(painter, track, 0, theme.accent, theme.track)
        below = QRect(row.left(), track.bottom() + 4, row.width(), 16)
        used = paint.text(painter, below, right, font(12), theme.soft, align=paint.RIGHT)
        colour = theme.brick if bad else theme.soft
        paint.text(painter, below.adjusted(0, 0, -used - 8, 0), left, font(12), colour)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._offer(event.globalPosition().toPoint())

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._offer(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Menu):
            self._offer(self.mapToGlobal(self.rect().center()))
        else:
            super().keyPressEvent(event)

    def _offer(self, at: QPoint) -> None:
        if acts := self.acts():
            menu = QMenu(self)
            for words, do in acts:
                menu.addAction(caption(words), do)
            menu.exec(at)

    def acts(self) -> list[tuple[str, Callable[[], object]]]:
        """All that can be done with backups, in words."""
        if not self._places or self._streams:
            return []
        acts: list[tuple[str, Callable[[], object]]] = [("Add a backup…", self.added.emit)]
        for place in self._places[1:]:
            if lacks := self._lacks(place):
                words = f"Bring {place.name} the {paint.counted(lacks, 'file')} it is missing"
                acts.append((words, partial(self.caught_up.emit, place.id)))
        for place in self._places[1:]:
            acts.append((f"Keep no more copies in {place.name}", partial(self.forgotten.emit, place.id)))
        return acts
