"""What of the window is not needed for its first paint is imported soon after it, by a thread of its own.

Else the first row that is opened, or the first look at another page, would wait for that.
"""

from __future__ import annotations

import pkgutil
import threading
from importlib import import_module

from PySide6.QtCore import QObject, QTimer

import jutrek.ui

_SOON = 1000
"""Milliseconds behind the first paint: what was asked for at the start goes first."""
_BREATH = 0.005
"""Seconds between two modules, in which others have their turn."""


class Ahead(QObject):
    """Imports the rest of the window once."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._over = threading.Event()
        QTimer.singleShot(_SOON, self, self._begin)

    def end(self) -> None:
        """Import no more."""
        self._over.set()

    def _begin(self) -> None:
        if not self._over.is_set():
            threading.Thread(target=self._import, name="imports ahead", daemon=True).start()

    def _import(self) -> None:
        for module in pkgutil.walk_packages(jutrek.ui.__path__, "jutrek.ui."):
            if self._over.wait(_BREATH):
                return
            import_module(module.name)
