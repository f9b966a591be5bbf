"""Archive drives on the Library page: folders are stored away on them, and fetched back."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QMenu

from jutrek.ui import paint
from jutrek.ui.plainly import caption, plain
from jutrek.views.columns import Names

if TYPE_CHECKING:
    from jutrek.desk.laid_out import View
    from jutrek.desk.services.storing import Crossed
    from jutrek.ui.pages.library.tidying import LibraryTidying
    from jutrek.ui.pages.library.view import LibraryView

_BACK = "Ctrl+Z takes it back, and so does the Journal."


class LibraryStoring(QObject):
    """Ties archive drives to a view of the library."""

    def __init__(
        self,
        view: LibraryView,
        tidying: LibraryTidying,
        ask: Callable[..., object],
        read_again: Callable[[], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            view: shows captures and folders.
            tidying: takes back what was done.
            ask: has a job done by the services of the library, and its answer heard.
            read_again: looks what is there, and shows it.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._tidying, self._ask, self._read_again = view, tidying, ask, read_again
        view.folders.list.carried.connect(lambda _, place: view.drives.hang_over(place))
        view.folders.list.dropped.connect(self._drop)

    def _drop(self, path: str, place: QPoint) -> None:
        """A folder was let go of: over an archive drive it is stored there."""
        drive = self._view.drives.drive_at(place)
        self._view.drives.hang_over(None)
        if drive is not None:
            self.store(path, drive.place.name)

    # ---- menus

    def add_to_folder_menu(self, menu: QMenu, path: str) -> None:
        """Offer what may be done with a folder."""
        view = self._view.view
        if view is None or not path:
            return
        if path not in view.folder_drives:
            menu.addAction("Store on an archive drive…", partial(self.ask_drive, path))
        self._add_fetching(menu, _rows_in(view, path), [path])

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer what may be done with what is chosen and stored."""
        view, picked = self._view.view, self._view.grid.picked()
        if view is not None:
            columns = view.columns
            stored = picked[columns.drive[picked] > 0] if len(picked) else picked
            paths = [path for row in stored.tolist() for path in (columns.path(row), *columns.companions(row))]
            self._add_fetching(menu, stored, paths)

    def _add_fetching(self, menu: QMenu, rows: np.ndarray, paths: Sequence[str]) -> None:
        view = self._view.view
        if view is None:
            return
        ids = [view.columns.names[Names.DRIVE][code] for code in np.unique(view.columns.drive[rows]).tolist()]
        drives = [drive for one in ids if (drive := view.drive(one)) is not None]
        if drives:
            names, away = " and ".join(one.place.name for one in drives), any(not one.here for one in drives)
            words = f"Fetch from {names}{', which is away' if away else ''}"
            fetch = menu.addAction(caption(words), partial(self.fetch, list(paths)))
            fetch.setEnabled(not away)

    # ---- storing

    def ask_drive(self, path: str) -> None:
        """Ask on which drive a folder is to be stored, and say what that takes and what there is."""
        view = self._view.view
        if view is None:
            return
        here = [one.place.name for one in view.drives if one.here]
        self._view.asking.ask(
            f"Store {plain(os.path.basename(path))}, {paint.size_words(_size_of(view, path))}, on:", "Store it",
            partial(self.store, path), name=here[0] if len(here) == 1 else "",
            hint="an archive drive's name, or a folder on one", offers=here, check=partial(self._check, path),
        )  # fmt: skip

    def _check(self, path: str, text: str) -> tuple[str, bool]:
        """What is to be said of a drive that is typed: what there is to it, and whether there is room."""
        view, text = self._view.view, text.strip()
        if view is None or not text:
            return "", False
        drive = next((one for one in view.drives if one.place.name == text), None)
        size = _size_of(view, path)
        if drive is None:
            if text.startswith("/"):
                return "This folder becomes an archive drive.", True
            return "No archive drive is called so. The path of a folder makes one of it.", False
        if not drive.here:
            return f"{plain(text)} is away.", False
        room = f"{paint.size_words(drive.free)} are free there"
        if size > drive.free:
            return f"Too little room: {paint.size_words(size)} to store, {room}.", False
        return f"{paint.size_words(size)} to store; {room}.", True

    def store(self, path: str, on: str) -> None:
        """Store a folder away."""
        self._view.notify("")
        self._ask(lambda at: at.storing.store([path], on), partial(self._over, f"stored on {{}}: {plain(path)}"))

    def fetch(self, paths: Sequence[str]) -> None:
        """Fetch folders or files back."""
        self._view.notify("")
        self._ask(lambda at: at.storing.fetch(paths), partial(self._over, "fetched from {}"))

    def _over(self, words: str, crossed: Crossed) -> None:
        self._tidying.remember(crossed.runs)
        count = paint.counted(crossed.files, "file")
        left = f"{paint.counted(crossed.left, 'file')} not: {plain(crossed.why)}" if crossed.left else crossed.why
        said = words.replace("{}", plain(crossed.drive), 1)
        self._view.notify(f"{count} {said}.", left or _BACK, brick=bool(left))
        self._read_again()


def _rows_in(view: View, path: str) -> np.ndarray:
    """The rows of what lies in a folder and deeper."""
    names = view.columns.names[Names.FOLDER]
    own = np.array([name == path or name.startswith(f"{path}/") for name in names], bool)
    return np.flatnonzero(own[view.columns.folder])


def _size_of(view: View, path: str) -> int:
    """Bytes of what lies in a folder and is not stored yet."""
    rows = _rows_in(view, path)
    return int(view.columns.size[rows[view.columns.drive[rows] == 0]].sum())
