"""Turning captures for a face: in place, proven, with hash lists and backups behind; and turning them back."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk import thumbnails
from jutrek.desk.sidecars import AWAY
from jutrek.disk import inside
from jutrek.filing.rulebook import load_rules
from jutrek.formats import MEDIA, kind_by_suffix, read
from jutrek.formats.splices import Splice, trouble_with, undone
from jutrek.transfer import Listener
from jutrek.transfer.amend_lines import is_amended, splices_in
from jutrek.transfer.amending import ToAmend, amend_files
from jutrek.transfer.one_run import Written
from jutrek.transfer.taking_back import followed
from jutrek.turning.patching import splices_of
from jutrek.views.describing import describe

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog
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
    return _came(written, library, ledger, len({own[path] for path in written.files}), left)


def _shows(path: str) -> bool:
    return kind_by_suffix(os.path.splitext(path)[1]).value in _MOVING


def _came(
    written: Written, library: Library, ledger: Ledger, captures: int, more: Sequence[str] = ()
) -> TurnedCaptures:
    """Know what files say that were turned, and tell what came of it."""
    if written.files:
        only = set(written.files)
        describe(library, ledger, load_rules(library).rules, stop=threading.Event(), only=only)
        for path in only:
            thumbnails.forget(library.tree.at(inside(path)))
    trouble = [str(written.trouble)] if written.trouble is not None else []
    return TurnedCaptures(written.run, tuple(written.files), captures, (*trouble, *written.left, *more))


def turned_back(
    library: Library, ledger: Ledger, run_log: RunLog, *, stop: threading.Event, listener: Listener
) -> TurnedCaptures:
    """Turn back what a run turned, where it lies now. What was changed since stays, and is told.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when its journal can't be written.
    """
    rows = (run_log.to_say[row] for row in run_log.sidecars.keys() & run_log.to_say.keys())
    own = {str(entry["to"]): entry for entry in rows if is_amended(entry)}
    now = followed(library, run_log.run, own)
    wanted = [
        ToAmend(
            now[path], _old_bytes(undone(splices_in(entry))), full=bytes.fromhex(entry["xxh3_128"]),
            mtime_ns=int(entry["mtime_ns"]) if "mtime_ns" in entry else None,
        )
        for path, entry in own.items()
    ]  # fmt: skip
    written = amend_files(
        wanted, "turned back", library, ledger, stop=stop, listener=listener, takes_back=run_log.run
    )  # fmt: skip
    return _came(written, library, ledger, len(written.files))


def _old_bytes(splices: tuple[Splice, ...]) -> Callable[[str], tuple[Splice, ...]]:
    """What puts the old bytes of a file back, unless that touches its picture, clip or sound: a page may lie."""

    def how(whole: str) -> tuple[Splice, ...]:
        if why := trouble_with(splices, read(whole).payload):
            raise ValueError(why)
        return splices

    return how
