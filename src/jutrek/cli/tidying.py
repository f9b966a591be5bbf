"""`jutrek tidy`: moving, renaming, merging and setting aside what is home. All of it can be taken back."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NamedTuple

import typer

from jutrek.cli.completing import folders, sentences
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.errors import NotPossible, shown
from jutrek.filing.tidying import Answer
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.tidying import Tidied, Tidying
    from jutrek.filing.tidying import Whole
    from jutrek.library import Library
    from jutrek.library.ledger import Ledger
    from jutrek.transfer.folder_moves import FolderMove
    from jutrek.views.columns import Columns

DONE, NOT_ALL = 0, 1

tidy_app = typer.Typer(
    help="Move, rename, number, merge and set aside what is home. `take-back` takes each back.", no_args_is_help=True
)

Paths = Annotated[
    list[str] | None,
    typer.Argument(help="Captures, by any of their files; or folders.", metavar="[PATH]...", autocompletion=folders),
]  # fmt: skip
_Folders = Annotated[list[str], typer.Argument(help="Folders of the library.", autocompletion=folders)]
_Folder = Annotated[str, typer.Argument(help="A folder of the library.", autocompletion=folders)]
That = Annotated[
    str,
    typer.Option("--that", metavar="SENTENCE", help="Also all that a sentence says.", autocompletion=sentences),
]  # fmt: skip
Look = Annotated[bool, typer.Option("--look", help="Only say what would happen.")]
Taken = Annotated[
    Answer | None,
    typer.Option("--taken", help="Where a name is taken: keep `both`, one if the bytes are the `same`, or `leave` it."),
]


class House(NamedTuple):
    """A library that is tidied."""

    home: Library
    ledger: Ledger
    columns: Columns


@tidy_app.command("move")
def move_command(
    library: LibraryOption,
    paths: Paths = None,
    to: Annotated[str, typer.Option("--to", help="The folder; made where there is none.", autocompletion=folders)] = "",
    own: Annotated[
        bool, typer.Option("--own", help="To a folder of their own, called by their day and shoot.")
    ] = False,
    copy: Annotated[bool, typer.Option("--copy", help="Copy captures, proven, instead of moving them.")] = False,
    that: That = "",
    taken: Taken = None,
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Move captures, with all that belongs to them, or whole folders, into a folder."""
    from jutrek.desk.tidying import Act, folder_for, moving, moving_folders
    from jutrek.filing.tidying import checked_folder
    from jutrek.transfer.folder_moves import FolderMove

    if bool(to) == own:
        raise typer.BadParameter("say where to: --to FOLDER, or --own")
    with ready(library) as house:
        whole_folders, rows = meant(house, paths or [], that)
        if own:
            import numpy as np

            to = folder_for(house.columns, np.array(rows, np.int64))
        folder = checked_folder(_inside(house.home, to), partial(_is_folder, house.home))
        if whole_folders and rows:
            raise typer.BadParameter("move either folders or captures at a time")
        if whole_folders and copy:
            raise typer.BadParameter("only captures are copied: say which, or --that 'in folder …'")
        if whole_folders:
            moves = [FolderMove(one, os.path.join(folder, os.path.basename(one))) for one in whole_folders]
            wanted = moving_folders(house.home, moves, Act.MOVE, f"to {folder or 'the root'}")
        else:
            wholes, left = _gathered(house, rows)
            wanted = moving(house.home, wholes, folder, left, copies=copy)
        carry_out(house, wanted, taken, look=look, as_json=as_json)


@tidy_app.command("rename")
def rename_command(
    library: LibraryOption,
    path: Annotated[str, typer.Argument(help="A capture, by any of its files, or a folder.", autocompletion=folders)],
    name: Annotated[str, typer.Argument(help="What it is to be called, without an extension.")],
    taken: Taken = None,
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Call a capture otherwise, with all its files, or a folder."""
    from jutrek.desk.tidying import Act, moving_folders, renaming
    from jutrek.filing.tidying import checked_name
    from jutrek.transfer.folder_moves import FolderMove

    new = checked_name(name)
    with ready(library) as house:
        whole_folders, rows = meant(house, [path], "")
        if whole_folders:
            old = whole_folders[0]
            move = FolderMove(old, os.path.join(os.path.dirname(old), new))
            wanted = moving_folders(house.home, [move], Act.RENAME, f"{old} to {new}")
        else:
            wholes, left = _gathered(house, rows)
            wanted = renaming(house.home, wholes, new, left)
        carry_out(house, wanted, taken, look=look, as_json=as_json)


@tidy_app.command("merge")
def merge_command(
    library: LibraryOption,
    folder: _Folder,
    into: Annotated[str, typer.Argument(help="The folder that takes all of it.", autocompletion=folders)],
    taken: Taken = None,
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Move all that lies in a folder into another one, level by level."""
    from jutrek.desk.tidying import merging
    from jutrek.filing.tidying import checked_folder

    with ready(library) as house:
        one, other = (
            _inside(house.home, folder),
            checked_folder(_inside(house.home, into), partial(_is_folder, house.home)),
        )
        carry_out(house, merging(house.home, house.columns, one, other), taken, look=look, as_json=as_json)


@tidy_app.command("up")
def up_command(library: LibraryOption, folders_: _Folders, look: Look = False, as_json: AsJson = False) -> None:
    """Move folders up a level: beside the one that they lie in."""

    def higher(folder: str) -> str:
        above = os.path.dirname(folder)
        if not above:
            raise NotPossible(shown(folder), "it lies at the top already")
        return os.path.join(os.path.dirname(above), os.path.basename(folder))

    _move_folders(library, folders_, higher, "up a level", look=look, as_json=as_json)


@tidy_app.command("level")
def level_command(
    library: LibraryOption,
    folders_: _Folders,
    name: Annotated[str, typer.Option("--name", help="What the new folder is called.")],
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Put a new folder above folders, where they lie."""
    from jutrek.filing.tidying import checked_name

    new = checked_name(name)

    def deeper(folder: str) -> str:
        return os.path.join(os.path.dirname(folder), new, os.path.basename(folder))

    _move_folders(library, folders_, deeper, f"below {new}", look=look, as_json=as_json)


@tidy_app.command("name")
def name_command(
    library: LibraryOption,
    paths: Paths = None,
    that: That = "",
    pattern: Annotated[str, typer.Option("--pattern", help="Another pattern than the house's.")] = "",
    taken: Taken = None,
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Call captures anew by the house's pattern for names, or by another one. Their folders stay."""
    from jutrek.cli.planning import house_of, working
    from jutrek.desk.naming_anew import named_by
    from jutrek.desk.tidying import numbering

    with ready(library) as house:
        wholes, _ = captures_meant(house, paths or [], that)
        with working() as report:
            wishes = named_by(
                house.home, house.ledger, house_of(str(library)), wholes, pattern, stop=stop_on_interrupt(),
                report=lambda done, total: report("Reading the library", done, total),
            )  # fmt: skip
        carry_out(
            house, numbering(house.home, wishes, f"by {pattern or 'the house'}"), taken, look=look, as_json=as_json
        )  # fmt: skip


@tidy_app.command("number")
def number_command(
    library: LibraryOption,
    name: Annotated[str, typer.Option("--name", help="What stands before the number.")],
    paths: Paths = None,
    that: That = "",
    start: Annotated[int, typer.Option("--from", min=0, help="The first number.")] = 1,
    taken: Taken = None,
    look: Look = False,
    as_json: AsJson = False,
) -> None:
    """Number captures, in the order in which they are said: paths as they stand, a sentence by moment or shelf."""
    from jutrek.desk.tidying import numbering
    from jutrek.filing.tidying import checked_name, numbered

    stem = checked_name(name)
    with ready(library) as house:
        wholes, _ = captures_meant(house, paths or [], that)
        wanted = numbering(house.home, numbered(wholes, stem, start), f"as {stem}")
        carry_out(house, wanted, taken, look=look, as_json=as_json)


@tidy_app.command("empty")
def empty_command(
    library: LibraryOption,
    folder: Annotated[str, typer.Argument(help="Where to look; all of the library else.", autocompletion=folders)] = "",
    look: Look = False,
) -> None:
    """Remove folders in which nothing lies."""
    from jutrek.cli.keeping import opened
    from jutrek.transfer.empty_folders import empty_folders, remove_empty
    from jutrek.transfer.journal import number_of

    with opened(library) as (home, _):
        empty = empty_folders(home, _inside(home, folder) if folder else "")
        for one in empty:
            out(one)
        run, count = ("", len(empty)) if look else remove_empty(home, empty)
    would = "would be" if look else "is" if count == 1 else "are"
    back = f" `jutrek take-back {number_of(run) or run}` takes it back." if run else ""
    say(f"{counted(count, 'empty folder')} {would} removed.{back}")


@tidy_app.command("order")
def order_command(
    library: LibraryOption,
    paths: Paths = None,
    before: Annotated[str, typer.Option("--before", help="The capture that they are put in front of.")] = "",
    forget: Annotated[bool, typer.Option("--forget", help="Let folders stand by moment again instead.")] = False,
    that: That = "",
) -> None:
    """Put captures of a folder in another place in its order by hand, which `list --order hand` shows."""
    from jutrek.views.by_hand import arrange
    from jutrek.views.by_hand import forget as by_moment

    with ready(library) as house:
        if forget and not (before or that):
            for folder in paths or [""]:
                by_moment(house.columns, _inside(house.home, folder), house.home, house.ledger)
            say(f"{counted(len(paths or ['']), 'folder is', 'folders are')} by moment again.")
            return
        whole_folders, rows = meant(house, paths or [], that)
        if whole_folders or forget:
            raise typer.BadParameter("name captures of one folder; or folders with --forget alone")
        ahead = meant(house, [before], "")[1] if before else []
        arrange(house.columns, rows, ahead[0] if ahead else None, house.home, house.ledger, stop=stop_on_interrupt())
    say(f"{counted(len(rows), 'capture')} put {f'before {shown(before)}' if before else 'at the end of the folder'}.")


@tidy_app.command("aside")
def aside_command(
    library: LibraryOption, paths: Paths = None, that: That = "", look: Look = False, as_json: AsJson = False
) -> None:
    """Set captures aside: they lie with the doubles that were set aside, until that is emptied."""
    from jutrek.desk.tidying import putting_aside

    with ready(library) as house:
        wholes, left = captures_meant(house, paths or [], that)
        carry_out(house, putting_aside(wholes, left), None, look=look, as_json=as_json)


def _move_folders(
    library: Path,
    given: list[str],
    to: Callable[[str], str],
    about: str,
    *,
    look: bool,
    as_json: bool,
) -> None:
    from jutrek.desk.tidying import Act, moving_folders
    from jutrek.transfer.folder_moves import FolderMove

    with ready(library) as house:
        olds = [_inside(house.home, one) for one in given]
        moves: list[FolderMove] = [FolderMove(old, to(old)) for old in olds]
        wanted = moving_folders(house.home, moves, Act.MOVE, about)
        carry_out(house, wanted, None, look=look, as_json=as_json)


# ---- what is meant


@contextmanager
def ready(library: Path) -> Iterator[House]:
    """A library that was cleared up after a run that did not end, and its columns, current with the disk."""
    from jutrek.cli.keeping import opened
    from jutrek.cli.planning import house_of, working
    from jutrek.views.looking import current

    with opened(library) as (home, ledger):
        with working() as report:
            columns = current(home, ledger, lambda: house_of(str(library)), stop=stop_on_interrupt(), report=report)
        yield House(home, ledger, columns)


def _inside(home: Library, path: str) -> str:
    """A path relative to the library, however it was given.

    Raises:
        NotPossible: when it leads out of it.
    """
    from jutrek.cli.taking_back import below_root
    from jutrek.disk import Outside, inside

    below = below_root(home, path.rstrip("/") or "/")
    if below == ".":
        return ""
    try:
        return str(inside(below))
    except Outside as error:
        raise NotPossible(shown(path), f"it is not in the library ({error})") from error


def _is_folder(home: Library, path: str) -> bool:
    from jutrek.disk import inside

    return home.tree.is_folder(inside(path))


def meant(house: House, paths: list[str], that: str) -> tuple[list[str], list[int]]:
    """Folders, and rows of captures, that are meant.

    Raises:
        NotPossible: when nothing of a path is at home, or nothing is meant at all.
    """
    from jutrek.cli.listing import understood
    from jutrek.desk.looking_at import Look, rows_of
    from jutrek.disk import inside

    whole, rows = [], []
    given = [_inside(house.home, one) for one in paths]
    found = house.columns.rows_of(given)
    for path in given:
        if path in found:
            rows.append(found[path])
        elif path and house.home.tree.is_folder(inside(path)):
            whole.append(path)
        else:
            stored = path and house.ledger.stored.below(path)
            what = "it is stored away; fetch it first" if stored else "it is no capture or folder of the library"
            raise NotPossible(shown(path or "the root"), what)
    if that:
        rows += rows_of(Look(house.home, house.ledger, house.columns, (), ()), understood(that)).tolist()
    if not (whole or rows):
        raise NotPossible(house.home.root, "nothing is meant: name paths, or say --that")
    return whole, rows


def captures_meant(house: House, paths: list[str], that: str) -> tuple[list[Whole], list[str]]:
    """Captures that are meant, with all that goes along; and sentences about those that are gone.

    Raises:
        NotPossible: when a folder is named: which of its captures are meant is said by a sentence.
    """
    whole_folders, rows = meant(house, paths, that)
    if whole_folders:
        raise NotPossible(shown(whole_folders[0]), "it is a folder; --that 'in folder …' means what lies in it")
    return _gathered(house, rows)


def _gathered(house: House, rows: list[int]) -> tuple[list[Whole], list[str]]:
    """Captures with all that goes along; and sentences about those that are gone."""
    from jutrek.desk.tidying import gathered

    return gathered(house.home, house.columns, rows)


# ---- what is done


def carry_out(house: House, wanted: Tidying, taken: Answer | None, *, look: bool, as_json: bool) -> None:
    """Say what would happen, or do it, and leave with a code that says how it went."""
    from jutrek.cli.planning import watching
    from jutrek.desk.places import places_of
    from jutrek.desk.tidying import decided, tidy

    if taken is not None:
        wanted = decided(house.home, wanted, {}, taken)
    for words in wanted.left:
        complain(words)
    if look or wanted.clashes or wanted.is_nothing:
        _show(house.home, wanted, as_json=as_json)
        raise typer.Exit(NOT_ALL if wanted.clashes or wanted.left else DONE)
    with watching("Moving") as listener:
        done = tidy(
            wanted, house.home, house.ledger, places_of(house.home), stop=stop_on_interrupt(), listener=listener
        )
    if as_json:
        tell_json(_told(done))
    _sum_up(done, wanted.act)
    raise typer.Exit(NOT_ALL if done.trouble or wanted.left else DONE)


def _show(home: Library, wanted: Tidying, *, as_json: bool) -> None:
    moves = [(os.path.relpath(row.source, home.root), row.destination or "") for row in wanted.laid.rows]
    moves += [(one.old, one.new) for one in wanted.folders]
    moves += [(file.path, "") for whole in wanted.aside for file in whole.files]
    if as_json:
        clashes = [{"from": one.file.path, "to": one.to, "there": one.there} for one in wanted.clashes]
        tell_json({"moves": [list(one) for one in moves], "clashes": clashes, "left": list(wanted.left)})
        return
    for old, new in moves:
        out(old, new)
    for clash in wanted.clashes:
        same = ", of the same size" if clash.may_be_same else ""
        complain(f"{shown(clash.file.path)} can't be {shown(clash.to)}: {shown(clash.there)} has that name{same}.")
    if wanted.clashes:
        say("Nothing was moved. --taken both, same or leave says what is done where a name is taken.")
    elif wanted.is_nothing:
        say("There is nothing to do.")
    else:
        say(f"{_counted(wanted.captures, wanted.files, len(wanted.folders))} would be {wanted.act}.")


def _told(done: Tidied) -> dict[str, object]:
    return {
        "runs": list(done.runs), "captures": done.captures, "files": done.files, "folders": done.folders,
        "why": done.why,
    }  # fmt: skip


def _counted(captures: int, files: int, folders: int) -> str:
    if folders:
        return counted(folders, "folder")
    return f"{counted(captures, 'capture')} ({counted(files, 'file')})"


def _sum_up(done: Tidied, act: str) -> None:
    from jutrek.transfer.journal import number_of

    if done.why:
        complain(done.why)
    back = "; ".join(f"`jutrek take-back {number_of(run) or run}`" for run in reversed(done.runs))
    say(f"{_counted(done.captures, done.files, done.folders)} {act}." + (f" {back} takes it back." if back else ""))
