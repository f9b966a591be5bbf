"""What hangs at the pointer while it is carried."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QWidget

from jutrek.ui.plainly import Label
from jutrek.ui.theme import SEMIBOLD, font

FAR = 8
"""Pixels that the pointer goes before it carries what it was pressed on."""


class Held(Label):
    """A few words beside the pointer."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__("", parent)
        self.setFont(font(12.5, SEMIBOLD))
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setProperty("held", True)
        self.hide()

    def show_at(self, words: str, place: QPoint | None) -> None:
        """Show them at a point of the screen; None for no longer."""
        if place is None:
            self.hide()
            return
        self.setText(words)
        self.adjustSize()
        self.move(self.parentWidget().mapFromGlobal(place) + QPoint(14, 10))
        self.show()
        self.raise_()
