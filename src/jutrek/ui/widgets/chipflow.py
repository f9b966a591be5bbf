"""Chips that flow over several lines of a width that is known."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QPushButton, QWidget

_HIGH, _GAP = 28, 6


class ChipFlow(QWidget):
    """Chips in lines; other ones each time."""

    def __init__(self, width: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(width)
        self.chips: tuple[QPushButton, ...] = ()
        self.show_chips(())

    def show_chips(self, chips: Sequence[QPushButton]) -> None:
        """Show other chips in place of those that are shown."""
        for old in self.chips:
            old.hide()
            old.deleteLater()
        self.chips = tuple(chips)
        left = top = 0
        before: QWidget | None = None
        for chip in self.chips:
            chip.setParent(self)
            chip.ensurePolished()
            wide = min(chip.sizeHint().width(), self.width())
            if left and left + wide > self.width():
                left, top = 0, top + _HIGH + _GAP
            chip.setGeometry(left, top, wide, _HIGH)
            chip.show()
            if before is not None:
                QWidget.setTabOrder(before, chip)
            before = chip
            left += wide + _GAP
        self.setFixedHeight(top + _HIGH if self.chips else 0)
