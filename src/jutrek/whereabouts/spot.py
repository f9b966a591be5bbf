"""A position with a name."""

from __future__ import annotations

from typing import NamedTuple


class Spot(NamedTuple):
    """A place that the house gave a name to.

    Attributes:
        name: what it is called.
        latitude, longitude: in degrees (WGS 84).
        metres: how far it reaches.
    """

    name: str
    latitude: float
    longitude: float
    metres: int = 500
