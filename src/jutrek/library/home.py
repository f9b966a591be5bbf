"""A file that is at home."""

from __future__ import annotations

from dataclasses import dataclass


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
