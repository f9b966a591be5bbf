"""`jutrek backups`, `finish`, `catch-up`, `check`, `journal`, `report`: living with what is home."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from jutrek.cli.completing import places, runs
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.errors import NotPossible, PlaceUnusable, RunTrouble, Stopped, shown
from jutrek.filing import OnChanged
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.places import Places
    from jutrek.library import Library, Place
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import Outcome

backups_app = typer.Typer(help="Where else a library's files are kept.", no_args_is_help=True)

RunArgument = Annotated[
    str,
    typer.Argument(
        help="A run of the journal, by its number or name; else the newest that fits.", metavar="[RUN]",
        autocompletion=runs,
    ),
]  # fmt: skip
DONE, NOT_ALL, UNUSABLE = 0, 1, 3
_MEGABYTE = 1_000_000


@contextmanager
def opened(path: Path, *, surveyed: bool = False, make: bool = False) -> Iterator[tuple[Library, Ledger]]:
    """A library with its ledger, cleared up after a run that did not end; made of a folder only where `make` is set."""
    from jutrek.cli.planning import tell_troubles
    from jutrek.library import new_library, open_library, survey
    from jutrek.library.ledger import Ledger
    from jutrek.transfer import recover

    library = new_library(str(path)) if make else open_library(str(path))
    with Ledger(library.ledger_path) as ledger:
        tell_troubles(library, recover(library, ledger))
        if surveyed:
            survey(library, ledger)
        yield library, ledger


def end_of(outcome: Outcome, words: str, *, short: bool = False) -> None:
    """Tell how a run ended, and leave with its code; `short` is one that had to leave something, as a remark says."""
    for done in outcome.failed:
        say(f"not done: {shown(done.row.source)}: {done.why}")
    for why in outcome.lost.values():
        complain(why)
    for remark in outcome.remarks:
        say(remark)
    if outcome.trouble is not None:
        complain(outcome.trouble)
    if words:
        say(words)
    if isinstance(outcome.trouble, RunTrouble) and not isinstance(outcome.trouble, Stopped):
        raise typer.Exit(UNUSABLE)
    short = short or bool(outcome.failed or outcome.trouble or outcome.gone or outcome.lost)
    raise typer.Exit(NOT_ALL if short else DONE)


@backups_app.command("show")
def show_backups(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the backups, whether they are connected, and what they lack."""
    from jutrek.desk.places import places_of
    from jutrek.library import as_place
    from jutrek.transfer.catching_up import lacking
    from jutrek.transfer.resumable import room_of_partials

    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home)
        told: list[dict[str, Any]] = []
        for place in (*places.here, *places.away):
            here = place in places.here
            lack = lacking(home, ledger, place, connected=here)
            told.append({
                "id": place.id, "name": place.name, "root": place.root, "connected": here,
                "lacks": lack.files - len(lack.changed), "changed": len(lack.changed),
                "bytes": lack.size, "beyond": len(lack.beyond), **_known_bad(ledger, place),
                "partly": room_of_partials(place.tree)[1] if here else 0,
            })  # fmt: skip
        at_home = _known_bad(ledger, as_place(home))
    if as_json:
        tell_json(told, indent=1)
    for one in told if not as_json else ():
        words = f"lacks {one['lacks']} files ({one['bytes'] / 1e6:,.1f} MB)" if one["lacks"] else ""
        words += f"{'; ' if words else ''}{one['changed']} changed there" if one["changed"] else ""
        words = ", ".join(filter(None, (words, _bad_words(one), _partly_words(one)))) or "has everything"
        out(one["name"], one["root"], words + ("" if one["connected"] else ", not connected"))
    if bad := _bad_words(at_home):
        complain(f"{home.name} itself: {bad}. `jutrek check --mend` mends what a backup still has.")
    any_bad = _bad_words(at_home) or any(_bad_words(one) for one in told)
    raise typer.Exit(NOT_ALL if any_bad else DONE)


def _known_bad(ledger: Ledger, place: Place) -> dict[str, int]:
    """How many files of a place are known to be bad, by how they were found."""
    from jutrek.transfer.checking import BAD, known_bad

    states = [mark.state for mark in known_bad(ledger, place.id)]
    return {state.value: states.count(state) for state in sorted(BAD)}


def _bad_words(counts: dict[str, Any]) -> str:
    return ", ".join(f"{counts[state]} {state}" for state in ("gone", "rotted", "unreadable") if counts.get(state))


def _partly_words(one: dict[str, Any]) -> str:
    return f"{one['partly'] / 1e6:,.1f} MB of files that were partly copied" if one["partly"] else ""


@backups_app.command("add")
def add_backup_command(
    folder: Annotated[Path, typer.Argument(help="A folder on another drive.")],
    library: LibraryOption,
    name: Annotated[str, typer.Option("--name", help="What to call it.")] = "",
) -> None:
    """Keep copies in a folder from now on. `jutrek catch-up` brings it what is home already."""
    from jutrek.library import add_place, known_places, open_library

    home = open_library(str(library))
    root = os.path.abspath(folder)
    for known in known_places(home):
        if known.root == root or (name or os.path.basename(root)) == known.name:
            raise PlaceUnusable(
                root, f"{known.name} at {shown(known.root)} is a backup already; --name gives another name"
            )
    place = add_place(home, str(folder), name)
    say(f"{place.name} gets a copy of everything that comes home from now on.")


@backups_app.command("forget")
def forget_backup_command(
    name: Annotated[str, typer.Argument(help="Its name or id.", autocompletion=places)], library: LibraryOption
) -> None:
    """Keep no more copies in a backup. What is there stays there."""
    from jutrek.library import forget_place, known_places, open_library

    home = open_library(str(library))
    found = [place for place in known_places(home) if name in (place.name, place.id)]
    if not found:
        raise typer.BadParameter(f"there is no backup called {name}")
    for place in found:
        forget_place(home, place.id)


def catch_up_command(
    library: LibraryOption,
    name: Annotated[
        str, typer.Argument(help="The backup; else all that are connected.", metavar="[BACKUP]", autocompletion=places)
    ] = "",
    changed: Annotated[
        OnChanged | None,
        typer.Option("--changed", help="Which version of files is right that were changed there; else the house rule."),
    ] = None,
) -> None:
    """Bring backups what they lack. Of files that were changed there, one version is kept aside."""
    from jutrek.cli.planning import house_of, watching
    from jutrek.desk.places import caught_up, places_of
    from jutrek.transfer import Outcome
    from jutrek.transfer.catching_up import lacking

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home)
        wanted = _wanted(places, name)
        right = changed or house_of(str(library)).changed
        sums, lacks = Outcome(), 0
        for place in wanted:
            lack = lacking(home, ledger, place)
            if lack.files:
                with watching(f"Bringing to {place.name}") as listener:
                    outcome = caught_up(lack, home, ledger, right, stop=stop, listener=listener)
                lacks += lack.files
                sums.done += outcome.done
                sums.moved += outcome.moved
                sums.remarks += outcome.remarks
                sums.trouble = sums.trouble or outcome.trouble
                for path in lack.changed if right is OnChanged.ASK else ():
                    complain(f"{path} was changed in {place.name}, and waits: --changed library, or --changed copy.")
    words = f"{counted(sums.home, 'file')} copied and proven, {sums.moved} moved within their backups."
    end_of(sums, words, short=sums.home + sums.moved < lacks)


def _wanted(places: Places, name: str) -> tuple[Place, ...]:
    if not name:
        return places.here
    place = places.named(name)
    if place is None:
        raise PlaceUnusable(
            name, "it is not connected" if any(p.name == name for p in places.away) else "it is no backup"
        )
    return (place,)


def check_command(
    library: LibraryOption,
    name: Annotated[
        str,
        typer.Option("--backup", help="A backup, or an archive drive; else the library itself.", autocompletion=places),
    ] = "",
    minutes: Annotated[
        float | None, typer.Option("--minutes", min=0, help="End after that long; the rest comes next.")
    ] = None,
    mending: Annotated[bool, typer.Option("--mend", help="Bring good bytes back from where they are.")] = False,
    as_json: AsJson = False,
) -> None:
    """Read files again and compare them with their proofs, the oldest first."""
    from jutrek.cli.planning import watching, working
    from jutrek.desk.places import places_of
    from jutrek.library import as_place, drives_here
    from jutrek.transfer.checking import check, mend

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home)
        drive = next((one for one in drives_here(home) if name and name in (one.name, one.id)), None)
        place = drive or (_wanted(places, name)[0] if name else as_place(home))
        with working() as report:
            checked = check(
                home, ledger, place, stop=stop, seconds=minutes * 60 if minutes is not None else None,
                report=lambda done, total: report("Reading, MB", done // _MEGABYTE, total // _MEGABYTE),
            )  # fmt: skip
        for one in checked.found:
            if not as_json:
                out(one.finding, one.mark.path, one.why)
        mended = 0
        if mending and checked.bad:
            others = [one for one in (as_place(home), *places.here) if one.id != place.id]
            bad = [one.mark for one in checked.bad]
            with watching("Mending") as listener:
                mended = mend(bad, home, ledger, place, others, stop=stop, listener=listener).home
    if as_json:
        found = [{"path": one.mark.path, "finding": one.finding.value, "why": one.why} for one in checked.found]
        page: dict[str, Any] = {
            "place": place.name, "good": checked.good, "first": checked.first, "bytes": checked.bytes,
            "left": checked.left, "found": found, "mended": mended,
        }  # fmt: skip
        tell_json(page, indent=1)
    say(
        f"{place.name}: {counted(checked.good, 'file as it was', 'files as they were')} proven, "
        f"{checked.first} proven for the first time, "
        f"{len(checked.bad)} bad, {mended} mended, {checked.left} left for the next time."
    )
    raise typer.Exit(NOT_ALL if len(checked.bad) > mended else DONE)


def finish_command(library: LibraryOption, run: RunArgument = "") -> None:
    """Bring home what an intake left when it was stopped or cut off, reading only what is not proven."""
    from jutrek.cli.planning import house_of
    from jutrek.desk.finishing import finish
    from jutrek.desk.places import places_of
    from jutrek.desk.records import newest, run_named
    from jutrek.transfer import Listener

    stop = stop_on_interrupt()
    with opened(library) as (home, ledger):
        wanted = run_named(home, run) if run else newest(home, lambda one: one.can_finish, "could be finished").run
        rules = house_of(str(library))
        outcome = finish(home, ledger, wanted, rules, places_of(home), stop=stop, listener=Listener())
    end_of(outcome, f"{counted(outcome.home, 'file')} brought home and proven.")


def journal_command(library: LibraryOption, run: RunArgument = "", as_json: AsJson = False) -> None:
    """Show what was done to a library, or the files of one run; records that were changed afterwards are named."""
    from jutrek.desk.records import every_mark, files_of, records_of, run_named
    from jutrek.library import open_library

    home = open_library(str(library))
    if run:
        with opened(library) as (home, ledger):
            files = files_of(home, run_named(home, run), every_mark(home, ledger))
        if as_json:
            tell_json([asdict(one) for one in files], indent=1)
        for one in files if not as_json else ():
            out(one.what, one.path, one.source)
        return
    records = records_of(home)
    if as_json:
        tell_json([asdict(one) for one in records], indent=1)
    for record in records if not as_json else ():
        more = ", taken back" if record.taken_back else ""
        out(
            record.run, record.title, record.about, f"{record.counted}, {record.left} not",
            f"{record.how or 'at work'}{more}", record.who, *([record.broken] if record.broken else []),
        )  # fmt: skip
    raise typer.Exit(NOT_ALL if any(record.broken for record in records) else DONE)


def report_command(library: LibraryOption, run: RunArgument = "") -> None:
    """Write the report of an intake (HTML, CSV, checksums), and print where it is."""
    from jutrek.cli.planning import working
    from jutrek.desk.records import newest, run_named
    from jutrek.desk.report import write_report
    from jutrek.transfer.journal import Kind
    from jutrek.transfer.run_log import run_log_of

    with opened(library) as (home, _):
        intakes = lambda record: record.kind is Kind.INTAKE and record.files > 0  # noqa: E731
        wanted = run_named(home, run) if run else newest(home, intakes, "is an intake").run
        try:
            with working() as report:
                words = "Writing the report"
                path = write_report(
                    run_log_of(home, wanted), home, stop=stop_on_interrupt(),
                    report=lambda done, total: report(words, done, total),
                )  # fmt: skip
            out(path)
        except OSError as error:
            raise NotPossible(home.root, f"the report of {wanted} can't be written: {error}") from error
