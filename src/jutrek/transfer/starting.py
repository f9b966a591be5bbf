"""Starting a job by its outline, and making the next version of a working file: runs of the journal."""

from __future__ import annotations

import contextlib
import os
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from jutrek.disk import inside
from jutrek.errors import LibraryBusy, NotFinished, NotMade, NotPossible, of_place, reason, shown
from jutrek.filing.names import same_name
from jutrek.jobs.blanks import CLIENT, JOB, TITLE
from jutrek.jobs.job import Placed, as_page, job_of, read_job
from jutrek.jobs.making import MARKER, Whole, Wish, whole_of
from jutrek.jobs.numbers import Claim, Series, claim, give_back, next_number
from jutrek.jobs.outline import EMPTY
from jutrek.jobs.shelf import folder_of_outline
from jutrek.jobs.starters import LARGEST, filled_in
from jutrek.transfer.journal import Journal, Kind, now, who
from jutrek.transfer.lock import locked
from jutrek.transfer.making import MadeRun, Piece, make
from jutrek.transfer.recover import recover

if TYPE_CHECKING:
    from jutrek.jobs.outline import Outline
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.leftover import Leftover

PATIENCE = 60.0
"""Seconds that a start waits while another Jutrek is at work in the library."""
_PAUSE = 0.05


@dataclass(frozen=True, slots=True)
class Start:
    """A job that is to be started.

    Attributes:
        name: of the outline.
        outline: the same.
        wish: what was filled in; a number in it is one that is wanted, else the next free one is given.
        series: where its number is counted.
        into: whether its folder may be there already.
    """

    name: str
    outline: Outline
    wish: Wish
    series: Series
    into: bool = False

    def of_number(self, written: str) -> Wish:
        """What is filled in, with a number."""
        filled = self.wish.filled
        return replace(self.wish, filled=replace(filled, values={**filled.values, JOB: written}))

    def wanted(self, library: Library) -> int | None:
        """The number that is wanted; None for the next.

        Raises:
            NotPossible: when the series writes no such number.
        """
        written = self.wish.filled.values.get(JOB, "")
        if not written:
            return None
        number = self.series.number(written)
        if number is None:
            example = self.series.written(self.series.first)
            raise NotPossible(library.root, f"“{written}” is no number of this series, such as {example}")
        return number


@dataclass(frozen=True, slots=True)
class Started:
    """A job that was started.

    Attributes:
        placed: the job, where it lies.
        made: what was made.
        whole: all that the outline makes.
    """

    placed: Placed
    made: MadeRun
    whole: Whole


@contextmanager
def patiently(library: Library, stop: threading.Event, seconds: float = PATIENCE) -> Iterator[None]:
    """Hold the library's lock, and wait for it as long as others are at work for a moment.

    Raises:
        LibraryBusy: when another Jutrek holds it all that time, or `stop` was set.
    """
    end = time.monotonic() + seconds
    while True:
        with _tried(library) as taken:
            if taken is None:
                yield
                return
            if time.monotonic() > end or stop.wait(_PAUSE):
                raise taken


@contextmanager
def _tried(library: Library) -> Iterator[LibraryBusy | None]:
    try:
        held = locked(library)
        held.__enter__()
    except LibraryBusy as error:
        yield error
        return
    try:
        yield None
    finally:
        held.__exit__(None, None, None)


def recovered_patiently(
    library: Library, ledger: Ledger, stop: threading.Event, seconds: float | None = None
) -> list[Leftover]:
    """Clear up what a kill left, as `recover` does, and wait as long as others are at work for a moment.

    Args:
        library: the library.
        ledger: its ledger, open.
        stop: ends the waiting when it is set.
        seconds: how long to wait at most; None for as long as a start does.

    Raises:
        LibraryBusy: when another Jutrek holds the lock all that time.
    """
    end = time.monotonic() + (PATIENCE if seconds is None else seconds)
    while True:
        try:
            return recover(library, ledger)
        except LibraryBusy:
            if time.monotonic() > end or stop.wait(_PAUSE):
                raise


def previewed(library: Library, start: Start) -> tuple[Whole, str]:
    """What a start would make, and the number that the job would get. Nothing is taken or made.

    Raises:
        CantStart: where blanks are not filled in, or the job can't be made so.
        NotPossible: when a number is wanted that can't be had.
    """
    number = start.wanted(library)
    written = start.series.written(next_number(library, start.series) if number is None else number)
    return _spelt(library, whole_of(start.outline, start.of_number(written))), written


def start_job(
    library: Library,
    ledger: Ledger,
    start: Start,
    *,
    stop: threading.Event,
    look: Callable[[int], None] = lambda size: None,
) -> Started:
    """Start a job: take its number, make its folder with all that lies in it.

    Args:
        library: the library.
        ledger: its ledger, open.
        start: what is to be started.
        stop: ends the work when it is set; nothing is left behind then.
        look: told the bytes of every block of a large starter.

    Raises:
        CantStart: where blanks are not filled in, or the job can't be made so.
        NotPossible: when its folder is there already, or a number is wanted that is given.
        NotMade: when a disk is full, or away; nothing is left behind.
        NotFinished: when that happens once the first of it has its name; the next start finishes it.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    with patiently(library, stop):
        whole, _ = previewed(library, start)
        _refuse_taken(library, whole.folder, into=start.into)
        try:
            # Its number is not taken yet.
            values = start.wish.filled.values
            called = " ".join(filter(None, (values.get(CLIENT), values.get(TITLE)))) or start.name
            journal = Journal.begin(library, Kind.MAKE, {"act": "job", "name": called, "outline": start.name})
        except OSError as error:
            raise of_place(library.root, library.own, error) from error
        try:
            return _started(library, ledger, start, journal, stop, look)
        finally:
            journal.close()


def _started(
    library: Library, ledger: Ledger, start: Start, journal: Journal, stop: threading.Event,
    look: Callable[[int], None],
) -> Started:  # fmt: skip
    id_ = str(uuid.uuid4())
    taken: Claim | None = None
    try:
        taken = claim(
            library, start.series, job=id_, run=journal.run, at=now(), who=who(), wanted=start.wanted(library)
        )
        wish = start.of_number(taken.written)
        # Another station may have taken the number that was seen first: then all of it is called otherwise.
        whole = _spelt(library, whole_of(start.outline, wish))
        _refuse_taken(library, whole.folder, into=start.into)
        journal.note({
            "entry": "job", "id": id_, "number": taken.written, "series": taken.series, "within": taken.within,
            "counted": taken.number, "folder": whole.folder,
        })  # fmt: skip
        journal.sync()
        job = job_of(wish, whole, id_, start.name, who())
        pieces = [*_pieces(library, start.name, whole, wish), Piece(MARKER, as_page(job))]
        made = make(library, ledger, journal, whole.folder, pieces, into=start.into, stop=stop, look=look)
    except NotFinished:
        raise
    except BaseException as error:
        if taken is not None:
            _release(library, taken)
        if isinstance(error, Exception):
            _end(journal, "failed", 0, 0)
        if isinstance(error, OSError):
            raise NotMade(library.root, error) from error
        raise
    _end(journal, "done", len(made.files), len(made.left), folders=len(made.folders))
    made.files = [path for path in made.files if not path.endswith(f"/{MARKER}")]
    return Started(Placed(job, whole.folder), made, whole)


def _end(journal: Journal, how: str, files: int, left: int, **more: int) -> None:
    """Write down how it ended; where that can't be, the next start finds out."""
    with contextlib.suppress(OSError):
        journal.end(how, files, left, **more)


def _release(library: Library, taken: Claim) -> None:
    """Give a number back that leads to nothing; one that can't be given back is told as a gap."""
    try:
        give_back(library, taken)
    except OSError:
        return


def _pieces(library: Library, outline: str, whole: Whole, wish: Wish) -> Iterator[Piece]:
    folder = folder_of_outline(library, outline)
    for one in whole.made:
        if one.starter is None:
            yield Piece(one.path)
        elif one.starter == EMPTY:
            yield Piece(one.path, b"")
        else:
            source = folder.below(one.starter)
            if library.tree.lstat(source).st_size > LARGEST:
                yield Piece(one.path, source=source)
            else:
                yield Piece(one.path, filled_in(library.tree.read_own(source, LARGEST), wish.filled))


def _spelt(library: Library, whole: Whole) -> Whole:
    """The same, with the folders above that of the job as they are spelt on the disk."""
    above, _, name = whole.folder.rpartition("/")
    parts: list[str] = []
    for part in above.split("/") if above else ():
        at = inside("/".join(parts)) if parts else None
        try:
            names = library.tree.names(at)
        except (FileNotFoundError, NotADirectoryError):
            names = []
        except OSError as error:
            raise NotPossible(library.root, f"its folders can't be read: {reason(error)}") from error
        parts.append(part if part in names else next((n for n in names if same_name(n) == same_name(part)), part))
    return replace(whole, folder="/".join([*parts, name]))


def in_the_way(library: Library, folder: str) -> str:
    """What bears the name of a folder that is to be made, also but for case or form; empty for nothing.

    Args:
        library: the library.
        folder: relative to it.
    """
    above, _, name = folder.rpartition("/")
    try:
        names = library.tree.names(inside(above) if above else None)
    except (FileNotFoundError, NotADirectoryError):
        return ""
    like = next((one for one in names if same_name(one) == same_name(name)), None)
    return "" if like is None else f"{above}/{like}" if above else like


def _refuse_taken(library: Library, folder: str, *, into: bool) -> None:
    """Refuse a folder whose name is taken, unless it may be there.

    Raises:
        NotPossible: which says by what.
    """
    there = in_the_way(library, folder)
    if not there:
        return
    if not into:
        raise NotPossible(library.root, f"{shown(there)} is there already; nothing is written into it unasked")
    if there != folder:
        raise NotPossible(library.root, f"{shown(there)} is there already, spelt otherwise")
    if library.tree.is_folder(inside(there)) and read_job(library.tree, there) is not None:
        raise NotPossible(library.root, f"{shown(there)} is a job already")


def make_version(library: Library, ledger: Ledger, path: str, name: str, *, stop: threading.Event) -> MadeRun:
    """Copy a working file under the name of its next version, in the same folder: a run of its own.

    Args:
        library: the library.
        ledger: its ledger, open.
        path: of the file, relative to the library.
        name: of the copy.
        stop: ends the work when it is set.

    Raises:
        NotPossible: when the name is taken.
        NotMade: when it can't be copied; nothing is left behind.
        LibraryBusy: when another Jutrek is at work in the library.
    """
    folder = os.path.dirname(path)
    if not folder:
        raise NotPossible(library.root, "a working file lies in a folder")
    with patiently(library, stop):
        _refuse_taken(library, f"{folder}/{name}", into=False)
        try:
            journal = Journal.begin(library, Kind.MAKE, {"act": "next version", "name": name})
        except OSError as error:
            raise of_place(library.root, library.own, error) from error
        try:
            pieces = [Piece(name, source=inside(path))]
            made = make(library, ledger, journal, folder, pieces, into=True, stop=stop)
            _end(journal, "done", len(made.files), len(made.left))
        except NotFinished:
            raise
        except Exception:
            _end(journal, "failed", 0, 1)
            raise
        finally:
            journal.close()
    if made.left:
        raise NotPossible(library.root, f"{shown(f'{folder}/{name}')} is there already")
    return made
