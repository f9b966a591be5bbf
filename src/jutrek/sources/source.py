"""What a source is: a card, or a folder that files arrive in."""

from __future__ import annotations

import os
from dataclasses import dataclass
from enum import StrEnum
from functools import partial

from jutrek.disk import patiently
from jutrek.sources.drives import Drive

CARD_FOLDERS = frozenset({"dcim", "private", "avchd", "bpav", "clip", "contents", "mp_root", "take", "takes"})
"""Folders at the top of a medium that cameras and recorders make (DCF, AVCHD and kin)."""


class Medium(StrEnum):
    """What kind of thing a source is."""

    CARD = "card"
    FOLDER = "folder"


@dataclass(frozen=True, slots=True)
class Source:
    """A place that files come from.

    Attributes:
        root: its absolute path.
        name: the name of its folder, or the label under which it is mounted.
        medium: a card when it bears a camera's folders at its top, else a folder.
        capacity: bytes of the whole medium when the source is a mounted one, else 0.
    """

    root: str
    name: str
    medium: Medium
    capacity: int = 0


def known_source(path: str) -> Source:
    """Look at a folder and tell what kind of source it is. Reads one folder listing.

    Raises:
        OSError: when the folder cannot be listed.
    """
    root = os.path.abspath(path)
    fd = open_folder(root)
    try:
        tops = set(os.listdir(fd))
    finally:
        os.close(fd)
    capacity = 0
    if os.path.ismount(root):
        room = os.statvfs(root)
        capacity = room.f_blocks * room.f_frsize
    is_card = any(top.lower() in CARD_FOLDERS for top in tops)
    return Source(root, os.path.basename(root) or root, Medium.CARD if is_card else Medium.FOLDER, capacity)


def is_card(drive: Drive) -> bool:
    """Whether a medium that is mounted bears a camera's folders. One that cannot be listed does not."""
    try:
        if not drive.mount:
            return False
        return patiently(drive.mount, partial(known_source, drive.mount)).medium is Medium.CARD
    except OSError:
        return False


def open_folder(path: str, *, follow: bool = True) -> int:
    """Open a folder for listing, leaving its time of last access alone where allowed.

    Raises:
        OSError: when it cannot be opened.
    """
    flags = os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC | (0 if follow else os.O_NOFOLLOW)
    try:
        return os.open(path, flags | os.O_NOATIME)
    except PermissionError:
        return os.open(path, flags)
