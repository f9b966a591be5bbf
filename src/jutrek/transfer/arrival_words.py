"""What the house says of what comes home, in the files themselves: behind their proof, in the run that brings them."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING

from jutrek.filing import HouseRules, Row
from jutrek.library import Library
from jutrek.transfer.amending import Amending, Step, steps_of
from jutrek.transfer.into_files import InFile
from jutrek.transfer.one_run import Written
from jutrek.transfer.outcome import Listener
from jutrek.transfer.sidecars import caption_of
from jutrek.wording.caption import with_caption

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.journal import Journal
    from jutrek.wording.own import Own


def going_in_files(rows: Iterable[Row], rules: HouseRules) -> frozenset[str]:
    """The sources of what may be said something in: captures that are one file, and of which no more is to be said.

    A sidecar is shared by the files of a capture, and says besides what it was called and when its clock was wrong.
    """
    if not rules.inside or rules.originals:
        return frozenset()
    rows = list(rows)
    files = Counter(row.capture for row in rows)
    return frozenset(
        row.source
        for row in rows
        if row.says and row.sidecar and files[row.capture] == 1 and not (rules.sidecars and row.by.shift)
    )


def say_in_files(
    rows: Sequence[Row], first: int, library: Library, ledger: Ledger, journal: Journal, stop: threading.Event
) -> frozenset[str]:
    """Say in files that are home what the house says of them. Whoever calls holds the library's lock.

    Args:
        rows: what came home.
        first: the number of the first one in the journal: no row of what comes home has it, or a later one.
        library: the library.
        ledger: its ledger, open.
        journal: of the run that brought them.
        stop: when set, all is said beside them, which takes no time.

    Returns:
        The paths of those that say it, relative to the library; of all others it is to be said beside them.

    Raises:
        OSError: when the journal can't be written.
    """
    beside: list[str] = []
    steps: list[Step] = []
    for row in rows if not stop.is_set() else ():
        wanted = InFile(row.destination or "", _saying(row), beside).wanted
        steps += steps_of([wanted], library.tree, threading.Event(), [], first + len(steps))
    if not steps:
        return frozenset()
    written = Written()
    Amending(len(steps), library, ledger, threading.Event(), Listener(), written).some(journal, steps)
    return frozenset(written.files)


def _saying(row: Row) -> Callable[[bytes, Own], bytes]:
    def how(old: bytes, own: Own) -> bytes:
        return with_caption(old, caption_of(row), own)

    return how
