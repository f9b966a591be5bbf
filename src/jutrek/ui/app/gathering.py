"""All that can be found and done in the window, gathered from its pages, its keys and the buttons that are shown."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget

from jutrek.desk.finding import used
from jutrek.desk.settings import last_uses, remember_uses
from jutrek.ui.app.finder import Finder
from jutrek.ui.app.keys import ADD, HELP
from jutrek.ui.shell.offers import Offer, buttons_of

if TYPE_CHECKING:
    from jutrek.errors import JutrekError
    from jutrek.ui.app.header import Header
    from jutrek.ui.app.registry import Entry
    from jutrek.ui.shell.client import Client
    from jutrek.ui.shell.page import Page
    from jutrek.ui.theme import Theme

_AGAIN = 400
"""Milliseconds until it is searched again when work goes on."""
_BREATH = 10
"""Milliseconds between two parts of pages that are made to be found in."""


class Frame(Protocol):
    """What is asked of the window around the pages."""

    client: Client
    header: Header
    entries: Sequence[Entry]

    @property
    def theme(self) -> Theme: ...
    @property
    def current(self) -> Page: ...
    def page(self, key: str, /) -> Page: ...
    def pages(self) -> Iterable[tuple[str, Page]]: ...
    def go_to(self, key: str, /) -> object: ...
    def show_keys(self) -> None: ...
    def tell_fault(self, fault: JutrekError, /) -> None: ...


class Gathering(QObject):
    """Opens the finder over a window, and does what is chosen in it.

    Attributes:
        finder: the line, and what fits.
    """

    def __init__(self, window: Frame, parent: QWidget) -> None:
        super().__init__(parent)
        self._window = window
        self._narrows = False
        self.finder = Finder(window.theme, self._offers, parent)
        self.finder.uses = last_uses()
        self.finder.done.connect(self._do)
        self._again = QTimer(self, singleShot=True, interval=_AGAIN)
        self._again.timeout.connect(self.finder.search_again)
        window.client.worked.connect(self._see_worked)

    def open(self, *, narrows: bool = False) -> None:
        """Let the person find something, or do something.

        Args:
            narrows: whether only what the open page can be narrowed to is offered; where there is none of that, all is.
        """
        window = self._window
        self._narrows = narrows and any(True for _ in window.current.narrowings())
        self.finder.field.setPlaceholderText("Show only…" if self._narrows else "Find or do…")
        box = window.header.finds.geometry()
        self.finder.open(box.right() + 10, window.header.height() - 4)
        if not self._narrows:
            QTimer.singleShot(0, self, self._make_next)

    def _see_worked(self) -> None:
        """What somebody did may have brought more, such as the runs of the journal."""
        if self.finder.isVisible() and not self._again.isActive():
            self._again.start()

    def _make_next(self) -> None:
        """Pages that were never opened hold things, too. They are made one by one, so that nobody waits for all."""
        if not self.finder.isVisible():
            return
        window = self._window
        made = dict(window.pages())
        missing = next((entry.key for entry in window.entries if entry.key not in made), None)
        if missing is not None:
            window.page(missing)
        if missing is not None or any(page.seek() for page in made.values()):
            QTimer.singleShot(_BREATH, self, self._make_next)
        self.finder.search_again()

    def _offers(self, typed: str) -> Iterator[Offer]:
        """What may fit, what is said twice only once."""
        seen = set()
        for offer in self._all(typed):
            what = offer.words, offer.about
            if what not in seen:
                seen.add(what)
                yield offer

    def _all(self, typed: str) -> Iterable[Offer]:
        window = self._window
        if self._narrows:
            yield from window.current.narrowings()
            return
        shown = tuple(buttons_of(window.current.widget))
        yield from shown[:1]
        for entry in window.entries:
            yield Offer("page", entry.title, partial(window.go_to, entry.key), "", entry.keys)
        yield from shown[1:]
        yield from window.current.offers(typed)
        first = window.page(window.entries[0].key)
        yield Offer("do", "Add a card or folder…", first.add, "to this intake", ADD)
        yield Offer("do", "Choose a library…", window.current.choose_library, "where captures are at home")
        yield Offer("do", "Take back what was decided last", window.current.undo, "", "Ctrl+Z")
        yield Offer("do", "Decide it again", window.current.redo, "what was taken back last", "Ctrl+Shift+Z")
        yield Offer("do", "Keys of this page", window.show_keys, "", HELP)
        for _, page in window.pages():
            if page is not window.current:
                yield from page.offers(typed)

    def _do(self, offer: Offer) -> None:
        if offer.key:
            uses = self.finder.uses = used(self.finder.uses, offer.key)
            if (session := self._window.client.session) is not None:
                session.ask_aside(lambda: remember_uses(uses), None, self._window.tell_fault)
        offer.do()
