"""`jutrek sortings` and `jutrek short`: sortings by hand that were begun in the window, and the house's short forms."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.listing import looked_at, understood
from jutrek.cli.options import AsJson
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say
from jutrek.errors import NotPossible, shown

if TYPE_CHECKING:
    from jutrek.library import Library
    from jutrek.sorting.bench import Bench
    from jutrek.sorting.record import Record

sortings_app = typer.Typer(
    help="Sortings by hand, which are worked at in the window (Library, F4).", no_args_is_help=True
)  # fmt: skip
short_app = typer.Typer(
    help="Short forms: letters that stand for a name wherever a folder is typed.", no_args_is_help=True
)  # fmt: skip

_Which = Annotated[str, typer.Argument(help="Its name, or its id where two are called the same.")]
_Short = Annotated[str, typer.Argument(help="The letters, such as vlt.")]


@sortings_app.command("list")
def list_command(
    library: LibraryOption,
    every: Annotated[bool, typer.Option("--all", help="Also those that were ended.")] = False,
    as_json: AsJson = False,
) -> None:
    """List the sortings: what each is about, and how many captures were filed, set aside, and are to go."""
    from jutrek.sorting.bench import Bench
    from jutrek.sorting.record import records
    from jutrek.views.conditions import EVERYTHING, Sort, Value
    from jutrek.views.laying import Layer

    with looked_at(library, EVERYTHING, Value(Sort.SHELF, "")) as look:
        found, bad = records(look.home)
        layer = Layer(look.columns, look.shelves)
        for one in found:
            if one.ended and not every:
                continue
            try:
                rows = layer.lay(understood(one.head.view)).rows
            except typer.BadParameter as error:
                bad.append(f"{shown(one.head.name)}: {error}")
                continue
            _tell(one, Bench(one, look.columns, rows), as_json=as_json)
            bad += one.bad
    for trouble in bad:
        complain(trouble)


def _tell(one: Record, bench: Bench, *, as_json: bool) -> None:
    head = one.head
    if as_json:
        tell_json({
            "id": head.id, "name": head.name, "view": head.view, "began": head.began.isoformat(),
            "captures": head.captures, "filed": bench.filed, "aside": bench.aside, "to_go": bench.to_go,
            "ended": one.ended,
        })  # fmt: skip
    else:
        state = "ended" if one.ended else f"{bench.to_go:,} to go"
        out(head.name, head.id, f"{bench.filed:,} filed", f"{bench.aside:,} aside", state, head.view)


@sortings_app.command("end")
def end_command(name: _Which, library: LibraryOption) -> None:
    """Be done with a sorting. What was filed stays where it is."""
    home, one = _found(library, name)
    _end(home, one, ended=True)
    say(f"“{shown(one.head.name)}” is ended; jutrek sortings resume {one.head.id} takes it up again.")


@sortings_app.command("resume")
def resume_command(name: _Which, library: LibraryOption) -> None:
    """Go on with a sorting that was ended: the window offers it again."""
    home, one = _found(library, name)
    _end(home, one, ended=False)
    say(f"“{shown(one.head.name)}” goes on.")


def _found(library: object, name: str) -> tuple[Library, Record]:
    from jutrek.library import open_library
    from jutrek.sorting.record import records

    home = open_library(str(library))
    own = [one for one in records(home)[0] if name in (one.head.id, one.head.name)]
    if len(own) != 1:
        why = "there is no such sorting" if not own else "several are called so: name its id"
        raise NotPossible(name, why)
    return home, own[0]


def _end(home: Library, one: Record, *, ended: bool) -> None:
    from jutrek.sorting.record import end

    end(home, one.head.id, ended=ended)


@short_app.command("list")
def list_short_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the short forms, and what they stand for."""
    from jutrek.library import open_library
    from jutrek.library.short_forms import short_forms

    forms, bad = short_forms(open_library(str(library)))
    for short, whole in forms.items():
        tell_json({"short": short, "whole": whole}) if as_json else out(short, whole)
    for trouble in bad:
        complain(trouble)


@short_app.command("keep")
def keep_command(
    short: _Short, whole: Annotated[str, typer.Argument(help="What they stand for.")], library: LibraryOption
) -> None:
    """Have some letters stand for a name."""
    from jutrek.library import open_library
    from jutrek.library.short_forms import keep_short_form

    if not whole.strip():
        raise NotPossible(short, "it needs a name to stand for")
    was = keep_short_form(open_library(str(library)), short, whole)
    say(f"“{short}” stands for “{whole}”." + (f" Before it stood for “{was}”." if was else ""))


@short_app.command("forget")
def forget_command(short: _Short, library: LibraryOption) -> None:
    """Have some letters stand for nothing."""
    from jutrek.library import open_library
    from jutrek.library.short_forms import keep_short_form

    was = keep_short_form(open_library(str(library)), short, "")
    say(f"“{short}” stood for “{was}”." if was else f"“{short}” stood for nothing.")
