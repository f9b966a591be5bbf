"""What the Intake page shows while a run is at work, and right behind it: speed, what failed, what comes afterwards."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QCheckBox, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.desk.board import Board
from jutrek.desk.board_captures import CaptureView, State
from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

_MINUTES = 3.0
_STEP = 0.5
"""Seconds between two points of the chart."""


class SpeedChart(QWidget):
    """How fast the sources are read, and how fast it is proven, over the last minutes."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._points: deque[tuple[float, float]] = deque(maxlen=int(_MINUTES * 60 / _STEP))
        self._last = -_STEP
        self._words = ""
        self.setFixedHeight(118)

    def begin(self) -> None:
        """Forget the last run."""
        self._points.clear()
        self._last = -_STEP

    def see(self, elapsed: float, read: float, proven: float, places: int) -> None:
        """Take notice of speeds.

        Args:
            elapsed: seconds since the start.
            read, proven: bytes a second.
            places: how many places stand.
        """
        where = "one copy" if places == 1 else f"{places} copies"
        self._words = f"now {paint.size_words(read)}/s, {where}"
        self.setAccessibleName(f"Speed: {self._words}, {paint.size_words(proven)}/s read back")
        if elapsed - self._last >= _STEP:
            self._last = elapsed
            self._points.append((read, proven))
        self.update()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        line = QRect(14, 9, self.width() - 28, 18)
        paint.text(painter, line, "Speed over the last minutes", font(12.5, SEMIBOLD), theme.soft)
        paint.text(painter, line, self._words, font(12.5, BOLD), theme.ink, align=paint.RIGHT)
        under = line.translated(0, 18)
        used = paint.text(painter, under, "read from the cards", font(11.5), theme.accent)
        paint.text(painter, under.adjusted(used + 18, 0, 0, 0), "read back", font(11.5), theme.soft)
        box = QRectF(14, 50, self.width() - 28, self.height() - 60)
        top = max((max(point) for point in self._points), default=0.0) or 1.0
        for number, colour in ((1, theme.home), (0, theme.accent)):
            self._line(painter, box, [point[number] / top for point in self._points], colour)

    def _line(self, painter: QPainter, box: QRectF, heights: Sequence[float], colour: QColor) -> None:
        if len(heights) < 2:
            return
        step = box.width() / max(60, len(heights) - 1)
        points = [QPointF(box.left() + n * step, box.bottom() - box.height() * h) for n, h in enumerate(heights)]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour, 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))


class AfterPanel(QWidget):
    """What is done when a run is done."""

    chosen = Signal(bool, bool)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.prove = QCheckBox("Prove each card afresh before it is called safe")
        self.prove.setChecked(True)
        self.eject = QCheckBox("Eject cards that are safe")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 32, 14, 12)
        column.setSpacing(6)
        for box in (self.prove, self.eject):
            box.setFont(font(12.5))
            box.toggled.connect(self._choose)
            column.addWidget(box)

    def _choose(self) -> None:
        self.eject.setEnabled(self.prove.isChecked())
        self.chosen.emit(self.prove.isChecked(), self.eject.isChecked() and self.prove.isChecked())

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        paint.card(painter, self.rect(), theme.card, theme.line)
        paint.text(painter, QRect(14, 9, 240, 18), "When it is done", font(12.5, SEMIBOLD), theme.soft)


class TroubleCard(QWidget):
    """What did not come home, with the reason, and a way to try again."""

    again = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._views: list[CaptureView] = []
        self.button = QPushButton("Try again", self)
        self.button.setProperty("small", True)
        self.button.clicked.connect(self.again)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.hide()

    def show_board(self, board: Board, *, running: bool) -> None:
        """Show what of a board failed."""
        self._views = [view for day in board.days for view in day.captures if view.state is State.FAILED]
        self.button.setVisible(not running)
        self.setVisible(bool(self._views))
        self.setAccessibleName(f"{self._title()}: {self._why()}" if self._views else "")
        self.updateGeometry()
        self.update()

    def _title(self) -> str:
        return f"{paint.counted(len(self._views), 'capture')} did not come home"

    def _why(self) -> str:
        whys = list(dict.fromkeys(view.why for view in self._views))
        more = f" And {len(whys) - 1} more of such sentences, on the captures themselves." if len(whys) > 1 else ""
        return whys[0] + more if whys else ""

    def sizeHint(self) -> QSize:
        width = max(200, self.width() - 28)
        return QSize(400, 42 + paint.wrapped_height(self._why(), font(12.5), width))

    def resizeEvent(self, event: object) -> None:
        self.setFixedHeight(self.sizeHint().height())
        wide = self.button.sizeHint().width()
        self.button.setGeometry(self.width() - wide - 12, 6, wide, 26)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme = QPainter(self), self._theme
        wash = QColor(theme.brick)
        wash.setAlpha(26)
        paint.card(painter, self.rect(), theme.card, theme.brick)
        paint.card(painter, self.rect(), wash, theme.brick)
        line = QRect(14, 9, self.width() - 130, 18)
        paint.text(painter, line, self._title(), font(13, BOLD), theme.brick)
        box = QRect(14, 32, self.width() - 28, self.height() - 36)
        paint.wrapped(painter, box, self._why(), font(12.5), theme.ink)
