"""A run as it went: a lane per source on a shared time axis, a tick per file that was read back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

if TYPE_CHECKING:
    from jutrek.transfer import Progress

_STEPS = 400
"""Ticks that stand side by side on a lane at most."""
_SPAN = 8.0
"""Seconds that the axis shows at the beginning."""
_LANES = 6
_LANE, _GAP, _SIGN = 7, 10, 20
_LEFT, _HEAD, _FOOT = 14, 34, 22


class Axis:
    """When things happened, by lanes, on an axis that doubles whenever it is too short.

    Attributes:
        span: its length in seconds.
        steps: of each lane, in which of its equal steps something happened, from 0.
    """

    def __init__(self) -> None:
        self.span = _SPAN
        self.steps: dict[str, set[int]] = {}

    def reach(self, seconds: float) -> None:
        """Make it so long that a moment lies on it."""
        while seconds >= self.span:
            self.span *= 2
            self.steps = {lane: {step // 2 for step in steps} for lane, steps in self.steps.items()}

    def add(self, lane: str, seconds: float) -> None:
        """Something happened."""
        self.reach(seconds)
        self.steps.setdefault(lane, set()).add(int(max(0.0, seconds) / self.span * _STEPS))


class RunTicks(QWidget):
    """When each file was read back, in the colours of what it came from; a gap is where none was for a while."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._words = ""
        self._signs: dict[str, tuple[str, QColor]] = {}
        self._rest = ""
        self._axis, self._seen, self._now = Axis(), 0, 0.0
        self.setFixedHeight(_HEAD + _GAP + _FOOT)

    def begin(self, signs: dict[str, tuple[str, QColor]]) -> None:
        """Forget the last run.

        Args:
            signs: letter and colour of each source, by its root; of too many the last lane shows the rest.
        """
        alone = len(signs) if len(signs) <= _LANES else _LANES - 1
        self._signs = dict(list(signs.items())[:alone])
        self._rest = f"+{len(signs) - alone}" if len(signs) > alone else ""
        self._axis, self._seen, self._now = Axis(), 0, 0.0
        self.setFixedHeight(_HEAD + max(1, len(self._signs) + bool(self._rest)) * _GAP + _FOOT)

    def see(self, progress: Progress, proven: Sequence[tuple[float, str]]) -> None:
        """Take notice of how far a run is.

        Args:
            proven: all files that were proven so far: seconds since the start, and the root of the source.
        """
        for seconds, root in proven[self._seen :]:
            self._axis.add(root if root in self._signs else "", seconds)
            self._seen += 1
        self._now = max(progress.elapsed, self._now)
        self._axis.reach(self._now)
        copies = sum(not stream.lost for stream in progress.places)
        where = "one copy" if copies == 1 else f"{copies} copies"
        read, back = paint.size_words(progress.read_speed), paint.size_words(progress.proven_speed)
        self._words = f"now {read}/s read, {back}/s read back, {where}"
        files = paint.counted(self._seen, "file")
        self.setAccessibleName(f"{files} read back in {paint.length_words(self._now)}; {self._words}")
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        line = QRect(_LEFT, 8, self.width() - 2 * _LEFT, 18)
        used = paint.text(painter, line, self._words, font(12.5, BOLD), theme.ink, align=paint.RIGHT)
        head = line.adjusted(0, 0, -used - 12, 0)
        paint.text(painter, head, "Files as they were read back", font(12.5, SEMIBOLD), theme.soft)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        track = QRect(_LEFT + _SIGN, _HEAD, self.width() - 2 * _LEFT - _SIGN, _LANE)
        lanes = [(root, *sign) for root, sign in self._signs.items()]
        if self._rest or not lanes:
            lanes.append(("", self._rest, theme.soft))
        for number, (root, letter, colour) in enumerate(lanes):
            self._paint_lane(painter, track.translated(0, number * _GAP), root, letter, colour)
        under = QRect(track.left(), self.height() - _FOOT + 2, track.width(), 16)
        paint.text(painter, under, "0:00", font(11), theme.soft)
        paint.text(painter, under, paint.length_words(self._axis.span), font(11), theme.soft, align=paint.RIGHT)

    def _paint_lane(self, painter: QPainter, track: QRect, root: str, letter: str, colour: QColor) -> None:
        theme, wide = self._theme, track.width()
        paint.text(painter, QRect(_LEFT, track.top() - 4, _SIGN - 4, _LANE + 8), letter, font(10, BOLD), colour)
        painter.fillRect(track, theme.paper)
        passed = QRect(track)
        passed.setWidth(round(wide * min(1.0, self._now / self._axis.span)))
        painter.fillRect(passed, theme.track)
        step = max(2, round(wide / _STEPS))
        for at in self._axis.steps.get(root, ()):
            painter.fillRect(QRect(track.left() + at * wide // _STEPS, track.top(), step, track.height()), colour)
