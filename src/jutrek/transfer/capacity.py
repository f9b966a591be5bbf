"""What a place can take: its room, and the limits of its file system."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass

from jutrek.disk import TEMPORARY
from jutrek.errors import shown
from jutrek.filing import Row
from jutrek.library import Place
from jutrek.sources import filesystem_of

_FAT = frozenset({"vfat", "msdos", "fat"})
_FAT_LIMIT = 2**32 - 1
_MARGIN = 16 * 1024 * 1024
"""Bytes that a place must have beyond the files: for folders, the journal, and what else grows meanwhile."""


@dataclass(frozen=True, slots=True)
class Hindrance:
    """Something that keeps a place from taking files.

    Attributes:
        place: which one.
        what: one sentence.
        lacking: bytes that it has too few; 0 where room is not the matter.
        whole: whether nothing can be brought there at all; else only some files.
    """

    place: Place
    what: str
    lacking: int = 0
    whole: bool = True


def hindrances(place: Place, rows: Sequence[Row]) -> list[Hindrance]:
    """What would keep a place from taking files, as far as can be told before.

    Raises:
        OSError: when it cannot be asked.
    """
    status = os.statvfs(place.root)
    found: list[Hindrance] = []
    if status.f_flag & os.ST_RDONLY:
        found.append(Hindrance(place, f"{shown(place.name)} is mounted read-only."))
    needed, free = sum(row.size for row in rows), status.f_bavail * status.f_frsize
    if rows and needed + min(_MARGIN, free // 100) > free:
        short = needed - free
        words = f"{shown(place.name)} has room for {free / 1e9:,.1f} GB of the {needed / 1e9:,.1f} GB to copy."
        found.append(Hindrance(place, words, max(short, 1)))
    if filesystem_of(place.root) in _FAT and (large := [row for row in rows if row.size > _FAT_LIMIT]):
        words = (
            f"The file system of {shown(place.name)} takes no file of 4 GiB or more: {len(large)} will not come there, "
            f"{shown(os.path.basename(large[0].source))} among them."
        )
        found.append(Hindrance(place, words, whole=False))
    longest = max((len(os.fsencode(name)) for row in rows for name in (row.destination or "").split("/")), default=0)
    if status.f_namemax and max(longest, len(TEMPORARY) + 40 if rows else 0) > status.f_namemax:
        words = f"{shown(place.name)} takes no names of more than {status.f_namemax} bytes."
        found.append(Hindrance(place, words, whole=False))
    return found
