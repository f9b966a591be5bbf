"""Marks of a library's captures."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.desk.marking import mark_captures, mark_folders
from jutrek.desk.services.following import Following
from jutrek.desk.services.opened import Opened
from jutrek.desk.services.places import PlacesService
from jutrek.desk.sidecars import Described
from jutrek.transfer import Listener

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jutrek.views.columns import Columns


class MarkingService:
    """Writes marks beside captures."""

    def __init__(self, opened: Opened, places: PlacesService) -> None:
        self._at, self._following = opened, Following(opened, places)

    def go(self, columns: Columns, rows: Sequence[int], label: str) -> Described:
        """Give captures a mark, or take it off; `follow` is to be called when no more come.

        Args:
            columns: of the library's captures.
            rows: which of them.
            label: the letter of the mark; empty to take it off.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        at = self._at
        listener = Listener(
            progress=lambda run: at.teller.working("Marking", run.files, run.all_files, changes=True)
        )  # fmt: skip
        return self._done(
            mark_captures(columns, rows, label, at.library, at.ledger, stop=at.stop, listener=listener)
        )  # fmt: skip

    def folder(self, path: str, label: str) -> Described:
        """Give a folder a mark, or take it off; likewise."""
        at = self._at
        return self._done(mark_folders([path], label, at.library, at.ledger, stop=at.stop))

    def _done(self, marked: Described) -> Described:
        self._following.add(marked.written)
        return marked

    def follow(self) -> str:
        """Let hash lists and connected backups follow; as `Following.go`."""
        return self._following.go()
