"""What the ledger knows of files follows their moves."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from jutrek.disk import OWN_FOLDER, Outside, inside
from jutrek.library import LIBRARY, HomeFile, Library
from jutrek.transfer.run_log import known_of_files

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

Pairs = list[tuple[str, str]]
"""Paths relative to the library, before and after a move."""


def follow(ledger: Ledger, pairs: Pairs, *, by_hand: bool = False, turned: str = "") -> None:
    """Let the ledger follow moves. What was put away under `.jutrek/` is not in the library any more.

    Args:
        by_hand: whether names and folders are a person's choice.
        turned: the run, where files moved to one another's names: these are followed once.
    """
    ledger.move([pair for pair in pairs if not any(map(_put_away, pair))], by_hand=by_hand, once=turned)
    gone = [old for old, new in pairs if _put_away(new)]
    ledger.drop(gone)
    ledger.drop_proofs(LIBRARY, gone)


def restore(library: Library, ledger: Ledger, pairs: Pairs) -> None:
    """Let the ledger know again, from the journals, what came back from under `.jutrek/`."""
    back = {new for old, new in pairs if _put_away(old) and not _put_away(new)}
    if back:
        filed, proofs, _, _, amended = known_of_files(library)
        marks = [mark for mark in proofs if not mark.place and mark.path in back]
        ledger.put([HomeFile(mark.path, mark.size, mark.mtime_ns, None, mark.full) for mark in marks])
        ledger.put(list(_as_they_lie(library, back - {mark.path for mark in marks})))
        ledger.put_filed((path, filed[path]) for path in back & filed.keys())
        ledger.put_proofs(marks)
        ledger.amended.put(amended[path]._replace(path=path) for path in back & amended.keys())


def _as_they_lie(library: Library, paths: Iterable[str]) -> Iterator[HomeFile]:
    """Files of which nothing was ever proven."""
    for path in paths:
        with contextlib.suppress(OSError, Outside):
            status = library.tree.lstat(inside(path))
            yield HomeFile(path, status.st_size, status.st_mtime_ns)


def _put_away(path: str) -> bool:
    return path.startswith(f"{OWN_FOLDER}/")
