"""The outcome bar: what becomes of the captures, in shares that can be clicked to narrow the board."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.desk.board import Board
from jutrek.desk.board_captures import State
from jutrek.ui import paint
from jutrek.ui.theme import BOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

if TYPE_CHECKING:
    from jutrek.transfer import Progress

_GAP = 3


class _Share(NamedTuple):
    words: str
    states: tuple[State, ...]
    captures: int
    fill: QColor
    ink: QColor


class OutcomeBar(QWidget, Spoken):
    """Shares: to bring home, already home, need a look. While a run is at work: proven and to come."""

    narrowed = Signal(tuple)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.shares: list[_Share] = []
        self._chosen: tuple[State, ...] = ()
        self._focused = 0
        self._progress: Progress | None = None
        self.setFixedHeight(28)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_board(self, board: Board) -> None:
        """Show the shares of a board."""
        theme = self._theme
        grey, dark = QColor("#5F6E72"), QColor("#FFFFFF")
        shares = (
            _Share("to bring home", (State.BRING,), board.count(State.BRING), theme.accent, theme.on_accent),
            _Share("at home", (State.HOME, State.BROUGHT), board.count(State.HOME, State.BROUGHT), grey, dark),
            _Share("here twice", (State.TWIN,), board.count(State.TWIN), grey, dark),
            _Share("need a look", (State.LOOK,), board.count(State.LOOK), theme.amber, theme.on_accent),
            _Share("set aside", (State.ASIDE,), board.count(State.ASIDE), grey, dark),
            _Share("not home", (State.FAILED,), board.count(State.FAILED), theme.brick, theme.on_accent),
        )
        self.shares = [share for share in shares if share.captures]
        self._focused = min(self._focused, max(0, len(self.shares) - 1))
        words = ", ".join(f"{share.captures} {share.words}" for share in self.shares)
        self.setAccessibleName(f"Outcome: {words or 'no captures yet'}")
        self._renew()

    def show_progress(self, progress: Progress | None) -> None:
        """Show a run at work; None goes back to the shares."""
        self._progress = progress
        self._renew()

    def _renew(self) -> None:
        can = self._progress is None and bool(self.shares)
        self.setCursor(Qt.CursorShape.PointingHandCursor if can else Qt.CursorShape.ArrowCursor)
        self.update()

    def narrow(self, states: tuple[State, ...]) -> None:
        """Mark the share that the board is narrowed to; nothing marks none."""
        self._chosen = states
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, 28)

    def _boxes(self) -> list[QRect]:
        """A box per share, in proportion, but wide enough to be read."""
        metrics = QFontMetrics(font(13, BOLD))
        least = [metrics.horizontalAdvance(f"{share.captures:,}  {share.words}") + 24 for share in self.shares]
        room = max(0, self.width() - sum(least) - _GAP * (len(least) - 1))
        total = sum(share.captures for share in self.shares) or 1
        boxes, left = [], 0
        for share, width in zip(self.shares, least, strict=True):
            wide = width + room * share.captures // total
            boxes.append(QRect(left, 0, wide, self.height()))
            left += wide + _GAP
        if boxes:
            boxes[-1].setRight(self.width() - 1)
        return boxes

    def spoken_parts(self) -> list[Part]:
        if self._progress is not None:
            return [Part(", ".join(_far(self._progress)), self.rect())]
        return [
            Part(f"{share.captures:,} {share.words}", box, share.states == self._chosen, number == self._focused)
            for number, (share, box) in enumerate(zip(self.shares, self._boxes(), strict=True))
        ]

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._progress is not None:
            self._paint_progress(painter, self._progress)
            return
        if not self.shares:
            paint.bar(painter, self.rect(), 0, theme.accent, theme.track)
            return
        for number, (share, box) in enumerate(zip(self.shares, self._boxes(), strict=True)):
            faint = bool(self._chosen) and share.states != self._chosen
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.track if faint else share.fill)
            painter.drawRoundedRect(box, 4, 4)
            ink = theme.ink if faint else share.ink
            inner = box.adjusted(11, 0, -6, 0)
            used = paint.text(painter, inner, f"{share.captures:,}", font(13, BOLD), ink)
            paint.text(painter, inner.adjusted(used + 8, 0, 0, 0), share.words, font(12.5), ink)
            if self.hasFocus() and number == self._focused:
                painter.setPen(QPen(theme.ink, 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(1, 1, -1, -1), 4, 4)

    def _paint_progress(self, painter: QPainter, progress: Progress) -> None:
        theme, box = self._theme, self.rect()
        total = progress.all_bytes or 1
        paint.bar(painter, box, progress.read_bytes / total, theme.accent.lighter(160), theme.track)
        paint.bar(painter, box, progress.bytes / total, theme.accent, QColor(0, 0, 0, 0))
        proven, rest = _far(progress)
        far = progress.bytes / total > 0.25
        paint.text(painter, box.adjusted(11, 0, 0, 0), proven, font(13, BOLD), theme.on_accent if far else theme.ink)
        covered = max(progress.bytes, progress.read_bytes) / total > 0.88
        ink = theme.on_accent if covered else theme.ink
        paint.text(painter, box.adjusted(0, 0, -11, 0), rest, font(12.5), ink, align=paint.RIGHT)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for number, box in enumerate(self._boxes()):
            if box.contains(event.position().toPoint()):
                self._press(number)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps: dict[int, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event.key() in steps and self.shares:
            self._focused = (self._focused + steps[event.key()]) % len(self.shares)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.shares:
            self._press(self._focused)
        else:
            super().keyPressEvent(event)

    def _press(self, number: int) -> None:
        if self._progress is not None:
            return
        self._focused = number
        states = self.shares[number].states
        self.narrowed.emit(() if states == self._chosen else states)


def _far(progress: Progress) -> tuple[str, str]:
    """How far a run is."""
    return (
        f"{progress.files:,} of {progress.all_files:,} files read back",
        f"{progress.all_files - progress.files:,} to come",
    )
