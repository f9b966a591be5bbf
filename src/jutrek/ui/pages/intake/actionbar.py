"""The action bar of the Intake page."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QWidget

from jutrek.ui.pages.intake.words import run_words
from jutrek.ui.theme import Theme
from jutrek.ui.widgets.keyed import keyed
from jutrek.ui.widgets.statebar import StateBar

if TYPE_CHECKING:
    from jutrek.transfer import Progress

Answer = tuple[str, Callable[[], None]]
"""What a button says, and what it does."""


class ActionBar(StateBar):
    """Offers to bring home, to save the plan, to accept what is certain, to pause or stop; or asks a question."""

    brought = Signal()
    saved = Signal()
    stopped = Signal()
    paused = Signal(bool)
    accepted = Signal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        self.answers = [QPushButton(), QPushButton()]
        """Buttons of a question, the main one first."""
        self.save = keyed(QPushButton("Save the plan…"), "Ctrl+S")
        self.accept = QPushButton("Accept all certain")
        self.accept.setToolTip("Give every question that is called certain its proposed answer")
        self.pause = QPushButton("Pause")
        self.stop = QPushButton("Stop")
        self.main = keyed(QPushButton("Bring home"), "Ctrl+Enter")
        self._asks: Sequence[Answer] = ()
        self._moved = (0, 0)
        self._halted = self._stopping = False
        buttons = (*reversed(self.answers), self.save, self.accept, self.pause, self.stop, self.main)
        super().__init__(theme, buttons, parent)
        self.accept.clicked.connect(self.accepted)
        self.save.clicked.connect(self.saved)
        self.main.clicked.connect(self.brought)
        self.stop.clicked.connect(self.stopped)
        self.pause.clicked.connect(lambda: self.paused.emit(self.pause.text() == "Pause"))
        for number, button in enumerate(self.answers):
            button.clicked.connect(lambda _=False, number=number: self._answer(number))
        for button in (self.stop, self.pause, self.accept, *self.answers):
            button.hide()

    def offer(self, to_bring: int, *, running: bool, working: bool = False, not_compared: int = 0) -> None:
        """Offer to bring a number of captures home, or to stop what is going on.

        Args:
            not_compared: how many of them were not yet compared with what is home.
        """
        asks = bool(self._asks)
        self.save.setVisible(not running and not working and not asks)
        self.main.setVisible(not running and len(self._asks) < 2)
        self.stop.setVisible((running or working) and len(self._asks) < 2)
        self.pause.setVisible(running and not asks)
        self.save.setEnabled(to_bring > 0)
        self.main.setEnabled(to_bring > 0 and not working)
        words = f"Bring {to_bring:,} home" if to_bring else "Nothing to bring"
        if to_bring and not_compared:
            every = "" if to_bring == not_compared else f"{not_compared:,} "
            words += f", {every}not compared yet"
        self.main.setText(words)

    def offer_accepting(self, certain: int) -> None:
        """Offer to accept a number of certain answers, in place of saving the plan; 0 offers nothing."""
        self.accept.setVisible(certain > 0)
        if certain:
            self.save.hide()

    def begin(self, *, stopping: bool) -> None:
        """A run begins or has ended, or is being stopped: then nothing else is said until it has."""
        self._stopping, self._halted = stopping, False

    def say_progress(self, progress: Progress) -> None:
        """Say how far a run is; where nothing gets on, what was said of that stays."""
        moved, self._moved = self._moved, (progress.read_bytes, progress.bytes)
        self._halted = self._halted and moved == self._moved
        if not (self.asking or self._halted or self._stopping):
            said = run_words(progress)
            self.say(said.state, said.more, said.under)

    def say_working(self, words: str, figures: str) -> None:
        """Say that something longer is going on, such as waiting for a disk; no words end it."""
        self._halted = bool(words)
        if words and not self._stopping:
            self.say(words, figures)

    def show_paused(self, paused: bool) -> None:
        """Say what the pause button does."""
        self.pause.setText("Go on" if paused else "Pause")

    def ask(self, *answers: Answer) -> None:
        """Offer answers in place of what is offered otherwise, the main one first; none ends it.

        `offer` must be called behind it.
        """
        self._asks = answers
        for number, button in enumerate(self.answers):
            button.setVisible(number < len(answers))
            if number < len(answers):
                button.setText(answers[number][0])

    @property
    def asking(self) -> bool:
        """Whether a question is open."""
        return bool(self._asks)

    def _answer(self, number: int) -> None:
        if number < len(self._asks):
            self._asks[number][1]()
