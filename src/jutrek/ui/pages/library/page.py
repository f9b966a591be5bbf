"""Ties the Library page to the library that is open."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPoint, QTimer, Signal
from PySide6.QtWidgets import QApplication, QStackedWidget

from jutrek.desk import events
from jutrek.desk.settings import last_library_size, last_trunk, remember_library_size, remember_trunk
from jutrek.errors import JutrekError, Stopped
from jutrek.ui.pages.library.captioning import Captions, over_library
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.pages.library.jobs import TakingAlong
from jutrek.ui.pages.library.kept import LibraryKept
from jutrek.ui.pages.library.marking import LibraryMarking
from jutrek.ui.pages.library.missing import LibraryMissing
from jutrek.ui.pages.library.outboxes import LibraryOutboxes
from jutrek.ui.pages.library.shelving import Shelving
from jutrek.ui.pages.library.sorting.control import LibrarySorting
from jutrek.ui.pages.library.storing import LibraryStoring
from jutrek.ui.pages.library.tidying import LibraryTidying
from jutrek.ui.pages.library.turning import Turning
from jutrek.ui.pages.library.view import LibraryView
from jutrek.ui.plainly import caption, plain
from jutrek.ui.shell.offers import Offer
from jutrek.ui.shell.page import Page
from jutrek.views.conditions import EVERYTHING, Condition, Sort, Value
from jutrek.views.saying import sentence
from jutrek.views.spotting import spot_around
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View
    from jutrek.desk.rebuilding import Rebuilding
    from jutrek.desk.services.lookup import LookupService
    from jutrek.desk.viewing import LookedAt
    from jutrek.library import Survey
    from jutrek.ui.pages.library.sorting.shown import Asks
    from jutrek.ui.shell.context import Context
    from jutrek.views.columns import Columns
    from jutrek.whereabouts import Spot

_LAST = 4
"""The line of the pool in which columns are built: behind all pictures."""
_SETTLES = 3000
"""Milliseconds after which what was learnt meanwhile is shown, at the soonest."""


class LibraryPage(Page):
    """The Library page."""

    keys = (
        ("Ctrl+E", "type the sentence"), ("F3", "by folder, by time"), ("Space, Enter", "up close"),
        ("Left, Right, Up, Down", "walk; with Shift choose on the way, with Ctrl walk and choose nothing"),
        ("Home, End, PageUp, PageDown", "walk far"), ("Ctrl+Space", "choose one more"), ("Ctrl+A", "choose all"),
        ("Ctrl++, Ctrl+−", "larger, smaller pictures"), ("Ctrl+C", "copy the path"),
        ("M and a letter", "mark"), ("K", "keywords and words of what is chosen"),
        ("R, Shift+R", "turn to the right, to the left"), ("Ctrl+H", "put on a shelf"),
        ("Ctrl+Shift+Left, Right, Home, End", "another place on a shelf"),
        ("Ctrl+M", "move to a folder"), ("Ctrl+Shift+M", "into a folder of their own"),
        ("F2", "call a capture or a folder otherwise; number several"),
        ("Ctrl+X, Ctrl+V", "take in hand, and put into the folder that is looked at"), ("Delete", "set aside"),
        ("B, S, L", "where a name is taken: keep both, one of them, or leave this one"),
        ("Ctrl+Z", "take back what was done last, on the disk, too"), ("letters", "on a step, jump to a folder"),
        ("Esc, Backspace", "a step back"),
        ("Tab", "take what is offered while a sentence is typed"),
        ("F4", "sort by hand; there:"), ("a number, Enter", "file what is chosen into the folder of that number"),
        ("letters, with the focus on folders", "type another folder, which Tab completes"),
        ("Shift+Space", "take along what belongs to it"), ("Alt+Up, Alt+Down", "another pile"),
        ("L", "leave it where it lies"), ("W", "set the worse of doubles aside"),
    )  # fmt: skip

    _built = Signal(object)

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        view = self.view = LibraryView(context.theme, context.pictures)
        stack = self.widget = QStackedWidget()
        stack.addWidget(view)
        self.sorting = LibrarySorting(context, stack, self._asks, self)
        self._library = ""
        self._asked = 0
        self._asked_for: Condition = EVERYTHING
        self._outside = False
        """Whether another program may have changed the library since it was looked through last."""
        self._builder = context.pictures.pool.line(_LAST)
        self._is_building = self._wants_more = False
        self._built.connect(self._take)
        self._settles = QTimer(self, singleShot=True, interval=_SETTLES)
        self._settles.timeout.connect(self._renew)
        view.said.connect(self.show)
        view.closely.wanted.connect(self._look_at)
        view.copied.connect(self._copy)
        view.shown_on_disk.connect(self._show_on_disk)
        view.stopped.connect(self.stop)
        if (size := last_library_size()) is not None:
            view.show_size(size)
        view.sorts.clicked.connect(self._ask_sorting)
        view.sized.connect(lambda size: self.ask_aside(lambda: remember_library_size(size)))
        view.trunk_hidden.connect(self._remember_trunk)
        view.checked.connect(lambda: context.go_to("journal"))
        view.folders.list.asked.connect(self._folder_menu)
        self.shelving = Shelving(view, self.ask_lookup, self.show, self.renew, self)
        self.tidying = LibraryTidying(view, self.ask_library, self.ask_lookup, self.renew, self.read_again, self)
        self.marking = LibraryMarking(
            view, self.tidying, self.ask_library, self.ask_lookup, self.show, self.read_again, self._learnt, self
        )  # fmt: skip
        surface = over_library(view, self.tidying, self.ask_library, self.read_again)
        self.captions = Captions(surface, self)
        self.taking = TakingAlong(view, self.tidying, self.ask_lookup, self.ask_library, self)
        self.turning = Turning(surface, view.closely, context.pictures, self)
        self.tidying.restored.connect(self.turning.show_all_anew)
        self.missing = LibraryMissing(view, self.tidying, self.ask_library, self.read_again, self)
        self.kept = LibraryKept(view, self.ask_lookup, self.show, self)
        self.outboxes = LibraryOutboxes(context, view, self.ask_lookup, self.ask_folder, self.show, self)
        self.storing = LibraryStoring(view, self.tidying, self.ask_library, self.read_again, self)
        self.shelving.takes = self.tidying.takes
        view.grid.carried.connect(self.tidying.hang_over)
        view.grid.asked.connect(self._captures_menu)
        context.client.on(events.BoardChanged, self._see_board)
        context.client.on(events.Described, lambda _: self._learnt())
        context.client.on(events.ChangedOutside, lambda _: self._changed_outside())
        context.client.on(events.DoublesCounted, lambda _: self._learnt())

    def activated(self) -> None:
        """It shows what there is at once, and then what was learnt since."""
        sorting = self.sorting.shown if self.sorting.is_open else None
        if sorting is not None:
            sorting.view.grid.setFocus()
        else:
            self.view.take_focus()
        if self._library:
            self.show(self.view.wanted)
            self.ask_lookup(lambda lookup: lookup.watch())
            self._look_again()

    def _look_again(self) -> None:
        """Look through the library, if anything says that it changed, and say what other programs did."""
        look, self._outside = self._outside, False
        self._ask_reading(lambda lookup: lookup.catch_up(look=look))
        self.ask_lookup(lambda lookup: lookup.views.take_found(), self._say_found)
        self.ask_lookup(lambda lookup: lookup.views.other_drives(), self._see_drives)

    def _see_drives(self, changed: bool) -> None:
        # A person may have asked for another view since, which is not laid out yet.
        if changed:
            self.show(self._asked_for)

    def _changed_outside(self) -> None:
        self._outside = True
        if self.shown and self._library:
            self._look_again()

    def read_again(self) -> None:
        """Read what files say that came or changed by what was done here, and show it."""
        self.ask_lookup(lambda lookup: lookup.forgive())
        self._ask_reading(lambda lookup: lookup.catch_up())

    def _say_found(self, found: Survey | None) -> None:
        """Say what other programs changed meanwhile: it was found again, or is told as gone."""
        if found is None:
            return
        parts = [
            counted(found.moved, "file was moved", "files were moved") if found.moved else "",
            counted(found.changed, "is another version", "are other versions") if found.changed else "",
            counted(found.gone, "is gone", "are gone") if found.gone else "",
        ]
        more = "What moved was found again by its content. " if found.moved else ""
        example = f"Gone: {plain(found.lost[0])}." if found.lost else ""
        self.view.notify(f"Outside, {', '.join(filter(None, parts))}.", f"{more}{example}")

    # ---- views

    def show(self, view: Condition) -> None:
        """Show another view."""
        if not self._library:
            return
        self._asked += 1
        self._asked_for = view
        number, apart, order = self._asked, self.view.apart, self.view.order

        def lay(lookup: LookupService) -> View | None:
            # Whoever types asks faster than one can answer: only the last one is wanted.
            return lookup.views.lay(view, apart, order) if number == self._asked else None

        self.ask_lookup(lay, self._show)

    def _show(self, view: View | None) -> None:
        if view is not None and view.root == self._library:
            self.view.show_view(view)
            self.shelving.renew()
            self.tidying.show_came()
            self.view.drives.show_places(view.places)
            self.say_figure(f"{int(view.laid.all_folders[0]):,}")

    def _see_board(self, event: events.BoardChanged) -> None:
        """Learn of a new board: of another library nothing is shown yet."""
        place = event.board.place
        library = place.root if place is not None else ""
        if library != self._library:
            self._library = library
            self._asked += 1
            self.sorting.forget()
            self.view.show_nothing()
            self.view.drives.show_places(())
            self.tidying.forget()
            self.captions.forget()
            self.outboxes.forget()
            self.view.show_trunk(last_trunk(library) if library else "")
            self.say_figure("")
            if self.shown:
                self.activated()

    def _read_on(self, left: int) -> None:
        """Read what files say, a little at a time; what was read is shown by and by."""
        self.view.show_reading(left)
        if left and self.shown:
            self._ask_reading(lambda lookup: lookup.read_some())
            self._learnt()
        elif self._library:
            self.renew(soon=False)

    def _ask_reading(self, job: Callable[[LookupService], int]) -> None:
        if (session := self.context.client.session) is not None:
            session.ask_lookup(job, self._read_on, self._not_read)

    def _not_read(self, error: JutrekError) -> None:
        """Reading was stopped, or could not go on; what is known is shown."""
        self.view.show_reading(0)
        self.say_trouble(error)
        if isinstance(error, Stopped):
            self.view.notify("Stopped.", "What was read is kept; open the page again to go on.")

    def _learnt(self) -> None:
        """More is known: it is shown soon, if somebody looks."""
        if self.shown and not self._settles.isActive():
            self._settles.start()

    def _renew(self) -> None:
        if self.shown and self._library:
            self.renew(soon=True)

    def renew(self, *, soon: bool = False) -> None:
        """Show what was learnt since. Columns are built beside: who types meanwhile does not wait for them.

        Args:
            soon: whether it has time where they were built a short while ago.
        """
        self.ask_lookup(lambda lookup: lookup.views.due(soon=soon), self._build)

    def _build(self, built: Rebuilding | None) -> None:
        if built is not None and not self._is_building:
            self._is_building = True
            self._builder.wish("columns", partial(self._run, built))
        elif built is not None:
            # What takes long is not begun again and again while more is learnt; what comes meanwhile is shown after it.
            self._wants_more = True

    def _run(self, built: Rebuilding, closing: Callable[[], bool]) -> None:
        """Build columns, on a thread of the pool."""
        made: tuple[Rebuilding, Columns | JutrekError | None] = built, None
        try:
            made = built, built.run()
        except JutrekError as error:
            made = built, error
        finally:
            # Also behind an error that nobody foresaw, which the pool tells: the next ones are built again.
            if not closing():
                self._built.emit(made)

    def _take(self, made: tuple[Rebuilding, Columns | JutrekError | None]) -> None:
        built, columns = made
        self._is_building = False
        if self._wants_more:
            self._wants_more = False
            self._learnt()
        if isinstance(columns, JutrekError):
            self.say_trouble(columns)
        elif columns is not None:
            self.ask_lookup(lambda lookup: lookup.views.take(built, columns), self._renewed)

    def _renewed(self, is_ours: bool) -> None:
        if is_ours and self.sorting.is_open:
            self.sorting.renew()
        elif is_ours:
            self.show(self.view.wanted)

    # ---- up close

    def _look_at(self, path: str) -> None:
        """Read what a file says."""
        session = self.context.client.session
        if session is not None:
            session.ask_lookup(
                lambda lookup: lookup.views.details(path),
                lambda found: self._looked(path, found),
                lambda error: self._not_looked(path, error),
            )

    def _looked(self, path: str, found: LookedAt) -> None:
        self.view.closely.take(path, found)

    def _not_looked(self, path: str, error: JutrekError) -> None:
        self.view.closely.fail(path, str(error))

    # ---- files and folders

    def _folder_menu(self, path: str, at: QPoint) -> None:
        menu = menu_of(self.view)
        menu.addAction("Show on disk", lambda: self._show_on_disk(path))
        menu.addAction("Copy the path", lambda: self._copy(path))
        menu.addAction(caption(f"Walk from “{path.rpartition('/')[2] or 'the root'}”"), lambda: self._walk_from(path))
        if "/" in path and not self.view.folders.list.rows.trunk:
            menu.addAction("Hide the folders above", lambda: self.view.hide_trunk(path))
        elif self.view.folders.list.rows.trunk:
            menu.addAction("Show the folders above", lambda: self.view.hide_trunk(""))
        menu.addAction(
            "Sort by hand…", partial(self.sorting.begin, Value(Sort.FOLDER, f"/{path}") if path else EVERYTHING)
        )
        menu.addSeparator()
        self.marking.add_to_folder_menu(menu, path)
        self.tidying.add_to_folder_menu(menu, path)
        menu.addAction("Remove empty folders in it", lambda: self._remove_empty(path))
        self.storing.add_to_folder_menu(menu, path)
        menu.popup(at)

    def _remove_empty(self, path: str) -> None:
        def say(answer: tuple[str, int]) -> None:
            run, count = answer
            self.tidying.remember((run,) if run else ())
            back = "Ctrl+Z makes them again, and so does the Journal." if count else ""
            self.view.notify(f"{counted(count, 'empty folder')} removed.", back)

        self.ask_library(lambda library: library.tidying.remove_empty(path), say)

    def _captures_menu(self, at: QPoint) -> None:
        """What may be done with what is chosen."""
        if self.view.view is None or self.view.grid.row < 0:
            return
        menu = menu_of(self.view)
        menu.addAction("Up close\tSpace", self.view.look)
        menu.addAction("Open in its program", lambda: self._open(self.view.path()))
        menu.addAction("Show on disk", self.view.on_disk.click)
        menu.addAction("Copy the path\tCtrl+C", self.view.copy.click)
        menu.addSeparator()
        self.missing.add_to_menu(menu)
        self.storing.add_to_menu(menu)
        self.captions.add_to_menu(menu)
        self.turning.add_to_menu(menu)
        self.taking.add_to_menu(menu)
        self.marking.add_to_menu(menu)
        self.shelving.add_to_menu(menu)
        menu.addSeparator()
        self.tidying.add_to_menu(menu)
        menu.addSeparator()
        chosen = self.view.grid.picked()
        if not np.isnan(self.view.view.columns.latitude[chosen]).all():
            menu.addAction("Call this spot…", self._name_spot)
        menu.popup(at)

    def _name_spot(self) -> None:
        """Ask what the spot is called at which what is chosen was shot."""
        view, chosen = self.view.view, self.view.grid.picked()
        spot = spot_around(view.columns, chosen, "") if view is not None else None
        if spot is None:
            return
        reach = f"{spot.metres:,} m" if spot.metres < 10_000 else f"{spot.metres // 1000} km"
        question = f"Call what lies within {reach} of them:"
        self.view.asking.ask(question, "Call it so", lambda name: self._spot_named(spot._replace(name=name)))

    def _spot_named(self, spot: Spot) -> None:
        def say(before: Spot | None) -> None:
            more = "Ctrl+Z takes it back." if before is None else "Another spot was called so; Ctrl+Z brings it back."
            self.view.notify(f"“{plain(spot.name)}” is a spot.", f"near {plain(spot.name)} finds it. {more}")
            self.renew()

        self.ask_lookup(lambda lookup: lookup.views.name_spot(spot), say)

    def _open(self, path: str) -> None:
        """Show a file in the program that the desktop has for it."""
        session = self.context.client.session
        if session is not None and self._library:
            from jutrek.desk.programs import show_file

            whole = self._whole(path)
            session.ask_aside(lambda: show_file(whole), None, self.say_trouble)

    def undo(self) -> None:
        if self.sorting.is_open and self.sorting.answers is not None:
            self.sorting.answers.take_back()
        else:
            self.tidying.take_back(self.shelving.take_back)

    def _remember_trunk(self, trunk: str) -> None:
        library = self._library
        self.ask_aside(lambda: remember_trunk(library, trunk))

    def _walk_from(self, path: str) -> None:
        if not self.view.by_folder:
            self.view.turn()
        self.view.stairs.go(path)

    def _whole(self, path: str) -> str:
        """The absolute path of a file or folder: on its drive where it is stored on one that is here."""
        view = self.view.view
        row = view.columns.row_of(path) if view is not None else -1
        if view is None or row < 0:
            drive = view.drive(view.folder_drives.get(path, "")) if view is not None else None
            return os.path.join(drive.place.root if drive is not None and drive.here else self._library, path)
        return view.whole(row)

    def _copy(self, path: str) -> None:
        whole = self._whole(path) if self._library else path
        QApplication.clipboard().setText(whole.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))
        self.view.notify("The path is copied.", plain(whole))

    def _show_on_disk(self, path: str) -> None:
        """Show a file or folder in the desktop's file manager."""
        session = self.context.client.session
        if session is not None and self._library:
            from jutrek.desk.programs import show_on_disk

            whole = self._whole(path)
            session.ask_aside(lambda: show_on_disk(whole), None, self.say_trouble)

    # ---- what it is told

    def offers(self, typed: str) -> Iterator[Offer]:
        if not self._library:
            return
        from jutrek.views.sentence import understand

        for shelf in self.view.view.shelves if self.view.view is not None else ():
            on_it = Value(Sort.SHELF, shelf.name)
            yield Offer("view", sentence(on_it), partial(self._go, on_it), counted(len(shelf.rows), "capture"))
        read = understand(typed)
        if read.view is not None and read.view != EVERYTHING:
            wanted = read.view
            yield Offer("view", sentence(wanted), lambda: self._go(wanted), "of the library")

    def _go(self, view: Condition) -> None:
        self.context.go_to("library")
        self.show(view)

    def go(self) -> None:
        sorted_ = self.sorting.shown if self.sorting.is_open else None
        sheet = (sorted_ or self).view.captions
        if sheet.isVisible():
            sheet.write.click()
        elif sorted_ is not None:
            sorted_.look()
        else:
            self.view.look()

    def back(self) -> None:
        if self.sorting.is_open:
            self.sorting.back()
        else:
            self.view.back()

    def notify(self, state: str, more: str = "", under: str = "", *, brick: bool = False) -> None:
        told = self.sorting.shown if self.sorting.is_open else None
        (told or self).view.notify(state, more, under, brick=brick)

    def working(self, words: str, figures: str) -> None:
        self.view.show_working(words, figures)
        if self.sorting.shown is not None:
            self.sorting.shown.view.show_working(words, figures)

    def _ask_sorting(self) -> None:
        if self.view.view is not None:
            self.sorting.ask_which(self.view.sorts, self.view.view.laid.view, len(self.view.view.laid.rows))

    def look_into(self, folder: str) -> None:
        self.show(Value(Sort.FOLDER, folder))

    def sort(self, name: str, paths: Sequence[str]) -> None:
        self.ask_lookup(lambda lookup: lookup.sort_came(name, paths), self.sorting.open)

    def _asks(self) -> Asks:
        from jutrek.ui.pages.library.sorting.shown import Asks

        return Asks(self.ask_library, self.ask_lookup, self.renew, lambda: self.show(self.view.wanted))
