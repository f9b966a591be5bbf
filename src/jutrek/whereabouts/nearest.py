"""Which spot or town is nearest to positions, by distances along the ground."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from jutrek.whereabouts.location import NOWHERE, Location
from jutrek.whereabouts.towns import countries, towns

if TYPE_CHECKING:
    from numpy.typing import ArrayLike, NDArray
    from scipy.spatial import cKDTree

    from jutrek.whereabouts.spot import Spot

EARTH = 6_371_000.0
"""Its mean radius in metres."""
FARTHEST = 25_000.0
"""Metres from a town beyond which a position is not called by it."""
_DIGITS = 4
"""Of degrees: some ten metres. Pictures of one spot are asked for once."""


def named(spots: Sequence[Spot], latitudes: ArrayLike, longitudes: ArrayLike) -> list[str]:
    """What positions are called; empty where one has no name, or is none. Arguments as in `Whereabouts.names`."""
    return [one.name for one in _found(spots, latitudes, longitudes, spots_only=True)]


def located(spots: Sequence[Spot], latitudes: ArrayLike, longitudes: ArrayLike) -> list[Location]:
    """Where positions are, by all their names. Arguments as in `Whereabouts.names`."""
    return _found(spots, latitudes, longitudes, spots_only=False)


def _found(spots: Sequence[Spot], latitudes: ArrayLike, longitudes: ArrayLike, *, spots_only: bool) -> list[Location]:
    """Where positions are.

    Args:
        spots_only: whether what has a spot's name is not asked for its town.
    """
    places = np.stack([np.asarray(latitudes, float), np.asarray(longitudes, float)], axis=1)
    rounded, inverse = np.unique(np.round(places, _DIGITS), axis=0, return_inverse=True)
    known = np.flatnonzero(~np.isnan(rounded).any(axis=1) & (np.abs(rounded[:, 0]) <= 90))
    points = unit(rounded[known, 0], rounded[known, 1])
    names = [Location(name) for name in _of_spots(spots, points)]
    left = [at for at, one in enumerate(names) if not (one.spot and spots_only)]
    if left:
        distances, nearest = _tree().query(points[left], k=1)
        for at, distance, town in zip(left, metres(distances).tolist(), nearest.tolist(), strict=True):
            if distance <= FARTHEST:
                names[at] = _in_town(names[at].spot, town)
    found = [NOWHERE] * len(rounded)
    for at, name in zip(known.tolist(), names, strict=True):
        found[at] = name
    return [found[at] for at in inverse.reshape(-1).tolist()]


def _in_town(spot: str, town: int) -> Location:
    known = towns()
    code = known.codes[town]
    return Location(spot, known.names[town], known.states[town], countries().get(code, ""), code)


def _of_spots(spots: Sequence[Spot], points: NDArray[np.float64]) -> list[str]:
    """The nearest spot that reaches to each point; empty where none does."""
    nearest = np.full(len(points), np.inf)
    found = np.full(len(points), -1)
    for at, spot in enumerate(spots):
        distances = metres(np.linalg.norm(points - unit(spot.latitude, spot.longitude), axis=1))
        nearer = (distances <= spot.metres) & (distances < nearest)
        nearest[nearer], found[nearer] = distances[nearer], at
    return [spots[at].name if at >= 0 else "" for at in found.tolist()]


def unit(latitudes: ArrayLike, longitudes: ArrayLike) -> NDArray[np.float64]:
    """Positions in degrees as points of a sphere of radius 1; the last axis has x, y and z."""
    north, east = np.radians(np.asarray(latitudes, float)), np.radians(np.asarray(longitudes, float))
    return np.stack([np.cos(north) * np.cos(east), np.cos(north) * np.sin(east), np.sin(north)], axis=-1)


def metres(chords: NDArray[np.float64]) -> NDArray[np.float64]:
    """Distances along the ground in metres, of distances between points of the sphere of radius 1."""
    arcs: NDArray[np.float64] = 2 * EARTH * np.arcsin(np.clip(chords / 2, 0, 1))
    return arcs


@lru_cache(maxsize=1)
def _tree() -> cKDTree:
    from scipy.spatial import cKDTree

    known = towns()
    return cKDTree(unit(known.latitudes, known.longitudes))
