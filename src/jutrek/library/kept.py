"""What somebody decided to keep beside each other, though it is the same or looks alike: never asked about again.

One JSON line for each such group in `LIBRARY/.jutrek/kept-both.jsonl`: the quick fingerprints of its files, in
hexadecimal digits. They are told by content, so that moving and renaming changes nothing.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Sequence

from jutrek.disk import write_own
from jutrek.errors import LibraryMissing, reason
from jutrek.library.identity import Library

_NAME = "kept-both.jsonl"


def _path(library: Library) -> str:
    return os.path.join(library.own, _NAME)


def kept_beside(library: Library) -> list[frozenset[bytes]]:
    """The groups that are kept, each as the quick fingerprints of its files. Lines that cannot be read are left out."""
    try:
        with open(_path(library), encoding="utf-8") as file:
            lines = file.read().splitlines()
    except (OSError, UnicodeDecodeError):
        return []
    found = []
    for line in lines:
        try:
            found.append(frozenset(bytes.fromhex(str(mark)) for mark in json.loads(line)))
        except (ValueError, TypeError):
            continue
    return found


def keep_beside(library: Library, groups: Iterable[Sequence[bytes]]) -> None:
    """Keep further groups.

    Raises:
        LibraryMissing: when it cannot be written; then nothing is changed.
    """
    _write(library, [*kept_beside(library), *map(frozenset, groups)])


def forget_kept(library: Library, groups: Iterable[Sequence[bytes]]) -> None:
    """Ask about groups again.

    Raises:
        LibraryMissing: as above.
    """
    again = set(map(frozenset, groups))
    _write(library, [one for one in kept_beside(library) if one not in again])


def _write(library: Library, groups: Sequence[frozenset[bytes]]) -> None:
    lines = dict.fromkeys(json.dumps(sorted(mark.hex() for mark in group)) + "\n" for group in groups if group)
    try:
        write_own(_path(library), "".join(lines).encode())
    except OSError as error:
        raise LibraryMissing(library.root, f"what is kept can't be written down: {reason(error)}") from error
