"""Where files of an intake stand against the library and against each other, by content alone.

Cheapest first: a size that nothing else has proves a file new without reading it; then quick fingerprints are
compared, then full ones. A full fingerprint of a library file is made only when it is needed, and is kept.
"""

from __future__ import annotations

import os
import threading
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING

from jutrek.errors import SourceUnreadable, Stopped
from jutrek.library import HomeFile
from jutrek.library.fingerprint import full, quick
from jutrek.sources import SourceFile

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger


class Standing(StrEnum):
    """Where a file stands: new; home (same bytes in the library); twin (same bytes earlier in the same intake).

    Beside: a new sidecar without its picture, which is home. Retagged: the same picture or sound to the byte, with
    other metadata. Re-encoded: the same by looks, in another encoding. Look-alike: like it, and not the same. These
    three hold against the library, and within the intake.
    """

    NEW = "new"
    HOME = "home"
    TWIN = "twin"
    BESIDE = "beside"
    RETAGGED = "retagged"
    REENCODED = "re-encoded"
    ALIKE = "look-alike"


@dataclass(frozen=True, slots=True)
class Comparison:
    """A file's standing.

    Attributes:
        standing: where it stands.
        equal: where its equal is, or what it belongs to: a path in the library, or an absolute one on a source.
        better: of what is there in another encoding, whether the new one is the raw or has more pixels.
    """

    standing: Standing
    equal: str = ""
    better: bool = False


NEW = Comparison(Standing.NEW)


def compare(
    files: Sequence[SourceFile],
    ledger: Ledger,
    library_root: str,
    *,
    stop: threading.Event | None = None,
    report: Callable[[int], None] | None = None,
) -> dict[str, Comparison]:
    """Tell the standing of every file of an intake. The ledger must have been surveyed.

    Args:
        files: in the order of the intake; of equal ones the first is the original.
        report: told the number of files judged so far.

    Returns:
        Standings by source path. A file that cannot be read counts as new: bringing it home will tell.

    Raises:
        Stopped: when `stop` was set.
    """
    return _Comparer(ledger, library_root, stop).compare(files, report)


class _Comparer:
    def __init__(self, ledger: Ledger, root: str, stop: threading.Event | None) -> None:
        self._ledger = ledger
        self._root = root
        self._stop = stop
        self._homes: dict[int, list[HomeFile]] = defaultdict(list)
        self._by_mark: dict[int, dict[bytes, list[HomeFile]]] = {}
        self._kept: dict[str, tuple[int, int, bytes, bytes]] = {}
        self._learnt: dict[str, HomeFile] = {}
        self._prints: list[tuple[str, int, int, bytes, bytes]] = []
        self._seen: dict[tuple[int, bytes], list[SourceFile]] = defaultdict(list)
        self._fulls: dict[str, bytes] = {}

    def compare(self, files: Sequence[SourceFile], report: Callable[[int], None] | None) -> dict[str, Comparison]:
        sizes = Counter(file.size for file in files)
        for home in self._ledger.of_sizes(sizes):
            self._homes[home.size].append(home)
        shared = [file.path for file in files if sizes[file.size] > 1 or file.size in self._homes]
        self._kept = self._ledger.source_prints(shared)
        stands = {}
        try:
            for number, file in enumerate(files):
                if self._stop is not None and self._stop.is_set():
                    raise Stopped
                if report is not None:
                    report(number)
                alone = sizes[file.size] == 1 and file.size not in self._homes
                stands[file.path] = NEW if alone or not file.size else self._stand(file)
        finally:
            self._ledger.put(list(self._learnt.values()))
            self._ledger.put_source_prints(self._prints)
        return stands

    def _stand(self, file: SourceFile) -> Comparison:
        try:
            mark = quick(file.path)
            for home in self._marked(file.size).get(mark, ()):
                if self._full_of_home(home) == self._full(file, mark):
                    return Comparison(Standing.HOME, home.path)
            for other in self._seen[file.size, mark]:
                if self._full(other, mark) == self._full(file, mark):
                    return Comparison(Standing.TWIN, other.path)
        except SourceUnreadable:
            return NEW
        self._seen[file.size, mark].append(file)
        return NEW

    def _marked(self, size: int) -> dict[bytes, list[HomeFile]]:
        """The library's files of a size by quick fingerprint; those that have none yet get it now."""
        if size not in self._by_mark:
            marked: dict[bytes, list[HomeFile]] = defaultdict(list)
            for home in self._homes.get(size, ()):
                known = home
                if known.quick is None:
                    try:
                        known = replace(home, quick=quick(os.path.join(self._root, home.path)))
                    except SourceUnreadable:
                        continue
                    self._learnt[home.path] = known
                marked[known.quick or b""].append(known)
            self._by_mark[size] = marked
        return self._by_mark[size]

    def _full_of_home(self, home: HomeFile) -> bytes | None:
        """The full fingerprint of a file of the library, made when it is first needed; None if it cannot be read."""
        known = self._learnt.get(home.path, home)
        if known.full is None:
            try:
                known = replace(known, full=full(os.path.join(self._root, home.path), stop=self._stop))
            except SourceUnreadable:
                return None
            self._learnt[home.path] = known
        return known.full

    def _full(self, file: SourceFile, mark: bytes) -> bytes:
        """The full fingerprint of a source file: the one that is kept if it still is the same file, else made."""
        if file.path not in self._fulls:
            size, mtime_ns, kept_mark, kept = self._kept.get(file.path, (0, 0, b"", b""))
            if (size, mtime_ns, kept_mark) != (file.size, file.mtime_ns, mark):
                kept = full(file.path, stop=self._stop)
                self._prints.append((file.path, file.size, file.mtime_ns, mark, kept))
            self._fulls[file.path] = kept
        return self._fulls[file.path]
