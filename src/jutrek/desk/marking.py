"""Marking captures for a face: a label goes into the sidecar beside each; hash lists and backups follow."""

from __future__ import annotations

import os
import threading
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from jutrek.desk.places import Places
from jutrek.errors import JutrekError, LibraryBusy, shown
from jutrek.filing.names import stem_of
from jutrek.filing.rulebook import load_rules
from jutrek.library import Library, Place
from jutrek.library.marks import FOLDER_SIDECAR
from jutrek.transfer import Listener
from jutrek.transfer.catching_up import catch_up, lacking
from jutrek.transfer.following_lists import lists_follow
from jutrek.transfer.metadata_merge import sidecar_of
from jutrek.transfer.sidecar_runs import ToSay, Written, write_sidecars
from jutrek.transfer.sidecars import with_label
from jutrek.views.columns import Names, bit_of
from jutrek.views.conditions import State
from jutrek.views.describing import describe

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns

_AWAY = bit_of(State.GONE) | bit_of(State.ASIDE) | bit_of(State.STORED)


@dataclass(frozen=True, slots=True)
class Marked:
    """What came of it.

    Attributes:
        run: its run in the journal; empty where there was nothing to write.
        sidecars: those that were written.
        captures: how many were marked.
        same: how many had that mark already.
        why: what did not work, in a sentence; empty where all did.
    """

    run: str = ""
    sidecars: tuple[str, ...] = ()
    captures: int = 0
    same: int = 0
    why: str = ""


def mark_captures(
    columns: Columns,
    rows: Sequence[int],
    label: str,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> Marked:
    """Give captures a mark, or take it off. What else follows is done by `follow`.

    Args:
        columns: of the library's captures.
        rows: which of them.
        label: the letter of a mark, or what a label is to say; empty to take it off.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
    """
    wanted, away, same = [], 0, 0
    names = columns.names[Names.MARK]
    sidecars = _Sidecars(library, columns)
    for row in dict.fromkeys(rows):
        if columns.state[row] & _AWAY:
            away += 1
        elif names[columns.mark[row]] == label:
            same += 1
        else:
            wanted.append(ToSay(sidecars.of(row), lambda old: with_label(old, label)))
    about = f"marked {label}" if label else "marks taken off"
    written = write_sidecars(wanted, about, library, ledger, stop=stop, listener=listener)
    _see(written, library, ledger)
    why = written.why or ("What is gone, set aside or stored away can't be marked." if away else "")
    return Marked(written.run, tuple(written.sidecars), len(written.sidecars), same, why)


def mark_folders(
    folders: Sequence[str], label: str, library: Library, ledger: Ledger, *, stop: threading.Event
) -> Marked:
    """Give folders a mark, or take it off: in a sidecar in each, which goes wherever the folder goes.

    Arguments and errors as of `mark_captures`.
    """
    asked = list(dict.fromkeys(folders))
    there = [folder for folder in asked if not ledger.stored.below(folder)]
    wanted = [
        ToSay(os.path.join(folder, FOLDER_SIDECAR), lambda old: with_label(old, label) if old or label else old)
        for folder in there
    ]
    about = f"folders marked {label}" if label else "marks of folders taken off"
    written = write_sidecars(wanted, about, library, ledger, stop=stop)
    _see(written, library, ledger)
    count = len(written.sidecars)
    return Marked(written.run, tuple(written.sidecars), count, len(wanted) - count, written.why)


def _see(written: Written, library: Library, ledger: Ledger) -> None:
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
        return f"{shown(place.name)} will have the marks when it is caught up: {error}"
    if outcome is not None and outcome.why:
        return f"{shown(place.name)} will have the marks when it is caught up: {outcome.why}"
    return ""


class _Sidecars:
    """Where sidecars of captures lie, or are to lie."""

    def __init__(self, library: Library, columns: Columns) -> None:
        self._library, self._columns = library, columns
        self._stems: dict[int, Counter[str]] = {}

    def of(self, row: int) -> str:
        """The sidecar of a capture: the first one that it has; else one that has its stem, unless that is another's."""
        columns = self._columns
        own = next(self._has(row), "")
        if own:
            return own
        path = columns.path(row)
        folder = int(columns.folder[row])
        if folder not in self._stems:
            rows = np.flatnonzero(columns.folder == folder).tolist()
            self._stems[folder] = Counter(stem_of(columns.name(one)).casefold() for one in rows)
        if self._stems[folder][stem_of(columns.name(row)).casefold()] > 1:
            return f"{path}.xmp"
        return sidecar_of(self._library, path)[0]

    def _has(self, row: int) -> Iterator[str]:
        for one in self._columns.companions(row):
            if os.path.splitext(one)[1].lower() == ".xmp":
                yield one
