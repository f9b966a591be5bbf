"""Finishing a run that was cut off, and what an intake leaves behind it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.places import Places
from jutrek.desk.sidecars import follow
from jutrek.errors import LibraryBusy, reason
from jutrek.filing import HouseRules
from jutrek.library import Library
from jutrek.transfer import Control, Listener, Outcome, bring, plan_finishing
from jutrek.transfer.hash_lists import write_hash_lists
from jutrek.transfer.run_log import run_log_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[int, int], None]


@dataclass(frozen=True, slots=True)
class Left:
    """What an intake left behind for people and other programs.

    Attributes:
        report: the path of its report; empty where there is none.
        hash_lists: the paths of its hash lists.
        trouble: why something is missing; empty where nothing is.
    """

    report: str = ""
    hash_lists: tuple[str, ...] = ()
    trouble: str = ""


def leave_papers(
    library: Library, ledger: Ledger, run: str, rules: HouseRules, places: Places, *, stop: threading.Event,
    report: Report,
) -> Left:  # fmt: skip
    """Write the report of an intake, and its hash lists where house rules want them. Backups follow what it amended.

    Args:
        library: the library.
        ledger: its ledger, open.
        run: its id.
        rules: the house rules.
        places: those that are known.
        stop: ends the work when it is set.
        report: is told how much is done, and of how much.

    Raises:
        Stopped: when `stop` was set.
    """
    if not run:
        return Left()
    from jutrek.desk.report import write_report

    lists: tuple[str, ...] = ()
    try:
        run_log = run_log_of(library, run)
        if not run_log.done:
            return Left()
        if rules.hash_lists:
            lists = tuple(write_hash_lists(run_log, library, places.here))
        amended = [str(one["to"]) for row, one in run_log.sidecars.items() if row in run_log.to_say]
        why = _followed(amended, library, ledger, places, stop)
        return Left(write_report(run_log, library, stop=stop, report=report), lists, why)
    except OSError as error:
        return Left("", lists, f"The report could not be written: {reason(error)}.")


def _followed(
    files: Sequence[str], library: Library, ledger: Ledger, places: Places, stop: threading.Event
) -> str:  # fmt: skip
    """Let hash lists and backups follow what was said in files. Returns what did not work, in a sentence."""
    try:
        return follow(files, library, ledger, places, stop=stop)
    except LibraryBusy as error:
        return str(error)


def finish(
    library: Library,
    ledger: Ledger,
    run: str,
    rules: HouseRules,
    places: Places,
    *,
    stop: threading.Event,
    listener: Listener,
    control: Control | None = None,
) -> Outcome:
    """Bring home what an intake left, reading only what is not proven.

    Args:
        library: the library.
        ledger: its ledger, open.
        run: its id.
        rules: the house rules.
        places: those that are known.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        control: steers it: pause, stop, answers.

    Raises:
        NotPossible: when it cannot be finished.
    """
    plan = plan_finishing(library, run, rules)
    return bring(
        plan, library, ledger, stop=stop, listener=listener, places=places.here, control=control, continues=run
    )
