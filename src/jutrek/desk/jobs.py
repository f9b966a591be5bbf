"""Jobs for whichever face asks: what would be made, starting one, those that there are, versions of working files."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import TYPE_CHECKING, NamedTuple

from jutrek.captures import Say
from jutrek.desk.history import Step
from jutrek.errors import CantStart, NotPossible, shown
from jutrek.filing import HouseRules
from jutrek.filing.names import same_name
from jutrek.filing.rules import RuleError
from jutrek.jobs.blanks import CLIENT, JOB, TITLE
from jutrek.jobs.filling import Filled
from jutrek.jobs.job import Placed, job_above, rules_for
from jutrek.jobs.listed import Held, held, meant, placed_jobs, used_before, without_job
from jutrek.jobs.making import Whole, Wish, checked_values
from jutrek.jobs.numbers import claims, gaps, series_on
from jutrek.jobs.shelf import Kept, number_pattern, outline_of, outlines_of
from jutrek.jobs.versions import lines_of
from jutrek.library import drives_here, known_devices
from jutrek.transfer.starting import Start, Started, in_the_way, previewed, start_job

if TYPE_CHECKING:
    from jutrek.captures import Device
    from jutrek.jobs.numbers import Claim
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger


@dataclass(frozen=True, slots=True)
class Said:
    """What a person says of a job that is to be started.

    Attributes:
        outline: the name of its outline.
        values: what was filled in, by the names of blanks; a number under `job` is one that is wanted.
        with_, without: names of optional parts that are made, and that are not.
        devices: letters or names of devices; None for all that the house knows.
        day: on which it starts; None for today.
        into: whether its folder may be there already.
    """

    outline: str
    values: Mapping[str, str]
    with_: frozenset[str] = frozenset()
    without: frozenset[str] = frozenset()
    devices: Sequence[str] | None = None
    day: date | None = None
    into: bool = False


def start_of(library: Library, said: Said, rules: HouseRules, kept: Kept | None = None) -> Start:
    """A start from what was said.

    Args:
        library: the library.
        said: what was said.
        rules: the house rules.
        kept: the outline, where it is another than the library keeps: one that is being written.

    Raises:
        NotPossible: when the outline can't be used, or a part or device is named that there is none of.
        CantStart: where a blank is not filled in, or with what it does not take.
    """
    kept = kept or outline_of(library, said.outline)
    told = {name: text for name, text in said.values.items() if name != JOB}
    return _start(library, said, rules, kept, checked_values(kept.ready(library).blanks, told))


def _start(library: Library, said: Said, rules: HouseRules, kept: Kept, values: Mapping[str, str]) -> Start:
    outline = kept.ready(library)
    number = {JOB: said.values[JOB]} if said.values.get(JOB) else {}
    day = said.day or date.today()
    parts = {same_name(node.name): node.name for node in outline.optional}
    for name in (*said.with_, *said.without):
        if same_name(name) not in parts:
            known = ", ".join(parts.values()) or "none"
            raise NotPossible(library.root, f"“{name}” is no optional part of {kept.name}; there are: {known}")
    wish = Wish(
        Filled({**values, **number}, day, rules.language), frozenset(map(same_name, said.with_)),
        frozenset(map(same_name, said.without)), _devices(library, said.devices),
    )  # fmt: skip
    series = series_on(outline.series, number_pattern(library, outline.series), day, rules.language)
    return Start(kept.name, outline, wish, series, said.into)


def _devices(library: Library, wanted: Sequence[str] | None) -> list[Device]:
    known = sorted(known_devices(library).values(), key=lambda device: (len(device.letter), device.letter))
    if wanted is None:
        return known
    found = []
    for text in wanted:
        one = next((d for d in known if text.casefold() in (d.letter.casefold(), d.name.casefold())), None)
        if one is None:
            letters = ", ".join(device.letter for device in known) or "none"
            raise NotPossible(library.root, f"the house knows no device “{text}”; there are: {letters}")
        found.append(one)
    return found


def looked_ahead(library: Library, said: Said, rules: HouseRules, kept: Kept | None = None) -> tuple[Whole, str]:
    """What a start would make, and the job's number. Arguments are those of `start_of`.

    Errors are those of `start_of` and `starting.previewed`.
    """
    return previewed(library, start_of(library, said, rules, kept))


class Ahead(NamedTuple):
    """What a start would make, as far as that can be told by now.

    Attributes:
        whole: what would be made; dots stand for what is not filled in.
        number: that the job would get.
        lack: what keeps it from being started; None for nothing.
        there: the folder, where it is there already: it is written into only if somebody says so.
    """

    whole: Whole
    number: str
    lack: CantStart | None = None
    there: str = ""


def seen_ahead(library: Library, said: Said, rules: HouseRules, kept: Kept) -> Ahead:
    """What a start would make, also while not all of its blanks are filled in.

    Raises:
        NotPossible: as `start_of`.
        CantStart: where not even that can be told.
    """
    try:
        whole, number = looked_ahead(library, said, rules, kept)
        return Ahead(whole, number, there=in_the_way(library, whole.folder))
    except CantStart as lack:
        blanks = kept.ready(library).blanks
        told = {name: blank.meant(said.values.get(name, "")) or blank.usual for name, blank in blanks.items()}
        values = {name: text if text and not blanks[name].trouble_with(text) else _DOTS for name, text in told.items()}
        return Ahead(*previewed(library, _start(library, said, rules, kept, values)), lack)


_DOTS = "…"


def started(
    library: Library, ledger: Ledger, said: Said, rules: HouseRules, *,
    stop: threading.Event, look: Callable[[int], None] = lambda size: None,
) -> Started:  # fmt: skip
    """Start a job. Errors are those of `start_of` and `starting.start_job`."""
    return start_job(library, ledger, start_of(library, said, rules), stop=stop, look=look)


class JobSeen(NamedTuple):
    """A job with what lies in it.

    Attributes:
        placed: the job, where it lies.
        held: what lies in it.
        counts: of each part the name and how many files lie in it.
        is_away: whether it is on a drive that is not here.
    """

    placed: Placed
    held: Held
    counts: tuple[tuple[str, int], ...]
    is_away: bool = False

    @property
    def initials(self) -> str:
        """Who made the version of a working file that was changed last; empty where nobody is told."""
        lines = lines_of(self.held.files)
        return lines[0].newest.named.initials if lines else ""


class JobsSeen(NamedTuple):
    """All that is shown of a library's jobs.

    Attributes:
        jobs: the newest first.
        outlines: by which others are started.
        used: what was filled into blanks until now, by their names, the last ones first.
        devices: letters and names of those that the house knows.
        drives: the names of the archive drives that are here.
        idle: numbers that were given, and lead to no job.
        gaps: numbers that were passed over: spans, as they are written.
        bad: what is wrong, in sentences.
    """

    jobs: tuple[JobSeen, ...]
    outlines: tuple[Kept, ...]
    used: Mapping[str, Sequence[str]]
    devices: tuple[tuple[str, str], ...]
    drives: tuple[str, ...]
    idle: tuple[Claim, ...]
    gaps: tuple[str, ...]
    bad: tuple[str, ...]


def all_seen(library: Library, ledger: Ledger) -> JobsSeen:
    """All that is shown of a library's jobs."""
    jobs, idle, bad = jobs_seen(library, ledger)
    outlines, worse = outlines_of(library)
    devices = tuple((device.letter, device.name) for device in _devices(library, None))
    used = used_before(one.placed for one in jobs)
    drives = tuple(drive.name for drive in drives_here(library))
    return JobsSeen(tuple(jobs), tuple(outlines), used, devices, drives, tuple(idle), gaps_of(library), (*bad, *worse))


def gaps_of(library: Library) -> tuple[str, ...]:
    """Numbers of the library that were passed over: spans, as they are written."""
    return tuple(gaps(claims(library)))


def jobs_seen(library: Library, ledger: Ledger) -> tuple[list[JobSeen], list[Claim], list[str]]:
    """The jobs of a library with what lies in each, numbers that lead to none, and what is wrong, in sentences."""
    placed, bad = placed_jobs(library, ledger)
    lying = ledger.stored.lying(library.root)
    seen = []
    for one in placed:
        own = held(one, lying)
        counts = tuple((part.name, own.count(part.path)) for part in one.job.parts)
        away = bool(one.drive) and one.drive not in lying.here
        seen.append(JobSeen(one, own, counts, away))
    return seen, without_job(library, placed), bad


def job_at(library: Library, path: str) -> Placed | None:
    """The job in whose folder a path of the library lies; None where it lies in none."""
    return job_above(library.tree, path)


def intake_for(library: Library, ledger: Ledger, job: str, rules: HouseRules) -> tuple[HouseRules, dict[str, str]]:
    """The rules by which an intake lands in a job, and what is said of what it brings.

    Args:
        library: the library.
        ledger: its ledger, open.
        job: its number, or its folder.
        rules: the house rules.

    Raises:
        NotPossible: when there is no such job, or it is away, or no captures land in it.
    """
    placed = meant(placed_jobs(library, ledger)[0], job, library)
    return into_job(library, placed, rules), placed.job.said


def into_job(library: Library, placed: Placed, rules: HouseRules) -> HouseRules:
    """The rules by which captures come into a job. Errors are those of `intake_for`."""
    if placed.drive:
        raise NotPossible(library.root, f"{shown(placed.folder)} is stored away; fetch it first")
    if placed.landing is None:
        raise NotPossible(library.root, f"no captures land in job {shown(placed.job.number)} by its outline")
    try:
        return rules_for(placed, rules)
    except RuleError as error:
        raise NotPossible(library.root, f"job {shown(placed.job.number)}: {str(error).rstrip('.')}") from error


def step_into(library: Library, now: Step, house: HouseRules, folder: str) -> Step:
    """The step of an intake by which all that comes lands in a job; in none where the folder is empty.

    Args:
        library: the library.
        now: what was decided until now.
        house: the house rules.
        folder: of the job, relative to the library.

    Raises:
        NotPossible: when the folder is of no job, or no captures land in it.
    """
    rules = replace(
        now.rules, within="", layout=house.layout, name=house.name, schemes=house.schemes, developed=house.developed
    )
    said, words = dict.fromkeys((JOB, CLIENT, TITLE), ""), "what comes goes into no job"
    if folder:
        placed = job_at(library, folder)
        if placed is None:
            raise NotPossible(library.root, f"{shown(folder)} is not the folder of a job")
        rules, words = into_job(library, placed, rules), f"into job {placed.job.called}"
        said |= placed.job.said
    return Step(Say(said).on(now.decisions), rules, words)


def job_of_intake(library: Library, rules: HouseRules) -> Placed | None:
    """The job that an intake with these rules is for.

    Returns:
        None where it is for none.

    Raises:
        NotPossible: when the job's folder is not there any more.
    """
    if not rules.within:
        return None
    placed = job_above(library.tree, rules.within)
    if placed is None:
        what = "the folder of the job that this intake is for is not there any more; choose it anew"
        raise NotPossible(rules.within, what)
    return placed
