"""When: a row per day with a lane per device on a shared time axis; the chosen row opens into its captures."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from PySide6.QtCore import QLocale, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QPushButton, QSizePolicy, QWidget

from jutrek.desk.board import CLIP, DayView, State, day_view, hour_of
from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, THIN, Theme, font

if TYPE_CHECKING:
    from jutrek.ui.intake.grid import CaptureGrid

_LANE, _LANE_GAP, _LANES_SHOWN, _SIGN = 6, 9, 5, 18
_HEAD, _INSET = 62, 12
_LANES_RIGHT, _TEXT_LEAST = 92, 128


class DayRow(QAbstractButton):
    """One day (or month, or year), or the captures that need a look."""

    opened = Signal(str)
    undated = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.view = day_view("", None, ())
        self._hours = (0.0, 24.0)
        self._running = False
        self._grid: CaptureGrid | None = None
        self._lanes: QPixmap | None = None
        self._choice: QPushButton | None = None
        self.clicked.connect(lambda: self.opened.emit(self.view.key))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_view(self, view: DayView, hours: tuple[float, float], *, running: bool, choice: str) -> None:
        """Show a day on a time axis that goes from one hour to another.

        Args:
            running: whether a run is at work, so that progress stands in place of the lanes.
            choice: what the button of the undated row says.
        """
        self.view, self._hours, self._running = view, hours, running
        self._lanes = None
        self._offer(choice if view.start is None and not running else "")
        self.setAccessibleName(
            ", ".join(part for part in (self._date_words(), *self._words(), self._standing()) if part)
        )
        self._fit()
        self.update()

    def _offer(self, words: str) -> None:
        """A button at the right; only the undated row ever gets one."""
        if words and self._choice is None:
            self._choice = QPushButton("", self)
            self._choice.setProperty("link", True)
            self._choice.clicked.connect(self.undated)
        if self._choice is not None:
            self._choice.setText(words)
            self._choice.setVisible(bool(words))

    def open(self, grid: CaptureGrid | None) -> None:
        """Open the row with a grid, or close it."""
        if grid is None and self._grid is None:
            return
        self._grid = grid
        if grid is not None:
            if grid.parentWidget() is not self:
                grid.setParent(self)
            grid.show_captures(self.view.captures)
            grid.show()
        self._fit()
        self.update()

    def stops(self) -> tuple[QWidget, ...]:
        """What can take the focus, in order."""
        return (self,) if self._choice is None else (self, self._choice)

    @property
    def anchor(self) -> int:
        """The height within the row at which ribbons end, in pixels."""
        return _HEAD // 2

    def _fit(self) -> None:
        height = _HEAD
        if self._grid is not None:
            width = self.width() - 2 * _INSET + 4
            tall = self._grid.height_for(width)
            self._grid.setGeometry(_INSET - 3, _HEAD + 8, width, tall)
            height += tall + 14
        if self.minimumHeight() != height:
            self.setFixedHeight(height)
        if self._choice is not None:
            hint = self._choice.sizeHint()
            self._choice.setGeometry(self.width() - hint.width() - 10, 17, hint.width(), hint.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lanes = None
        self._fit()

    def _date_words(self) -> str:
        view = self.view
        if view.start is None:
            return f"{paint.counted(len(view.captures), 'capture')} without a date to trust"
        form = {10: "dddd d MMMM yyyy", 7: "MMMM yyyy", 4: "yyyy"}[len(view.key)]
        return str(QLocale().toString(view.start, form))

    def _words(self) -> tuple[str, str]:
        view = self.view
        captures = paint.counted(len(view.captures), "capture")
        devices = paint.counted(len(view.devices), "device")
        if view.start is None:
            reasons: dict[str, int] = {}
            for capture in view.captures:
                # What is different for each capture stands behind a colon, and in Close look.
                first = capture.why.split(". ")[0].split(": ")[0].rstrip(".")
                reasons[first] = reasons.get(first, 0) + 1
            most = sorted(reasons.items(), key=lambda reason: -reason[1])
            return "", " · ".join(f"{count}: {words}" for words, count in most)
        if len(view.key) == 10 and view.hours:
            first, last = (f"{int(hour):02}:{int(hour % 1 * 60 + 1e-6):02}" for hour in view.hours)
            return captures, f"{devices} · {first} – {last}"
        days = len({capture.when.date() for capture in view.captures if capture.when})
        return captures, f"{devices} · {paint.counted(days, 'day')}"

    def _standing(self) -> str:
        new, home = self.view.count(State.BRING, State.FAILED), self.view.count(State.HOME, State.BROUGHT)
        return f"{new} new, {home} home"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, view = QPainter(self), self._theme, self.view
        look, chosen = view.start is None, self._grid is not None
        edge = theme.accent if chosen or self.hasFocus() else theme.amber.lighter(170) if look else theme.line
        paint.card(
            painter,
            self.rect(),
            theme.amber_wash if look else theme.card,
            edge,
            width=2 if chosen or self.hasFocus() else 1,
        )
        if look:
            self._paint_look(painter)
        else:
            self._paint_date(painter)
            self._paint_middle(painter)
            self._paint_counts(painter)
        if chosen:
            painter.setPen(theme.line)
            painter.drawLine(_INSET, _HEAD, self.width() - _INSET, _HEAD)

    def _paint_look(self, painter: QPainter) -> None:
        theme = self._theme
        paint.text(painter, QRect(14, 12, 30, 36), "?", font(24, BOLD), theme.amber)
        room = (self._choice.x() if self._choice is not None and self._choice.isVisible() else self.width()) - 86 - 16
        paint.text(painter, QRect(86, 12, room, 19), self._date_words(), font(14, SEMIBOLD), theme.ink)
        paint.text(painter, QRect(86, 32, room, 17), self._words()[1], font(12), theme.soft)

    def _paint_date(self, painter: QPainter) -> None:
        theme, view, locale = self._theme, self.view, QLocale()
        if view.start is None:
            return
        if len(view.key) == 10:
            paint.text(painter, QRect(14, 10, 36, 38), str(view.start.day), font(26, THIN), theme.ink)
            paint.text(
                painter, QRect(48, 12, 38, 17), locale.toString(view.start, "ddd"), font(12, SEMIBOLD), theme.soft
            )
            paint.text(painter, QRect(48, 28, 38, 17), locale.toString(view.start, "MMM"), font(12), theme.soft)
        else:
            form = "MMM yyyy" if len(view.key) == 7 else "yyyy"
            paint.text(painter, QRect(14, 10, 74, 38), locale.toString(view.start, form), font(15, THIN), theme.ink)
        title, under = self._words()
        room = max(60, self._lane_box().left() - 92)
        paint.text(painter, QRect(86, 11, room, 20), title, font(14, SEMIBOLD), theme.ink)
        paint.text(painter, QRect(86, 31, room, 17), under, font(12), theme.soft)

    def _lane_box(self) -> QRect:
        wide = max(80, min(250, self.width() - 86 - _TEXT_LEAST - _LANES_RIGHT))
        return QRect(self.width() - _LANES_RIGHT - wide, 9, wide, _HEAD - 18)

    def _paint_middle(self, painter: QPainter) -> None:
        box, theme = self._lane_box(), self._theme
        coming = self.view.count(State.BRING, State.BROUGHT, State.FAILED)
        if self._running and coming:
            done = self.view.count(State.BROUGHT)
            track = QRect(box.left(), 18, box.width(), 8)
            paint.bar(painter, track, done / coming, theme.accent, theme.track)
            words = f"{done} of {coming} proven" if done < coming else "all proven"
            paint.text(painter, QRect(box.left(), 31, box.width(), 17), words, font(12), theme.soft)
            return
        if self._lanes is None:
            self._lanes = self._draw_lanes(box.size())
        painter.drawPixmap(box.topLeft(), self._lanes)

    def _draw_lanes(self, size: QSize) -> QPixmap:
        """Lanes are drawn once and kept: a day may hold thousands of ticks."""
        ratio, theme = self.devicePixelRatioF(), self._theme
        pixmap = QPixmap(size * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        lanes = self._lane_devices()
        top = (size.height() - len(lanes) * _LANE_GAP) // 2
        start, end = self._axis()
        for number, (sign, colour, devices) in enumerate(lanes):
            y = top + number * _LANE_GAP
            paint.text(painter, QRect(0, y - 3, 20, 12), sign, font(10, BOLD), colour)
            lane = QRect(_SIGN, y, size.width() - _SIGN, _LANE)
            painter.fillRect(lane, theme.track)
            for x, wide in self._ticks(devices, start, (lane.width() - 3) / (end - start)):
                painter.fillRect(lane.left() + x, y, wide, _LANE, colour)
        painter.end()
        return pixmap

    def _lane_devices(self) -> list[tuple[str, QColor, frozenset[str]]]:
        """Sign, colour and device keys of each lane; of too many devices the last lane shows the rest."""
        theme, devices = self._theme, self.view.devices
        alone = devices if len(devices) <= _LANES_SHOWN else devices[: _LANES_SHOWN - 1]
        lanes = [(device.letter, theme.device(device.colour), frozenset({device.key})) for device in alone]
        if rest := devices[len(alone) :]:
            lanes.append((f"+{len(rest)}", theme.soft, frozenset(device.key for device in rest)))
        return lanes

    def _ticks(self, devices: frozenset[str], start: float, scale: float) -> set[tuple[int, int]]:
        """Left ends and widths in pixels of some devices' captures; those that fall on one another count once."""
        ticks = set()
        by_day = len(self.view.key) == 10
        for capture in self.view.captures:
            if capture.device.key in devices and capture.when is not None:
                at = hour_of(capture.when) if by_day else capture.when.timestamp() / 3600
                wide = max(6 if capture.kind == CLIP else 2, int(capture.duration / 3600 * scale))
                ticks.add((int((at - start) * scale), wide))
        return ticks

    def _axis(self) -> tuple[float, float]:
        if len(self.view.key) == 10:
            return self._hours
        times = [capture.when.timestamp() / 3600 for capture in self.view.captures if capture.when]
        return min(times), max(*times, min(times) + 1)

    def _paint_counts(self, painter: QPainter) -> None:
        theme, right = self._theme, self.width() - _INSET
        new, home = self.view.count(State.BRING, State.FAILED), self.view.count(State.HOME, State.BROUGHT)
        column = QRect(right - 84, 11, 84, 19)
        if new:
            paint.text(painter, column, f"{new:,} new", font(13, BOLD), theme.ink, align=paint.RIGHT)
        else:
            paint.text(painter, column, "all home", font(13, BOLD), theme.accent, align=paint.RIGHT)
        under, face, colour = f"{home:,} home" if home else "", font(12), theme.soft
        if failed := self.view.count(State.FAILED):
            under, face, colour = f"{failed:,} not home", font(12, SEMIBOLD), theme.brick
        paint.text(painter, column.translated(0, 19), under, face, colour, align=paint.RIGHT)

    def hitButton(self, at: QPoint) -> bool:
        """Only the head opens and closes the row; what is open below it is not a part of the button."""
        return at.y() <= _HEAD

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif event.key() == Qt.Key.Key_Down:
            self.focusNextChild()
        elif event.key() == Qt.Key.Key_Up:
            self.focusPreviousChild()
        else:
            super().keyPressEvent(event)


def hours_of(days: Iterable[DayView]) -> tuple[float, float]:
    """The shared time axis: from the first to the last hour of any day, at least six hours long."""
    hours = [hour for day in days if day.start and day.hours for hour in day.hours]
    if not hours:
        return 6.0, 20.0
    start, end = float(int(min(hours))), float(int(max(hours)) + 1)
    return (start, end) if end - start >= 6 else (max(0.0, end - 6), max(6.0, end))
