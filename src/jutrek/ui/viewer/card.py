"""A card that is as tall as what it says of a capture."""

from __future__ import annotations

from abc import abstractmethod

from PySide6.QtCore import QRect, QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from jutrek.desk.details import CaptureDetails
from jutrek.ui import paint
from jutrek.ui.theme import SEMIBOLD, Theme, font

MARGIN = 14
_NARROWEST = 420


class TallCard(QWidget):
    """Draws a title, and below it what its kind of card draws."""

    title = ""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._view: CaptureDetails | None = None
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def show_view(self, view: CaptureDetails) -> None:
        """Show what is known of a capture."""
        self._view = view
        self.setAccessibleName(f"{self.title}. {self.spoken(view)}")
        self.updateGeometry()
        self.update()

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self.height_of(self._view, width - 2 * MARGIN) if self._view is not None else 2 * MARGIN

    def sizeHint(self) -> QSize:
        return QSize(_NARROWEST, self.heightForWidth(max(self.width(), _NARROWEST)))

    @paint.safely
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        paint.card(painter, self.rect(), self._theme.card, self._theme.line)
        if self._view is not None:
            line = QRect(MARGIN, 8, self.width() - 2 * MARGIN, 18)
            paint.text(painter, line, self.title, font(12.5, SEMIBOLD), self._theme.soft)
            self.draw(painter, self._view, line)

    @abstractmethod
    def spoken(self, view: CaptureDetails) -> str:
        """What a screen reader says."""

    @abstractmethod
    def height_of(self, view: CaptureDetails, width: int) -> int:
        """The height that all of it needs at an inner width, in pixels."""

    @abstractmethod
    def draw(self, painter: QPainter, view: CaptureDetails, title: QRect) -> None:
        """Draw what stands below the title."""
