"""The large picture of up close. A clip is walked through by moving the pointer across it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.desk.board_captures import CLIP, SIDECAR, SOUND, CaptureView
from jutrek.ui import paint
from jutrek.ui.pictures.large import OneAtATime
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import SEMIBOLD, Theme, font

_INSET = 12
_LINE = 30
"""The height of the line below a clip or a sound that shows where in it one is."""
_A_MOMENT = 60
_STEP = 0.05
_BADGE, _ON_BADGE = QColor(24, 38, 44, 205), QColor("#FFFFFF")


class Stage(QWidget):
    """Shows a capture as large as it fits."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._pictures = OneAtATime(pictures, self._show)
        self._caption = self._why = ""
        self._view: CaptureView | None = None
        self._pixmap: QPixmap | None = None
        self._waiting = self._focused = False
        self.share = 0.0
        self.seconds = 0.0
        self._ask_soon = QTimer(self, singleShot=True, interval=_A_MOMENT)
        self._ask_soon.timeout.connect(self._ask)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_capture(self, view: CaptureView) -> None:
        """Show another capture, or the same one anew."""
        if self._view is not None and view.id == self._view.id:
            self._view = view
            return
        self._view, self._pixmap, self._waiting = view, None, True
        self.share, self.seconds = 0.0, view.duration
        self._name_it()
        self._ask()
        self.update()

    def show_anew(self) -> None:
        """The file that is shown is another one by now."""
        self._ask()

    def say(self, caption: str) -> None:
        """Say which of two pictures it is; no words say nothing."""
        self._caption = caption
        self.update()

    def show_focus(self, focused: bool) -> None:
        """Show whether keys go to the picture."""
        self._focused = focused
        self.update()

    def picture(self) -> QPixmap | None:
        """What is shown, or None while there is nothing to show."""
        return self._pixmap

    def step(self, forward: bool) -> None:
        """Walk through a clip by a twentieth of its length."""
        self._walk_to(self.share + (_STEP if forward else -_STEP))

    def _walk_to(self, share: float) -> None:
        share = min(max(share, 0.0), 1.0)
        if self._view is not None and self._view.kind == CLIP and self.seconds and share != self.share:
            self.share = share
            self._pictures.wish(self._view, self._room(), share)
            self._name_it()
            self.update()

    def _name_it(self) -> None:
        """What a screen reader says: what is seen, and where in a clip."""
        if self._view is not None:
            at = f", at {paint.length_words(self.share * self.seconds)}" if self._view.kind == CLIP else ""
            length = f" of {paint.length_words(self.seconds)}" if self.seconds else ""
            self.setAccessibleName(f"Picture of {self._view.name}{at}{length}")

    def _ask(self) -> None:
        if self._view is not None and self._view.kind != SIDECAR and self.isVisible():
            self._pictures.wish(self._view, self._room(), self.share)

    def _area(self) -> QRect:
        timed = self._view is not None and self._view.kind in (CLIP, SOUND)
        return self.rect().adjusted(_INSET, _INSET, -_INSET, -_INSET - (_LINE if timed else 0))

    def _room(self) -> QSize:
        """The pixels that a picture may fill."""
        return (self._area().size() * self.devicePixelRatioF()).expandedTo(QSize(64, 64))

    def _show(self, capture: str, picture: QPixmap | None, seconds: float, why: str) -> None:
        if self._view is None or capture != self._view.id:
            return
        self._waiting, self._why = False, why
        self.seconds = seconds or self.seconds
        if picture is not None:
            self._pixmap = picture
            self._pixmap.setDevicePixelRatio(self.devicePixelRatioF())
        self.setAccessibleDescription("" if self._pixmap is not None else self._words())
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        area = self._area()
        self._walk_to((event.position().x() - area.left()) / max(area.width(), 1))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._ask_soon.start()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        edge, width = (theme.accent, 2.0) if self._focused else (theme.line, 1.0)
        paint.card(painter, self.rect(), theme.card, edge, width=width)
        if self._view is None:
            return
        area = self._area()
        if self._pixmap is not None:
            size = self._pixmap.size() / self._pixmap.devicePixelRatio()
            box = QRect(QPoint(0, 0), size.boundedTo(area.size()))
            box.moveCenter(area.center())
            painter.drawPixmap(box, self._pixmap)
        else:
            paint.text(painter, area, self._words(), font(14), theme.soft, align=paint.CENTRE)
        if self._caption:
            self._draw_caption(painter, area)
        if self._view.kind in (CLIP, SOUND):
            self._draw_line(painter, QRect(area.left(), area.bottom() + 12, area.width(), 16))

    def _draw_caption(self, painter: QPainter, area: QRect) -> None:
        face = font(12, SEMIBOLD)
        wide = min(paint.width_of(self._caption, face) + 20, area.width())
        badge = QRect(area.left(), area.top(), wide, 22)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_BADGE)
        painter.drawRoundedRect(badge, 4, 4)
        middle = Qt.TextElideMode.ElideMiddle
        inner = badge.adjusted(8, 0, -8, 0)
        paint.text(painter, inner, self._caption, face, _ON_BADGE, align=paint.CENTRE, cut=middle)

    def _words(self) -> str:
        if self._view is not None and self._view.kind == SIDECAR:
            return "This file holds data only."
        none = self._why or "There is no picture inside that can be shown."
        return "One moment." if self._waiting else none

    def _draw_line(self, painter: QPainter, line: QRect) -> None:
        """Where in a clip one is; for sound its length."""
        theme = self._theme
        length = paint.length_words(self.seconds) if self.seconds else "length not known"
        used = paint.text(painter, line, length, font(12), theme.soft, align=paint.RIGHT)
        if self._view is None or self._view.kind != CLIP or not self.seconds:
            return
        track = QRect(line.left(), line.center().y() - 2, line.width() - used - 12, 4)
        paint.bar(painter, track, self.share, theme.accent, theme.track)
        at = track.left() + round(track.width() * self.share)
        words = paint.length_words(self.share * self.seconds)
        painter.setFont(font(11, SEMIBOLD))
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        left = min(max(at - width // 2, track.left()), track.right() - width)
        badge = QRect(left, line.center().y() - 9, width, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_BADGE)
        painter.drawRoundedRect(badge, 4, 4)
        paint.text(painter, badge, words, font(11, SEMIBOLD), _ON_BADGE, align=paint.CENTRE)
