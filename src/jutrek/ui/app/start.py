"""Starting the window, or taking a picture of it."""

from __future__ import annotations

import gc
import logging
import os
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QElapsedTimer
from PySide6.QtWidgets import QApplication

from jutrek.ui.app.faults import Faults
from jutrek.ui.app.whereabouts import keep, take_up
from jutrek.ui.app.window import MainWindow
from jutrek.ui.theme import dress
from jutrek.ui.widgets.spoken import let_be_read

if TYPE_CHECKING:
    from jutrek.ui.pages.intake.page import IntakePage

_PATIENCE = 60_000
_LEAVING = 10.0
"""Seconds that what is at work has, once the window is closed, to come to its end in order."""
_DRESSED = "jutrek dressed"
"""Marks an application that has its style: to put it on again would go through every widget that there is."""


def application() -> QApplication:
    """The one application object, dressed."""
    running = QApplication.instance()
    if isinstance(running, QApplication):
        app = running
    else:
        # Nothing becomes garbage before the first window is painted, which lets it be collected again.
        gc.disable()
        app = QApplication(sys.argv[:1])
    # The window's thread gets its turn fifty times sooner than by default while others compute: it asks for it with
    # each call that goes to Qt.
    sys.setswitchinterval(0.0001)
    app.setApplicationName("jutrek")
    app.setApplicationDisplayName("Jutrek")
    app.setDesktopFileName("jutrek")
    if not app.property(_DRESSED):
        dress(app)
        let_be_read()
        app.setProperty(_DRESSED, True)
    return app


def run_window(sources: list[str], library: str | None) -> int:
    """Open the window and run until it is closed. Without a library the one used last is taken.

    Returns:
        The exit code.
    """
    from jutrek.desk.settings import last_library

    app = application()
    window = MainWindow()
    faults = Faults(window.tell_fault, window)
    window.begin(library or last_library(), sources)
    window.watches_drives = window.learns = True
    take_up(window)
    window.show()
    code = int(app.exec())
    faults.end()
    keep(window)
    if not window.leave(_LEAVING):
        # A thread hangs on a disk, and would hold up the end of the process as well.
        logging.shutdown()
        os._exit(code)
    return code


def picture_of_window(sources: list[str], library: str, path: str, *, day: str = "") -> None:
    """Write a picture of the window with these sources, read and planned.

    Args:
        path: where the PNG goes.
        day: the row to open, as `2026-05-14`; the fullest one where empty.
    """
    app = application()
    window = MainWindow()
    window.begin(library, sources)
    window.show()
    view = cast("IntakePage", window.page("intake")).view
    wait(app, lambda: view.board.plan is not None and len(view.board.sources) == len(sources))
    days = [day for day in view.board.days if day.start]
    if days:
        fullest = max(days, key=lambda day: len(day.captures))
        view.open_day(day or fullest.key)
        view.grid.choose(fullest.captures[1].id if len(fullest.captures) > 1 else fullest.captures[0].id)
    wait(app, lambda: False, patience=600)
    wait(app, window.pictures.idle)
    wait(app, lambda: False, patience=300)
    window.grab().save(path)
    window.close()
    window.leave(_LEAVING)


def wait(app: QApplication, until: Callable[[], bool], *, patience: int = _PATIENCE) -> None:
    """Let the window work until a condition holds, or the patience (milliseconds) ends."""
    timer = QElapsedTimer()
    timer.start()
    while timer.elapsed() < patience and not until():
        app.processEvents()
        app.thread().msleep(5)
