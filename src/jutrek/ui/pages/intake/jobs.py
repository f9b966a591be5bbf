"""The job that an intake is for, chosen on the board."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, Qt
from PySide6.QtWidgets import QMenu

from jutrek.desk import events
from jutrek.ui.plainly import caption

if TYPE_CHECKING:
    from jutrek.jobs.job import Placed
    from jutrek.ui.pages.intake.view import IntakeView
    from jutrek.ui.shell.context import Context

_MOST = 20
"""Jobs that the menu shows; all others are on their own page."""


class IntakeJobs(QObject):
    """Offers the library's jobs above the board."""

    def __init__(
        self,
        context: Context,
        view: IntakeView,
        ask_lookup: Callable[..., object],
        ask_intake: Callable[..., None],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self._context, self._view = context, view
        self._ask_lookup, self._ask_intake = ask_lookup, ask_intake
        self._root = ""
        view.titles.job.clicked.connect(lambda: ask_lookup(lambda lookup: lookup.placed_jobs(), self._offer))
        context.client.on(events.BoardChanged, self._see_board)
        context.client.on(events.JobsKnown, lambda event: view.titles.show_jobs(bool(event.jobs)))

    def _see_board(self, event: events.BoardChanged) -> None:
        place = event.board.place
        before, self._root = self._root, place.root if place is not None else ""
        if self._root and before != self._root:
            self._ask_lookup(lambda lookup: lookup.placed_jobs(), lambda jobs: self._view.titles.show_jobs(bool(jobs)))

    def _offer(self, jobs: Sequence[Placed]) -> None:
        titles = self._view.titles
        titles.show_jobs(bool(jobs))
        menu = QMenu(self._view)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        lands = [one for one in jobs if one.landing is not None and not one.drive]
        for one in lands[:_MOST]:
            menu.addAction(caption(one.job.called), partial(self._choose, one.folder))
        if self._view.board.into:
            menu.addSeparator()
            menu.addAction("Into no job, as the house files", partial(self._choose, ""))
        menu.addSeparator()
        menu.addAction("All jobs, or a new one…", partial(self._context.go_to, "jobs"))
        menu.popup(titles.job.mapToGlobal(QPoint(0, titles.job.height())))

    def _choose(self, folder: str) -> None:
        self._ask_intake(lambda intake: intake.set_job(folder))
