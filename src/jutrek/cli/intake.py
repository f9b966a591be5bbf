"""`jutrek plan` and `bring`: an intake, with all that can be said about it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import pieces, places
from jutrek.cli.library import LibraryOption, named, used_last
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.filing import Structure, Undated

if TYPE_CHECKING:
    from jutrek.cli.choices import Choices

_Sources = Annotated[list[Path], typer.Argument(help="Cards, folders or inboxes.", exists=True, file_okay=False)]
_Layout = Annotated[
    str | None, typer.Option("--layout", help="Another pattern of folders, for this time.", autocompletion=pieces)
]
_Name = Annotated[
    str | None, typer.Option("--name", help="Another pattern of file names, for this time.", autocompletion=pieces)
]
_Undated = Annotated[
    Undated | None, typer.Option("--undated", help="What becomes of captures without a trustworthy date.")
]
_Fixes = Annotated[
    list[str] | None,
    typer.Option("--fix-clock", help="Shift a device's clock: B=+1:00:00. B=0 takes it for right.", metavar="B=SHIFT"),
]
_Described = Annotated[
    list[str] | None,
    typer.Option("--describe", help="What a day's shoots were, and where: “survey @ bridge”.", metavar="DAY=WORDS"),
]
_Said = Annotated[
    list[str] | None,
    typer.Option("--say", help="What the intake is for: job, client, title or place.", metavar="job=WORDS"),
]
_IntoJob = Annotated[
    str | None,
    typer.Option("--job", help="The job that it is for, by number or folder: it goes into the job's folder."),
]
_Persons = Annotated[list[str] | None, typer.Option("--person", help="Who carries a device: B=Ilva.", metavar="B=WHO")]
_Keywords = Annotated[
    str | None,
    typer.Option("--keywords", metavar="ONE, ANOTHER", help="Keywords of all that comes, beside those of the house."),
]
_DayStarts = Annotated[
    str | None, typer.Option("--day-starts", help="Until when the night belongs to the day before.", metavar="04:00")
]
_Zone = Annotated[
    str | None, typer.Option("--zone", help="The house's zone, for times known only in UTC.", metavar="+02:00")
]
_Journeys = Annotated[
    list[str] | None, typer.Option("--journey", help="Another zone from a day on.", metavar="DAY=+01:00")
]
_Structure = Annotated[
    Structure | None,
    typer.Option("--card-structure", help="File clips alone, or keep the card's structure beside them."),
]
_Sidecars = Annotated[
    bool | None,
    typer.Option("--fix-sidecars/--no-fix-sidecars", help="Write corrected dates into XMP sidecars beside files, too."),
]

_Along = Annotated[
    bool, typer.Option("--along", help="Bring along what is no picture, clip or sound, as it is, into “Brought along”.")
]

_Answers = Annotated[
    list[str] | None,
    typer.Option("--answer", metavar="SIGN=NUMBER", help="Answer a question, as a plan lists them: 3f2a1c=1."),
]

_AsItIs = Annotated[
    list[str] | None,
    typer.Option("--take-as-it-is", metavar="DEVICE|FILE", help="Take the dates of a device, or of a file, for right."),
]

_Listen = Annotated[
    bool,
    typer.Option(
        "--listen", help="Line clocks up by what clips and takes heard, too: some ten seconds an hour of sound."
    ),
]
_Looks = Annotated[
    bool, typer.Option("--looks", help="Compare pictures with the library by their looks, too: that takes a while.")
]


def plan_command(
    sources: _Sources,
    library: LibraryOption,
    as_json: AsJson = False,
    out: Annotated[Path | None, typer.Option("--out", "-o", help="Write the plan to a file.")] = None,
    layout: _Layout = None,
    name: _Name = None,
    undated: _Undated = None,
    fix_clock: _Fixes = None,
    describe: _Described = None,
    say: _Said = None,
    job: _IntoJob = None,
    person: _Persons = None,
    keywords: _Keywords = None,
    day_starts: _DayStarts = None,
    zone: _Zone = None,
    journey: _Journeys = None,
    structure: _Structure = None,
    sidecars: _Sidecars = None,
    along: _Along = False,
    looks: _Looks = False,
    listen: _Listen = False,
    answer: _Answers = None,
    as_it_is: _AsItIs = None,
) -> None:
    """Show where every file would land, and why. Nothing is copied."""
    from jutrek.cli.choices import parse_choices
    from jutrek.cli.planning import house_of, plan_sources

    if as_json and out is not None:
        raise typer.BadParameter("choose one of --json and --out")
    choices = parse_choices(
        house_of(str(library)), layout=layout, name=name, undated=undated, fix_clock=fix_clock, describe=describe,
        say=say, person=person, keywords=keywords, day_starts=day_starts, zone=zone, journey=journey,
        structure=structure, sidecars=sidecars, along=along, looks=looks, listen=listen, answer=answer,
        as_it_is=as_it_is,
    )  # fmt: skip
    choices = _for_job(choices, library, job)
    code = plan_sources(_texts(sources), str(library), choices, as_json=as_json, out=out, stop=stop_on_interrupt())
    raise typer.Exit(code)


def bring_command(
    sources: Annotated[
        list[Path] | None, typer.Argument(help="Cards, folders or inboxes.", exists=True, file_okay=False)
    ] = None,
    library: Annotated[
        Path | None, typer.Option("--library", "-l", help="The library's root folder; else the one used last.")
    ] = None,
    plan: Annotated[
        Path | None, typer.Option("--plan", "-p", help="A plan that was saved.", exists=True, dir_okay=False)
    ] = None,
    without: Annotated[
        list[str] | None,
        typer.Option("--without", help="A backup to leave out this time.", metavar="BACKUP", autocompletion=places),
    ] = None,
    as_json: AsJson = False,
    layout: _Layout = None,
    name: _Name = None,
    undated: _Undated = None,
    fix_clock: _Fixes = None,
    describe: _Described = None,
    say: _Said = None,
    job: _IntoJob = None,
    person: _Persons = None,
    keywords: _Keywords = None,
    day_starts: _DayStarts = None,
    zone: _Zone = None,
    journey: _Journeys = None,
    structure: _Structure = None,
    sidecars: _Sidecars = None,
    along: _Along = False,
    looks: _Looks = False,
    listen: _Listen = False,
    answer: _Answers = None,
    as_it_is: _AsItIs = None,
) -> None:
    """Bring files home: every one is read back and compared before it counts."""
    from jutrek.cli.bringing import bring_plan, bring_sources
    from jutrek.cli.choices import parse_choices
    from jutrek.cli.planning import house_of

    stop = stop_on_interrupt()
    if plan is not None:
        given = (sources, library, fix_clock, describe, say, person, layout, name, along, answer, as_it_is, job)
        if any(given):
            raise typer.BadParameter("--plan knows its sources, library and decisions; give nothing else")
        raise typer.Exit(bring_plan(plan, as_json=as_json, stop=stop, without=without or ()))
    if not sources:
        raise typer.BadParameter("give sources, or --plan")
    library = used_last() if library is None else named(library)
    choices = parse_choices(
        house_of(str(library), none_yet=True), layout=layout, name=name, undated=undated, fix_clock=fix_clock,
        describe=describe, say=say, person=person, keywords=keywords, day_starts=day_starts, zone=zone, journey=journey,
        structure=structure, sidecars=sidecars, along=along, looks=looks, listen=listen, answer=answer,
        as_it_is=as_it_is,
    )  # fmt: skip
    choices = _for_job(choices, library, job)
    raise typer.Exit(
        bring_sources(_texts(sources), str(library), choices, as_json=as_json, stop=stop, without=without or ())
    )


def _for_job(choices: Choices, library: Path, job: str | None) -> Choices:
    """Choices by which all lands in the folder of a job, where one is named."""
    if job is None:
        return choices
    from jutrek.desk.jobs import intake_for
    from jutrek.library import open_library
    from jutrek.library.ledger import Ledger

    home = open_library(str(library))
    with Ledger(home.ledger_path) as ledger:
        rules, said = intake_for(home, ledger, job, choices.rules)
    # What is said in so many words stays.
    return replace(choices, rules=rules, said=tuple({**said, **dict(choices.said)}.items()))


def _texts(paths: list[Path]) -> list[str]:
    return [str(path) for path in paths]
