"""Ending a command from the keyboard, safely."""

from __future__ import annotations

import signal
import threading


def stop_on_interrupt() -> threading.Event:
    """An event that Ctrl+C and SIGTERM set, so that a run ends safely. A second Ctrl+C ends at once."""
    stop = threading.Event()

    def on_signal(number: int, _: object) -> None:
        if stop.is_set():
            signal.signal(number, signal.SIG_DFL)
            signal.raise_signal(number)
        stop.set()

    signal.signal(signal.SIGINT, on_signal)
    signal.signal(signal.SIGTERM, on_signal)
    return stop
