"""`jutrek library new`, `jutrek gone`, `jutrek unwanted`: making a library, and the ways out of what is missed."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.keeping import DONE, NOT_ALL, opened
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import out, say
from jutrek.errors import SourceUnreadable
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library import Place, ProofMark
    from jutrek.library.unwanted import Unwanted

library_app = typer.Typer(help="Libraries: folders in which captures are at home.", no_args_is_help=True)
unwanted_app = typer.Typer(help="What is on cards, is not home, and nobody misses.", no_args_is_help=True)

_Source = Annotated[Path, typer.Argument(help="A card or folder.", exists=True, file_okay=False)]


@library_app.command("new")
def new_command(folder: Annotated[Path, typer.Argument(help="A folder that is there.")]) -> None:
    """Make a library of a folder. Nothing in it is touched."""
    from jutrek.library import new_library

    say(f"{new_library(str(folder)).root} is a library.")


def gone_command(
    library: LibraryOption,
    let_go: Annotated[
        list[str] | None, typer.Option("--let-go", help="Miss a file no more, by its path in the library.")
    ] = None,
    everything: Annotated[bool, typer.Option("--let-all-go", help="Miss none of them any more.")] = False,
    back: Annotated[
        list[str] | None, typer.Option("--bring-back", help="Bring a file back from a backup, by its path.")
    ] = None,
    all_back: Annotated[bool, typer.Option("--bring-all-back", help="Bring back all that backups have.")] = False,
    as_json: AsJson = False,
) -> None:
    """List files that are gone, rotted or unreadable, in library and backups, until they are back or missed no more."""
    from jutrek.desk.places import places_of
    from jutrek.library import as_place, survey
    from jutrek.transfer.checking import bring_back, forget_gone, known_bad
    from jutrek.transfer.checking import let_go as let_them_go

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        places = places_of(home)
        wanted = [one.path for one in ledger.knowledge().gone] if all_back else (back or [])
        if wanted:
            outcome = bring_back(wanted, home, ledger, places.here, stop=stop)
            say(f"{counted(outcome.home, 'file is', 'files are')} back, read and compared. {outcome.why}".rstrip())
            survey(home, ledger, stop=stop)
        gone = {one.path: one for one in ledger.knowledge().gone}
        lost = [path for path in gone if everything or path in (let_go or ())]
        count = forget_gone(home, ledger, lost)[1]
        gone = {path: one for path, one in gone.items() if path not in lost}
        missed: list[tuple[Place, ProofMark]] = []
        for place in (as_place(home), *places.here, *places.away):
            bad = [mark for mark in known_bad(ledger, place.id) if place.id or mark.path not in gone]
            wanted = [mark.path for mark in bad if everything or mark.path in (let_go or ())]
            count += let_them_go(home, ledger, place, wanted) if wanted else 0
            missed += [(place, mark) for mark in bad if mark.path not in wanted]
    for one in gone.values():
        if as_json:
            tell_json({"place": home.name, "path": one.path, "state": "gone", "copies": one.copies})
        else:
            out("gone", home.name, one.path, f"in {counted(one.copies, 'backup')}")
    for place, mark in missed:
        if as_json:
            tell_json({"place": place.name, "path": mark.path, "state": mark.state.value, "seen": mark.at})
        else:
            out(mark.state, place.name, mark.path, mark.at[:10])
    if let_go or everything:
        say(f"{counted(count, 'file is', 'files are')} missed no more; `jutrek take-back` takes that back.")
    raise typer.Exit(NOT_ALL if missed or gone else DONE)


@unwanted_app.command("add")
def add_command(
    source: _Source,
    library: LibraryOption,
    paths: Annotated[
        list[str] | None, typer.Argument(help="Files on it, relative to it; else all that keeps it from being safe.")
    ] = None,
) -> None:
    """Declare unwanted what is on a card and was not brought. It stays on the card, and is told by its content."""
    from jutrek.cli.proving import certify
    from jutrek.desk.places import places_of
    from jutrek.desk.unwanting import declare_unwanted

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        certificate = certify(source, home, ledger, places_of(home), again=False, stop=stop)
        said = declare_unwanted(home, certificate, frozenset(paths) if paths else None)
    for one in said:
        out("unwanted", one.path)
    known = {one.path for one in said}
    for path in paths or ():
        if path not in known:
            say(f"not declared: {path}: it is no capture that could be missed, home already, or not there.")
    say(f"{counted(len(said), 'thing is', 'things are')} declared unwanted.")
    raise typer.Exit(NOT_ALL if set(paths or ()) - known else DONE)


@unwanted_app.command("list")
def list_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List what was declared unwanted, by whom and when."""
    from jutrek.library import open_library
    from jutrek.library.unwanted import declared

    for one in declared(open_library(str(library))):
        if as_json:
            page = {"path": one.path, "source": one.source, "who": one.who, "at": one.at, "xxh3_128": one.full.hex()}
            tell_json(page)
        else:
            out(one.path, one.source, one.who, one.at)


@unwanted_app.command("remove")
def remove_command(
    library: LibraryOption, paths: Annotated[list[str], typer.Argument(help="As they are listed.")]
) -> None:
    """Take declarations back: what they were of is missed again."""
    from jutrek.library import open_library
    from jutrek.library.unwanted import declared, want_again

    home = open_library(str(library))
    found: list[Unwanted] = [one for one in declared(home) if one.path in paths]
    if not found:
        raise SourceUnreadable(paths[0], OSError("nothing of that path was declared unwanted"))
    want_again(home, found)
    say(f"{len(found)} declarations are taken back.")
