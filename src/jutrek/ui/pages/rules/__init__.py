"""The House rules page: composed, tried, kept, and what is home filed anew."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.page import Page


def make(context: Context) -> Page:
    """Make the page."""
    from jutrek.ui.pages.rules.page import RulesPage

    return RulesPage(context)
