"""Errors of our own that nobody foresaw, met while the window is at work: logged, told, and survived."""

from __future__ import annotations

import logging
import sys
import time
import traceback
from collections.abc import Callable
from types import TracebackType

from PySide6.QtCore import QObject, Signal

from jutrek.errors import OurFault

_AGAIN = 60.0
"""Seconds after which an error that comes again and again, as one of painting does, is told once more."""

_log = logging.getLogger(__name__)


class Faults(QObject):
    """Hears of every error that would otherwise be nobody's; runs, which have threads of their own, go on.

    What is told is told on the window's thread, once what failed has returned to Qt.
    """

    _met = Signal(object)

    def __init__(self, tell: Callable[[OurFault], None], parent: QObject | None = None) -> None:
        """
        Args:
            tell: shows a person what happened, and what it means for the files.
            parent: owns it.
        """
        super().__init__(parent)
        self._told: dict[tuple[type, str], float] = {}
        self._met.connect(tell)
        self._before = sys.excepthook
        sys.excepthook = self._hear

    def end(self) -> None:
        """Hear nothing any more."""
        sys.excepthook = self._before

    def _hear(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if not isinstance(error, Exception):
            self._before(kind, error, trace)
            return
        frames = traceback.extract_tb(trace)
        where = f"{frames[-1].filename}:{frames[-1].lineno}" if frames else ""
        now, key = time.monotonic(), (kind, where)
        if now - self._told.get(key, -_AGAIN) >= _AGAIN:
            self._told[key] = now
            _log.error("The window met an error.", exc_info=(kind, error, trace))
            self._met.emit(OurFault(error))
        # What is kept of it would keep alive whatever its functions held.
        traceback.clear_frames(trace)
        sys.last_traceback = None
