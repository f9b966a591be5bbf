"""What is gone, on the Library page: brought back from a backup, or missed no more."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from jutrek.ui import paint
from jutrek.views.columns import bit_of
from jutrek.views.conditions import State

if TYPE_CHECKING:
    from jutrek.desk.answers import Mended
    from jutrek.ui.pages.library.tidying import LibraryTidying
    from jutrek.ui.pages.library.view import LibraryView

_GONE = bit_of(State.GONE)


class LibraryMissing(QObject):
    """Ties what is gone of a view to the backups that may have it."""

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
            view: shows captures.
            tidying: takes back what was done.
            ask: has a job done by the services of the library, and its answer heard.
            read_again: looks what is there, and shows it.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._tidying, self._ask, self._read_again = view, tidying, ask, read_again

    def _gone(self) -> tuple[list[str], int]:
        """The files of what is chosen and gone, and how many of these captures a backup has."""
        view, picked = self._view.view, self._view.grid.picked()
        if view is None:
            return [], 0
        columns = view.columns
        rows = [row for row in picked.tolist() if columns.state[row] & _GONE]
        paths = [path for row in rows for path in (columns.path(row), *columns.companions(row))]
        return paths, sum(bool(columns.copies[row]) for row in rows)

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer what may be done with what is gone, where any of what is chosen is."""
        paths, held = self._gone()
        if not paths:
            return
        back = menu.addAction("Bring back from a backup", partial(self.bring_back, paths))
        back.setEnabled(bool(held))
        menu.addAction("Miss no more", partial(self.forget, paths))
        menu.addSeparator()

    def bring_back(self, paths: list[str]) -> None:
        """Bring back what backups have of some files."""
        self._ask(lambda at: at.checks.bring_back(paths), self._back)

    def _back(self, mended: Mended) -> None:
        words = f"{paint.counted(mended.mended, 'file is', 'files are')} back, read and compared."
        left = f"No connected backup has {mended.left:,} of them." if mended.left else ""
        self._view.notify(words, left, brick=bool(left))
        self._read_again()

    def forget(self, paths: list[str]) -> None:
        """Miss some files no more."""
        self._ask(lambda at: at.checks.forget(paths), self._forgotten)

    def _forgotten(self, answer: tuple[str, int]) -> None:
        run, count = answer
        self._tidying.remember((run,) if run else ())
        words = f"{paint.counted(count, 'file is', 'files are')} missed no more."
        self._view.notify(words, "Ctrl+Z takes it back, and so does the Journal.")
        self._read_again()
