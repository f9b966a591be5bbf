"""The pages of the window. This is the only list of them."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple, cast

if TYPE_CHECKING:
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.page import Page


class Entry(NamedTuple):
    """A page.

    Attributes:
        key: by which it is opened.
        title: at the head of the window.
        keys: the shortcut that opens it.
        package: makes it, by its function `make`; imported when it is opened for the first time.
        figures: whether it says a figure beside its title before it is opened.
    """

    key: str
    title: str
    keys: str
    package: str
    figures: bool = False

    def make(self, context: Context) -> Page:
        """Make the page."""
        return cast("Page", import_module(self.package).make(context))


PAGES = (
    Entry("intake", "Intake", "Ctrl+1", "jutrek.ui.pages.intake"),
    Entry("library", "Library", "Ctrl+2", "jutrek.ui.pages.library", figures=True),
    Entry("doubles", "Doubles", "Ctrl+3", "jutrek.ui.pages.doubles", figures=True),
    Entry("jobs", "Jobs", "Ctrl+4", "jutrek.ui.pages.jobs"),
    Entry("rules", "House rules", "Ctrl+5", "jutrek.ui.pages.rules"),
    Entry("journal", "Journal", "Ctrl+6", "jutrek.ui.pages.journal"),
)
"""From the left; the first one is open at the beginning, and takes what is dropped onto the window."""
