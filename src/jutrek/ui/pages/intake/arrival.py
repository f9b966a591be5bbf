"""The name on arrival: a strip below the chosen capture of the open day."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygon
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.desk.board_captures import CaptureView, State
from jutrek.ui import paint
from jutrek.ui.plainly import tip
from jutrek.ui.theme import SEMIBOLD, Theme, font
from jutrek.ui.widgets.keyed import keyed

_LEFT, _TOP, _LINE = 12, 7, 20
_NOTCH = 6
"""Pixels by which it points up at its picture."""


class ArrivalStrip(QWidget):
    """Before and after, what travels with it, and where its date comes from."""

    looked = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._view: CaptureView | None = None
        self._points_at = 0
        # It lies among the captures: what is done on it is done to none of them.
        self.setAttribute(Qt.WidgetAttribute.WA_NoMousePropagation)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.look = keyed(QPushButton("Up close", self), "Space")
        self.look.setProperty("link", True)
        self.look.setToolTip("The picture large, and all that is known of it (Space)")
        self.look.clicked.connect(self.looked)

    def show_capture(self, view: CaptureView | None) -> None:
        """Show a capture; of none it keeps what it shows, and is hidden."""
        if view is None or view == self._view:
            return
        self._view = view
        words = f"{view.name} becomes {view.new_name or 'nothing yet'}. {view.why}"
        self.setAccessibleName(f"Name on arrival: {words}")
        tip(self, "\n".join([view.id, view.why, *view.notes]))
        self.update()

    def height_for(self, width: int) -> int:
        """The height that it needs at a width, in pixels."""
        room = width - 2 * _LEFT
        return _NOTCH + _TOP + _LINE + paint.wrapped_height(self._reason(), font(12), room) + _TOP

    def point_at(self, x: int) -> None:
        """Point up at a place, in pixels from the left."""
        self._points_at = x - self.x()
        self.update()

    def resizeEvent(self, event: object) -> None:
        wide = self.look.sizeHint().width()
        self.look.setGeometry(self.width() - wide - 6, _NOTCH + 4, wide, 24)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        # The first of two clicks on a picture may have brought it here.
        self.looked.emit()

    def _reason(self) -> str:
        """What travels with it, and why it is dated, filed or left as it is."""
        view = self._view
        if view is None:
            return ""
        parts = [f"Home as {view.destination}."] if view.state is State.HOME else []
        if view.companions:
            travel = "travels with it" if len(view.companions) == 1 else "travel with it"
            parts.append(f"{', '.join(view.companions)} {travel}.")
        return " ".join([*parts, view.why, *view.notes])

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        view, theme = self._view, self._theme
        if view is None:
            return
        painter = QPainter(self)
        box = self.rect().adjusted(0, _NOTCH, 0, 0)
        paint.card(painter, box, theme.paper, theme.accent)
        self._paint_notch(painter)
        line = QRect(_LEFT, box.top() + _TOP, self.look.x() - _LEFT - 8, _LINE - 2)
        old = paint.text(painter, line, view.name, font(12.5), theme.soft, cut=Qt.TextElideMode.ElideMiddle)
        line.setLeft(line.left() + old + 8)
        line.setLeft(line.left() + paint.text(painter, line, "→", font(13), theme.soft) + 8)
        new, colour = view.new_name or "stays on the source", theme.ink if view.new_name else theme.amber
        if view.state is State.HOME:
            colour = theme.soft
        paint.name(painter, line, new, font(14, SEMIBOLD), colour)
        under = QRect(_LEFT, box.top() + _TOP + _LINE, self.width() - 2 * _LEFT, self.height())
        loud = {State.LOOK: theme.amber, State.FAILED: theme.brick}
        paint.wrapped(painter, under, self._reason(), font(12), loud.get(view.state, theme.soft))

    def _paint_notch(self, painter: QPainter) -> None:
        """The corner that points at the picture."""
        at, theme = QPoint(self._points_at, 0), self._theme
        sides = [at + QPoint(-_NOTCH, _NOTCH + 1), at, at + QPoint(_NOTCH, _NOTCH + 1)]
        painter.setBrush(theme.paper)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygon(sides))
        painter.setPen(theme.accent)
        painter.drawPolyline(QPolygon(sides))
