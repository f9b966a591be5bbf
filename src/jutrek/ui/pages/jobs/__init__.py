"""The Jobs page: starting jobs by outlines, those that there are, and the versions of their working files."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.page import Page


def make(context: Context) -> Page:
    """Make the page."""
    from jutrek.ui.pages.jobs.page import JobsPage

    return JobsPage(context)
