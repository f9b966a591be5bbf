"""Bringing home what rests in an inbox, and clearing it of what is proven, as house rules say."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jutrek.captures import Decisions
from jutrek.desk.doubling import with_doubles
from jutrek.desk.finishing import leave_papers
from jutrek.desk.intake import Found, make_captures, plan_of, read_files, standings_of, story_told
from jutrek.desk.places import Places
from jutrek.errors import PageBroken, SourceUnreadable
from jutrek.filing import Action, Cleared, HouseRules
from jutrek.library import Library, keep_devices, survey
from jutrek.sources import SourceFile, known_source
from jutrek.transfer import Listener, bring
from jutrek.transfer.clearing import Way, clear
from jutrek.transfer.release import release

if TYPE_CHECKING:
    from jutrek.desk.story import Story
    from jutrek.filing import Plan
    from jutrek.library.ledger import Ledger

Report = Callable[[str, int, int], None]
_WAYS = {Cleared.TRASH: Way.TRASH, Cleared.FOR_GOOD: Way.REMOVE}


@dataclass(frozen=True, slots=True)
class Brought:
    """What came of what rested in an inbox.

    Attributes:
        run: of the journal; empty where nothing was to come.
        home: paths of files that are home now, those that were before among them.
        came: how many of them came just now.
        waits: files that are not brought by themselves, each with the reason.
        failed: files that could not be brought, likewise.
        trouble: what ended it early, or did not work besides, in a sentence.
    """

    run: str = ""
    home: frozenset[str] = frozenset()
    came: int = 0
    waits: tuple[tuple[str, str], ...] = ()
    failed: tuple[tuple[str, str], ...] = ()
    trouble: str = ""


def together_with(files: Sequence[SourceFile], others: Iterable[SourceFile]) -> list[SourceFile]:
    """Files, and those that may belong to one press with them: of the same stem in the same folder."""
    wanted = {_press(one.path) for one in files}
    own = {one.path for one in files}
    return [*files, *(one for one in others if one.path not in own and _press(one.path) in wanted)]


def _press(path: str) -> str:
    folder, name = os.path.split(path)
    return os.path.join(folder, name.split(".", 1)[0].casefold())


def bring_rested(
    root: str,
    files: Sequence[SourceFile],
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    places: Places,
    *,
    stop: threading.Event,
    report: Report = lambda what, done, total: None,
) -> Brought:
    """Bring home what rests in an inbox, as far as nothing about it is doubtful.

    Args:
        root: of the inbox.
        files: that rest.
        library: the library.
        ledger: its ledger, open.
        rules: the house's.
        places: those that are known.
        stop: ends the work when it is set.
        report: told what is going on.

    Raises:
        SourceUnreadable: when the inbox is not there.
        LibraryTrouble: when the library cannot be used.
        Stopped: when `stop` was set before anything came.
    """
    story, plan = _planned(root, files, library, ledger, rules, stop, report)
    with contextlib.suppress(PageBroken, OSError):
        # A list of devices that can't be written now is written the next time.
        keep_devices(library, story.devices.values())
    outcome = bring(
        plan, library, ledger, stop=stop, places=places.here,
        listener=Listener(progress=lambda run: report("Bringing home", run.files, run.all_files)),
    )  # fmt: skip
    papers = leave_papers(library, ledger, outcome.run, rules, places, stop=threading.Event(), report=lambda *_: None)
    home = {done.row.source for done in outcome.done if done.home}
    arrived = {done.row.destination for done in outcome.done if done.home}
    known = {
        row.source
        for row in plan.rows
        if row.action is Action.HOME or (row.action is Action.TWIN and row.destination in arrived)
    }
    waits = tuple((row.source, row.why) for row in plan.rows if row.action is Action.STAY)
    failed = tuple((done.row.source, done.why) for done in outcome.done if not done.home)
    trouble = outcome.why if outcome.trouble is not None or outcome.failed else papers.trouble
    return Brought(outcome.run, frozenset(home | known), len(home), waits, failed, trouble)


def home_among(
    root: str,
    files: Sequence[SourceFile],
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    *,
    stop: threading.Event,
) -> frozenset[str]:
    """The paths of those files of an inbox that are home by now. Arguments and errors as `bring_rested`."""
    plan = _planned(root, files, library, ledger, rules, stop, lambda what, done, total: None)[1]
    return frozenset(row.source for row in plan.rows if row.action is Action.HOME)


def _planned(
    root: str,
    files: Sequence[SourceFile],
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    stop: threading.Event,
    report: Report,
) -> tuple[Story, Plan]:
    """What is known of files of an inbox, and what would become of them."""
    try:
        found = Found(known_source(root))
    except OSError as error:
        raise SourceUnreadable(root, error) from error
    read_files(found, files, stop=stop, report=lambda done, total: report("Reading", done, total))
    _learn_content(library, ledger, stop, report)
    captures = make_captures([found], rules)
    story = story_told([found], captures, library, rules, Decisions())
    standings = standings_of(story.captures, library, ledger, stop=stop, report=report, founds=[found])
    story = with_doubles(story, standings, rules, Decisions())
    return story, plan_of([found], story, library, rules, standings, ledger.stored.all())


def _learn_content(library: Library, ledger: Ledger, stop: threading.Event, report: Report) -> None:
    """Read what was not looked at yet at home: what comes again with other notes is known by its picture then."""
    from jutrek.doubles.learning import Lesson

    survey(library, ledger, stop=stop)
    lesson = Lesson(library, ledger)
    try:
        while not lesson.knows_content:
            lesson.go_on(stop, lambda done, total: report("Looking at files", done, total))
    finally:
        lesson.close()


@dataclass(frozen=True, slots=True)
class ClearedOut:
    """What went from an inbox.

    Attributes:
        gone: paths of files that went.
        stays: those that did not, each with the reason.
    """

    gone: frozenset[str] = frozenset()
    stays: tuple[tuple[str, str], ...] = ()


def clear_rested(
    root: str,
    paths: Collection[str],
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    places: Places,
    *,
    stop: threading.Event,
) -> ClearedOut:
    """Clear an inbox of files that are home, where the house rule says so: only what is proven in the library and every
    backup, read again for it, goes.

    Args:
        root: of the inbox.
        paths: of the files.
        library: the library.
        ledger: its ledger, open.
        rules: the house's.
        places: those that are known; while one of them is away nothing goes.
        stop: ends the work when it is set.

    Raises:
        SourceUnreadable: when the inbox is not there.
        LibraryBusy: when another Jutrek is at work in the library.
        Stopped: when `stop` was set.
    """
    way = _WAYS.get(rules.cleared)
    if way is None or not paths:
        return ClearedOut()
    if places.away:
        away = ", ".join(place.name for place in places.away)
        return ClearedOut(stays=tuple((path, f"{away} is not connected.") for path in sorted(paths)))
    try:
        source = known_source(root)
    except OSError as error:
        raise SourceUnreadable(root, error) from error
    proven = release(
        source, library, ledger, places.here, days=rules.proof_days, only=frozenset(paths), stop=stop
    )  # fmt: skip
    cleared = clear(proven, library, ledger, places.here, way, stop=stop)
    stayed = dict(cleared.stayed)
    gone = frozenset(one.path for one in proven.files if one.path not in stayed and not os.path.lexists(one.path))
    return ClearedOut(gone, tuple(stayed.items()))
