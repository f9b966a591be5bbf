"""How much room there is where files are kept."""

from __future__ import annotations

import os

from jutrek.desk.board import Storage


def storage_at(name: str, root: str, id_: str = "", *, here: bool = True) -> Storage:
    """A place with its room; where it cannot be asked, with none.

    Args:
        name: what people call it.
        root: its folder.
        id_: of a place; empty for the library.
        here: whether it is connected.
    """
    try:
        room = os.statvfs(root) if here else None
    except OSError:
        room = None
    free, total = (room.f_bavail * room.f_frsize, room.f_blocks * room.f_frsize) if room else (0, 0)
    return Storage(name, root, free, total, id_, here)
