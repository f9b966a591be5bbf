"""`jutrek spots`: names that the house gives to positions."""

from __future__ import annotations

from typing import Annotated

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, out, say

spots_app = typer.Typer(
    help="Spots: names that the house gives to positions, such as a depot that is on no map.", no_args_is_help=True
)  # fmt: skip

_Name = Annotated[str, typer.Argument(help="What the spot is called.")]


@spots_app.command("name", context_settings={"ignore_unknown_options": True})
def name_command(
    name: _Name,
    position: Annotated[list[str], typer.Argument(help="Its latitude and longitude in degrees, such as 47.25, -11.4.")],
    library: LibraryOption,
    reach: Annotated[int, typer.Option("--reach", help="How many metres it reaches.", min=1, max=100_000)] = 500,
) -> None:
    """Give a position a name. Captures shot there are near it, and house rules may call them by it."""
    from jutrek.library import open_library
    from jutrek.library.spots import name_spot
    from jutrek.whereabouts import Spot

    home = open_library(str(library))
    numbers = " ".join(position).replace(",", " ").split()
    try:
        latitude, longitude = map(float, numbers)
    except ValueError as error:
        raise typer.BadParameter("a latitude and a longitude in degrees are wanted", param_hint="POSITION") from error
    before = name_spot(home, Spot(name, latitude, longitude, reach))
    say(f"“{name}” is at {latitude:g}, {longitude:g}, and reaches {reach:,} m.")
    if before is not None:
        say(f"Before it was at {before.latitude:g}, {before.longitude:g}, and reached {before.metres:,} m.")


@spots_app.command("list")
def list_command(library: LibraryOption, as_json: AsJson = False) -> None:
    """List the spots."""
    from jutrek.library import open_library
    from jutrek.library.spots import spots_of

    spots, bad = spots_of(open_library(str(library)))
    for one in spots:
        tell_json(one._asdict()) if as_json else out(one.name, one.latitude, one.longitude, f"{one.metres:,} m")
    for trouble in bad:
        complain(trouble)


@spots_app.command("remove")
def remove_command(name: _Name, library: LibraryOption) -> None:
    """Call a position so no longer."""
    from jutrek.library import open_library
    from jutrek.library.spots import forget_spot

    was = forget_spot(open_library(str(library)), name)
    say(f"“{was.name}” is no spot any more.")
    say(f"It was at {was.latitude:g}, {was.longitude:g}, and reached {was.metres:,} m.")
