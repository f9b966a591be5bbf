"""Columns that are to be built anew, beside whatever else is done."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from jutrek.filing.rulebook import load_rules
from jutrek.library.ledger import Ledger
from jutrek.views import looking

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.views.columns import Columns


class Rebuilding:
    """Columns that are to be built anew, by whichever thread: of very many captures that takes many seconds."""

    def __init__(
        self, library: Library, state: str, folders: dict[str, int] | None, written: frozenset[int] = frozenset()
    ) -> None:
        """
        Args:
            library: the library.
            state: what they are built of, as `looking.state_of` tells it.
            folders: the times of the library's folders, where all of it was read; else None.
            written: which of the marks that are shown before they are written are written by now.
        """
        self.library, self.state, self._folders, self.written = library, state, folders, written
        self.took = 0.0
        """Seconds that it took."""

    def run(self) -> Columns:
        """Build them.

        Raises:
            LibraryTrouble: when that cannot be.
        """
        began = time.monotonic()
        with Ledger(self.library.ledger_path) as ledger:
            columns = looking.rebuilt(
                self.library, ledger, load_rules(self.library).rules, self.state, self._folders
            )  # fmt: skip
        self.took = time.monotonic() - began
        return columns
