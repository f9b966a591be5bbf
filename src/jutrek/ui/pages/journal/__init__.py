"""The Journal page: what was done, where the files are, and taking back."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.page import Page


def make(context: Context) -> Page:
    """Make the page."""
    from jutrek.ui.pages.journal.page import JournalPage

    return JournalPage(context)
