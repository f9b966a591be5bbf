"""Taking runs back, for whichever face asks: what would happen, doing it, and saying what it did."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from jutrek.desk.amended import amended_back
from jutrek.desk.places import Places
from jutrek.desk.sidecars import follow as sidecars_follow
from jutrek.desk.storing import crossed_back
from jutrek.errors import LibraryBusy, NotPossible, PageBroken, shown
from jutrek.filing import Plan
from jutrek.filing.facts import lies_in
from jutrek.library import Library, as_place, give_back_numbers
from jutrek.transfer import Listener, Outcome, plan_taking_back, refile
from jutrek.transfer.amend_lines import is_amended
from jutrek.transfer.checking import miss_again
from jutrek.transfer.empty_folders import make_again, removed_by
from jutrek.transfer.folder_moves import FolderMove, folders_back, move_folders
from jutrek.transfer.journal import Kind
from jutrek.transfer.learning_stored import CROSSES
from jutrek.transfer.lock import locked
from jutrek.transfer.making import make_folders_again, unmake
from jutrek.transfer.orders import Orders
from jutrek.transfer.resumable import clear_partials
from jutrek.transfer.run_log import RunLog, given_number, head_of, run_log_of
from jutrek.transfer.saying import say_back
from jutrek.transfer.taking_back import TAKEN_BACK, folders_now, followed, made_folder_now
from jutrek.transfer.trash import forget, found
from jutrek.transfer.word_lists import list_back
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_WORDS = {
    Kind.INTAKE: ("put away", "home again"),
    Kind.REFILE: ("moved back", "moved once more"),
    Kind.TIDY: ("back where they were", "tidied again"),
    Kind.SET_ASIDE: ("back where they were", "set aside again"),
    Kind.EMPTY_TRAY: ("set aside again", "in the trash again"),
    Kind.LET_GO: ("missed again", "missed again"),
    Kind.DESCRIBE: ("as before", "written again"),
    Kind.STORE: ("in the library again", "stored again"),
    Kind.MAKE: ("put away", "made again"),
    Kind.FETCH: ("stored again", "in the library again"),
    Kind.SAY: ("called what they were before", "called so again"),
}
"""What files are when a run of a kind was taken back, and when that was taken back itself."""


def plan_of_taking_back(library: Library, run: str, only: Sequence[str] = ()) -> tuple[Plan, list[str]]:
    """What taking back a run would do: its plan, and sentences about what has to stay as it is.

    Args:
        only: files and folders, relative to the library as it is now; none for everything.

    Raises:
        NotPossible: when it cannot be taken back, or holds nothing of what is named.
    """
    plan, left = plan_taking_back(library, run)
    if not only:
        return plan, left
    paths = {row: row.source.removeprefix(library.root.rstrip("/") + "/") for row in plan.rows}
    for one in only:
        if not any(lies_in(path, one) for path in paths.values()):
            raise NotPossible(library.root, f"{shown(one)} is nothing that taking back {run} would move")
    rows = tuple(row for row in plan.rows if any(lies_in(paths[row], one) for one in only))
    return replace(plan, rows=rows), []


def done_words(library: Library, run: str) -> str:
    """What files are when a run was taken back: `put away`, `moved back`."""
    kind: Kind | None = _kind_of(library, run)
    again = 0
    while kind is Kind.TAKE_BACK:
        run, again = str(head_of(library, run).get("takes_back", "")), again + 1
        kind = _kind_of(library, run)
    return _WORDS[kind][again % 2] if kind in _WORDS else "as they were before"


def _files(count: int) -> str:
    return counted(count, "file is", "files are")


def told_of(library: Library, run: str) -> int | None:
    """How many files a run only told something of, so that taking it back moves none; None for other runs."""
    run_log = run_log_of(library, run)
    count = sum(one["entry"] in ("let go", "said") for one in run_log.others) + len(removed_by(run_log))
    if _says_in_files(run_log) and run_log.sidecars:
        count += len(run_log.sidecars)
    return int(count) or None


def _says_in_files(run_log: RunLog) -> bool:
    """Whether a run is one that amended files, and did nothing else but write sidecars."""
    return run_log.kind is Kind.DESCRIBE and any(map(is_amended, run_log.to_say.values()))


def made_again(library: Library, run: str) -> list[str]:
    """The folders that taking back a run would make again, where it removed empty ones and did nothing else."""
    return removed_by(run_log_of(library, run))


def folders_of(library: Library, run: str) -> tuple[list[FolderMove], list[str]]:
    """The folders that taking back a run would move, and sentences about those that would stay."""
    run_log = run_log_of(library, run)
    return folders_back(library, run_log, folders_now(library, run_log)) if run_log.folders_moved else ([], [])


def take_back(
    library: Library,
    ledger: Ledger,
    run: str,
    places: Places,
    *,
    stop: threading.Event,
    listener: Listener,
    only: frozenset[str] = frozenset(),
) -> tuple[Outcome, list[str]]:
    """Take a run back, or only some of its files (by their paths now or when it ended, relative to the library).

    Args:
        library: the library.
        ledger: its ledger, open.
        run: its id.
        places: those that are known.
        stop: ends the work when it is set.
        listener: hears how it goes on.
        only: paths; all where it is empty.

    Returns:
        The outcome, and sentences about what was changed since and stays.

    Raises:
        NotPossible: when it cannot be taken back.
    """
    kind, run_log = _kind_of(library, run), run_log_of(library, run)
    if (told := _told_back(library, ledger, run_log, kind)) is not None:
        return told
    if _says_in_files(run_log):
        return _said_back(library, ledger, run_log, places, stop, listener)
    if run_log.folders_moved:
        moves, left = folders_back(library, run_log, folders_now(library, run_log))
        outcome = move_folders(
            moves, library, ledger, stop=stop, listener=listener, takes_back=run, places=places.here
        )  # fmt: skip
        return outcome, left
    plan, left = plan_taking_back(library, run)
    if kind in CROSSES:
        paths = [row.destination or "" for row in plan.rows if not only or row.destination in only]
        return crossed_back(library, ledger, run_log, paths, places, stop=stop, listener=listener), left
    emptied = kind == Kind.EMPTY_TRAY
    trashed = found(os.path.join(library.root, row.destination or "") for row in plan.rows) if emptied else {}
    if only:
        meant = only | set(followed(library, run, only).values())
        rows = tuple(row for row in plan.rows if row.source.removeprefix(library.root + "/") in meant)
        plan, left = type(plan)(plan.library, plan.library_id, plan.rules, rows), []
    orders = Orders(Kind.TAKE_BACK, outside=frozenset(one.path for one in trashed.values()))
    made, again = _making(library, run_log)
    folder = made_folder_now(library, made) if made is not None and not again else ""
    outcome = refile(
        plan, library, ledger, stop=stop, listener=listener, takes_back=run, places=places.here, orders=orders
    )  # fmt: skip
    forget(trashed.values())
    if not only and not outcome.trouble:
        left += _list_back_and_told(library, run_log, outcome)
        left += _job_back(library, made, folder, again=again)
    if kind is Kind.INTAKE and not (only or left or outcome.failed or outcome.trouble):
        _give_numbers_back(library, run_log)
    if not only and kind == Kind.INTAKE:
        for place in (as_place(library), *places.here):
            clear_partials(place.tree)
    return outcome, left


def _said_back(
    library: Library, ledger: Ledger, run_log: RunLog, places: Places, stop: threading.Event, listener: Listener
) -> tuple[Outcome, list[str]]:
    """Take back what a run did in files, and beside them; hash lists and backups follow."""
    plan, left = plan_taking_back(library, run_log.run)
    done = amended_back(library, ledger, run_log, stop=stop, listener=listener)
    outcome = Outcome(trouble=done.trouble)
    if plan.rows and done.trouble is None:
        orders = Orders(Kind.TAKE_BACK)
        outcome = refile(
            plan, library, ledger, stop=stop, listener=listener, takes_back=run_log.run, places=places.here,
            orders=orders,
        )  # fmt: skip
    behind = sidecars_follow(done.files, library, ledger, places, stop=stop)
    why = _list_back(library, run_log) if not outcome.trouble else ""
    sidecars = sum(one.home and (one.row.destination or "").startswith(TAKEN_BACK) for one in outcome.done)
    outcome.remarks.append(f"{_files(len(done.files) + sidecars)} {done_words(library, run_log.run)}.")
    return outcome, [*done.left, *left, *filter(None, [why, behind])]


def _making(library: Library, run_log: RunLog) -> tuple[RunLog | None, bool]:
    """The run that made something which taking a run back undoes, or does again; and whether it is the latter."""
    again = False
    while earlier := str(run_log.head.get("takes_back", "")):
        try:
            run_log, again = run_log_of(library, earlier), not again
        except OSError:
            return None, False
    return (run_log if run_log.kind is Kind.MAKE else None), again


def _job_back(library: Library, made: RunLog | None, folder: str, *, again: bool) -> list[str]:
    """Empty folders of a job that was taken back go, and its number is free again; or both come back.

    Args:
        library: the library.
        made: the run that made it; None for none.
        folder: of the job, where one is taken back; empty for none.
        again: whether it is done again.

    Returns:
        Sentences about what stays as it is.
    """
    if made is not None and folder:
        unmake(library, made, folder)
    return make_folders_again(library, made) if made is not None and again else []


def _list_back_and_told(library: Library, run_log: RunLog, outcome: Outcome) -> list[str]:
    """The same, and a remark that says so. Returns why it is left as it is, if it is."""
    if why := _list_back(library, run_log):
        return [why]
    if any(one["entry"] == "words" for one in run_log.others):
        outcome.remarks.append("The list of keywords is as before.")
    return []


def _list_back(library: Library, run_log: RunLog) -> str:
    """Take back what a run did to the list of keywords, or do it again. Returns why it is left as it is."""
    again = False
    while before := str(run_log.head.get("takes_back", "")):
        try:
            run_log, again = run_log_of(library, before), not again
        except OSError:
            return ""
    return list_back(library, run_log, again=again)


def _told_back(
    library: Library, ledger: Ledger, run_log: RunLog, kind: Kind | None
) -> tuple[Outcome, list[str]] | None:
    """Take back a run that moved no file: it said something of them, or removed empty folders. None for others."""
    if kind == Kind.LET_GO:
        return Outcome(remarks=[f"{_files(miss_again(library, ledger, run_log))} missed again."]), []
    if any(one["entry"] == "said" for one in run_log.others):
        count, left = say_back(library, ledger, run_log)
        return Outcome(remarks=[f"{_files(count)} {done_words(library, run_log.run)}."]), left
    if removed_by(run_log):
        made = make_again(library, run_log)
        return Outcome(remarks=[f"{counted(made, 'folder is', 'folders are')} there again."]), []
    return None


def _give_numbers_back(library: Library, run_log: RunLog) -> None:
    """What an intake counted is counted anew, where nothing was counted since."""
    numbers: dict[str, list[int]] = {}
    for row in run_log.done:
        if (given := given_number(run_log.to_come[row])) is not None:
            numbers.setdefault(given.counter, []).append(given.number)
    # A counter that stays where it is costs a gap, and nothing else.
    with contextlib.suppress(PageBroken, LibraryBusy, OSError), locked(library):
        give_back_numbers(library, {key: (min(own), max(own)) for key, own in numbers.items()})


def _kind_of(library: Library, run: str) -> Kind | None:
    try:
        entry = head_of(library, run).get("entry")
    except OSError as error:
        raise NotPossible(library.root, f"no run {run} is in its journal") from error
    return Kind(entry) if entry in set(Kind) else None
