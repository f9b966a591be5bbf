"""`jutrek turn`: pictures and clips the other way up, by what their files say; no pixel is touched."""

from __future__ import annotations

from typing import Annotated

import typer

from jutrek.cli.captioning import rows_of
from jutrek.cli.completing import folders
from jutrek.cli.library import LibraryOption
from jutrek.cli.options import AsJson
from jutrek.cli.stopping import stop_on_interrupt
from jutrek.cli.telling import as_json as tell_json
from jutrek.cli.telling import complain, say
from jutrek.cli.tidying import NOT_ALL, That, meant, ready
from jutrek.turning.ways import Way
from jutrek.words import counted


def turn_command(
    words: Annotated[
        list[str],
        typer.Argument(
            help="Captures or folders, and last which way: left, right, half or upright.",
            metavar="[PATH]... WAY", autocompletion=folders,
        ),
    ],
    library: LibraryOption,
    that: That = "",
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Turn pictures and clips, by their orientation alone. It can be taken back to what was there."""
    from jutrek.cli.planning import watching
    from jutrek.desk.places import places_of
    from jutrek.desk.sidecars import follow
    from jutrek.desk.turning import turn_captures
    from jutrek.transfer.journal import number_of

    *paths, way = words
    if way not in set(Way):
        raise typer.BadParameter(f"say last which way: {', '.join(Way)}; not “{way}”", param_hint="WAY")
    stop = stop_on_interrupt()
    with ready(library) as house:
        rows = rows_of(house, *meant(house, paths, that))
        with watching("Turning") as listener:
            done = turn_captures(
                house.columns, rows, Way(way), house.home, house.ledger, stop=stop, listener=listener
            )  # fmt: skip
        behind = follow(done.files, house.home, house.ledger, places_of(house.home), stop=stop)
    if as_json:
        tell_json({"run": done.run, "captures": done.captures, "files": list(done.files), "left": list(done.left)})
    for why in filter(None, (*done.left, behind)):
        complain(why)
    back = f" `jutrek take-back {number_of(done.run) or done.run}` turns them back." if done.run else ""
    say(f"{counted(done.captures, 'capture')} turned{'' if way == Way.UPRIGHT else f' {way}'}.{back}")
    raise typer.Exit(NOT_ALL if done.left or behind else 0)
