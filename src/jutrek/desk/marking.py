"""Marking captures for a face: a label goes into the sidecar beside each; hash lists and backups follow."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from jutrek.desk.saying import own_words
from jutrek.desk.sidecars import AWAY, Described, Sidecars, see
from jutrek.library import Library
from jutrek.library.marks import FOLDER_SIDECAR
from jutrek.transfer import Listener
from jutrek.transfer.sidecar_runs import ToSay, write_sidecars
from jutrek.transfer.sidecars import with_label
from jutrek.views.columns import Names
from jutrek.wording.caption import carried

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.views.columns import Columns


def mark_captures(
    columns: Columns,
    rows: Sequence[int],
    label: str,
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
) -> Described:
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
    sidecars = Sidecars(library, columns)
    for row in dict.fromkeys(rows):
        if columns.state[row] & AWAY:
            away += 1
        elif names[columns.mark[row]] == label:
            same += 1
        else:
            wanted.append(ToSay(sidecars.of(row), _marked(columns, row, label, library)))
    about = f"marked {label}" if label else "marks taken off"
    written = write_sidecars(wanted, about, library, ledger, stop=stop, listener=listener)
    see(written, library, ledger)
    why = written.why or ("What is gone, set aside or stored away can't be marked." if away else "")
    return Described(written.run, tuple(written.sidecars), len(written.sidecars), same, why)


def _marked(columns: Columns, row: int, label: str, library: Library) -> Callable[[bytes], bytes]:
    """What the sidecar of a capture holds then; a new one says what its files say, too."""
    return lambda old: with_label(old or carried(own_words(columns, [row], library)), label)


def mark_folders(
    folders: Sequence[str], label: str, library: Library, ledger: Ledger, *, stop: threading.Event
) -> Described:
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
    see(written, library, ledger)
    count = len(written.sidecars)
    return Described(written.run, tuple(written.sidecars), count, len(wanted) - count, written.why)
