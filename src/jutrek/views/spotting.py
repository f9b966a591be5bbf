"""A spot that holds captures: in their middle, and reaching to the farthest of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from jutrek.views.columns import Columns
from jutrek.whereabouts import Spot

if TYPE_CHECKING:
    from numpy.typing import NDArray

_MORE, _STEP, _LEAST = 50, 50, 200
"""Metres beyond the farthest, in which steps, and at least."""


def spot_around(columns: Columns, rows: Sequence[int] | NDArray[np.int64], name: str) -> Spot | None:
    """A spot with all of these captures whose position is known; None where that of none is."""
    from jutrek.whereabouts.nearest import metres, unit

    latitudes, longitudes = columns.latitude[rows].astype(float), columns.longitude[rows].astype(float)
    known = ~np.isnan(latitudes)
    if not known.any():
        return None
    points = unit(latitudes[known], longitudes[known])
    middle = points.mean(axis=0)
    # Half around the world there is no middle: it is as good anywhere.
    middle = middle / length if (length := float(np.linalg.norm(middle))) > 1e-9 else points[0]
    farthest = float(metres(np.linalg.norm(points - middle, axis=1)).max())
    reach = max(_LEAST, math.ceil((farthest + _MORE) / _STEP) * _STEP)
    x, y, z = middle.tolist()
    latitude, longitude = math.degrees(math.asin(max(-1.0, min(1.0, z)))), math.degrees(math.atan2(y, x))
    return Spot(name, round(latitude, 6), round(longitude, 6), reach)
