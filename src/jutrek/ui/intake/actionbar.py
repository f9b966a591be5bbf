"""The action bar of the Intake page."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.ui.statebar import StateBar
from jutrek.ui.theme import Theme


class ActionBar(StateBar):
    """Offers to bring home, to save the plan, to accept what is certain, or to stop."""

    brought = Signal()
    saved = Signal()
    stopped = Signal()
    accepted = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        self.save = QPushButton("Save the plan…")
        self.accept = QPushButton("Accept all certain")
        self.accept.setToolTip("Give every question that is called certain its proposed answer")
        self.stop = QPushButton("Stop")
        self.main = QPushButton("Bring home")
        super().__init__(theme, (self.save, self.accept, self.stop, self.main), parent)
        self.accept.clicked.connect(self.accepted)
        self.save.clicked.connect(self.saved)
        self.main.clicked.connect(self.brought)
        self.stop.clicked.connect(self.stopped)
        self.stop.hide()
        self.accept.hide()

    def offer(self, to_bring: int, *, running: bool, working: bool = False) -> None:
        """Offer to bring a number of captures home, or to stop what is going on."""
        self.save.setVisible(not running and not working)
        self.main.setVisible(not running)
        self.stop.setVisible(running or working)
        self.save.setEnabled(to_bring > 0)
        self.main.setEnabled(to_bring > 0 and not working)
        self.main.setText(f"Bring {to_bring:,} home" if to_bring else "Nothing to bring")

    def offer_accepting(self, certain: int) -> None:
        """Offer to accept a number of certain answers, in place of saving the plan; 0 offers nothing."""
        self.accept.setVisible(certain > 0)
        if certain:
            self.save.hide()
