"""What is done around intakes, for whichever face asks: places, finishing, taking back, and what an intake leaves."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.desk.records import Record, records_of
from jutrek.disk import have_folder
from jutrek.errors import NotPossible, PageBroken, PlaceUnusable, reason, shown
from jutrek.filing import HouseRules, OnChanged
from jutrek.library import Library, Place, add_place, connected, known_places, new_library, numbers_given
from jutrek.library.devicelist import damaged_devices
from jutrek.library.kept import damaged_kept
from jutrek.library.places import damaged_places
from jutrek.library.unwanted import damaged_unwanted
from jutrek.sources import mounts
from jutrek.transfer import Listener, Outcome, Steering, bring, plan_finishing
from jutrek.transfer.accounts import account_of, runs
from jutrek.transfer.catching_up import Lacking, bring_changed_home, catch_up, with_the_librarys
from jutrek.transfer.hash_lists import write_hash_lists
from jutrek.transfer.journal import number_of

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[int, int], None]


@dataclass(frozen=True, slots=True)
class Places:
    """The places of a library besides itself: those that are connected, where they are now, and those that are not."""

    here: tuple[Place, ...] = ()
    away: tuple[Place, ...] = ()

    def named(self, name: str) -> Place | None:
        """A connected place by its name or the beginning of its id."""
        return next((one for one in self.here if name in (one.name, one.root) or one.id.startswith(name)), None)

    def without(self, names: Sequence[str]) -> Places:
        """The places but for those of some names or ids.

        Raises:
            PlaceUnusable: for a name that none bears.
        """
        unwanted = set(names)
        for name in names:
            if not any(name in (one.name, one.id) for one in (*self.here, *self.away)):
                raise PlaceUnusable(name, "it is no place of this library")
        return Places(
            tuple(one for one in self.here if not {one.name, one.id} & unwanted),
            tuple(one for one in self.away if not {one.name, one.id} & unwanted),
        )


def places_of(library: Library) -> Places:
    """Look for the places of a library."""
    tops = [mount.point for mount in mounts()]
    here, away = [], []
    for place in known_places(library):
        found = connected(place, tops)
        if found is not None:
            here.append(found)
        else:
            away.append(place)
    return Places(tuple(here), tuple(away))


def troubles_of(library: Library) -> list[str]:
    """A sentence for everything that is damaged in the pages that a library keeps. Each costs only itself."""
    found = [
        *damaged_places(library), *damaged_devices(library), *damaged_kept(library), *damaged_unwanted(library),
    ]  # fmt: skip
    try:
        numbers_given(library)
    except PageBroken as error:
        found.append(str(error))
    return found


def furnish(library: str, folder: str) -> None:
    """Give a library a place in a folder, which is made, unless it has one.

    Raises:
        LibraryTrouble: when that cannot be.
    """
    home = new_library(library)
    if not known_places(home):
        have_folder(folder)
        add_place(home, folder)


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
    library: Library, run: str, rules: HouseRules, places: Places, *, stop: threading.Event, report: Report
) -> Left:
    """Write the report of an intake, and its hash lists where house rules want them.

    Raises:
        Stopped: when `stop` was set.
    """
    if not run:
        return Left()
    from jutrek.desk.report import write_report

    lists: tuple[str, ...] = ()
    try:
        account = account_of(library, run)
        if not account.done:
            return Left()
        if rules.hash_lists:
            lists = tuple(write_hash_lists(account, library, places.here))
        return Left(write_report(account, library, stop=stop, report=report), lists)
    except OSError as error:
        return Left("", lists, f"The report could not be written: {reason(error)}.")


def caught_up(
    wanted: Lacking,
    library: Library,
    ledger: Ledger,
    right: OnChanged,
    *,
    stop: threading.Event,
    listener: Listener | None = None,
    steering: Steering | None = None,
) -> Outcome:
    """Bring a place what it lacks, and settle what was changed there.

    Args:
        right: which version is right; where a person is to be asked, what was changed is left as it is.

    Raises:
        LibraryBusy: when another Jutrek is at work in the library.
        LibraryTrouble: when the library or the place has no room, or cannot be written.
    """
    came = Outcome()
    if right is OnChanged.LIBRARY:
        wanted = with_the_librarys(wanted, library, ledger)
    elif right is OnChanged.COPY:
        came = bring_changed_home(wanted, library, ledger, stop=stop, listener=listener, steering=steering)
    if came.trouble is not None or not (wanted.rows or wanted.moves or wanted.damaged):
        return came
    outcome = catch_up(wanted, library, ledger, stop=stop, listener=listener, steering=steering)
    outcome.done += came.done
    outcome.remarks += came.remarks
    return outcome


def finish(
    library: Library,
    ledger: Ledger,
    run: str,
    rules: HouseRules,
    places: Places,
    *,
    stop: threading.Event,
    listener: Listener,
    steering: Steering | None = None,
) -> Outcome:
    """Bring home what an intake left, reading only what is not proven.

    Raises:
        NotPossible: when it cannot be finished.
    """
    plan = plan_finishing(library, run, rules)
    return bring(
        plan, library, ledger, stop=stop, listener=listener, places=places.here, steering=steering, continues=run
    )


def run_named(library: Library, text: str) -> str:
    """A run by its name in the journal, by its number, or by how its name begins.

    Raises:
        NotPossible: when no run, or more than one, is meant.
    """
    known = runs(library)
    number = text.removeprefix("#")
    found = [run for run in known if run == text]
    found = found or [run for run in known if number.isdecimal() and number_of(run) == int(number)]
    found = found or [run for run in known if text and run.startswith(text)]
    if len(found) == 1:
        return found[0]
    several = f"{shown(text)} may be {', '.join(found)}" if found else f"no run {shown(text)} is in its journal"
    raise NotPossible(library.root, several)


def newest(library: Library, wanted: Callable[[Record], bool], what: str) -> Record:
    """The newest record of a kind.

    Raises:
        NotPossible: when there is none.
    """
    found = next((record for record in records_of(library, verify=False) if wanted(record)), None)
    if found is None:
        raise NotPossible(library.root, f"there is no run in its journal that {what}")
    return found
