"""Two pictures of the same moment, side by side: one of the device in question, one whose time is right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QRect, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QSlider, QVBoxLayout, QWidget

from jutrek.desk.board_captures import CaptureView
from jutrek.ui import paint
from jutrek.ui.pages.intake.lanes import shift_words
from jutrek.ui.pictures.service import Pictures
from jutrek.ui.theme import BOLD, HEADLINE, SEMIBOLD, Theme, font
from jutrek.ui.viewer.stage import Stage
from jutrek.ui.widgets.askbar import keeps_escape


class Side(QWidget):
    """One of the two: a large picture, its name and time, and a way to walk through its device's captures."""

    changed = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, title: str) -> None:
        super().__init__()
        self._theme, self._title = theme, title
        self._views: Sequence[CaptureView] = ()
        self.stage = Stage(theme, pictures)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(title)
        self.slider.valueChanged.connect(self._show)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 44, 0, 0)
        column.addWidget(self.stage, 1)
        column.addWidget(self.slider)

    def show_views(self, views: Sequence[CaptureView], at: int) -> None:
        """Show captures in the order of shooting, beginning with one of them."""
        self._views = views
        self.slider.setRange(0, max(0, len(views) - 1))
        self.slider.setValue(at)
        self._show()

    @property
    def view(self) -> CaptureView | None:
        """The capture that is shown."""
        return self._views[self.slider.value()] if self._views else None

    def _show(self) -> None:
        if self.view is not None:
            self.stage.show_capture(self.view)
        self.update()
        self.changed.emit()

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter, theme, view = QPainter(self), self._theme, self.view
        paint.text(painter, QRect(0, 0, self.width(), 20), self._title, font(13, SEMIBOLD), theme.soft)
        if view is not None and view.when is not None:
            words = f"{view.device.letter} · {view.name} · {view.when:%Y-%m-%d %H:%M:%S}"
            paint.text(painter, QRect(0, 20, self.width(), 20), words, font(13, BOLD), theme.ink)


class MatchPanel(QWidget):
    """Lies over the board. The difference of the two times is the shift; or the true time is typed."""

    matched = Signal(object, float)
    """The question's key, and seconds."""
    left = Signal()

    def __init__(self, theme: Theme, pictures: Pictures, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._key = ""
        self.wrong = Side(theme, pictures, "Whose clock is in question")
        self.right = Side(theme, pictures, "The same moment, by a clock that is right")
        self.true_time = QLineEdit()
        self.true_time.setPlaceholderText("or its true time: 2026-05-14 09:30:00")
        self.true_time.setAccessibleName("The true time of the left picture")
        self.true_time.setFixedWidth(280)
        self.accept = QPushButton()
        self.accept.setProperty("main", True)
        self.back = QPushButton("Back")
        self.accept.clicked.connect(self._match)
        self.true_time.returnPressed.connect(self._match)
        self.back.clicked.connect(self.leave)
        for part in (self.wrong, self.right):
            part.changed.connect(self._say)
        self.true_time.textChanged.connect(self._say)
        sides = QHBoxLayout()
        sides.setSpacing(16)
        sides.addWidget(self.wrong, 1)
        sides.addWidget(self.right, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.true_time)
        foot.addStretch()
        foot.addWidget(self.back)
        foot.addWidget(self.accept)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 46, 18, 14)
        column.setSpacing(12)
        column.addLayout(sides, 1)
        column.addLayout(foot)
        self.hide()

    def open(self, key: str, device: Sequence[CaptureView], others: Sequence[CaptureView], shift: float) -> None:
        """Open on captures of the device in question and of the others, where a shift would make them meet.

        Args:
            key: of the question.
            device, others: captures with a date, in the order of shooting; none of them may be empty.
        """
        self._key = key
        self.true_time.clear()
        middle = len(device) // 2
        at = 0
        if device[middle].when is not None:
            meets = device[middle].when.timestamp() + shift
            at = min(range(len(others)), key=lambda n: abs(others[n].when.timestamp() - meets))
        self.wrong.show_views(device, middle)
        self.right.show_views(others, at)
        self.show()
        self.raise_()
        self.wrong.slider.setFocus()

    def leave(self) -> None:
        """Close it without an answer."""
        self.hide()
        self.left.emit()

    def _seconds(self) -> float | None:
        """The shift that follows from what is shown, or typed; None where what is typed is no time."""
        own, other = self.wrong.view, self.right.view
        if own is None or own.when is None or other is None or other.when is None:
            return None
        then = other.when
        if self.true_time.text().strip():
            from jutrek.desk.typed import placed_of

            try:
                then = placed_of(self.true_time.text()).wall
            except ValueError:
                return None
        return float(round((then - own.when).total_seconds()))

    def _say(self) -> None:
        seconds = self._seconds()
        self.accept.setEnabled(seconds is not None)
        self.accept.setText("That is no time" if seconds is None else f"Shift by {shift_words(seconds)}")

    def _match(self) -> None:
        seconds = self._seconds()
        if seconds is not None:
            self.hide()
            self.matched.emit(self._key, seconds)

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._theme.paper)
        words = "Choose two pictures of the same moment"
        paint.text(painter, QRect(18, 14, self.width() - 36, 22), words, font(HEADLINE, SEMIBOLD), self._theme.ink)
