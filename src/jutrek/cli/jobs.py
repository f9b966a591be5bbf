"""`jutrek start`, `jobs`, `next` and `outline`: jobs that are started alike, and the versions of working files."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NamedTuple

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, pointed_at, say
from jutrek.cli.tidying import Look, Paths, Taken, That
from jutrek.errors import CantStart, LibraryBusy, NotPossible, shown
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.jobs.making import Whole
    from jutrek.jobs.outline import OutlineError
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger

jobs_app = typer.Typer(help="The jobs of the house: where each lies, what lies in it, and their numbers.")
outline_app = typer.Typer(
    help="Outlines: folders and starter files by which jobs are started alike.", no_args_is_help=True
)
DONE, NOT_ALL, WRONG = 0, 1, 2

_Name = Annotated[str, typer.Argument(help="The name of an outline.")]
_Look = Annotated[bool, typer.Option("--dry-run", help="Only say what would be made.")]
_Set = Annotated[
    list[str] | None,
    typer.Option(
        "--set", metavar="BLANK=WORDS", help="Fill in a blank: client=VLT; job=0119 for a number of your own."
    ),
]
_Parts = Annotated[list[str] | None, typer.Option("--with", metavar="PART", help="Make an optional part, too.")]
_Without = Annotated[list[str] | None, typer.Option("--without", metavar="PART", help="Leave out an optional part.")]
_Devices = Annotated[
    str | None,
    typer.Option("--devices", metavar="A,B", help="For which devices a line “each device” is made; else for all."),
]


_Optional = Annotated[
    Path | None, typer.Option("--library", "-l", help="The library's root folder; else the one used last.")
]


class House(NamedTuple):
    """A library with its ledger."""

    home: Library
    ledger: Ledger


@contextmanager
def opened(path: os.PathLike[str] | str, *, looks: bool = False) -> Iterator[House]:
    """A library that is worked in: what a kill left is cleared up, as soon as nobody else is at work in it.

    Args:
        path: of the library.
        looks: whether it is only looked at, also while another Jutrek is at work in it.
    """
    from jutrek.library import open_library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.starting import recovered_patiently

    home = open_library(str(path))
    with Ledger(home.ledger_path) as ledger:
        try:
            for leftover in recovered_patiently(home, ledger, stop_on_interrupt(), seconds=0 if looks else None):
                for trouble in leftover.troubles:
                    complain(trouble)
        except LibraryBusy:
            if not looks:
                raise
        yield House(home, ledger)


def start_command(
    outline: _Name,
    library: LibraryOption,
    set_: _Set = None,
    with_: _Parts = None,
    without: _Without = None,
    devices: _Devices = None,
    day: Annotated[datetime | None, typer.Option("--day", help="Another day than today.", formats=["%Y-%m-%d"])] = None,
    into: Annotated[bool, typer.Option("--into", help="Its folder may be there; nothing in it is replaced.")] = False,
    dry_run: _Look = False,
    as_json: AsJson = False,
) -> None:
    """Start a job by an outline: its folders, its starter files, and a number that nobody else has."""
    from jutrek.cli.planning import house_of
    from jutrek.desk.jobs import Said, looked_ahead, started

    said = Said(
        outline, _blanks(set_ or []), frozenset(with_ or ()), frozenset(without or ()),
        [one.strip() for one in devices.split(",") if one.strip()] if devices is not None else None,
        day.date() if day else None, into,
    )  # fmt: skip
    try:
        with opened(library, looks=dry_run) as (home, ledger):
            rules = house_of(str(library))
            if dry_run:
                whole, number = looked_ahead(home, said, rules)
                _tell_made(home, whole, number, as_json=as_json, would=True)
                return
            done = started(home, ledger, said, rules, stop=stop_on_interrupt())
    except CantStart as error:
        complain(error)
        raise typer.Exit(WRONG) from error
    _tell_made(home, done.whole, done.placed.job.number, as_json=as_json, would=False)
    for path in done.made.left:
        say(f"{shown(path)} was there already, and stays as it was.")
    from jutrek.transfer.journal import number_of

    run = done.made.run
    say(
        f"Job {done.placed.job.number} is started: {_counts(done.whole)}. "
        f"`jutrek take-back {number_of(run) or run}` takes it back while nothing else lies in it."
    )


def _blanks(said: list[str]) -> dict[str, str]:
    found = {}
    for one in said:
        name, equals, text = one.partition("=")
        if not equals or not name.strip():
            raise typer.BadParameter(f"“{one}”: write a blank as client=VLT")
        found[name.strip().lower()] = " ".join(text.split())
    return found


def _counts(whole: Whole) -> str:
    return f"{counted(whole.folders, 'folder')} and {counted(whole.files, 'starter file')}"


def _tell_made(home: Library, whole: Whole, number: str, *, as_json: bool, would: bool) -> None:
    paths = [f"{whole.folder}/{one.path}" if one.path else whole.folder for one in whole.made]
    if as_json:
        tell_json({"folder": os.path.join(home.root, whole.folder), "job": number, "made": [] if would else paths}
                  | ({"would_make": paths} if would else {}))  # fmt: skip
        return
    if would:
        for one, path in zip(whole.made, paths, strict=True):
            out(path + ("/" if one.starter is None else ""), "captures land here" if one.lands else "")
        say(f"It would be job {number}: {_counts(whole)}. Nothing is made yet.")
        return
    out(os.path.join(home.root, whole.folder))


@jobs_app.callback(invoke_without_command=True)
def jobs_command(context: typer.Context, library: _Optional = None, as_json: AsJson = False) -> None:
    """The jobs of the house, the newest first, with how many files lie in each of their parts."""
    if context.invoked_subcommand is not None:
        return
    from jutrek.cli.library import named, used_last
    from jutrek.desk.jobs import gaps_of, jobs_seen
    from jutrek.library import survey

    with opened(used_last() if library is None else named(library), looks=True) as (home, ledger):
        survey(home, ledger)
        seen, idle, bad = jobs_seen(home, ledger)
        passed = gaps_of(home)
    for one in seen:
        job, changed = one.placed.job, one.held.changed_ns
        parts = ", ".join(f"{name} {count}" for name, count in one.counts)
        if as_json:
            tell_json({
                "job": job.number, "client": job.client, "title": job.title, "started": job.started,
                "outline": job.outline, "folder": os.path.join(home.root, one.placed.folder),
                "blanks": dict(job.blanks), "parts": dict(one.counts), "changed": _moment(changed), "away": one.is_away,
                "lands": one.placed.landing,
            })  # fmt: skip
        else:
            out(job.number, job.client, job.title, job.started, one.placed.folder, "away" if one.is_away else parts)
    for claim in idle:
        when = f" on {claim.at[:10]}" if claim.at else ""
        say(f"The number {claim.written} was given{when} and leads to no job.")
    for span in passed:
        say(f"The number {span} was passed over." if " " not in span else f"The numbers {span} were passed over.")
    for trouble in bad:
        complain(trouble)
    if not as_json:
        say(f"{counted(len(seen), 'job')}.")


def _moment(ns: int) -> str | None:
    return datetime.fromtimestamp(ns / 1e9).astimezone().isoformat(timespec="seconds") if ns else None


@jobs_app.command("keep-number")
def keep_number_command(
    library: LibraryOption,
    series: Annotated[str, typer.Option("--series", help="The series that counts it.")] = "jobs",
    as_json: AsJson = False,
) -> None:
    """Take the next free number for a job that is started later, with --set job=NUMBER."""
    from datetime import date

    from jutrek.cli.planning import house_of
    from jutrek.jobs.numbers import claim, series_on
    from jutrek.jobs.shelf import number_pattern
    from jutrek.transfer.journal import now, who
    from jutrek.transfer.starting import patiently

    language = house_of(str(library)).language
    with opened(library) as (home, _), patiently(home, stop_on_interrupt()):
        wanted = series_on(series, number_pattern(home, series), date.today(), language)
        kept = claim(home, wanted, job="", run="", at=now(), who=who())
    tell_json({"job": kept.written, "series": series}) if as_json else out(kept.written)
    say(f"The number {kept.written} is kept. `jutrek jobs give-back {kept.written}` gives it back.")


@jobs_app.command("give-back")
def give_back_command(
    number: Annotated[str, typer.Argument(help="A number, as it is written.")], library: LibraryOption
) -> None:
    """Give a number back that leads to no job."""
    from jutrek.desk.jobs import jobs_seen
    from jutrek.jobs.numbers import give_back
    from jutrek.library import survey
    from jutrek.transfer.starting import patiently

    with opened(library) as (home, ledger):
        survey(home, ledger)
        seen, idle, _ = jobs_seen(home, ledger)
        if any(one.placed.job.number == number for one in seen):
            raise NotPossible(home.root, f"{number} is the number of a job; it is not given back")
        found = [one for one in idle if one.written == number]
        if not found:
            raise NotPossible(home.root, f"the number {number} was not given")
        with patiently(home, stop_on_interrupt()):
            for one in found:
                give_back(home, one)
    say(f"The number {number} is free again.")


@jobs_app.command("take")
def take_command(
    job: Annotated[str, typer.Argument(help="A job, by its number or its folder.")],
    library: LibraryOption,
    paths: Paths = None,
    that: That = "",
    copy: Annotated[bool, typer.Option("--copy", help="Copy captures, proven, instead of moving them.")] = False,
    taken: Taken = None,
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Take captures that are at home along into a job: to where its captures land."""
    from jutrek.cli.planning import house_of, working
    from jutrek.cli.tidying import captures_meant, carry_out, ready
    from jutrek.desk.jobs import intake_for
    from jutrek.desk.naming_anew import placed_by
    from jutrek.desk.tidying import going

    with ready(library) as house:
        rules, _ = intake_for(house.home, house.ledger, job, house_of(str(library)))
        wholes, left = captures_meant(house, paths or [], that)
        with working() as report:
            wishes = placed_by(
                house.home, house.ledger, rules, wholes, stop=stop_on_interrupt(),
                report=lambda done, total: report("Reading the library", done, total),
            )  # fmt: skip
        wanted = going(house.home, wishes, f"into job {job}", left, copies=copy)
        carry_out(house, wanted, taken, look=look, as_json=as_json)


def next_command(
    file: Annotated[Path, typer.Argument(help="A working file: any of its versions.", exists=True, dir_okay=False)],
    initials: Annotated[str, typer.Option("--initials", help="Who works on it: RK.")] = "",
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what it would be called.")] = False,
    library: Annotated[
        Path | None, typer.Option("--library", "-l", help="The library; else the one that the file lies in.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Copy the newest version of a working file under the next name that nobody has, and print it."""
    from jutrek.desk.working_files import make_next, next_version
    from jutrek.library.identity import is_library

    whole = os.path.abspath(file)
    root = str(library) if library is not None else os.path.dirname(whole)
    while library is None and not is_library(root):
        if root == os.path.dirname(root):
            raise NotPossible(whole, "it lies in no library; name one with --library")
        root = os.path.dirname(root)
    with opened(root, looks=dry_run) as (home, ledger):
        path = os.path.relpath(whole, home.root)
        if dry_run:
            found = next_version(home, path, initials)
        else:
            found, _ = make_next(home, ledger, path, initials, stop=stop_on_interrupt())
    made = os.path.join(os.path.dirname(whole), found.name)
    if as_json:
        tell_json({"file": made, "copied_from": os.path.join(home.root, found.newest), "made": not dry_run})
    else:
        out(made)


@outline_app.command("list")
def list_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the outlines of the house."""
    from jutrek.jobs.shelf import outlines_of
    from jutrek.library import open_library

    found, bad = outlines_of(open_library(str(library)))
    for one in found:
        about = one.outline.about if one.outline else ""
        if as_json:
            asks = {name: blank.needed for name, blank in one.outline.blanks.items()} if one.outline else {}
            tell_json({"name": one.name, "about": about, "blanks": asks, "trouble": str(one.trouble or "") or None})
        else:
            out(one.name, about or (str(one.trouble) if one.trouble else ""))
    for trouble in bad:
        complain(trouble)


@outline_app.command("check")
def check_command(name: _Name, library: LibraryOption) -> None:
    """Check an outline: what can't be used is pointed at."""
    from jutrek.jobs.shelf import outline_of
    from jutrek.library import open_library

    kept = outline_of(open_library(str(library)), name)
    if kept.trouble is not None:
        complain(f"{kept.name}: {kept.trouble}")
        _point_at(kept.text, kept.trouble)
        raise typer.Exit(NOT_ALL)
    outline = kept.ready(open_library(str(library)))
    unused = sorted(kept.starters.keys() - outline.starters)
    say(f"{kept.name} can be used. It asks for: {', '.join(outline.blanks) or 'nothing'}.")
    for starter in unused:
        say(f"No line copies “{starter}”, which lies beside it.")


def _point_at(text: str, trouble: OutlineError) -> None:
    """Show the line of an outline that something is wrong with, and a mark below the place."""
    lines = text.removeprefix("\ufeff").splitlines()
    for line in pointed_at(lines[trouble.line - 1], trouble.at).splitlines() if trouble.line <= len(lines) else ():
        say(line)


@outline_app.command("from")
def from_command(
    folder: Annotated[Path, typer.Argument(help="A folder that is there.", exists=True, file_okay=False)],
    name: _Name,
    library: LibraryOption,
) -> None:
    """Make an outline of a folder as it is, without its captures."""
    from jutrek.desk.outlines import outline_from
    from jutrek.jobs.drawing import USUAL_NAME
    from jutrek.library import open_library

    home = open_library(str(library))
    kept, drawn = outline_from(home, str(folder), name)
    lines = len(kept.text.splitlines())
    say(
        f"The outline {kept.name} has {counted(lines, 'line')} and {counted(len(drawn.starters), 'starter file')}; "
        f"{counted(drawn.left, 'file was', 'files were')} left out. "
        f"It calls its jobs {USUAL_NAME} until it is told otherwise."
    )
    if kept.trouble is not None:
        complain(kept.trouble)
        _point_at(kept.text, kept.trouble)
        raise typer.Exit(NOT_ALL)


@outline_app.command("copy")
def copy_command(
    name: _Name,
    library: LibraryOption,
    other: Annotated[Path, typer.Option("--from", help="The library that has it.", exists=True, file_okay=False)],
    new: Annotated[str, typer.Option("--as", help="Another name for it here.")] = "",
) -> None:
    """Copy an outline with its starter files from another library."""
    from jutrek.desk.outlines import copy_outline
    from jutrek.library import open_library

    kept = copy_outline(open_library(str(library)), open_library(str(other)), name, new)
    say(f"The outline {kept.name} is here, with {counted(len(kept.starters), 'starter file')}.")
    if kept.trouble is not None:
        complain(kept.trouble)
        raise typer.Exit(NOT_ALL)


@outline_app.command("remove")
def remove_command(name: _Name, library: LibraryOption) -> None:
    """Put an outline into the system's trash. Jobs that were started by it stay as they are."""
    from jutrek.desk.outlines import remove_outline
    from jutrek.library import open_library

    remove_outline(open_library(str(library)), name)
    say(f"The outline {name} is in the trash of its drive.")


@outline_app.command("show")
def show_command(name: _Name, library: LibraryOption) -> None:
    """Print the text of an outline."""
    from jutrek.cli.telling import page
    from jutrek.jobs.shelf import outline_of
    from jutrek.library import open_library

    page(outline_of(open_library(str(library)), name).text)
