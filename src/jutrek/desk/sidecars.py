"""Sidecars of captures at home: where each lies or is to lie, and what follows when some were written."""

from __future__ import annotations

import os
import threading
from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from jutrek.desk.places import Places
from jutrek.errors import JutrekError, LibraryBusy, shown
from jutrek.filing.names import stem_of
from jutrek.filing.rulebook import load_rules
from jutrek.library import Library, Place
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.metadata_merge import sidecar_of
from jutrek.transfer.one_run import Written
from jutrek.views.columns import bit_of
from jutrek.views.conditions import State
from jutrek.views.describing import describe

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns

AWAY = bit_of(State.GONE) | bit_of(State.ASIDE) | bit_of(State.STORED)
"""What of a capture's states keeps it from being said anything of."""


@dataclass(frozen=True, slots=True)
class Described:
    """What came of it.

    Attributes:
        run: its run in the journal; empty where there was nothing to write.
        written: sidecars that were written, and files that were said something in.
        captures: how many captures say something else now.
        same: how many captures said so already.
        why: what did not work, in a sentence; empty where all did.
    """

    run: str = ""
    written: tuple[str, ...] = ()
    captures: int = 0
    same: int = 0
    why: str = ""


class Sidecars:
    """Where sidecars of captures lie, or are to lie."""

    def __init__(self, library: Library, columns: Columns) -> None:
        self._library, self._columns = library, columns
        self._stems: dict[int, Counter[str]] = {}

    def of(self, row: int) -> str:
        """The sidecar of a capture: the first one that it has; else one that has its stem, unless that is another's."""
        return self.all_of(row)[0]

    def all_of(self, row: int) -> list[str]:
        """All sidecars that a capture has; the one that it is to have where it has none."""
        columns = self._columns
        own = list(self._has(row))
        if own:
            return own
        path = columns.path(row)
        folder = int(columns.folder[row])
        if folder not in self._stems:
            rows = np.flatnonzero(columns.folder == folder).tolist()
            self._stems[folder] = Counter(stem_of(columns.name(one)).casefold() for one in rows)
        if self._stems[folder][stem_of(columns.name(row)).casefold()] > 1:
            return [f"{path}.xmp"]
        return [sidecar_of(self._library, path)[0]]

    def has(self, row: int) -> bool:
        """Whether a capture has one."""
        return next(self._has(row), None) is not None

    def _has(self, row: int) -> Iterator[str]:
        for one in self._columns.companions(row):
            if os.path.splitext(one)[1].lower() == ".xmp":
                yield one


def see(written: Written, library: Library, ledger: Ledger) -> None:
    """Know what sidecars say that were written."""
    if written.sidecars:
        describe(library, ledger, load_rules(library).rules, stop=threading.Event(), only=set(written.sidecars))


def follow(
    sidecars: Collection[str], library: Library, ledger: Ledger, places: Places, *, stop: threading.Event
) -> str:
    """Let hash lists and connected backups follow what was written.

    Args:
        sidecars: that were written.
        library: the library.
        ledger: its ledger, open.
        places: those that are known.
        stop: ends the work when it is set.

    Returns:
        What did not work, in a sentence; empty where all did. It is done when the backup is caught up.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
    """
    if not sidecars:
        return ""
    left = lists_follow(library, ledger)
    left += [why for place in places.here if (why := _bring(sidecars, library, ledger, place, stop))]
    return left[0] if left else ""


def _bring(sidecars: Collection[str], library: Library, ledger: Ledger, place: Place, stop: threading.Event) -> str:
    """Bring sidecars to a backup that has been caught up once. Returns what kept it from that."""
    if not ledger.proofs(place.id):
        return ""
    try:
        wanted = lacking(library, ledger, place, only=sidecars)
        some = replace(wanted, moves=(), beyond=(), damaged=(), changed=())
        outcome = catch_up(some, library, ledger, stop=stop, whole=False) if some.rows else None
    except LibraryBusy:
        raise
    except JutrekError as error:
        return f"{shown(place.name)} will have what is said when it is caught up: {error}"
    if outcome is not None and outcome.why:
        return f"{shown(place.name)} will have what is said when it is caught up: {outcome.why}"
    return ""
