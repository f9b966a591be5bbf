"""Standings beyond equal bytes: whether what is new by its bytes is there already with other metadata, or in another
encoding. Compared with what the ledger has learnt of the library, and within the intake itself.
"""

from __future__ import annotations

import contextlib
import threading
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import pairwise
from typing import TYPE_CHECKING

from jutrek.captures import ReadFile
from jutrek.doubles.comparing import NEW, Comparison, Standing
from jutrek.doubles.degrees import one_press, two_presses
from jutrek.doubles.learning import content_of, payload_prints
from jutrek.doubles.payload import Payload
from jutrek.errors import SourceUnreadable, Stopped
from jutrek.formats import MEDIA, Kind, format_of
from jutrek.library.contents import Content

if TYPE_CHECKING:
    from jutrek.library.ledger import Ledger

_THREADS = 2
_AT_ONCE = 8


def retagged(
    files: Iterable[ReadFile],
    standings: Mapping[str, Comparison],
    ledger: Ledger,
    library_root: str,
    *,
    stop: threading.Event | None = None,
) -> dict[str, Comparison]:
    """Which of the new files are there already but for their metadata.

    A payload whose size nothing else has is not read; then marks are compared, then full fingerprints.

    Args:
        files: in the order of the intake; of several that are the same the first is the original.
        standings: by bytes.

    Returns:
        Standings of those that are, by source path.

    Raises:
        Stopped: when `stop` was set.
    """
    stop = stop or threading.Event()
    files = list(files)
    new = [one for one in files if _is_new(one, standings)]
    sizes: dict[int, list[ReadFile]] = defaultdict(list)
    for one in new:
        if size := _payload_size(one):
            sizes[size].append(one)
    # What came home just now was not looked at there yet: it is compared where it came from.
    there: dict[int, list[ReadFile]] = defaultdict(list)
    for one in files if sizes else ():
        if standings.get(one.file.path, NEW).standing is Standing.HOME and one.reading.kind in MEDIA:
            size = _payload_size(one)
            if size in sizes:
                there[size].append(one)
    homes: dict[int, list[Content]] = defaultdict(list)
    damaged = ledger.damaged()
    for home in ledger.contents.of_payloads(sizes):
        if home.path not in damaged:
            homes[home.payload].append(home)
    found: dict[str, Comparison] = {}
    for size, own in sizes.items():
        if len(own) > 1 or size in homes or size in there:
            known = [(one, standings[one.file.path].equal) for one in there[size]]
            _compare(own, known, homes[size], ledger, library_root, stop, found)
    return found


def _is_new(one: ReadFile, standings: Mapping[str, Comparison]) -> bool:
    is_media = one.reading.kind in MEDIA and one.file.size > 0
    return is_media and standings.get(one.file.path, NEW).standing is Standing.NEW


def _payload_size(one: ReadFile) -> int:
    """The size of a file's payload; 0 where it has none. Of few formats the file has to be walked for it."""
    if format_of(one.reading.format).walk is None:
        return sum(stretch.size for stretch in one.reading.payload)
    try:
        with Payload(one.file.path, one.reading) as payload:
            return payload.size
    except SourceUnreadable:
        return 0


def _compare(
    own: Sequence[ReadFile],
    there: Sequence[tuple[ReadFile, str]],
    homes: Sequence[Content],
    ledger: Ledger,
    root: str,
    stop: threading.Event,
    found: dict[str, Comparison],
) -> None:
    """Compare files whose payloads have one size with those of the library, and with one another.

    Args:
        there: files of the intake that are home by their bytes, with their paths there.
    """
    by_mark: dict[tuple[str, bytes], list[Content]] = defaultdict(list)
    for home in homes:
        by_mark[home.kind, home.mark].append(home)
    seen: dict[tuple[str, bytes], list[tuple[str, Callable[[], bytes]]]] = defaultdict(list)
    for one, at_home in there:
        with contextlib.suppress(SourceUnreadable), Payload(one.file.path, one.reading) as payload:
            seen[one.reading.kind.value, payload.mark()].append((at_home, _printer(one, stop)))
    for one in own:
        if stop.is_set():
            raise Stopped
        path, kind = one.file.path, one.reading.kind.value
        try:
            with Payload(path, one.reading) as payload:
                mark = payload.mark()
            key = kind, mark
            if not by_mark[key] and not seen[key]:
                seen[key].append((path, _printer(one, stop)))
                continue
            mine = _printer(one, stop)()
            by_mark[key] = payload_prints(by_mark[key], ledger, lambda home: ledger.stored.at(root, home.path), stop)
            equal = next((home.path for home in by_mark[key] if home.print == mine), "")
            equal = equal or next((other for other, print_of in seen[key] if _prints_as(print_of, mine)), "")
        except SourceUnreadable:
            continue
        if equal:
            found[path] = Comparison(Standing.RETAGGED, equal)
        else:
            seen[key].append((path, _printer(one, stop)))


def _printer(one: ReadFile, stop: threading.Event) -> Callable[[], bytes]:
    """Makes the full fingerprint of a file's payload when it is first asked for it."""
    made: list[bytes] = []

    def print_of() -> bytes:
        if not made:
            with Payload(one.file.path, one.reading) as payload:
                made.append(payload.print(stop))
        return made[0]

    return print_of


def _prints_as(print_of: Callable[[], bytes], mine: bytes) -> bool:
    """Whether another file's payload is the same; one that cannot be read any more is not known to be."""
    try:
        return print_of() == mine
    except SourceUnreadable:
        return False


_MORE = 1.2


def _may_be(one: ReadFile, lengths: Mapping[Kind, Sequence[float]]) -> bool:
    """Whether a file has to be looked at: a still always, a recording where another one has its length."""
    kind = one.reading.kind
    if kind is Kind.STILL:
        return True
    from jutrek.doubles.clip_matching import has_its_length

    return has_its_length(one.reading.duration, kind, lengths[kind])


def _better(new: Content, old: Content) -> bool:
    """Whether a new picture is worth more than the one that is there: it is the raw, or has clearly more pixels."""
    raws = format_of(new.format).raw, format_of(old.format).raw
    if raws[0] != raws[1]:
        return raws[0]
    return new.width * new.height > _MORE * old.width * old.height


@dataclass(slots=True)
class Lookout:
    """Tells by looks where the stills of an intake stand; clips by those of their frames, sounds by their course.

    Attributes:
        ledger: keeps what was seen of files, those of sources included.
        library_root: where the library lies.
        stop: ends the work.
        report: told how many stills were looked at, and of how many.
        within: whether the stills are compared with one another, too.
    """

    ledger: Ledger
    library_root: str
    stop: threading.Event
    report: Callable[[int, int], None] = lambda done, total: None
    within: bool = True
    _seen: dict[str, Content] = field(default_factory=dict)

    def standings(self, primaries: Sequence[ReadFile], standings: Mapping[str, Comparison]) -> dict[str, Comparison]:
        """Which of the new captures are there already in another encoding; and which stills look like one that is.

        Args:
            primaries: the main files of captures, in the order of the intake.
            standings: by bytes, and by payload.

        Raises:
            Stopped: when `stop` was set. What was seen until then is kept.
        """
        new = [one for one in primaries if _is_new(one, standings)]
        if not new:
            return {}
        damaged = self.ledger.damaged()
        home = [one for one in self.ledger.contents.of_library() if one.looks and one.path not in damaged]
        lengths = self._lengths(home, new)
        own = [content for content in self._looked_at([one for one in new if _may_be(one, lengths)]) if content.looks]
        stills = [one for one in own if one.kind == Kind.STILL]
        at_home = [one for one in home if one.kind == Kind.STILL] if stills else []
        return (self._compared(at_home, stills) if stills else {}) | self._recordings(home, own)

    def _lengths(self, home: Sequence[Content], new: Sequence[ReadFile]) -> dict[Kind, list[float]]:
        """The lengths of recordings that new ones may be the same as: those of the library, and of one another."""
        from jutrek.doubles.clip_matching import longest_alike

        lengths: dict[Kind, list[float]] = {Kind.CLIP: [], Kind.SOUND: []}
        for one in home:
            if (kind := Kind(one.kind)) in lengths:
                lengths[kind].append(one.duration)
        for kind, own in lengths.items():
            mine = sorted(one.reading.duration for one in new if one.reading.kind is kind) if self.within else []
            own += [longer for shorter, longer in pairwise(mine) if longer <= longest_alike(shorter, kind)]
            own.sort()
        return lengths

    def _recordings(self, home: Sequence[Content], own: Sequence[Content]) -> dict[str, Comparison]:
        """Clips and sounds that are there in another encoding, in the order of the intake."""
        turn = {one.path: number for number, one in enumerate(own)}
        found: dict[str, Comparison] = {}
        recordings = [one for one in own if one.kind != Kind.STILL]
        if not recordings:
            return found
        from jutrek.doubles.clip_matching import KINDS, pairs_of

        pairs = [pair for kind in KINDS for pair in pairs_of((*home, *recordings), kind)]
        # What is home comes first, then what came first.
        ordered = (sorted(pair, key=lambda one: turn.get(one.path, -1)) for pair in pairs)
        for one, other in sorted(ordered, key=lambda pair: turn.get(pair[0].path, -1)):
            if other.path not in turn or other.path in found:
                continue
            if one.path not in turn or (self.within and one.path not in found):
                found[other.path] = Comparison(Standing.REENCODED, one.path, _better(other, one))
        return found

    @property
    def seen(self) -> frozenset[str]:
        """Paths of the captures that were looked at, and whose looks are known."""
        return frozenset(path for path, one in self._seen.items() if one.looks)

    def _looked_at(self, new: Sequence[ReadFile]) -> list[Content]:
        """What files hold: as it is kept, or seen now."""
        kept = self.ledger.contents.of_paths(one.file.path for one in new)
        self._seen = {
            one.file.path: kept[one.file.path]
            for one in new
            if one.file.path in kept and kept[one.file.path][1:3] == (one.file.size, one.file.mtime_ns)
        }
        todo = [one for one in new if one.file.path not in self._seen]
        with ThreadPoolExecutor(_THREADS, thread_name_prefix="looking") as threads:
            for start in range(0, len(todo), _AT_ONCE):
                self.report(start, len(todo))
                part = [one for one in threads.map(self._look, todo[start : start + _AT_ONCE]) if one is not None]
                self.ledger.contents.put(part)
                self._seen.update((one.path, one) for one in part)
                if self.stop.is_set():
                    raise Stopped
        self.report(len(todo), len(todo))
        return [self._seen[one.file.path] for one in new if one.file.path in self._seen]

    def _look(self, one: ReadFile) -> Content | None:
        if self.stop.is_set():
            return None
        try:
            return content_of(one.file.path, one.file.path, one.reading, (one.file.size, one.file.mtime_ns))
        except SourceUnreadable:
            return None

    def _compared(self, home: Sequence[Content], own: Sequence[Content]) -> dict[str, Comparison]:
        import numpy as np

        from jutrek.doubles.aligned import SAME
        from jutrek.doubles.grayscale import Greys
        from jutrek.doubles.still_matching import Album, share_of

        both = [*home, *own]
        album = Album([one.looks or b"" for one in both])
        candidates = album.candidates(np.arange(len(home), len(both)), stop=self.stop)
        greys, found = Greys(), dict[str, Comparison]()
        for number, pair in enumerate(sorted(candidates)):
            self.report(number, len(candidates))
            if self.stop.is_set():
                raise Stopped
            one, other = both[pair[0]], both[pair[1]]
            known = found.get(other.path, NEW).standing
            both_new = pair[0] >= len(home)
            if known is Standing.REENCODED or one_press(one, other) or (both_new and not self.within):
                continue
            if both_new and one.path in found:
                continue
            share = 0.0
            if not two_presses(one, other):
                with contextlib.suppress(SourceUnreadable):
                    share = share_of(greys, (self._path(one), self._path(other)), candidates[pair])
            if share >= SAME:
                found[other.path] = Comparison(Standing.REENCODED, one.path, _better(other, one))
            elif known is Standing.NEW and album.plain(*pair):
                found[other.path] = Comparison(Standing.ALIKE, one.path)
        return found

    def _path(self, one: Content) -> str:
        return self.ledger.stored.at(self.library_root, one.path)
