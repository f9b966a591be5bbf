"""Turning captures for a face: in place, proven, with hash lists and backups behind; and turning them back."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.amended import amended_seen
from jutrek.desk.sidecars import AWAY
from jutrek.formats import MEDIA, kind_by_suffix, read
from jutrek.formats.splices import Splice
from jutrek.transfer import Listener
from jutrek.transfer.amending import ToAmend, amend_files
from jutrek.turning.patching import splices_of

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.turning.ways import Way
    from jutrek.views.columns import Columns

_MOVING = frozenset({"still", "clip"})


@dataclass(frozen=True, slots=True)
class TurnedCaptures:
    """What came of it.

    Attributes:
        run: its run in the journal; empty where nothing was turned.
        files: those that were turned, relative to the library.
        captures: how many captures were turned.
        left: sentences about what was not.
    """

    run: str = ""
    files: tuple[str, ...] = ()
    captures: int = 0
    left: tuple[str, ...] = ()

    @property
    def why(self) -> str:
        """What did not work, in a sentence; empty where all did."""
        return self.left[0] if self.left else ""


def turn_captures(
    columns: Columns,
    rows: Iterable[int],
    way: Way,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> TurnedCaptures:
    """Turn captures: all their pictures and clips alike. Hash lists and backups follow by `sidecars.follow`.

    Args:
        columns: of the library's captures.
        rows: which of them.
        way: which way.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        listener: hears how it goes on.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
        Stopped: when it was stopped before anything was turned.
    """
    own: dict[str, int] = {}
    away = 0
    for row in dict.fromkeys(rows):
        if columns.state[row] & AWAY:
            away += 1
            continue
        for path in (columns.path(row), *columns.companions(row)):
            if kind_by_suffix(os.path.splitext(path)[1]) in MEDIA and _shows(path):
                own[path] = row

    def how(whole: str) -> list[Splice]:
        return splices_of(whole, read(whole), way)

    wanted = [ToAmend(path, how) for path in own]
    written = amend_files(wanted, f"turned {way}", library, ledger, stop=stop, listener=listener)
    left = ["What is gone, set aside or stored away can't be turned."] if away else []
    amended_seen(written.files, library, ledger)
    trouble = [str(written.trouble)] if written.trouble is not None else []
    captures = len({own[path] for path in written.files})
    return TurnedCaptures(written.run, tuple(written.files), captures, (*trouble, *written.left, *left))


def _shows(path: str) -> bool:
    return kind_by_suffix(os.path.splitext(path)[1]).value in _MOVING
