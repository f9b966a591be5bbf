"""`jutrek store`, `fetch`, `archive`: whole folders that lie on archive drives."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from jutrek.cli.completing import drives, folders
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.errors import NotPossible, shown
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.drives_shown import DriveState
    from jutrek.desk.storing import Wanted
    from jutrek.library import Library, Place
    from jutrek.transfer import Outcome

archive_app = typer.Typer(help="The archive drives that folders are stored on.", no_args_is_help=True)

_UNITS = ((1e9, "GB"), (1e6, "MB"), (1e3, "kB"))
_Look = Annotated[bool, typer.Option("--look", help="Only say what would move, and whether there is room.")]
_Folders = Annotated[
    list[str], typer.Argument(help="Folders of the library.", metavar="FOLDER...", autocompletion=folders)
]  # fmt: skip
_Drive = Annotated[str, typer.Argument(help="Its name or id.", autocompletion=drives)]


def store_command(
    folder: _Folders,
    library: LibraryOption,
    on: Annotated[
        str,
        typer.Option(
            "--on", help="A folder on the drive, or the name of one; else the only one.", autocompletion=drives
        ),
    ] = "",
    look: _Look = False,
    as_json: AsJson = False,
) -> None:
    """Store folders away on an archive drive: copied, read back, and only then gone from the library's root.

    They stay in every list and view, also while the drive is away. Done again, it goes on with what is left.
    """
    from jutrek.cli.keeping import opened
    from jutrek.cli.planning import house_of, working
    from jutrek.desk.places import places_of
    from jutrek.desk.storing import drive_named, store_away, to_store
    from jutrek.transfer import Listener

    stop = stop_on_interrupt()
    with opened(library, surveyed=True) as (home, ledger):
        rules, places = house_of(str(library)), places_of(home)
        wanted = to_store(home, ledger, folder, drive_named(home, on or _only(home)), rules, places)
        _tell(wanted, f"to {shown(wanted.drive.name)}", look=look, as_json=as_json)
        with working() as report:
            listener = Listener(progress=lambda run: report("Storing and proving", run.files, run.all_files))
            outcome = store_away(
                wanted, home, ledger, rules, places, stop=stop, report=report, listener=listener
            )  # fmt: skip
    _end(outcome, wanted, f"stored on {shown(wanted.drive.name)}", as_json=as_json)


def fetch_command(folder: _Folders, library: LibraryOption, look: _Look = False, as_json: AsJson = False) -> None:
    """Fetch folders back from their archive drives, or parts of them: the same move in the other direction."""
    from jutrek.cli.keeping import opened
    from jutrek.cli.planning import watching
    from jutrek.desk.storing import fetch_back, to_fetch
    from jutrek.transfer import Outcome

    stop = stop_on_interrupt()
    outcome = Outcome()
    with opened(library, surveyed=True) as (home, ledger):
        parts = to_fetch(home, ledger, folder)
        for wanted in parts:
            _tell(wanted, f"from {shown(wanted.drive.name)}", look=look and wanted is parts[-1], as_json=as_json)
            if look or outcome.trouble is not None:
                continue
            with watching(f"Fetching from {wanted.drive.name}") as listener:
                part = fetch_back(wanted, home, ledger, stop=stop, listener=listener)
            outcome.done += part.done
            outcome.remarks += part.remarks
            outcome.trouble, outcome.run = part.trouble, part.run
    _end(outcome, parts[0], "in the library again", as_json=as_json, files=sum(len(one.paths) for one in parts))


def _only(library: Library) -> str:
    """The archive drive of a library that has one."""
    from jutrek.library import known_drives

    known = known_drives(library)
    if len(known) != 1:
        raise typer.BadParameter("say on which drive: --on", param_hint="--on")
    return known[0].name


def _tell(wanted: Wanted, where: str, *, look: bool, as_json: bool) -> None:
    """Say what a move takes, and what there is; where that is all, leave."""
    words = f"{counted(len(wanted.paths), 'file')}, {_size(wanted.size)}, {where}; {_size(wanted.free)} are free there."
    if look and as_json:
        tell_json(_as_json(wanted))
    elif not as_json:
        say(words)
    if wanted.is_short:
        complain(f"There is too little room: {_size(wanted.size - wanted.free)} are missing.")
    if wanted.lacks:
        complain(f"{counted(wanted.lacks, 'file')} would stay: there would be too few proven copies (least-copies).")
    if look:
        raise typer.Exit(1 if wanted.is_short or wanted.lacks else 0)


def _as_json(wanted: Wanted) -> dict[str, Any]:
    return {
        "folders": list(wanted.folders), "drive": wanted.drive.name, "id": wanted.drive.id,
        "files": len(wanted.paths), "bytes": wanted.size, "free": wanted.free, "lacks": wanted.lacks,
    }  # fmt: skip


def _end(outcome: Outcome, wanted: Wanted, words: str, *, as_json: bool, files: int = 0) -> None:
    from jutrek.cli.keeping import end_of

    files = files or len(wanted.paths)
    if as_json:
        tell_json({**_as_json(wanted), "files": files, "done": outcome.home, "run": outcome.run})
    told = "" if as_json else f"{counted(outcome.home, 'file is', 'files are')} {words}, {files - outcome.home} not."
    end_of(outcome, told, short=outcome.home < files)


@archive_app.command("show")
def show_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the archive drives: what lies there, how much room there is, whether they are here, the oldest proof."""
    from jutrek.cli.keeping import opened
    from jutrek.desk.drives_shown import drives_of

    with opened(library, surveyed=True) as (home, ledger):
        found = drives_of(home, ledger)
    if as_json:
        tell_json([
            {
                "id": one.place.id, "name": one.place.name, "root": one.place.root, "connected": one.here,
                "files": one.files, "bytes": one.size, "free": one.free, "total": one.total, "proved": one.proved,
            }
            for one in found
        ], indent=1)  # fmt: skip
        return
    for one in found:
        out(one.place.name, one.place.root, counted(one.files, "file"), _size(one.size), _room(one))
    if not found:
        say("There is no archive drive yet: `jutrek store FOLDER --on A_FOLDER_ON_IT` makes one.")


def _room(one: DriveState) -> str:
    proved = f", proven since {one.proved[:10]}" if one.proved else ""
    return f"{_size(one.free)} of {_size(one.total)} free{proved}" if one.here else f"away{proved}"


def _size(size: int) -> str:
    unit, name = next((one for one in _UNITS if size >= one[0]), _UNITS[-1])
    return f"{size / unit:,.1f} {name}"


@archive_app.command("rename")
def rename_command(
    drive: _Drive, name: Annotated[str, typer.Argument(help="What to call it.")], library: LibraryOption
) -> None:
    """Call an archive drive otherwise."""
    from jutrek.cli.keeping import opened
    from jutrek.desk.storing import rename_drive

    with opened(library) as (home, _):
        rename_drive(home, _known(home, drive), name)


@archive_app.command("forget")
def forget_command(
    drive: _Drive,
    library: LibraryOption,
    lost: Annotated[
        bool, typer.Option("--lost", help="The drive is no more: what is stored there counts as gone.")
    ] = False,
) -> None:
    """Know an archive drive no more. Nothing on it is touched."""
    from jutrek.cli.keeping import opened
    from jutrek.desk.storing import forget_archive

    with opened(library) as (home, ledger):
        gone = forget_archive(home, ledger, _known(home, drive), lost=lost)
    if gone:
        say(f"{counted(gone, 'file is', 'files are')} gone. `jutrek gone` says which backups have them.")


def _known(library: Library, text: str) -> Place:
    from jutrek.library import known_drives

    found = [one for one in known_drives(library) if text == one.name or one.id.startswith(text)]
    if len(found) != 1:
        raise NotPossible(library.root, f"it has no archive drive {shown(text)}")
    return found[0]
