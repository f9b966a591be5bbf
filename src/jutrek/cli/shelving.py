"""`jutrek shelf`: groups made by hand, with an order. Files stay where they are."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.completing import sentences, shelves
from jutrek.cli.library import LibraryOption
from jutrek.cli.listing import looked_at, understood
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.errors import NotPossible
from jutrek.words import counted

if TYPE_CHECKING:
    from jutrek.desk.looking_at import Look
    from jutrek.views.conditions import Condition
    from jutrek.views.shelves import Thing

shelf_app = typer.Typer(help="Shelves: groups made by hand, with an order of their own.", no_args_is_help=True)

_Name = Annotated[str, typer.Argument(help="What the shelf is called.", autocompletion=shelves)]
_Words = Annotated[
    list[str], typer.Argument(help="Which captures, such as: rated 5 in 2026.", autocompletion=sentences)
]  # fmt: skip


@shelf_app.command("put")
def put_command(
    name: _Name,
    sentence: _Words,
    library: LibraryOption,
    before: Annotated[
        str, typer.Option("--before", metavar="PATH", help="Put them in front of this one, by its path in the library.")
    ] = "",
) -> None:
    """Put the captures that a sentence says on a shelf, which is made where there is none. Those on it are moved."""
    from jutrek.desk.looking_at import rows_of
    from jutrek.views.shelves import change, put_on, shelf_called
    from jutrek.views.shelving import shelf_among, things_of

    wanted = understood(" ".join(sentence))
    with looked_at(library, wanted, _any_shelf()) as look:
        rows, shelf = rows_of(look, wanted).tolist(), shelf_among(look.shelves, name)
        things = things_of(look.columns, rows, look.home, look.ledger, shelf, stop=stop_on_interrupt())
        ahead = _on_it(look, name, before) if before else None
        was, now = change(look.home, lambda shelves: put_on(shelves, name, things, ahead))
    count = len(shelf_called(now, name).things)
    new = count - next((len(one.things) for one in was if one.name == shelf_called(now, name).name), 0)
    say(f"{counted(len(things), 'capture')} put on “{shelf_called(now, name).name}”, {new:,} of them new on it.")
    say(f"It has {counted(count, 'capture')} now.")


@shelf_app.command("take")
def take_command(name: _Name, sentence: _Words, library: LibraryOption) -> None:
    """Take the captures that a sentence says off a shelf. Files stay where they are."""
    from jutrek.desk.looking_at import rows_of
    from jutrek.views.shelves import change, shelf_called, take_off
    from jutrek.views.shelving import shelf_among

    wanted = understood(" ".join(sentence))
    with looked_at(library, wanted, _any_shelf()) as look:
        shelf = shelf_among(look.shelves, name)
        rows = set(rows_of(look, wanted).tolist())
        standing = zip(shelf.rows.tolist(), shelf.things, strict=True) if shelf is not None else ()
        gone = [one for row, one in standing if row in rows]
        _, now = change(look.home, lambda shelves: take_off(shelves, name, gone))
    left = shelf_called(now, name)
    say(f"{counted(len(gone), 'capture')} taken off “{left.name}”; it has {counted(len(left.things), 'capture')} now.")


@shelf_app.command("list")
def list_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the shelves: how many captures stand on each, and how many of them are not at home."""
    with looked_at(library, _any_shelf()) as look:
        for one in look.shelves:
            if as_json:
                tell_json({"name": one.name, "count": len(one.rows), "missing": [gone.path for gone in one.missing]})
            else:
                out(len(one.rows), one.name, f"{len(one.missing):,} not at home" if one.missing else "")


@shelf_app.command("rename")
def rename_command(
    name: _Name, new: Annotated[str, typer.Argument(help="What it is to be called.")], library: LibraryOption
) -> None:
    """Call a shelf otherwise."""
    from jutrek.library import open_library
    from jutrek.views.shelves import change, renamed, shelf_called

    _, now = change(open_library(str(library)), lambda shelves: renamed(shelves, name, new))
    say(f"It is called “{shelf_called(now, new).name}”.")


@shelf_app.command("remove")
def remove_command(name: _Name, library: LibraryOption) -> None:
    """Do away with a shelf. What stands on it stays where it is; `shelf back` brings the shelf back."""
    from jutrek.library import open_library
    from jutrek.views.shelves import change, removed, shelf_called

    was, _ = change(open_library(str(library)), partial(removed, name=name))
    shelf = shelf_called(was, name)
    say(f"“{shelf.name}” is no shelf any more; {counted(len(shelf.things), 'capture')} stood on it.")


@shelf_app.command("back")
def back_command(library: LibraryOption) -> None:
    """Take back the last change of shelves; a second time, make it again."""
    from jutrek.library import open_library
    from jutrek.views.shelves import back

    shelves, bad = back(open_library(str(library)))
    for trouble in bad:
        complain(trouble)
    say("Shelves are as they were before the last change.")
    for one in shelves:
        out(len(one.things), one.name)


def _any_shelf() -> Condition:
    from jutrek.views.conditions import Some, Sort

    return Some(Sort.SHELF)


def _on_it(look: Look, name: str, path: str) -> Thing:
    """What stands on a shelf by its path.

    Raises:
        NotPossible: when nothing of that path does.
    """
    row = look.columns.rows_of([path]).get(path)
    from jutrek.views.shelving import shelf_among

    shelf = shelf_among(look.shelves, name)
    if shelf is None or row is None or row not in shelf.rows:
        raise NotPossible(path, f"it does not stand on “{name}”")
    found: dict[int, Thing] = dict(zip(shelf.rows.tolist(), shelf.things, strict=True))
    return found[row]
