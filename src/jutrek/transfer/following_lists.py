"""Hash lists that follow: after moves, catching up and mending the newest lists of a place are true of its disk again.

What the lists of a place say so far is read from them, generation by generation: a later hash of a path holds, a
`previousPath` says from where it came, and a pattern that is ignored that it is not there any more. A further
generation tells how what is proven in the place differs from that. What is missed, or was found bad, stays listed: that
it is not as it was is what a list is for.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from datetime import datetime
from typing import TYPE_CHECKING, Any

from jutrek.disk import OWN_FOLDER, Outside, Tree, inside
from jutrek.errors import LedgerUnusable, reason
from jutrek.filing.rulebook import load_rules
from jutrek.library import LIBRARY, Library, Place, ProofMark, as_place
from jutrek.transfer.hash_lists import (
    LISTS,
    Listed,
    Told,
    list_names,
    parsed_list,
    path_of_pattern,
    pattern_of,
    patterns_in,
    plain,
    write_list,
)

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


class History:
    """What the lists of a place say together.

    Attributes:
        hashes: the XXH3-128 of every path, as hexadecimal digits.
        gone: paths that were listed once, and are ignored since.
        others: what else the newest list ignores.
        lists: how many lists could be read.
    """

    def __init__(self) -> None:
        self.hashes: dict[str, str] = {}
        self.gone: set[str] = set()
        self.others: list[str] = []
        self.lists = 0

    def take(self, page: Any) -> None:
        """Take one more generation."""
        self.lists += 1
        patterns = patterns_in(page)
        gone = {path_of_pattern(one) for one in patterns} - {""}
        listed: dict[str, str] = {}
        for entry in page.iter(_tag("hash")):
            path, full = entry.findtext(_tag("path")) or "", entry.findtext(_tag("xxh128")) or ""
            if previous := entry.findtext(_tag("previousPath")):
                self.hashes.pop(previous, None)
            if full:
                listed[path] = full
        self.hashes |= listed
        for path in gone:
            self.hashes.pop(path, None)
        self.gone, self.others = gone, [one for one in patterns if not path_of_pattern(one)]


def history_of(tree: Tree) -> History:
    """Read the lists below a root, the oldest first. One that is no list is passed over.

    Raises:
        OSError: when they cannot be read.
    """
    history = History()
    for name in list_names(tree):
        page = parsed_list(tree, name)
        if page is not None:
            history.take(page)
    return history


def lists_follow(
    library: Library,
    ledger: Ledger,
    places: Iterable[Place] = (),
    *,
    process: str = "in-place",
    begin: bool = False,
    again: Collection[str] = (),
) -> list[str]:
    """Write a further generation in the library and in places, wherever lists are kept and not true any more.

    Args:
        process: what was done in these places, as the specification calls it; in the library files were moved.
        begin: whether lists are begun in these places where there are none.
        again: paths that are told as verified in any case, where they are.

    Returns:
        Sentences about what could not be written.
    """
    if not load_rules(library).rules.hash_lists:
        return []
    failed = []
    others = [place for place in places if place.id != LIBRARY]
    for place in (as_place(library), *others):
        own = place.id != LIBRARY
        try:
            _list_anew(place, ledger, process if own else "in-place", begin=begin and own, again=again)
        except (OSError, LedgerUnusable) as error:
            where, why = (
                place.name if own else "the library",
                reason(error) if isinstance(error, OSError) else str(error),
            )
            failed.append(f"The hash lists of {where} were not brought up to date: {why.rstrip('.')}.")
    return failed


def _list_anew(place: Place, ledger: Ledger, process: str, *, begin: bool, again: Collection[str]) -> None:
    history = history_of(place.tree)
    if not history.lists and not begin:
        return
    own = f"{OWN_FOLDER}/"
    marks = {plain(path): mark for path, mark in ledger.marks(place.id).items() if not path.startswith(own)}
    proven = {path: mark for path, mark in marks.items() if mark.stands}
    files = list(_changed(history.hashes, proven, marks.keys(), again))
    left = history.hashes.keys() - marks.keys() - {one.previous for one in files}
    ignored = (history.gone | {path for path in left if not _is_there(place.tree, path)}) - proven.keys()
    if not files and ignored == history.gone:
        return
    if not files and proven:
        # A list has an entry at least: something that is proven still.
        path = next(iter(proven))
        files = [_listed(path, proven[path], "verified")]
    patterns = [*history.others, *(pattern_of(path) for path in sorted(ignored))]
    write_list(place.tree, files, process, patterns)


def _changed(
    listed: Mapping[str, str], proven: Mapping[str, ProofMark], known: Collection[str], again: Collection[str]
) -> Iterator[Listed]:
    """What is proven and not listed as it is: moved, new, or another version."""
    left: dict[str, list[str]] = defaultdict(list)
    for path, full in sorted(listed.items(), reverse=True):
        mark = proven.get(path)
        if path not in known or (mark is not None and mark.full.hex() != full):
            left[full].append(path)
    for path, mark in sorted(proven.items()):
        full = mark.full.hex()
        if listed.get(path) == full:
            if path in again:
                yield _listed(path, mark, "verified")
        elif from_where := left.get(full):
            name = os.path.basename(path)
            before = next((one for one in from_where if os.path.basename(one) == name), from_where[-1])
            from_where.remove(before)
            yield _listed(path, mark, "verified", before)
        else:
            yield _listed(path, mark, "original")


def _listed(path: str, mark: ProofMark, action: str, previous: str = "") -> Listed:
    try:
        told = Told(action, datetime.fromisoformat(mark.at), previous)
    except ValueError:
        # A journal may tell anything as its time.
        told = Told(action, None, previous, dated=False)
    return Listed(path, mark.size, mark.mtime_ns, mark.full.hex(), told)


def _is_there(tree: Tree, path: str) -> bool:
    try:
        return tree.found(inside(path)) is not None
    except Outside:
        return False


def _tag(name: str) -> str:
    return f"{{{LISTS}}}{name}"
