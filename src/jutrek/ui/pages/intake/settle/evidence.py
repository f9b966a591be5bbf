"""Evidence as pictures: lanes as stored and shifted, and neighbours by counter."""

from __future__ import annotations

from PySide6.QtCore import QLocale, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.desk.board import OverlaidWaves, Question, Strip, Wave
from jutrek.desk.board_captures import CaptureView
from jutrek.ui import paint
from jutrek.ui.pages.intake.lanes import shift_words
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font
from jutrek.ui.widgets.spoken import Part, Spoken

_LANE, _STEP, _NAMES = 9, 22, 124
_LEAST_TICK = 2
_HOURS, _HOUR_ROOM = (1, 2, 3, 4, 6, 12), 48
_WAVE, _SECONDS = 34, (1, 2, 5, 10, 20, 30, 60, 120)
"""Height of a wave; steps of its axis."""


class StripChart(QWidget, Spoken):
    """The day on which a shift shows best: the others' lanes, and the device's own as stored and as shifted."""

    def __init__(self, theme: Theme, question: Question) -> None:
        super().__init__()
        self._theme, self._question = theme, question
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight((len(question.strips) + 1) * _STEP + 22)
        words = ", ".join(f"{strip.sign} {strip.name}" for strip in question.strips)
        self.setAccessibleName(f"Lanes of {words}, and the last one shifted by {shift_words(question.shift)}")

    def _named(self) -> list[str]:
        """Every lane, from the top."""
        *others, own = self._question.strips
        return [*(f"{one.sign} · {one.name}" for one in others), f"{own.sign} as stored", f"{own.sign} shifted"]

    def spoken_parts(self) -> list[Part]:
        return [Part(words, QRect(0, row * _STEP, self.width(), 18)) for row, words in enumerate(self._named())]

    def _axis(self) -> tuple[float, float]:
        """From which second of the day to which the lanes go: whole hours around all ticks, shifted or not."""
        own = self._question.strips[-1].ticks
        ticks = [tick for strip in self._question.strips for tick in strip.ticks]
        ticks += [(start + self._question.shift, length) for start, length in own]
        # A shift by days would flatten everything: then only the shifted lane counts.
        if abs(self._question.shift) > 43_200:
            ticks = [tick for tick in ticks if tick not in own]
        low, high = min(start for start, _ in ticks), max(start + length for start, length in ticks)
        return low // 3600 * 3600, (high // 3600 + 1) * 3600

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, question = QPainter(self), self._theme, self._question
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = self._axis()
        room = self.width() - _NAMES - 24
        scale = room / (high - low)
        *others, own = question.strips
        names = self._named()
        for number, strip in enumerate(others):
            self._lane(painter, number, strip, names[number], low, scale, room)
        row = len(others)
        self._lane(painter, row, own, names[row], low, scale, room, faint=True)
        moved = Strip(own.name, own.sign, own.colour, tuple((at + question.shift, long) for at, long in own.ticks))
        self._lane(painter, row + 1, moved, names[row + 1], low, scale, room, bold=True)
        self._arrow(painter, row, own.ticks[0][0] - low, scale)
        every = next((hours for hours in _HOURS if hours * 3600 * scale >= _HOUR_ROOM), 24)
        for hour in range(int(low // 3600), int(high // 3600) + 1, every):
            x = _NAMES + int((hour * 3600 - low) * scale)
            box = QRect(x - 24, (row + 2) * _STEP, 48, 16)
            paint.text(painter, box, f"{hour % 24:02}:00", font(11.5), theme.soft, align=paint.CENTRE)

    def _lane(
        self, painter: QPainter, row: int, strip: Strip, name: str, low: float, scale: float, room: int,
        *, faint: bool = False, bold: bool = False,
    ) -> None:  # fmt: skip
        theme, y = self._theme, row * _STEP
        face = font(12.5, SEMIBOLD) if bold else font(12.5)
        paint.text(painter, QRect(0, y, _NAMES - 10, 18), name, face, theme.soft if faint else theme.ink)
        painter.fillRect(QRect(_NAMES, y + 5, room, _LANE), theme.track)
        colour = QColor(theme.device(strip.colour))
        colour.setAlphaF(0.35 if faint else 1.0)
        for at, long in strip.ticks:
            x = _NAMES + (at - low) * scale
            if _NAMES <= x <= _NAMES + room:
                painter.fillRect(QRect(int(x), y + 5, max(_LEAST_TICK, int(long * scale)), _LANE), colour)

    def _arrow(self, painter: QPainter, row: int, at: float, scale: float) -> None:
        """From the first tick as stored to where it is shifted."""
        theme, shift = self._theme, self._question.shift * scale
        x, y = _NAMES + at * scale, row * _STEP + 14.0
        if not _NAMES <= x <= self.width() or not _NAMES <= x + shift <= self.width():
            return
        path = QPainterPath(QPointF(x, y))
        path.cubicTo(x + shift * 0.1, y + 10, x + shift * 0.9, y + 4, x + shift, y + 12)
        painter.setPen(QPen(theme.amber, 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)


class WaveChart(QWidget, Spoken):
    """How loud a clip was over how loud the take was in which it was heard, at the shift that is proposed.

    The take rises from the middle, the clip hangs below it: where both heard the same, one mirrors the other.
    """

    def __init__(self, theme: Theme, waves: OverlaidWaves) -> None:
        super().__init__()
        self._theme, self._waves = theme, waves
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(2 * _WAVE + 22)
        clip, take = waves.clip, waves.take
        self.setAccessibleName(
            f"Sound of {clip.name} by {clip.sign} over that of {take.name} by {take.sign}: both rise and fall together"
        )

    def spoken_parts(self) -> list[Part]:
        parts = []
        for row, wave in enumerate((self._waves.take, self._waves.clip)):
            words = f"{wave.sign} · {wave.name}, {len(wave.loud) * self._waves.step:.0f} s"
            parts.append(Part(words, QRect(0, row * _WAVE, self.width(), _WAVE)))
        return parts

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, waves = QPainter(self), self._theme, self._waves
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        first = min(0.0, waves.begin)
        last = max(len(waves.take.loud) * waves.step, waves.begin + len(waves.clip.loud) * waves.step)
        room = self.width() - _NAMES - 24
        scale = room / max(last - first, 1.0)
        for wave, at, side in ((waves.take, -first, -1), (waves.clip, waves.begin - first, 1)):
            row = 0 if side < 0 else _WAVE
            name = f"{wave.sign} \u00b7 {wave.name}"
            box = QRect(0, row + (_WAVE - 18) // 2, _NAMES - 10, 18)
            paint.text(painter, box, name, font(12.5), theme.ink, cut=Qt.TextElideMode.ElideMiddle)
            painter.fillRect(QRect(_NAMES, row, room, _WAVE), theme.track)
            self._wave(painter, wave, _NAMES + at * scale, waves.step * scale, side)
        painter.fillRect(QRect(_NAMES, _WAVE, room, 1), theme.card)
        every = next((step for step in _SECONDS if step * scale >= _HOUR_ROOM), 600)
        for second in range(0, int(last - first) + 1, every):
            box = QRect(_NAMES + int(second * scale) - 24, 2 * _WAVE + 4, 48, 16)
            paint.text(painter, box, f"{second // 60}:{second % 60:02}", font(11.5), theme.soft, align=paint.CENTRE)

    def _wave(self, painter: QPainter, wave: Wave, left: float, step: float, side: int) -> None:
        """An area from the middle line upwards (side -1) or downwards (1)."""
        area = QPolygonF([QPointF(left, _WAVE)])
        for number, loud in enumerate(wave.loud):
            area.append(QPointF(left + (number + 0.5) * step, _WAVE + side * (1 + loud * (_WAVE - 4))))
        area.append(QPointF(left + len(wave.loud) * step, _WAVE))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.device(wave.colour))
        painter.drawPolygon(area)


class NeighbourRow(QWidget, Spoken):
    """Captures by their counters: the dated one before, those that wait in amber frames, the dated one behind."""

    def __init__(self, theme: Theme, pictures: Pictures, question: Question) -> None:
        super().__init__()
        self._theme, self._pictures, self._question = theme, pictures, question
        self.setFixedHeight(SIZE.height() + 22)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        how = "Each with what is there already: " if question.about_doubles else "In the order of their counters: "
        self.setAccessibleName(how + ", ".join(view.name for view in question.pictures))
        pictures.ready.connect(self._on_ready)

    def _on_ready(self, capture: str) -> None:
        if any(view.id == capture for view in self._question.pictures):
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(400, SIZE.height() + 22)

    def _boxes(self) -> list[QRect]:
        step = SIZE.width() + 8
        return [QRect(3 + at * step, 3, SIZE.width(), SIZE.height()) for at in range(len(self._fitting()))]

    def spoken_parts(self) -> list[Part]:
        waiting = self._question.captures
        return [
            Part(f"{view.name}{', waits' if view.id in waiting else f', {view.when:%H:%M}' if view.when else ''}", box)
            for view, box in zip(self._fitting(), self._boxes(), strict=True)
        ]

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        waiting = set(self._question.captures)
        for view, box in zip(self._fitting(), self._boxes(), strict=True):
            self._picture(painter, view, box)
            is_open = view.id in waiting
            if is_open:
                painter.setPen(QPen(theme.amber, 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(-1, -1, 1, 1), 3, 3)
            name = view.name.rpartition(".")[0]
            face, colour = (font(11.5), theme.soft) if is_open else (font(11.5, BOLD), theme.ink)
            words = name if is_open or view.when is None else QLocale().toString(view.when.time(), "HH:mm")
            line = QRect(box.left() - 4, box.bottom() + 3, SIZE.width() + 8, 16)
            paint.text(painter, line, words, face, colour, align=paint.CENTRE, cut=Qt.TextElideMode.ElideLeft)

    def _fitting(self) -> list[CaptureView]:
        """As many as there is room for; both neighbours stay, the last of those that wait go first."""
        views, room = list(self._question.pictures), max(2, self.width() // (SIZE.width() + 8))
        behind = 1 if self._question.neighbours[1] else 0
        while len(views) > room:
            del views[-1 - behind]
        return views

    def _picture(self, painter: QPainter, view: CaptureView, box: QRect) -> None:
        painter.fillRect(box, self._theme.track)
        pixmap = self._pictures.of(view, view.source)
        if pixmap is not None:
            size = pixmap.deviceIndependentSize().toSize()
            at = QRect(0, 0, min(size.width(), box.width()), min(size.height(), box.height()))
            at.moveCenter(box.center())
            painter.drawPixmap(at, pixmap)
