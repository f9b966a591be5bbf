"""One capture of a view as it is drawn: its picture, its device's colour, its name."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPixmap

from jutrek.ui import paint
from jutrek.ui.pages.library.pennants import colour_of, paint_pennant
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.views.columns import KINDS, Names, bit_of
from jutrek.views.conditions import State

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View

STEPS = (QSize(96, 64), QSize(138, 92), QSize(204, 136), QSize(300, 200))
"""Sizes of pictures in pixels; they grow with their cells."""
USUAL = 1
_AROUND = QSize(8, 26)
_GROWN = 1.3
_WANTS_LOOK = bit_of(State.DOUBTFUL) | bit_of(State.CHANGED)
_BAD = bit_of(State.DAMAGED) | bit_of(State.GONE)
_AWAY = QColor(244, 246, 244, 96)
"""Over pictures of what is on a drive that is away."""
_BADGE, _ON_BADGE = QColor(24, 38, 44, 205), QColor("#FFFFFF")


class Cells:
    """Draws captures."""

    steps: ClassVar[tuple[QSize, ...]] = STEPS
    whole: ClassVar[bool] = False
    """Whether pictures are wanted of which nothing is cropped."""

    def __init__(self, theme: Theme) -> None:
        self._theme = theme
        self._least = self.size = self.steps[USUAL]
        self.made = self._least * _GROWN
        """As which pictures are made."""

    def show_size(self, step: int) -> None:
        """Draw in another size."""
        self._least = self.steps[max(0, min(step, len(self.steps) - 1))]
        self.made = self._least * _GROWN

    def fit(self, width: int) -> tuple[int, QSize]:
        """Have cells side by side, as many as there is room for. Returns how many, and their size in pixels."""
        columns = max(1, width // (self._least.width() + _AROUND.width()))
        wide = max(self._least.width() + _AROUND.width(), width // columns)
        room = QSize(wide - _AROUND.width(), round(self._least.height() * _GROWN))
        self.size = self._least.scaled(room, Qt.AspectRatioMode.KeepAspectRatio)
        return columns, QSize(wide, self.size.height() + _AROUND.height())

    def frame(self, box: QRect) -> QRect:
        """Where the picture is in a cell."""
        return QRect(box.topLeft() + QPoint(3, 3), self.size)

    def draw(
        self,
        painter: QPainter,
        box: QRect,
        view: View,
        row: int,
        picture: QPixmap | None,
        *,
        chosen: bool,
        current: bool,
    ) -> None:
        """Draw a capture into its cell.

        Args:
            painter: paints.
            box: the cell in pixels.
            view: that it is of.
            row: of it in the columns.
            picture: of it; None where there is none yet.
            chosen, current: whether it is chosen, and whether keys go to it.
        """
        theme, columns = self._theme, view.columns
        frame = self.frame(box)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self.picture(painter, frame, picture)
        device = columns.names[Names.DEVICE][columns.device[row]]
        if device:
            colour = theme.device(view.colours.get(device, 0)) if device in view.colours else theme.home
            painter.fillRect(QRect(frame.left(), frame.bottom() - 2, frame.width(), 3), colour)
        if columns.length[row]:
            self.badge(painter, frame.topLeft() + QPoint(4, 4), paint.length_words(columns.length[row] / 1000))
        if (drive := view.drive_of(row)) is not None and not drive.here:
            painter.fillRect(frame, _AWAY)
            self.badge(painter, QPoint(frame.left() + 4, frame.bottom() - 22), drive.words)
        mark = columns.names[Names.MARK][columns.mark[row]]
        if mark:
            paint_pennant(painter, QPoint(frame.right() - 26, frame.top()), mark, colour_of(view.marks, mark))
        state = int(columns.state[row])
        edge = theme.accent if chosen else theme.brick if state & _BAD else theme.amber if state & _WANTS_LOOK else None
        if edge is not None or current:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(edge or theme.ink, 2, Qt.PenStyle.SolidLine if edge else Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(frame.adjusted(-2, -2, 2, 2), 3, 3)
        line = QRect(frame.left(), frame.bottom() + 4, frame.width(), 16)
        self.caption(painter, line, view, row, font(11.5, SEMIBOLD) if chosen else font(11.5))

    def caption(self, painter: QPainter, line: QRect, view: View, row: int, face: QFont) -> None:
        """Say what a capture is, below its picture: its name, and what else than a still it is."""
        theme, columns = self._theme, view.columns
        kind = KINDS[columns.kind[row]]
        about = columns.names[Names.FORMAT][columns.format[row]] if kind != "still" or columns.companions(row) else ""
        right = paint.text(painter, line, about, font(11), theme.soft, align=paint.RIGHT) if about else 0
        stem = columns.name(row).rpartition(".")[0] or columns.name(row)
        paint.name(painter, line.adjusted(0, 0, -right - 4 if right else 0, 0), stem, face, theme.ink)

    def picture(self, painter: QPainter, frame: QRect, picture: QPixmap | None) -> None:
        """Draw a picture into its frame."""
        if picture is not None:
            painter.drawPixmap(frame, picture)
        else:
            painter.fillRect(frame, self._theme.track)

    def badge(self, painter: QPainter, at: QPoint, words: str) -> None:
        """A few words over a picture."""
        face = font(11, SEMIBOLD)
        box = QRect(at, QSize(paint.width_of(words, face) + 12, 15))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_BADGE)
        painter.drawRoundedRect(box, 3, 3)
        paint.text(painter, box, words, face, _ON_BADGE, align=paint.CENTRE)
