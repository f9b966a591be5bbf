"""What a page is: what it can be told, and how it asks for things."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING, ClassVar, TypeVar

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from jutrek.desk.events import Who
from jutrek.errors import JutrekError, Stopped

if TYPE_CHECKING:
    from jutrek.desk.services.intake import IntakeService
    from jutrek.desk.services.library import LibraryServices
    from jutrek.desk.services.lookup import LookupService
    from jutrek.desk.session import Session
    from jutrek.desk.worker import Ticket
    from jutrek.ui.shell.context import Context
    from jutrek.ui.shell.offers import Offer

_T = TypeVar("_T")
Key = tuple[str, str]
"""A key as it is told, and what it does."""


class Page(QObject):
    """A page of the window. What it does not care for it leaves as it is here: then nothing happens.

    It knows neither the window nor other pages. What it asks for is answered to it alone, on the window's thread;
    trouble with that stands on it, and nowhere else.

    Attributes:
        keys: those that it knows besides the ones of every page.
        minds: whose work is told on it, and can be stopped there; the first who is at work comes first.
        context: what it was given.
        widget: what is shown; set when it is made.
        shown: whether it is the page that is open.
        figure: that is said beside its name, such as `33 to settle`; empty for none.
    """

    figured = Signal()
    """Emitted when its figure is another."""
    keys: ClassVar[tuple[Key, ...]] = ()
    minds: ClassVar[tuple[Who, ...]] = (Who.LIBRARY, Who.LOOKUP)
    widget: QWidget

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context = context
        self.shown = False
        self.figure = ""

    @property
    def last_stop(self) -> QWidget:
        """Where Tab ends on it; the head of the window follows the first page."""
        return self.widget

    # ---- what it is told

    def make_ahead(self) -> None:
        """Make what its first act would else wait for; nobody waits meanwhile."""

    def activated(self) -> None:
        """It was opened: it takes the focus, and looks whether something changed."""

    def go(self) -> None:
        """Do what the page is about."""

    def save(self) -> None:
        """Keep what the page is about."""

    def undo(self) -> None:
        """Take back what was decided last."""

    def redo(self) -> None:
        """Decide again what was taken back last."""

    def back(self) -> None:
        """Go back by one step."""

    def take(self, paths: Sequence[str]) -> None:
        """Take folders that were dropped onto the window, if it is the first page."""

    def sort(self, name: str, paths: Sequence[str]) -> None:
        """Sort captures that just came home by hand, if the page does such a thing.

        Args:
            name: what they are called together.
            paths: theirs, in the library.
        """

    def look_into(self, folder: str) -> None:
        """Show what lies in a folder of the library, by its path in it, if the page does such a thing."""

    def hover(self, over: bool) -> None:
        """Show that something hangs over the window, or no longer, if it is the first page."""

    def add(self) -> None:
        """Ask for a folder to take, if it is the first page."""

    def seek(self) -> bool:
        """Somebody is about to look for something: some of what can be found is got ready.

        Returns:
            Whether there is more to be got ready.
        """
        return False

    def offers(self, typed: str) -> Iterable[Offer]:
        """What can be found and done by typing, besides what its buttons do, as far as it may fit what was typed."""
        return ()

    def narrowings(self) -> Iterable[Offer]:
        """What it can be narrowed to; these are among its offers."""
        return ()

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        """Say something that stays until the person does something else; no words end it.

        Args:
            state: a few words.
            more: what else there is to know, beside them.
            under: a line below.
            brick: whether it is trouble.
        """

    def working(self, words: str, figures: str) -> None:
        """Show that something longer is going on, and can be stopped; no words end it."""

    def end(self) -> None:
        """The window closes."""

    def say_figure(self, words: str) -> None:
        """Say another figure beside its name, or none."""
        self.figure = words
        self.figured.emit()

    # ---- how it asks

    def say_trouble(self, error: JutrekError) -> None:
        """Say why what was asked for was not done. What somebody stopped is no trouble."""
        if not isinstance(error, Stopped):
            self.notify("That did not work.", str(error), brick=True)

    def ask_intake(
        self,
        job: Callable[[IntakeService], _T],
        answer: Callable[[_T], None] | None = None,
        *,
        soon: bool = False,
        quiet: bool = False,
    ) -> None:
        """Ask for something of the intake.

        Args:
            job: what is to be done.
            answer: hears what came of it.
            soon: whether it also comes while a source is being read.
            quiet: whether what was said before still holds.
        """
        if (session := self._session(quiet)) is not None:
            session.ask_intake(job, answer, self.say_trouble, soon=soon)

    def ask_library(
        self,
        job: Callable[[LibraryServices], _T],
        answer: Callable[[_T], None] | None = None,
        trouble: Callable[[JutrekError], None] | None = None,
        *,
        quiet: bool = False,
    ) -> None:
        """Ask for something of the library, as above; `trouble` hears what kept it from being done."""
        if (session := self._session(quiet)) is not None:
            session.ask_library(job, answer, trouble or self.say_trouble)

    def ask_lookup(
        self, job: Callable[[LookupService], _T], answer: Callable[[_T], None] | None = None
    ) -> Ticket[_T] | None:
        """Look something up, whatever else is going on; what was said before still holds."""
        session = self.context.client.session
        return session.ask_lookup(job, answer, self.say_trouble) if session is not None else None

    def ask_aside(self, job: Callable[[], _T], answer: Callable[[_T], None] | None = None) -> None:
        """Have something done that concerns neither, such as reading a file."""
        if (session := self._session(False)) is not None:
            session.ask_aside(job, answer, self.say_trouble)

    def _session(self, quiet: bool) -> Session | None:
        if not quiet:
            self.notify("")
        return self.context.client.session

    def stop(self) -> None:
        """End what is going on, safely."""
        self.context.client.stop(self.minds)

    # ---- folders

    def choose_library(self) -> None:
        """Ask for the library's folder, use it, and remember it."""
        path = self.ask_folder("The folder where your captures are at home")
        if path:
            self.ask_intake(lambda intake: intake.open_library(path, chosen=True))

    def choose_place(self) -> None:
        """Ask for a folder on another drive, and keep copies there from now on."""
        path = self.ask_folder("A folder on another drive, for copies of everything")
        if path:
            self.ask_library(lambda library: library.places.add(path))

    def ask_folder(self, title: str) -> str:
        """Ask for a folder; empty where none was chosen."""
        from PySide6.QtWidgets import QFileDialog

        return QFileDialog.getExistingDirectory(self.widget.window(), title)

    def ask_file(self, title: str, name: str, kinds: str) -> str:
        """Ask where to write a file; empty where nothing was chosen.

        Args:
            title: of the dialog.
            name: that is proposed.
            kinds: such as `Plans (*.plan.json)`.
        """
        from PySide6.QtWidgets import QFileDialog

        return QFileDialog.getSaveFileName(self.widget.window(), title, name, kinds)[0]
