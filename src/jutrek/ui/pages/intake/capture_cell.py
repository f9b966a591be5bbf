"""One capture of the open day as it is drawn: picture, device, badges, its new name above the old one."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPoint, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from jutrek.desk.board_captures import SIDECAR, CaptureView, State
from jutrek.ui import paint
from jutrek.ui.pages.intake.capture_model import ALL_HOME, NAME, STACK, VIEW, Index
from jutrek.ui.pictures.service import SIZE, Pictures
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font

STEPS = (SIZE, SIZE * 1.5, SIZE * 2)
"""Sizes of pictures, in pixels; all but the smallest grow with their cells."""
_GROWN = 1.25
"""By how much at most; they are made as large."""
_ROUND = QSize(5, 38)
"""What a cell needs around its picture at least: a gap, and two lines below."""
_ELSEWHERE = frozenset({State.HOME, State.TWIN})
"""Captures whose bytes are somewhere else, so that they are not brought."""
_THERE = {"retagged": "other notes", "re-encoded": "saved another way"}
"""What is said of captures that wait since they are there already."""
_BADGE, _ON_BADGE = QColor(24, 38, 44, 205), QColor("#FFFFFF")
_BADGE_HEIGHT = 24


class CaptureDelegate(QStyledItemDelegate):
    """Draws one capture."""

    def __init__(self, theme: Theme, pictures: Pictures, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._pictures = pictures
        self._least = self._made = self.size = STEPS[0]

    def show_size(self, step: int) -> None:
        """Draw pictures in another size, the first of `STEPS` for 0."""
        self._least = self._made = self.size = STEPS[max(0, min(step, len(STEPS) - 1))]
        if step:
            self._made = self._least * _GROWN

    def fit(self, width: int) -> tuple[int, QSize]:
        """Have cells of the same size side by side, as many as there is room for.

        Returns:
            How many, and their size in pixels.
        """
        columns = max(1, width // (self._least.width() + _ROUND.width()))
        wide = width // columns
        self.size = self._least.scaled(wide - _ROUND.width(), self._made.height(), Qt.AspectRatioMode.KeepAspectRatio)
        if self.size.width() < self._least.width() or self._made == self._least:
            self.size = self._least
        return columns, QSize(wide, self.size.height() + _ROUND.height())

    def on_badge(self, at: QPoint) -> bool:
        """Whether a point of a cell, in pixels, is where a burst says how many frames it has."""
        return at.y() < _BADGE_HEIGHT and at.x() < self.size.width()

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return self.size + _ROUND

    @paint.safely
    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        view: CaptureView = index.data(VIEW)
        origin = option.rect.topLeft()
        frame = QRect(origin + QPoint(3, 3), self.size)
        painter.save()
        stack: int = index.data(STACK)
        if stack:
            self._below(painter, frame)
        if view.state in _ELSEWHERE:
            self._at_home(painter, view, frame)
        else:
            self._picture(painter, view, frame)
        self._edge(
            painter,
            view,
            frame,
            chosen=bool(option.state & QStyle.StateFlag.State_Selected),
            all_home=index.data(ALL_HOME),
        )
        if stack:
            self._badge(painter, frame.left() + 4, frame.top() + 4, f"{stack} frames")
        line = QRect(frame.left(), frame.bottom() + 3, option.rect.width() - 6, 16)
        self._name(painter, line, view, index.data(NAME) or view.new_name.rpartition(".")[0] or view.name)
        old = f"from {view.name.rpartition('.')[0] or view.name}"
        middle = Qt.TextElideMode.ElideMiddle
        paint.text(painter, line.translated(0, 14), old, font(11), self._theme.soft, cut=middle)
        painter.restore()

    def _name(self, painter: QPainter, line: QRect, view: CaptureView, new: str) -> None:
        """What it will be called; or why it will not."""
        theme = self._theme
        words, colour = {
            State.HOME: (f"in {view.folder or 'the library'}", theme.soft),
            State.TWIN: ("same as another", theme.soft),
            State.LOOK: (_THERE.get(view.standing, "to settle") if view.dated else "no trusted date", theme.amber),
            State.ASIDE: ("set aside", theme.soft),
            State.FAILED: ("not home", theme.brick),
        }.get(view.state, ("", theme.ink))
        if words:
            paint.text(painter, line, words, font(11), colour, cut=Qt.TextElideMode.ElideMiddle)
        else:
            paint.name(painter, line, new, font(11), colour)

    def _picture(self, painter: QPainter, view: CaptureView, frame: QRect) -> None:
        pixmap = self._pictures.of(view, view.source, self._made)
        if pixmap is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(frame, pixmap)
        else:
            painter.fillRect(frame, self._theme.track)
            if view.kind == SIDECAR:
                paint.text(painter, frame, "data only", font(11), self._theme.soft, align=paint.CENTRE)

    def _at_home(self, painter: QPainter, view: CaptureView, frame: QRect) -> None:
        theme = self._theme
        pixmap = self._pictures.of(view, view.source, self._made)
        small = QRect(QPoint(), self.size * (4 / 7))
        small.moveTo(frame.center().x() - small.width() // 2, frame.top() + 5)
        if pixmap is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(small, pixmap)
        painter.setPen(QPen(theme.home, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawRoundedRect(QRectF(frame).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        words = QRect(frame.left(), frame.bottom() - 18, frame.width(), 16)
        paint.text(
            painter,
            words,
            "here twice" if view.state is State.TWIN else "at home",
            font(11, SEMIBOLD),
            theme.soft,
            align=paint.CENTRE,
        )

    def _edge(self, painter: QPainter, view: CaptureView, frame: QRect, *, chosen: bool, all_home: bool) -> None:
        theme, colour = self._theme, self._theme.device(view.device.colour)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if view.state not in _ELSEWHERE:
            painter.fillRect(QRect(frame.left(), frame.bottom() - 2, frame.width(), 3), colour)
            chip = QRect(frame.right() - 15, frame.bottom() - 15, 16, 16)
            painter.fillRect(chip, colour)
            paint.text(painter, chip, view.device.letter, font(11, BOLD), theme.card, align=paint.CENTRE)
        if view.duration:
            self._badge(painter, frame.left() + 4, frame.top() + 4, paint.length_words(view.duration))
        if view.state is State.BROUGHT and not all_home:
            self._badge(painter, frame.left() + 4, frame.bottom() - 20, "home")
        elif view.standing == "look-alike" and view.state is State.BRING:
            self._badge(painter, frame.left() + 4, frame.bottom() - 20, "like another")
        edge = theme.accent if chosen else {State.LOOK: theme.amber, State.FAILED: theme.brick}.get(view.state)
        if edge is not None:
            painter.setPen(QPen(edge, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(frame.adjusted(-2, -2, 2, 2), 3, 3)

    def _below(self, painter: QPainter, frame: QRect) -> None:
        """The edges of the frames that lie below a burst's first one."""
        theme = self._theme
        for step in (4, 2):
            painter.setPen(theme.soft)
            painter.setBrush(theme.card)
            painter.drawRect(frame.translated(step, -step).adjusted(0, 0, -1, -1))

    def _badge(self, painter: QPainter, left: int, top: int, words: str) -> None:
        face = font(11, SEMIBOLD)
        width = painter.fontMetrics().horizontalAdvance(words) + 12
        box = QRect(left, top, width, 15)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(_BADGE)
        painter.drawRoundedRect(box, 3, 3)
        paint.text(painter, box, words, face, _ON_BADGE, align=paint.CENTRE)
