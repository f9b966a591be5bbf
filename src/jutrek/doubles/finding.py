""" "Do I have this?": where files stand against a library, and all the places in it where each is."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from jutrek.captures import ReadFile
from jutrek.doubles.beyond_bytes import Lookout, retagged
from jutrek.doubles.comparing import NEW, Comparison, Standing, compare
from jutrek.errors import SourceUnreadable
from jutrek.formats import read
from jutrek.library import HomeFile, Library
from jutrek.library.fingerprint import full, quick
from jutrek.sources import SourceFile

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Report = Callable[[str, int, int], None]


@dataclass(frozen=True, slots=True)
class Answer:
    """Where a file stands.

    Attributes:
        path: the file that was asked about.
        standing: new, home, retagged, re-encoded or look-alike.
        at: where it is in the library, relative to it; empty for new.
    """

    path: str
    standing: Standing
    at: tuple[str, ...]


def find(
    files: Sequence[SourceFile],
    library: Library,
    ledger: Ledger,
    *,
    only_bytes: bool = False,
    stop: threading.Event,
    report: Report = lambda what, done, total: None,
) -> list[Answer]:
    """Tell for each file whether a library has it. The ledger must have been surveyed, and learnt for more than bytes.

    Each file is asked about for itself: two that are the same are not each other's twins here.

    Args:
        only_bytes: whether nothing but the same bytes is looked for.

    Raises:
        SourceUnreadable: when a file cannot be read.
        Stopped: when `stop` was set.
    """
    stands: dict[str, Comparison] = {}
    new: list[ReadFile] = []
    for number, file in enumerate(files):
        report("Comparing with the library", number, len(files))
        stands |= compare([file], ledger, library.root, stop=stop)
        if stands[file.path].standing is Standing.NEW and not only_bytes:
            one = ReadFile(file, read(file.path), None)
            found = retagged([one], stands, ledger, library.root, stop=stop)
            stands |= found
            new += [] if found else [one]
    look = Lookout(ledger, library.root, stop, partial(report, "Looking at pictures"), within=False)
    stands |= look.standings(new, stands)
    return [_answer(file, stands.get(file.path, NEW), library, ledger) for file in files]


def _answer(file: SourceFile, stands: Comparison, library: Library, ledger: Ledger) -> Answer:
    if stands.standing is Standing.HOME:
        return Answer(file.path, stands.standing, tuple(_all_equal(stands.equal, file.size, library, ledger)))
    return Answer(file.path, stands.standing, (stands.equal,) if stands.equal else ())


def _all_equal(path: str, size: int, library: Library, ledger: Ledger) -> Iterator[str]:
    """All files of the library with the bytes of one of them."""
    homes = ledger.of_sizes([size])
    mine = next(one for one in homes if one.path == path)
    for one in homes:
        known = one if one.full is not None or one.path == path else _learnt(one, mine, library, ledger)
        if known is not None and known.full == mine.full:
            yield known.path


def _learnt(one: HomeFile, like: HomeFile, library: Library, ledger: Ledger) -> HomeFile | None:
    """A file with its fingerprints, if its quick one is that of another; None if not, or if it cannot be read."""
    path = ledger.stored.at(library.root, one.path)
    try:
        known = replace(one, quick=one.quick or quick(path))
        if known.quick == like.quick:
            known = replace(known, full=full(path))
    except SourceUnreadable:
        return None
    ledger.put([known])
    return known if known.full is not None else None
