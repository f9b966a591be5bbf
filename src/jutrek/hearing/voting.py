"""One shift for two devices: every clip speaks for the shifts at which it was heard in a take, and the sums decide.

A single clip is never certain: a tune that was played twice, hammering, a tape on a loop are heard where they are not.
Certain takes two clips, ten minutes apart, and twice what any other shift has. On made-up days with all of these, no
certain shift was wrong (see `docs/heard.md`).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from typing import NamedTuple

_FLOOR, _CAP = 6.0, 25.0
"""Standard deviations from which a clip speaks, and which it can give at most."""
_RIVAL = 0.8
_WIDTH = 3.0
"""Seconds within which shifts are one: clocks that tell whole seconds differ by as much."""
_CLIPS, _APART, _TOTAL, _CLEAR, _LEAST_NEXT = 2, 600.0, 15.0, 2.0, 5.0


class Voice(NamedTuple):
    """What a clip says.

    Attributes:
        clip: which, and which piece of it.
        at: when it began, by its own clock, in seconds.
        shift: what its clock would have to be shifted by.
        weight: how much it says so.
        hit: what it rests on, for whoever asked.
    """

    clip: tuple[str, int]
    at: float
    shift: float
    weight: float
    hit: int


class Vote(NamedTuple):
    """What all clips say together.

    Attributes:
        shift: seconds.
        total: how much speaks for it.
        rest: how much speaks for the next best one, elsewhere.
        voices: the voices for it, one a clip.
    """

    shift: float
    total: float
    rest: float
    voices: tuple[Voice, ...]

    @property
    def clear(self) -> float:
        """How many times as much speaks for it as for the next one."""
        return self.total / max(self.rest, _LEAST_NEXT)

    @property
    def certain(self) -> bool:
        """Whether no other shift is near."""
        times = [voice.at for voice in self.voices]
        apart = max(times) - min(times) if times else 0.0
        return len(times) >= _CLIPS and apart >= _APART and self.total >= _TOTAL and self.clear >= _CLEAR


def weights(scores: Sequence[float]) -> list[float]:
    """How much each lag of a clip says: nothing below the floor; shared out among those that stand out as much."""
    rivals = [sum(other > _RIVAL * score for other in scores) for score in scores]
    return [
        (min(score, _CAP) - _FLOOR + 1) / rival if score > _FLOOR else 0.0
        for score, rival in zip(scores, rivals, strict=True)
    ]


def vote(voices: Sequence[Voice]) -> Vote | None:
    """The shift for which most speaks; None where nothing does. A clip speaks once for a shift."""
    ordered = sorted((voice for voice in voices if voice.weight > 0), key=lambda voice: voice.shift)
    if not ordered:
        return None
    shifts = [voice.shift for voice in ordered]
    sums = []
    for first, shift in enumerate(shifts):
        best: dict[tuple[str, int], Voice] = {}
        for voice in ordered[first : bisect_right(shifts, shift + _WIDTH)]:
            if voice.clip not in best or best[voice.clip].weight < voice.weight:
                best[voice.clip] = voice
        sums.append((sum(voice.weight for voice in best.values()), tuple(best.values())))
    total, top = max(sums, key=lambda one: one[0])
    middle = sum(voice.shift * voice.weight for voice in top) / total
    rest = max(
        (one for (one, _), shift in zip(sums, shifts, strict=True) if abs(shift + _WIDTH / 2 - middle) > 2 * _WIDTH),
        default=0.0,
    )
    return Vote(middle, total, rest, top)
