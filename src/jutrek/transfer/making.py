"""Making folders and files of the house's own: a job by its outline, the next version of a working file.

    1. all of it is made in `LIBRARY/.jutrek/making/RUN/`: starters are copied, filled, synced, and read back;
    2. the journal tells what will come where, and `staged`, and is synced;
    3. a folder that is not there yet gets its name in one step, with all that lies in it; into one that is there what
       is missing goes piece by piece, each by a name that replaces nothing.

What a kill leaves before the second step is cleared away by the next start, and the job's number is free again; behind
it the third is finished.
"""

from __future__ import annotations

import contextlib
import errno
import os
import threading
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from jutrek.disk import Inside, Outside, Tree, inside, own
from jutrek.errors import JutrekError, LibraryBusy, NotFinished, NotMade, NotPossible, reason, shown
from jutrek.filing.facts import lies_in
from jutrek.jobs.making import MARKER
from jutrek.jobs.numbers import Claim, claim_again, claims, give_back
from jutrek.library import LIBRARY, HomeFile, ProofMark
from jutrek.transfer.across import copy
from jutrek.transfer.journal import Journal, now, who
from jutrek.transfer.lock import locked
from jutrek.transfer.medium import aligned_buffer, new_hash, open_regular, read_back

if TYPE_CHECKING:
    import mmap

    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.run_log import RunLog

MAKING = own("making")


@dataclass(frozen=True, slots=True)
class Piece:
    """A folder or a file that is to be made.

    Attributes:
        path: below the folder that all of it is made in; empty for that itself.
        data: what a file holds; None for a folder, or where it is copied.
        source: the file of the library that it is copied from; None where it is not.
    """

    path: str
    data: bytes | None = None
    source: Inside | None = None

    @property
    def is_folder(self) -> bool:
        """Whether it is a folder."""
        return self.data is None and self.source is None


@dataclass(slots=True)
class MadeRun:
    """What came of it.

    Attributes:
        run: its run in the journal.
        folders, files: the paths of what was made, relative to the library.
        left: paths of files that were there already, and stay as they were.
    """

    run: str = ""
    folders: list[str] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    left: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _File:
    row: int
    path: str
    staged: Inside
    size: int
    full: bytes


def make(
    library: Library,
    ledger: Ledger,
    journal: Journal,
    folder: str,
    pieces: Sequence[Piece],
    *,
    into: bool,
    stop: threading.Event,
    look: Callable[[int], None] = lambda size: None,
) -> MadeRun:
    """Make pieces in a folder, in a run that was begun. Whoever calls holds the library's lock, and ends the run.

    Args:
        library: the library.
        ledger: its ledger, open.
        journal: of the run.
        folder: in which they are made, relative to the library.
        pieces: what is made, each behind the folder that it lies in.
        into: whether the folder may be there already.
        stop: ends the work when it is set.
        look: told the bytes of every block that is copied.

    Raises:
        NotPossible: when the folder is there and may not be, or something else bears a name on the way.
        NotMade: when a disk is full, or away, or it was stopped; what was made until then is cleared away.
        NotFinished: when that happens once the first of it has its name: the run is not to be ended then.
    """
    made = MadeRun(journal.run)
    tree, final = library.tree, inside(folder)
    try:
        files = _prepared(library, journal, folder, pieces, into, stop, look)
    except OSError as error:
        clear_staged(tree, journal.run)
        raise NotMade(tree.at(final), error) from error
    except BaseException:
        clear_staged(tree, journal.run)
        raise
    try:
        _place(tree, _staged(journal.run), final, into=into)
    except OSError as error:
        if into or _has_its_name(tree, journal.run):
            raise NotFinished(tree.at(final), error) from error
        clear_staged(tree, journal.run)
        if error.errno == errno.EEXIST:
            raise NotPossible(library.root, f"{shown(folder)} is there already") from error
        raise NotMade(tree.at(final), error) from error
    try:
        _take_in(library, ledger, journal, files, made)
    except (OSError, JutrekError) as error:
        raise NotFinished(tree.at(final), error) from error
    made.folders = [f"{folder}/{one.path}" if one.path else folder for one in pieces if one.is_folder]
    clear_staged(tree, journal.run)
    return made


def _prepared(
    library: Library, journal: Journal, folder: str, pieces: Sequence[Piece], into: bool, stop: threading.Event,
    look: Callable[[int], None],
) -> list[_File]:  # fmt: skip
    """Make all of it where nobody sees it, and write down what will come where."""
    tree, final = library.tree, inside(folder)
    _refuse(library, final)
    files = list(_stage(library, journal, folder, pieces, stop, look))
    journal.note(*({"entry": "make folder", "folder": one} for one in _missing_above(tree, final)))
    journal.note(*(
        {"entry": "make folder", "folder": f"{folder}/{one.path}" if one.path else folder}
        for one in pieces if one.is_folder
    ))  # fmt: skip
    journal.note(*(
        {"entry": "to make", "row": one.row, "to": one.path, "size": one.size, "xxh3_128": one.full.hex()}
        for one in files
    ))  # fmt: skip
    journal.note({"entry": "staged", "folder": folder, "into": into})
    journal.sync()
    return files


def _has_its_name(tree: Tree, run: str) -> bool:
    """Whether what was made does not lie where nobody sees it any more, or that can't be told."""
    try:
        return tree.found(_staged(run)) is None
    except OSError:
        return True


def _refuse(library: Library, final: Inside) -> None:
    """Refuse names on the way that are no folders.

    Raises:
        NotPossible: which says what is in the way.
    """
    tree = library.tree
    for number in range(1, len(final.parts) + 1):
        above = Inside(final.parts[:number])
        if tree.found(above) is not None and not tree.is_folder(above):
            raise NotPossible(library.root, f"{shown(str(above))} is no folder")


def _missing_above(tree: Tree, final: Inside) -> list[str]:
    """The folders that are made on the way, the highest first."""
    above = [Inside(final.parts[:number]) for number in range(1, len(final.parts))]
    return [str(one) for one in above if tree.found(one) is None]


def _staged(run: str) -> Inside:
    return MAKING.below(run, "whole")


def _stage(
    library: Library,
    journal: Journal,
    folder: str,
    pieces: Sequence[Piece],
    stop: threading.Event,
    look: Callable[[int], None],
) -> Iterator[_File]:
    """Make all of it where nobody sees it yet, durably. Yields the files with their fingerprints."""
    tree, top = library.tree, _staged(journal.run)
    tree.make_folders(top)
    buffer = aligned_buffer()
    folders = [top]

    def looked(size: int) -> None:
        if stop.is_set():
            raise NotMade(tree.at(inside(folder)), "it was stopped")
        look(size)

    for row, one in enumerate(pieces):
        looked(0)
        path = top.below(*one.path.split("/")) if one.path else top
        if one.is_folder:
            if one.path:
                with tree.hold(path.folder) as above:
                    above.make_folder(path)
                folders.append(path)
            continue
        size, full = _written(tree, one, path, buffer, looked)
        yield _File(row, f"{folder}/{one.path}", path, size, full)
    for each in reversed(folders):
        tree.sync_folder(each)


def _written(tree: Tree, one: Piece, path: Inside, buffer: mmap.mmap, look: Callable[[int], None]) -> tuple[int, bytes]:
    """Write a file, and read it back. Returns its size and fingerprint."""
    if one.source is not None:
        source, _ = open_regular(tree, one.source)
        try:
            full = copy(tree, source, path, None, look)
        finally:
            os.close(source)
    else:
        data = one.data or b""
        with tree.hold(path.folder) as above:
            above.write_new(path, data)
        hashed = new_hash()
        hashed.update(memoryview(data))
        full = hashed.digest()
    status = tree.lstat(path)
    found, _ = read_back(tree, path, buffer, look=lambda: look(0))
    if found != full:
        raise NotMade(tree.at(path), "it read back differently")
    return status.st_size, full


def _place(tree: Tree, staged: Inside, final: Inside, *, into: bool) -> None:
    """Give what was made its names. Whatever bears one already stays, and so does what was to bear it."""
    tree.make_folders(final.folder)
    if not into or tree.found(final) is None:
        tree.rename_folder(staged, final)
        tree.sync_folder(final.folder)
        return
    _merge(tree, staged, final)


def _merge(tree: Tree, staged: Inside, final: Inside) -> None:
    found = tree.folders(staged)
    # What says which job it is comes last: then all of it is there.
    for name in sorted(found, key=lambda name: (name == MARKER, name)):
        here, there = staged.below(name), final.below(name)
        if not found[name]:
            with contextlib.suppress(FileExistsError):
                tree.give_name(here, there)
        elif tree.found(there) is None:
            tree.rename_folder(here, there)
        elif tree.is_folder(there):
            _merge(tree, here, there)
    tree.sync_folder(final)


def _take_in(library: Library, ledger: Ledger, journal: Journal, files: Sequence[_File], made: MadeRun) -> None:
    """Write down what was made, and let the ledger know it."""
    marks = []
    for one in files:
        # Where another file bore the name, what was to bear it lies where it was made.
        waits = library.tree.found(one.staged) is not None
        status = library.tree.found(inside(one.path))
        if waits or status is None or status.st_size != one.size:
            made.left.append(one.path)
            continue
        made.files.append(one.path)
        mark = ProofMark(LIBRARY, one.path, one.size, status.st_mtime_ns, one.full, now())
        marks.append((one.row, mark.seen(status)))
    journal.note(*(
        {"entry": "made", "row": row, "size": mark.size, "mtime_ns": mark.mtime_ns} for row, mark in marks
    ))  # fmt: skip
    ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for _, mark in marks])
    ledger.put_proofs(mark for _, mark in marks)


def clear_staged(tree: Tree, run: str) -> None:
    """Remove what a run made where nobody sees it, as far as it has no name yet."""
    top = MAKING.below(run)
    with contextlib.suppress(OSError):
        for path in list(tree.files_below(top)):
            tree.remove_own(path)
        tree.remove_empty_folders(top)


def settle_making(library: Library, ledger: Ledger, run_log: RunLog, journal: Journal) -> tuple[int, int]:
    """Finish what a kill cut off behind the second step, and clear away all else. Returns how many files are made, and
    how many are not."""
    tree = library.tree
    entries = {one["entry"]: one for one in run_log.others if one["entry"] in ("staged", "job")}
    staged = entries.get("staged")
    announced = [one for one in run_log.others if one["entry"] == "to make"]
    if staged is None:
        clear_staged(tree, run_log.run)
        job_given_up(library, run_log)
        return 0, len(announced)
    final = inside(staged["folder"])
    waits = tree.found(_staged(run_log.run)) is not None
    if waits:
        # Where somebody else took the name meanwhile, what was made has no place any more.
        with contextlib.suppress(FileExistsError, NotADirectoryError):
            _place(tree, _staged(run_log.run), final, into=staged["into"])
    made = MadeRun(run_log.run)
    files = [
        _File(one["row"], one["to"], _where_staged(run_log.run, staged["folder"], one["to"]), one["size"],
              bytes.fromhex(one["xxh3_128"]))
        for one in announced if one["to"].startswith(f"{staged['folder']}/")
    ]  # fmt: skip
    if waits and not staged["into"] and tree.found(_staged(run_log.run)) is not None:
        clear_staged(tree, run_log.run)
        job_given_up(library, run_log)
        return 0, len(announced)
    _take_in(library, ledger, journal, files, made)
    clear_staged(tree, run_log.run)
    return len(made.files), len(made.left)


def _where_staged(run: str, folder: str, path: str) -> Inside:
    return _staged(run).below(*path[len(folder) + 1 :].split("/"))


def job_given_up(library: Library, run_log: RunLog) -> None:
    """Give the number back that a run took for a job, where the job was not made."""
    with contextlib.suppress(JutrekError, OSError):
        for one in claims(library):
            if one.run == run_log.run:
                give_back(library, one)


def unmake(library: Library, run_log: RunLog, folder: str) -> None:
    """Behind a job that was taken back: its empty folders go, and with them its number is free again.

    Args:
        library: the library.
        run_log: of the run that made it.
        folder: of the job, where it is now.
    """
    library.tree.remove_empty_folders(inside(folder))
    if library.tree.found(inside(folder)) is not None:
        return
    for above in sorted(_folders_made(run_log), key=len, reverse=True):
        if lies_in(folder, above):
            with contextlib.suppress(OSError):
                library.tree.remove_folder(inside(above))
    with contextlib.suppress(LibraryBusy), locked(library):
        job_given_up(library, run_log)


def make_folders_again(library: Library, run_log: RunLog) -> list[str]:
    """A job that was taken back comes again: its folders are made, and its number is taken.

    Returns:
        Sentences about what could not be had again.
    """
    left = []
    for folder in _folders_made(run_log):
        try:
            library.tree.make_folders(inside(folder))
        except OSError as error:
            left.append(f"{shown(folder)} is not there again: {reason(error)}.")
    for one in (one for one in run_log.others if one["entry"] == "job"):
        again = Claim(
            one["series"], one["within"], one["counted"], one["number"], one["id"], run_log.run, now(), who()
        )  # fmt: skip
        try:
            if not claim_again(library, again):
                left.append(f"The number {shown(one['number'])} was given to another job meanwhile.")
        except (NotPossible, Outside) as error:
            left.append(f"The number {shown(one['number'])} is not taken again: {str(error).rstrip('.')}.")
    return left


def _folders_made(run_log: RunLog) -> list[str]:
    return [str(one["folder"]) for one in run_log.others if one["entry"] == "make folder"]
