"""`jutrek weekly`: a check of a library every week."""

from __future__ import annotations

from typing import Annotated

import typer

from jutrek.cli.library import LibraryOption
from jutrek.cli.telling import say


def weekly_command(
    library: LibraryOption,
    no_more: Annotated[bool, typer.Option("--no-more", help="Have it checked no more.")] = False,
) -> None:
    """Have a library checked every week, half an hour at a time: a timer of your own systemd."""
    from jutrek.desk.weekly import end_weekly, is_weekly, keep_weekly
    from jutrek.library import open_library

    home = open_library(str(library))
    if no_more:
        was = is_weekly(home)
        end_weekly(home)
        say("It is checked every week no more." if was else "It was not checked every week.")
    elif keep_weekly(home):
        say("It is checked every week from now on, on Sundays at four in the morning, or once you are there again.")
    else:
        say("It is checked every week from your next session on.")
