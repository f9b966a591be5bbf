"""Names of positions: the nearest of the house's own spots within its reach, else the nearest town that is not far."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from jutrek.whereabouts.location import Location
    from jutrek.whereabouts.spot import Spot


class Whereabouts:
    """Names of positions. Nothing is loaded before it is asked for some."""

    def __init__(self, spots: Sequence[Spot] = ()) -> None:
        """
        Args:
            spots: the house's own, which come before towns.
        """
        self._spots = tuple(spots)

    def names(
        self, latitudes: Sequence[float] | NDArray[np.float64], longitudes: Sequence[float] | NDArray[np.float64]
    ) -> list[str]:
        """What positions are called.

        Args:
            latitudes, longitudes: in degrees; NaN where there is none.

        Returns:
            A name for each; empty where it has none: at sea, far from any town, or without a position.
        """
        if not len(latitudes):
            return []
        from jutrek.whereabouts.nearest import named

        return named(self._spots, latitudes, longitudes)

    def locations(
        self, latitudes: Sequence[float] | NDArray[np.float64], longitudes: Sequence[float] | NDArray[np.float64]
    ) -> list[Location]:
        """Where positions are, by all their names; arguments as of `names`."""
        if not len(latitudes):
            return []
        from jutrek.whereabouts.nearest import located

        return located(self._spots, latitudes, longitudes)
