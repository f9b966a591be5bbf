"""What the house says of what comes home, in the files themselves: behind their proof, in the run that brings them."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING

from jutrek.filing import HouseRules, Row
from jutrek.filing.rulebook import load_rules
from jutrek.library import Library
from jutrek.transfer.amending import Amending, Step, steps_of
from jutrek.transfer.into_files import InFile
from jutrek.transfer.one_run import Written
from jutrek.transfer.outcome import Listener
from jutrek.transfer.sidecars import caption_of, write_sidecar
from jutrek.transfer.taking_back import row_of
from jutrek.wording.caption import with_caption

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.journal import Journal
    from jutrek.transfer.run_log import RunLog
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


def say_what_is_left(library: Library, run_log: RunLog, home: Sequence[int], journal: Journal) -> None:
    """Write the sidecars that a kill kept from being written. One that bears the name already is left as it is.

    Args:
        home: the rows of the run that are home; what was said in their files is not said beside them.
    """
    wanted = [row for row in home if "sidecar" in run_log.to_come[row] and row not in run_log.sidecars]
    in_files = {str(one["to"]) for row, one in run_log.sidecars.items() if row in run_log.to_say}
    wanted = [row for row in wanted if run_log.to_come[row]["to"] not in in_files]
    if wanted:
        rules = load_rules(library).rules
        for number in wanted:
            row = row_of(run_log.to_come[number])
            trouble, stamp = write_sidecar(library.tree, row, rules)
            if not trouble:
                journal.sidecar(number, row, *stamp)
