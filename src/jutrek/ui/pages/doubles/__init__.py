"""The Doubles page: groups of doubles side by side, and the tray."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.page import Page


def make(context: Context) -> Page:
    """Make the page."""
    from jutrek.ui.pages.doubles.page import DoublesPage

    return DoublesPage(context)
