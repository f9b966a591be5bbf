"""Surveying a library: comparing the ledger with the disk. Nothing on disk is moved or changed.

A file that is gone from one path and has come to another, since somebody moved or renamed it, is known again by its
content: by its quick fingerprint; where none was made yet by size and time of change to the nanosecond and its name or
inode, else by its full fingerprint: frames of a burst may agree in size and time. What the ledger knows of it moves
along. So are files whose names were swapped. A file whose size or time changed is a new version: its fingerprints are
forgotten.

The root and the archive drives that are connected are one tree: what somebody took from one to the other is moved, too.
What is stored on a drive that is away, or does not answer to its end, is believed to lie there still. Of what else is
on a drive only that is taken in which lies in a folder of the first level that has stored files.
"""

from __future__ import annotations

import os
import threading
import time
from collections import defaultdict
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, replace
from itertools import chain
from typing import TYPE_CHECKING

from jutrek.errors import SourceUnreadable, Stopped
from jutrek.library.fingerprint import full, quick
from jutrek.library.home import HomeFile
from jutrek.library.identity import Library
from jutrek.library.places import drives_here
from jutrek.library.walking import Away, walk

if TYPE_CHECKING:
    from jutrek.library.knowledge import KnownFile
    from jutrek.library.ledger import Ledger

_REPORT_EVERY = 2000


@dataclass(frozen=True, slots=True)
class Survey:
    """What a survey found. Paths are relative to the library.

    Attributes:
        files: how many files there are.
        came: those that are new. One that took another's name counts as new, and the other as gone.
        altered: those that are another version.
        lost: those that are gone.
        moves: those that somebody moved or renamed outside: where each was, and where it is.
        arriving: those that are being written still. They are left alone.
        both: those that lie in the root and under the same path on a drive. The root's are the library's.
    """

    files: int
    came: tuple[str, ...] = ()
    altered: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()
    moves: tuple[tuple[str, str], ...] = ()
    arriving: tuple[str, ...] = ()
    both: tuple[str, ...] = ()

    @property
    def new(self) -> int:
        """How many are new."""
        return len(self.came)

    @property
    def changed(self) -> int:
        """How many are another version."""
        return len(self.altered)

    @property
    def gone(self) -> int:
        """How many are gone."""
        return len(self.lost)

    @property
    def moved(self) -> int:
        """How many were moved outside."""
        return len(self.moves)


Stamp = tuple[int, int]
"""Size in bytes, and time of last change (ns)."""


@dataclass(frozen=True, slots=True)
class Eyes:
    """How closely a survey looks.

    Attributes:
        take_in: whether the ledger learns what was found; else it is only told.
        rest: how many seconds a file must have been left alone; one that was changed later is looked at again as many
            seconds later, and left out if it changes still.
        is_other: asked of a file that has another size or time than it had, by its path and what it had then: whether
            it is another file under the name, and no other version.
    """

    take_in: bool = True
    rest: float = 0.0
    is_other: Callable[[str, Stamp], bool] = lambda path, before: False


_USUAL = Eyes()


def survey(
    library: Library,
    ledger: Ledger,
    *,
    stop: threading.Event | None = None,
    report: Callable[[int], None] | None = None,
    eyes: Eyes = _USUAL,
) -> Survey:
    """Bring the ledger up to date with the disk. What is unchanged by size and time keeps its fingerprints.

    Args:
        stop: checked between files.
        report: told the number of files seen, now and then.
        eyes: how closely it looks.

    Raises:
        LibraryMissing: when the library's root cannot be listed.
        Stopped: when `stop` was set.
    """
    known, drives = ledger.all_files(), drives_here(library)
    seen, fresh = _fresh(library.root, known, stop, report)
    away = Away(library, ledger.stored.all(), drives, seen)
    fresh |= away.look(known, stop)
    ledger.stored.here = away.here
    arriving = _arriving(away.at, fresh, eyes.rest, stop) if eyes.rest else frozenset[str]()
    fresh = {path: one for path, one in fresh.items() if path not in arriving}
    came = [one for path, one in fresh.items() if path not in known]
    changed = {path: known[path] for path in fresh if path in known}
    gone = {path: stamp for path, stamp in known.items() if path not in seen and not away.has(path)}
    evidence = _Evidence(away, ledger, stop)
    moves = _moved(ledger, gone, came, evidence) if gone and came else {}
    if changed:
        taken = {now.path for now in moves.values()}
        old = changed | {path: stamp for path, stamp in gone.items() if path not in moves}
        left = [one for one in fresh.values() if one.path not in taken]
        moves |= _swapped(ledger, old, left, changed.keys(), evidence)
    arrived = {now.path: now for now in moves.values()}
    fresh = {path: one for path, one in fresh.items() if path in arrived or path in known or away.is_ours(path)}
    came = [one for one in came if one.path in fresh]
    others = [path for path, before in changed.items() if path not in arrived and eyes.is_other(path, before)]
    lost = [path for path in gone if path not in moves] + others
    if eyes.take_in:
        ledger.move(((old, now.path) for old, now in moves.items()), by_hand=True)
        ledger.lost.keep(lost)
        ledger.drop(lost)
        ledger.lost.forget(_back(ledger, came, evidence))
        ledger.put([arrived.get(one.path, one) for one in fresh.values()])
        away.take_in(ledger, {old: now.path for old, now in moves.items()}, known.keys() | fresh.keys(), lost)
    new = [one.path for one in came if one.path not in arrived] + others
    altered = [path for path in changed if path not in arrived and path not in others]
    told = ((old, now.path) for old, now in moves.items())
    files = len(seen) + sum(path in known or path in fresh for path in away.there)
    return Survey(
        files, tuple(new), tuple(altered), tuple(lost), tuple(told), tuple(sorted(arriving)),
        tuple(sorted(away.both)),
    )  # fmt: skip


def _fresh(
    root: str,
    known: dict[str, Stamp],
    stop: threading.Event | None,
    report: Callable[[int], None] | None,
) -> tuple[set[str], dict[str, HomeFile]]:
    """The paths of all files, and those of which the ledger knows nothing, or another size or time."""
    seen: set[str] = set()
    fresh: dict[str, HomeFile] = {}
    for path, size, mtime_ns in walk(root):
        seen.add(path)
        if stop is not None and stop.is_set():
            raise Stopped
        if report is not None and len(seen) % _REPORT_EVERY == 0:
            report(len(seen))
        if known.get(path) != (size, mtime_ns):
            fresh[path] = HomeFile(path, size, mtime_ns)
    return seen, fresh


def _arriving(
    at: Callable[[str], str], fresh: dict[str, HomeFile], rest: float, stop: threading.Event | None
) -> frozenset[str]:
    """Files that were changed a short while ago, and change still."""
    since = time.time_ns() - int(rest * 1e9)
    young = [one for one in fresh.values() if one.mtime_ns > since]
    if not young:
        return frozenset()
    (stop or threading.Event()).wait(rest)
    return frozenset(one.path for one in young if not _rests(at(one.path), one))


def _rests(path: str, before: HomeFile) -> bool:
    try:
        status = os.lstat(path)
    except OSError:
        return False
    return (status.st_size, status.st_mtime_ns) == (before.size, before.mtime_ns)


def _swapped(
    ledger: Ledger,
    old: dict[str, tuple[int, int]],
    now: list[HomeFile],
    changed: Collection[str],
    evidence: _Evidence,
) -> dict[str, HomeFile]:
    """Files whose names were exchanged, two or more in turn: by the path that they had, what they are now.

    Where another file took a path, it counts as moved there only if what lay there before is known to lie elsewhere:
    else that one's content would be missed by nobody.
    """
    by_stamp: dict[tuple[int, int], list[HomeFile]] = defaultdict(list)
    for one in now:
        by_stamp[one.size, one.mtime_ns].append(one)
    found: dict[str, HomeFile] = {}
    for before in ledger.of_paths(path for path, stamp in old.items() if stamp in by_stamp).values():
        candidates = by_stamp[before.size, before.mtime_ns]
        alike = [one for one in candidates if evidence.same(before, one)]
        if len(alike) == 1:
            found[before.path] = replace(alike[0], quick=before.quick, full=before.full)
            candidates.remove(alike[0])
    while hanging := [path for path, one in found.items() if one.path in changed and one.path not in found]:
        for path in hanging:
            del found[path]
    return found


def _moved(ledger: Ledger, gone: dict[str, Stamp], came: list[HomeFile], evidence: _Evidence) -> dict[str, HomeFile]:
    """Files that were moved outside: by the path that they had, what they are now, with their fingerprints."""
    sizes = {size for size, _ in gone.values() if size}
    candidates = _Candidates([one for one in came if one.size in sizes], evidence)
    found: dict[str, HomeFile] = {}
    for old in ledger.of_paths(path for path, (size, _) in gone.items() if size in candidates.sizes).values():
        now = candidates.take(old)
        if now is not None:
            found[old.path] = replace(now, quick=old.quick, full=old.full)
    return found


def _back(ledger: Ledger, came: list[HomeFile], evidence: _Evidence) -> list[str]:
    """Captures that were gone and are there again: under their name, or by their content under another one.

    Of what nobody fingerprinted another name counts where it is the same in another folder, with its size and time.
    """
    gone = ledger.lost.all() if came else []
    by_size: dict[int, list[HomeFile]] = defaultdict(list)
    for one in came if gone else ():
        by_size[one.size].append(one)
    there = {one.path for one in came}

    def is_it(old: KnownFile, now: HomeFile) -> bool:
        if old.quick is not None:
            return evidence.print_of(now.path) == old.quick
        return old.mtime_ns == now.mtime_ns and os.path.basename(old.path) == os.path.basename(now.path)

    return [one.path for one in gone if one.path in there or any(is_it(one, now) for now in by_size[one.size])]


class _Candidates:
    """Files that may be others which lay elsewhere, each one of them. Of very many, few are looked at for each."""

    def __init__(self, files: list[HomeFile], evidence: _Evidence) -> None:
        self._evidence, self._taken = evidence, set[str]()
        self._by_name: dict[tuple[int, str], list[HomeFile]] = defaultdict(list)
        self._by_stamp: dict[Stamp, list[HomeFile]] = defaultdict(list)
        self._by_size: dict[int, list[HomeFile]] = defaultdict(list)
        self._by_print: dict[int, dict[bytes | None, list[HomeFile]]] = {}
        for one in files:
            self._by_name[one.size, os.path.basename(one.path)].append(one)
            self._by_stamp[one.size, one.mtime_ns].append(one)
            self._by_size[one.size].append(one)
        self.sizes = self._by_size.keys()

    def take(self, old: HomeFile) -> HomeFile | None:
        """The file that it is now, if it is there, one of its name before others; it is no other one's then."""
        named: list[HomeFile] = self._by_name.get((old.size, os.path.basename(old.path)), [])
        for one in chain(named, self._others(old)):
            if one.path not in self._taken and self._evidence.same(old, one):
                self._taken.add(one.path)
                return one
        return None

    def _others(self, old: HomeFile) -> Iterator[HomeFile]:
        if old.quick is None:
            # Without a fingerprint, its time is a part of what it is known by.
            yield from self._by_stamp.get((old.size, old.mtime_ns), ())
            return
        if old.size not in self._by_print:
            prints: dict[bytes | None, list[HomeFile]] = defaultdict(list)
            for one in self._by_size[old.size]:
                prints[self._evidence.print_of(one.path)].append(one)
            self._by_print[old.size] = prints
        yield from self._by_print[old.size].get(old.quick, ())


class _Evidence:
    """Tells whether a file is one that lay elsewhere, of the same size. What was read for that is kept."""

    def __init__(self, away: Away, ledger: Ledger, stop: threading.Event | None) -> None:
        self._away, self._ledger, self._stop = away, ledger, stop
        self._quick: dict[str, bytes | None] = {}
        self._full: dict[str, bytes | None] = {}

    def same(self, old: HomeFile, now: HomeFile) -> bool:
        """Whether it is.

        Raises:
            Stopped: when `stop` was set.
        """
        if old.quick is not None:
            return self.print_of(now.path) == old.quick
        if old.mtime_ns != now.mtime_ns:
            return False
        if old.full is None or os.path.basename(old.path) == os.path.basename(now.path):
            return True
        return self._is_inode_of(old, now) or self._read(self._whole, now.path, self._full) == old.full

    def print_of(self, path: str) -> bytes | None:
        """The quick fingerprint of a file; None where it cannot be read."""
        return self._read(quick, path, self._quick)

    def _is_inode_of(self, old: HomeFile, now: HomeFile) -> bool:
        """Whether it is the very file that was proven: a name that is changed in place leaves the inode."""
        if self._away.drive_of(old.path) or self._away.drive_of(now.path):
            return False
        mark = self._ledger.mark_of(old.path)
        try:
            return mark is not None and mark.inode == os.lstat(self._away.at(now.path)).st_ino
        except OSError:
            return False

    def _whole(self, path: str) -> bytes:
        return full(path, stop=self._stop)

    def _read(self, how: Callable[[str], bytes], path: str, known: dict[str, bytes | None]) -> bytes | None:
        if path not in known:
            try:
                known[path] = how(self._away.at(path))
            except SourceUnreadable:
                known[path] = None
        return known[path]
