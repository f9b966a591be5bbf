"""Structures that cards keep their clips in: trees of indexes, play lists and profiles that other programs may need."""

from __future__ import annotations

import os

_ROOTS = frozenset({"avchd", "bdmv", "m4root", "xdroot", "bpav", "contents"})
"""Folders that such a tree begins with: AVCHD and Blu-ray disc trees, clip folders of several kinds of cards."""


def structure_of(path: str, root: str) -> str:
    """The folder in which a file's card structure begins; empty where it is in none.

    Args:
        path: of a file on a source.
        root: of the source.
    """
    parts = os.path.relpath(path, root).split(os.sep)[:-1]
    for number, part in enumerate(parts):
        if part.casefold() in _ROOTS:
            return os.path.join(root, *parts[: number + 1])
    return ""
