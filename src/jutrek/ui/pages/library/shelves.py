"""Shelves as small stacks of pictures: a click shows what stands on one; captures can be dropped on it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from jutrek.decoding import Shown
from jutrek.formats import Kind
from jutrek.ui import paint
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.plainly import tip_text
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken
from jutrek.views.columns import KINDS

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View
    from jutrek.views.shelving import Stood

_PICTURE, _BEHIND, _HIGH = QSize(66, 44), 4, 74
_LEAST = 78
_KEYS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}


class ShelfStrip(QWidget, Spoken):
    """The shelves of a library."""

    chosen = Signal(object)
    """A shelf by its name: what stands on it is wanted."""
    asked = Signal(object, object)
    """What may be done with a shelf: its name, and where a menu opens."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._pictures = theme, pictures
        self._view: View | None = None
        self._shelves: tuple[Stood, ...] = ()
        self._shown, self._over = "", -1
        self._cursor = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Shelves")
        pictures.ready.connect(lambda _: self.update())
        self._fit()

    def show_view(self, view: View | None, shown: str) -> None:
        """Show the shelves of a view's library.

        Args:
            view: laid out; None for none.
            shown: the shelf whose captures it shows; empty for none.
        """
        self._view, self._shown = view, shown.casefold()
        self._shelves = view.shelves if view is not None else ()
        self._cursor = max(0, min(self._cursor, len(self._shelves) - 1))
        self._fit()

    def _fit(self) -> None:
        across = max(1, self.width() // _LEAST)
        self.setFixedHeight(max(1, -(-len(self._shelves) // across)) * _HIGH if self._shelves else 22)
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()

    def _boxes(self) -> list[QRect]:
        across = max(1, self.width() // _LEAST)
        wide = self.width() // across
        return [
            QRect(number % across * wide, number // across * _HIGH, wide, _HIGH) for number in range(len(self._shelves))
        ]

    def at(self, point: QPoint) -> str:
        """The name of the shelf at a point; empty where there is none."""
        number = self._number(point)
        return self._shelves[number].name if number >= 0 else ""

    def _number(self, point: QPoint) -> int:
        return next((number for number, box in enumerate(self._boxes()) if box.contains(point)), -1)

    def hang_over(self, point: QPoint | None) -> None:
        """Show that captures hang over the shelf at a point; None for over none."""
        over = self._number(point) if point is not None else -1
        if over != self._over:
            self._over = over
            self.update()

    # ---- keys and the pointer

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._number(event.position().toPoint())
        if number >= 0 and event.button() is Qt.MouseButton.LeftButton:
            self._cursor = number
            self.update()
            self.chosen.emit(self._shelves[number].name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in _KEYS and self._shelves:
            self._cursor = max(0, min(len(self._shelves) - 1, self._cursor + _KEYS[key]))
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self._shelves:
            self.chosen.emit(self._shelves[self._cursor].name)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        by_pointer = event.reason() is QContextMenuEvent.Reason.Mouse
        number = self._number(event.pos()) if by_pointer else self._cursor if self._shelves else -1
        if number >= 0:
            self._cursor = number
            self.update()
            self.asked.emit(self._shelves[number].name, self.mapToGlobal(self._boxes()[number].center()))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            number = self._number(event.pos())
            words = _words(self._shelves[number]) if number >= 0 else ""
            QToolTip.showText(event.globalPos(), tip_text(words), self)
            return True
        return super().event(event)

    # ---- painting

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        if not self._shelves:
            words = "Choose some, Ctrl+H puts them on one" if self._view is not None else ""
            paint.text(painter, QRect(0, 0, self.width(), 20), words, font(12), theme.soft)
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for number, (box, shelf) in enumerate(zip(self._boxes(), self._shelves, strict=True)):
            self._shelf(painter, box, shelf, number)

    def _shelf(self, painter: QPainter, box: QRect, shelf: Stood, number: int) -> None:
        theme = self._theme
        front = QRect(box.topLeft() + QPoint(3, 3), _PICTURE)
        for behind in range(min(2, max(0, len(shelf.rows) - 1)), 0, -1):
            painter.setPen(QPen(theme.card, 1))
            painter.setBrush(theme.track.darker(100 + 12 * behind))
            painter.drawRect(front.translated(_BEHIND * behind, _BEHIND * behind // 2))
        picture = self._picture(int(shelf.rows[0])) if len(shelf.rows) else None
        painter.setPen(QPen(theme.card, 1))
        painter.setBrush(theme.track)
        painter.drawRect(front)
        if picture is not None:
            painter.drawPixmap(front, picture)
        shown, over = shelf.name.casefold() == self._shown, number == self._over
        if shown or over or (number == self._cursor and self.hasFocus()):
            style = Qt.PenStyle.SolidLine if shown or over else Qt.PenStyle.DotLine
            painter.setPen(QPen(theme.accent if shown or over else theme.ink, 3 if over else 2, style))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(front.adjusted(-2, -2, 2, 2))
        line = QRect(box.left() + 3, front.bottom() + 7, box.width() - 6, 16)
        count = f"{len(shelf.rows):,}"
        right = paint.text(painter, line, count, font(11), theme.soft, align=paint.RIGHT)
        face = font(11.5, SEMIBOLD)
        paint.text(painter, line.adjusted(0, 0, -right - 4, 0), shelf.name, face, theme.ink)

    def _picture(self, row: int) -> QPixmap | None:
        view = self._view
        if view is None:
            return None
        shown = Shown(view.whole(row), Kind(KINDS[view.columns.kind[row]]))
        return self._pictures.of(shown, view.top(row), _PICTURE, at_home=True, kept_as=view.kept_as(row))

    def spoken_parts(self) -> Sequence[Part]:
        return [
            Part(_words(shelf), box, shelf.name.casefold() == self._shown, number == self._cursor)
            for number, (box, shelf) in enumerate(zip(self._boxes(), self._shelves, strict=True))
        ]


def _words(shelf: Stood) -> str:
    words = f"{shelf.name}: {paint.counted(len(shelf.rows), 'capture')}"
    return f"{words}, {len(shelf.missing):,} more are not at home" if shelf.missing else words
