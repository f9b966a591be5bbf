"""What every page is given."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from jutrek.ui.theme import Theme

if TYPE_CHECKING:
    from jutrek.ui.pictures.service import Pictures
    from jutrek.ui.shell.client import Client
    from jutrek.ui.shell.runs import RunControl


class Context(NamedTuple):
    """What every page is given.

    Attributes:
        theme: colours.
        pictures: thumbnails, large pictures, and the threads behind them.
        client: the way to the session.
        runs: the run of an intake.
        go_to: opens a page by its key.
        show_file: shows a file in the program that the desktop has for it.
        look_into: shows what lies in a folder of the library.
        sort_by_hand: sorts captures that just came home, by their paths, under a name.
    """

    theme: Theme
    pictures: Pictures
    client: Client
    runs: RunControl
    go_to: Callable[[str], object]
    show_file: Callable[[str], None]
    look_into: Callable[[str], None]
    sort_by_hand: Callable[[str, Sequence[str]], None]
