"""Marks on the Library page: M and a letter mark what is chosen; the house writes down and changes its marks here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QWidget

from jutrek.library.marks import COLOURS, HouseMark, free_colour
from jutrek.ui import paint
from jutrek.ui.pages.library.pennants import pennant_icon
from jutrek.ui.plainly import caption, plain

if TYPE_CHECKING:
    from jutrek.desk.sidecars import Described
    from jutrek.errors import JutrekError
    from jutrek.ui.pages.library.tidying import LibraryTidying
    from jutrek.ui.pages.library.view import LibraryView
    from jutrek.views.conditions import Condition

_OFF = frozenset({Qt.Key.Key_Backspace, Qt.Key.Key_Delete})


class MarksMenu(QMenu):
    """Marks to choose from, by the pointer, by arrows, or each by its letter."""

    def __init__(self, marks: tuple[HouseMark, ...], mark: Callable[[str], None], parent: QWidget) -> None:
        """
        Args:
            marks: of the house.
            mark: called with the letter that was chosen; the empty one takes marks off.
            parent: what it lies over.
        """
        super().__init__("Mark", parent)
        self._letters, self._mark = {one.letter for one in marks}, mark
        for one in marks:
            pennant, words = pennant_icon(one.letter, one.colour), f"{caption(one.meaning or 'Mark')}\t{one.letter}"
            action = self.addAction(pennant, words, partial(mark, one.letter))
            action.setIconVisibleInMenu(True)
        if marks:
            self.addSeparator()
        self.addAction("No mark\tBackspace", partial(mark, ""))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        letter = event.text().upper()
        plain_key = not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier
        if plain_key and (letter in self._letters or Qt.Key(event.key()) in _OFF):
            self.close()
            self._mark(letter if letter in self._letters else "")
        else:
            super().keyPressEvent(event)


class LibraryMarking(QObject):
    """Ties marks of a view to the house's, and to the sidecars that they are written into."""

    def __init__(
        self,
        view: LibraryView,
        tidying: LibraryTidying,
        ask: Callable[..., object],
        ask_lookup: Callable[..., object],
        show: Callable[[Condition], None],
        renew: Callable[[], None],
        learnt: Callable[[], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            view: shows captures.
            tidying: knows what is meant, and takes back what was done on the disk.
            ask: has a job done by the services of the library, and its answer heard.
            ask_lookup: the same by the lookup service.
            show: shows another view.
            renew: shows what is true, at once.
            learnt: shows it soon: it is shown already.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._tidying, self._show, self._renew, self._learnt = view, tidying, show, renew, learnt
        self._at_work = 0
        """How many marks are being written."""
        self._ask_library, self._ask_lookup = ask, ask_lookup
        shortcut = QShortcut(QKeySequence("M"), view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(self.open_menu)

    @property
    def _marks(self) -> tuple[HouseMark, ...]:
        return self._view.view.marks if self._view.view is not None else ()

    # ---- menus

    def open_menu(self) -> None:
        """Ask which mark what is chosen is to have; or a folder, where the keys go to those."""
        folders = self._view.folders.list
        if folders.hasFocus() and (path := folders.folder()):
            menu = MarksMenu(self._marks, partial(self.mark_folder, path), self._view)
            menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            menu.popup(folders.mapToGlobal(folders.visualRect(folders.currentIndex()).bottomLeft()))
            return
        if self._tidying.chosen() is None:
            return
        menu = self._menu(self._view)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        over = self._view.closely.look if self._view.closely.is_open else self._view.grid.viewport()
        box = (over or self._view).rect()
        menu.popup((over or self._view).mapToGlobal(box.center() - QPoint(90, 60)))

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer marks for what is chosen."""
        marks = self._menu(menu)
        marks.setTitle("Mark\tM")
        menu.addMenu(marks)

    def add_to_folder_menu(self, menu: QMenu, path: str) -> None:
        """Offer marks for a folder."""
        if path:
            menu.addMenu(MarksMenu(self._marks, partial(self.mark_folder, path), menu))

    def _menu(self, parent: QWidget) -> MarksMenu:
        menu = MarksMenu(self._marks, self.mark, parent)
        menu.addSeparator()
        menu.addAction("Write down a mark…", self.ask_mark)
        if self._marks:
            change = menu.addMenu("Change a mark")
            for one in self._marks:
                self._add_changes(change, one)
        return menu

    def _add_changes(self, menu: QMenu, mark: HouseMark) -> None:
        own = menu.addMenu(pennant_icon(mark.letter, mark.colour), caption(mark.meaning or mark.letter))
        own.addAction("Means something else…", partial(self.ask_mark, mark))
        colours = own.addMenu("Colour")
        for colour in COLOURS:
            action = colours.addAction(
                pennant_icon(mark.letter, colour), colour, partial(self._keep, mark._replace(colour=colour))
            )
            action.setIconVisibleInMenu(True)
        own.addAction("Forget it", partial(self._forget, mark))

    # ---- the house's marks

    def ask_mark(self, mark: HouseMark | None = None) -> None:
        """Ask for a letter and what it means."""
        self._view.asking.ask(
            "A mark of the house:", "Write it down", self._take, name=f"{mark.letter} {mark.meaning}" if mark else "",
            hint="a letter and what it means: R for the report", check=self._check,
        )  # fmt: skip

    def _typed(self, text: str) -> HouseMark:
        letter, _, meaning = text.strip().partition(" ")
        known = next((one for one in self._marks if one.letter == letter.upper()), None)
        return HouseMark(letter.upper(), meaning.strip(), known.colour if known else free_colour(self._marks))

    def _check(self, text: str) -> tuple[str, bool]:
        if not text.strip():
            return "", False
        mark = self._typed(text)
        others = [one for one in self._marks if one.letter != mark.letter]
        if len(mark.letter) != 1 or not mark.letter.isalnum():
            return "It begins with one letter or digit, then what it means.", False
        if any(one.is_said_by(word) for one in others for word in (mark.letter, mark.meaning) if word):
            return "Another mark is called so already.", False
        return f"{mark.letter}, {mark.colour}: {plain(mark.meaning) or 'nothing in words'}", True

    def _take(self, text: str) -> None:
        self._keep(self._typed(text))

    def _keep(self, mark: HouseMark) -> None:
        words = f"{mark.letter} means: {plain(mark.meaning) or 'nothing in words'}."
        self._ask_lookup(
            lambda lookup: lookup.views.keep_mark(mark),
            lambda _: self._kept(words, f"M and {mark.letter} give it to captures."),
        )  # fmt: skip

    def _forget(self, mark: HouseMark) -> None:
        self._ask_lookup(
            lambda lookup: lookup.views.forget_mark(mark.letter),
            lambda _: self._kept(f"{mark.letter} is no mark of the house any more.", "Captures that have it keep it."),
        )

    def _kept(self, words: str, more: str) -> None:
        self._view.notify(words, f"{more} Ctrl+Z takes it back.")
        self._show(self._view.wanted)
        self._renew()

    # ---- captures

    def mark(self, letter: str) -> None:
        """Give what is chosen a mark; the empty letter takes marks off. It is shown at once, and written meanwhile."""
        rows, view = self._tidying.chosen(), self._view.view
        if rows is None or view is None:
            return
        columns, own = view.columns, rows.tolist()

        def write(number: int) -> None:
            self._show(self._view.wanted)
            self._at_work += 1
            self._ask_library(
                lambda at: at.marking.go(columns, own, letter), partial(self._marked, letter, number),
                partial(self._not_marked, number),
            )  # fmt: skip

        self._view.notify("")
        self._ask_lookup(lambda lookup: lookup.views.mark(columns, own, letter), write)

    def mark_folder(self, path: str, letter: str) -> None:
        """Give a folder a mark; the empty letter takes it off."""
        self._view.notify("")
        self._at_work += 1
        self._ask_library(
            lambda at: at.marking.folder(path, letter), partial(self._folder_marked, path, letter),
            self._no_folder_marked,
        )  # fmt: skip

    def _over(self) -> None:
        """One was written, or could not be: behind the last one hash lists and backups follow."""
        self._at_work -= 1
        if not self._at_work:
            self._ask_library(lambda at: at.marking.follow(), self._followed)

    def _followed(self, why: str) -> None:
        if why:
            self._view.notify("Marks are written.", why, brick=True)

    def _folder_marked(self, path: str, letter: str, done: Described) -> None:
        self._over()
        if done.run:
            self._tidying.remember((done.run,))
        words = f"{plain(path)} is marked {letter}." if letter else f"{plain(path)} has no mark."
        self._view.notify(words, done.why or ("Ctrl+Z takes it back." if done.run else ""), brick=bool(done.why))
        self._renew()

    def _no_folder_marked(self, error: JutrekError) -> None:
        self._over()
        self._view.notify("Nothing was marked.", str(error), brick=True)

    def _not_marked(self, number: int, error: JutrekError) -> None:
        """It can't be written: what is shown is what is true."""
        self._over()
        self._view.notify("Nothing was marked.", str(error), brick=True)
        self._ask_lookup(lambda lookup: lookup.views.marked(number), lambda _: self._renew())

    def _marked(self, letter: str, number: int, done: Described) -> None:
        self._over()
        if done.run:
            self._tidying.remember((done.run,))
        meaning = next((one.meaning for one in self._marks if one.letter == letter), "")
        what = f"marked {letter}{f', {plain(meaning)}' if meaning else ''}." if letter else "without a mark."
        already = f"{done.same:,} {'has' if done.same == 1 else 'have'} it already. " if done.same and letter else ""
        if done.captures:
            words = f"{paint.counted(done.captures, 'capture')} {what}"
            self._view.notify(words, done.why or f"{already}Ctrl+Z takes it back.", brick=bool(done.why))
        else:
            self._view.notify("Nothing was marked.", done.why or already, brick=bool(done.why))
        # What was not written all of is shown as it is, at once.
        then = self._renew if done.why else self._learnt
        self._ask_lookup(lambda lookup: lookup.views.marked(number), lambda _: then())
