"""Tidying on the Library page: what is chosen, or a folder, is moved, called otherwise, merged or set aside."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from PySide6.QtCore import QObject, QPoint, Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QApplication, QMenu

from jutrek.errors import JutrekError
from jutrek.filing.tidying import checked_folder, checked_name
from jutrek.ui import paint
from jutrek.ui.pages.library.gathering import Gather, gathering
from jutrek.ui.pages.library.view import LibraryView
from jutrek.ui.plainly import plain

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from jutrek.desk.tidying import Tidied, Tidying
    from jutrek.filing.tidying import Answer, Whole
    from jutrek.library import Library
    from jutrek.views.columns import Columns

_T = TypeVar("_T")
_BACK = "Ctrl+Z takes it back, and so does the Journal."


class LibraryTidying(QObject):
    """Ties what moves files to a view of the library, and remembers it so that it can be taken back."""

    restored = Signal()
    """Something on the disk is as it was before."""

    def __init__(
        self,
        view: LibraryView,
        ask: Callable[..., object],
        ask_lookup: Callable[..., object],
        renew: Callable[[], None],
        read_again: Callable[[], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            view: shows captures and folders.
            ask: has a job done by the services of the library, and its answer heard.
            ask_lookup: the same by the lookup service.
            renew: shows what was learnt since.
            read_again: reads what files say that changed, and shows it.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._ask_library, self._ask_lookup, self._renew = view, ask, ask_lookup, renew
        self._read_again = read_again
        self._done: list[tuple[tuple[str, ...], int]] = []
        """Runs that can be taken back, and how much else could be when they ended."""
        self._cut: list[str] = []
        self._came: list[str] = []
        """Where what moved lies now; it is chosen as soon as it is shown there."""
        self._wanted: Tidying | None = None
        view.clashes.decided.connect(self._decided)
        view.clashes.refused.connect(self._refused)
        view.folders.list.dropped.connect(self._drop_folder)
        view.folders.list.carried.connect(self._carry_folder)
        for keys, do in (
            ("Ctrl+M", self.ask_where), ("Ctrl+Shift+M", self.ask_own), ("F2", self.ask_name), ("Ctrl+X", self.cut),
            ("Ctrl+V", self.paste), ("Delete", self.put_aside),
        ):  # fmt: skip
            shortcut = QShortcut(QKeySequence(keys), view, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(do)

    # ---- what is meant

    def _rows(self) -> NDArray[np.int64]:
        """The rows of what is chosen, in the order in which they are shown; else of what is current.

        Up close only what is seen is meant, and while a clash is asked about nothing is.
        """
        picked, row = self._view.grid.picked(), self._view.grid.row
        if self._view.clashes.isVisible():
            return picked[:0]
        if self._view.closely.is_open:
            picked = picked[:0]
        return picked if len(picked) or row < 0 else np.array([row], np.int64)

    def _folder(self) -> str:
        """The folder that is looked at: into which is pasted."""
        view = self._view
        return view.stairs.path if view.by_folder else view.folders.list.folder() or ""

    def _folders(self) -> list[str]:
        view = self._view.view
        return [one for one in view.tree.paths if one] if view is not None else []

    # ---- menus

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer what may be done with what is chosen."""
        rows = self._rows()
        if not len(rows):
            return
        menu.addAction("Move to…\tCtrl+M", self.ask_where)
        menu.addAction("Copy to…", partial(self.ask_where, copies=True))
        menu.addAction("Into a folder of their own…\tCtrl+Shift+M", self.ask_own)
        menu.addAction("Call it otherwise…\tF2" if len(rows) == 1 else "Number them…\tF2", self.ask_name)
        menu.addAction("Name by the house's pattern…", partial(self._try_pattern, self._held(rows), ""))
        menu.addAction("Name by another pattern…", self.ask_pattern)
        menu.addAction("Set aside\tDel", self.put_aside)

    def add_to_folder_menu(self, menu: QMenu, path: str) -> None:
        """Offer what may be done with a folder."""
        if self._cut:
            words = f"Put {paint.counted(len(self._cut), 'capture')} here\tCtrl+V"
            menu.addAction(words, partial(self._put, list(self._cut), path))
        if not path:
            return
        menu.addAction("Call it otherwise…\tF2", partial(self.ask_folder_name, path))
        menu.addAction("Move to…", partial(self.ask_where_folder, path))
        menu.addAction("Merge into…", partial(self.ask_merge, path))
        if "/" in path:
            menu.addAction("Up a level", partial(self._move_folder, path, _up(path)))
        menu.addAction("A new folder above it…", partial(self.ask_level, path))

    # ---- captures

    def ask_where(self, *, copies: bool = False) -> None:
        """Ask where what is chosen is to lie, or copies of it."""
        rows = self.chosen()
        if rows is not None:
            verb, them, what = "Copy" if copies else "Move", "them" if len(rows) > 1 else "it", self._held(rows)
            self._view.asking.ask(
                f"{verb} {paint.counted(len(rows), 'capture')} to:", f"{verb} {them}",
                lambda folder: self._move(what, folder, copies=copies), hint="a folder; type to find one",
                offers=self._folders(), check=self._check_folder,
            )  # fmt: skip

    def chosen(self) -> NDArray[np.int64] | None:
        """The rows of what is meant; None where nothing is, which is said."""
        rows = self._rows()
        if self._view.clashes.isVisible():
            return None
        if self._view.view is None or not len(rows):
            self._view.notify("Nothing is chosen.", "Choose captures first: a click, Space, a frame.")
            return None
        return rows

    def _exists(self, path: str) -> bool:
        view = self._view.view
        return view is not None and view.tree.number(path) is not None

    def _check_folder(self, text: str) -> tuple[str, bool]:
        """What is to be said of a folder that is typed."""
        try:
            path = checked_folder(text, self._exists)
        except JutrekError as error:
            return str(error), False
        view = self._view.view
        if not path or view is None:
            return "", bool(text.strip())
        number = view.tree.number(path)
        if number is None:
            return f"{plain(path)} will be new.", True
        return f"{paint.counted(int(view.laid.all_folders[number]), 'capture')} are there.", True

    def _check_name(self, text: str) -> tuple[str, bool]:
        try:
            checked_name(text)
        except JutrekError as error:
            return (str(error) if text.strip() else ""), False
        return "", True

    def move(self, rows: NDArray[np.int64], folder: str, *, copies: bool = False) -> None:
        """Move captures to a folder, or put copies of them there."""
        self._move(self._held(rows), folder, copies=copies)

    def _held(self, rows: NDArray[np.int64]) -> Gather:
        """Captures that are meant, whatever rows count when it is carried out."""
        return gathering(self._columns, rows)

    def _move(self, what: Gather, folder: str, *, copies: bool) -> None:
        from jutrek.desk.tidying import moving

        to = checked_folder(folder, self._exists)
        self._go(what, lambda library, wholes, left: moving(library, wholes, to, left, copies=copies))

    def ask_own(self) -> None:
        """Ask what a folder of their own is to be called; one is proposed."""
        rows, view = self.chosen(), self._view.view
        if rows is not None and view is not None:
            from jutrek.desk.tidying import folder_for

            self._view.asking.ask(
                f"Put {paint.counted(len(rows), 'capture')} into:", "Put them there",
                partial(self._move, self._held(rows), copies=False), name=folder_for(view.columns, rows),
                hint="a folder of their own", check=self._check_folder,
            )  # fmt: skip

    def ask_name(self) -> None:
        """Ask what a folder, a capture, or a row of captures is to be called."""
        folders = self._view.folders.list
        if folders.hasFocus():
            if path := folders.folder():
                self.ask_folder_name(path)
            return
        rows, view = self.chosen(), self._view.view
        if rows is None or view is None:
            return
        if len(rows) > 1:
            self._view.asking.ask(
                f"Number {paint.counted(len(rows), 'capture')} in this order, as:", "Number them",
                partial(self._number, self._held(rows)), hint="what stands before the number",
                check=partial(self._check_number, len(rows)),
            )  # fmt: skip
            return
        name = os.path.basename(view.columns.path(int(rows[0])))
        from jutrek.filing.tidying import endings_of

        stem = endings_of([name, *(os.path.basename(one) for one in view.columns.companions(int(rows[0])))])[0]
        self._view.asking.ask(
            f"Call {plain(name)}:", "Call it so", partial(self._rename, self._held(rows)), name=stem,
            check=self._check_name,
        )  # fmt: skip

    def _check_number(self, count: int, text: str) -> tuple[str, bool]:
        words, good = self._check_name(text)
        if not good:
            return words, good
        digits = max(2, len(str(count)))
        return f"{plain(text.strip())} {1:0{digits}d} … {count:0{digits}d}", True

    def _number(self, what: Gather, stem: str) -> None:
        from jutrek.desk.tidying import numbering
        from jutrek.filing.tidying import numbered

        self._go(what, lambda library, wholes, _: numbering(library, numbered(wholes, stem), f"as {stem}"))

    def _rename(self, what: Gather, stem: str) -> None:
        from jutrek.desk.tidying import renaming

        self._go(what, lambda library, wholes, left: renaming(library, wholes, stem, left))

    def ask_pattern(self) -> None:
        """Ask for a pattern of names, and show what comes of it before anything is called so."""
        rows = self.chosen()
        if rows is not None:
            self._view.asking.ask(
                f"Name {paint.counted(len(rows), 'capture')} by:", "Try it",
                partial(self._try_pattern, self._held(rows)), hint="a pattern, such as {date}_{time}",
            )  # fmt: skip

    def _try_pattern(self, gather: Gather, pattern: str) -> None:
        self._ask_library(
            lambda at: at.tidying.named_by(lambda library: gather(library)[0], pattern), self._show_tried
        )  # fmt: skip

    def _show_tried(self, wanted: Tidying) -> None:
        """Ask whether names that were tried are to be given."""
        if wanted.is_nothing:
            self._view.notify("They are called so already.")
            return
        row = wanted.laid.rows[0] if wanted.laid.rows else None
        old, new = (os.path.basename(one) for one in ((row.source, row.destination or "") if row else ("", "")))
        count = paint.counted(wanted.captures or len(wanted.clashes), "capture")
        example = f", such as {plain(old)} to {plain(new)}" if row is not None else ""
        self._view.asking.confirm(
            f"{count} would be named anew{example}.", "Name them", lambda: self.start(lambda _: wanted)
        )  # fmt: skip

    def put_aside(self) -> None:
        """Set aside what is chosen."""
        from jutrek.desk.tidying import putting_aside

        if self._view.folders.list.hasFocus():
            return
        rows = self.chosen()
        if rows is not None:
            self._go(self._held(rows), lambda _, wholes, left: putting_aside(wholes, left))

    def cut(self) -> None:
        """Take what is chosen in hand: it is put elsewhere by Ctrl+V, and until then stays where it is."""
        rows = self.chosen()
        if rows is not None and self._columns is not None:
            self._cut = self._columns.paths(rows.tolist())
            count = paint.counted(len(self._cut), "capture")
            self._view.notify(
                f"{count} in hand.", "Click a folder, and Ctrl+V puts them there. Until then nothing moves."
            )

    def paste(self) -> None:
        """Put what is in hand into the folder that is looked at."""
        if not self._cut:
            self._view.notify("Nothing is in hand.", "Ctrl+X takes what is chosen.")
        else:
            self._put(list(self._cut), self._folder())

    def _put(self, paths: Sequence[str], folder: str) -> None:
        columns = self._columns
        if columns is not None:
            found = columns.rows_of(paths)
            rows = np.array([found[path] for path in paths if path in found], np.int64)
            self._cut = []
            self.move(rows, folder)

    @property
    def _columns(self) -> Columns | None:
        return self._view.view.columns if self._view.view is not None else None

    def _go(self, gather: Gather, how: Callable[[Library, list[Whole], list[str]], Tidying]) -> None:
        self.start(lambda library: how(library, *gather(library)))

    # ---- folders

    def ask_folder_name(self, path: str) -> None:
        """Ask what a folder is to be called."""
        above, name = os.path.split(path)
        self._view.asking.ask(
            f"Call the folder {plain(name)}:", "Call it so",
            lambda new: self._move_folder(path, os.path.join(above, new), renamed=True), name=name,
            check=self._check_name,
        )  # fmt: skip

    def ask_where_folder(self, path: str) -> None:
        """Ask into which folder another one is to go."""
        self._view.asking.ask(
            f"Move the folder {plain(os.path.basename(path))} to:", "Move it",
            lambda to: self._move_folder(path, os.path.join(checked_folder(to, self._exists), os.path.basename(path))),
            hint="a folder; type to find one", offers=self._folders(), check=self._check_folder,
        )  # fmt: skip

    def ask_level(self, path: str) -> None:
        """Ask what a new folder above another one is to be called."""
        above, name = os.path.split(path)
        self._view.asking.ask(
            f"A new folder above {plain(name)}, called:", "Put it there",
            lambda new: self._move_folder(path, os.path.join(above, new, name)), check=self._check_name,
        )  # fmt: skip

    def ask_merge(self, path: str) -> None:
        """Ask into which folder all of another one is to go."""
        others = [one for one in self._folders() if one != path and not one.startswith(f"{path}/")]
        self._view.asking.ask(
            f"Merge all of {plain(os.path.basename(path))} into:", "Merge them", partial(self._merge, path),
            hint="a folder; type to find one", offers=others, check=self._check_folder,
        )  # fmt: skip

    def _merge(self, path: str, into: str) -> None:
        from jutrek.desk.tidying import merging

        columns, to = self._columns, checked_folder(into, self._exists)
        if columns is not None:
            self.start(lambda library: merging(library, columns, path, to))

    def _move_folder(self, path: str, to: str, *, renamed: bool = False) -> None:
        from jutrek.desk.tidying import Act, moving_folders
        from jutrek.transfer.folder_moves import FolderMove

        above, name = os.path.split(to)
        about = f"{path} to {name}" if renamed else f"{path} to {above or 'the root'}"
        act = Act.RENAME if renamed else Act.MOVE
        self.start(lambda library: moving_folders(library, [FolderMove(path, to)], act, about))

    # ---- carried by the pointer

    def _carry_folder(self, path: str, place: QPoint | None) -> None:
        self._view.held.show_at(plain(os.path.basename(path)), place)
        self.hang_over(place)

    def hang_over(self, place: QPoint | None) -> None:
        """Show into which folder would be moved what hangs at a point of the screen; None for no longer."""
        self._view.folders.list.hang_over(place)
        self._view.stairs.hang_over(place)

    def takes(self, place: QPoint) -> bool:
        """Whether a folder is at a point of the screen; what is chosen is moved there then."""
        folder = self._folder_at(place)
        rows = self._rows()
        if folder is None or not len(rows):
            return False
        held = QApplication.keyboardModifiers()
        self.move(rows, folder, copies=bool(held & Qt.KeyboardModifier.ControlModifier))
        return True

    def _folder_at(self, place: QPoint) -> str | None:
        view = self._view
        return view.stairs.folder_at(place) if view.by_folder else view.folders.list.folder_at(place)

    def _drop_folder(self, path: str, place: QPoint) -> None:
        self._carry_folder(path, None)
        into = self._folder_at(place)
        if into is not None and into not in (path, os.path.dirname(path)):
            self._move_folder(path, os.path.join(into, os.path.basename(path)))

    # ---- doing it, and taking it back

    def start(self, look: Callable[[Library], Tidying]) -> None:
        """Do what is looked at then; clashes are asked about."""
        self._view.notify("")
        self._ask_library(lambda at: at.tidying.go(look), self._over)

    def _over(self, answer: tuple[Tidying, Tidied | None]) -> None:
        wanted, done = answer
        view = self._view.view
        if done is not None:
            self._say(wanted, done)
        elif wanted.clashes and view is not None:
            self._wanted = wanted
            self._view.clashes.open(wanted, view.root)
            self._view.notify(
                "Nothing has moved yet.", "B keeps both, S one of them, L leaves this one; Esc moves nothing."
            )
        elif wanted.taken:
            one = wanted.taken[0]
            self._view.asking.confirm(
                f"There is a {plain(one.new)} already.", "Merge them", partial(self._merge, one.old, one.new)
            )  # fmt: skip
        elif wanted.left:
            self._view.notify("Nothing was moved.", " ".join(wanted.left), brick=True)
        else:
            self._view.notify("Nothing was moved.", "It is so already.")

    def _decided(self, answers: dict[str, Answer]) -> None:
        from jutrek.desk.tidying import decided

        wanted, self._wanted = self._wanted, None
        self._view.take_focus()
        if wanted is not None:
            self.start(lambda library: decided(library, wanted, answers))

    def _refused(self) -> None:
        self._wanted = None
        self._view.take_focus()
        self._view.notify("Nothing was moved.")

    def _say(self, wanted: Tidying, done: Tidied) -> None:
        top = f"{self._view.view.root.rstrip('/')}/" if self._view.view is not None else ""
        own = (row for row in wanted.laid.rows if row.source.removeprefix(top) == row.capture)
        self._came = [row.destination or "" for row in own]
        count = paint.counted(done.folders, "folder") if wanted.folders else paint.counted(done.captures, "capture")
        left = " ".join(wanted.left[:1]) or done.why
        stays = len(wanted.laid.stays)
        more = (
            f"{paint.counted(stays, 'stays', 'stay')} where {'it is' if stays == 1 else 'they are'}. " if stays else ""
        )
        self.remember(done.runs)
        self._view.notify(f"{count} {wanted.act.value}.", left or more + _BACK, brick=bool(left))
        self._renew()

    def remember(self, runs: tuple[str, ...]) -> None:
        """Runs that can be taken back, before what was done before them."""
        if runs:
            self._ask_lookup(lambda lookup: lookup.forgive())
            self._ask_lookup(lambda lookup: lookup.views.acts, lambda acts: self._done.append((runs, acts)))

    def show_came(self) -> None:
        """Another view is shown: what moved is chosen in it still."""
        columns = self._columns
        found = columns.rows_of(self._came) if columns is not None and self._came else {}
        if found:
            self._came = []
            self._view.grid.pick(np.array(sorted(found.values()), np.int64))

    def take_back(self, otherwise: Callable[[], None]) -> None:
        """Take back what was done last: here, or with a shelf or a spot.

        Args:
            otherwise: takes back what was done with these.
        """
        self._ask_lookup(lambda lookup: lookup.views.acts, lambda acts: self._take_back(acts, otherwise))

    def _take_back(self, acts: int, otherwise: Callable[[], None]) -> None:
        if not self._done or acts > self._done[-1][1]:
            otherwise()
            return
        runs, _ = self._done.pop()
        self._ask_library(lambda at: at.tidying.take_back(runs), self._taken_back)

    def _taken_back(self, answer: tuple[int, str]) -> None:
        moved, stays = answer
        self.restored.emit()
        self._view.notify("Taken back." if moved else "Nothing could be taken back.", stays, brick=bool(stays))
        self._read_again()

    def forget(self) -> None:
        """Another library is open: what was done in the one before is taken back from its Journal."""
        self._done.clear()
        self._cut.clear()
        self._came.clear()
        self._wanted = None


def _up(path: str) -> str:
    above, name = os.path.split(path)
    return os.path.join(os.path.dirname(above), name)
