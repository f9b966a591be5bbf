"""Buttons that flow over several lines where there is no room for one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QRect
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QPushButton, QWidget

_BUTTON, _GAP = 28, 8


class ButtonFlow(QWidget):
    """Buttons in a line, or in several where there is no room."""

    def __init__(self, buttons: Sequence[QPushButton], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._buttons = buttons
        for button in buttons:
            button.setProperty("small", True)
            button.setParent(self)
        self.setMinimumHeight(_BUTTON + _GAP)

    def _places(self, width: int) -> Iterator[tuple[QPushButton, QRect]]:
        left, top = 0, 4
        for button in self._buttons:
            if button.isHidden():
                continue
            wide = button.sizeHint().width()
            if left and left + wide > width:
                left, top = 0, top + _BUTTON + _GAP
            yield button, QRect(left, top, wide, _BUTTON)
            left += wide + _GAP

    def height_for(self, width: int) -> int:
        """The height that the buttons need at a width, in pixels."""
        return max((box.bottom() for _, box in self._places(width)), default=_BUTTON) + 3

    def arrange(self) -> None:
        """Put the buttons that are shown where they fit."""
        for button, box in self._places(self.width()):
            button.setGeometry(box)
        self.setFixedHeight(self.height_for(self.width()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.arrange()
