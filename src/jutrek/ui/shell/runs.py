"""The run of an intake, for whichever page begins it or shows it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from jutrek.desk.events import Who

if TYPE_CHECKING:
    from jutrek.desk.answers import AfterRun
    from jutrek.desk.session import Session
    from jutrek.errors import JutrekError
    from jutrek.transfer import Choice, Control, Outcome
    from jutrek.ui.shell.client import Client


class RunControl(QObject):
    """Begins runs, and steers the one that is at work.

    Attributes:
        running: whether one was asked for and has not ended.
        after: what is done behind the next one; None for the usual.
    """

    began = Signal()
    ended = Signal(object)
    """The outcome."""
    failed = Signal(object)
    """Why it did not begin, or could not go on."""

    def __init__(self, client: Client) -> None:
        super().__init__(client)
        self._client = client
        self.running = False
        self.after: AfterRun | None = None

    def bring_home(self) -> None:
        """Carry out the plan of the intake."""
        self._begin(lambda session: session.bring_home(self.after, self._end, self._fail))

    def finish(self, run: str) -> None:
        """Bring home what a run left."""
        self._begin(lambda session: session.finish(run, self.after, self._end, self._fail))

    def _begin(self, ask: Callable[[Session], object]) -> None:
        if self._client.session is not None and not self.running:
            self.running = True
            self.began.emit()
            ask(self._client.session)

    def _end(self, outcome: Outcome) -> None:
        self.running = False
        self.ended.emit(outcome)

    def _fail(self, error: JutrekError) -> None:
        self.running = False
        self.failed.emit(error)

    def stop(self) -> None:
        """Stop it, safely."""
        if self._client.session is not None:
            self._client.session.stop(Who.INTAKE)

    def pause(self, paused: bool) -> bool:
        """Let it pause, or go on. Returns whether there is one."""
        control = self._control
        if control is not None:
            control.pause() if paused else control.go_on()
        return control is not None

    def answer(self, place: str, choice: Choice) -> None:
        """Say what becomes of a place that is full, by its id."""
        if (control := self._control) is not None:
            control.answer(place, choice)

    @property
    def _control(self) -> Control | None:
        session = self._client.session
        return session.control if session is not None and self.running else None
