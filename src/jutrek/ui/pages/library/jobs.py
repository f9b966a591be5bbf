"""Captures at home are taken along into a job: moved to where its captures go, or copied there."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QMenu

from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.pages.library.gathering import Gather, gathering
from jutrek.ui.plainly import caption

if TYPE_CHECKING:
    from jutrek.jobs.job import Placed
    from jutrek.ui.pages.library.tidying import LibraryTidying
    from jutrek.ui.pages.library.view import LibraryView

_MOST = 20


class TakingAlong(QObject):
    """Offers the library's jobs for what is chosen."""

    def __init__(
        self, view: LibraryView, tidying: LibraryTidying, ask_lookup: Callable[..., object],
        ask_library: Callable[..., None], parent: QObject,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._view, self._tidying = view, tidying
        self._ask_lookup, self._ask_library = ask_lookup, ask_library

    def add_to_menu(self, menu: QMenu) -> None:
        """Offer to take along what is chosen."""
        menu.addAction("Take along into a job…", self.ask)

    def ask(self) -> None:
        """Ask into which job what is chosen now is taken."""
        rows, view, at = self._tidying.chosen(), self._view.view, QCursor.pos()
        if rows is not None and view is not None:
            what = gathering(view.columns, rows)
            self._ask_lookup(lambda lookup: lookup.placed_jobs(), partial(self._offer, at, what))

    def _offer(self, at: QPoint, what: Gather, jobs: Sequence[Placed]) -> None:
        menu = menu_of(self._view)
        lands = [one for one in jobs if one.landing is not None and not one.drive]
        for one in lands[:_MOST]:
            menu.addAction(caption(one.job.called), partial(self._take, what, one.folder, copies=False))
        if not lands:
            menu.addAction("No job takes captures yet").setEnabled(False)
            menu.popup(at)
            return
        copied = menu.addMenu("Copies of them, into")
        for one in lands[:_MOST]:
            copied.addAction(caption(one.job.called), partial(self._take, what, one.folder, copies=True))
        menu.popup(at)

    def _take(self, what: Gather, folder: str, *, copies: bool) -> None:
        self._ask_library(
            lambda at: at.tidying.into_job(what, folder, copies=copies),
            lambda wanted: self._tidying.start(lambda _: wanted),
        )
