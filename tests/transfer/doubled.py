"""Doubles to be set aside."""

from __future__ import annotations

import os

from jutrek.disk import FileStamp
from jutrek.doubles.degrees import Degree
from jutrek.library import Library
from jutrek.transfer.setting_aside import Drop


def drop(library: Library, path: str, keeper: str, degree: Degree = Degree.BYTES, *, carries: bool = False) -> Drop:
    """A drop of files as they are now."""
    goes, stays = (FileStamp.seen(os.lstat(os.path.join(library.root, one))) for one in (path, keeper))
    return Drop(path, goes, keeper, stays, degree, carries)
