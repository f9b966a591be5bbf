"""The house's own spots: names that it gave to positions, such as a depot or a viaduct that no map of towns knows.

`LIBRARY/.jutrek/spots.toml`, one table for each. It may be edited by hand: an entry that is damaged is told, and the
others work.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.disk import own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.library.identity import Library
from jutrek.library.pagefiles import tables_text

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jutrek.whereabouts import Spot

SPOTS = own("spots.toml")
_NOTE = "Spots of this library: what the house calls a position (degrees, WGS 84), and how many metres it reaches."
LONGEST_NAME, FARTHEST_REACH = 200, 100_000


def spots_of(library: Library) -> tuple[list[Spot], list[str]]:
    """The spots of a library in their order, and a sentence for every entry of the page that is damaged."""
    from jutrek.library import pages
    from jutrek.whereabouts import Spot

    entries, bad = pages.listed(pages.LISTED_SPOT, library.tree, SPOTS, "spot")
    return [Spot(one["name"], one["latitude"], one["longitude"], one["metres"]) for one in entries], bad


def name_spot(library: Library, spot: Spot) -> Spot | None:
    """Give a position a name, in place of what was called so.

    Returns:
        What was called so before.

    Raises:
        NotPossible: when it is none, or cannot be written.
        PageBroken: when the page is damaged: what it says would be lost.
    """
    name = " ".join(spot.name.split())
    if not name or len(name) > LONGEST_NAME or not name.isprintable():
        raise NotPossible(library.root, f"a spot's name has 1 to {LONGEST_NAME} signs that can be printed")
    if not (abs(spot.latitude) <= 90 and abs(spot.longitude) <= 180 and 1 <= spot.metres <= FARTHEST_REACH):
        raise NotPossible(library.root, "a spot has a latitude, a longitude, and a reach of 1 m to 100 km")
    known = _known(library)
    before = next((one for one in known if one.name.casefold() == name.casefold()), None)
    _write(library, [*(one for one in known if one is not before), spot._replace(name=name)])
    return before


def forget_spot(library: Library, name: str) -> Spot:
    """Call a position so no longer. Same errors as `name_spot`.

    Returns:
        What was called so.
    """
    known, wanted = _known(library), " ".join(name.split()).casefold()
    found = next((one for one in known if one.name.casefold() == wanted), None)
    if found is None:
        raise NotPossible(library.root, f"no spot is called “{name}”")
    _write(library, [one for one in known if one is not found])
    return found


def _known(library: Library) -> list[Spot]:
    known, bad = spots_of(library)
    if bad:
        what = "it has to be put right before it is written; `jutrek spots list` says what is wrong"
        raise PageBroken(library.tree.at(SPOTS), what)
    return known


def _write(library: Library, spots: Sequence[Spot]) -> None:
    tables = (
        {
            "name": spot.name, "latitude": round(spot.latitude, 6), "longitude": round(spot.longitude, 6),
            "metres": spot.metres,
        }
        for spot in spots
    )  # fmt: skip
    try:
        library.tree.write_own(SPOTS, tables_text(_NOTE, "spot", tables))
    except OSError as error:
        raise NotPossible(library.root, f"its spots can't be written: {reason(error)}") from error
