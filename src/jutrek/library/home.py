"""A file that is at home."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple


@dataclass(frozen=True, slots=True)
class HomeFile:
    """A file in the library.

    Attributes:
        path: relative to the library.
        size: in bytes.
        mtime_ns: time of last change, nanoseconds since 1970, UTC.
        quick, full: fingerprints of 16 bytes (XXH3-128), or None where not made yet.
    """

    path: str
    size: int
    mtime_ns: int
    quick: bytes | None = None
    full: bytes | None = None


class Filed(NamedTuple):
    """By what a file of the library was filed.

    Attributes:
        moment: the local time, ISO 8601 as far as known; empty where it has none.
        shift: how far a clock fix moved it, in seconds.
        device: the device's key.
        operator: who carried it.
        shoot: what its shoot was, as described.
        day: the day that it was filed under, ISO 8601; empty where that is not known.
        said: what was said of its intake, such as the job's number, by name.
        original: the path that it had on its source, relative to the source.
    """

    moment: str = ""
    shift: float = 0.0
    device: str = ""
    operator: str = ""
    shoot: str = ""
    day: str = ""
    said: tuple[tuple[str, str], ...] = ()
    original: str = ""


class ProofMark(NamedTuple):
    """That a file was proven in a place: read back from it, and equal to what was read from its source.

    Attributes:
        place: the place's id; empty for the library.
        path: relative to the place.
        size, mtime_ns: as they were then; a file that has others now was changed since.
        full: its fingerprint (XXH3-128, 16 bytes).
        at: when, UTC, ISO 8601.
    """

    place: str
    path: str
    size: int
    mtime_ns: int
    full: bytes
    at: str


NOT_FILED = Filed()
"""Of a file of which nothing is known."""
