"""Where files of an intake stand against the library and against each other, by content.

What a sidecar says, it says of the picture that it is named after: two pictures may have sidecars of the same bytes,
and each keeps its own. So a sidecar that comes with its picture is home, or a twin, only where its picture is, and
beside it; or, where its picture is home, was brought from this very place. Of everything else the content alone
decides.

Cheapest first: a size that nothing else has proves a file new without reading it; then quick fingerprints are
compared, then full ones. A full fingerprint of a library file is made only when it is needed, and is kept.
"""

from __future__ import annotations

import os
import re
import threading
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from types import MappingProxyType
from typing import TYPE_CHECKING

from jutrek.captures import Capture
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import MEDIA
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
Pictures = Mapping[str, tuple[str, ...]]
"""The pictures, clips and sound that a sidecar comes with, by its path."""
_NO_PICTURES: Pictures = MappingProxyType({})
_BEHIND_STEM = re.compile(r"(M\d\d)?(\.\w{1,5}){1,2}", re.IGNORECASE)


def pictures_of(captures: Iterable[Capture]) -> Pictures:
    """What the sidecars of captures belong to; those that come without their picture are left out."""
    found: dict[str, tuple[str, ...]] = {}
    for capture in captures:
        media = tuple(read.file.path for read in capture.files if read.reading.kind in MEDIA)
        if media and len(media) < len(capture.files):
            found |= {read.file.path: media for read in capture.files if read.reading.kind not in MEDIA}
    return found


def _is_beside(sidecar: str, picture: str) -> bool:
    """Whether a path is that of a sidecar which lies beside a picture, and is named after it."""
    stem = os.path.splitext(picture)[0]
    return sidecar.startswith(stem) and _BEHIND_STEM.fullmatch(sidecar, len(stem)) is not None


def compare(
    files: Sequence[SourceFile],
    ledger: Ledger,
    library_root: str,
    *,
    pictures: Pictures = _NO_PICTURES,
    before: Mapping[str, Comparison] = MappingProxyType({}),
    stop: threading.Event | None = None,
    report: Callable[[int], None] | None = None,
) -> dict[str, Comparison]:
    """Tell the standing of every file of an intake. The ledger must have been surveyed.

    Args:
        files: in the order of the intake; of equal ones the first is the original.
        pictures: what sidecars belong to, as `pictures_of` tells it.
        before: where files of the same intake stand that were compared before.
        report: told the number of files judged so far.

    Returns:
        Standings by source path. A file that cannot be read counts as new: bringing it home will tell.

    Raises:
        Stopped: when `stop` was set.
    """
    return _Comparer(ledger, library_root, pictures, before, stop).compare(files, report)


class _Comparer:
    def __init__(
        self,
        ledger: Ledger,
        root: str,
        pictures: Pictures,
        before: Mapping[str, Comparison],
        stop: threading.Event | None,
    ) -> None:
        self._ledger = ledger
        self._root = root
        self._pictures = pictures
        self._stop = stop
        self._stands = dict(before)
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
        for one in self._ledger.amended.standing():
            if one.size in sizes:
                # What it was before it was amended is home as well.
                self._homes[one.size].append(HomeFile(one.path, one.size, 0, one.quick, one.was))
        shared = [file.path for file in files if sizes[file.size] > 1 or file.size in self._homes]
        self._kept = self._ledger.source_prints(shared)
        stands = self._stands
        try:
            # Sidecars come last, since theirs are judged by where their pictures stand.
            for number, file in enumerate(sorted(files, key=lambda file: file.path in self._pictures)):
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
                if self._may_be(file, home) and self._full_of_home(home) == self._full(file, mark):
                    return Comparison(Standing.HOME, home.path)
            for other in self._seen[file.size, mark]:
                if self._may_be_twin(file, other) and self._full(other, mark) == self._full(file, mark):
                    return Comparison(Standing.TWIN, other.path)
        except SourceUnreadable:
            return NEW
        self._seen[file.size, mark].append(file)
        return NEW

    def _may_be(self, file: SourceFile, home: HomeFile) -> bool:
        """Whether a file of the library can stand for one of a source: for a sidecar, only the one of its picture."""
        pictures = self._pictures.get(file.path)
        if pictures is None:
            return True
        at_home = list(self._equals(pictures, Standing.HOME))
        if any(_is_beside(home.path, one) for one in at_home):
            return True
        # Another card has the same paths again: where it came from says something only of a picture that is home.
        filed = self._ledger.filed(home.path) if at_home else None
        return filed is not None and filed.original == os.path.relpath(file.path, file.root)

    def _may_be_twin(self, file: SourceFile, other: SourceFile) -> bool:
        """The same for another file of the intake."""
        pictures, others = self._pictures.get(file.path), self._pictures.get(other.path, ())
        return pictures is None or any(one in others for one in self._equals(pictures, Standing.TWIN))

    def _equals(self, pictures: Iterable[str], standing: Standing) -> Iterator[str]:
        stands = (self._stands.get(one, NEW) for one in pictures)
        return (one.equal for one in stands if one.standing is standing)

    def _marked(self, size: int) -> dict[bytes, list[HomeFile]]:
        """The library's files of a size by quick fingerprint; those that have none yet get it now."""
        if size not in self._by_mark:
            marked: dict[bytes, list[HomeFile]] = defaultdict(list)
            for home in self._homes.get(size, ()):
                known = home
                if known.quick is None:
                    try:
                        known = replace(home, quick=quick(self._ledger.stored.at(self._root, home.path)))
                    except SourceUnreadable:
                        continue
                    self._learnt[home.path] = known
                marked[known.quick or b""].append(known)
            self._by_mark[size] = marked
        return self._by_mark[size]

    def _full_of_home(self, home: HomeFile) -> bytes | None:
        """The full fingerprint of a file of the library, made when it is first needed; None if it cannot be read."""
        known = home if home.full is not None else self._learnt.get(home.path, home)
        if known.full is None:
            try:
                known = replace(known, full=full(self._ledger.stored.at(self._root, home.path), stop=self._stop))
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
