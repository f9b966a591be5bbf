"""Outboxes on the Library page: small copies of what is shown, kept in a folder, and those that are kept already."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QPoint

from jutrek.desk import events
from jutrek.desk.outboxes import OutboxState
from jutrek.ui import paint
from jutrek.ui.pages.library.folders import menu_of
from jutrek.ui.pages.library.outbox_sheet import OutboxSheet
from jutrek.ui.pages.library.view import LibraryView
from jutrek.ui.plainly import caption, plain
from jutrek.views.saying import sentence

if TYPE_CHECKING:
    from PySide6.QtWidgets import QMenu

    from jutrek.outboxes.asked import Asked
    from jutrek.ui.shell.context import Context
    from jutrek.views.conditions import Condition


class LibraryOutboxes(QObject):
    """Ties outboxes to what the page shows."""

    def __init__(
        self,
        context: Context,
        view: LibraryView,
        ask_lookup: Callable[..., object],
        ask_folder: Callable[[str], str],
        show: Callable[[Condition], None],
        parent: QObject,
    ) -> None:
        """
        Args:
            context: of the page.
            view: shows captures.
            ask_lookup: has a job done by the lookup service, and its answer heard.
            ask_folder: asks for a folder; empty where none was chosen.
            show: shows another view.
            parent: keeps it.
        """
        super().__init__(parent)
        self._view, self._ask_lookup, self._show = view, ask_lookup, show
        self._states: tuple[OutboxState, ...] = ()
        self._awaited: set[str] = set()
        """Folders of which a person waits to hear."""
        self._troubles: dict[str, str] = {}
        self.sheet = OutboxSheet(context.theme, view, ask_folder)
        self.sheet.wanted.connect(self._add)
        self.sheet.left.connect(view.take_focus)
        view.sentence.wants_copies.connect(self._open)
        context.client.on(events.OutboxesKnown, lambda event: self._know(event.outboxes))

    def forget(self) -> None:
        """Another library is open."""
        self._states, self._awaited, self._troubles = (), set(), {}
        self.sheet.hide()

    # ---- how they stand

    def _know(self, states: tuple[OutboxState, ...]) -> None:
        self._states = states
        for one in states:
            root, name = one.outbox.root, plain(_name(one))
            if one.trouble and self._troubles.get(root) != one.trouble:
                self._awaited.discard(root)
                self._view.notify(f"Small copies in {name} are not in step.", plain(one.trouble), brick=True)
            elif root in self._awaited and one.total:
                self._view.notify(f"Making small copies in {name}.", f"{one.done:,} of {one.total:,}")
            elif root in self._awaited and one.holds is not None and not one.total:
                self._awaited.discard(root)
                held = paint.counted(one.holds, "small copy", "small copies")
                self._view.notify(f"{held} in {name}.", "They are kept in step from now on.")
            self._troubles[root] = one.trouble

    def _open(self, at: QPoint) -> None:
        """Offer a new one, and what can be done with those that are there."""
        menu = menu_of(self._view)
        menu.addAction("Of this view, in a folder…", self._ask)
        if self._states:
            menu.addSeparator()
        for one in self._states:
            self._add_to(menu, one)
        menu.popup(at)

    def _add_to(self, menu: QMenu, one: OutboxState) -> None:
        root = one.outbox.root
        state = "not in step" if one.trouble else f"{one.done:,} of {one.total:,}" if one.total else _held(one)
        inner = menu.addMenu(caption(f"{_name(one)} · {state}"))
        inner.addAction(caption(f"Show {one.outbox.holds}"), partial(self._show_held, one))
        inner.addAction("Fill it now", partial(self._fill, root))
        inner.addAction("Show on disk", partial(self._view.shown_on_disk.emit, root))
        inner.addSeparator()
        inner.addAction("No longer, its copies stay", partial(self._remove, root, copies=False))
        inner.addAction("No longer, and remove its copies", partial(self._remove, root, copies=True))

    # ---- what is done

    def _ask(self) -> None:
        view = self._view.view
        if view is not None:
            self.sheet.open(sentence(self._view.wanted), len(view.laid.rows), self._view.asked_at())

    def _add(self, folder: str, like: Asked) -> None:
        text = sentence(self._view.wanted)
        self._awaited.add(folder)
        self._ask_lookup(lambda lookup: lookup.add_outbox(folder, text, like))

    def _fill(self, root: str) -> None:
        self._awaited.add(root)
        self._ask_lookup(lambda lookup: lookup.outboxes.look())

    def _show_held(self, one: OutboxState) -> None:
        self._ask_lookup(lambda lookup: one.outbox.shows(), self._show)

    def _remove(self, root: str, *, copies: bool) -> None:
        def say(removed: int) -> None:
            more = f"{paint.counted(removed, 'copy', 'copies')} removed." if copies else "Its copies stay."
            self._view.notify("That folder is kept in step no longer.", more)

        self._ask_lookup(lambda lookup: lookup.remove_outbox(root, copies=copies), say)


def _name(one: OutboxState) -> str:
    return one.outbox.root.rstrip("/").rpartition("/")[2] or "/"


def _held(one: OutboxState) -> str:
    return "not looked at yet" if one.holds is None else paint.counted(one.holds, "small copy", "small copies")
