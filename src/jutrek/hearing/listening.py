"""Listening to the captures of an intake, a little at a time: which devices heard the same, and when."""

from __future__ import annotations

import logging
import threading
import time
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Callable, Generator, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import combinations
from typing import TYPE_CHECKING, NamedTuple

from jutrek.captures import Beside, Capture, Heard, Waves
from jutrek.decoding import opened
from jutrek.errors import Stopped
from jutrek.formats import Kind, Precision
from jutrek.hearing.lags import LONGEST, Reel, peaks
from jutrek.hearing.sound import A_SECOND, Curves, Ear, pieces
from jutrek.hearing.voting import Voice, Vote, vote, weights

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_log = logging.getLogger(__name__)

_SHORTEST = 8.0
"""Seconds of the shortest recording that is listened to."""
_REACH, _NEAR = 15 * 3600.0, 300.0
"""How far a clock may be off, in seconds; and how far from where it is supposed to be, where that is known."""
_MOST_HITS = 6
_POINTS, _MARGIN = 240, 6.0
"""Values of a wave, and seconds of the take around the clip, that are shown."""
_A_TURN = 0.2

Key = tuple[str, int, int]
"""Path, size and time of last change of a file."""


@dataclass(frozen=True, slots=True)
class _Recording:
    capture: Capture
    at: float

    @property
    def key(self) -> Key:
        file = self.capture.primary.file
        return file.path, file.size, file.mtime_ns


class Listening:
    """The work on one set of captures. One thread at a time."""

    def __init__(
        self, captures: Iterable[Capture], supposed: Mapping[str, float], known: dict[Key, Curves | None]
    ) -> None:
        """
        Args:
            captures: with their moments as their files tell them.
            supposed: by how much clocks are supposed to be off by other evidence, by device; others by nothing.
            known: curves of files that were listened to before; it is added to.
        """
        self._supposed, self._known = supposed, known
        own: dict[str, list[_Recording]] = defaultdict(list)
        for capture in captures:
            moment = capture.moment
            if (
                capture.kind in (Kind.CLIP, Kind.SOUND)
                and moment is not None
                and capture.trusted
                and moment.precision >= Precision.SECOND
                and capture.duration >= _SHORTEST
            ):
                own[capture.device].append(_Recording(capture, (moment.local - datetime(1970, 1, 1)).total_seconds()))
        self._pairs = [
            (one, other) if _length(own[one]) <= _length(own[other]) else (other, one)
            for one, other in combinations(sorted(own), 2)
            if _may_meet(own[one], own[other])
        ]
        self._own = {key: own[key] for pair in self._pairs for key in pair}
        self._reels: dict[Key, Reel] = {}
        self.found: tuple[Heard, ...] = ()
        self.done, self.total = 0, sum(map(len, self._own.values()))
        self._work = self._all()
        self.has_work = self.total > 0

    def go_on(self, seconds: float) -> None:
        """Listen on for about so many seconds."""
        until = time.monotonic() + seconds
        while self.has_work and time.monotonic() < until:
            self.has_work = next(self._work, None) is not None

    def _all(self) -> Iterator[bool]:
        for recordings in self._own.values():
            for recording in recordings:
                yield from self._listen(recording)
                self.done += 1
        found = []
        for one, other in self._pairs:
            heard = yield from self._compare(one, other)
            found += [heard] if heard is not None else []
        self.found = tuple(found)

    def _listen(self, recording: _Recording) -> Iterator[bool]:
        if recording.key in self._known:
            return
        ear = Ear()
        try:
            with opened(recording.capture.id) as file:
                for piece in pieces(file):
                    ear.take(piece)
                    yield True
            self._known[recording.key] = ear.curves()
        # Decoders raise whatever they like on damaged content; what cannot be heard says nothing.
        except Exception as error:  # noqa: BLE001
            _log.info("%s can't be listened to: %s", recording.capture.id, error)
            self._known[recording.key] = None

    def _compare(self, one: str, other: str) -> Generator[bool, None, Heard | None]:
        """Look for the clips of one device in the takes of another one."""
        takes = [take for take in self._own[other] if self._known.get(take.key)]
        supposed = self._supposed.get(one, 0.0) - self._supposed.get(other, 0.0)
        searches = (_Search(0.0, _REACH), _Search(supposed, _NEAR))
        for clip in self._own[one]:
            for piece in _cut(clip, self._known.get(clip.key)):
                found: tuple[list[_Hit], ...] = ([], [])
                for take in takes:
                    if any(search.span(piece, take) for search in searches):
                        scores = self._reel(take).scores(piece.shape)
                        for hits, search in zip(found, searches, strict=True):
                            best = peaks(scores, search.lags(piece, take), piece.steps)
                            hits += [_Hit(score, lag, piece, take) for score, lag in best]
                        yield True
                for hits, search in zip(found, searches, strict=True):
                    search.hear(hits)
        for search in searches:
            result = vote(search.voices)
            if result is not None and result.certain:
                return self._heard(one, other, result, [search.hits[voice.hit] for voice in result.voices])
        return None

    def _reel(self, take: _Recording) -> Reel:
        curves = self._known[take.key]
        if take.key not in self._reels and curves is not None:
            self._reels[take.key] = Reel(curves.shape)
        return self._reels[take.key]

    def _heard(self, one: str, other: str, result: Vote, hits: Sequence[_Hit]) -> Heard:
        pairs: dict[str, Beside] = {}
        for hit in sorted(hits, key=lambda hit: -hit.score):
            clip = hit.piece.clip.capture.id
            pairs.setdefault(clip, Beside(clip, hit.take.capture.id, hit.lag - hit.piece.begin))
        best = max(hits, key=lambda hit: hit.score)
        return Heard(one, other, True, result.clear, tuple(pairs.values()), self._waves(best))

    def _waves(self, hit: _Hit) -> Waves | None:
        ours, theirs = self._known.get(hit.piece.clip.key), self._known.get(hit.take.key)
        if ours is None or theirs is None:
            return None
        first = round(hit.piece.begin * A_SECOND)
        loud = ours.loud[first : first + hit.piece.steps]
        low = max(0, round((hit.lag - _MARGIN) * A_SECOND))
        around = theirs.loud[low : round((hit.lag + _MARGIN) * A_SECOND) + len(loud)]
        pool = max(1, len(around) // _POINTS)
        return Waves(
            hit.piece.clip.capture.id, hit.take.capture.id, pool / A_SECOND, _pooled(loud, pool), _pooled(around, pool),
            hit.lag - low / A_SECOND,
        )  # fmt: skip


class _Search:
    """A search for shifts around one, and the voices that it heard."""

    def __init__(self, middle: float, reach: float) -> None:
        self._middle, self._reach = middle, reach
        self.voices: list[Voice] = []
        self.hits: list[_Hit] = []

    def lags(self, piece: _Piece, take: _Recording) -> tuple[float, float]:
        at = piece.at - take.at + self._middle
        return at - self._reach, at + self._reach

    def span(self, piece: _Piece, take: _Recording) -> bool:
        """Whether the piece may lie in the take at all."""
        low, high = self.lags(piece, take)
        return high > -piece.steps / A_SECOND and low < take.capture.duration

    def hear(self, hits: Sequence[_Hit]) -> None:
        """Take what was found for one piece."""
        best = sorted(hits, key=lambda hit: -hit.score)[:_MOST_HITS]
        for hit, weight in zip(best, weights([hit.score for hit in best]), strict=True):
            shift = hit.take.at + hit.lag - hit.piece.at
            self.voices.append(Voice(hit.piece.number, hit.piece.at, shift, weight, len(self.hits)))
            self.hits.append(hit)


class _Piece(NamedTuple):
    """A piece of a clip: `begin` seconds from its beginning."""

    clip: _Recording
    begin: float
    shape: NDArray[np.float32]
    number: tuple[str, int]

    @property
    def at(self) -> float:
        return self.clip.at + self.begin

    @property
    def steps(self) -> int:
        return int(self.shape.shape[1])


class _Hit(NamedTuple):
    """Where a piece may lie in a take: seconds from the beginning of the take to that of the piece."""

    score: float
    lag: float
    piece: _Piece
    take: _Recording


def _cut(clip: _Recording, curves: Curves | None) -> Iterator[_Piece]:
    """The pieces of a clip, each as long as can be looked for at once; a rest that is too short is left."""
    shape = curves.shape if curves is not None else None
    if shape is not None:
        for number, begin in enumerate(range(0, shape.shape[1], LONGEST)):
            piece = shape[:, begin : begin + LONGEST]
            if piece.shape[1] >= _SHORTEST * A_SECOND * 0.9:
                yield _Piece(clip, begin / A_SECOND, piece, (clip.capture.id, number))


def _length(recordings: Iterable[_Recording]) -> float:
    return sum(one.capture.duration for one in recordings)


def _may_meet(one: Sequence[_Recording], other: Sequence[_Recording]) -> bool:
    """Whether some recording of one device may overlap one of the other's, whatever their clocks are off by."""
    ours = sorted(recording.at for recording in one)
    longest = max(recording.capture.duration for recording in (*one, *other))
    for recording in other:
        at = bisect_left(ours, recording.at - _REACH - longest)
        if at < len(ours) and ours[at] <= recording.at + _REACH + longest:
            return True
    return False


def _pooled(loud: NDArray[np.float32], pool: int) -> tuple[float, ...]:
    """The loudest of every few values, laid between 0 (the usual floor) and 1 (the loudest but a few)."""
    import numpy as np

    if not loud.size:
        return ()
    low, high = np.percentile(loud, (10, 99))
    top = np.maximum.reduceat(loud, np.arange(0, loud.size, pool))
    return tuple(float(value) for value in ((top - low) / max(high - low, 3.0)).clip(0.0, 1.0))


def heard_of(
    captures: Iterable[Capture],
    supposed: Mapping[str, float],
    report: Callable[[int, int], None],
    stop: threading.Event,
) -> tuple[Heard, ...]:
    """Listen to all captures at once.

    Args:
        supposed: as in `Listening`.
        report: told how many recordings were listened to, and of how many.

    Raises:
        Stopped: when `stop` was set.
    """
    listening = Listening(captures, supposed, {})
    while listening.has_work:
        if stop.is_set():
            raise Stopped
        listening.go_on(_A_TURN)
        report(listening.done, listening.total)
    return listening.found
