"""What follows when files were amended, and putting back what was replaced in them."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING

from jutrek.desk import thumbnails
from jutrek.disk import inside
from jutrek.filing.rulebook import load_rules
from jutrek.formats import read
from jutrek.formats.splices import Splice, trouble_with, undone
from jutrek.transfer import Listener
from jutrek.transfer.amend_lines import is_amended, splices_in
from jutrek.transfer.amending import ToAmend, amend_files
from jutrek.transfer.one_run import Written
from jutrek.transfer.taking_back import followed
from jutrek.views.describing import describe

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog


def amended_seen(files: Iterable[str], library: Library, ledger: Ledger) -> None:
    """Know what files say that were amended, and how they look."""
    if only := set(files):
        describe(library, ledger, load_rules(library).rules, stop=threading.Event(), only=only)
        for path in only:
            thumbnails.forget(library.tree.at(inside(path)))


def amended_back(
    library: Library, ledger: Ledger, run_log: RunLog, *, stop: threading.Event, listener: Listener
) -> Written:
    """Put back what a run replaced in files, where they lie now. What was changed since stays, and is told.

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
    act = str(run_log.head.get("act", ""))
    act = "turned back" if act.startswith("turned") else f"taken back: {act}"
    written = amend_files(wanted, act, library, ledger, stop=stop, listener=listener, takes_back=run_log.run)
    amended_seen(written.files, library, ledger)
    return written


def _old_bytes(splices: tuple[Splice, ...]) -> Callable[[str], tuple[Splice, ...]]:
    """What puts the old bytes of a file back, unless that touches its picture, clip or sound: a page may lie."""

    def how(whole: str) -> tuple[Splice, ...]:
        if why := trouble_with(splices, read(whole).payload):
            raise ValueError(why)
        return splices

    return how
