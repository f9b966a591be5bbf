"""Where on the screen the window was, and which page was open: so again at the next start."""

from __future__ import annotations

import re

from PySide6.QtCore import QByteArray, QSize

from jutrek.desk.settings import last_window, remember_window
from jutrek.ui.app.registry import PAGES
from jutrek.ui.app.window import MainWindow

_WANTED = QSize(1280, 800)
_TITLE_BAR = 40
"""Pixels that a desktop's title bar takes, before anybody knows how many it is."""


def take_up(window: MainWindow) -> None:
    """Have a window as it was left; for the first time, as large as fits on its screen with a title bar."""
    geometry, page = last_window()
    room = window.screen().availableSize()
    window.resize(_WANTED.boundedTo(QSize(room.width(), room.height() - _TITLE_BAR)))
    if re.fullmatch(r"[0-9a-f]{2,400}", geometry):
        # A screen that went away is known to Qt: the window comes onto one that is there.
        window.restoreGeometry(QByteArray.fromHex(geometry.encode()))
    if page in {entry.key for entry in PAGES}:
        window.go_to(page)


def keep(window: MainWindow) -> None:
    """Remember how it is."""
    page = next((key for key, one in window.pages() if one.shown), PAGES[0].key)
    remember_window(window.saveGeometry().toHex().data().decode(), page)
