"""`jutrek counters`: the last numbers that a library's counters gave, and setting them."""

from __future__ import annotations

from typing import Annotated

import typer

from jutrek.cli.completing import counters
from jutrek.cli.library import LibraryOption
from jutrek.cli.telling import out, say
from jutrek.errors import NotPossible, reason, shown

counters_app = typer.Typer(help="The last numbers that counters in names gave.", no_args_is_help=True)
_Counter = Annotated[
    str, typer.Argument(help="What is counted within, as `counters show` lists it.", autocompletion=counters)
]


@counters_app.command("show")
def show_counters(library: LibraryOption) -> None:
    """List what is counted within, and the last number that was given."""
    from jutrek.library import numbers_given, open_library

    for key, number in sorted(numbers_given(open_library(str(library))).items()):
        out(key, number)


@counters_app.command("set")
def set_counter(
    counter: _Counter,
    last: Annotated[int, typer.Argument(min=0, max=999_999_999, help="The number that counts as given last.")],
    library: LibraryOption,
) -> None:
    """Go on behind another number. Names that are there are never given twice, whatever the counter says."""
    _keep(library, counter, last)
    say(f"{counter}: the next number is {last + 1}.")


@counters_app.command("reset")
def reset_counter(counter: _Counter, library: LibraryOption) -> None:
    """Let a counter begin anew, with the first number of the house rules."""
    from jutrek.library import numbers_given, open_library

    home = open_library(str(library))
    known = numbers_given(home)
    if counter not in known:
        raise NotPossible(
            home.root, f"it counts nothing within {shown(counter)}; there are: {', '.join(known) or 'none'}"
        )
    _keep(library, counter, None)
    say(f"{counter} begins anew.")


def _keep(library: LibraryOption, counter: str, last: int | None) -> None:
    from jutrek.library import open_library, set_number
    from jutrek.transfer.lock import locked

    home = open_library(str(library))
    if not counter.startswith(("folder:", "day:", "shoot:")) and counter != "library":
        raise typer.BadParameter(f"“{counter}” is no counter: folder:…, day:…, shoot:… or library")
    try:
        with locked(home):
            set_number(home, counter, last)
    except OSError as error:
        raise NotPossible(home.root, f"its counters can't be written: {reason(error)}") from error
