"""The working files of jobs for whichever face asks: their versions, the next one, and names that tell none."""

from __future__ import annotations

import os
import threading
from collections.abc import Collection
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from jutrek.desk.jobs import JobSeen
from jutrek.desk.places import places_of
from jutrek.disk import Outside, inside
from jutrek.errors import NotPossible, reason, shown
from jutrek.filing import Action, HouseRules, Plan, Row
from jutrek.jobs.versions import Line, Vague, lines_of, vague_among
from jutrek.transfer import refile
from jutrek.transfer.journal import Kind
from jutrek.transfer.orders import Orders
from jutrek.transfer.starting import make_version

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.making import MadeRun


@dataclass(frozen=True, slots=True)
class Work:
    """The working files of a folder, or of a job.

    Attributes:
        lines: those that tell versions, those changed last first.
        vague: those whose names are to tell a version and do not.
    """

    lines: tuple[Line, ...]
    vague: tuple[Vague, ...]


def working_files(one: JobSeen, known: Collection[str] = (), initials: str = "") -> Work:
    """The working files of a job; what lies where captures land is none.

    Args:
        one: the job.
        known: initials that the house knows.
        initials: who is at work.
    """
    lands = one.placed.job.lands
    files = [file for file in one.held.files if not lands or not file[0].startswith(f"{lands}/")]
    lines = lines_of(files, known)
    return Work(tuple(lines), tuple(vague_among([path for path, _, _ in files], lines, initials)))


class Next(NamedTuple):
    """The next version of a working file: which it is copied from, and what it is called."""

    newest: str
    name: str


def next_version(library: Library, path: str, initials: str = "") -> Next:
    """What the next version of a working file would be: of whichever version is named, the newest is meant.

    Args:
        library: the library.
        path: of any of its versions, relative to the library.
        initials: who works on it; empty for those of the newest.

    Raises:
        NotPossible: when its name tells no version, or it is not there.
    """
    folder, name = os.path.split(path)
    if initials and (not initials.isalpha() or not 2 <= len(initials) <= 4):
        raise NotPossible(library.root, f"“{initials}” are no initials: two to four letters are")
    try:
        at = inside(folder) if folder else None
        with library.tree.hold(at) as held_folder:
            names = library.tree.names(at)
            files = [
                (f"{folder}/{one}" if folder else one, status.st_size, status.st_mtime_ns)
                for one in (library.tree.regular_names(at) if at is not None else ())
                if (status := held_folder.found(inside(f"{folder}/{one}"))) is not None
            ]
    except (OSError, Outside) as error:
        why = reason(error) if isinstance(error, OSError) else str(error)
        raise NotPossible(library.root, f"{shown(folder)} can't be read: {why}") from error
    if name not in names:
        raise NotPossible(library.root, f"there is no {shown(path)} in it")
    line = next((one for one in lines_of(files, [initials]) if any(v.name == name for v in one.versions)), None)
    if line is None:
        vague = {os.path.basename(one.path): one.proposed for one in vague_among([p for p, _, _ in files], [])}
        more = f"; it could be called “{vague[name]}”" if name in vague else ", such as “v01”"
        raise NotPossible(library.root, f"{shown(name)} tells no version{more}")
    return Next(line.newest.path, line.next_name(names, initials))


def make_next(
    library: Library, ledger: Ledger, path: str, initials: str = "", *, stop: threading.Event
) -> tuple[Next, MadeRun]:
    """Copy the newest version of a working file under the next name that nobody has.

    Raises:
        NotPossible: as `next_version`.
        NotMade: when it can't be copied; nothing is left behind.
    """
    found = next_version(library, path, initials)
    return found, make_version(library, ledger, found.newest, found.name, stop=stop)


def called_so(library: Library, ledger: Ledger, path: str, name: str, *, stop: threading.Event) -> str:
    """Give a working file the name that was proposed for it: a run of its own, which is taken back like any tidying.

    Raises:
        NotPossible: when it is gone, or the name is taken.

    Returns:
        The run.
    """
    old, new = inside(path), inside(path).beside(name)
    status = library.tree.found(old)
    if status is None or library.tree.found(new) is not None:
        why = f"{shown(name)} is there already" if status is not None else f"{shown(path)} is gone"
        raise NotPossible(library.root, why)
    row = Row(
        library.tree.at(old), library.root, Action.MOVE, str(new), f"Called {name}.", status.st_size, status.st_mtime_ns
    )
    plan = Plan(library.root, library.id, HouseRules(), (row,))
    orders = Orders(Kind.TIDY, by_hand=True, head={"act": "renamed", "name": name})
    outcome = refile(plan, library, ledger, stop=stop, orders=orders, places=places_of(library).here)
    if outcome.home != 1:
        raise NotPossible(library.root, f"{shown(path)} was not renamed: {outcome.why or 'something is in the way'}")
    return outcome.run
