"""The Library page: what is at home, looked at by time or by folder, narrowed by a sentence."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.page import Page


def make(context: Context) -> Page:
    """Make the page."""
    from jutrek.ui.pages.library.page import LibraryPage

    return LibraryPage(context)
