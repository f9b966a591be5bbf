"""What somebody declared unwanted, in so many words: it is on a card, it is not home, and nobody misses it.

One JSON line for each in `LIBRARY/.jutrek/unwanted.jsonl`: a file by its content, whatever it is called and on
whichever card; what cannot be read by its path on its source. A house rule may name what every card has of the kind.
"""

from __future__ import annotations

import fnmatch
import json
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from jutrek.disk import own
from jutrek.errors import LibraryMissing, PageBroken, reason
from jutrek.library.identity import Library

_PAGE = own("unwanted.jsonl")


class Unwanted(NamedTuple):
    """Something that was declared unwanted.

    Attributes:
        path: on its source; kept for people, and to tell what cannot be read.
        source: what the source is called.
        who: user and machine.
        at: when, UTC, ISO 8601.
        full: its fingerprint (XXH3-128); empty for what could not be read.
        size: in bytes.
    """

    path: str
    source: str
    who: str
    at: str
    full: bytes = b""
    size: int = 0

    def is_of(self, path: str, source: str, size: int, full: bytes) -> bool:
        """Whether it was declared of this: the same content, or the same unreadable thing of the same source.

        Args:
            path: as it lies on its source.
            source: the source's folder.
            size: in bytes.
            full: its fingerprint; empty where it was not read.
        """
        if self.full:
            return (full, size) == (self.full, self.size)
        return not full and (path, source) == (self.path, self.source)


def declared(library: Library) -> list[Unwanted]:
    """What was declared unwanted. Lines that are damaged are left out: what they said is missed again."""
    try:
        return _listed(library)[0]
    except PageBroken:
        return []


def damaged_unwanted(library: Library) -> list[str]:
    """A sentence for every line of the list that is damaged."""
    try:
        return [why for _, why in _listed(library)[1]]
    except PageBroken as error:
        return [str(error)]


def declare(library: Library, things: Iterable[Unwanted]) -> None:
    """Declare further things unwanted.

    Raises:
        LibraryMissing: when it cannot be written down.
        PageBroken: when the page cannot be read.
    """
    good, bad = _listed(library)
    _write(library, [*good, *things], bad)


def want_again(library: Library, things: Iterable[Unwanted]) -> None:
    """Take declarations back. Same errors as `declare`."""
    back = set(things)
    good, bad = _listed(library)
    _write(library, [one for one in good if one not in back], bad)


def by_rule(path: str, patterns: Sequence[str]) -> str:
    """The pattern of the house that a path on a source ends with; empty where none does. Case is not told."""
    plain = f"/{path.casefold()}"
    return next((one for one in patterns if fnmatch.fnmatchcase(plain, f"*/{one.casefold()}")), "")


def _listed(library: Library) -> tuple[list[Unwanted], list[tuple[bytes, str]]]:
    from jutrek.library import pages

    good, bad = pages.lines(pages.UNWANTED, library.tree, _PAGE)
    things = [
        Unwanted(one["path"], one["source"], one["who"], one["at"], bytes.fromhex(one.get("xxh3_128", "")),
                 one.get("size", 0))
        for one in good
    ]  # fmt: skip
    return things, bad


def _write(library: Library, things: Sequence[Unwanted], damaged: Sequence[tuple[bytes, str]]) -> None:
    lines = [json.dumps(_told(one)).encode() for one in dict.fromkeys(things)] + [line for line, _ in damaged]
    try:
        library.tree.write_own(_PAGE, b"".join(line + b"\n" for line in lines))
    except OSError as error:
        raise LibraryMissing(library.root, f"what is unwanted can't be written down: {reason(error)}") from error


def _told(one: Unwanted) -> dict[str, object]:
    content = {"xxh3_128": one.full.hex(), "size": one.size} if one.full else {}
    return {"path": one.path, "source": one.source, "who": one.who, "at": one.at, **content}
