"""Up close: lies over the board, and closes again with the key that opened it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QLocale, QRect, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from jutrek.desk.board_captures import CaptureView, State
from jutrek.ui import paint
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font
from jutrek.ui.viewer.claims import ClaimChart
from jutrek.ui.viewer.facts import FactList
from jutrek.ui.viewer.stage import Stage
from jutrek.ui.widgets.layout import scrolling

if TYPE_CHECKING:
    from jutrek.desk.details import CaptureDetails

_MARGIN, _TITLE = 18, 46
_COLUMN = 0.42
"""The share of the width that dates and facts take."""
_KEYS = frozenset({Qt.Key.Key_Escape, Qt.Key.Key_Space, Qt.Key.Key_Left, Qt.Key.Key_Right})

Details = Callable[[str], "CaptureDetails | None"]


class CloseLook(QWidget):
    """One capture of a day, large. Arrows walk through the day; with Shift they walk through a clip."""

    walked = Signal(object)
    """To another capture."""
    closed = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget, *, back: str = "Back to the board") -> None:
        """
        Args:
            theme: colours.
            pictures: gives large ones.
            parent: what it lies over.
            back: what the button says that closes it.
        """
        super().__init__(parent)
        self._theme = theme
        self._views: Sequence[CaptureView] = ()
        self._row = 0
        self._details: Details = lambda _: None
        self.stage = Stage(theme, pictures)
        self.other_of: Callable[[CaptureView], CaptureView | None] = lambda _: None
        """What a capture is the same as, or like."""
        self.beside = Stage(theme, pictures)
        self.beside.hide()
        self.claims = ClaimChart(theme)
        self.facts = FactList(theme)
        self.back = QPushButton(back, self)
        self.earlier = QPushButton("Earlier", self)
        self.later = QPushButton("Later", self)
        for button, what in (
            (self.back, self.leave),
            (self.earlier, lambda: self._walk(-1)),
            (self.later, lambda: self._walk(1)),
        ):
            button.clicked.connect(what)
            # A click leaves the focus where it is, so that Space still closes.
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(12)
        for part in (self.claims, self.facts):
            column.addWidget(part)
        column.addStretch()
        self._side = scrolling(inner)
        row = QHBoxLayout(self)
        row.setContentsMargins(_MARGIN, _TITLE + 4, _MARGIN - 4, 12)
        row.setSpacing(14)
        row.addWidget(self.stage, 1)
        row.addWidget(self.beside, 1)
        row.addWidget(self._side)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.hide()

    def look(self, views: Sequence[CaptureView], capture: str, details: Details, row: int | None = None) -> None:
        """Open on a capture.

        Args:
            views: the captures to walk through.
            capture: the id of the one to begin with.
            details: gives everything that is known of a capture.
            row: which of the captures it is, where that is known.
        """
        self._views, self._details = views, details
        found = (number for number, view in enumerate(views) if view.id == capture)
        self._row = next(found, 0) if row is None else row
        self.show()
        self.raise_()
        self._show()
        self.setFocus()

    def renew(self, views: Sequence[CaptureView]) -> None:
        """Show what became of the captures meanwhile; closes when they are gone."""
        current = self.capture()
        row = next((row for row, view in enumerate(views) if current and view.id == current.id), None)
        if row is None:
            self.leave()
            return
        self._views, self._row = views, row
        self._show()

    def renew_at(self, views: Sequence[CaptureView], row: int) -> None:
        """Show the same capture among other ones: which of them it is now is known."""
        self._views, self._row = views, row
        self._show()

    @property
    def at(self) -> int:
        """Which of the captures is shown."""
        return self._row

    def show_again(self) -> None:
        """More is known of the capture that is shown."""
        self._show()

    def say_instead(self, details: CaptureDetails) -> None:
        """Say something of the capture that is shown, where nothing is known of it."""
        self.claims.show_view(details)
        self.facts.show_view(details)

    def capture(self) -> CaptureView | None:
        """The capture that is shown."""
        return self._views[self._row] if self._row < len(self._views) else None

    def leave(self) -> None:
        """Close."""
        if self.isVisible():
            self.hide()
            self.closed.emit()

    def _walk(self, by: int) -> None:
        row = self._row + by
        if 0 <= row < len(self._views):
            self._row = row
            self._show()
            self.walked.emit(self._views[row].id)

    def _show(self) -> None:
        view = self.capture()
        details = self._details(view.id) if view is not None else None
        if view is None or details is None:
            self.leave()
            return
        self.stage.show_capture(view)
        other = self.other_of(view)
        self.beside.setVisible(other is not None)
        if other is not None:
            where = f"at home as {other.destination}" if other.state is State.HOME else f"on its source as {other.name}"
            self.stage.say("this one")
            self.beside.say(where)
            self.beside.show_capture(other)
        else:
            self.stage.say("")
        self.claims.show_view(details)
        self.facts.show_view(details)
        self.earlier.setEnabled(self._row > 0)
        self.later.setEnabled(self._row + 1 < len(self._views))
        self.setAccessibleName(f"Up close: {self._title(view)}. {details.why}")
        self.update()

    def _title(self, view: CaptureView) -> str:
        return f"{view.name}, {view.device.name}"

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab stays on what can be seen: not on the board below."""
        stops = [self, *(button for button in (self.earlier, self.later, self.back) if button.isEnabled())]
        now = QApplication.focusWidget()
        at = stops.index(now) if now in stops else 0
        stops[(at + (1 if forward else -1)) % len(stops)].setFocus(Qt.FocusReason.TabFocusReason)
        return True

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.stage.show_focus(True)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.stage.show_focus(False)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and event.key() in _KEYS:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        forward = event.key() == Qt.Key.Key_Right
        if event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Space):
            self.leave()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.stage.step(forward)
            else:
                self._walk(1 if forward else -1)
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: object) -> None:
        self._side.setFixedWidth(round((self.width() - 2 * _MARGIN) * _COLUMN))
        right = self.width() - _MARGIN
        for button in (self.back, self.later, self.earlier):
            width = button.sizeHint().width()
            button.setGeometry(right - width, 10, width, 32)
            right -= width + 8

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, view = QPainter(self), self._theme, self.capture()
        painter.fillRect(self.rect(), theme.paper)
        if view is None:
            return
        chip = QRect(_MARGIN, 15, 22, 22)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.device(view.device.colour))
        painter.drawRoundedRect(chip, 4, 4)
        paint.text(painter, chip, view.device.letter, font(12.5, BOLD), theme.card, align=paint.CENTRE)
        line = QRect(chip.right() + 10, 12, self.earlier.x() - chip.right() - 30, 28)
        # What became of it matters more than the whole of a long name.
        half = QRect(line.topLeft(), QSize(line.width() // 2, line.height()))
        middle = Qt.TextElideMode.ElideMiddle
        used = paint.text(painter, half, view.name, font(17, SEMIBOLD), theme.ink, cut=middle)
        words, colour = f"becomes {view.new_name}", theme.soft
        if view.state in (State.HOME, State.TWIN, State.BROUGHT):
            words = f"is at home as {view.destination}"
        elif view.state is State.FAILED:
            words, colour = "did not come home", theme.brick
        elif not view.new_name:
            words, colour = "stays on its source", theme.amber
        day = QLocale().toString(view.when.date(), "dddd d MMMM yyyy") if view.when else "without a date"
        rest = f"{words} · {self._row + 1} of {len(self._views)} · {day}"
        paint.text(painter, line.adjusted(used + 12, 2, 0, 0), rest, font(13), colour)
