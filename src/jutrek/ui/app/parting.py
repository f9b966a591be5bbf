"""Closing while files are being brought or moved: asked in place, and every answer can be taken back."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.ui.theme import Theme
from jutrek.ui.widgets.askbar import keeps_escape
from jutrek.ui.widgets.statebar import StateBar


class Parting(StateBar):
    """A bar at the foot of the window. It asks, and then says that the window closes by itself.

    Attributes:
        waits: whether the window is to close once the work is done.
    """

    stopped = Signal()
    """The window is to close now."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        self.stay = QPushButton("Keep the window")
        self.stop = QPushButton("Stop now and close")
        self.finish = QPushButton("Finish, then close")
        super().__init__(theme, (self.stay, self.stop, self.finish), parent)
        self.waits = False
        self.stay.clicked.connect(self.end)
        self.stop.clicked.connect(self.stopped)
        self.finish.clicked.connect(self.wait)
        self.hide()

    def ask(self, what: str) -> None:
        """Ask what becomes of the work that is going on.

        Args:
            what: it is, in a sentence.
        """
        self.waits = False
        rest, under = (
            "What is done stays done; the rest lies where it lay.",
            "Stopping is safe, and can be gone on with.",
        )
        self.say(what, rest, under, amber=True)
        for button in (self.stop, self.finish):
            button.show()
        self.show()
        self.finish.setFocus()

    def wait(self) -> None:
        """Say that the window closes when the work is done."""
        self.waits = True
        self.say("The window closes when this is done.", "A run that leaves files on their cards keeps it open.")
        self.finish.hide()
        self.show()
        self.stay.setFocus()

    def end(self) -> None:
        """Nothing is asked any more: the window stays."""
        self.waits = False
        self.hide()

    def event(self, event: QEvent) -> bool:
        return keeps_escape(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.end()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and isinstance(self.focusWidget(), QPushButton):
            self.focusWidget().click()
        else:
            super().keyPressEvent(event)
