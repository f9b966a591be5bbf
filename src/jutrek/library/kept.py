"""What somebody decided to keep beside each other, though it is the same or looks alike: never asked about again.

One JSON line for each such group in `LIBRARY/.jutrek/kept-both.jsonl`: the quick fingerprints of its files, in
hexadecimal digits. They are told by content, so that moving and renaming changes nothing.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence

from jutrek.disk import own
from jutrek.errors import LibraryMissing, PageBroken, reason
from jutrek.library.identity import Library

_PAGE = own("kept-both.jsonl")


def kept_beside(library: Library) -> list[frozenset[bytes]]:
    """The groups that are kept, each as the quick fingerprints of its files. Lines that are damaged are left out."""
    try:
        return _listed(library)[0]
    except PageBroken:
        return []


def damaged_kept(library: Library) -> list[str]:
    """A sentence for every line of the list that is damaged."""
    try:
        return [why for _, why in _listed(library)[1]]
    except PageBroken as error:
        return [str(error)]


def _listed(library: Library) -> tuple[list[frozenset[bytes]], list[tuple[bytes, str]]]:
    from jutrek.library import pages

    good, bad = pages.lines(pages.KEPT_GROUP, library.tree, _PAGE)
    return [frozenset(map(bytes.fromhex, marks)) for marks in good], bad


def keep_beside(library: Library, groups: Iterable[Sequence[bytes]]) -> None:
    """Keep further groups.

    Raises:
        LibraryMissing: when it cannot be written; then nothing is changed.
        PageBroken: when the page cannot be read.
    """
    good, bad = _listed(library)
    _write(library, [*good, *map(frozenset, groups)], bad)


def forget_kept(library: Library, groups: Iterable[Sequence[bytes]]) -> None:
    """Ask about groups again. Same errors as `keep_beside`."""
    again = set(map(frozenset, groups))
    good, bad = _listed(library)
    _write(library, [one for one in good if one not in again], bad)


def _write(library: Library, groups: Sequence[frozenset[bytes]], damaged: Sequence[tuple[bytes, str]]) -> None:
    """Write the page anew. Lines that are damaged stay as they are: somebody may put them right."""
    made = dict.fromkeys(json.dumps(sorted(mark.hex() for mark in group)).encode() for group in groups if group)
    lines = [*made, *(line for line, _ in damaged)]
    if not lines and library.tree.found(_PAGE) is None:
        return
    try:
        library.tree.write_own(_PAGE, b"".join(line + b"\n" for line in lines))
    except OSError as error:
        raise LibraryMissing(library.root, f"what is kept can't be written down: {reason(error)}") from error
