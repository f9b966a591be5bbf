"""What all pages beside the Intake share: made when they are first opened, told what is going on."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject

if TYPE_CHECKING:
    from jutrek.desk.errands import Errand
    from jutrek.errors import JutrekError
    from jutrek.ui.window import MainWindow


class PageDesk(QObject):
    """Brings a page to its window, and ties it to the session.

    Attributes:
        _page: the page, once it was opened.
    """

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._page: Any = None

    @property
    def shown(self) -> bool:
        """Whether the page is the one that is open."""
        return self._page is not None and self._window.pages.currentWidget() is self._page

    def _errand(self, errand: Errand, *, quiet: bool = False) -> None:
        """Have something done with the library; unless it is quiet, what was said before is over."""
        session = self._window.session
        if not quiet:
            self._window.wish(lambda session: session.errand(errand))
        elif session is not None:
            session.errand(errand)

    def _say_trouble(self, error: JutrekError) -> None:
        self._page.show_working("")
        self._page.notify("That did not work.", str(error), brick=True)

    def notify(self, state: str) -> None:
        """Say something on the page, if there is one; no words end it."""
        if self._page is not None:
            self._page.notify(state)

    def show_working(self, words: str, figures: str) -> None:
        """Show on the page, if there is one, that something longer is going on."""
        if self._page is not None:
            self._page.show_working(words, figures)
