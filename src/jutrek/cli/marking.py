"""`jutrek mark` and `jutrek marks`: marks of the house, and which captures have them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.cli.tidying import NOT_ALL, Paths, That, meant, ready
from jutrek.errors import NotPossible
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.library.marks import HouseMark

marks_app = typer.Typer(
    help="Marks of the house: a letter, what it means, and a colour. `jutrek mark` gives them to captures.",
    no_args_is_help=True,
)  # fmt: skip

_Letter = Annotated[str, typer.Argument(help="A letter or digit.")]


def mark_command(
    library: LibraryOption,
    paths: Paths = None,
    mark: Annotated[str, typer.Option("--as", help="The letter of the mark, or what it means.")] = "",
    off: Annotated[bool, typer.Option("--off", help="Take marks off instead.")] = False,
    that: That = "",
    as_json: AsJson = False,
) -> None:
    """Give captures or folders a mark of the house, where other programs see it: in sidecars beside or in them."""
    from jutrek.desk.marking import mark_captures, mark_folders
    from jutrek.desk.places import places_of
    from jutrek.desk.sidecars import follow
    from jutrek.transfer.journal import number_of

    if bool(mark) == off:
        raise typer.BadParameter("say which mark: --as LETTER, or --off")
    with ready(library) as house:
        label = "" if off else _mark(house.home, mark).letter
        folders, rows = meant(house, paths or [], that)
        if folders and rows:
            raise typer.BadParameter("mark either folders or captures at a time")
        stop = stop_on_interrupt()
        if folders:
            done = mark_folders(folders, label, house.home, house.ledger, stop=stop)
        else:
            done = mark_captures(house.columns, rows, label, house.home, house.ledger, stop=stop)
        behind = follow(done.written, house.home, house.ledger, places_of(house.home), stop=stop)
    if as_json:
        tell_json({"run": done.run, "captures": done.captures, "same": done.same, "why": done.why})
    for why in filter(None, (done.why, behind)):
        complain(why)
    back = f" `jutrek take-back {number_of(done.run) or done.run}` takes it back." if done.run else ""
    one = "folder" if folders else "capture"
    already = f" {counted(done.same, one)} had it already." if done.same and not off else ""
    what = "have no mark any more" if off else f"marked {label}"
    say(f"{counted(done.captures, one)} {what}.{already}{back}")
    raise typer.Exit(NOT_ALL if done.why or behind else 0)


def _mark(home: Library, text: str) -> HouseMark:
    from jutrek.library.marks import mark_said, marks_of

    marks = marks_of(home)[0]
    found = mark_said(marks, text)
    if found is None:
        known = ", ".join(f"{one.letter} {one.meaning}".strip() for one in marks)
        raise NotPossible(
            home.root, f"the house has no mark “{text}”; there are: {known or 'none; `jutrek marks keep` makes one'}"
        )
    return found


@marks_app.command("list")
def list_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the marks of the house."""
    from jutrek.library import open_library
    from jutrek.library.marks import marks_of

    marks, bad = marks_of(open_library(str(library)))
    for one in marks:
        tell_json(one._asdict()) if as_json else out(one.letter, one.meaning, one.colour)
    for trouble in bad:
        complain(trouble)


@marks_app.command("folders")
def folders_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the folders that have a mark."""
    from jutrek.views.columns import Names

    with ready(library) as house:
        names = house.columns.names
        for path, letter in sorted(zip(names[Names.FOLDER], names[Names.FOLDER_MARK], strict=True)):
            if letter:
                tell_json({"path": path, "mark": letter}) if as_json else out(letter, path or ".")


@marks_app.command("keep")
def keep_command(
    letter: _Letter,
    library: LibraryOption,
    meaning: Annotated[str, typer.Argument(help="What it means, such as: for the report.")] = "",
    colour: Annotated[str, typer.Option("--colour", help="Its colour; one that is free otherwise.")] = "",
) -> None:
    """Write down a mark, or another meaning or colour of one."""
    from jutrek.library import open_library
    from jutrek.library.marks import HouseMark, free_colour, keep_mark, mark_said, marks_of

    home = open_library(str(library))
    known = marks_of(home)[0]
    own = mark_said([one for one in known if one.letter == letter.upper()], letter)
    wanted = HouseMark(letter, meaning, colour or (own.colour if own else free_colour(known)))
    before = keep_mark(home, wanted)
    say(f"{letter.upper()} means: {meaning or 'nothing in words'}.")
    if before is not None and before.meaning != meaning:
        say(f"Before it meant: {before.meaning or 'nothing in words'}.")


@marks_app.command("forget")
def forget_command(letter: _Letter, library: LibraryOption) -> None:
    """Take a mark from the list. Captures that have it keep its letter."""
    from jutrek.library import open_library
    from jutrek.library.marks import forget_mark

    was = forget_mark(open_library(str(library)), letter)
    say(f"{was.letter} is no mark of the house any more. It meant: {was.meaning or 'nothing in words'}.")
