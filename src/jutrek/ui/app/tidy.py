"""Garbage that holds itself alive is looked for in small steps, between what a person does.

By itself Python would walk through everything there is for it, in the middle of anything: with 30,000 captures that
stops all threads for a third of a second. What came in a burst, as captures do, is no garbage, and is not walked
through: it is set apart until the person turns to another window. (What nothing refers to any more is freed at once in
any case; only what refers to itself has to be looked for.)
"""

from __future__ import annotations

import gc
import time

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QGuiApplication

_TURN = 1000
"""Milliseconds between two looks at what came since the last one."""
_OLDER, _OLDEST = 10, 60
"""Every so many turns what survived one look, or several, is looked at, too."""
_BURST = 50_000
"""Objects from which on those of one turn are set apart: to walk through more takes longer than a frame."""
_LONG = 0.02
"""Seconds from which on a look took so long that what survived it is set apart."""


class Tidy(QObject):
    """Takes the place of Python's own timing as long as a window is open."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        gc.disable()
        self._turns = 0
        self._timer = QTimer(self, interval=_TURN)
        self._timer.timeout.connect(self.turn)
        self._timer.start()
        app = QGuiApplication.instance()
        assert isinstance(app, QGuiApplication)
        app.applicationStateChanged.connect(self._on_state)

    def end(self) -> None:
        """Leave it to Python again."""
        self._timer.stop()
        gc.unfreeze()
        gc.enable()

    def turn(self) -> None:
        """Look at what came since the last turn, and now and then at what is older."""
        self._turns += 1
        if gc.get_count()[0] > _BURST:
            gc.freeze()
            return
        began = time.perf_counter()
        gc.collect(2 if not self._turns % _OLDEST else 1 if not self._turns % _OLDER else 0)
        if time.perf_counter() - began > _LONG:
            gc.freeze()

    def _on_state(self, state: Qt.ApplicationState) -> None:
        if state is not Qt.ApplicationState.ApplicationActive:
            self.sweep()

    def sweep(self) -> None:
        """Look at everything, while nobody looks at the window."""
        if self._timer.isActive():
            gc.unfreeze()
            gc.collect()
            gc.freeze()
