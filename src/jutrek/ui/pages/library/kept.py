"""Kept views on the Library page: sentences with names, which are kept, shown and kept no longer."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint, Signal

from jutrek.ui.pages.library.sentence import kept_menu
from jutrek.ui.pages.library.view import LibraryView
from jutrek.views.saying import sentence

if TYPE_CHECKING:
    from jutrek.views.conditions import Condition
    from jutrek.views.kept import KeptView


class LibraryKept(QObject):
    """Ties kept views to what the page shows."""

    _chosen = Signal(object)
    _removed = Signal(object)

    def __init__(
        self,
        view: LibraryView,
        ask_lookup: Callable[..., object],
        show: Callable[[Condition], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            view: shows captures.
            ask_lookup: has a job done by the lookup service, and its answer heard.
            show: shows another view.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._ask_lookup, self._show = view, ask_lookup, show
        view.kept.connect(self._keep)
        view.wants_kept.connect(self._open_kept)
        self._chosen.connect(lambda one: self._say_kept(one.sentence))
        self._removed.connect(self._remove)

    def _open_kept(self, at: QPoint) -> None:
        self._ask_lookup(lambda lookup: lookup.kept_views(), lambda found: self._show_kept(found[0], found[1], at))

    def _show_kept(self, views: list[KeptView], damaged: list[str], at: QPoint) -> None:
        if damaged:
            self._view.notify("Some kept views can't be read.", damaged[0], brick=True)
        if views:
            kept_menu(self._view, views, at, self._chosen, self._removed)
        elif not damaged:
            self._view.notify("No view is kept yet.", "Narrow this one, and keep it: it is always current then.")

    def _say_kept(self, text: str) -> None:
        from jutrek.views.sentence import parse

        self._view.sentence.leave()
        self._show(parse(text))

    def _keep(self, view: Condition) -> None:
        text = sentence(view)
        self._view.asking.ask("Keep this view as:", "Keep it", lambda name: self._keep_as(name, text))

    def _keep_as(self, name: str, text: str) -> None:
        self._ask_lookup(lambda lookup: lookup.keep_view(name, text), lambda was: self._say_kept_as(name, was))

    def _say_kept_as(self, name: str, was: KeptView | None) -> None:
        usual = "It stands in the list that opens at the number of captures."
        more = usual if was is None else f"Before it showed: {was.sentence}."
        self._view.notify(f"Kept as “{name}”.", more)

    def _remove(self, one: KeptView) -> None:
        self._ask_lookup(
            lambda lookup: lookup.remove_view(one.name),
            lambda _: self._view.notify(f"“{one.name}” is kept no longer.", f"It showed: {one.sentence}."),
        )
