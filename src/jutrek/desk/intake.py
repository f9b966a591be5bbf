"""From sources to a plan, step by step, for whichever face asks: the window's session and the command line."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TYPE_CHECKING

from jutrek.captures import (
    RUNGS,
    Capture,
    Decisions,
    Heard,
    Journeys,
    ReadFile,
    Said,
    decided,
    group,
    named_after,
    propose,
)
from jutrek.desk.story import Story, devices_of, tell
from jutrek.doubles import NEW, Comparison, Standing, compare, pictures_of
from jutrek.doubles.belonging import belonging
from jutrek.doubles.beyond_bytes import Lookout, retagged
from jutrek.doubles.waiting import remembered
from jutrek.errors import SourceUnreadable, Stopped, reason
from jutrek.filing import HouseRules, Plan, make_plan
from jutrek.formats import Kind, read
from jutrek.library import Library, apart, known_devices, survey
from jutrek.library.spots import spots_of
from jutrek.sources import Left, Source, SourceFile, scan
from jutrek.whereabouts import Whereabouts

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[str, int, int], None]
"""Told what is going on, how far it is, and how far it goes (0 where that is not known yet)."""


@dataclass(slots=True)
class Found:
    """What reading a source found: its files with what they say, not yet dated, and what is left on it."""

    source: Source
    files: list[ReadFile] = field(default_factory=list)
    left: list[Left | tuple[SourceFile, str]] = field(default_factory=list)

    @property
    def size(self) -> int:
        """Bytes of all files that were read."""
        return sum(read_file.file.size for read_file in self.files)


def read_source(
    source: Source,
    library: Library | None,
    *,
    stop: threading.Event,
    report: Callable[[int, int], None],
    waits: Callable[[SourceFile], str] = lambda _: "",
) -> Found:
    """Walk a source and read what every file on it says.

    Args:
        library: left out where it lies inside the source.
        waits: tells why a file is not read yet; empty for one that is.
        report: told the number of files read, and of all files.

    Raises:
        SourceRefused: when the source lies inside the library.
        Stopped: when `stop` was set.
    """
    found = Found(source)
    leave_out = apart(source.root, library) if library else frozenset[str]()
    files: list[SourceFile] = []
    for thing in scan(source.root, leave_out=leave_out):
        _look(stop)
        if isinstance(thing, Left):
            found.left.append(thing)
        elif why := waits(thing):
            found.left.append(Left(thing.path, thing.root, why))
        else:
            files.append(thing)
    return read_files(found, files, stop=stop, report=report)


def read_files(
    found: Found, files: Sequence[SourceFile], *, stop: threading.Event, report: Callable[[int, int], None]
) -> Found:
    """Read what files of a source say; what was found before stays.

    Raises:
        Stopped: when `stop` was set.
    """
    for number, file in enumerate(files):
        _look(stop)
        report(number, len(files))
        _read_file(file, found)
    _take_sidecars(found)
    report(len(files), len(files))
    return found


def _read_file(file: SourceFile, found: Found) -> None:
    try:
        reading = read(file.path)
    except SourceUnreadable as trouble:
        found.left.append(Left(file.path, file.root, f"It could not be read: {reason(trouble.error)}."))
        return
    found.files.append(ReadFile(file, reading, None))


def _take_sidecars(found: Found) -> None:
    """Of what is no picture, clip or sound, take what is named after one; the rest is left."""
    others = [one for one in found.files if one.reading.kind is Kind.OTHER]
    if not others:
        return
    files = [one for one in found.files if one.reading.kind is not Kind.OTHER]
    sidecars = named_after(others, files)
    found.files = [one for one in found.files if one.reading.kind is not Kind.OTHER or one.file.path in sidecars]
    found.left += [
        (one.file, " ".join(one.reading.notes) or "It is no picture, clip or sound.")
        for one in others
        if one.file.path not in sidecars
    ]


def make_captures(
    founds: Sequence[Found], rules: HouseRules | None = None, *, split: frozenset[str] = frozenset()
) -> list[Capture]:
    """The captures of all sources, in the order of shooting, their moments decided together.

    A file that lies on two sources counts once.

    Args:
        rules: the house's zone and journeys, and which date it trusts.
        split: keys of devices that are another one on every source.
    """
    rules = rules or HouseRules()
    unique: dict[str, ReadFile] = {}
    for found in founds:
        for read_file in found.files:
            unique.setdefault(read_file.file.path, read_file)
    files = list(unique.values())
    home = Journeys(rules.zone, rules.journeys) if rules.zone is not None or rules.journeys else None
    ladder = [RUNGS[name] for name in rules.trust]
    said = [Said(read_file.file.root, read_file.file.path, read_file.reading) for read_file in files]
    moments = decided(said, home=home, ladder=ladder)
    dated = (replace(read_file, moment=moment) for read_file, moment in zip(files, moments, strict=True))
    return group(dated, split=split)


def standings_of(
    captures: Sequence[Capture],
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    report: Report,
    founds: Iterable[Found] = (),
) -> dict[str, Comparison]:
    """Survey the library, and tell where every file stands against it: by its bytes, and by its payload.

    Of equal files, one with a trusted date is the original.

    Args:
        founds: what else lies on the sources is compared by its bytes, too.

    Raises:
        LibraryMissing: when the library cannot be listed.
        Stopped: when `stop` was set.
    """
    survey(library, ledger, stop=stop, report=lambda seen: report("Looking through the library", seen, 0))
    ordered = sorted(captures, key=lambda capture: not capture.trusted)
    reads = [read_file for capture in ordered for read_file in capture.files]
    standings = compare(
        [*(read_file.file for read_file in reads), *_others(founds)],
        ledger,
        library.root,
        pictures=pictures_of(captures),
        stop=stop,
        report=lambda done: report("Comparing with the library", done, len(reads)),
    )
    standings |= belonging(captures, _others(founds), standings, ledger)
    standings |= retagged(reads, standings, ledger, library.root, stop=stop)
    return remembered([read_file.file for read_file in reads], standings, ledger)


def looked(
    captures: Sequence[Capture],
    standings: Mapping[str, Comparison],
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event,
    report: Report,
) -> dict[str, Comparison]:
    """Where captures stand by their looks. What of the library was not looked at yet is looked at first.

    Args:
        captures: those that are new.
        standings: as told until now, by path.
        library: the library.
        ledger: its ledger, open.
        stop: ends the work when it is set.
        report: is told how much is done, and of how much.

    Raises:
        Stopped: when `stop` was set. What was seen until then is kept.
    """
    from jutrek.doubles.learning import learn

    learn(library, ledger, stop=stop, report=partial(report, "Looking at the library"))
    lookout = Lookout(ledger, library.root, stop, partial(report, "Comparing pictures"))
    new = [one.primary for one in captures if standings.get(one.id, NEW).standing is Standing.NEW]
    found = lookout.standings(new, standings)
    return remembered([one.file for one in new if one.file.path in found], found, ledger)


def _others(founds: Iterable[Found]) -> Iterator[SourceFile]:
    """Files that are no captures, each once."""
    seen: set[str] = set()
    for found in founds:
        for thing in found.left:
            file = thing.file if isinstance(thing, Left) else thing[0]
            if file is not None and file.path not in seen:
                seen.add(file.path)
                yield file


def story_told(
    founds: Sequence[Found],
    captures: Sequence[Capture],
    library: Library,
    rules: HouseRules,
    decisions: Decisions,
    heard: tuple[Heard, ...] = (),
) -> Story:
    """What the captures of sources tell, by decisions, with the shifts that are proposed between their clocks.

    Args:
        founds: what was found on each source.
        captures: of all of them.
        library: the library.
        rules: the house rules.
        decisions: what was decided.
        heard: what devices heard of one another.
    """
    devices = devices_of([found.source for found in founds], captures, decisions, known_devices(library))
    where = Whereabouts(spots_of(library)[0])
    bare = tell(captures, devices, decisions, rules, (), whereabouts=where)
    proposals = propose(bare.captures, heard)
    if not (proposals or heard):
        return bare
    return tell(captures, devices, decisions, rules, proposals, heard, where)


def plan_of(
    founds: Sequence[Found],
    story: Story,
    library: Library,
    rules: HouseRules,
    standings: Mapping[str, Comparison],
    stored: Iterable[str] = (),
) -> Plan:
    """Make the plan of a story.

    Args:
        founds: what was found on each source.
        story: what was decided over their captures.
        library: the library.
        rules: the house rules.
        standings: where each file stands in the library, by path.
        stored: paths of files that lie on archive drives, whose names are taken.

    Raises:
        LibraryMissing: when a folder of the library cannot be listed.
    """
    left: dict[str, Left | tuple[SourceFile, str]] = {}
    for found in founds:
        for thing in found.left:
            left.setdefault(thing.path if isinstance(thing, Left) else thing[0].path, thing)
    return make_plan(library, rules, story.captures, standings, left.values(), story.wishes, stored)


def _look(stop: threading.Event) -> None:
    if stop.is_set():
        raise Stopped
