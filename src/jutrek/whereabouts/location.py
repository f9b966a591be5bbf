"""Where something is, by all the names that it has."""

from __future__ import annotations

from typing import NamedTuple


class Location(NamedTuple):
    """Where a position is; empty where nothing is known.

    Attributes:
        spot: what the house calls it.
        city: the nearest town that is not far.
        state: the province or state of that.
        country: its name.
        code: of the country, ISO 3166-1 alpha-2.
    """

    spot: str = ""
    city: str = ""
    state: str = ""
    country: str = ""
    code: str = ""

    @property
    def name(self) -> str:
        """What it is called in short: by the house, else by the town."""
        return self.spot or self.city


NOWHERE = Location()
