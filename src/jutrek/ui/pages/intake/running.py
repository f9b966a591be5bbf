"""What the Intake page shows while a run is at work, and right behind it: what failed, and what comes afterwards."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from jutrek.desk.board import Board
from jutrek.desk.board_captures import CaptureView, State
from jutrek.ui import paint
from jutrek.ui.theme import BOLD, SEMIBOLD, Theme, font


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
