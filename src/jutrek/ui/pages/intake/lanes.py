"""Lanes: what each device did on a day, on a shared time axis. A lane is dragged sideways to put its clock right."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from jutrek.desk.board_captures import State
from jutrek.desk.board_days import DayView
from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

if TYPE_CHECKING:
    from jutrek.captures import Device

    Lane = tuple[str, QColor, tuple[Device, ...]]
    """Sign, colour and devices of a lane."""

LANE, SIGN = 6, 18
_LANES_SHOWN, _WIDEST_GAP = 6, 9
_WIDER = 1 << 24
"""More pixels than a tick is wide."""
_START = 4
"""Pixels that a press has to move before it is a drag."""
_QUARTER, _SECOND = 900, 1


def shift_words(seconds: float) -> str:
    """A shift as it is told beside the pointer: `+01:00:00`.

    The questions' own words come with them from the core, which is not imported before the first paint.
    """
    whole = round(abs(seconds))
    sign = "-" if seconds < 0 else "+"
    return f"{sign}{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"


class Lanes(QWidget, Spoken):
    """The lanes of a row. A drag along one tells by how much; with Ctrl it chooses what lies within."""

    pressed = Signal()
    shifted = Signal(object, float)
    """A device's key, and seconds."""
    ranged = Signal(object, float, float)
    """A device's key (empty for all), and hours from and to."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._view: DayView | None = None
        self.hours = (0.0, 24.0)
        self._picture: QPixmap | None = None
        self._press: QPoint | None = None
        self._drag: tuple[str, float] | None = None
        self._range: tuple[int, int] | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("When each device was at work")

    def show_view(self, view: DayView, hours: tuple[float, float]) -> None:
        """Show a row on a time axis that goes from one hour to another."""
        self._view, self.hours, self._picture = view, hours, None
        self._press = self._drag = self._range = None
        self.setToolTip("Drag a lane to put its clock right; with Ctrl to choose captures" if view.is_shoot else "")
        self.update()

    def resizeEvent(self, event: object) -> None:
        self._picture = None

    def lanes(self) -> list[Lane]:
        """Sign, colour and devices of each lane; of too many devices the last lane shows the rest."""
        theme, devices = self._theme, self._view.devices if self._view else ()
        alone = devices if len(devices) <= _LANES_SHOWN else devices[: _LANES_SHOWN - 1]
        lanes: list[Lane] = [(device.letter, theme.device(device.colour), (device,)) for device in alone]
        if rest := devices[len(alone) :]:
            lanes.append((f"+{len(rest)}", theme.soft, rest))
        return lanes

    def spoken_parts(self) -> list[Part]:
        parts = []
        for number, ((_, _, devices), ticks) in enumerate(zip(lanes := self.lanes(), self._ticks(lanes), strict=True)):
            names = ", ".join(f"{device.letter} {device.name}" for device in devices)
            box = QRect(0, self.top_of(number) - 2, self.width(), self._gap())
            parts.append(Part(f"{names}: {paint.counted(len(ticks), 'moment')}", box))
        return parts

    def top_of(self, number: int) -> int:
        """Where a lane begins, in pixels."""
        gap = self._gap()
        return (self.height() - len(self.lanes()) * gap) // 2 + number * gap

    def _gap(self) -> int:
        """From one lane to the next, in pixels: closer where there are many."""
        return min(_WIDEST_GAP, self.height() // max(1, len(self.lanes())))

    def lane_at(self, at: QPoint) -> Device | None:
        """The device of the lane at a point; None beside lanes, and on one that several share."""
        for number, (_, _, devices) in enumerate(self.lanes()):
            if 0 <= at.y() - self.top_of(number) + 2 < self._gap():
                return devices[0] if len(devices) == 1 else None
        return None

    @property
    def seconds_per_pixel(self) -> float:
        """The scale of the axis."""
        start, end = self._axis()
        return (end - start) * 3600 / max(1, self.width() - SIGN - 3)

    def _axis(self) -> tuple[float, float]:
        view = self._view
        if view is None or not view.parts:
            return self.hours
        hours = view.marks.hours
        if not hours.size:
            return self.hours
        return float(hours.min()), max(float(hours.max()), float(hours.min()) + 1)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._view is None:
            return
        if self._picture is None:
            self._picture = self._draw(self.size())
        painter.drawPixmap(0, 0, self._picture)
        if self._drag is not None:
            self._paint_drag(painter, *self._drag)
        if self._range is not None:
            low, high = sorted(self._range)
            wash = QColor(self._theme.accent)
            wash.setAlphaF(0.25)
            painter.fillRect(QRect(low, 0, high - low, self.height()), wash)

    def _draw(self, size: QSize) -> QPixmap:
        """Lanes are drawn once and kept: a day may hold thousands of ticks."""
        ratio, theme = self.devicePixelRatioF(), self._theme
        pixmap = QPixmap(size * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        lanes = self.lanes()
        for number, ((sign, colour, _), ticks) in enumerate(zip(lanes, self._ticks(lanes), strict=True)):
            y = self.top_of(number)
            paint.text(painter, QRect(0, y - 3, 20, 12), sign, font(10, BOLD), colour)
            painter.fillRect(QRect(SIGN, y, size.width() - SIGN, LANE), theme.track)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawRects([QRect(SIGN + x, y, wide, LANE) for x, wide in ticks])
        painter.end()
        return pixmap

    def _ticks(self, lanes: Sequence[Lane]) -> list[list[tuple[int, int]]]:
        """Of each lane left ends and widths in pixels of its captures; those that fall on one another count once."""
        view = self._view
        if view is None:
            return [[] for _ in lanes]
        import numpy as np

        marks, (start, _) = view.marks, self._axis()
        scale = 3600 / self.seconds_per_pixel
        left = ((marks.hours - start) * scale).astype(np.int64)
        wide = np.maximum(np.where(marks.clips, 6, 2), (marks.seconds / 3600 * scale).astype(np.int64))
        number = {device.key: at for at, device in enumerate(view.devices)}
        ticks = []
        for _, _, devices in lanes:
            own = np.isin(marks.devices, [number[device.key] for device in devices if device.key in number])
            # One number for both: of those that fall on one another one is drawn.
            both = np.unique(left[own] * _WIDER + wide[own])
            ticks.append(list(zip((both // _WIDER).tolist(), (both % _WIDER).tolist(), strict=True)))
        return ticks

    def _paint_drag(self, painter: QPainter, key: str, seconds: float) -> None:
        """The ghost of a lane where it would be, and by how much that is."""
        theme, shift = self._theme, round(seconds / self.seconds_per_pixel)
        for number, lane in enumerate(self.lanes()):
            _, colour, devices = lane
            if devices[0].key != key or len(devices) > 1:
                continue
            y = self.top_of(number)
            painter.fillRect(QRect(SIGN, y - 1, self.width() - SIGN, LANE + 2), theme.card)
            faint = QColor(colour)
            faint.setAlphaF(0.3)
            for x, wide in self._ticks([lane])[0]:
                painter.fillRect(SIGN + x, y, wide, LANE, faint)
                painter.fillRect(SIGN + x + shift, y, wide, LANE, colour)
            words = shift_words(seconds)
            box = QRect(0, 0, 66, 15)
            box.moveCenter(QPoint(min(max(SIGN + 33, self._at.x()), self.width() - 33), max(8, y - 9)))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.ink)
            painter.drawRoundedRect(box, 3, 3)
            paint.text(painter, box, words, font(11, SEMIBOLD), theme.card, align=paint.CENTRE)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self._press = self._at = event.position().toPoint()

    def _may_shift(self) -> bool:
        """Whether a clock fix could still change a name: what is home keeps the one that it has."""
        view = self._view
        return view is not None and view.is_shoot and view.count(State.BRING, State.LOOK, State.FAILED) > 0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = self._at = event.position().toPoint()
        is_shoot = self._view is not None and self._view.is_shoot
        over = self._may_shift() and self.lane_at(at) is not None
        self.setCursor(Qt.CursorShape.SizeHorCursor if over or self._drag else Qt.CursorShape.PointingHandCursor)
        if self._press is None or not is_shoot:
            return
        moved = at.x() - self._press.x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier or self._range is not None:
            self._range = (self._press.x(), at.x())
        elif self._may_shift() and (self._drag is not None or abs(moved) >= _START):
            device = self.lane_at(self._press)
            if device is not None:
                step = _SECOND if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else _QUARTER
                seconds = round(moved * self.seconds_per_pixel / step) * step
                self._drag = (device.key, float(seconds))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        press, drag, span = self._press, self._drag, self._range
        self._press = self._range = None
        if span is not None and press is not None:
            low, high = sorted(span)
            start = self._axis()[0]
            hours = [start + max(0, x - SIGN) * self.seconds_per_pixel / 3600 for x in (low, high)]
            device = self.lane_at(press)
            self.ranged.emit(device.key if device else "", *hours)
        elif drag is not None and drag[1]:
            self.shifted.emit(*drag)
        elif press is not None:
            self._drag = None
            self.pressed.emit()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self._drag is not None:
            self.forget()
        else:
            super().keyPressEvent(event)

    def forget(self) -> None:
        """Let the ghost of a drag go."""
        self._press = self._drag = None
        self.update()
