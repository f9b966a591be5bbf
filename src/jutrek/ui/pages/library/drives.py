"""The drives of a library and of its backups: how much room each has, and whether it is here."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.ui import paint
from jutrek.ui.plainly import tip
from jutrek.ui.theme import SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.desk.board import Board, Storage

_EACH, _MOST = 30, 4


class Drives(QWidget):
    """A line and a bar for each, the library's first."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._drives: tuple[Storage, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_EACH)

    def show_board(self, board: Board) -> None:
        """Show where a board's captures are kept."""
        self._drives = (board.place, *board.places)[:_MOST] if board.place is not None else ()
        self.setFixedHeight(_EACH * max(1, len(self._drives)))
        self.setAccessibleName("; ".join(f"{one.name}: {_room(one)}" for one in self._drives))
        tip(self, "\n".join(one.root for one in self._drives))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(240, self.height())

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        for number, drive in enumerate(self._drives):
            line = QRect(4, _EACH * number, self.width() - 8, 18)
            used = paint.text(painter, line, _room(drive), font(12), theme.soft, align=paint.RIGHT)
            paint.text(painter, line.adjusted(0, 0, -used - 8, 0), drive.name, font(12.5, SEMIBOLD), theme.ink)
            bar = QRect(line.left(), line.bottom() + 3, line.width(), 4)
            painter.fillRect(bar, theme.track)
            if drive.here and drive.total:
                share = 1 - drive.free / drive.total
                painter.fillRect(QRect(bar.topLeft(), QSize(round(bar.width() * share), 4)), theme.home)


def _room(drive: Storage) -> str:
    if not drive.here:
        return "away"
    if not drive.total:
        return "does not answer"
    return f"{paint.size_words(drive.free)} free of {paint.size_words(drive.total)}"
