"""Sources of which everything is home: told by their bytes alone, without asking files for their dates.

A card that is put in again is the commonest case of all, and nothing of it has to be named or placed.
"""

from __future__ import annotations

import os
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial

from jutrek.captures import without_edit
from jutrek.desk.intake import Report
from jutrek.doubles import Comparison, Standing, compare
from jutrek.errors import SourceUnreadable, Stopped, shown
from jutrek.filing import Action, HouseRules, Plan, Row, make_plan
from jutrek.formats import MEDIA_SUFFIXES, Kind, read
from jutrek.library import Library, apart, survey
from jutrek.library.ledger import Ledger
from jutrek.sources import Left, Source, SourceFile, scan

_FIRST = 200
"""So many of the files that came last are looked at before all others."""
_OTHERS = 100
"""So many files that are no captures a card may hold besides; with more of them it is read as any other."""


def plan_of_known(
    sources: Sequence[Source],
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    *,
    stop: threading.Event,
    report: Report,
) -> Plan | None:
    """The plan of sources of which every capture is home; None where anything is new, or has to be looked at.

    Args:
        sources: in their order.
        library: the library.
        ledger: its ledger, open.
        rules: the house rules.
        stop: ends the work when it is set.
        report: is told how much is done, and of how much.

    Raises:
        SourceRefused: when a source lies inside the library.
        LibraryMissing: when the library cannot be listed.
        Stopped: when `stop` was set.
    """
    survey(library, ledger, stop=stop, report=lambda seen: report("Looking through the library", seen, 0))
    left: list[Left | tuple[SourceFile, str]] = []
    files: dict[str, SourceFile] = {}
    for source in sources:
        for thing in scan(source.root, leave_out=apart(source.root, library)):
            if stop.is_set():
                raise Stopped
            if isinstance(thing, Left):
                left.append(thing)
            else:
                files[thing.path] = thing
    stands = _all_known(list(files.values()), library, ledger, stop, partial(report, "Comparing with the library"))
    if stands is None:
        return None
    others = [file for path, file in files.items() if stands[path].standing is not Standing.HOME]
    at_home = {_stem(path) for path in files.keys() - {file.path for file in others}}
    for file in others:
        try:
            reading = read(file.path)
        except SourceUnreadable:
            return None
        if reading.kind is not Kind.OTHER or not at_home.isdisjoint(_stems(file.path)):
            return None
        left.append((file, " ".join(reading.notes) or "It is no picture, clip or sound."))
    plan = make_plan(library, rules, (), stands, left)
    known = [_row(file, stands[file.path]) for file in files.values() if stands[file.path].standing is Standing.HOME]
    return Plan(plan.library, plan.library_id, plan.rules, (*known, *plan.rows))


def _all_known(
    files: list[SourceFile], library: Library, ledger: Ledger, stop: threading.Event, report: Callable[[int, int], None]
) -> dict[str, Comparison] | None:
    """Where files stand; None as soon as too many of them are not home. What came last is looked at first."""
    stands: dict[str, Comparison] = {}
    pictures = _pictures_of(files)
    others = [file for file in files if file.path not in pictures]
    for part in (others[-_FIRST:], others[:-_FIRST], [file for file in files if file.path in pictures]):
        stands |= compare(
            part,
            ledger,
            library.root,
            pictures=pictures,
            before=stands,
            stop=stop,
            report=lambda done: report(done, len(files)),
        )
        strangers = sum(one.standing is not Standing.HOME for one in stands.values())
        if strangers > min(_OTHERS, len(files) // 2):
            return None
    return stands


def _pictures_of(files: Iterable[SourceFile]) -> Mapping[str, tuple[str, ...]]:
    """The pictures that sidecars may belong to, by what they are called; those without any are left out."""
    by_stem: dict[str, list[str]] = defaultdict(list)
    sidecars = []
    for file in files:
        if _is_media(file.path):
            by_stem[_stem(file.path)].append(file.path)
        else:
            sidecars.append(file.path)
    found = {path: tuple(one for stem in _stems(path) for one in by_stem.get(stem, ())) for path in sidecars}
    return {path: own for path, own in found.items() if own}


def _is_media(path: str) -> bool:
    return os.path.splitext(path)[1].lower() in MEDIA_SUFFIXES


def _stem(path: str) -> str:
    return os.path.splitext(path)[0].casefold()


def _stems(path: str) -> set[str]:
    """What a file is called that this one may be a sidecar of."""
    stem = _stem(path)
    return {stem, without_edit(stem), os.path.splitext(stem)[0]}


def _row(file: SourceFile, stands: Comparison) -> Row:
    why = f"Exactly the same file is home as {shown(stands.equal)}."
    return Row(file.path, file.root, Action.HOME, stands.equal, why, file.size, file.mtime_ns)
