"""How much room there is where files are kept."""

from __future__ import annotations

import os
from functools import partial

from jutrek.desk.board import Storage
from jutrek.disk import patiently

_PATIENCE = 0.2
"""Seconds: it is asked for every board."""


def storage_at(name: str, root: str, id_: str = "", *, here: bool = True) -> Storage:
    """A place with its room; where it cannot be asked, with none.

    Args:
        name: what people call it.
        root: its folder.
        id_: of a place; empty for the library.
        here: whether it is connected.
    """
    try:
        room = patiently(f"room of {root}", partial(os.statvfs, root), _PATIENCE) if here else None
    except OSError:
        room = None
    free, total = (room.f_bavail * room.f_frsize, room.f_blocks * room.f_frsize) if room else (0, 0)
    return Storage(name, root, free, total, id_, here)
