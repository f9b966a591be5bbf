"""What changed in a library outside: moved, changed, gone, new; by content, not by name.

A survey that looks closely. A file of another size or time is another version of what it was, and keeps what is known
of it, unless what both say contradicts that: of another kind, shot at another time or by another device it is another
file, and the one that was there is gone. A file that is being written is left until it rests.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from jutrek.captures import RUNGS, Said, decided
from jutrek.errors import SourceUnreadable
from jutrek.formats import Kind, read
from jutrek.library import Library, Survey, survey
from jutrek.library.survey import Eyes, Stamp
from jutrek.views.describing import description

if TYPE_CHECKING:
    from jutrek.filing import HouseRules
    from jutrek.library.ledger import Ledger

RESTS = 1.5
"""Seconds that a file must have been left alone."""
_BESIDE = frozenset({Kind.SIDECAR.value, Kind.OTHER.value, ""})


def outside(
    library: Library,
    ledger: Ledger,
    rules: HouseRules,
    *,
    take_in: bool = True,
    rest: float = RESTS,
    stop: threading.Event | None = None,
    report: Callable[[int], None] | None = None,
) -> Survey:
    """Look what changed since the library was looked through last.

    Args:
        library: the library.
        ledger: its ledger, open.
        rules: the house's: which dates it trusts.
        take_in: whether that is known from now on; else it is only told.
        rest: how many seconds a file must have been left alone.
        stop: ends it when it is set.
        report: told the number of files seen, now and then.

    Raises:
        LibraryMissing: when the library's root cannot be listed.
        Stopped: when `stop` was set.
    """
    eyes = Eyes(take_in, rest, lambda path, before: _is_other(library, ledger, rules, path, before))
    return survey(library, ledger, stop=stop, report=report, eyes=eyes)


def _is_other(library: Library, ledger: Ledger, rules: HouseRules, path: str, before: Stamp) -> bool:
    """Whether a file is another one than what the ledger knows under its name."""
    known = ledger.descriptions.dated_of(path)
    if known is None or (known.size, known.mtime_ns) != before or known.kind in _BESIDE:
        return False
    whole = ledger.stored.at(library.root, path)
    try:
        reading = read(whole)
    except SourceUnreadable:
        return False
    moment = decided([Said(library.root, whole, reading)], ladder=[RUNGS[name] for name in rules.trust])[0]
    now = description(path, 0, 0, reading, moment)
    pairs = ((known.kind, now.kind), (known.taken, now.taken), (known.device, now.device))
    return now.kind not in _BESIDE and any(was and is_now and was != is_now for was, is_now in pairs)
