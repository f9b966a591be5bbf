"""Which runs have not come to their end in a place, told in the place itself.

A place may be away when its run ends, and also when the next start clears up after a kill: what a run left there half
done would then stay for ever. So a run leaves an empty page `PLACE/.jutrek/at-work/<run>` in every place before it
changes anything there, and removes it when it has ended there in order. The start that finds a place with such a page
clears up by the run's record, and removes it then.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable

from jutrek.disk import Tree, own
from jutrek.library import LIBRARY, Place
from jutrek.transfer.journal import is_run

_FOLDER = own("at-work")


def begin_in(places: Iterable[Place], run: str) -> None:
    """Tell places that a run is at work there. The library has its record, and needs no page."""
    for place in places:
        if place.id != LIBRARY:
            # A place that cannot be written takes no files either.
            with contextlib.suppress(OSError):
                place.tree.make_folders(_FOLDER)
                os.close(place.tree.open(_FOLDER.below(run), os.O_CREAT | os.O_WRONLY))
                place.tree.sync_folder(_FOLDER)


def end_in(places: Iterable[Place], run: str) -> None:
    """Tell places that a run left nothing half done there."""
    for place in places:
        if place.id != LIBRARY:
            with contextlib.suppress(OSError):
                place.tree.remove_own(_FOLDER.below(run))


def at_work_in(tree: Tree) -> list[str]:
    """The runs that have not come to their end in a place, oldest first."""
    try:
        return sorted(name for name in tree.regular_names(_FOLDER) if is_run(name))
    except OSError:
        return []
